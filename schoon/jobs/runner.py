"""Takes jobs from the table and works them off, one lane beside the other."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Sequence

from ..errors import Away, Damaged, Full, Refusal
from ..settings import Settings
from ..store import Store, jobs
from ..work.derived import Files
from .kinds import KINDS, LANES
from .pool import Pool, give_back
from .work import READS, Stopped, Work

log = logging.getLogger(__name__)

_LOOK = 2.0
"""Seconds between two looks for jobs that nobody announced: those another process left behind."""


class Runner:
    """A thread for each lane of jobs. Unfinished jobs of an earlier run, or of a process that ended, are taken up.

    pool: workers that others use as well; by default its own.
    """

    def __init__(self, store: Store, settings: Settings, pool: Pool | None = None) -> None:
        self.store = store
        self._own_pool = pool is None
        self.pool = pool or Pool(settings.workers, settings.scheduler)
        self._files = Files(settings.cache / "derived")
        self._owner = jobs.new_owner()
        self._stop = threading.Event()
        self.ended: Callable[[int], None] = lambda level: None
        """Is told the level whose drawings a job has changed."""
        self._wakes = {lane: threading.Event() for lane in LANES}
        self._threads = [
            threading.Thread(target=self._loop, args=(lane,), name=f"jobs {lane}", daemon=True)
            for lane in LANES
        ]

    def start(self) -> None:
        """Begins to work in the background."""
        for thread in self._threads:
            thread.start()
        self.wake()

    def stop(self) -> None:
        """Ends in the middle of whatever is computed; it is taken up at the next start, or by another process."""
        self._stop.set()
        self.wake()
        for thread in self._threads:
            if thread.is_alive():
                thread.join(30)
        if self._own_pool:
            self.pool.close()
        try:
            with self.store.transaction() as cursor:
                jobs.release(cursor, self._owner)
        except (Away, Full):
            log.warning("the jobs in hand could not be given back; they are taken up when their lease ends")

    def wake(self) -> None:
        """Says that there is a new job."""
        for event in self._wakes.values():
            event.set()

    def run_open(self, kinds: Sequence[str] = tuple(KINDS)) -> None:
        """Works off all open jobs of some kinds in this thread."""
        while not self._stop.is_set():
            with self.store.transaction() as cursor:
                job_id = jobs.claim(cursor, self._owner, kinds)
            if job_id is None:
                return
            self._run(job_id)

    def _loop(self, lane: str) -> None:
        while not self._stop.is_set():
            self._wakes[lane].wait(_LOOK)
            self._wakes[lane].clear()
            try:
                self.run_open(LANES[lane])
            except (Away, Full) as error:
                # The job stays ours; the next round goes on with it.
                log.warning("jobs wait for the database: %s", error)
                self._stop.wait(1)
            except Exception:
                log.exception("the job runner could not go on")
                self._stop.wait(1)

    def _run(self, job_id: int) -> None:
        with self.store.transaction() as cursor:
            job = jobs.job(cursor, job_id)
        assert job is not None
        work = Work(self.store, self._files, self.pool, job, self._owner, self._stop)
        try:
            message, state = KINDS[job["kind"]].run(work), "done"
        except (jobs.Lost, Stopped):
            return
        except (Away, Full):
            raise
        except (Refusal, Damaged) as refusal:
            message, state = str(refusal), "failed"
        except Exception as error:
            if self._stop.is_set():
                return
            log.exception("job %s failed", job_id)
            message, state = f"It stopped on an error of the program: {error}", "failed"
        finally:
            give_back()
        with self.store.transaction() as cursor:
            try:
                jobs.hold(cursor, job_id, self._owner)
            except jobs.Lost:
                return
            jobs.end(cursor, job_id, state, message)
        if job["kind"] not in READS:
            self.ended(int(job["level_id"]))
