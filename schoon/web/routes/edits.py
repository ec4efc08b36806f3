"""Every edit of every subject: do it, undo it, do it again. What edits there are stands in `work.operations`."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter
from fastapi.responses import JSONResponse
from pydantic import Field

from ...core import exposure
from ...store import once, productions, revisions
from ...store.revisions import Kind, Subject
from ...store.states import Time
from ...work import edits, history
from ...work.operations import AnyDrawing, AnyModel, AnyRun, AnyStack, AnyTime, TimeOperation
from ...work.operations.line import PenOperation
from ...work.operations.model import AddKey, AddPots
from ...work.operations.paint import Belong, Pour, PourWithin
from ...work.operations.tone import AnyTone
from ...work.shapes import shape_of
from ..deps import FilesDep, StoreDep
from ..shapes import paint_of, remarks_of, tones_of
from ..values import Body, Id

router = APIRouter(prefix="/api")

Way = Literal["undo", "redo"]
Plural = Literal["drawings", "times", "stacks", "models"]
_KINDS: dict[Plural, Kind] = {"drawings": "drawing", "times": "time", "stacks": "stack", "models": "model"}


class DrawingEdit(Body):
    """base: the revision the edit was made on."""

    base: Id
    do: Annotated[AnyDrawing, Field(discriminator="do")]


@router.post("/drawings/{drawing_id}/do")
def change_drawing(drawing_id: int, edit: DrawingEdit, store: StoreDep, files: FilesDep) -> JSONResponse:
    """Changes a drawing: `do` names the operation and what it needs."""
    more: dict[str, Any] = {}
    if isinstance(edit.do, PenOperation) and edit.do.settle > 0:
        edit.do = edits.settled(store, drawing_id, edit.do)
    saved = edits.do(store, drawing_id, edit.base or None, edit.do)
    with store.transaction() as cursor:
        if isinstance(edit.do, Pour | PourWithin | Belong):
            row, sheet = edits.load(cursor, drawing_id)
            more = {
                "paint": paint_of(files, row, sheet), "remarks": remarks_of(cursor, files, row, sheet),
                "patches": getattr(edit.do, "patches", 0),
            }  # fmt: skip
        elif isinstance(edit.do, AnyTone):
            row, sheet = edits.load(cursor, drawing_id)
            more = {"tones": tones_of(cursor, files, row, sheet)}
    return JSONResponse(
        {
            "revision": saved.revision or 0, "merged": saved.merged, "removed": saved.removed,
            "strokes": [shape_of(s) for s in saved.strokes], "others": saved.others, **more,
        }
    )  # fmt: skip


class RunEdit(Body):
    do: Annotated[AnyRun, Field(discriminator="do")]


@router.post("/levels/{level_id}/do")
def change_run(level_id: int, edit: RunEdit, store: StoreDep) -> JSONResponse:
    """Changes many drawings of a level, undone as one."""
    with store.transaction() as cursor:
        done = edits.change_run(cursor, level_id, edit.do)
    return JSONResponse({"drawings": done.drawings, "things": done.things})


class TimeEdit(Body):
    do: Annotated[AnyTime, Field(discriminator="do")]


@router.post("/times/{shot_id}/do")
def change_time(shot_id: int, edit: TimeEdit, store: StoreDep) -> JSONResponse:
    """Changes exposures, marks, length or rate of a shot."""
    with store.transaction() as cursor:
        revision = edits.change_time(cursor, shot_id, edit.do)
        shown = time_shown(productions.time_of(cursor, shot_id))
    return JSONResponse({"revision": revision or 0, **shown, **_said(edit.do)})


@router.post("/times/{shot_id}/try")
def try_time(shot_id: int, edit: TimeEdit, store: StoreDep) -> JSONResponse:
    """What the time of a shot would be after an edit; nothing is changed."""
    with store.transaction() as cursor:
        time = edits.tried_time(cursor, shot_id, edit.do)
    return JSONResponse({**time_shown(time), **_said(edit.do)})


def _said(operation: TimeOperation) -> dict[str, Any]:
    """What an edit of time has to say beside its result. lost: level -> drawings it pushes off the end. missing:
    frames the shot is too short for them. made: new drawings.
    uneven: holds that another rate does not divide evenly."""
    return {
        "lost": getattr(operation, "lost", {}),
        "missing": getattr(operation, "missing", 0),
        "made": list(getattr(operation, "made", ())),
        "uneven": getattr(operation, "uneven", 0),
    }


def time_shown(time: Time) -> dict[str, Any]:
    """The time of a shot as the page shows it; per level its sheet as it is written and as it plays."""
    return {
        "frames": time.frames,
        "fps": time.fps,
        "marks": time.marks,
        "numbers": time.numbers,
        "numbering": time.numbering,
        "meant": time.meant,
        "labels": {drawing: label.model_dump() for drawing, label in time.labels.items()},
        "notes": {name: note.model_dump() for name, note in time.notes.items()},
        "levels": {
            level: {
                "spans": exposure.spans(starts, time.frames),
                "sheet": [
                    [first, count, {"again": what.first} if isinstance(what, exposure.Again) else what]
                    for first, count, what in exposure.entries(starts, time.frames)
                ],
            }
            for level, starts in time.levels.items()
        },
    }


class StackEdit(Body):
    do: Annotated[AnyStack, Field(discriminator="do")]


@router.post("/stacks/{shot_id}/do")
def change_stack(shot_id: int, edit: StackEdit, store: StoreDep) -> JSONResponse:
    """Changes the levels of a shot."""
    with store.transaction() as cursor:
        revision = edits.change_stack(cursor, shot_id, edit.do)
        stack = productions.stack_of(cursor, shot_id)
    levels = {k: v.model_dump() for k, v in stack.levels.items()}
    return JSONResponse({"revision": revision or 0, "order": stack.order, "levels": levels})


class ModelEdit(Body):
    do: Annotated[AnyModel, Field(discriminator="do")]


@router.post("/models/{model_id}/do")
def change_model(model_id: int, edit: ModelEdit, store: StoreDep) -> JSONResponse:
    """Changes a model. made: ids of the pots or the colour key that were made."""
    with store.transaction() as cursor:
        revision = edits.change_model(cursor, model_id, edit.do)
    made = (
        edit.do.ids if isinstance(edit.do, AddPots) else [edit.do.id] if isinstance(edit.do, AddKey) else []
    )
    return JSONResponse({"revision": revision or 0, "made": made})


class Step(Body):
    """seen: the revision that is stepped from, as the page shows it; whatever is there without one."""

    seen: Id | None = None


@router.post("/{subjects}/{subject_id}/undo")
def undo(subjects: Plural, subject_id: int, store: StoreDep, want: Step | None = None) -> JSONResponse:
    """Takes back the last action on a subject, on everything it touched."""
    return _step(store, Subject(_KINDS[subjects], subject_id), "undo", want)


@router.post("/{subjects}/{subject_id}/redo")
def redo(subjects: Plural, subject_id: int, store: StoreDep, want: Step | None = None) -> JSONResponse:
    """Brings back what was undone."""
    return _step(store, Subject(_KINDS[subjects], subject_id), "redo", want)


_WHERE: dict[Kind, str] = {
    "drawing": "on this drawing",
    "time": "in the sheet",
    "stack": "among the levels",
    "model": "on this model",
}


def _step(store: StoreDep, subject: Subject, way: Way, want: Step | None) -> JSONResponse:
    """moved: nothing was done, because something had changed that the page does not show yet. more: of a drawing, what can be
    undone and done again now."""
    nothing = {"label": "", "drawings": [], "kinds": [], "pots": [], "moved": False}
    try:
        with store.transaction() as cursor:
            found = history.step(cursor, subject, way, want.seen if want else None)
            words = "" if found else f"There is nothing to {way} {_WHERE[subject.kind]}"
            answer = {**nothing, **(vars(found) if found else {}), "message": words}
            answer["revision"] = revisions.head(cursor, subject) or 0
            if subject.kind == "drawing":
                answer["more"] = {"undo": answer["revision"] > 0, "redo": revisions.can_redo(cursor, subject)}
            once.keep(cursor, answer)
    except revisions.Moved:
        words = "Something was changed here meanwhile, which you see now; press again to take that back"
        if way == "redo":
            words = "Something was changed here meanwhile, which you see now; nothing was done again"
        return JSONResponse({**nothing, "moved": True, "message": words})
    return JSONResponse(answer)


# ---- the history of a shot


@router.get("/shots/{shot_id}/history")
def listed(shot_id: int, store: StoreDep) -> JSONResponse:
    """What was done to a shot, newest first."""
    with store.transaction() as cursor:
        found = history.of_shot(cursor, shot_id)
    entries = [
        {**vars(e), "when": e.when.isoformat(timespec="seconds"), "drawings": [vars(d) for d in e.drawings]}
        for e in found.entries
    ]
    return JSONResponse({"entries": entries, "more": found.more})


class BackSpan(Body):
    """Frames of a level, the last included."""

    level: Id
    first: int = Field(ge=1, le=20_000)
    last: int = Field(ge=1, le=20_000)


class BackTo(Body):
    """drawings: those that go back, instead of the whole shot. span: frames whose drawings and timing go back instead."""

    action: Id
    drawings: Annotated[list[Id], Field(max_length=5000)] | None = None
    span: BackSpan | None = None


@router.post("/shots/{shot_id}/back")
def back(shot_id: int, want: BackTo, store: StoreDep) -> JSONResponse:
    """The shot, or some of its drawings, as it was when an action had just been done."""
    only = None if want.drawings is None else set(want.drawings)
    span = history.Span(**want.span.model_dump()) if want.span else None
    with store.transaction() as cursor:
        return JSONResponse(vars(history.back_to(cursor, shot_id, want.action, only, span)))


@router.get("/shots/{shot_id}/moments/{action}")
def moment(shot_id: int, action: int, level: Id, store: StoreDep) -> JSONResponse:
    """A level as it was when an action had just been done: the revisions of its drawings, and what every frame showed."""
    with store.transaction() as cursor:
        found = history.moment(cursor, shot_id, action, level)
    return JSONResponse(vars(found))


class Keep(Body):
    """name: "" to forget it again. action: an earlier moment; now without one."""

    name: Annotated[str, Field(max_length=80)]
    action: Id | None = None


@router.post("/shots/{shot_id}/keep")
def keep(shot_id: int, want: Keep, store: StoreDep) -> JSONResponse:
    """Gives a moment of a shot a name, under which it can be fetched back."""
    with store.transaction() as cursor:
        return JSONResponse({"action": history.keep(cursor, shot_id, want.name, want.action)})


class AsItWas(Body):
    """revision: 0 for before the first."""

    revision: Id


@router.post("/drawings/{drawing_id}/back")
def back_one(drawing_id: int, want: AsItWas, store: StoreDep) -> JSONResponse:
    """One drawing as it was at a revision."""
    with store.transaction() as cursor:
        saved = history.as_it_was(cursor, drawing_id, want.revision or None)
    return JSONResponse({"revision": saved.revision or 0})
