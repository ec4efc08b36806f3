"""The exposure sheet of a shot, to and from open files and paper."""

from __future__ import annotations

from ..core import exposure
from ..core.exposure import Again
from ..errors import Refusal
from ..formats.exposures import Entries, SheetFile, read
from ..store import Cursor, productions
from . import edits
from .operations.spans import WholeSheet


def sheet_of_shot(cursor: Cursor, shot_id: int) -> SheetFile:
    """The sheet as it is written, with numbers of drawings. Raises NotFound."""
    time = productions.time_of(cursor, shot_id)
    levels: dict[str, Entries] = {}
    for level in productions.levels(cursor, shot_id):
        starts = time.levels.get(level["id"], {})
        levels[level["name"]] = {
            first: what if isinstance(what, Again) or what is None else time.numbers[what]
            for first, _, what in exposure.entries(starts, time.frames)
        }
    return SheetFile(time.frames, time.fps, levels)


def shown_in(sheet: SheetFile) -> dict[str, list[str | None]]:
    """level -> number of the drawing of each frame."""
    return {name: exposure.frame_by_frame(entries, sheet.frames) for name, entries in sheet.levels.items()}


def read_sheet(cursor: Cursor, shot_id: int, name: str, body: bytes) -> list[str]:
    """Takes the levels a file names from it; the others stay. Returns their names.

    Raises Refusal naming the file if a level, a drawing or the length is another than the shot's; nothing is changed.
    """
    shot = productions.shot(cursor, shot_id)
    wanted = read(name, body, shot["fps"])
    if wanted.frames != shot["frames"]:
        raise Refusal(
            f"{name} has {wanted.frames} frames and the shot {shot['frames']}; a file never changes the length: set it"
            " below the sheet first, or change the file"
        )
    known = {level["name"].casefold(): level for level in productions.levels(cursor, shot_id)}
    sheets = {}
    for level_name, entries in wanted.levels.items():
        level = known.get(level_name.casefold())
        if level is None:
            raise Refusal(
                f"{name} names a level “{level_name}”, which this shot does not have; change its name in the file"
            )
        ids = {row["number"]: row["id"] for row in productions.drawings(cursor, level["id"])}
        missing = next((n for n in entries.values() if isinstance(n, str) and n not in ids), None)
        if missing is not None:
            raise Refusal(f"{name}: {level['name']} has no drawing {missing}; put it in or change the file")
        sheets[level["id"]] = {
            frame: ids[what] if isinstance(what, str) else what for frame, what in entries.items()
        }
    edits.change_time(cursor, shot_id, WholeSheet(do="whole-sheet", name=name[:60], sheets=sheets))
    return list(wanted.levels)
