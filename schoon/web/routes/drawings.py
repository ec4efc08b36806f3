"""One drawing: what the table shows of it, and every edit."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

import numpy as np
from fastapi import APIRouter
from fastapi.responses import JSONResponse
from pydantic import Field

from ...core.model.compare import compare, smallest
from ...core.patches import outlines, wall_of
from ...core.seal import trace_leak
from ...core.strokes import Stroke
from ...errors import Refusal
from ...formats import svg
from ...store import Cursor, Row, models, productions, revisions
from ...work import edits, keys
from ...work.derived import key_of, sheet_key, sheet_patches
from ...work.documents import Sheet, painting_of
from ...work.line import AnyOperation
from ..deps import FilesDep, StoreDep
from ..values import Body, Id, Place

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
        "redo": revisions.can_redo(cursor, row),
    }  # fmt: skip


def shape_of(stroke: Stroke) -> dict[str, Any]:
    """A stroke as the page draws and edits it."""
    return {
        **stroke.to_dict(),
        "d": svg.outline_path(stroke),
        "part": stroke.part,
        "linked": stroke.link is not None,
        "closed": stroke.closed,
    }


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
    answer["paint"] = _paint(row, sheet)
    with store.transaction() as cursor:
        answer["remarks"] = _remarks(cursor, row, sheet)
    return JSONResponse(answer)


def _remarks(cursor: Cursor, row: Row, sheet: Sheet) -> list[dict[str, Any]]:
    """Where the drawing differs from its model; nothing as long as nothing is painted."""
    shot = productions.shot_of_level(cursor, row["level_id"])
    if shot["model_id"] is None or not sheet.spots:
        return []
    model = models.model(cursor, shot["model_id"])
    found = keys.pots_found(sheet, sheet_patches(row["line"], sheet))
    return [vars(remark) for remark in compare(keys.expectations(model), found)]


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


def _paint(row: Row, sheet: Sheet) -> dict[int, dict[str, Any]]:
    painting = painting_of(sheet.spots, sheet_patches(row["line"], sheet))
    return {
        patch: {"pot": paint.pot, "doubt": round(paint.doubt, 2), "by": paint.by, "unsure": paint.unsure}
        for patch, paint in painting.items()
    }


Pot = Annotated[int, Field(ge=-1, lt=2**31)]


class Edit(Body):
    """base: the revision the edit was made on."""

    base: Id


class LineEdit(Edit):
    do: AnyOperation


class Judge(Edit):
    stitch: str
    state: Literal["taken", "left", "open"]


class NewStitch(Edit):
    points: list[Place] = Field(min_length=2, max_length=2000)


class OneStitch(Edit):
    stitch: str


class Pour(Edit):
    points: list[Place] = Field(min_length=1, max_length=5000)
    pot: Pot | None


def _answer(saved: edits.Saved, **more: Any) -> JSONResponse:
    return JSONResponse({"revision": saved.revision or 0, "merged": saved.merged, **more})


@router.post("/line")
def line(drawing_id: int, edit: LineEdit, store: StoreDep) -> JSONResponse:
    """Changes the strokes: `do` names the operation and what it needs."""
    with store.transaction() as cursor:
        saved = edits.change_line(cursor, drawing_id, edit.base or None, edit.do)
    return _answer(
        saved, removed=saved.removed, strokes=[shape_of(s) for s in saved.strokes], others=saved.others
    )


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


@router.post("/pour")
def pour(drawing_id: int, edit: Pour, store: StoreDep) -> JSONResponse:
    """Pours a pot into the patches under points, or lifts their paint off."""
    with store.transaction() as cursor:
        saved = edits.pour(cursor, drawing_id, edit.base or None, [(x, y) for x, y in edit.points], edit.pot)
        row, sheet = edits.load(cursor, drawing_id)
        remarks = _remarks(cursor, row, sheet)
    return _answer(saved, paint=_paint(row, sheet), remarks=remarks)


@router.post("/undo")
def undo(drawing_id: int, store: StoreDep) -> JSONResponse:
    """Takes back the last action on this drawing, on all drawings it touched."""
    with store.transaction() as cursor:
        return _stepped(edits.step(cursor, drawing_id, "undo"), "There is nothing to undo on this drawing")


@router.post("/redo")
def redo(drawing_id: int, store: StoreDep) -> JSONResponse:
    """Brings back what was undone."""
    with store.transaction() as cursor:
        return _stepped(edits.step(cursor, drawing_id, "redo"), "There is nothing to redo on this drawing")


def _stepped(found: edits.Stepped | None, otherwise: str) -> JSONResponse:
    if found is None:
        return JSONResponse({"label": "", "drawings": [], "pots": [], "message": otherwise})
    return JSONResponse({**vars(found), "message": ""})


class PourWithin(Edit):
    ring: list[Place] = Field(min_length=3, max_length=5000)
    pot: Pot


@router.post("/pour-within")
def pour_within(drawing_id: int, edit: PourWithin, store: StoreDep) -> JSONResponse:
    """Pours a pot into everything unpainted that lies in a ring."""
    with store.transaction() as cursor:
        ring = [(x, y) for x, y in edit.ring]
        saved, count = edits.pour_within(cursor, drawing_id, edit.base or None, ring, edit.pot)
        row, sheet = edits.load(cursor, drawing_id)
        remarks = _remarks(cursor, row, sheet)
    return _answer(saved, paint=_paint(row, sheet), remarks=remarks, patches=count)


class Kind(Body):
    kind: Literal["key", "breakdown", "inbetween"]


@router.post("/kind")
def kind(drawing_id: int, change: Kind, store: StoreDep) -> JSONResponse:
    """Marks the drawing as a key, a breakdown or an in-between."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        edits.refuse_locked(productions.shot_of_level(cursor, row["level_id"]))
        productions.set_kind(cursor, drawing_id, change.kind)
    return JSONResponse({"kind": change.kind})
