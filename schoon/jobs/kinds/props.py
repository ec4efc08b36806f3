"""Rigid props in the drawings between those in which they are placed by hand."""

from __future__ import annotations

from typing import Any

from ...errors import Refusal
from ...store import Cursor, DrawingRow, ShotRow, productions, revisions
from ...work import props as placed_props
from ...work.placing import paper_of
from ..work import Call, DrawingKind, Work, many


class Props(DrawingKind):
    """settings: prop; chart, how the drawings between lie on the way; snap, whether each is brought onto its rough."""

    reads = placed_props.DERIVES_FROM

    def label(self, work: Work) -> str:
        return f"carry a prop through {many(work.job['total'])}"

    def plan(self, work: Work, cursor: Cursor, row: DrawingRow, shot: ShotRow) -> Call:
        prop_id = int(work.settings["prop"])
        prop = placed_props.prop_for(cursor, prop_id, shot)
        rows = productions.drawings(cursor, work.level)
        where = placed_props.way_through(cursor, shot, rows, prop_id, work.settings.get("chart", "time"))
        if row["id"] not in where:
            raise Refusal("This drawing lies between no two in which the prop is placed any more")
        snap = bool(work.settings.get("snap")) and bool(placed_props.rough_name(row))
        order = placed_props.order_for(cursor, prop, row, shot, where[row["id"]], snap, moves=True)
        return placed_props.drawn, placed_props.documents_of(cursor, row), paper_of(shot), order

    def documents(self, result: Any, cursor: Cursor, row: DrawingRow) -> dict[revisions.Part, Any]:
        return dict(result)
