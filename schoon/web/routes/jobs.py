"""Long work: starting, watching and cancelling jobs."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter
from fastapi.responses import JSONResponse
from pydantic import Field

from ...core.cleanup import KINDS, Blacks
from ...core.cleanup.labels import Kind
from ...errors import NotFound, Refusal
from ...jobs.of_model import NOTHING_PAINTED, speaks
from ...store import Cursor, jobs, productions
from ...work import between as betweens
from ...work import edits, protect
from ...work.roughs import rough_name
from ..deps import RunnerDep, StoreDep
from ..values import Body, Id, Place
from .asks import Between

router = APIRouter()


class Pencil(Body):
    """What a coloured pencil of about this hue, in degrees, is taken for."""

    hue: float = Field(ge=0, le=360)
    role: str = Field(pattern=r"^(ignore|use|part:.{1,60})$")


class Reading(Body):
    """How roughs are read: as `core.cleanup.CleanupSettings`. taught_by: drawings whose finished lines teach what in
    the others is line."""

    searching: float | None = Field(default=None, ge=0, le=1)
    detail: float = Field(default=0.5, ge=0, le=1)
    follow: float = Field(default=0.5, ge=0, le=1)
    blacks: Blacks = "found"
    ink: Literal["strokes", "own", "tinted"] = "strokes"
    pencils: list[Pencil] = Field(default_factory=list, max_length=12)
    keep: list[Kind] = Field(default_factory=list, max_length=len(KINDS))
    taught_by: list[Id] = Field(default_factory=list, max_length=20)

    def stored(self) -> dict[str, Any]:
        """As JSON keeps it, with whatever is at its default left out."""
        found = self.model_dump(exclude_defaults=True, exclude={"pencils"})
        if self.pencils:
            found["pencils"] = [[p.hue, p.role] for p in self.pencils]
        return found


class NewJob(Body):
    """drawings: ids to work on; None for the whole level. source: for fitting, the drawing whose strokes go to the
    others, strokes: which of them, none for all. For following a patch: source, `at` in the patch, `pot`. keep: locked
    pots, whose paint stays when paint is carried or poured through the run. under: px², for specks. again:
    what was carried is only judged anew, after answers. also: drawings that are changed although a hand has finished them.
    between: what in-betweens are asked for."""

    kind: Literal["clean", "seal", "specks", "carry", "fit", "track", "tone", "between"]
    drawings: list[Id] | None = Field(default=None, max_length=5000)
    reading: Reading | None = None
    source: Id | None = None
    strokes: list[str] = Field(default_factory=list, max_length=5000)
    at: Place | None = None
    pot: Id | None = None
    keep: list[Id] = Field(default_factory=list, max_length=1000)
    under: int | None = Field(default=None, ge=0, le=5000)
    again: bool = False
    also: list[Id] = Field(default_factory=list, max_length=5000)
    between: Between | None = None


@router.post("/api/levels/{level_id}/jobs")
def start(level_id: int, new: NewJob, store: StoreDep, runner: RunnerDep) -> JSONResponse:
    """Queues a job."""
    if new.kind == "between":
        return _between(level_id, new, store, runner)
    with store.transaction() as cursor:
        rows = productions.drawings(cursor, level_id)
        if not rows:
            raise NotFound("This level has no drawings")
        edits.refuse_locked(productions.shot_of_level(cursor, level_id))
        chosen = (
            rows
            if new.drawings is None or new.kind in ("carry", "track", "tone")
            else [r for r in rows if r["id"] in set(new.drawings)]
        )
        if new.kind in ("seal", "specks", "carry", "track", "tone"):
            chosen = [row for row in chosen if row["line"]]
        if not chosen:
            raise Refusal("None of these drawings has a line yet; clean them first")
        if new.kind in ("clean", "fit"):
            chosen = [row for row in chosen if rough_name(row)]
            if not chosen:
                raise Refusal("These drawings are empty sheets without a rough; draw their lines")
            ids = [int(row["id"]) for row in chosen if row["id"] != new.source]
            changes = set(protect.allowed(cursor, level_id, protect.About(new.kind), ids, new.also))
            chosen = [row for row in chosen if row["id"] in changes]
        if new.kind == "carry" and not any(row["paint"] for row in rows) and not speaks(cursor, level_id):
            raise Refusal(NOTHING_PAINTED)
        settings: dict[str, Any] = {}
        if new.kind in ("clean", "fit"):
            if new.reading is not None:
                productions.set_reading(cursor, level_id, new.reading.stored())
            settings["reading"] = productions.shot_of_level(cursor, level_id)["reading"]
        if new.kind == "fit":
            source = next((row for row in rows if row["id"] == new.source), None)
            if source is None or not source["line"]:
                raise Refusal("Choose a drawing that has a line; its strokes go to the others")
            if not chosen:
                raise Refusal("Choose the drawings the strokes go to on the sheet")
            settings.update(source=source["id"], ids=new.strokes)
        if new.kind == "track":
            if new.source is None or new.at is None or new.pot is None:
                raise Refusal("Choose a pot and click the patch it is for")
            edits.check_pot(cursor, level_id, new.pot)
            settings = {"drawing": new.source, "at": new.at, "pot": new.pot}
        if new.kind == "specks":
            if new.under is None:
                raise Refusal("Say from which size on an area is a patch of its own")
            chosen = edits.with_other_specks(cursor, chosen, new.under)
            settings["under"] = new.under
        if new.keep:
            settings["keep"] = new.keep
        if new.again:
            settings["again"] = True
        job_id = jobs.create(cursor, new.kind, level_id, [row["id"] for row in chosen], settings)
        answer = state_of(cursor, job_id)
    runner.wake()
    return JSONResponse(answer)


def _between(level_id: int, new: NewJob, store: StoreDep, runner: RunnerDep) -> JSONResponse:
    if new.between is None:
        raise Refusal("Say between which two drawings")
    ask = new.between.ask()
    inner = betweens.inner_of(store, level_id, ask)
    with store.transaction() as cursor:
        edits.refuse_locked(productions.shot_of_level(cursor, level_id))
        changes = protect.allowed(cursor, level_id, protect.About("between", ask.part), inner, ask.also)
        job_id = jobs.create(cursor, "between", level_id, changes, {"ask": betweens.stored(ask)})
        answer = state_of(cursor, job_id)
    runner.wake()
    return JSONResponse(answer)


def state_of(cursor: Cursor, job_id: int) -> dict[str, Any]:
    """What the page shows of a job. Raises NotFound."""
    job = jobs.job(cursor, job_id)
    if job is None:
        raise NotFound("This job is not there any more")
    left = None
    if job["state"] == "running" and job["done"]:
        left = round(job["seconds"] / job["done"] * (job["total"] - job["done"] - job["failed"]))
    return {
        "id": job["id"], "kind": job["kind"], "state": job["state"], "total": job["total"], "done": job["done"],
        "failed": job["failed"], "message": job["message"], "seconds_left": left,
    }  # fmt: skip


@router.get("/api/jobs/{job_id}")
def state(job_id: int, store: StoreDep) -> JSONResponse:
    """How far a job is."""
    with store.transaction() as cursor:
        return JSONResponse(state_of(cursor, job_id))


@router.post("/api/jobs/{job_id}/cancel")
def cancel(job_id: int, store: StoreDep) -> JSONResponse:
    """Stops a job; drawings that are finished stay finished."""
    with store.transaction() as cursor:
        jobs.end(cursor, job_id, "cancelled")
        return JSONResponse(state_of(cursor, job_id))
