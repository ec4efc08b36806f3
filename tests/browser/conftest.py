"""The application behind a real port, and headless Chromium in front of it."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator

import pytest
import uvicorn
from playwright.sync_api import Browser, Page, expect, sync_playwright

from schoon.jobs.pool import Pool
from schoon.settings import Settings
from schoon.store import Store
from schoon.web.app import create_app

# Shared machines have slow moments; what is there at once is seen at once all the same.
expect.set_options(timeout=60_000)

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


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
    page = context.new_page()
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    yield page
    context.close()
    assert problems == []
