"""A level copied within its shot: its timing alone, or with what is drawn and painted on it."""

from __future__ import annotations

from typing import Literal

from ..core.exposure import Again
from ..errors import Refusal
from ..store import Cursor, productions, revisions
from ..store.revisions import Subject

What = Literal["timing", "lines", "all"]
"""timing: empty sheets, as long as they are. lines: with roughs and lines. all: with paint and tones too, its finish and keys."""

_PARTS: dict[What, tuple[revisions.Part, ...]] = {
    "timing": (),
    "lines": ("line", "said", "sketch"),
    "all": revisions.PARTS,
}


def duplicate(cursor: Cursor, level_id: int, name: str, what: What) -> int:
    """A new level in front of all others that is like another one and free of it. Returns its id. Raises NotFound, Refusal."""
    shot = productions.shot_of_level(cursor, level_id)
    now = productions.stack_of(cursor, shot["id"])
    own = now.levels[level_id]
    if own.kind == "backdrop" and what != "all":
        raise Refusal("A backdrop has no timing of its own; copy all of it")
    made = productions.add_level(cursor, shot["id"], name, own.model, own.key)
    rows = productions.drawings(cursor, level_id)
    drawn = what != "timing"
    fresh_rows: list[tuple[int | str, str, str | None]] = [
        (row["number"], row["kind"], (row["rough"] or None) if drawn else None) for row in rows
    ]
    numbers = {row["id"]: row["number"] for row in rows}
    starts = productions.exposures(cursor, level_id)
    productions.fill_level(
        cursor, made, fresh_rows, {f: numbers[d] for f, d in starts.items() if isinstance(d, int)}
    )
    fresh = {row["number"]: row["id"] for row in productions.drawings(cursor, made)}
    new = {row["id"]: fresh[row["number"]] for row in rows}
    action = revisions.begin_action(cursor, f"copy the level {own.name}")
    for row in rows:
        parts = {part: row[part] for part in _PARTS[what] if row[part]}
        if parts:
            revisions.revise(cursor, Subject("drawing", new[row["id"]]), action, **parts)
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
            "depth": {new[d]: parts for d, parts in own.depth.items() if d in new},
            **({"finish": own.finish, "key_changes": own.key_changes, "lights": own.lights} if what == "all" else {}),
            "entries": {
                entry: tuple((new[d], frames) for d, frames in run) for entry, run in own.entries.items()
            },
        }
    )  # fmt: skip
    productions.set_stack(
        cursor, shot["id"], stack, stack.model_copy(update={"levels": {**stack.levels, made: like}})
    )
    return made
