"""The Tone stage: light tried on one drawing, and how much of each part lies under a tone through the run."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import JSONResponse
from pydantic import Field

from ...core.patches import pack
from ...core.tone import KINDS, shown_in
from ...core.tone.tones import Tone
from ...errors import Refusal
from ...jobs import tones
from ...store import Cursor, DrawingRow, models, productions, revisions
from ...store.states import LightState
from ...work import edits
from ...work.derived import key_of, known_patches, sheet_key, sheet_patches, to_json
from ...work.documents import Sheet, seen_in
from ...work.lights import lit_of
from ..deps import DeskDep, FilesDep, StoreDep
from ..shapes import tone_of
from ..values import Body

router = APIRouter(prefix="/api")


class Try(Body):
    """Lights at the frame of a drawing: of a part, or with "" of the whole figure."""

    lights: dict[Annotated[str, Field(max_length=60)], LightState] = Field(max_length=200)


@router.post("/drawings/{drawing_id}/light")
def try_light(drawing_id: int, want: Try, store: StoreDep, files: FilesDep, desk: DeskDep) -> JSONResponse:
    """The shade of one drawing under a light, by itself; nothing is changed."""
    with store.transaction() as cursor:
        row, sheet = edits.load(cursor, drawing_id)
        parts = parts_of(cursor, row)
        spots = _spots(cursor, row)
    if not row["line"]:
        raise Refusal("This drawing has no line yet; clean it first")
    packed = files.get(
        sheet_key(row["line"], sheet), ".patches", lambda: pack(sheet_patches(row["line"], sheet))
    )
    found = desk.call(tones.shade_now, packed, spots, parts, lit_of(want.lights))
    patches = known_patches(files, row["line"], sheet)
    shown = [tone_of(t, within) for t, within in seen_in([Tone.from_dict(t) for t in found], [], patches, {})]
    return JSONResponse({"tones": shown})


@router.get("/levels/{level_id}/tones")
def shares(level_id: int, store: StoreDep, files: FilesDep, desk: DeskDep, key: int = 0) -> JSONResponse:
    """For each drawing kind of tone -> part, or "" for the whole figure, -> the share that lies under it. key: the colour key in
    which it is seen."""
    with store.transaction() as cursor:
        rows = [row for row in productions.drawings(cursor, level_id) if row["line"]]
        loaded = [(*edits.load(cursor, row["id"]), _spots(cursor, row)) for row in rows]
        parts = parts_of(cursor, rows[0]) if rows else {}
    listed: dict[int, Any] = {}
    for row, sheet, spots in loaded:
        shapes = shown_in(sheet.tones, key)
        body = _shares(row, sheet, shapes, spots, parts, files, desk) if shapes else b"{}"
        listed[row["id"]] = json.loads(body)
    return JSONResponse({"kinds": list(KINDS), "shares": listed})


def _shares(
    row: DrawingRow,
    sheet: Sheet,
    shown: Sequence[Tone],
    spots: list[Any],
    parts: dict[int, str],
    files: FilesDep,
    desk: DeskDep,
) -> bytes:
    key = sheet_key(row["line"], sheet)
    shapes = [tone.to_dict() for tone in shown]

    def made() -> bytes:
        packed = files.get(key, ".patches", lambda: pack(sheet_patches(row["line"], sheet)))
        return to_json(desk.call(tones.shares, packed, spots, shapes, parts))

    ids = [tone.id for tone in shown]
    return files.get(
        key_of("tone-shares", key, row["paint"], row["tone"], ids, sorted(parts.items())), ".json", made
    )


def parts_of(cursor: Cursor, row: DrawingRow) -> dict[int, str]:
    """pot -> part, of the model of a drawing's level."""
    shot = productions.shot_of_level(cursor, row["level_id"])
    model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
    return models.parts_of(model)


def _spots(cursor: Cursor, row: DrawingRow) -> list[Any]:
    found = revisions.get_documents(cursor, [row["paint"]]).get(row["paint"])
    return list(found["patches"]) if found else []
