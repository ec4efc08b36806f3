"""Handing off: PNG sequences and a looping GIF."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, Query
from fastapi.responses import FileResponse, JSONResponse
from pydantic import BaseModel, Field

from ...core import exposure
from ...errors import NotFound, Refusal
from ...formats import gif
from ...jobs.runner import export_path, key_colours
from ...store import jobs, productions
from ...work import edits
from ...work.derived import on_paper, render, scaled, sheet_patches
from ..deps import RunnerDep, SettingsDep, StoreDep
from .jobs import state_of

router = APIRouter()

_SAMPLES = 3


class NewExport(BaseModel):
    """what: a PNG per frame, a PNG per drawing, or a GIF. width: px of the pictures."""

    what: Literal["frames", "drawings", "gif"]
    width: int = Field(ge=16, le=8192)


@router.post("/api/levels/{level_id}/export")
def start(level_id: int, new: NewExport, store: StoreDep, runner: RunnerDep) -> JSONResponse:
    """Queues an export."""
    with store.transaction() as cursor:
        rows = productions.drawings(cursor, level_id)
        if not any(row["line"] for row in rows):
            raise Refusal("Nothing is drawn in this shot yet; clean it first")
        job_id = jobs.create(cursor, "export", level_id, [row["id"] for row in rows], new.model_dump())
        answer = state_of(cursor, job_id)
    runner.wake()
    return JSONResponse(answer)


@router.get("/api/levels/{level_id}/gif-size")
def gif_size(level_id: int, store: StoreDep, width: int = Query(ge=16, le=8192)) -> JSONResponse:
    """About how many bytes the GIF will have, from a few of its pictures."""
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level_id)
        colours, ink = key_colours(cursor, shot)
        spans = exposure.spans(productions.exposures(cursor, level_id), shot["frames"])
        if not spans:
            raise Refusal("This shot has no frames")
        step = max(1, len(spans) // _SAMPLES)
        chosen = [edits.load(cursor, drawing) for _, _, drawing in spans[::step][:_SAMPLES]]
    made = [
        scaled(on_paper(render(sheet, sheet_patches(row["line"], sheet), colours, ink)), width)
        for row, sheet in chosen
    ]
    return JSONResponse({"bytes": gif.estimate(made, len(spans))})


@router.get("/exports/{job_id}")
def download(job_id: int, store: StoreDep, settings: SettingsDep) -> FileResponse:
    """The file of a finished export."""
    with store.transaction() as cursor:
        job = jobs.job(cursor, job_id)
        if job is None or job["kind"] != "export" or job["state"] != "done":
            raise NotFound("This export is not ready; start it again")
        shot = productions.shot_of_level(cursor, job["level_id"])
    path = export_path(settings, job_id, job["settings"]["what"])
    if not path.exists():
        raise NotFound("The file of this export was cleared away; save it again")
    stem = f"{shot['production']} {shot['name']} {shot['level']} {job['settings']['what']}".replace("/", "-")
    return FileResponse(path, filename=f"{stem}{path.suffix}")
