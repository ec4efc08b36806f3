"""What a hand has finished is left by acts on many drawings, unless a person takes it in."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Literal

from ..core.strokes import Stroke
from ..errors import Refusal
from ..store import Cursor, productions
from . import edits
from .operations.base import many
from .summaries import Summary, summaries

Act = Literal["clean", "fit", "weigh", "between", "trace-back", "again", "smear"]
"""What can be done to the lines of many drawings."""

_OF_PART: tuple[Act, ...] = ("trace-back", "again", "smear")
"""Acts that replace the lines of a part and nothing else that a hand has drawn."""


@dataclass(frozen=True)
class About:
    """What an act replaces. part: lines of this part."""

    act: Act
    part: str = ""


@dataclass(frozen=True)
class Apart:
    """Drawings that an act changes, and those it leaves: drawing -> why, in words. empty: of those it changes, without lines."""

    changes: list[int]
    leaves: dict[int, str]
    empty: list[int]


def apart(
    cursor: Cursor, level_id: int, about: About, drawing_ids: Sequence[int], also: Collection[int] = ()
) -> Apart:
    """Which drawings an act changes. also: those that a person takes in although a hand has worked on them."""
    rows = {row["id"]: row for row in productions.drawings(cursor, level_id)}
    wanted = [rows[d] for d in dict.fromkeys(drawing_ids) if d in rows]
    counts = summaries(cursor, wanted)
    leaves: dict[int, str] = {}
    for row in wanted:
        if row["id"] in also:
            continue
        if about.act in _OF_PART:
            why = _of_part(edits.strokes_named(cursor, row["line"]), about)
        else:
            why = _whole(counts[row["id"]], about.act)
        if why:
            leaves[row["id"]] = why
    changes = [row["id"] for row in wanted if row["id"] not in leaves]
    return Apart(changes, leaves, [d for d in changes if not counts[d].strokes])


def allowed(
    cursor: Cursor, level_id: int, about: About, drawing_ids: Sequence[int], also: Collection[int] = ()
) -> list[int]:
    """The drawings that an act changes. Raises Refusal if a hand has worked on all of them."""
    found = apart(cursor, level_id, about, drawing_ids, also)
    if not found.changes and found.leaves:
        numbers = {row["id"]: row["number"] for row in productions.drawings(cursor, level_id)}
        first = next(iter(found.leaves))
        raise Refusal(
            f"A hand has worked on all of these drawings ({numbers[first]}: {found.leaves[first]});"
            " say which of them shall change all the same"
        )
    return found.changes


def _whole(own: Summary, act: Act) -> str:
    """What of a drawing would be worked over that is finished, in words; "" if nothing."""
    says = []
    if own.touched:
        says.append(f"{many(own.touched, 'line')} by hand")
    cleaned = own.strokes - own.touched - own.between
    if act == "between" and cleaned > 0:
        says.append(many(cleaned, "cleaned line"))
    # Other lines would have to be painted anew.
    if act != "weigh" and own.hand:
        says.append(f"{many(own.hand, 'place')} painted by hand")
    if act != "weigh" and own.toned_by_hand:
        says.append(f"{many(own.toned_by_hand, 'tone')} by hand")
    return ", ".join(says)


def _of_part(strokes: Sequence[Stroke], about: About) -> str:
    """Lines that were drawn in this drawing; those that go by a track came from another one and may come again."""
    mine = [s for s in strokes if s.by == "hand" and not s.track and about.part and s.part == about.part]
    return f"{many(len(mine), 'line')} by hand of {about.part}" if mine else ""
