"""The drawings of a run with their patches, for work that looks at several of them together."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from functools import partial
from typing import Any

from ..errors import Refusal
from ..store import DrawingRow, productions, revisions
from ..work.derived import sheet_key
from ..work.documents import sheet_of
from ..work.meanwhile import laid_round
from ..work.placing import paper_of
from . import tasks
from .work import Call, Failed, Work

_TRIES = 3
"""How often paint is laid again because a hand painted meanwhile."""


@dataclass(frozen=True)
class Lined:
    """Drawings that have a line, in order. packed: their patches in few bytes. known: what stays in each.

    Nothing of it is as large as a picture: what is, lives in the workers.
    """

    rows: list[DrawingRow]
    packed: list[bytes]
    known: list[tasks.Known]


def lined(work: Work, keep: Collection[int]) -> Lined:
    """The drawings of the job's level that have a line. keep: pots whose paint stays.

    Raises Refusal if patches cannot be found in one.
    """
    rows, packed = patched(work)
    with work.store.transaction() as cursor:
        found = revisions.get_documents(cursor, [row["paint"] for row in rows])
    looking = (
        (k, (tasks.known, packed[k], _spots(found.get(row["paint"])), set(keep)))
        for k, row in enumerate(rows)
    )
    known = dict(_each(work, rows, looking))
    return Lined(rows, packed, [known[k] for k in range(len(rows))])


def patched(work: Work) -> tuple[list[DrawingRow], list[bytes]]:
    """The drawings of the job's level that have a line, and their patches in few bytes.

    Raises Refusal if patches cannot be found in one.
    """
    with work.store.transaction() as cursor:
        size = paper_of(productions.shot_of_level(cursor, work.level))
        rows = [row for row in productions.drawings(cursor, work.level) if row["line"]]
        found = revisions.get_documents(cursor, [row["seal"] for row in rows])
    # Lines are large, and only needed where patches are not known yet.
    sheets = [sheet_of(size, None, found.get(row["seal"]), None) for row in rows]
    keys = [sheet_key(row["line"], sheet) for row, sheet in zip(rows, sheets, strict=True)]
    packed: dict[int, bytes] = {}

    def finding() -> Iterator[tuple[int, Call]]:
        for k, row in enumerate(rows):
            body = work.files.read(keys[k], ".patches")
            if body is None:
                with work.store.transaction() as cursor:
                    line = revisions.get_documents(cursor, [row["line"]])[row["line"]]
                yield k, (tasks.find, line, found.get(row["seal"]), size)
            else:
                packed[k] = body

    for k, body in _each(work, rows, finding()):
        packed[k] = work.files.get(keys[k], ".patches", partial(bytes, body))
    return rows, [packed[k] for k in range(len(rows))]


def _each(work: Work, rows: list[DrawingRow], calls: Iterator[tuple[int, Call]]) -> Iterator[tuple[int, Any]]:
    for k, result in work.spread(calls):
        if isinstance(result, Failed):
            raise Refusal(f"The patches of drawing {rows[k]['number']} could not be found: {result.words}")
        yield k, result


def _spots(paint: Any) -> list[Any]:
    return paint["patches"] if paint else []


@dataclass(frozen=True)
class Saved:
    """drawings: how many have a new paint document. unsure: their unsure patches. stay: drawings in which other paint
    stays."""

    drawings: int
    unsure: int
    stay: int


def save_paint(work: Work, run: Lined, calls: dict[int, Any], label: str) -> Saved:
    """Saves new paint in many drawings as one action, each laid over the paint that is there now.

    calls: index -> function of the present spots that gives the call for a worker; it returns the paint document and
    its unsure patches, or None where the paint stays. What a hand painted meanwhile is laid under anew.
    """
    waiting = set(calls)
    drawings = unsure = stay = 0
    names: dict[int, Any] = {k: run.rows[k]["paint"] for k in waiting}
    tries = 0
    while waiting:
        tries += 1
        with work.store.transaction() as cursor:
            found = revisions.get_documents(cursor, names.values())
        made = dict(
            _each(work, run.rows, ((k, calls[k](_spots(found.get(names[k])))) for k in sorted(waiting)))
        )
        with work.saving() as cursor:
            now = revisions.lock_drawings(cursor, [run.rows[k]["id"] for k in waiting])
            # Paint is kept by places: where a line was changed meanwhile it lies in what is round them now.
            then = revisions.get_documents(cursor, [row["paint"] for row in now.values()])
            for k in sorted(waiting):
                row = now.get(run.rows[k]["id"])
                if row is None:
                    waiting.discard(k)
                    continue
                if row["paint"] != names[k] and tries < _TRIES:
                    names[k] = row["paint"]
                    continue
                waiting.discard(k)
                if made[k] is None:
                    stay += 1
                    continue
                document, doubtful = made[k]
                document = laid_round(found.get(names[k]), document, then.get(row["paint"]))
                name = revisions.put_document(cursor, document)
                unsure += doubtful
                drawings += 1
                if name != row["paint"]:
                    revisions.revise(cursor, revisions.of(row), work.action(cursor, label), paint=name)
            for k in set(calls) - waiting:
                work.done(cursor, int(run.rows[k]["id"]))
    return Saved(drawings, unsure, stay)
