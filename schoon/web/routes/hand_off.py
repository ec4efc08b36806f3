"""Handing off: pictures, movies, layered files and packages; the gate before them, and the files that were made."""

from __future__ import annotations

import itertools
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse
from pydantic import Field

from ...core.naming import PATTERN, counted, file_name
from ...errors import NotFound, Refusal
from ...jobs import handing as making
from ...jobs import tasks
from ...jobs.exports import export_path
from ...jobs.kinds.export import ENDINGS
from ...jobs.papers import report
from ...store import Cursor, ShotRow, jobs, productions
from ...work import handing
from ...work.frames import Pass
from ...work.placing import size_of
from ...work.stacks import HANDED_OFF, drawn_in, frames_of
from ..deps import DeskDep, FilesDep, RunnerDep, SettingsDep, StoreDep
from ..values import Body
from .jobs import state_of

router = APIRouter()

_SAMPLES = 3

What = Literal["frames", "drawings", "gif", "mp4", "svg", "openraster", "keys", "layers", "package"]


Included = Literal["frames", "layers", "passes", "parts", "svg", "movie"]


class NewExport(Body):
    """what: pictures per frame or drawing, a looping GIF, a movie, SVG of the drawings, a layered file of frame `start` or of it
    in every key, the shot in layers, or a package. width: px. only: what of the drawings; flats and tones by themselves, passes
    and parts come at their own size, so that no colour is mixed. include: what a package holds beside the papers and the
    production. of: this level, every level by itself, or the whole frame. kind: of pictures. pattern, start,
    padding: names. limit: bytes of a GIF, 0 for any. once: it does not loop. copy: a work copy, which says so in its name.
    cleared: what is open was waved through."""

    what: What
    width: int = Field(default=1920, ge=16, le=8192)
    only: Pass = "seen"
    of: Literal["level", "levels", "frame"] = "level"
    kind: Literal["png", "tiff", "webp"] = "png"
    pattern: Annotated[str, Field(max_length=120)] = PATTERN
    start: int = Field(default=1, ge=0, le=100_000)
    padding: int = Field(default=4, ge=1, le=8)
    quality: Literal["small", "good", "best"] = "good"
    limit: int = Field(default=0, ge=0, le=1_000_000_000)
    once: bool = False
    copy_: bool = Field(default=False, alias="copy")
    cleared: bool = False
    include: Annotated[tuple[Included, ...], Field(max_length=6)] = ("frames", "layers", "movie")


@router.post("/api/levels/{level_id}/export")
def start(level_id: int, new: NewExport, store: StoreDep, runner: RunnerDep) -> JSONResponse:
    """Queues an export. Refused while something is open, unless that was waved through or it is a work copy."""
    with store.transaction() as cursor:
        rows = productions.drawings(cursor, level_id)
        if not any(row["line"] for row in rows):
            raise Refusal("Nothing is drawn in this shot yet; clean it first")
        shot = productions.shot_of_level(cursor, level_id)
        try:
            file_name(new.pattern, {"number": "1"})
        except ValueError as error:
            raise Refusal(f"{str(error)[:1].upper()}{str(error)[1:]}") from error
        settings = new.model_dump(by_alias=True)
        left = handing.open_things(cursor, shot, _levels(cursor, shot, new))
        if left and not (new.cleared or new.copy_):
            words = ", ".join(one.words for one in left)
            raise Refusal(f"This is still open: {words}. Wave it through, or make a work copy")
        job_id = jobs.create(cursor, "export", level_id, [row["id"] for row in rows], settings)
        answer = state_of(cursor, job_id)
    runner.wake()
    return JSONResponse(answer)


def _levels(cursor: Cursor, shot: ShotRow, new: NewExport) -> list[int]:
    """The levels that go out."""
    alone = new.what in ("svg", "keys") or (new.what in ("frames", "drawings") and new.of == "level")
    if alone:
        return [int(shot["level_id"])]
    return [
        level["id"]
        for level in productions.levels(cursor, shot["id"])
        if level["kind"] in HANDED_OFF and level["kind"] != "backdrop"
    ]


@router.get("/api/levels/{level_id}/open")
def still_open(level_id: int, store: StoreDep, whole: bool = False) -> JSONResponse:
    """What is open in a level, or in the whole shot."""
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level_id)
        wish = NewExport(what="frames", of="frame" if whole else "level")
        found = handing.open_things(cursor, shot, _levels(cursor, shot, wish))
    return JSONResponse({"open": [vars(one) for one in found]})


@router.get("/api/levels/{level_id}/export-name")
def name(
    level_id: int,
    store: StoreDep,
    pattern: Annotated[str, Query(max_length=120)] = PATTERN,
    start: Annotated[int, Query(ge=0, le=100_000)] = 1,
    padding: Annotated[int, Query(ge=1, le=8)] = 4,
    kind: Literal["png", "tiff", "webp"] = "png",
    only: Pass = "seen",
) -> JSONResponse:
    """What the first file would be called. Raises Refusal for a pattern that will not do."""
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level_id)
    values = {
        "production": shot["production"], "shot": shot["name"], "level": shot["level"],
        "pass": "" if only == "seen" else only, "number": counted(start, padding),
    }  # fmt: skip
    try:
        return JSONResponse({"name": f"{file_name(pattern, values)}.{ENDINGS[kind]}"})
    except ValueError as error:
        raise Refusal(f"{str(error)[:1].upper()}{str(error)[1:]}") from error


@router.get("/api/levels/{level_id}/exports")
def listing(level_id: int, store: StoreDep, settings: SettingsDep) -> JSONResponse:
    """The files that were made of a level and are still there, newest first."""
    with store.transaction() as cursor:
        rows = jobs.ended(cursor, level_id, "export")
    found: list[dict[str, Any]] = []
    for row in rows:
        path = export_path(settings.cache, row["id"], row["settings"]["what"])
        if path.exists():
            found.append(
                {
                    "id": row["id"], "what": row["settings"]["what"], "only": row["settings"].get("only", "seen"),
                    "copy": row["settings"].get("copy", False), "bytes": path.stat().st_size,
                    "by": row["actor"] or "", "made": row["ended"],
                }
            )  # fmt: skip
    return JSONResponse({"exports": found})


@router.get("/shots/{shot_id}/report/findings.html", response_class=HTMLResponse)
def findings_report(shot_id: int, store: StoreDep, files: FilesDep, desk: DeskDep) -> HTMLResponse:
    """Findings and notes of a shot as one file."""
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id)
    headers = {"Content-Disposition": 'inline; filename="report.html"'}
    return HTMLResponse(report(store, files, desk.call, shot), headers=headers)


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
    made = [
        desk.call(making.pictures, drawings, size_of(shot), width, ("white",))[0]["white"]
        for drawings in chosen
    ]
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
    copy = "work copy " if job["settings"].get("copy") else ""
    stem = f"{copy}{shot['production']} {shot['name']} {shot['level']} {job['settings']['what']}"
    return FileResponse(path, filename=f"{stem.replace('/', '-')}{path.suffix}")
