"""What the frames of a shot show: the drawings of its levels, from rear to front, each in its place."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..core import exposure
from ..store import Cursor, ShotRow, productions, revisions
from .derived import Files
from .frames import Drawn
from .placing import Numbers, Placed
from .renders import Wanted, drawn_of, in_stack

HANDED_OFF = ("drawings", "backdrop")
"""Kinds of levels that are part of the result; the others are only worked by."""


@dataclass(frozen=True)
class Slot:
    """A drawing of a level in a frame. place: from its paper to the frame."""

    level: int
    drawing: int
    place: Numbers


def frames_of(cursor: Cursor, shot: ShotRow) -> list[tuple[Slot, ...]]:
    """What every frame of the result shows, from rear to front."""
    placed = Placed((int(shot["width"]), int(shot["height"])), productions.stack_of(cursor, shot["id"]))
    levels = [
        level["id"]
        for level in productions.levels(cursor, shot["id"])
        if level["kind"] in HANDED_OFF and placed.stack.levels[level["id"]].visible
    ]
    shown = [
        exposure.frame_by_frame(productions.exposures(cursor, level), shot["frames"]) for level in levels
    ]
    return [
        tuple(
            Slot(level, drawing, placed.seen(level, frame))
            for level, column in zip(levels, shown, strict=True)
            if (drawing := column[frame - 1]) is not None
        )
        for frame in range(1, shot["frames"] + 1)
    ]


def drawn_in(cursor: Cursor, files: Files, slot: Slot, key_id: int | None = None) -> tuple[Drawn, str]:
    """As `renders.drawn_of`, in its place, in the colour key it has there or in another. Raises NotFound."""
    return drawn_of(cursor, files, wanted_in(cursor, slot, key_id))


def wanted_in(cursor: Cursor, slot: Slot, key_id: int | None = None) -> Wanted:
    """What is to be seen of a slot, in the colour key it has there or in another. Raises NotFound."""
    row = revisions.drawing(cursor, slot.drawing)
    shot = productions.shot_of_level(cursor, slot.level)
    return replace(in_stack(cursor, row, shot, key_id=key_id), place=slot.place)
