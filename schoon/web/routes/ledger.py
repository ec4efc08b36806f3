"""The whole run at a glance: the ledger of pots, the queue of unsure patches."""

from __future__ import annotations

import json

from fastapi import APIRouter
from fastapi.responses import JSONResponse

from ...store import productions
from ...work import edits, lists
from ...work.derived import key_of, sheet_key, sheet_patches, to_json
from ..deps import FilesDep, StoreDep

router = APIRouter(prefix="/api")


@router.get("/drawings/{drawing_id}/pots")
def pots(drawing_id: int, store: StoreDep, files: FilesDep) -> JSONResponse:
    """Per pot in a drawing: number and area of its patches, how many are unsure, their box, a place to look at."""
    with store.transaction() as cursor:
        row, sheet = edits.load(cursor, drawing_id)

    def make() -> bytes:
        return to_json({"pots": lists.pot_cells(sheet, sheet_patches(row["line"], sheet))})

    body = files.get(key_of("pots", sheet_key(row["line"], sheet), row["paint"]), ".json", make)
    return JSONResponse({**json.loads(body), "revision": row["head"] or 0})


@router.get("/shots/{shot_id}/unsure")
def unsure(shot_id: int, store: StoreDep, level: int | None = None) -> JSONResponse:
    """Patches of the whole shot that are in doubt, worst first: where, what they were compared with, the best pots."""
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id, level)
        return JSONResponse({"cards": lists.unsure_cards(cursor, shot["level_id"])})
