"""The exposure sheet as a file and on paper."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Request, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, Response
from pydantic import Field

from ...core import exposure
from ...formats import exposures
from ...store import productions
from ...text import named
from ...work import copies, sets, sheets
from ..deps import StoreDep, page
from ..values import Body, Id

router = APIRouter()

_ROWS = 48
"""Frames on a page of paper."""


@router.get("/shots/{shot_id}/sheet.{ending}")
def write(shot_id: int, ending: Literal["csv", "json"], store: StoreDep) -> Response:
    """The sheet as a file, see docs/formats.md."""
    with store.transaction() as cursor:
        sheet = sheets.sheet_of_shot(cursor, shot_id)
    text = (
        exposures.write_csv(sheet.frames, sheets.shown_in(sheet))
        if ending == "csv"
        else exposures.write_json(sheet)
    )
    headers = {"Content-Disposition": f'attachment; filename="sheet.{ending}"'}
    return Response(text, media_type="text/csv" if ending == "csv" else "application/json", headers=headers)


@router.post("/api/shots/{shot_id}/sheet")
def read(shot_id: int, store: StoreDep, file: UploadFile) -> JSONResponse:
    """Takes the levels that a file names from it, undone as one."""
    with store.transaction() as cursor:
        levels = sheets.read_sheet(cursor, shot_id, Path(file.filename or "sheet.csv").name, file.file.read())
    return JSONResponse({"levels": levels})


@router.get("/shots/{shot_id}/sheet/paper", response_class=HTMLResponse)
def paper(request: Request, shot_id: int, store: StoreDep) -> HTMLResponse:
    """The sheet as it prints on A4, 48 frames a page."""
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id)
        sheet = sheets.sheet_of_shot(cursor, shot_id)
        time = productions.time_of(cursor, shot_id)
    columns = [_column(entries, sheet.frames) for entries in sheet.levels.values()]
    notes: dict[int, list[str]] = {}
    for note in time.notes.values():
        if note.words and note.drawing is None:
            notes.setdefault(note.first or 1, []).append(note.words)
    pages = [
        [
            {
                "frame": frame,
                "second": (frame - 1) % round(sheet.fps) == 0,
                "cells": [column[frame - 1] for column in columns],
                "notes": "; ".join(notes.get(frame, [])),
            }
            for frame in range(first, min(first + _ROWS, sheet.frames + 1))
        ]
        for first in range(1, sheet.frames + 1, _ROWS)
    ]
    return page(request, "sheet.html", shot=shot, levels=list(sheet.levels), pages=pages)


@router.get("/api/shots/{shot_id}/sets")
def elsewhere(shot_id: int, store: StoreDep, model: int | None = None) -> JSONResponse:
    """Sets of alternative drawings of a model in the other shots of the production."""
    with store.transaction() as cursor:
        found = sets.sets_elsewhere(cursor, shot_id, model)
    return JSONResponse({"sets": [vars(one) for one in found]})


class Bring(Body):
    """level: of another shot, that has the set."""

    level: Id


@router.post("/api/shots/{shot_id}/sets")
def bring(shot_id: int, want: Bring, store: StoreDep) -> JSONResponse:
    """Brings a set into a shot, as a level of its own in front."""
    with store.transaction() as cursor:
        level = sets.bring(cursor, shot_id, want.level)
    return JSONResponse({"level": level, "url": f"/shots/{shot_id}/line?level={level}"})


def _column(entries: exposures.Entries, frames: int) -> list[dict[str, Any]]:
    """What a level's column shows in each frame: its words, and whether a stem runs through it or ends."""
    blank: dict[str, Any] = {"words": "", "stem": "", "again": False}
    column = [dict(blank) for _ in range(frames)]
    for first, count, what in exposure.entries(entries, frames):
        again = isinstance(what, exposure.Again)
        words = "×" if what is None else f"↺ {what.first}" if isinstance(what, exposure.Again) else what
        for k in range(first - 1, first - 1 + count):
            last = k == first + count - 2
            stem = "" if what is None or k == first - 1 else "end" if last else "through"
            column[k] = {"words": words if k == first - 1 else "", "stem": stem, "again": again}
    return column


class Duplicate(Body):
    """name: of the new level. what: as `work.copies.What`."""

    name: Annotated[str, Field(max_length=60)]
    what: copies.What = "all"


@router.post("/api/levels/{level_id}/duplicate")
def duplicate(level_id: int, want: Duplicate, store: StoreDep) -> JSONResponse:
    """A level copied in front of all others."""
    with store.transaction() as cursor:
        return JSONResponse(
            {"level": copies.duplicate(cursor, level_id, named(want.name, "level"), want.what)}
        )
