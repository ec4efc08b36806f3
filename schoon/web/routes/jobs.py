"""Long work: starting, watching and cancelling jobs."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field

from ...errors import NotFound, Refusal
from ...store import Cursor, jobs, productions
from ..deps import RunnerDep, StoreDep

router = APIRouter()


class CleanSettings(BaseModel):
    """As `core.cleanup.CleanupSettings`."""

    searching: float | None = Field(default=None, ge=0, le=1)
    detail: float = Field(default=0.5, ge=0, le=1)
    line_width: float = Field(default=4.0, gt=0, le=60)
    use_colour: bool = False


class NewJob(BaseModel):
    """drawings: ids to work on; None for the whole level."""

    kind: Literal["clean", "seal", "carry"]
    drawings: list[int] | None = None
    settings: CleanSettings = CleanSettings()


@router.post("/api/levels/{level_id}/jobs")
def start(level_id: int, new: NewJob, store: StoreDep, runner: RunnerDep) -> JSONResponse:
    """Queues a job."""
    with store.transaction() as cursor:
        rows = productions.drawings(cursor, level_id)
        if not rows:
            raise NotFound("This level has no drawings")
        chosen = (
            rows
            if new.drawings is None or new.kind == "carry"
            else [r for r in rows if r["id"] in set(new.drawings)]
        )
        if new.kind in ("seal", "carry"):
            chosen = [row for row in chosen if row["line"]]
        if not chosen:
            raise Refusal("None of these drawings has a line yet; clean them first")
        if new.kind == "carry" and not any(row["paint"] for row in rows):
            raise Refusal("No drawing is painted yet; paint one drawing, then carry its paint to the others")
        settings = new.settings.model_dump() if new.kind == "clean" else {}
        job_id = jobs.create(cursor, new.kind, level_id, [row["id"] for row in chosen], settings)
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
