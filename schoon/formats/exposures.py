"""Exposure sheets as open files: CSV with a row a frame and a column a level, and JSON.

A cell of the CSV holds the number of the drawing that is seen, nothing where there is none. The JSON keeps in addition
where each hold begins and what is repeated.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..core.exposure import Again, place_of
from ..errors import Refusal
from ..text import unsound_in

Entries = dict[int, "str | Again | None"]
"""frame -> number of the drawing that starts there, None for nothing, or Again."""

_MOST_BYTES = 20_000_000


@dataclass(frozen=True)
class SheetFile:
    """frames: length of the shot. levels: name -> its entries, from rear to front."""

    frames: int
    fps: float
    levels: dict[str, Entries]


def write_csv(frames: int, shown: Mapping[str, list[str | None]]) -> str:
    """shown: level -> number of the drawing of each frame."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["frame", *shown])
    for k in range(frames):
        writer.writerow([k + 1, *(column[k] or "" for column in shown.values())])
    return out.getvalue()


def write_json(sheet: SheetFile) -> str:
    """As `read` takes it."""
    levels = [
        {"name": name, "sheet": [{"frame": frame, **_written(what)} for frame, what in entries.items()]}
        for name, entries in sheet.levels.items()
    ]
    content = {"frames": sheet.frames, "fps": sheet.fps, "levels": levels}
    return json.dumps(content, indent=1, ensure_ascii=False) + "\n"


def _written(what: str | Again | None) -> dict[str, Any]:
    return {"repeat": what.first} if isinstance(what, Again) else {"drawing": what}


def read(name: str, body: bytes, fps: float) -> SheetFile:
    """A sheet from a CSV or JSON file. fps: where the file does not say it. Raises Refusal naming the file and the place."""
    if len(body) > _MOST_BYTES:
        raise Refusal(f"{name} is too large for an exposure sheet")
    try:
        text = body.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise Refusal(f"{name} is not text in UTF-8; save it as such") from error
    if wrong := unsound_in(text):
        raise Refusal(f"{name} holds {wrong}; write it again as plain text")
    return _of_json(name, text) if text.lstrip().startswith("{") else _of_csv(name, text, fps)


def _of_csv(name: str, text: str, fps: float) -> SheetFile:
    try:
        rows = [row for row in csv.reader(io.StringIO(text)) if any(cell.strip() for cell in row)]
    except csv.Error as error:
        raise Refusal(f"{name} cannot be read as CSV: {error}") from error
    if not rows or rows[0][0].strip().lower() != "frame" or len(rows[0]) < 2:
        raise Refusal(f"{name} needs a first row with “frame” and the names of levels")
    head = [cell.strip() for cell in rows[0][1:]]
    if len(set(head)) < len(head):
        raise Refusal(f"{name} names a level twice in its first row")
    levels: dict[str, Entries] = {level: {} for level in head}
    before: dict[str, str | None] = {}
    for k, row in enumerate(rows[1:], 1):
        if row[0].strip() != str(k):
            raise Refusal(f"{name}, row {k + 1}: frame {k} should stand here; a row a frame, none left out")
        if len(row) > len(head) + 1:
            raise Refusal(f"{name}, row {k + 1} has more cells than the first row names levels")
        for level, cell in zip(head, [*row[1:], *[""] * (len(head) + 1 - len(row))], strict=True):
            number = _number(f"{name}, row {k + 1}, {level}", cell.strip())
            if k == 1 or number != before[level]:
                levels[level][k] = number
            before[level] = number
    if len(rows) < 2:
        raise Refusal(f"{name} has no frames")
    return SheetFile(len(rows) - 1, fps, levels)


def _number(where: str, cell: str) -> str | None:
    if not cell:
        return None
    try:
        place_of(cell)
    except ValueError as error:
        raise Refusal(f"{where}: {error}") from error
    return cell


def _of_json(name: str, text: str) -> SheetFile:
    try:
        content = json.loads(text)
        frames, fps = int(content["frames"]), float(content["fps"])
        levels: dict[str, Entries] = {}
        for level in content["levels"]:
            entries: Entries = {}
            for entry in level["sheet"]:
                frame = int(entry["frame"])
                where = f"{name}, {level['name']}, frame {frame}"
                if "repeat" in entry:
                    first = int(entry["repeat"])
                    if not 1 <= first < frame:
                        raise Refusal(f"{where}: a repeat begins at a frame before it")
                    entries[frame] = Again(first)
                else:
                    entries[frame] = _number(where, str(entry["drawing"] or ""))
                if frame < 1:
                    raise Refusal(f"{where}: frames count from 1")
            levels[str(level["name"])] = entries
    except (ValueError, KeyError, TypeError, RecursionError, OverflowError) as error:
        raise Refusal(
            f"{name} is no sheet in JSON; write one from here to see how it is made ({type(error).__name__})"
        ) from error
    if not levels:
        raise Refusal(f"{name} names no level")
    return SheetFile(frames, fps, levels)
