"""One drawing: what the table shows of it, and every edit."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

import numpy as np
from fastapi import APIRouter
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field

from ...core.patches import outlines
from ...core.strokes import Stroke
from ...formats import svg
from ...store import Cursor, Row, productions, revisions
from ...work import edits
from ...work.derived import key_of, sheet_key, sheet_patches
from ...work.documents import Sheet, painting_of
from ..deps import FilesDep, StoreDep

router = APIRouter(prefix="/api/drawings/{drawing_id}")

Place = Annotated[list[float], Field(min_length=2, max_length=2)]


def _drawing(cursor: Cursor, drawing_id: int) -> dict[str, Any]:
    row, sheet = edits.load(cursor, drawing_id)
    return {
        "id": row["id"],
        "number": row["number"],
        "revision": row["head"] or 0,
        "rough": f"/pictures/{row['rough']}",
        "strokes": [_stroke(stroke) for stroke in sheet.strokes],
        "stitches": [
            {
                "id": s.id, "d": svg.polyline_path(s.points), "doubt": s.doubt, "state": s.state, "reason": s.reason,
                "by": s.by, "width": round(s.width),
            }
            for s in sheet.stitches
        ],
        "undo": row["head"] is not None,
        "redo": revisions.can_redo(cursor, row),
    }  # fmt: skip


def _stroke(stroke: Stroke) -> dict[str, Any]:
    return {"id": stroke.id, "d": svg.outline_path(stroke), "confidence": stroke.confidence, "by": stroke.by}


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

    path = files.get(key_of("shapes", sheet_key(row["line"], sheet)), ".json", shapes)
    answer = json.loads(path.read_bytes())
    answer["revision"] = row["head"] or 0
    answer["paint"] = _paint(row, sheet)
    return JSONResponse(answer)


def _paint(row: Row, sheet: Sheet) -> dict[int, dict[str, Any]]:
    painting = painting_of(sheet.spots, sheet_patches(row["line"], sheet))
    return {
        patch: {"pot": paint.pot, "doubt": round(paint.doubt, 2), "by": paint.by, "unsure": paint.unsure}
        for patch, paint in painting.items()
    }


class Edit(BaseModel):
    """base: the revision the edit was made on."""

    base: int


class Trace(Edit):
    id: str = Field(pattern=r"^[0-9a-z]{6,20}$")
    path: list[Annotated[list[float], Field(min_length=3, max_length=3)]] = Field(
        min_length=1, max_length=edits.MOST_POINTS
    )
    width: float = Field(gt=0, le=100)
    steady: float = Field(ge=0, le=20, default=2.0)


class Ids(Edit):
    ids: list[str] = Field(min_length=1)


class Judge(Edit):
    stitch: str
    state: Literal["taken", "left", "open"]


class NewStitch(Edit):
    points: list[Place] = Field(min_length=2, max_length=2000)


class OneStitch(Edit):
    stitch: str


class Pour(Edit):
    points: list[Place] = Field(min_length=1, max_length=5000)
    pot: int | None


def _answer(saved: edits.Saved, **more: Any) -> JSONResponse:
    return JSONResponse({"revision": saved.revision or 0, "merged": saved.merged, **more})


@router.post("/trace")
def trace(drawing_id: int, edit: Trace, store: StoreDep) -> JSONResponse:
    """Fits a pen path and adds it as a stroke."""
    stroke = edits.stroke_from_pen([tuple(p) for p in edit.path], edit.width, edit.steady)  # type: ignore[misc]
    # As it will be read back, so that the page shows just what is stored.
    stroke = Stroke.from_dict({**stroke.to_dict(), "id": edit.id})
    with store.transaction() as cursor:
        saved = edits.trace(cursor, drawing_id, edit.base or None, stroke)
    return _answer(saved, stroke=_stroke(stroke))


@router.post("/delete")
def delete(drawing_id: int, edit: Ids, store: StoreDep) -> JSONResponse:
    """Takes strokes away."""
    with store.transaction() as cursor:
        return _answer(edits.delete_strokes(cursor, drawing_id, edit.base or None, edit.ids))


@router.post("/judge")
def judge(drawing_id: int, edit: Judge, store: StoreDep) -> JSONResponse:
    """Takes a stitch, leaves the gap open, or puts the decision off."""
    with store.transaction() as cursor:
        return _answer(edits.judge_stitch(cursor, drawing_id, edit.base or None, edit.stitch, edit.state))


@router.post("/stitch")
def stitch(drawing_id: int, edit: NewStitch, store: StoreDep) -> JSONResponse:
    """Adds a stitch drawn by hand."""
    with store.transaction() as cursor:
        return _answer(edits.add_stitch(cursor, drawing_id, edit.base or None, np.array(edit.points, float)))


@router.post("/unstitch")
def unstitch(drawing_id: int, edit: OneStitch, store: StoreDep) -> JSONResponse:
    """Takes a stitch away."""
    with store.transaction() as cursor:
        return _answer(edits.delete_stitch(cursor, drawing_id, edit.base or None, edit.stitch))


@router.post("/pour")
def pour(drawing_id: int, edit: Pour, store: StoreDep) -> JSONResponse:
    """Pours a pot into the patches under points, or lifts their paint off."""
    with store.transaction() as cursor:
        saved = edits.pour(cursor, drawing_id, edit.base or None, [(x, y) for x, y in edit.points], edit.pot)
        row, sheet = edits.load(cursor, drawing_id)
    return _answer(saved, paint=_paint(row, sheet))


@router.post("/undo")
def undo(drawing_id: int, store: StoreDep) -> JSONResponse:
    """Takes back the last action on this drawing, on all drawings it touched."""
    with store.transaction() as cursor:
        return _stepped(revisions.undo(cursor, drawing_id), "There is nothing to undo on this drawing")


@router.post("/redo")
def redo(drawing_id: int, store: StoreDep) -> JSONResponse:
    """Brings back what was undone."""
    with store.transaction() as cursor:
        return _stepped(revisions.redo(cursor, drawing_id), "There is nothing to redo on this drawing")


def _stepped(found: tuple[str, list[int]] | None, otherwise: str) -> JSONResponse:
    if found is None:
        return JSONResponse({"label": "", "drawings": [], "message": otherwise})
    return JSONResponse({"label": found[0], "drawings": found[1], "message": ""})


class Kind(BaseModel):
    kind: Literal["key", "breakdown", "inbetween"]


@router.post("/kind")
def kind(drawing_id: int, change: Kind, store: StoreDep) -> JSONResponse:
    """Marks the drawing as a key, a breakdown or an in-between."""
    with store.transaction() as cursor:
        revisions.drawing(cursor, drawing_id)
        productions.set_kind(cursor, drawing_id, change.kind)
    return JSONResponse({"kind": change.kind})
