"""Setting from which size on an area is a patch of its own."""

from __future__ import annotations

from typing import Any

from ...store import Cursor, DrawingRow, ShotRow, revisions
from ...work.placing import paper_of
from .. import tasks
from ..work import Call, DrawingKind, Work


class Specks(DrawingKind):
    """settings: under, px². Paint of areas that are gone goes with them, so that it does not make their neighbours
    unsure."""

    reads = revisions.PAINTED

    def label(self, work: Work) -> str:
        return f"specks under {work.settings['under']} px² join their neighbour"

    def plan(self, work: Work, cursor: Cursor, row: DrawingRow, shot: ShotRow) -> Call:
        found = revisions.get_documents(cursor, [row[part] for part in self.reads])
        return (
            tasks.specks, tuple(found.get(row[part]) for part in self.reads), paper_of(shot),
            int(work.settings["under"]),
        )  # fmt: skip

    def documents(self, result: Any, cursor: Cursor, row: DrawingRow) -> dict[revisions.Part, Any]:
        seal, paint = result
        return {"seal": seal} if paint is None else {"seal": seal, "paint": paint}

    def run(self, work: Work) -> str:
        with work.store.transaction() as cursor:
            before = work.heads(cursor)
        words = super().run(work)
        with work.store.transaction() as cursor:
            after = work.heads(cursor)
        changed = sum(after[drawing] != head for drawing, head in before.items())
        drawings = f"{changed} drawing{'s' * (changed != 1)}"
        said = f"Specks under {work.settings['under']} px² join their neighbour in {drawings}; undone as one"
        return f"{said}; {words}" if words else said
