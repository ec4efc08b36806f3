"""Taking in roughs: look at the files, say what is wrong, then store all of them or none."""

from __future__ import annotations

import base64
import secrets
import shutil
import time
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse

from ...core import exposure
from ...errors import Refusal
from ...formats.pictures import decode, small_png
from ...formats.sequences import Incoming, Report, inspect
from ...settings import Settings
from ...store import models, pictures, productions
from ..deps import SettingsDep, StoreDep, page
from .shelf import named

router = APIRouter()

_KEEP = 6 * 3600.0
"""Seconds uploaded files wait for the decision."""

_SEEN, _SMALL = 24, 200
"""How many pictures are shown before they are taken in, and their width in px."""


@router.get("/productions/{production_id}/take-in", response_class=HTMLResponse)
def form(request: Request, production_id: int, store: StoreDep, shot: int | None = None) -> HTMLResponse:
    """The page for a new shot, or for a further level of one."""
    with store.transaction() as cursor:
        production = productions.production(cursor, production_id)
        shots = [s for s in productions.shots(cursor) if s["production_id"] == production_id]
        choices = [m for m in models.listing(cursor) if m["production_id"] == production_id]
    return page(request, "take_in.html", production=production, models=choices, shots=shots, into=shot)


@router.post("/take-in/check", response_class=HTMLResponse)
def check(request: Request, settings: SettingsDep, files: list[UploadFile]) -> HTMLResponse:
    """Reads the files and shows what they are and what is wrong. Nothing is stored; the files wait aside."""
    bodies = [(Path(file.filename or "").name, file.file.read()) for file in files if file.filename]
    report = inspect(bodies)
    token = ""
    if not report.problems:
        token = _set_aside(settings, bodies)
    repeats = len(report.pictures) - len(exposure.from_repeats([p.content for p in report.pictures]))
    seen = {} if report.problems else {p.number: _small(p) for p in report.pictures[:_SEEN]}
    return page(request, "take_in_report.html", report=report, token=token, repeats=repeats, seen=seen)


def _small(picture: Incoming) -> str:
    """A picture small enough to lie in the page, as a data address."""
    body = small_png(decode(picture.name, picture.body), _SMALL)
    return "data:image/png;base64," + base64.b64encode(body).decode()


@router.post("/productions/{production_id}/take-in")
def store_shot(
    production_id: int,
    store: StoreDep,
    settings: SettingsDep,
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
    if hold not in ("1", "2", "3", "4", "repeats"):
        raise Refusal("Choose a hold of one to four frames, or from repeated pictures")
    report = inspect(_taken_up(settings, token))
    if report.problems:
        raise Refusal("; ".join(report.problems))
    with store.transaction() as cursor:
        chosen = models.model(cursor, int(model)) if model.isdigit() else None
        key = chosen["keys"][0]["id"] if chosen and chosen["keys"] else None
        model_id = chosen["id"] if chosen else None
        if into:
            shot = productions.shot(cursor, int(into) if into.isdigit() else 0)
            _fits(shot, production_id, report, hold)
            shot_id, level_id = shot["id"], productions.add_level(cursor, shot["id"], level, model_id, key)
        else:
            shot_id, level_id = productions.create_shot(
                cursor, production_id, name, fps, level, model_id, key
            )
        fill(cursor, shot_id, level_id, report, hold, new_shot=not into)
    shutil.rmtree(_folder(settings, token), ignore_errors=True)
    return JSONResponse({"shot": shot_id, "url": f"/shots/{shot_id}/rough?level={level_id}"})


def _fits(shot: productions.Row, production_id: int, report: Report, hold: str) -> None:
    """Raises Refusal unless a report's pictures can be a level of a shot: its size is given, and so is its length."""
    if shot["production_id"] != production_id:
        raise Refusal("This shot belongs to another production")
    size = (report.pictures[0].width, report.pictures[0].height)
    if size != (shot["width"], shot["height"]):
        raise Refusal(
            f"The pictures are {size[0]} × {size[1]} px and the shot {shot['name']} is {shot['width']} × {shot['height']}; "
            "scale them to the size of the shot"
        )
    frames = _exposed(report, hold)[2]
    if frames > shot["frames"]:
        raise Refusal(
            f"The drawings fill {frames} frames and the shot {shot['name']} has {shot['frames']}; choose a shorter hold "
            "or fewer drawings"
        )


def _exposed(report: Report, hold: str) -> tuple[list[Incoming], dict[int, int], int]:
    """The pictures kept, frame -> number of the drawing that starts there, and the frames they fill."""
    found = report.pictures
    if hold == "repeats":
        firsts = exposure.from_repeats([p.content for p in found])
        return [found[k] for k in firsts], {k + 1: found[k].number for k in firsts}, len(found)
    starts, frames = exposure.on_holds([p.number for p in found], int(hold))
    return list(found), dict(starts), frames


def fill(
    cursor: productions.Cursor, shot_id: int, level_id: int, report: Report, hold: str, new_shot: bool = True
) -> None:
    """Stores a report's pictures as the drawings of a level. hold: frames, or "repeats" for equal neighbours."""
    kept, starts, frames = _exposed(report, hold)
    rows = []
    for number, picture in enumerate(kept):
        kind = "key" if number in (0, len(kept) - 1) else "inbetween"
        name = pictures.put(cursor, picture.body, picture.mime, picture.width, picture.height)
        rows.append((picture.number, kind, name))
    if new_shot:
        size = (kept[0].width, kept[0].height)
        productions.fill_shot(cursor, shot_id, level_id, size, rows, starts, frames)
    else:
        productions.fill_level(cursor, level_id, rows, starts)


def _set_aside(settings: Settings, bodies: list[tuple[str, bytes]]) -> str:
    root = settings.cache / "incoming"
    root.mkdir(parents=True, exist_ok=True)
    for old in root.iterdir():
        if old.stat().st_mtime < time.time() - _KEEP:
            shutil.rmtree(old, ignore_errors=True)
    token = secrets.token_hex(12)
    folder = root / token
    folder.mkdir()
    for number, (name, body) in enumerate(bodies):
        (folder / f"{number:05}_{name[-120:]}").write_bytes(body)
    return token


def _folder(settings: Settings, token: str) -> Path:
    if not token.isalnum():
        raise Refusal("Choose the pictures again")
    return settings.cache / "incoming" / token


def _taken_up(settings: Settings, token: str) -> list[tuple[str, bytes]]:
    folder = _folder(settings, token)
    if not folder.is_dir():
        raise Refusal("The pictures were chosen too long ago; choose them again")
    return [(path.name.split("_", 1)[1], path.read_bytes()) for path in sorted(folder.iterdir())]
