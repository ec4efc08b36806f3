"""A drawing of many strokes on the page: first opening, a frame of panning, and from pen-up to the stroke on the paper.

Run by hand: .venv/bin/python bench/many_strokes.py --strokes 5000
Times of the page are measured in Chromium; everything runs on this machine.
"""

from __future__ import annotations

import argparse
import os
import socket
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import cv2
import httpx
import numpy as np
from playwright.sync_api import Page, sync_playwright

from schoon.core.strokes import Stroke, fit_curve
from schoon.formats.pictures import encode_png
from schoon.store import LocalServer, Store, revisions
from schoon.work.documents import line_document

SIZE = (1920, 1080)
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
]

PAN = """async () => {
  const table = document.getElementById('surface').getBoundingClientRect();
  const at = (x) => ({ clientX: table.left + x, clientY: table.top + 200, button: 1, buttons: 4, pointerId: 1, bubbles: true });
  const surface = document.getElementById('surface');
  surface.setPointerCapture = () => {};
  surface.dispatchEvent(new PointerEvent('pointerdown', at(300)));
  const times = [];
  let last = performance.now();
  for (let k = 0; k < 40; k += 1) {
    surface.dispatchEvent(new PointerEvent('pointermove', { ...at(300 + 4 * k), movementX: 4 }));
    await new Promise(requestAnimationFrame);
    times.push(performance.now() - last);
    last = performance.now();
  }
  surface.dispatchEvent(new PointerEvent('pointerup', at(460)));
  return times;
}"""


def wave(k: int, rng: np.random.Generator) -> Stroke:
    """A short curved line somewhere on the paper."""
    x, y = rng.uniform((40, 40), (SIZE[0] - 90, SIZE[1] - 60))
    along = np.linspace(0, 40, 12)
    turn = rng.uniform(0, 2 * np.pi)
    points = np.stack([along, 6 * np.sin(along / 7 + k)], axis=1)
    c, s = np.cos(turn), np.sin(turn)
    controls, _ = fit_curve(points @ np.array([[c, s], [-s, c]]) + (x, y), 0.4)
    return Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 2.5))


def take_in(client: httpx.Client) -> None:
    """A production with a shot of two empty drawings."""
    blank = encode_png(np.full((SIZE[1], SIZE[0], 3), 250, np.uint8))
    other = cv2.circle(np.full((SIZE[1], SIZE[0], 3), 250, np.uint8), (300, 300), 90, (60, 60, 60), 4)
    client.post("/productions", data={"name": "Harbour Lights"})
    files = [("files", (f"a_{k}.png", body, "image/png")) for k, body in ((1, blank), (2, encode_png(other)))]
    token = client.post("/take-in/check", files=files).text.partition('data-token="')[2].partition('"')[0]
    form = {"token": token, "name": "Dense", "level": "Crowd", "fps": "24", "hold": "1"}
    client.post("/productions/1/take-in", data=form).raise_for_status()


def fill(home: Path, count: int) -> None:
    """Gives the first drawing its strokes, as a job would."""
    rng = np.random.default_rng(3)
    strokes = [wave(k, rng) for k in range(count)]
    local = LocalServer(home)
    store = Store(local.start())
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, 1, lock=True)
        name = revisions.put_document(cursor, line_document(strokes))
        action = revisions.begin_action(cursor, f"{len(strokes)} strokes")
        revisions.revise(cursor, revisions.of(row), action, line=name)
    store.close()
    local.stop()


def measure(page: Page, rounds: int) -> None:
    """Prints the figures."""
    for opening in ("first opening", "again"):
        start = time.perf_counter()
        page.goto("/shots/1/line?level=1#d=1")
        page.locator("#paper .ink path").first.wait_for()
        print(f"{opening:<16} {time.perf_counter() - start:6.2f} s", flush=True)
        page.goto("about:blank")
    page.goto("/shots/1/line?level=1#d=1")
    page.locator("#paper .ink path").first.wait_for()
    page.wait_for_timeout(1500)
    frames = page.evaluate(PAN)
    print(f"{'pan, a frame':<16} {statistics.median(frames):6.1f} ms, worst {max(frames):.1f}")
    for k in range(rounds):
        page.mouse.move(420 + 8 * k, 300)
        page.mouse.down()
        page.mouse.move(470 + 8 * k, 330, steps=6)
        page.mouse.up()
        while page.evaluate("performance.getEntriesByName('trace').length") <= k:
            page.wait_for_timeout(100)
        page.wait_for_timeout(900)
    times = page.evaluate("performance.getEntriesByName('trace').map((e) => e.duration)")
    print(f"{'pen-up':<16} {statistics.median(times):6.1f} ms, worst {max(times):.1f}, {len(times)} strokes")


def main() -> None:
    """Prints a line a figure."""
    wants = argparse.ArgumentParser()
    wants.add_argument("--strokes", type=int, default=5000)
    wants.add_argument("--rounds", type=int, default=12)
    asked = wants.parse_args()
    with tempfile.TemporaryDirectory() as place:
        home = Path(place) / "home"
        with socket.socket() as door:
            door.bind(("127.0.0.1", 0))
            port = door.getsockname()[1]
        address = f"http://127.0.0.1:{port}"
        where = {"SCHOON_HOME": str(home), "SCHOON_PORT": str(port), "SCHOON_AHEAD": "0"}
        command = [sys.executable, "-c", "from schoon.cli import main; main()", "serve"]

        def served() -> subprocess.Popen[bytes]:
            server = subprocess.Popen(command, env={**os.environ, **where}, stdout=subprocess.DEVNULL)
            for _ in range(600):
                try:
                    httpx.get(address)
                    return server
                except httpx.TransportError:
                    time.sleep(0.2)
            raise SystemExit("the server does not answer")

        server = served()
        with httpx.Client(base_url=address, timeout=600) as client:
            take_in(client)
        server.terminate()
        server.wait(60)
        fill(home, asked.strokes)
        server = served()
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                page = browser.new_context(
                    viewport={"width": 1280, "height": 800}, base_url=address
                ).new_page()
                page.context.add_cookies([{"name": "schoon-name", "value": "Mira", "url": address}])
                measure(page, asked.rounds)
        finally:
            server.terminate()
            server.wait(60)


if __name__ == "__main__":
    main()
