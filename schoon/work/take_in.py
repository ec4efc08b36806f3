"""Pictures that were looked at become the drawings of a level."""

from __future__ import annotations

from pathlib import Path

from ..core import exposure
from ..errors import Refusal
from ..formats.sequences import Incoming, Report
from ..store import Cursor, ShotRow, pictures, productions

HOLDS = ("1", "2", "3", "4", "repeats")
"""Frames a drawing is held, or as long as the same picture comes again."""


def refuse_unfit(shot: ShotRow, production_id: int, report: Report, hold: str) -> None:
    """Raises Refusal unless a report's pictures can be a level of a shot: its size is given, and so is its length."""
    if shot["production_id"] != production_id:
        raise Refusal("This shot belongs to another production")
    size = (report.pictures[0].width, report.pictures[0].height)
    if size != (shot["width"], shot["height"]):
        raise Refusal(
            f"The pictures are {size[0]} × {size[1]} px and the shot {shot['name']} is {shot['width']} × {shot['height']}; "
            "scale them to the size of the shot"
        )
    frames = _exposed(report, hold)[2]
    if frames > shot["frames"]:
        raise Refusal(
            f"The drawings fill {frames} frames and the shot {shot['name']} has {shot['frames']}; choose a shorter hold "
            "or fewer drawings"
        )


def _exposed(report: Report, hold: str) -> tuple[list[Incoming], dict[int, int], int]:
    """The pictures kept, frame -> number of the drawing that starts there, and the frames they fill."""
    found = report.pictures
    if hold == "repeats":
        firsts = exposure.from_repeats([p.content for p in found])
        return [found[k] for k in firsts], {k + 1: found[k].number for k in firsts}, len(found)
    starts, frames = exposure.on_holds([p.number for p in found], int(hold))
    return list(found), dict(starts), frames


def fill(
    cursor: Cursor, shot_id: int, level_id: int, report: Report, hold: str, new_shot: bool = True
) -> None:
    """Stores a report's pictures as the drawings of a level. hold: one of HOLDS."""
    kept, starts, frames = _exposed(report, hold)
    rows = []
    for number, picture in enumerate(kept):
        kind = "key" if number in (0, len(kept) - 1) else "inbetween"
        body = Path(picture.path).read_bytes()
        name = pictures.put(cursor, body, picture.mime, picture.width, picture.height)
        rows.append((picture.number, kind, name))
    if new_shot:
        size = (kept[0].width, kept[0].height)
        productions.fill_shot(cursor, shot_id, level_id, size, rows, starts, frames)
    else:
        productions.fill_level(cursor, level_id, rows, starts)
