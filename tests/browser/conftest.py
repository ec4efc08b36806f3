"""The application behind a real port, and headless Chromium in front of it."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator
from functools import lru_cache

import cv2
import pytest
import uvicorn
from playwright.sync_api import Browser, Page, expect, sync_playwright

from schoon.demo.shots import stair
from schoon.formats.pictures import encode_png
from schoon.jobs.pool import Pool
from schoon.settings import Settings
from schoon.store import Store, models, pictures, productions
from schoon.web.app import create_app

from .waiting import until

# Shared machines have slow moments; what is there at once is seen at once all the same.
PATIENCE = 60_000
expect.set_options(timeout=PATIENCE)

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


REACH = """
addEventListener('DOMContentLoaded', async () => {
  const script = document.querySelector('script[src*="/js/shot.js"]');
  if (script) globalThis.schoon = (await import(script.src)).app;
});
"""
"""Tests reach into a shot's page by the module it runs; the page itself hangs nothing on the window."""


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def address(store: Store, settings: Settings, pool: Pool) -> Iterator[str]:
    server = uvicorn.Server(
        uvicorn.Config(create_app(store, settings, pool), log_level="warning", timeout_graceful_shutdown=2)
    )
    with socket.socket() as door:
        # Several test processes may look for a door at once: each takes the one it is given.
        door.bind(("127.0.0.1", 0))
        thread = threading.Thread(target=server.run, kwargs={"sockets": [door]}, daemon=True)
        thread.start()
        while not server.started:
            time.sleep(0.02)
        yield f"http://127.0.0.1:{door.getsockname()[1]}"
        server.should_exit = True
        thread.join(40)


@pytest.fixture
def page(browser: Browser, address: str) -> Iterator[Page]:
    """A page of 1280 x 800; an error on it fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address)
    context.set_default_timeout(PATIENCE)
    context.add_init_script(REACH)
    page = context.new_page()
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(f"{error}\n{error.stack}"))
    yield page
    context.close()
    assert problems == []


@lru_cache
def drawn_roughs() -> dict[str, bytes]:
    """Three neighbouring drawings of the demo, at half size: name -> PNG."""
    return {
        f"stair_{drawing.number:02}.png": encode_png(
            cv2.resize(drawing.rough(), (960, 540), interpolation=cv2.INTER_AREA)
        )
        for drawing in stair()[3:6]
    }


@pytest.fixture
def shot(page: Page, store: Store) -> Page:
    """A shot of three roughs of the demo, opened at Rough."""
    with store.transaction() as cursor:
        production = productions.create(cursor, "Quay tests")
        model = models.create(cursor, production, "Pim")
        keys = [models.add_key(cursor, model, name, "#1d2b3a", "#ffffff", {}) for name in ("Day", "Night")]
        for name, colour in (("Coat", "#edb21f"), ("Fur", "#8a5a3b"), ("Boot", "#2f4a63")):
            models.add_pot(cursor, model, name, colour)
        made, level = productions.create_shot(cursor, production, "Steps", 24, "Pim", model, keys[0])
        rows = [
            (k, "inbetween" if k == 2 else "key", pictures.put(cursor, body, "image/png", 960, 540))
            for k, body in enumerate(drawn_roughs().values(), 1)
        ]
        productions.fill_shot(cursor, made, level, (960, 540), rows, {1: 1, 3: 2, 5: 3}, 6)
    page.goto(f"/shots/{made}/rough")
    until(page, "document.getElementById('paper').dataset.drawing")
    return page
