"""Tries whether a confirmed edit is ever lost: clients edit, files come in and jobs run while servers, workers and databases are
killed, and the database stands still.

    python bench/soak.py                        three clients, kills by turns, ten minutes
    python bench/soak.py --clients 20 --seconds 60 --no-kills      load only: errors, and memory of the web process

Everything runs on loopback in a folder of its own, which is deleted at the end. Prints figures; exits with 1 if anything
was lost, done twice, left behind, or answered with an error of the program.
"""

from __future__ import annotations

import argparse
import collections
import contextlib
import os
import random
import secrets
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import cv2
import httpx
import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from schoon.formats.pictures import encode_png

SIZE = (640, 480)
DRAWINGS = 8
POURED = (0, 1)
"""Drawings that are only poured into, so that what their patches carry at the end is known."""

_BACKUPS = Path(__file__).resolve().parents[1] / "tests" / "work" / "backups"

_STILL = 7.0
"""Seconds for which the database stands still."""

JOBS: list[dict[str, Any]] = [
    {"kind": "clean"}, {"kind": "seal"}, {"kind": "carry"}, {"kind": "specks"}, {"kind": "fit"}, {"kind": "track"},
    {"kind": "export"},
]  # fmt: skip


def rough(shift: int) -> bytes:
    """A face of a ring, two eyes and a mouth."""
    picture = np.full((SIZE[1], SIZE[0], 3), 245, np.uint8)
    x = 300 + 4 * shift
    cv2.circle(picture, (x, 240), 170, (50, 50, 50), 4, cv2.LINE_AA)
    for side in (-60, 60):
        cv2.circle(picture, (x + side, 190), 30, (50, 50, 50), 4, cv2.LINE_AA)
    cv2.ellipse(picture, (x, 310), (80, 36), 0, 0, 360, (50, 50, 50), 4, cv2.LINE_AA)
    return encode_png(picture)


class Server:
    """`schoon serve` as a process of its own, started again whenever it is killed."""

    def __init__(self, home: Path) -> None:
        self.home = home
        self.port = 8600
        self.process: subprocess.Popen[bytes] | None = None
        self.ending = False

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        with open(self.home.with_suffix(".log"), "ab") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-c", "from schoon.cli import main; main()", "serve"],
                env={
                    **os.environ,
                    "SCHOON_HOME": str(self.home),
                    "SCHOON_PORT": str(self.port),
                    "SCHOON_DATABASE_URL": "",
                },
                stdout=log,
                stderr=subprocess.STDOUT,
            )

    def watch(self) -> None:
        while not self.ending:
            if self.process and self.process.poll() is not None:
                self.start()
            time.sleep(0.2)

    def members(self) -> dict[int, str]:
        """pid -> command of all processes that belong to this home, the web server's own among them."""
        found = {}
        for entry in Path("/proc").iterdir():
            with contextlib.suppress(OSError, ValueError):
                pid = int(entry.name)
                environment = (entry / "environ").read_bytes()
                state = (entry / "stat").read_text().rpartition(")")[2].split()[0]
                if f"SCHOON_HOME={self.home}".encode() in environment and state != "Z":
                    found[pid] = (
                        (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
                    )
        return found

    def kill(self, what: str) -> bool:
        """Kills the web server, a worker or the database, or has that stand still for a while; False if there is none."""
        wanted = {
            "web": "from schoon.cli import main",
            "worker": "spawn_main",
            "database": "mariadbd",
            "still": "mariadbd",
        }[what]
        pids = [pid for pid, command in self.members().items() if wanted in command]
        if not pids:
            return False
        pid = random.choice(pids)
        os.kill(pid, signal.SIGSTOP if what == "still" else signal.SIGKILL)
        if what == "still":
            threading.Timer(_STILL, os.kill, (pid, signal.SIGCONT)).start()
        return True

    def memory(self) -> float:
        """MB that the web server itself holds."""
        assert self.process
        with contextlib.suppress(OSError):
            for line in Path(f"/proc/{self.process.pid}/status").read_text().splitlines():
                if line.startswith("VmRSS"):
                    return int(line.split()[1]) / 1024
        return 0.0


@dataclass
class Record:
    """What was confirmed, and what was answered."""

    strokes: dict[int, set[str]] = field(default_factory=lambda: collections.defaultdict(set))
    stitches: dict[int, list[str]] = field(default_factory=lambda: collections.defaultdict(list))
    tones: dict[int, set[str]] = field(default_factory=lambda: collections.defaultdict(set))
    taken: collections.Counter[str] = field(default_factory=collections.Counter)
    references: int = 0
    pours: dict[tuple[int, int], int] = field(default_factory=dict)
    jobs: set[int] = field(default_factory=set)
    statuses: collections.Counter[int] = field(default_factory=collections.Counter)
    again: int = 0
    waits: list[float] = field(default_factory=list)
    lock: threading.Lock = field(default_factory=threading.Lock)


class Client(threading.Thread):
    """Somebody with a pen, in a browser that keeps what was not answered and sends it again."""

    def __init__(
        self, number: int, server: Server, ids: list[int], record: Record, stop: threading.Event
    ) -> None:
        super().__init__(daemon=True)
        self.number, self.server, self.ids, self.record, self.stop = number, server, ids, record, stop
        self.random = random.Random(number)
        self.http = httpx.Client(base_url=server.address, timeout=60)

    def send(self, url: str, content: dict[str, Any]) -> dict[str, Any] | None:
        """What `post` of the page does. None if it was refused, or the soak is over."""
        token = secrets.token_hex(16)
        begun = time.monotonic()
        tries = 0
        while True:
            headers = {"x-schoon-token": token, **({"x-schoon-again": str(tries)} if tries else {})}
            try:
                answer = self.http.post(url, json=content, headers=headers)
                status = answer.status_code
            except httpx.HTTPError:
                status = 0
            with self.record.lock:
                self.record.statuses[status] += 1
            if status == 200:
                with self.record.lock:
                    self.record.waits.append(time.monotonic() - begun)
                    self.record.again += "again" in answer.json()
                return dict(answer.json())
            if status not in (0, 502, 503, 504, 507):
                return None
            if self.stop.is_set():
                # Not confirmed: whether it was done nobody was told.
                return None
            tries += 1
            time.sleep(0.3)

    def run(self) -> None:
        while not self.stop.is_set():
            act = self.random.choice([self.trace, self.trace, self.stitch, self.tone, self.pour, self.look])
            act()
            time.sleep(self.random.random() * 0.1)

    def drawing(self) -> int:
        return self.random.choice([d for k, d in enumerate(self.ids) if k not in POURED])

    def trace(self) -> None:
        drawing, name = self.drawing(), f"t{self.number:02}{secrets.token_hex(5)}"
        # Along the edge, where it crosses no form.
        x, y = self.random.uniform(4, 60), self.random.uniform(4, 470)
        path = [[x, y, 0.5], [x + 8, y + 2, 0.5], [x + 16, y, 0.5]]
        do = {"do": "trace", "id": name, "path": path, "width": 3}
        if self.send(f"/api/drawings/{drawing}/do", {"base": 0, "do": do}) is not None:
            with self.record.lock:
                self.record.strokes[drawing].add(name)

    def stitch(self) -> None:
        drawing, y = self.drawing(), round(self.random.uniform(4, 470), 2)
        x = 580 + round(self.random.random() * 20, 2)
        if (
            self.send(
                f"/api/drawings/{drawing}/do",
                {"base": 0, "do": {"do": "stitch", "points": [[x, y], [x + 6, y]]}},
            )
            is not None
        ):
            with self.record.lock:
                self.record.stitches[drawing].append(f"M{x:.1f},{y:.1f}")

    def tone(self) -> None:
        drawing, name = self.drawing(), secrets.token_hex(5)
        x, y = self.random.uniform(200, 380), self.random.uniform(120, 330)
        path = [[x, y], [x + 40, y + 6], [x + 60, y + 40], [x + 10, y + 50]]
        do = {"do": "tone", "id": name, "kind": "shade", "path": path, "brush": self.random.choice([0, 12])}
        if self.send(f"/api/drawings/{drawing}/do", {"base": 0, "do": do}) is not None:
            with self.record.lock:
                self.record.tones[drawing].add(name)

    def pour(self) -> None:
        # One patch of its own for each of the first clients, so that the last confirmed pour is what must be there.
        if self.number >= 2 * len(POURED):
            return self.look()
        drawing, side = POURED[self.number // 2], -60 if self.number % 2 else 60
        pot = self.random.choice([1, 2])
        at = [300 + 4 * drawing + side, 190]
        if (
            self.send(
                f"/api/drawings/{self.ids[drawing]}/do",
                {"base": 0, "do": {"do": "pour", "points": [at], "pot": pot}},
            )
            is not None
        ):
            with self.record.lock:
                self.record.pours[(drawing, side)] = pot
        return None

    def look(self) -> None:
        drawing = self.random.choice(self.ids)
        for url in (
            f"/api/drawings/{drawing}",
            f"/drawings/{drawing}/view.webp?w=200",
            f"/api/drawings/{drawing}/patches",
        ):
            try:
                status = self.http.get(url).status_code
            except httpx.HTTPError:
                status = 0
            with self.record.lock:
                self.record.statuses[status] += 1


class Guest(Client):
    """Brings files: references, shots, and whole productions as backups. What is not answered is not sent again."""

    def run(self) -> None:
        for k in range(10_000):
            if self.stop.is_set():
                return
            with contextlib.suppress(httpx.HTTPError):
                (self.reference, self.shot, self.production)[k % 3](f"g{k:04}")
            time.sleep(2 * self.random.random())

    def answered(self, url: str, **content: Any) -> httpx.Response | None:
        answer = self.http.post(url, **content)
        with self.record.lock:
            self.record.statuses[answer.status_code] += 1
        return answer if answer.status_code < 400 else None

    def reference(self, name: str) -> None:
        if self.answered("/api/shots/1/references", files={"file": (f"{name}.png", rough(3))}) is not None:
            with self.record.lock:
                self.record.references += 1

    def shot(self, name: str) -> None:
        files = [("files", (f"{name}_{k:02}.png", rough(k), "image/png")) for k in range(4)]
        looked = self.answered("/take-in/check", files=files)
        if looked is None or "data-token" not in looked.text:
            return
        token = looked.text.split('data-token="')[1].split('"')[0]
        if (
            self.answered("/productions/1/take-in", data={"token": token, "name": name, "level": "Face"})
            is not None
        ):
            with self.record.lock:
                self.record.taken[name] += 1

    def production(self, name: str) -> None:
        body = sorted(_BACKUPS.iterdir())[-1].read_bytes()
        if (
            self.answered("/productions/restored", files={"file": ("soak.schoon", body)}, data={"name": name})
            is not None
        ):
            with self.record.lock:
                self.record.taken[name] += 1


class Boss(Client):
    """Starts jobs of every kind, one after the other."""

    def run(self) -> None:
        k = 0
        while not self.stop.is_set():
            kind = dict(JOBS[k % len(JOBS)])
            k += 1
            url = "/api/levels/1/jobs"
            if kind["kind"] in ("clean", "fit"):
                kind["drawings"] = [d for n, d in enumerate(self.ids) if n not in POURED]
            if kind["kind"] == "fit":
                kind["source"] = self.ids[0]
            if kind["kind"] == "specks":
                kind["under"] = self.random.choice([5, 6, 7, 8])
            if kind["kind"] == "track":
                kind.update(source=self.ids[2], at=[300 + 8, 310], pot=2)
            if kind["kind"] == "export":
                url, kind = (
                    "/api/levels/1/export",
                    {"what": self.random.choice(["gif", "frames"]), "width": 200},
                )
            answer = self.send(url, kind)
            if answer is not None:
                self.record.jobs.add(answer["id"])
                end = time.monotonic() + 40
                while not self.stop.is_set() and time.monotonic() < end:
                    time.sleep(0.5)
                    with contextlib.suppress(httpx.HTTPError, KeyError, ValueError):
                        if self.http.get(f"/api/jobs/{answer['id']}").json()["state"] not in (
                            "waiting",
                            "running",
                        ):
                            break


def set_up(http: httpx.Client) -> list[int]:
    """A shot of a few drawings, cleaned; ids of its drawings."""
    http.post("/productions", data={"name": "Soak"})
    http.post("/productions/1/models", data={"name": "Face"})
    for name, colour in (("Coat", "#edb21f"), ("Fur", "#8a5a3b")):
        http.post("/models/1/pots", data={"name": name, "colour": colour})
    files = [("files", (f"a{k:02}.png", rough(k), "image/png")) for k in range(DRAWINGS)]
    token = http.post("/take-in/check", files=files).text.split('data-token="')[1].split('"')[0]
    form = {"token": token, "name": "Shot", "level": "Face", "fps": "24", "hold": "2", "model": "1"}
    assert http.post("/productions/1/take-in", data=form).status_code == 200
    ids = [d["id"] for d in http.get("/api/shots/1/run").json()["drawings"]]
    job = http.post("/api/levels/1/jobs", json={"kind": "clean"}).json()["id"]
    wait_for(lambda: http.get(f"/api/jobs/{job}").json()["state"] == "done", 120)
    for drawing in POURED:
        for side in (-60, 60):
            at = [300 + 4 * drawing + side, 190]
            http.post(
                f"/api/drawings/{ids[drawing]}/do",
                json={"base": 0, "do": {"do": "pour", "points": [at], "pot": 1}},
            )
    return ids


def wait_for(true: Any, seconds: float) -> None:
    end = time.monotonic() + seconds
    while True:
        with contextlib.suppress(httpx.HTTPError):
            if true():
                return
        if time.monotonic() > end:
            raise SystemExit("the server did not come back")
        time.sleep(0.2)


def verify(http: httpx.Client, ids: list[int], record: Record, home: Path) -> dict[str, int]:
    """How much of what was confirmed is missing, or is there twice."""
    lost: collections.Counter[str] = collections.Counter()
    for drawing, names in record.strokes.items():
        there = collections.Counter(s["id"] for s in http.get(f"/api/drawings/{drawing}").json()["strokes"])
        lost["strokes"] += len(names - there.keys())
        lost["strokes twice"] += sum(count > 1 for count in there.values())
    for drawing, places in record.stitches.items():
        seal = http.get(f"/api/drawings/{drawing}").json()["stitches"]
        there = collections.Counter(s["d"].split(" ")[0] for s in seal if s["by"] == "hand")
        lost["stitches"] += sum(place not in there for place in places)
        lost["stitches twice"] += sum(count > 1 for count in there.values())
    for drawing, names in record.tones.items():
        shapes = collections.Counter(
            t["id"] for t in http.get(f"/api/drawings/{drawing}/patches").json()["tones"]
        )
        lost["tones"] += len(names - shapes.keys())
        lost["tones twice"] += sum(count > 1 for count in shapes.values())
    shelf = http.get("/").text
    lost["shots and productions"] += sum(name not in shelf for name in record.taken)
    kept = len(http.get("/api/shots/1/references").json()["references"])
    lost["references"] += max(0, record.references - kept)
    for (drawing, side), pot in record.pours.items():
        shown = http.get(f"/api/drawings/{ids[drawing]}/patches").json()
        place = np.array([300 + 4 * drawing + side, 190])
        patch = min(shown["patches"], key=lambda p: float(np.hypot(*(np.array(p["at"]) - place))))
        lost["pours"] += shown["paint"].get(str(patch["n"]), {}).get("pot") != pot
    sys.path.insert(0, str(Path(__file__).resolve().parent.parent))
    from schoon.store import LocalServer, Store

    store = Store(LocalServer(home).start())
    with store.transaction() as cursor:
        cursor.execute("SELECT COUNT(*) AS n FROM jobs WHERE state IN ('waiting', 'running')")
        lost["jobs not ended"] = int(cursor.fetchone()["n"])
        cursor.execute("SELECT COUNT(*) AS n FROM jobs WHERE state = 'failed'")
        lost["jobs failed"] = int(cursor.fetchone()["n"])
        cursor.execute(
            "SELECT COUNT(*) AS n FROM (SELECT r.action_id, r.drawing_id FROM revisions r JOIN jobs j"
            " ON j.action_id = r.action_id GROUP BY r.action_id, r.drawing_id HAVING COUNT(*) > 1) AS twice"
        )
        lost["drawings a job did twice"] = int(cursor.fetchone()["n"])
    store.close()
    return dict(lost)


def main() -> None:
    options = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    options.add_argument("--clients", type=int, default=3)
    options.add_argument("--seconds", type=int, default=600)
    options.add_argument("--no-kills", action="store_true")
    options.add_argument("--every", type=float, default=12.0, help="seconds between two kills")
    given = options.parse_args()
    home = Path(tempfile.mkdtemp(prefix="soak-"))
    server = Server(home)
    server.start()
    threading.Thread(target=server.watch, daemon=True).start()
    http = httpx.Client(base_url=server.address, timeout=60)
    kills: collections.Counter[str] = collections.Counter()
    record, stop = Record(), threading.Event()
    try:
        wait_for(lambda: http.get("/").status_code == 200, 120)
        ids = set_up(http)
        clients = [Client(k, server, ids, record, stop) for k in range(given.clients)]
        clients += [Guest(98, server, ids, record, stop), Boss(99, server, ids, record, stop)]
        memory = [server.memory()]
        for client in clients:
            client.start()
        end = time.monotonic() + given.seconds
        turns = iter(("web", "worker", "database", "still") * 10_000)
        following = time.monotonic() + given.every
        while time.monotonic() < end:
            time.sleep(1)
            memory.append(server.memory())
            if not given.no_kills and time.monotonic() > following:
                what = next(turns)
                kills[what] += server.kill(what)
                following = time.monotonic() + given.every * random.uniform(0.5, 1.5)
        # The clients get their answers before they go.
        wait_for(lambda: http.get("/").status_code == 200, 120)
        time.sleep(5)
        stop.set()
        for client in clients:
            client.join(90)
        wait_for(lambda: http.get("/").status_code == 200, 60)
        wait_for(lambda: not http.get("/api/shots/1/run").json()["jobs"], 240)
        lost = verify(http, ids, record, home)
    finally:
        stop.set()
        server.ending = True
        if server.process:
            server.process.send_signal(signal.SIGTERM)
            server.process.wait(90)
        time.sleep(3)
        left = server.members()
        shutil.rmtree(home, ignore_errors=True)
    errors = sum(
        count for status, count in record.statuses.items() if status >= 500 and status not in (503, 507)
    )
    confirmed = sum(map(len, record.strokes.values())) + sum(map(len, record.stitches.values()))
    waits = sorted(record.waits)
    print(
        f"confirmed: {confirmed} strokes and stitches, {sum(map(len, record.tones.values()))} tones, {len(record.pours)} patches"
        f" poured, {len(record.jobs)} jobs, {record.references} references, {len(record.taken)} shots and productions"
    )
    print(
        f"killed: {dict(kills)}; answers by status: {dict(sorted(record.statuses.items()))}; sent again: {record.again}"
    )
    print(f"lost or twice: {lost}; errors of the program: {errors}; left behind: {list(left.values())}")
    print(
        f"answer of an edit: median {waits[len(waits) // 2] * 1000:.0f} ms, 99 % {waits[int(len(waits) * 0.99)] * 1000:.0f} ms"
    )
    fifth = max(1, len(memory) // 5)
    print(
        f"memory of the web process: {memory[0]:.0f} MB at first, {np.mean(memory[fifth : 2 * fifth]):.0f} MB early,"
        f" {np.mean(memory[-fifth:]):.0f} MB at the end, {max(memory):.0f} MB at most"
    )
    bad = {k: v for k, v in lost.items() if v and k != "jobs failed"}
    sys.exit(1 if bad or errors or left else 0)


if __name__ == "__main__":
    main()
