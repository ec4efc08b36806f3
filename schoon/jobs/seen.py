"""What pages show of drawings, made by workers when it is first asked for, or ahead of that, and kept by content."""

from __future__ import annotations

import logging
import queue
import threading
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Literal

from ..core.strokes import Stroke
from ..errors import Away, Full, NotFound, Refusal
from ..store import DrawingRow, ShotRow, Store, productions, revisions
from ..work.derived import Files, key_of, sheet_key
from ..work.documents import sheet_of
from ..work.edits import strokes_named
from ..work.placing import paper_of
from ..work.renders import Wanted, drawn_of, keep_patches, wanted_of
from ..work.roughs import rough_body, rough_name
from ..work.shapes import shapes_of
from ..work.summaries import summaries
from . import views
from .pool import Pool, PoolAway

log = logging.getLogger(__name__)

Sight = Literal["rough", "line", "paint", "best"]
"""What is seen of a drawing; best: the farthest it has come."""

RUN, WING, PLAY = 240, 380, 960
"""Widths in px at which pages show drawings: in the run, in a wing, playing."""


@dataclass(frozen=True)
class Seen:
    """Pictures and shapes of drawings. pool: workers for what is not there yet."""

    store: Store
    files: Files
    pool: Pool

    def view(
        self,
        drawing_id: int,
        width: int,
        look: Sight,
        key_id: int | None = None,
        clear: bool = False,
        revision: int | None = None,
        exact: bool = False,
        without: str = "",
    ) -> bytes:
        """WebP of a drawing, at most `width` px wide, as it is or was at a revision (0: before its first).

        clear: on nothing instead of white; never the rough. without: a pass of the rough that is left out. Raises NotFound.
        """
        with self.store.transaction() as cursor:
            row = revisions.drawing(cursor, drawing_id)
            if revision is not None:
                was = revisions.parts_at(cursor, revisions.of(row), revision)
                for part in (*revisions.SHOWN, "sketch"):
                    row[part] = was.get(part)
            shot = productions.shot_of_level(cursor, row["level_id"])
            if look == "best":
                look = "paint" if row["paint"] else "line" if row["line"] else "rough"
            elif look != "rough" and not row["line"]:
                look = "rough"
            wanted = wanted_of(cursor, row, shot, key_id, look == "paint")
        if look == "rough" and not clear:
            return self._rough(row, paper_of(shot), width, without)
        return self.frame([wanted], paper_of(shot), width, clear, exact)

    def _rough(self, row: DrawingRow, size: tuple[int, int], width: int, without: str) -> bytes:
        name = rough_name(row, False, without)
        if not name:
            return self.frame([], size, width)

        def made() -> bytes:
            with self.store.transaction() as cursor:
                body = rough_body(cursor, row, size, False, without)
            return bytes(self.pool.call(views.rough, body, width))

        return self.files.get(key_of("rough", name, width), ".webp", made)

    def frame(
        self,
        drawings: Sequence[Wanted],
        size: tuple[int, int],
        width: int,
        clear: bool = False,
        exact: bool = False,
    ) -> bytes:
        """WebP of drawings from rear to front, at most `width` px wide, on white or on nothing; exact: without loss."""

        def made() -> bytes:
            with self.store.transaction() as cursor:
                drawn = [drawn_of(cursor, self.files, wanted) for wanted in drawings]
            body, packed = self.pool.call(views.frame, [d for d, _ in drawn], size, width, clear, exact)
            keep_patches(self.files, [key for _, key in drawn], packed)
            return bytes(body)

        derived = [wanted.key for wanted in drawings]
        return self.files.get(key_of("frame", derived, size, width, clear, exact), ".webp", made)

    def strokes(self, row: DrawingRow, strokes: Sequence[Stroke]) -> bytes:
        """JSON of the strokes of a drawing's line as `work.shapes.shape_of` gives them."""

        def drawn(many: Sequence[Stroke]) -> list[str]:
            # All workers at once: whoever opens a drawing waits for it.
            size = -(-len(many) // max(1, self.pool.workers))
            parts = [many[k : k + size] for k in range(0, len(many), size)]
            with ThreadPoolExecutor(len(parts)) as calls:
                return [
                    path
                    for found in calls.map(partial(self.pool.call, views.strokes), parts)
                    for path in found
                ]

        return self.files.get(key_of("strokes", row["line"]), ".json", lambda: shapes_of(strokes, drawn))

    def shapes(self, row: DrawingRow, shot: ShotRow) -> bytes:
        """JSON of the patches of a drawing with a line: `background`, and of each `n`, `d`, `at`, `area`.

        row: as `store.revisions.drawing`. shot: seen with its level.
        """
        size = paper_of(shot)
        with self.store.transaction() as cursor:
            found = revisions.get_documents(cursor, [row["seal"]])
        seal = found.get(row["seal"])
        key = sheet_key(row["line"], sheet_of(size, None, seal, None))

        def made() -> bytes:
            packed = self.files.read(key, ".patches")
            line = None
            if packed is None:
                with self.store.transaction() as cursor:
                    line = revisions.get_documents(cursor, [row["line"]]).get(row["line"])
            body, packed = self.pool.call(views.shapes, line, seal, size, packed)
            keep_patches(self.files, [key], [packed])
            return bytes(body)

        return self.files.get(key_of("shapes", key), ".json", made)

    def open_forms(self, row: DrawingRow, shot: ShotRow) -> bytes:
        """JSON of the forms of a drawing that are open to the outside; see `views.open_forms`."""
        size = paper_of(shot)
        with self.store.transaction() as cursor:
            near = beside(productions.drawings(cursor, row["level_id"]), row["id"])
            found = revisions.get_documents(
                cursor, [row["line"], *(one[p] for one in (row, *near) for p in ("seal", "paint"))]
            )
            boxes = {d: own.box for d, own in summaries(cursor, near).items()}

        def key(one: DrawingRow) -> str:
            return sheet_key(one["line"], sheet_of(size, None, found.get(one["seal"]), None))

        def patches(one: DrawingRow) -> bytes | None:
            self.shapes(one, shot)
            return self.files.read(key(one), ".patches")

        def made() -> bytes:
            others = [
                (packed, found.get(one["paint"]), boxes[one["id"]])
                for one in near
                if boxes[one["id"]] and (packed := patches(one))
            ]
            mine = patches(row)
            line, seal = found.get(row["line"]), found.get(row["seal"])
            return bytes(self.pool.call(views.open_forms, line, seal, size, mine, others))

        return self.files.get(open_forms_key(row, near), ".json", made)


_NEAR = 2
"""Drawings on each side that say what is outside."""


def beside(rows: Sequence[DrawingRow], drawing_id: int) -> list[DrawingRow]:
    """The nearest drawings of a run that have lines, before and after one of it."""
    ids = [row["id"] for row in rows]
    k = ids.index(drawing_id)
    before = [row for row in rows[:k][::-1] if row["line"]][:_NEAR]
    return before + [row for row in rows[k + 1 :] if row["line"]][:_NEAR]


def open_forms_key(row: DrawingRow, near: Sequence[DrawingRow]) -> str:
    """What the open forms of a drawing are kept by."""
    others = [(one["line"], one["seal"], one["paint"]) for one in near]
    return key_of("open forms", row["line"], row["seal"], others)


class Ahead:
    """Makes what pages will ask for, one thing at a time, so that whoever waits for something is served first.

    on: whether it does so at all.
    """

    def __init__(self, seen: Seen, on: bool = True) -> None:
        self._seen = seen
        self._on = on
        self._waiting: queue.SimpleQueue[int | None] = queue.SimpleQueue()
        # Level -> how its drawings stood when all of it was made.
        self._made: dict[int, list[list[str | None]]] = {}
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._work, name="ahead", daemon=True)

    def start(self) -> None:
        """Begins to work in the background."""
        self._thread.start()

    def stop(self) -> None:
        """Ends after the thing in hand."""
        self._stop.set()
        self._waiting.put(None)
        if self._thread.is_alive():
            self._thread.join(20)

    def level(self, level_id: int) -> None:
        """The drawings of a level have changed, or somebody opens it."""
        if self._on:
            self._waiting.put(level_id)

    def _work(self) -> None:
        while (level := self._waiting.get()) is not None and not self._stop.is_set():
            try:
                self._make(level)
            except (Away, Full, PoolAway, Refusal) as error:
                log.info("nothing is made ahead for now: %s", error)
            except Exception:
                log.exception("level %s could not be made ahead", level)

    def _make(self, level_id: int) -> None:
        seen = self._seen
        with seen.store.transaction() as cursor:
            shot = productions.shot_of_level(cursor, level_id)
            rows = productions.drawings(cursor, level_id)
        stand = [[row["rough"], *(row[part] for part in revisions.PARTS)] for row in rows]
        if self._made.get(level_id) == stand:
            return
        for width in (RUN, PLAY, WING):
            for row in rows:
                # What comes in meanwhile may make this needless.
                if self._stop.is_set() or not self._waiting.empty():
                    return
                try:
                    seen.view(row["id"], width, "best", clear=width == PLAY and bool(row["line"]))
                    if width == RUN and row["line"]:
                        with seen.store.transaction() as cursor:
                            strokes = strokes_named(cursor, row["line"])
                        seen.strokes(row, strokes)
                        seen.shapes(row, shot)
                        seen.open_forms(row, shot)
                except NotFound:
                    continue
        self._made[level_id] = stand
