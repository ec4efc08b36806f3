"""Cleaning: lines found in roughs, and their gaps."""

from __future__ import annotations

from functools import partial
from typing import Any

from ...store import Cursor, DrawingRow, ShotRow, pictures, revisions
from ...work.derived import lines_key, to_json
from ...work.edits import line_rule
from .. import tasks
from ..work import Call, DrawingKind, Work, many


class Clean(DrawingKind):
    """settings: reading, as `CleanupSettings`."""

    def label(self, work: Work) -> str:
        return f"clean {many(work.job['total'])}"

    def plan(self, work: Work, cursor: Cursor, row: DrawingRow, shot: ShotRow) -> Call:
        reading = work.settings.get("reading", {})
        documents = revisions.get_documents(cursor, [row["line"], row["seal"]])
        found = work.files.read_json(lines_key(row["rough"], reading))
        body = b"" if found is not None else pictures.get(cursor, row["rough"])["body"]
        size = (int(shot["width"]), int(shot["height"]))
        return (
            tasks.clean, f"drawing {row['number']}", body, reading, found, documents.get(row["line"]),
            documents.get(row["seal"]), vars(line_rule(cursor, shot)), size,
        )  # fmt: skip

    def documents(self, result: Any, cursor: Cursor, row: DrawingRow) -> dict[revisions.Part, Any]:
        line, seal, _ = result
        return {"line": line, "seal": seal}

    def kept(self, work: Work, row: DrawingRow, result: Any) -> None:
        key = lines_key(row["rough"], work.settings.get("reading", {}))
        work.files.get(key, ".json", partial(to_json, result[2]))
