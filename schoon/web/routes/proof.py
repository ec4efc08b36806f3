"""The Proof stage: what was found in a level."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import JSONResponse

from ...store import jobs, productions
from ...work import proofing
from ..deps import RunnerDep, StoreDep

router = APIRouter(prefix="/api")


@router.get("/levels/{level_id}/findings")
def findings(level_id: int, store: StoreDep) -> JSONResponse:
    """Findings as they were computed last, what is seen most first."""
    with store.transaction() as cursor:
        return JSONResponse({**proofing.now(cursor, level_id), "words": proofing.RULE_WORDS})


@router.post("/levels/{level_id}/proof")
def look(level_id: int, store: StoreDep, runner: RunnerDep) -> JSONResponse:
    """Has a level looked at, if anything has changed since it was. job: None where nothing is to do."""
    with store.transaction() as cursor:
        productions.shot_of_level(cursor, level_id)
        waiting = jobs.open_of(cursor, level_id, "proof")
        if waiting is None and not proofing.now(cursor, level_id)["fresh"]:
            rows = productions.drawings(cursor, level_id)
            waiting = jobs.create(cursor, "proof", level_id, [row["id"] for row in rows], {})
    runner.wake()
    return JSONResponse({"job": waiting})
