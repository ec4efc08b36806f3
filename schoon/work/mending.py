"""A shot that was harmed from outside: what cannot be read goes back to its last revision that can."""

from __future__ import annotations

import logging
import zlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from ..errors import Damaged, NotFound
from ..store import Cursor, productions, revisions
from ..store.documents import put_document
from ..store.revisions import PARTS, Subject
from .documents import sheet_of
from .placing import paper_of

log = logging.getLogger(__name__)

HARMED = (Damaged, NotFound, ValueError, LookupError, TypeError, AttributeError, zlib.error)
"""What reading rows or documents ends with that were harmed."""


_BARE: dict[str, str | None] = dict.fromkeys(PARTS)
"""What a drawing holds on which nothing was done."""


@dataclass
class Mended:
    """What went back to an earlier revision, and that of which nothing earlier is whole."""

    back: list[str] = field(default_factory=list)
    lost: list[str] = field(default_factory=list)

    def __str__(self) -> str:
        """In words."""
        words = [f"brought back as they were before: {', '.join(self.back)}"] if self.back else []
        if self.lost:
            words.append(f"nothing earlier is whole of {', '.join(self.lost)}: restore a backup beside it")
        return "; ".join(words) or "nothing of it was harmed"


def mend(cursor: Cursor, shot_id: int) -> Mended:
    """Brings back what of a shot can be read, as one step of its history. Nothing that is whole changes."""
    found = Mended()
    action: int | None = None

    def of_mending() -> int:
        nonlocal action
        action = action or revisions.begin_action(cursor, "bring back what is whole")
        return action

    stack = Subject("stack", shot_id)
    revisions.lock(cursor, [stack])
    if not _reads(lambda: productions.stack_of(cursor, shot_id)):
        before = next(_states(cursor, stack), None)
        if before is None:
            found.lost.append("its levels")
        else:
            # Nobody knows how they stand now: all of it is written.
            productions.set_stack(cursor, shot_id, before.model_copy(update={"framing": None}), before)
            name = put_document(cursor, before.document())
            revisions.revise(cursor, stack, of_mending(), stack=name)
            found.back.append("its levels")
    for level in productions.levels(cursor, shot_id):
        size = paper_of(productions.shot_of_level(cursor, level["id"]))
        ids = [row["id"] for row in productions.drawings(cursor, level["id"])]
        for row in revisions.lock_drawings(cursor, ids).values():
            subject = Subject("drawing", row["id"])
            now: dict[str, str | None] = {part: row[part] for part in PARTS}
            if _whole(cursor, size, now):
                continue
            words = f"drawing {row['number']} of {level['name']}"
            earlier = (
                parts for parts in _earlier(cursor, subject) if _whole(cursor, size, {**_BARE, **parts})
            )
            parts = next(earlier, None)
            if parts is None:
                found.lost.append(words)
                continue
            revisions.revise(cursor, subject, of_mending(), **{**_BARE, **parts})
            found.back.append(words)
    return found


def _reads(read: Callable[[], object]) -> bool:
    try:
        read()
    except HARMED:
        log.exception("this was harmed")
        return False
    return True


def _whole(cursor: Cursor, size: tuple[int, int], parts: Mapping[str, str | None]) -> bool:
    def read() -> object:
        documents = revisions.get_documents(cursor, [name for name in parts.values() if name])
        return sheet_of(size, *(documents.get(parts[part]) for part in PARTS))

    return _reads(read)


def _states(cursor: Cursor, subject: Subject) -> Iterator[Any]:
    """How a subject that is in rows stood, the latest first, as far as it can be read."""
    for revision in revisions.line_of(cursor, subject):
        try:
            yield revisions.state_at(cursor, subject, revision)
        except HARMED:
            continue


def _earlier(cursor: Cursor, subject: Subject) -> Iterator[dict[str, str]]:
    """part -> document of the revisions of a drawing, the latest first."""
    for revision in revisions.line_of(cursor, subject):
        yield revisions.parts_at(cursor, subject, revision)
