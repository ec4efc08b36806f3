"""What waits for a person through a whole run, and what each pot has in a drawing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from scipy import ndimage as ndi

from ..core.paint import NOTHING, Unsure, questions
from ..core.patches import Patches
from ..core.seal import Stitch, evidence_for
from ..store import Cursor, ShotRow, productions, revisions
from . import edits
from .documents import Sheet, Spot, painting_of

_OFFERED = 3
"""Pots that are offered on a card."""


def gap_cards(cursor: Cursor, shot: ShotRow) -> tuple[list[dict[str, Any]], int]:
    """The gaps of a level that nobody has judged, worst doubt first, and how many were judged.

    shot: seen with the level. `like` says how a person judged the same gap in a neighbouring drawing.
    """
    rows = productions.drawings(cursor, shot["level_id"])
    found = revisions.get_documents(cursor, [row["seal"] for row in rows])
    stitches = [[Stitch.from_dict(s) for s in found.get(row["seal"], {}).get("stitches", [])] for row in rows]
    judged = [[s for s in drawing if s.by == "hand" and s.state != "open"] for drawing in stitches]
    centres = [_middle(cursor, row["line"]) for row in rows]
    side = float(max(shot["paper"]))
    cards = []
    for index, row in enumerate(rows):
        for stitch in stitches[index]:
            if stitch.state != "open" or row["meant"]:
                continue
            like = evidence_for(stitch, index, judged, centres, side)
            cards.append(
                {
                    "drawing": row["id"], "number": row["number"], "stitch": stitch.id, "doubt": round(stitch.doubt, 3),
                    "reason": stitch.reason, "points": stitch.points.tolist(), "revision": row["head"],
                    "width": round(float(np.hypot(*(stitch.points[0] - stitch.points[-1])))),
                    "like": {"number": rows[like.drawing]["number"], "state": like.state} if like else None,
                }
            )  # fmt: skip
    # What was decided next door is decided here at a glance, so it comes together and first.
    cards.sort(key=lambda card: (card["like"] is None, -card["doubt"]))
    return cards, sum(map(len, judged))


def _middle(cursor: Cursor, line: str | None) -> Any:
    """(x, y) of the middle of a line document's points, None without any."""
    strokes = edits.strokes_named(cursor, line)
    return np.concatenate([s.controls for s in strokes]).mean(axis=0) if strokes else None


def unsure_cards(cursor: Cursor, level_id: int) -> list[dict[str, Any]]:
    """What is in doubt in the paint of a level as questions, those that settle most patches first: the patches that one
    answer settles, what they were compared with, the best pots for the worst of them, the pots they carry. A question about
    several things has each of them as a card of its own in `parts`; one thing through several drawings has each of its
    patches in `each`."""
    rows = productions.drawings(cursor, level_id)
    found = revisions.get_documents(cursor, [row["paint"] for row in rows])
    spots = [
        (row, spot)
        for row in rows
        if not row["meant"]
        for spot in map(Spot.from_dict, found.get(row["paint"], {}).get("patches", []))
        if spot.unsure
    ]
    asked = [
        Unsure(
            _named(row["id"], *spot.at),
            spot.source and _named(*spot.source),
            spot.pot,
            spot.asked_with or None,
            bool(spot.joined),
        )
        for row, spot in spots
    ]

    def card(patches: Sequence[int]) -> dict[str, Any]:
        row, worst = max((spots[k] for k in patches), key=lambda pair: pair[1].doubt)
        own = {asked[k].at for k in patches}
        # What it was compared with in the end, not one of its own patches.
        outside = [spots[k][1].source for k in patches if asked[k].source not in own]
        return {
            "drawing": row["id"], "number": row["number"],
            # Where areas run together the first of them is looked at: the patch may be the whole outside.
            "at": worst.joined[0][1:] if worst.joined else worst.at, "doubt": round(worst.doubt, 2),
            "pots": [worst.pot, *worst.others], "from": next(filter(None, outside), None), "joined": worst.joined,
            "places": [{"drawing": spots[k][0]["id"], "at": spots[k][1].at} for k in patches],
            "carried": sorted({asked[k].pot for k in patches}), "parts": [],
            "each": [card([k]) for k in patches] if len(patches) > 1 else [],
        }  # fmt: skip

    cards = []
    for question in questions(asked):
        patches = [k for thing in question for k in thing]
        whole = card(patches)
        if len(question) > 1:
            pots = _offered([spots[k][1] for k in patches])
            whole |= {"pots": pots, "parts": [card(thing) for thing in question], "each": []}
        cards.append(whole)
    return sorted(cards, key=lambda card: (-len(card["places"]), -card["doubt"]))


def _offered(spots: Sequence[Spot]) -> list[int]:
    """Pots that one answer for all of them could be, likeliest first: what more than half of them may be."""
    said: dict[int, list[float]] = {}
    for spot in spots:
        for place, pot in enumerate([spot.pot, *spot.others], 1):
            said.setdefault(pot, []).append(1 / place)
    most = sorted(said, key=lambda pot: -sum(said[pot]))
    return [pot for pot in most if 2 * len(said[pot]) > len(spots)][:_OFFERED] or most[:1]


def _named(drawing: int, x: float, y: float) -> tuple[int, float, float]:
    return drawing, round(x, 1), round(y, 1)


def pot_cells(sheet: Sheet, patches: Patches) -> dict[int, dict[str, Any]]:
    """Per pot in a drawing: number and area of its patches, how many are unsure, their box, a place to look at: in the
    largest, or the largest unsure one."""
    boxes = ndi.find_objects(patches.labels, patches.count)
    cells: dict[int, dict[str, Any]] = {}
    most: dict[int, tuple[bool, int]] = {}
    for patch, paint in painting_of(sheet.spots, patches).items():
        if paint.pot == NOTHING:
            continue
        rows, columns = boxes[patch - 1]
        box = [columns.start, rows.start, columns.stop, rows.stop]
        area = int(patches.areas[patch])
        cell = cells.setdefault(paint.pot, {"count": 0, "area": 0, "unsure": 0, "box": box, "at": None})
        cell["count"] += 1
        cell["area"] += area
        cell["unsure"] += paint.unsure
        cell["box"] = [*map(min, cell["box"][:2], box[:2]), *map(max, cell["box"][2:], box[2:])]
        if (paint.unsure, area) > most.get(paint.pot, (False, 0)):
            most[paint.pot] = (paint.unsure, area)
            cell["at"] = patches.anchors[patch].tolist()
    return cells
