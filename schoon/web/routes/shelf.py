"""The shelf: productions and shots, and what to do next in each."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse

from ...store import models, productions
from ...text import named
from ..deps import StoreDep, page
from ..stages import STAGES, progress, summaries

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
            every = [row for level in worked for row in productions.drawings(cursor, level["id"])]
            shot["progress"] = progress(list(summaries(cursor, every).values()))
            shot["count"] = len(every)
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
