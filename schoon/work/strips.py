"""A shot in a few frames, as the shelf shows it."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from ..core.exposure import frame_by_frame
from ..store import Cursor, DrawingRow, productions
from ..store.states import Stack, Time
from .roughs import rough_name

_SEEN = ("drawings", "backdrop")
"""Kinds of levels that go into a picture."""


@dataclass(frozen=True, slots=True)
class Shown:
    """A frame of a strip. frame: counted from 1. drawings: ids from rear to front of what is composed; without them what is seen
    is the drawing `alone`, as it was taken in or on an empty sheet. number: as it is written there. tag: changes with what is
    seen, as far as drawings and levels go."""

    frame: int
    drawings: tuple[int, ...]
    alone: int
    number: str
    tag: str


def strip(cursor: Cursor, shot_id: int, time: Time, stack: Stack, count: int) -> list[Shown]:
    """At most `count` frames of a shot, evenly over its length; frames in which nothing stands, or what stood in the one before, are
    left out."""
    frames = time.frames
    asked = sorted({1 + int((k + 0.5) * frames / count) for k in range(count)} & set(range(1, frames + 1)))
    visible = [id for id in stack.order if stack.levels[id].visible]
    seen = [id for id in visible if stack.levels[id].kind in _SEEN]
    rows = {row["id"]: row for id in visible for row in productions.drawings(cursor, id)}
    plays = {id: frame_by_frame(time.levels.get(id, {}), frames) for id in visible}
    worked = [id for id in seen if stack.levels[id].kind == "drawings"]
    found: list[Shown] = []
    for frame in asked:
        there = {id: rows[at] for id in visible if (at := plays[id][frame - 1]) in rows}
        stand = {id: row for id, row in there.items() if id in seen}
        if not there:
            continue
        own = [stand[id] for id in worked if id in stand]
        # While none of them has a line, the drawing that is worked on says more by itself.
        lined = any(row["line"] for row in own) or (bool(stand) and not own)
        # On an empty sheet what is traced says more.
        drawn = [row for row in (*own[::-1], *reversed(there.values())) if rough_name(row)]
        lead: DrawingRow = next(iter(drawn or own or there.values()))
        shown = tuple(row["id"] for row in stand.values()) if lined else ()
        what = repr([(row["id"], row["head"], row["rough"]) for row in there.values()])
        placed = repr([stack.levels[id].model_dump(exclude={"waved", "lights", "entries"}) for id in stand])
        tag = hashlib.sha256(f"{what} {placed} {stack.framing}".encode()).hexdigest()[:12]
        moves = bool(stack.framing) or any(stack.levels[id].place.notches for id in stand)
        # A hold is seen once, unless it moves.
        if moves or not found or tag != found[-1].tag:
            found.append(Shown(frame, shown, lead["id"], lead["number"], tag))
    return found
