"""Cleaning: lines found in roughs, and their gaps."""

from __future__ import annotations

from functools import partial
from typing import Any

from ...store import Cursor, DrawingRow, ShotRow, revisions
from ...work import readings
from ...work.derived import to_json
from ...work.edits import line_rule
from ...work.placing import paper_of
from .. import tasks
from ..work import Call, DrawingKind, Work, many


class Clean(DrawingKind):
    """settings: reading, as `CleanupSettings`, with the drawings that teach the others in `taught_by`."""

    reads = ("line", "seal", "said")

    def begin(self, work: Work) -> None:
        work.reads()

    def label(self, work: Work) -> str:
        return f"clean {many(work.job['total'])}"

    def plan(self, work: Work, cursor: Cursor, row: DrawingRow, shot: ShotRow) -> Call:
        documents = revisions.get_documents(cursor, [row["line"], row["seal"]])
        reading = work.settings.get("reading", {})
        rough = work.files.read_json(readings.key(row, reading, work.lessons))
        if rough is None:
            rough = readings.wanted(cursor, row, reading, work.lessons)
        return (
            tasks.clean, rough, documents.get(row["line"]), documents.get(row["seal"]),
            vars(line_rule(cursor, shot)), paper_of(shot), readings.own(cursor, row, reading),
        )  # fmt: skip

    def documents(self, result: Any, cursor: Cursor, row: DrawingRow) -> dict[revisions.Part, Any]:
        line, seal, _ = result
        return {"line": line, "seal": seal}

    def kept(self, work: Work, row: DrawingRow, result: Any) -> None:
        key = readings.key(row, work.settings.get("reading", {}), work.lessons)
        work.files.get(key, ".json", partial(to_json, result[2]))
