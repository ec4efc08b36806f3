"""A farm: a real scheduler and its workers on loopback, some of which are lost while jobs run."""

from __future__ import annotations

import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from schoon.errors import Refusal
from schoon.jobs import Runner, tasks
from schoon.jobs.pool import Pool
from schoon.settings import Settings
from schoon.store import Store

from ..shot import Shot
from .dying import dies, double
from .test_runner import meanwhile, once


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Farm:
    """A scheduler and two workers, as a studio would start them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.port = free_port()
        self.address = f"tcp://127.0.0.1:{self.port}"
        self.scheduler: subprocess.Popen[bytes] | None = None
        self.workers: list[subprocess.Popen[bytes]] = []

    def start(self) -> None:
        self.scheduler = self._run(
            "scheduler", "--host", "127.0.0.1", "--port", str(self.port), "--no-dashboard"
        )
        self.workers = [self.worker() for _ in range(2)]

    def worker(self) -> subprocess.Popen[bytes]:
        return self._run(
            "worker", self.address, "--host", "127.0.0.1", "--nthreads", "1", "--no-nanny", "--no-dashboard",
            "--local-directory", str(self.folder), "--death-timeout", "60",
        )  # fmt: skip

    def _run(self, *arguments: str) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            [sys.executable, "-m", "dask", *arguments], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )

    def kill(self, *processes: subprocess.Popen[bytes] | None) -> None:
        for process in processes:
            if process:
                process.send_signal(signal.SIGKILL)
                process.wait()

    def stop(self) -> None:
        self.kill(*self.workers, self.scheduler)


@pytest.fixture
def farm(tmp_path: Path) -> Iterator[Farm]:
    farm = Farm(tmp_path / "farm")
    farm.start()
    yield farm
    farm.stop()


@pytest.fixture
def runner(farm: Farm, store: Store, settings: Settings) -> Iterator[Runner]:
    runner = Runner(store, Settings(**{**settings.model_dump(), "scheduler": farm.address}))
    yield runner
    runner.stop()


def begun(shot: Shot, kind: str) -> int:
    return int(shot.client.post("/api/levels/1/jobs", json={"kind": kind}).json()["id"])


def state(shot: Shot, job: int) -> dict[str, Any]:
    return dict(shot.client.get(f"/api/jobs/{job}").json())


def test_jobs_run_on_a_farm_whose_worker_is_killed(
    shot: Shot, farm: Farm, runner: Runner, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = begun(shot, "clean")
    meanwhile(monkeypatch, once(lambda: farm.kill(farm.workers[0])), tasks.clean)
    runner.run_open()
    ended = state(shot, job)
    assert (ended["state"], ended["done"], ended["failed"]) == ("done", 3, 0)
    shot.edit(1, "pour", points=[[100, 100]], pot=1)
    job = begun(shot, "carry")
    runner.run_open()
    assert state(shot, job)["state"] == "done"
    assert [p["pot"] for p in shot.patches(3)["paint"].values()]


def test_a_lost_scheduler_is_waited_for_and_later_jobs_run(shot: Shot, farm: Farm, runner: Runner) -> None:
    first = begun(shot, "clean")
    runner.run_open()
    assert state(shot, first)["state"] == "done"
    farm.stop()
    job = begun(shot, "seal")
    shot.edit(
        2, "line", do={"do": "trace", "id": "aaaaaaaa", "path": [[9, 9, 0.5], [90, 60, 0.5]], "width": 4}
    )
    thread = threading.Thread(target=runner.run_open)
    thread.start()
    end = time.monotonic() + 60
    while "does not answer; the job waits" not in state(shot, job)["message"]:
        assert time.monotonic() < end
        time.sleep(0.2)
    farm.start()
    thread.join(90)
    ended = state(shot, job)
    assert (ended["state"], ended["done"], ended["message"]) == ("done", 3, "")


def test_a_call_that_ends_its_worker_is_refused_and_others_go_on() -> None:
    pool = Pool(1)
    try:
        with pytest.raises(Refusal, match="without an answer, several times"):
            pool.call(dies, 1)
        assert pool.call(double, 4) == 8
    finally:
        pool.close()


def test_a_drawing_that_ends_its_worker_fails_alone(shot: Shot, monkeypatch: pytest.MonkeyPatch) -> None:
    job = begun(shot, "clean")
    from schoon.jobs.kinds import KINDS

    plan = KINDS["clean"].plan  # type: ignore[attr-defined]

    def planned(work: Any, cursor: Any, row: Any, drawing: Any) -> Any:
        call = plan(work, cursor, row, drawing)
        return (dies, 1) if row["number"] == "2" else call

    monkeypatch.setattr(KINDS["clean"], "plan", planned)
    shot.client.app.state.runner.run_open()  # type: ignore[attr-defined]
    ended = state(shot, job)
    assert (ended["state"], ended["done"], ended["failed"]) == ("done", 2, 1)
    assert "drawing 2: its worker ended without an answer" in ended["message"]
    monkeypatch.undo()
    again = shot.job("clean", drawings=[shot.ids[1]])
    assert (again["state"], again["failed"]) == ("done", 0)


def test_a_long_export_keeps_no_clean_waiting(
    shot: Shot, store: Store, settings: Settings, pool: Pool
) -> None:
    from schoon.jobs.kinds import LANES

    lanes = [kind for kinds in LANES.values() for kind in kinds]
    assert sorted(lanes) == sorted(set(lanes))
    shot.job("clean")
    runner = Runner(store, settings, pool)
    held = threading.Event()
    from schoon.jobs.kinds.export import Export

    real = Export.run
    try:
        Export.run = lambda self, work: (held.wait(60) and "") or ""  # type: ignore[method-assign]
        export = shot.client.post(
            "/api/levels/1/export", json={"what": "drawings", "width": 64, "cleared": True}
        ).json()["id"]
        runner.start()
        job = begun(shot, "seal")
        runner.wake()
        end = time.monotonic() + 60
        while state(shot, job)["state"] != "done":
            assert time.monotonic() < end
            time.sleep(0.05)
        assert state(shot, export)["state"] == "running"
    finally:
        held.set()
        runner.stop()
        Export.run = real  # type: ignore[method-assign]
