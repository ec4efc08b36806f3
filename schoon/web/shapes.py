"""Drawings as the page is told of them: patches with their paint, tones, what differs from the model."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from ..core.model.compare import compare
from ..core.tone import UNSURE_ABOVE, Tone
from ..formats import svg
from ..store import Cursor, DrawingRow, models, productions
from ..work import keys
from ..work.derived import Files, known_patches
from ..work.documents import Sheet, painting_of, parts_told, seen_in


def paint_of(files: Files, row: DrawingRow, sheet: Sheet) -> dict[int, dict[str, Any]]:
    """patch -> its pot, doubt, maker, whether it is unsure, and its part if that is another than the pot's."""
    if not sheet.spots:
        return {}
    patches = known_patches(files, row["line"], sheet)
    painting, parts = painting_of(sheet.spots, patches), parts_told(sheet.spots, patches)
    return {
        patch: {
            "pot": paint.pot,
            "doubt": round(paint.doubt, 2),
            "by": paint.by,
            "unsure": paint.unsure,
            **({"part": parts[patch]} if patch in parts else {}),
        }
        for patch, paint in painting.items()
    }


def tone_of(tone: Tone, within: Collection[int] | None) -> dict[str, Any]:
    """A tone as the page draws and edits it. patches: those it is seen in, None for all."""
    return {
        **tone.to_dict(),
        "d": "".join(svg.curve_path(ring) for ring in tone.rings),
        "takes": tone.takes,
        "soft": tone.soft,
        "doubt": round(tone.doubt, 2),
        "unsure": tone.by != "hand" and tone.doubt > UNSURE_ABOVE,
        "patches": None if within is None else sorted(within),
    }


def tones_of(cursor: Cursor, files: Files, row: DrawingRow, sheet: Sheet) -> list[dict[str, Any]]:
    """The tones of a drawing with the patches they are seen in."""
    if not sheet.tones:
        return []
    shot = productions.shot_of_level(cursor, row["level_id"])
    model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
    parts = models.parts_of(model)
    patches = known_patches(files, row["line"], sheet)
    return [tone_of(tone, within) for tone, within in seen_in(sheet.tones, sheet.spots, patches, parts)]


def remarks_of(cursor: Cursor, files: Files, row: DrawingRow, sheet: Sheet) -> list[dict[str, Any]]:
    """Where the drawing differs from its model; nothing as long as nothing is painted."""
    shot = productions.shot_of_level(cursor, row["level_id"])
    if shot["model_id"] is None or not sheet.spots:
        return []
    model = models.model(cursor, shot["model_id"])
    found = keys.pots_found(sheet, known_patches(files, row["line"], sheet))
    return [vars(remark) for remark in compare(keys.expectations(model), found)]
