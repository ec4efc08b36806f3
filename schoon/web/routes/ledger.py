"""The whole run at a glance: the ledger of pots, the queue of unsure patches."""

from __future__ import annotations

import json
from typing import Any

from fastapi import APIRouter
from fastapi.responses import JSONResponse
from scipy import ndimage as ndi

from ...core.paint import NOTHING
from ...store import productions, revisions
from ...work import edits
from ...work.derived import key_of, sheet_key, sheet_patches
from ...work.documents import Spot, painting_of
from ..deps import FilesDep, StoreDep

router = APIRouter(prefix="/api")


@router.get("/drawings/{drawing_id}/pots")
def pots(drawing_id: int, store: StoreDep, files: FilesDep) -> JSONResponse:
    """Per pot in a drawing: number and area of its patches, how many are unsure, their box, a place to look at."""
    with store.transaction() as cursor:
        row, sheet = edits.load(cursor, drawing_id)

    def make() -> bytes:
        found = sheet_patches(row["line"], sheet)
        painting = painting_of(sheet.spots, found)
        boxes = ndi.find_objects(found.labels, found.count)
        rows: dict[int, dict[str, Any]] = {}
        for patch, paint in painting.items():
            if paint.pot == NOTHING:
                continue
            rows_of, columns = boxes[patch - 1]
            cell = rows.setdefault(
                paint.pot,
                {"count": 0, "area": 0, "unsure": 0, "box": [1e9, 1e9, 0, 0], "at": None, "most": 0},
            )
            area = int(found.areas[patch])
            cell["count"] += 1
            cell["area"] += area
            cell["unsure"] += paint.unsure
            low, high = cell["box"][:2], cell["box"][2:]
            cell["box"] = [
                min(low[0], columns.start), min(low[1], rows_of.start),
                max(high[0], columns.stop), max(high[1], rows_of.stop),
            ]  # fmt: skip
            weight = area + (1e9 if paint.unsure else 0)
            if weight > cell["most"]:
                cell["most"], cell["at"] = weight, found.anchors[patch].tolist()
        for cell in rows.values():
            del cell["most"]
        return json.dumps({"pots": rows}).encode()

    body = files.get(key_of("pots", sheet_key(row["line"], sheet), row["paint"]), ".json", make)
    return JSONResponse({**json.loads(body), "revision": row["head"] or 0})


@router.get("/shots/{shot_id}/unsure")
def unsure(shot_id: int, store: StoreDep, level: int | None = None) -> JSONResponse:
    """Patches of the whole shot that are in doubt, worst first: where, what they were compared with, the best pots."""
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id, level)
        rows = productions.drawings(cursor, shot["level_id"])
        found = revisions.get_documents(cursor, [row["paint"] for row in rows])
    cards = []
    for row in rows:
        for data in found.get(row["paint"], {}).get("patches", []):
            spot = Spot.from_dict(data)
            if not spot.unsure:
                continue
            cards.append(
                {
                    "drawing": row["id"], "number": row["number"], "at": spot.at, "doubt": round(spot.doubt, 2),
                    "pots": [spot.pot, *spot.others], "from": spot.source, "joined": spot.joined,
                }
            )  # fmt: skip
    cards.sort(key=lambda card: -card["doubt"])
    return JSONResponse({"cards": cards})
