"""A level copied within its shot: its timing alone, or with what is drawn and painted on it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from ..core.exposure import Again
from ..errors import Refusal
from ..store import Cursor, DrawingRow, productions, revisions
from ..store.revisions import Subject
from .documents import again_document, uses_of

What = Literal["timing", "lines", "all", "linked"]
"""timing: empty sheets, as long as they are. lines: with roughs and lines. all: with paint and tones too, its finish and keys.
linked: the same drawings: what is done to one is done to the other."""

_PARTS: dict[What, tuple[revisions.Part, ...]] = {
    "timing": (),
    "lines": ("line", "said", "sketch", "props", "again"),
    "all": revisions.PARTS,
    "linked": revisions.PARTS,
}

_SHADED = ("finish", "key_changes", "lights", "key_lights")
"""What of a level goes with its paint and tones."""


def onto(
    cursor: Cursor,
    level: int,
    rows: Sequence[DrawingRow],
    label: str,
    parts: Sequence[revisions.Part],
    roughs: bool = True,
) -> dict[int, int]:
    """Puts copies of drawings into an empty level, as one action: drawing -> its copy. parts: the documents that come along."""
    fresh_rows: list[tuple[int | str, str, str | None]] = [
        (row["number"], row["kind"], (row["rough"] or None) if roughs else None) for row in rows
    ]
    productions.fill_level(cursor, level, fresh_rows, {})
    made = {row["number"]: row["id"] for row in productions.drawings(cursor, level)}
    action = revisions.begin_action(cursor, label)
    new = {int(row["id"]): int(made[row["number"]]) for row in rows}
    for row in rows:
        own = {part: row[part] for part in parts if row[part]}
        if "again" in own:
            own["again"] = _of_copies(cursor, own["again"], new)
        if own:
            revisions.revise(cursor, Subject("drawing", made[row["number"]]), action, **own)
    return new


def _of_copies(cursor: Cursor, again: str | None, new: dict[int, int]) -> str:
    """What parts of a copy follow: the copies of what those of the drawing do. new: drawing -> its copy."""
    uses = uses_of(revisions.get_documents(cursor, [again])[again])
    return revisions.put_document(
        cursor,
        again_document(
            {part: replace(u, source=new[u.source]) for part, u in uses.items() if u.source in new}
        ),
    )


def duplicate(cursor: Cursor, level_id: int, name: str, what: What) -> int:
    """A new level in front of all others that is like another one, and free of it unless it is linked. Returns its id. Raises
    NotFound, Refusal."""
    shot = productions.shot_of_level(cursor, level_id)
    now = productions.stack_of(cursor, shot["id"])
    own = now.levels[level_id]
    whole = what in ("all", "linked")
    if own.kind == "backdrop" and not whole:
        raise Refusal("A backdrop has no timing of its own; copy all of it")
    made = productions.add_level(cursor, shot["id"], name, own.model, own.key)
    rows = productions.drawings(cursor, level_id)
    new = onto(cursor, made, rows, f"copy the level {own.name}", _PARTS[what], what != "timing")
    if what == "linked":
        productions.link(cursor, level_id, own.linked, new)
    starts = productions.exposures(cursor, level_id)
    # Repeats and pauses are no drawings.
    time = productions.time_of(cursor, shot["id"])
    sheet = {f: d if d is None or isinstance(d, Again) else new[d] for f, d in starts.items()}
    labels = {new[d]: label for d, label in time.labels.items() if d in new}
    then = time.model_copy(
        update={"levels": {**time.levels, made: sheet}, "labels": {**time.labels, **labels}}
    )
    productions.set_time(cursor, shot["id"], time, then)
    stack = productions.stack_of(cursor, shot["id"])
    like = stack.levels[made].model_copy(
        update={
            "kind": own.kind, "opacity": own.opacity, "tint": own.tint, "place": own.place, "skips": own.skips,
            "part_labels": own.part_labels, "paper": own.paper, "lay": own.lay, "linked": what == "linked",
            "depth": {new[d]: parts for d, parts in own.depth.items() if d in new},
            **({name: getattr(own, name) for name in _SHADED} if whole else {}),
            "entries": {
                entry: tuple((new[d], frames) for d, frames in run) for entry, run in own.entries.items()
            },
        }
    )  # fmt: skip
    productions.set_stack(
        cursor, shot["id"], stack, stack.model_copy(update={"levels": {**stack.levels, made: like}})
    )
    return made
