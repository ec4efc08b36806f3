"""One job being done: its lease, its calls to workers, and how what comes back is saved."""

from __future__ import annotations

import contextlib
import threading
import time
from collections import deque
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, wait
from dataclasses import dataclass
from typing import Any, TypeVar

from ..errors import Refusal
from ..store import Cursor, DrawingRow, JobRow, ShotRow, Store, jobs, productions, revisions
from ..work import edits, readings
from ..work.derived import Files
from ..work.meanwhile import laid_round
from .pool import TRIES, Pool, PoolAway, of_job

K = TypeVar("K", bound=Hashable)

Call = tuple[Any, ...]
"""(function, arguments …) for a worker."""

READS = ("export", "proof")
"""Kinds that change no drawing."""

_RENEW = 5.0
"""Seconds between two renewals of a job's lease."""

_LOOK = 0.3
"""Seconds between two looks whether a job was cancelled."""

_CHANGED_TRIES = 3
"""How often a drawing is computed again because a hand changed it meanwhile."""


class Stopped(Exception):
    """The program is being stopped; the job goes on at the next start."""


@dataclass(frozen=True)
class Failed:
    """A call that was refused. words: why."""

    words: str


class Work:
    """A job in hand. Every change it saves is saved while it is surely still ours."""

    def __init__(
        self, store: Store, files: Files, pool: Pool, job: JobRow, owner: str, stop: threading.Event
    ) -> None:
        self.store = store
        self.files = files
        self.pool = pool
        self.job = job
        self.settings: dict[str, Any] = job["settings"]
        self.level = int(job["level_id"])
        self._owner = owner
        self._stop = stop
        self._renewed = self._looked = time.monotonic()
        self._waits = False
        self.lessons = readings.Lessons()

    # ---- being sure that the job is still ours

    def check(self) -> None:
        """Renews the lease now and then. Raises jobs.Lost if the job was cancelled or taken over, Stopped."""
        if self._stop.is_set():
            raise Stopped
        now = time.monotonic()
        if now - self._looked < _LOOK:
            return
        self._looked = now
        with self.store.transaction() as cursor:
            if now - self._renewed > _RENEW:
                self._renewed = now
                jobs.renew(cursor, self.job["id"], self._owner)
            else:
                jobs.hold(cursor, self.job["id"], self._owner)

    @contextlib.contextmanager
    def saving(self) -> Iterator[Cursor]:
        """A transaction in which the job is ours and its level is open. Raises jobs.Lost, Refusal, Stopped."""
        if self._stop.is_set():
            raise Stopped
        with self.store.transaction() as cursor:
            self.job["action_id"] = jobs.hold(cursor, self.job["id"], self._owner)
            if self.job["kind"] not in READS:
                edits.refuse_locked(productions.shot_of_level(cursor, self.level))
            yield cursor

    def action(self, cursor: Cursor, label: str) -> int:
        """The action under which all of the job's results are saved, so that they are undone as one."""
        action = self.job["action_id"]
        if action is None:
            action = revisions.begin_action(cursor, label, self.job["actor"])
            jobs.set_action(cursor, self.job["id"], action)
            self.job["action_id"] = action
        return action

    def done(self, cursor: Cursor, drawing_id: int) -> None:
        """Ticks off a drawing."""
        jobs.end_item(cursor, self.job["id"], drawing_id, "done")

    def failed(self, cursor: Cursor, drawing_id: int, words: str) -> None:
        """Names a drawing that was left alone, and why."""
        jobs.end_item(cursor, self.job["id"], drawing_id, "failed", words)

    def outcome(self) -> str:
        """What could not be done, in words; "" if all was."""
        with self.store.transaction() as cursor:
            failures = jobs.failures(cursor, self.job["id"])
        if not failures:
            return ""
        first = failures[0]
        return f"{len(failures)} could not be done: drawing {first['number']}: {first['message']}"

    # ---- reading

    def waiting(self) -> list[int]:
        """Drawings that are not ticked off."""
        with self.store.transaction() as cursor:
            return jobs.waiting_items(cursor, self.job["id"])

    def heads(self, cursor: Cursor) -> dict[int, int | None]:
        """drawing -> its present revision, for all of the level."""
        return {int(row["id"]): row["head"] for row in productions.drawings(cursor, self.level)}

    def reads(self) -> None:
        """Has what the level's drawings teach at hand in `lessons`, for a job that reads roughs. Raises Refusal."""
        reading = self.settings.get("reading", {})
        self.lessons = readings.lessons(self.level, reading, self.files, self.store.transaction, self.call)

    # ---- computing

    def spread(self, calls: Iterable[tuple[K, Call]]) -> Iterator[tuple[K, Any]]:
        """What workers return for each call, as it comes; Failed for one that is refused or that ends its worker.

        Calls are drawn from the iterable when a worker is near to free, so they may read what they need then.
        Raises jobs.Lost, Stopped.
        """
        source = iter(calls)
        again: deque[tuple[K, Call, int]] = deque()
        running: dict[Future[Any], tuple[K, Call, int]] = {}
        drawn_out = False
        try:
            while True:
                self.check()
                # A call that was in hand when workers were lost may be what ended them: it goes alone.
                room = 1 if again or any(tries for _, _, tries in running.values()) else self.pool.workers + 1
                while len(running) < room and not (drawn_out and not again):
                    if again:
                        item = again.popleft()
                    else:
                        following = next(source, None)
                        if following is None:
                            drawn_out = True
                            break
                        item = (*following, 0)
                    future = self._submit(item[1])
                    running[future] = item
                    if item[2]:
                        break
                if not running and drawn_out:
                    return
                ended, _ = wait(running, timeout=0.5, return_when=FIRST_COMPLETED)
                for future in ended:
                    key, call, tries = running.pop(future)
                    try:
                        result: Any = future.result()
                    except Refusal as refusal:
                        result = Failed(str(refusal))
                    except Exception as error:
                        if not self.pool.broke(error):
                            raise
                        if tries + 1 < TRIES:
                            again.append((key, call, tries + 1))
                            continue
                        result = Failed(
                            "its worker ended without an answer, several times; is there enough memory?"
                        )
                    yield key, result
        finally:
            for future in running:
                future.cancel()

    def call(self, function: Callable[..., Any], *arguments: Any) -> Any:
        """What one call returns. Raises Refusal, jobs.Lost, Stopped."""
        for _, result in self.spread([(0, (function, *arguments))]):
            if isinstance(result, Failed):
                raise Refusal(result.words[:1].upper() + result.words[1:])
            return result
        raise AssertionError("unreachable")

    def _submit(self, call: Call) -> Future[Any]:
        while True:
            try:
                future = self.pool.submit(of_job, self.job["id"], *call)
            except PoolAway as away:
                self._say(str(away))
                if self._stop.wait(1):
                    raise Stopped from away
                self.check()
                continue
            self._say("")
            return future

    def _say(self, words: str) -> None:
        """What the job waits for, on the page; said once."""
        if bool(words) == self._waits:
            return
        self._waits = bool(words)
        with self.store.transaction() as cursor:
            jobs.say(cursor, self.job["id"], words)


def many(count: int) -> str:
    """A number of drawings in words."""
    return f"{count} drawing{'s' * (count != 1)}"


class DrawingKind:
    """A kind of job that computes each drawing for itself.

    What a hand does to a drawing meanwhile is never overwritten: if a document the result derives from was changed, it is computed
    again from what is there now, and where it is changed all the while the last result is laid round that.
    """

    reads: tuple[revisions.Part, ...] = ("line", "seal")
    """The documents a result derives from."""

    def begin(self, work: Work) -> None:
        """Whatever is to be at hand before drawings are planned."""

    def label(self, work: Work) -> str:
        """What it does in words, for the history."""
        raise NotImplementedError

    def plan(self, work: Work, cursor: Cursor, row: DrawingRow, shot: ShotRow) -> Call:
        """The call for a drawing as it is now."""
        raise NotImplementedError

    def documents(self, result: Any, cursor: Cursor, row: DrawingRow) -> dict[revisions.Part, Any]:
        """The documents to save by the result of a drawing's call: part -> content."""
        raise NotImplementedError

    def kept(self, work: Work, row: DrawingRow, result: Any) -> None:
        """Whatever of a result is worth keeping as derived data."""

    def run(self, work: Work) -> str:
        """Does the job; returns what is to be said at its end."""
        self.begin(work)
        waiting = deque((drawing_id, 0) for drawing_id in work.waiting())
        planned: dict[int, tuple[DrawingRow, int]] = {}

        def calls() -> Iterator[tuple[int, Call]]:
            while waiting:
                drawing_id, tries = waiting.popleft()
                with work.store.transaction() as cursor:
                    row = revisions.drawing(cursor, drawing_id)
                    shot = productions.shot_of_level(cursor, work.level)
                    call = self.plan(work, cursor, row, shot)
                planned[drawing_id] = (row, tries)
                yield drawing_id, call

        # A drawing that has to be computed again comes after the others have begun.
        while waiting:
            for drawing_id, result in work.spread(calls()):
                row, tries = planned.pop(drawing_id)
                if isinstance(result, Failed):
                    with work.saving() as cursor:
                        work.failed(cursor, drawing_id, result.words)
                    continue
                self.kept(work, row, result)
                if not self._saved(work, row, result, tries + 1 == _CHANGED_TRIES):
                    waiting.append((drawing_id, tries + 1))
        return work.outcome()

    def _saved(self, work: Work, planned: DrawingRow, result: Any, last: bool) -> bool:
        with work.saving() as cursor:
            row = revisions.lock_drawings(cursor, [planned["id"]]).get(int(planned["id"]))
            if row is None:
                return True
            if any(row[part] != planned[part] for part in self.reads) and not last:
                return False
            made = round_hand(cursor, planned, row, self.documents(result, cursor, row))
            changed: dict[revisions.Part, str] = {
                part: revisions.put_document(cursor, content) for part, content in made.items()
            }
            if any(row[part] != name for part, name in changed.items()):
                action = work.action(cursor, self.label(work))
                revisions.revise(cursor, revisions.of(row), action, **changed)
                edits.follow(cursor, action, [row])
            work.done(cursor, int(row["id"]))
        return True


def round_hand(
    cursor: Cursor, planned: DrawingRow, row: DrawingRow, made: dict[revisions.Part, Any]
) -> dict[revisions.Part, Any]:
    """What was made of a drawing as it was planned, part -> document, laid round what a hand did to it since."""
    moved = [part for part in made if row[part] != planned[part]]
    if not moved:
        return made
    found = revisions.get_documents(cursor, [one[part] for one in (planned, row) for part in moved])
    return made | {
        part: laid_round(found.get(planned[part]), made[part], found.get(row[part])) for part in moved
    }


def named(numbers: Sequence[str]) -> str:
    """A few drawing numbers in words."""
    return ", ".join(numbers[:6]) + (" …" if len(numbers) > 6 else "")
