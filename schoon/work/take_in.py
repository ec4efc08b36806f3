"""Pictures and lines that were looked at become the drawings of levels: all of them or nothing."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ..core import exposure
from ..core.strokes import Stroke, strokes_from_dicts
from ..errors import Refusal
from ..formats.layered import STROKES, Layer
from ..formats.sequences import Incoming, Report
from ..store import Cursor, ShotRow, pictures, productions, revisions
from ..store.states import LevelKind
from .documents import line_document
from .operations.drawings import Retake
from .placing import paper_of, size_of

HOLDS = ("1", "2", "3", "4", "repeats")
"""Frames a drawing is held, or as long as the same picture comes again."""

KINDS: tuple[LevelKind, ...] = ("drawings", "pictures", "backdrop", "guide")


@dataclass(frozen=True)
class NewLevel:
    """A level to be. hold: one of HOLDS, or frames in all for a picture that stays. model, key: what it is painted by.

    holds: frames of each picture, where they are given. part: strokes of its drawing that belong to a part: (name, lines).
    """

    name: str
    pictures: tuple[Incoming, ...]
    kind: LevelKind = "drawings"
    hold: str = "2"
    holds: tuple[int, ...] = ()
    opacity: int = 100
    visible: bool = True
    locked: bool = False
    model: int | None = None
    key: int | None = None
    parts: tuple[tuple[str, Incoming], ...] = ()

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) of its pictures, px."""
        return self.pictures[0].width, self.pictures[0].height

    def exposed(self) -> tuple[list[Incoming], dict[int, str], int]:
        """The pictures kept, frame -> number of the drawing that starts there, and the frames they fill."""
        found = self.pictures
        if self.holds:
            starts: dict[int, str] = {}
            at = 1
            for picture, count in zip(found, self.holds, strict=True):
                starts[at] = picture.label
                at += count
            return list(found), starts, at - 1
        if self.hold == "repeats":
            firsts = exposure.from_repeats([p.content for p in found])
            return [found[k] for k in firsts], {k + 1: found[k].label for k in firsts}, len(found)
        held, frames = exposure.on_holds([p.label for p in found], int(self.hold))
        return list(found), dict(held), frames


def plain_level(
    report: Report, name: str, hold: str, kind: LevelKind, model: int | None, key: int | None
) -> NewLevel:
    """The level of a sequence of pictures."""
    return NewLevel(name, tuple(report.pictures), kind, hold, locked=kind == "pictures", model=model, key=key)


@dataclass(frozen=True)
class Wish:
    """What becomes of a layer of a file. index: of it. becomes: a kind of level, "part" of the first level of drawings
    behind it that has lines, or "nothing"."""

    index: int
    name: str
    becomes: str


def levels_of(
    layers: Sequence[Layer], wishes: Sequence[Wish], hold: str, model: int | None, key: int | None
) -> list[NewLevel]:
    """The levels that layers of a file become, from rear to front. Raises Refusal if nothing is left or a wish is none."""
    found: list[NewLevel] = []
    parts: list[tuple[str, Incoming]] = []
    for wish in sorted(wishes, key=lambda w: w.index):
        if not 0 <= wish.index < len(layers) or wish.becomes not in (*KINDS, "part", "nothing"):
            raise Refusal("Choose what becomes of each layer again")
        layer = layers[wish.index]
        if wish.becomes == "nothing":
            continue
        if wish.becomes == "part":
            if layer.pictures[0].mime != STROKES:
                raise Refusal(f"{wish.name} is a picture; only lines can become a part")
            parts.append((wish.name, layer.pictures[0]))
            continue
        kind = next(k for k in KINDS if k == wish.becomes)
        painted = kind == "drawings"
        found.append(
            NewLevel(
                wish.name, layer.pictures, kind, hold, layer.holds, layer.opacity, layer.visible,
                kind == "pictures", model if painted else None, key if painted else None,
            )
        )  # fmt: skip
    if parts:
        lines = next((k for k, lv in enumerate(found) if lv.pictures[0].mime == STROKES), None)
        if lines is None:
            first = replace(parts[0][1], path="", content="")
            found.append(NewLevel("Lines", (first,), hold=hold, model=model, key=key))
            lines = len(found) - 1
        found[lines] = replace(found[lines], parts=tuple(parts))
    if not found:
        raise Refusal("Nothing of the file would be taken in; choose what becomes of its layers")
    if len({level.name.casefold() for level in found}) < len(found):
        raise Refusal("Two levels would have one name; call one of them otherwise")
    return found


def new_shot_size(levels: Sequence[NewLevel]) -> tuple[int, int]:
    """The size of a shot of these levels: that of its drawings. Raises Refusal if drawings differ in size; a single one may
    lie on paper of its own where there are others."""
    every = [level for level in levels if level.kind in ("drawings", "guide")] or list(levels)
    drawn = [level for level in every if len(level.pictures) > 1 or level.kind == "guide"] or every
    sizes = {level.size for level in drawn}
    if len(sizes) > 1:
        words = ", ".join(f"{level.name} {level.size[0]} × {level.size[1]}" for level in drawn[:4])
        raise Refusal(f"The drawings of a shot have one size, and these do not: {words} px; scale them alike")
    return sizes.pop()


def refuse_unfit(shot: ShotRow, production_id: int, levels: Sequence[NewLevel]) -> None:
    """Raises Refusal unless levels can be those of a shot: its size is given to drawings, and so is its length."""
    if shot["production_id"] != production_id:
        raise Refusal("This shot belongs to another production")
    for level in levels:
        alone = level.kind == "drawings" and len(level.pictures) == 1
        if (
            level.kind in ("drawings", "guide")
            and not alone
            and level.size != (shot["width"], shot["height"])
        ):
            raise Refusal(
                f"The pictures are {level.size[0]} × {level.size[1]} px and the shot {shot['name']} is"
                f" {shot['width']} × {shot['height']}; scale them to the size of the shot"
            )
        _, starts, frames = level.exposed()
        if frames > shot["frames"] and len(starts) > 1:
            raise Refusal(
                f"The drawings fill {frames} frames and the shot {shot['name']} has {shot['frames']}; choose a shorter"
                " hold or fewer drawings"
            )


def length_of(levels: Sequence[NewLevel]) -> int:
    """Frames of a shot that shows all of these levels."""
    return max(level.exposed()[2] for level in levels)


def store_level(
    cursor: Cursor, level_id: int, level: NewLevel, each: Callable[[], None] = lambda: None
) -> None:
    """Stores what a level is made of. A drawing that is not as large as the frame lies on paper of its own. each: is called after
    every picture, and may raise to end it."""
    frame = size_of(productions.shot_of_level(cursor, level_id))
    paper = level.size if level.kind == "drawings" and level.size != frame else None
    kept, starts, _ = level.exposed()
    rows: list[tuple[int | str, str, str | None]] = []
    for number, picture in enumerate(kept):
        kind = "key" if number in (0, len(kept) - 1) else "inbetween"
        name = None
        if picture.mime != STROKES:
            body = Path(picture.path).read_bytes()
            name = pictures.put(cursor, body, picture.mime, picture.width, picture.height)
        rows.append((picture.label, kind, name))
        each()
    productions.fill_level(cursor, level_id, rows, starts)
    productions.set_purpose(
        cursor,
        level_id,
        level.kind,
        level.locked,
        {"opacity": level.opacity, "visible": level.visible, "tint": None, "paper": paper},
    )
    if any(picture.mime == STROKES for picture in kept):
        _store_lines(cursor, level_id, level, kept)


def _store_lines(cursor: Cursor, level_id: int, level: NewLevel, kept: Sequence[Incoming]) -> None:
    action = revisions.begin_action(cursor, f"take in {level.name}")
    for row, picture in zip(productions.drawings(cursor, level_id), kept, strict=True):
        strokes = _strokes_of(picture) if picture.path else []
        for name, lines in level.parts:
            strokes += [replace(s, part=name) for s in _strokes_of(lines)]
        document = revisions.put_document(cursor, line_document(strokes))
        revisions.revise(cursor, revisions.of(row), action, line=document)


def _strokes_of(picture: Incoming) -> list[Stroke]:
    return strokes_from_dicts(json.loads(Path(picture.path).read_bytes())["strokes"])


def retaken(cursor: Cursor, level_id: int, report: Report) -> Retake:
    """New roughs for the drawings of a level, by their numbers. Raises Refusal if one is not in the level, or nothing of it
    is new."""
    shot = productions.shot_of_level(cursor, level_id)
    rows = {row["number"]: row for row in productions.drawings(cursor, level_id)}
    missing = next((p for p in report.pictures if p.label not in rows), None)
    if missing is not None:
        raise Refusal(
            f"{missing.name}: {shot['level']} has no drawing {missing.label}; put an empty sheet in there first, or leave the"
            " file out"
        )
    size = (report.pictures[0].width, report.pictures[0].height)
    paper = paper_of(shot)
    if size != paper:
        raise Refusal(
            f"The pictures are {size[0]} × {size[1]} px and the drawings of {shot['level']} are {paper[0]} × {paper[1]};"
            " scale them to that size"
        )
    fresh = {}
    for picture in report.pictures:
        body = Path(picture.path).read_bytes()
        sha = pictures.put(cursor, body, picture.mime, picture.width, picture.height)
        row = rows[picture.label]
        if sha != row["rough"]:
            fresh[row["id"]] = sha
    if not fresh:
        raise Refusal(f"All of these are the roughs that {shot['level']} has already; nothing was changed")
    change = Retake(do="retake", level=level_id, roughs=fresh)
    change.instead_of({row["id"]: row["rough"] for row in rows.values()})
    return change


def tracing_level(
    cursor: Cursor, shot_id: int, starts: dict[int, str], model: int | None, key: int | None
) -> int:
    """An empty level in front, with a sheet for each picture that is traced. starts: frame -> number. Its id."""
    level = productions.add_level(cursor, shot_id, "Trace", model, key)
    rows: list[tuple[int | str, str, str | None]] = [
        (number, "inbetween", None) for number in dict.fromkeys(starts.values())
    ]
    productions.fill_level(cursor, level, rows, starts)
    return level
