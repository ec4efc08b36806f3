"""Handing off: PNG sequences and a looping GIF."""

from __future__ import annotations

import itertools
from typing import Literal

from fastapi import APIRouter, Query
from fastapi.responses import FileResponse, JSONResponse
from pydantic import Field

from ...errors import NotFound, Refusal
from ...jobs import tasks
from ...jobs.exports import export_path
from ...store import jobs, productions
from ...work.frames import Pass
from ...work.placing import size_of
from ...work.stacks import drawn_in, frames_of
from ..deps import DeskDep, FilesDep, RunnerDep, SettingsDep, StoreDep
from ..values import Body
from .jobs import state_of

router = APIRouter()

_SAMPLES = 3


class NewExport(Body):
    """what: a PNG per frame, a PNG per drawing, or a GIF. width: px of the pictures. only: what of the drawings; flats and
    tones by themselves come at their own size, so that no colour is mixed."""

    what: Literal["frames", "drawings", "gif"]
    width: int = Field(ge=16, le=8192)
    only: Pass = "seen"


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
def gif_size(
    level_id: int, store: StoreDep, desk: DeskDep, files: FilesDep, width: int = Query(ge=16, le=8192)
) -> JSONResponse:
    """About how many bytes the GIF will have, from a few of its pictures."""
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level_id)
        runs = [slots for slots, _ in itertools.groupby(frames_of(cursor, shot)) if slots]
        if not runs:
            raise Refusal("This shot has no frames")
        step = max(1, len(runs) // _SAMPLES)
        chosen = [[drawn_in(cursor, files, slot)[0] for slot in slots] for slots in runs[::step][:_SAMPLES]]
    made = [desk.call(tasks.frame_png, drawings, size_of(shot), width, True)[0] for drawings in chosen]
    return JSONResponse({"bytes": desk.call(tasks.gif_bytes, made, len(runs))})


@router.get("/exports/{job_id}")
def download(job_id: int, store: StoreDep, settings: SettingsDep) -> FileResponse:
    """The file of a finished export."""
    with store.transaction() as cursor:
        job = jobs.job(cursor, job_id)
        if job is None or job["kind"] != "export" or job["state"] != "done":
            raise NotFound("This export is not ready; start it again")
        shot = productions.shot_of_level(cursor, job["level_id"])
    path = export_path(settings.cache, job_id, job["settings"]["what"])
    if not path.exists():
        raise NotFound("The file of this export was cleared away; save it again")
    stem = f"{shot['production']} {shot['name']} {shot['level']} {job['settings']['what']}".replace("/", "-")
    return FileResponse(path, filename=f"{stem}{path.suffix}")
