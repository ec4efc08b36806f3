"""A shot of many large drawings, from take-in to carried paint: seconds, and memory of all processes.

Run by hand: .venv/bin/python bench/long_shot.py --drawings 120 --width 4096
The drawings are those of the demo's stair, again and again, slightly moved, so that no two are alike.
"""

from __future__ import annotations

import argparse
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import psutil
from fastapi.testclient import TestClient

from schoon.demo.shots import stair
from schoon.formats.pictures import encode_png
from schoon.settings import Settings
from schoon.store import LocalServer, Store, models, productions
from schoon.web.app import create_app
from schoon.work import edits
from schoon.work.derived import sheet_patches
from schoon.work.operations.paint import Pour


class Watch:
    """The most memory that the web process, the workers and the database took together and apart, MB."""

    def __init__(self, database: int) -> None:
        self.all = self.web = 0.0
        self._own = psutil.Process()
        self._database = psutil.Process(database)
        self._end = threading.Event()
        threading.Thread(target=self._look, daemon=True).start()

    def _look(self) -> None:
        while not self._end.wait(0.25):
            web = _private(self._own)
            others = sum(
                _private(p) for p in self._own.children(recursive=True) if p.pid != self._database.pid
            )
            self.web = max(self.web, web)
            self.all = max(self.all, web + others + _private(self._database))

    def taken(self) -> tuple[float, float]:
        """(all, web) since the last time it was asked."""
        found = self.all, self.web
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
        server = LocalServer(folder)
        url = server.start()
        store = Store(url)
        store.migrate()
        settings = Settings(home=folder, database_url=url, workers=asked.workers, hosts="testserver")
        app = create_app(store, settings)
        paths = roughs(folder, asked.drawings, asked.width)
        watch = Watch(int((folder / "database" / "server.pid").read_text()))

        def stage(name: str, act: Callable[[], object]) -> None:
            start = time.perf_counter()
            act()
            most, web = watch.taken()
            seconds = time.perf_counter() - start
            print(
                f"{name:<10} {seconds:7.1f} s, {seconds / asked.drawings:5.2f} s a drawing;"
                f" most memory {most:6.0f} MB, web process {web:5.0f} MB",
                flush=True,
            )

        with TestClient(app) as client:
            level = _take_in(client, store, paths, stage)
            for kind in ("clean", "seal"):
                stage(kind, lambda kind=kind: _job(client, level, kind))
            stage("one key", lambda: _paint(store, level))
            stage("carry", lambda: _job(client, level, "carry"))
        store.close()
        server.stop()


def _take_in(
    client: TestClient, store: Store, paths: list[Path], stage: Callable[[str, Callable[[], object]], None]
) -> int:
    with store.transaction() as cursor:
        production = productions.create(cursor, "Harbour Lights")
        model = models.create(cursor, production, "Pim")
        models.add_key(cursor, model, "Day", "#1d2b3a", "#ffffff", {})
        for name in ("Coat", "Fur", "Boot", "Scarf"):
            models.add_pot(cursor, model, name, "#8a5a3b")
    found: dict[str, str] = {}

    def check() -> None:
        files = [("files", (path.name, path.open("rb"), "image/png")) for path in paths]
        text = client.post("/take-in/check", files=files).text
        found["token"] = text.split('data-token="')[1].split('"')[0]

    stage("take in", check)
    form = {
        "token": found["token"],
        "name": "Long",
        "level": "Pim",
        "fps": "24",
        "hold": "1",
        "model": str(model),
    }
    stage("store", lambda: client.post(f"/productions/{production}/take-in", data=form).raise_for_status())
    with store.transaction() as cursor:
        return int(productions.shots(cursor)[0]["level_id"])


def _job(client: TestClient, level: int, kind: str) -> None:
    answer = client.post(f"/api/levels/{level}/jobs", json={"kind": kind})
    answer.raise_for_status()
    while True:
        state = client.get(f"/api/jobs/{answer.json()['id']}").json()
        if state["state"] not in ("waiting", "running"):
            break
        time.sleep(0.5)
    if state["state"] != "done":
        raise SystemExit(f"{kind}: {state['state']}, {state['message']}")


def _paint(store: Store, level: int) -> None:
    """Every patch of the first drawing gets a pot."""
    with store.transaction() as cursor:
        row = productions.drawings(cursor, level)[0]
        _, sheet = edits.load(cursor, row["id"])
        patches = sheet_patches(row["line"], sheet)
        for n in range(1, patches.count + 1):
            if n == patches.background:
                continue
            place = (float(patches.anchors[n][0]), float(patches.anchors[n][1]))
            edits.change_drawing(cursor, row["id"], None, Pour(do="pour", points=[place], pot=1 + n % 4))


if __name__ == "__main__":
    main()
