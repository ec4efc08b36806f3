"""Colour keys and pots read from pictures, with what the stored drawings know."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..core.model import parse_colour
from ..core.model.compare import Expected as Said
from ..core.model.compare import shares
from ..core.model.pictures import KeyFromPicture, key_by_place, key_from_picture
from ..core.paint import NOTHING
from ..core.patches import OpenPatches, Patches
from ..errors import Refusal
from ..store import Cursor, DrawingRow, KeyRow, ModelRow, models, productions, revisions
from . import edits
from .derived import sheet_patches
from .documents import Sheet, painting_of, sheet_of
from .operations.model import Expect, Expected
from .placing import paper_of

_MOST_DRAWINGS = 8
"""Painted drawings a key picture is compared with."""


@dataclass(frozen=True)
class ReadKey:
    """found: the key. where: the drawing the picture shows, in words, "" if the colours alone decided."""

    found: KeyFromPicture
    where: str


@dataclass(frozen=True)
class Painted:
    """A painted drawing and where it lies, in words."""

    line: str | None
    sheet: Sheet
    where: str


def painted_drawings(cursor: Cursor, model_id: int) -> list[Painted]:
    """Some drawings painted with a model's pots, those with most paint by hand first."""
    listed: list[tuple[int, Painted]] = []
    for level in models.levels_of(cursor, model_id):
        own = productions.shot_of_level(cursor, level["level_id"])
        rows = [r for r in productions.drawings(cursor, level["level_id"]) if r["line"] and r["paint"]]
        found = revisions.get_documents(cursor, [row[part] for row in rows for part in revisions.PAINTED])
        for row in rows:
            spots = found[row["paint"]]["patches"]
            if not any(spot["by"] == "hand" for spot in spots):
                continue
            sheet = sheet_of(paper_of(own), *(found.get(row[p]) for p in revisions.PAINTED))
            painted = Painted(row["line"], sheet, f"drawing {row['number']} of {level['shot']}")
            listed.append((sum(spot["by"] == "hand" for spot in spots), painted))
    listed.sort(key=lambda item: -item[0])
    return [painted for _, painted in listed[:_MOST_DRAWINGS]]


def read_key(
    name: str, picture: NDArray[np.uint8], model: ModelRow, key: KeyRow, drawings: list[Painted]
) -> ReadKey:
    """A colour key from a picture: by place if it shows one of the painted drawings, else by its colours.

    key: the one to start from. Raises Refusal naming the file if no colours can be read.
    """
    colours = {pot["id"]: parse_colour(key["colours"].get(pot["id"], "#808080")) for pot in model["pots"]}
    if not colours:
        raise Refusal("The model has no pots yet; make them first, from the sheet picture or by name")
    for drawing in drawings:
        found = key_by_place(picture, pot_picture(drawing), colours)
        if found is not None:
            return ReadKey(found, drawing.where)
    expected = {pot["id"]: pot["share"] for pot in model["pots"] if pot["share"]}
    try:
        return ReadKey(key_from_picture(picture, colours, expected), "")
    except ValueError as error:
        raise Refusal(f"{name} has no flat areas of colour; choose a picture that is painted flat") from error


def pot_picture(drawing: Painted) -> NDArray[np.int64]:
    """(h, w) the pot of each pixel, 0 where there is none."""
    patches = sheet_patches(drawing.line, drawing.sheet)
    table = np.zeros(patches.count + 1, np.int64)
    for patch, paint in painting_of(drawing.sheet.spots, patches).items():
        if paint.pot != NOTHING:
            table[patch] = paint.pot
    return table[patches.labels]


def pots_found(sheet: Sheet, patches: Patches | OpenPatches) -> dict[int, tuple[int, int]]:
    """pot -> (patches, px²) of a painted drawing."""
    found: dict[int, tuple[int, int]] = {}
    for patch, paint in painting_of(sheet.spots, patches).items():
        if paint.pot != NOTHING:
            count, area = found.get(paint.pot, (0, 0))
            found[paint.pot] = (count + 1, area + int(patches.areas[patch]))
    return found


def expectations(model: ModelRow) -> dict[int, Said]:
    """What a model says of its pots, in order."""
    return {pot["id"]: Said(pot["expected"], pot["share"]) for pot in model["pots"]}


def expect_as_in(cursor: Cursor, model_id: int, row: DrawingRow, sheet: Sheet) -> int:
    """The model takes its counts and shares from a painted drawing. Returns how many pots it says something of.

    Raises Refusal if the drawing has no paint of this model.
    """
    found = pots_found(sheet, sheet_patches(row["line"], sheet)) if row["line"] else {}
    known = {pot["id"] for pot in models.model(cursor, model_id)["pots"]}
    have = {pot: value for pot, value in shares(found).items() if pot in known}
    if not have:
        raise Refusal("Nothing is painted in this drawing yet; paint it completely first")
    pots = {pot: Expected(count=count, share=share) for pot, (count, share) in have.items()}
    edits.change_model(cursor, model_id, Expect(do="expect", pots=pots, drawing=row["number"]))
    return len(have)
