"""One drawing: what the table shows of it."""

from __future__ import annotations

import json
from typing import Any

from fastapi import APIRouter
from fastapi.responses import JSONResponse

from ...core.model.compare import smallest
from ...core.patches import outlines, wall_of
from ...core.seal import trace_leak
from ...errors import Refusal
from ...formats import svg
from ...store import Cursor, models, productions, revisions
from ...work import edits, keys
from ...work.derived import key_of, sheet_key, sheet_patches
from ..deps import FilesDep, StoreDep
from ..shapes import paint_of, remarks_of, shape_of
from ..values import Body, Place

router = APIRouter(prefix="/api/drawings/{drawing_id}")


def _drawing(cursor: Cursor, drawing_id: int) -> dict[str, Any]:
    row, sheet = edits.load(cursor, drawing_id)
    return {
        "id": row["id"],
        "number": row["number"],
        "revision": row["head"] or 0,
        "rough": f"/pictures/{row['rough']}",
        "strokes": [shape_of(stroke) for stroke in sheet.strokes],
        "stitches": [
            {
                "id": s.id, "d": svg.polyline_path(s.points), "doubt": s.doubt, "state": s.state, "reason": s.reason,
                "by": s.by, "width": round(s.width),
            }
            for s in sheet.stitches
        ],
        "specks": sheet.specks,
        "undo": row["head"] is not None,
        "redo": revisions.can_redo(cursor, revisions.of(row)),
    }  # fmt: skip


@router.get("")
def drawing(drawing_id: int, store: StoreDep) -> JSONResponse:
    """Strokes and stitches as shapes for the page."""
    with store.transaction() as cursor:
        return JSONResponse(_drawing(cursor, drawing_id))


@router.get("/patches")
def patches(drawing_id: int, store: StoreDep, files: FilesDep) -> JSONResponse:
    """Patches as shapes, with the pot each carries."""
    with store.transaction() as cursor:
        row, sheet = edits.load(cursor, drawing_id)
    found = sheet_patches(row["line"], sheet)

    def shapes() -> bytes:
        rings = outlines(found)
        listed = [
            {
                "n": n,
                "d": svg.polygon_path(rings.get(n, [])),
                "at": found.anchors[n].tolist(),
                "area": int(found.areas[n]),
            }
            for n in range(1, found.count + 1)
        ]
        return json.dumps({"background": found.background, "patches": listed}).encode()

    answer = json.loads(files.get(key_of("shapes", sheet_key(row["line"], sheet)), ".json", shapes))
    answer["revision"] = row["head"] or 0
    answer["paint"] = paint_of(row, sheet)
    with store.transaction() as cursor:
        answer["remarks"] = remarks_of(cursor, row, sheet)
    return JSONResponse(answer)


@router.get("/smallest")
def smallest_part(drawing_id: int, store: StoreDep) -> JSONResponse:
    """The smallest part the model speaks of, as large as it is in this drawing: pot and px²; nothing if unknown."""
    with store.transaction() as cursor:
        row, sheet = edits.load(cursor, drawing_id)
        shot = productions.shot_of_level(cursor, row["level_id"])
        model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
    part = smallest(keys.expectations(model)) if model and row["line"] else None
    if model is None or part is None:
        return JSONResponse({})
    patches = sheet_patches(row["line"], sheet)
    figure = int(patches.areas[1:].sum() - (patches.areas[patches.background] if patches.background else 0))
    name = next(pot["name"] for pot in model["pots"] if pot["id"] == part[0])
    return JSONResponse({"pot": name, "area": round(part[1] * figure)})


@router.post("/expect")
def expect(drawing_id: int, store: StoreDep) -> JSONResponse:
    """The model takes its counts and shares from this drawing."""
    with store.transaction() as cursor:
        row, sheet = edits.load(cursor, drawing_id)
        shot = productions.shot_of_level(cursor, row["level_id"])
        if shot["model_id"] is None:
            raise Refusal("This level has no model; choose one in the dock")
        pots = keys.expect_as_in(cursor, shot["model_id"], row, sheet)
    return JSONResponse({"pots": pots})


class LeakFrom(Body):
    """to: where the paint runs to; the outside if it is not given."""

    at: Place
    to: Place | None = None


@router.post("/leak")
def leak(drawing_id: int, asked: LeakFrom, store: StoreDep) -> JSONResponse:
    """The narrowest passage paint poured at a place would run out through; nothing is changed."""
    with store.transaction() as cursor:
        _, sheet = edits.load(cursor, drawing_id)
    wall = wall_of(sheet.strokes, sheet.taken, sheet.size)
    try:
        found = trace_leak(wall, (asked.at[0], asked.at[1]), (asked.to[0], asked.to[1]) if asked.to else None)
    except ValueError as error:
        raise Refusal("Start inside the picture") from error
    if found is None:
        raise Refusal("Paint poured here does not run out: the form is closed, or the pen was on a line")
    return JSONResponse(
        {
            "points": found.points.round(1).tolist(),
            "width": round(found.width, 1),
            "d": svg.polyline_path(found.points),
        }
    )
