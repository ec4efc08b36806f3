"""One drawing: what the table shows of it."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response

from ...core.model.compare import smallest
from ...core.patches import add_stitches
from ...core.seal import trace_leak
from ...errors import Refusal
from ...formats import svg
from ...store import models, productions, revisions
from ...work import edits, keys
from ...work.derived import lines_in, sheet_patches, to_json
from ...work.roughs import rough_name
from ...work.sketches import sketch_document
from ..deps import FilesDep, SeenDep, StoreDep, etag, unchanged
from ..shapes import paint_of, remarks_of, tones_of
from ..values import Body, Place

router = APIRouter(prefix="/api/drawings/{drawing_id}")


@router.get("")
def drawing(request: Request, drawing_id: int, store: StoreDep, seen: SeenDep) -> Response:
    """Strokes and stitches as shapes for the page; kept by document, and not sent again while nothing has changed."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        redo = revisions.can_redo(cursor, revisions.of(row))
        name = etag(row["head"], row["line"], row["seal"], row["rough"], row["sketch"], redo)
        if unchanged(request, name):
            return Response(status_code=304, headers={"ETag": name})
        _, sheet = edits.load(cursor, drawing_id)
    about = {
        "id": row["id"],
        "number": row["number"],
        "revision": row["head"] or 0,
        "rough": rough_name(row, reads=False),
        "sketch": sketch_document(sheet.sketch),
        "stitches": [
            {
                "id": s.id, "d": svg.polyline_path(s.points), "doubt": s.doubt, "state": s.state, "reason": s.reason,
                "by": s.by, "width": round(s.width),
            }
            for s in sheet.stitches
        ],
        "specks": sheet.specks,
        "own": sheet.own and f"{sheet.own.picture[:12]}.{int(sheet.own.tinted)}",
        "undo": row["head"] is not None,
        "redo": redo,
    }  # fmt: skip
    body = to_json(about)[:-1] + b', "strokes": ' + seen.strokes(row, sheet.strokes) + b"}"
    return Response(body, media_type="application/json", headers={"ETag": name, "Cache-Control": "no-cache"})


@router.get("/patches")
def patches(request: Request, drawing_id: int, store: StoreDep, files: FilesDep, seen: SeenDep) -> Response:
    """Patches as shapes, with the pot each carries."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        shot = productions.shot_of_level(cursor, row["level_id"])
        says = keys.expectations(models.model(cursor, shot["model_id"])) if shot["model_id"] else {}
        name = etag(row["head"], row["line"], row["seal"], row["paint"], row["tone"], says)
        if unchanged(request, name):
            return Response(status_code=304, headers={"ETag": name})
    shapes = seen.shapes(row, shot)
    with store.transaction() as cursor:
        _, sheet = edits.load(cursor, drawing_id)
        about = {
            "revision": row["head"] or 0,
            "paint": paint_of(files, row, sheet),
            "tones": tones_of(cursor, files, row, sheet),
            "remarks": remarks_of(cursor, files, row, sheet),
        }
    body = to_json(about)[:-1] + b", " + shapes[1:]
    return Response(body, media_type="application/json", headers={"ETag": name, "Cache-Control": "no-cache"})


@router.get("/open")
def open_to_outside(drawing_id: int, store: StoreDep, seen: SeenDep) -> Response:
    """The forms that are open to the outside through gaps that nobody has judged."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        shot = productions.shot_of_level(cursor, row["level_id"])
    body = seen.open_forms(row, shot) if row["line"] else b'{"open": []}'
    return Response(body, media_type="application/json", headers={"Cache-Control": "no-cache"})


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
    wall = add_stitches(lines_in(sheet), sheet.taken)
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
