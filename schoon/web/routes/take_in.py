"""Taking in roughs: look at the files, say what is wrong, then store all of them or none."""

from __future__ import annotations

import base64
import re
import secrets
import shutil
import time
from collections.abc import Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, JSONResponse
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import UploadFile

from ...core import exposure
from ...errors import Refusal
from ...formats.sequences import Incoming, Report, inspect, tried
from ...jobs.pool import Pool
from ...limits import limits
from ...settings import Settings
from ...store import models, productions
from ...text import named
from ...work import take_in
from ..deps import AheadDep, DeskDep, SettingsDep, StoreDep, page

router = APIRouter()

_KEEP = 6 * 3600.0
"""Seconds uploaded files wait for the decision."""

_SEEN = 24
"""How many pictures are shown before they are taken in."""

_MOST_FILES = 2000

_REPORT = "report.json"


@router.get("/productions/{production_id}/take-in", response_class=HTMLResponse)
def form(request: Request, production_id: int, store: StoreDep, shot: int | None = None) -> HTMLResponse:
    """The page for a new shot, or for a further level of one."""
    with store.transaction() as cursor:
        production = productions.production(cursor, production_id)
        shots = [s for s in productions.shots(cursor) if s["production_id"] == production_id]
        choices = [m for m in models.listing(cursor) if m["production_id"] == production_id]
    return page(
        request, "take_in.html", production=production, models=choices, shots=shots, into=shot,
        most_mb=limits().take_in_mb,
    )  # fmt: skip


@router.post("/take-in/check", response_class=HTMLResponse)
async def check(request: Request, settings: SettingsDep, desk: DeskDep) -> HTMLResponse:
    """Reads the files and shows what they are and what is wrong. Nothing is stored; the files wait aside."""
    try:
        async with request.form(max_files=_MOST_FILES, max_fields=_MOST_FILES) as form:
            files = [f for f in form.getlist("files") if isinstance(f, UploadFile) and f.filename]
            token, report = await run_in_threadpool(_look_at, settings, desk, files)
    except OSError as error:
        raise Refusal(
            f"The pictures could not be put aside ({error.strerror}); free some space on the disk and try again"
        ) from error
    repeats = len(report.pictures) - len(exposure.from_repeats([p.content for p in report.pictures]))
    seen = {} if report.problems else {p.number: _small(p) for p in report.pictures[:_SEEN]}
    return page(request, "take_in_report.html", report=report, token=token, repeats=repeats, seen=seen)


def _look_at(settings: Settings, desk: Pool, files: Sequence[UploadFile]) -> tuple[str, Report]:
    """Puts files aside and reads them; the token they are found by, "" if there are problems."""
    folder = _new_folder(settings)
    placed = []
    for number, file in enumerate(files):
        path = folder / f"{number:05}"
        with open(path, "wb") as out:
            shutil.copyfileobj(file.file, out, 2**20)
        placed.append((Path(file.filename or "").name[-200:], path))

    def read(jobs: Sequence[tuple[str, str, str]]) -> Iterable[Incoming | Refusal]:
        with ThreadPoolExecutor(desk.workers) as threads:
            yield from threads.map(lambda job: desk.call(tried, job), jobs)

    report = inspect(placed, folder, read)
    if report.problems:
        shutil.rmtree(folder, ignore_errors=True)
        return "", report
    report.write(folder / _REPORT)
    return folder.name, report


def _small(picture: Incoming) -> str:
    """A picture small enough to lie in the page, as a data address."""
    return "data:image/png;base64," + base64.b64encode(Path(picture.small).read_bytes()).decode()


@router.post("/productions/{production_id}/take-in")
def store_shot(
    production_id: int,
    store: StoreDep,
    settings: SettingsDep,
    ahead: AheadDep,
    token: Annotated[str, Form()],
    name: Annotated[str, Form()] = "",
    level: Annotated[str, Form()] = "",
    fps: Annotated[float, Form()] = 24.0,
    hold: Annotated[str, Form()] = "2",
    model: Annotated[str, Form()] = "",
    into: Annotated[str, Form()] = "",
) -> JSONResponse:
    """Stores the files that were set aside as a shot with one level, or as a further level in front of those of the
    shot `into`: all of them or nothing."""
    level = named(level, "level")
    name = name if into else named(name, "shot")
    if not 1 <= fps <= 120:
        raise Refusal("The frame rate must lie between 1 and 120 frames a second")
    if hold not in take_in.HOLDS:
        raise Refusal("Choose a hold of one to four frames, or from repeated pictures")
    report = _taken_up(settings, token)
    with store.transaction() as cursor:
        chosen = models.model(cursor, _number(model)) if model else None
        key = chosen["keys"][0]["id"] if chosen and chosen["keys"] else None
        model_id = chosen["id"] if chosen else None
        if into:
            shot = productions.shot(cursor, _number(into))
            take_in.refuse_unfit(shot, production_id, report, hold)
            shot_id, level_id = shot["id"], productions.add_level(cursor, shot["id"], level, model_id, key)
        else:
            shot_id, level_id = productions.create_shot(
                cursor, production_id, name, fps, level, model_id, key
            )
        take_in.fill(cursor, shot_id, level_id, report, hold, new_shot=not into)
    shutil.rmtree(_folder(settings, token), ignore_errors=True)
    ahead.level(level_id)
    return JSONResponse({"shot": shot_id, "url": f"/shots/{shot_id}/rough?level={level_id}"})


def _number(text: str) -> int:
    """A number that names a row; 0, which names none, for what is no number."""
    return int(text) if re.fullmatch(r"[0-9]{1,9}", text) else 0


def _new_folder(settings: Settings) -> Path:
    """A folder for files that wait; those that waited too long are cleared away."""
    root = settings.cache / "incoming"
    root.mkdir(parents=True, exist_ok=True)
    for old in root.iterdir():
        if old.stat().st_mtime < time.time() - _KEEP:
            shutil.rmtree(old, ignore_errors=True)
    folder = root / secrets.token_hex(12)
    folder.mkdir()
    return folder


def _folder(settings: Settings, token: str) -> Path:
    if not re.fullmatch(r"[0-9a-f]{24}", token):
        raise Refusal("Choose the pictures again")
    return settings.cache / "incoming" / token


def _taken_up(settings: Settings, token: str) -> Report:
    try:
        return Report.read(_folder(settings, token) / _REPORT)
    except (OSError, ValueError) as error:
        raise Refusal("The pictures were chosen too long ago; choose them again") from error
