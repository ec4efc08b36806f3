"""A shot of many large drawings, from take-in to hand-off: seconds, and memory of all processes.

Run by hand: .venv/bin/python bench/long_shot.py --drawings 120 --width 4096
The drawings are those of the demo's stair, again and again, slightly moved, so that no two are alike.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import re
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import httpx
import numpy as np
import psutil

from schoon.demo.shots import stair
from schoon.formats.pictures import encode_png


class Watch:
    """The most memory that the server with its workers and database took, and the web process of it, MB."""

    def __init__(self, server: int) -> None:
        self.all = self.web = 0.0
        self.parts: dict[str, float] = {}
        self._web = psutil.Process(server)
        threading.Thread(target=self._look, daemon=True).start()

    def _look(self) -> None:
        while True:
            # A process may end while it is looked at.
            with contextlib.suppress(psutil.Error):
                web = _private(self._web)
                self.web = max(self.web, web)
                parts = {f"{p.name()[:9]} {p.pid}": _private(p) for p in self._web.children(recursive=True)}
                if web + sum(parts.values()) > self.all:
                    self.all, self.parts = web + sum(parts.values()), parts
            time.sleep(0.25)

    def taken(self) -> tuple[float, float]:
        """(all, web) since the last time it was asked."""
        found = self.all, self.web
        most = sorted(self.parts.items(), key=lambda part: -part[1])[:5]
        print("  ".join(f"{name} {size:.0f}" for name, size in most))
        self.all = self.web = 0.0
        return found


def _private(process: psutil.Process) -> float:
    """MB that a process has for itself: what several share is not counted in each."""
    try:
        return float(process.memory_full_info().uss) / 2**20
    except psutil.Error:
        return 0.0


def roughs(folder: Path, count: int, width: int) -> list[Path]:
    """The pictures as files."""
    base = [drawing.rough() for drawing in stair()]
    paths = []
    for k in range(count):
        rough = base[k % len(base)]
        height = round(rough.shape[0] * width / rough.shape[1])
        large = cv2.resize(rough, (width, height), interpolation=cv2.INTER_CUBIC)
        shift = np.array([[1, 0, 3.0 * (k // len(base))], [0, 1, 0]])
        large = cv2.warpAffine(large, shift, (width, height), borderMode=cv2.BORDER_REPLICATE)
        paths.append(folder / f"long_{k + 1:04}.png")
        paths[-1].write_bytes(encode_png(np.asarray(large, np.uint8), 1))
    return paths


def main() -> None:
    """Prints a line a stage."""
    wants = argparse.ArgumentParser()
    wants.add_argument("--drawings", type=int, default=120)
    wants.add_argument("--width", type=int, default=4096)
    wants.add_argument("--workers", type=int, default=2)
    asked = wants.parse_args()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        paths = roughs(folder, asked.drawings, asked.width)
        with socket.socket() as door:
            door.bind(("127.0.0.1", 0))
            port = door.getsockname()[1]
        where = {
            "SCHOON_HOME": str(folder / "home"), "SCHOON_PORT": str(port), "SCHOON_WORKERS": str(asked.workers),
            "SCHOON_MOST_TAKE_IN_MB": "8000",
        }  # fmt: skip
        command = [sys.executable, "-c", "from schoon.cli import app; app()", "serve"]
        server = subprocess.Popen(command, env={**os.environ, **where}, stdout=subprocess.DEVNULL)
        try:
            with httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=3600) as client:
                _wait_for(client)
                _work(client, paths, Watch(server.pid))
        finally:
            server.terminate()
            server.wait(60)


def _wait_for(client: httpx.Client) -> None:
    for _ in range(600):
        try:
            client.get("/")
            return
        except httpx.TransportError:
            time.sleep(0.2)
    raise SystemExit("the server does not answer")


def _work(client: httpx.Client, paths: list[Path], watch: Watch) -> None:
    def stage(name: str, act: Callable[[], object]) -> None:
        watch.taken()
        start = time.perf_counter()
        act()
        seconds = time.perf_counter() - start
        most, web = watch.taken()
        print(
            f"{name:<10} {seconds:7.1f} s, {seconds / len(paths):5.2f} s a drawing;"
            f" most memory {most:6.0f} MB, web process {web:5.0f} MB",
            flush=True,
        )

    for url, form in (
        ("/productions", {"name": "Harbour Lights"}),
        ("/productions/1/models", {"name": "Pim"}),
        *(
            ("/models/1/pots", {"name": name, "colour": "#8a5a3b"})
            for name in ("Coat", "Fur", "Boot", "Scarf")
        ),
    ):
        client.post(url, data=form)
    found: dict[str, str] = {}

    def check() -> None:
        files = [("files", (path.name, path.open("rb"), "image/png")) for path in paths]
        text = client.post("/take-in/check", files=files).text
        named = re.search(r'data-token="([0-9a-f]+)"', text)
        if named is None:
            raise SystemExit(text)
        found["token"] = named[1]

    stage("take in", check)
    form = {"token": found["token"], "name": "Long", "level": "Pim", "fps": "24", "hold": "1", "model": "1"}
    stage("store", lambda: client.post("/productions/1/take-in", data=form).raise_for_status())
    for kind in ("clean", "seal"):
        stage(kind, lambda kind=kind: _job(client, kind))
    stage("one key", lambda: _paint(client))
    stage("carry", lambda: _job(client, "carry"))
    for number in (2, len(paths) // 2, len(paths)):
        stage(
            f"jump to {number}",
            lambda number=number: client.get(f"/api/drawings/{number}/patches").raise_for_status(),
        )
    frames = [f"/drawings/{k}/view.webp?w=960&look=best&clear=1" for k in range(1, len(paths) + 1)]
    stage("proof", lambda: _proof(client))
    middle = client.get("/api/drawings/2/patches").json()
    patch = next(p for p in middle["patches"] if p["n"] != middle["background"])
    pour = {"do": "pour", "points": [patch["at"]], "pot": 3}
    base = client.get("/api/drawings/2").json()["revision"]
    client.post("/api/drawings/2/do", json={"base": base, "do": pour}).raise_for_status()
    stage("after edit", lambda: _proof(client))
    for what, wish in (
        ("drawings", {}),
        ("drawings", {"only": "passes"}),
        ("layers", {}),
        ("mp4", {}),
        ("gif", {"width": 640, "limit": 4_000_000}),
    ):
        stage(
            f"{what} {wish.get('only', '')}".strip(),
            lambda what=what, wish=wish: _export(
                client, {"what": what, "width": 4096, "cleared": True, **wish}
            ),
        )
    stage("play", lambda: [client.get(url).raise_for_status() for url in frames])


def _job(client: httpx.Client, kind: str) -> None:
    answer = client.post("/api/levels/1/jobs", json={"kind": kind})
    answer.raise_for_status()
    _ended(client, kind, answer.json()["id"])


def _proof(client: httpx.Client) -> None:
    _ended(client, "proof", client.post("/api/levels/1/proof").json()["job"])


def _export(client: httpx.Client, wish: dict[str, object]) -> None:
    answer = client.post("/api/levels/1/export", json=wish)
    answer.raise_for_status()
    _ended(client, str(wish["what"]), answer.json()["id"])


def _ended(client: httpx.Client, kind: str, job: int) -> None:
    while True:
        state = client.get(f"/api/jobs/{job}").json()
        if state["state"] not in ("waiting", "running"):
            break
        time.sleep(0.05)
    if state["state"] != "done":
        raise SystemExit(f"{kind}: {state['state']}, {state['message']}")


def _paint(client: httpx.Client) -> None:
    """Every patch of the first drawing gets a pot."""
    patches = client.get("/api/drawings/1/patches").json()
    for patch in patches["patches"]:
        if patch["n"] != patches["background"]:
            pour = {"do": "pour", "points": [patch["at"]], "pot": 1 + patch["n"] % 4}
            client.post("/api/drawings/1/do", json={"base": 0, "do": pour}).raise_for_status()


if __name__ == "__main__":
    main()
