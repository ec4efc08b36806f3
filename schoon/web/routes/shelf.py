"""The shelf: productions and shots, and what to do next in each."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse

from ...store import models, productions
from ...text import named
from ...work import proofing
from ...work.summaries import summaries
from ..deps import StoreDep, page
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
            every = [row for level in worked for row in productions.drawings(cursor, level["id"])]
            stack = productions.stack_of(cursor, shot["id"])
            found_in = [
                proofing.open_count(cursor, level["id"], stack.levels[level["id"]]) for level in worked
            ]
            known = [found for found in found_in if found is not None]
            left = sum(known) if len(known) == len(worked) or any(known) else None
            shot["progress"] = progress(list(summaries(cursor, every).values()), left)
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
