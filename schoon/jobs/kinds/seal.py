"""Looking for gaps."""

from __future__ import annotations

from typing import Any

from ...store import Cursor, DrawingRow, ShotRow, revisions
from ...work.placing import paper_of
from .. import tasks
from ..work import Call, DrawingKind, Work, many


class Seal(DrawingKind):
    """Proposes stitches anew; what a hand drew or judged stays."""

    def label(self, work: Work) -> str:
        return f"look for gaps in {many(work.job['total'])}"

    def plan(self, work: Work, cursor: Cursor, row: DrawingRow, shot: ShotRow) -> Call:
        found = revisions.get_documents(cursor, [row["line"], row["seal"]])
        return tasks.seal, found.get(row["line"]), found.get(row["seal"]), paper_of(shot)

    def documents(self, result: Any, cursor: Cursor, row: DrawingRow) -> dict[revisions.Part, Any]:
        return {"seal": result}
