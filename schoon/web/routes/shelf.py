"""The shelf: productions and shots, and what to do next in each."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse

from ...errors import Refusal
from ...store import models, productions
from ...text import named
from ...work import backup, proofing
from ...work.summaries import summaries, without
from ..deps import SettingsDep, StoreDep, page
from ..stages import STAGES, progress

router = APIRouter()

STRIP = 8
"""Small drawings shown per shot."""


@router.get("/", response_class=HTMLResponse)
def shelf(request: Request, store: StoreDep) -> HTMLResponse:
    """All productions with their shots."""
    with store.transaction() as cursor:
        found = productions.listing(cursor)
        shots = productions.shots(cursor)
        for shot in shots:
            rows = productions.drawings(cursor, shot["level_id"])
            levels = productions.levels(cursor, shot["id"])
            worked = [level for level in levels if level["kind"] == "drawings"] or levels
            stack = productions.stack_of(cursor, shot["id"])
            of = {level["id"]: productions.drawings(cursor, level["id"]) for level in worked}
            counts = [
                without(own, stack.levels[level].skips)
                for level, own_rows in of.items()
                for own in summaries(cursor, own_rows).values()
            ]
            found_in = [
                proofing.open_count(cursor, level["id"], stack.levels[level["id"]]) for level in worked
            ]
            known = [found for found in found_in if found is not None]
            left = sum(known) if len(known) == len(worked) or any(known) else None
            shot["progress"] = progress(counts, left)
            shot["count"] = len(counts)
            shot["drawings"] = rows
            shot["fps"] = float(shot["fps"])
            step = max(1, -(-len(rows) // STRIP))
            shot["strip"] = rows[::step]
        all_models = models.listing(cursor)
    return page(request, "shelf.html", productions=found, shots=shots, models=all_models, stages=STAGES)


@router.post("/productions")
def create_production(store: StoreDep, name: Annotated[str, Form()] = "") -> RedirectResponse:
    """A new production."""
    with store.transaction() as cursor:
        productions.create(cursor, named(name, "production"))
    return RedirectResponse("/", status_code=303)


@router.post("/productions/restored")
def restore(
    store: StoreDep, settings: SettingsDep, file: UploadFile, name: Annotated[str, Form()] = ""
) -> RedirectResponse:
    """Takes in a package that was handed off, or a backup. name: for its production, if its own is taken. Raises Refusal."""
    said = Path(file.filename or "the file").name[-100:]
    settings.cache.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=settings.cache) as folder:
        path = Path(folder) / "file"
        with open(path, "wb") as out:
            shutil.copyfileobj(file.file, out, 2**20)
        try:
            backup.restore(store, path, named(name, "production") if name.strip() else None)
        except Refusal as error:
            raise Refusal(str(error).replace(str(path), said)) from error
    return RedirectResponse("/", status_code=303)
