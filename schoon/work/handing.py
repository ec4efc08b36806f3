"""What is told of a shot beside its pictures when it is handed off, and what is still open before that."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..core import exposure
from ..core.model.depth import depth_at
from ..store import Cursor, ShotRow, models, productions
from . import proofing
from .placing import Placed, size_of
from .stacks import HANDED_OFF
from .summaries import summaries, without


def about_layers(cursor: Cursor, shot: ShotRow) -> dict[str, Any]:
    """A shot as levels with their timing and placement, see docs/formats.md."""
    time = productions.time_of(cursor, shot["id"])
    stack = productions.stack_of(cursor, shot["id"])
    placed = Placed(size_of(shot), stack)
    levels = []
    for level in productions.levels(cursor, shot["id"]):
        state = stack.levels[level["id"]]
        if level["kind"] not in HANDED_OFF:
            continue
        rows = productions.drawings(cursor, level["id"])
        numbers = {row["id"]: row["number"] for row in rows}
        moves = {
            frame: list(numbers_seen)
            for frame in range(1, time.frames + 1)
            if (numbers_seen := placed.seen(level["id"], frame))
            != placed.seen(level["id"], max(1, frame - 1))
            or frame == 1
        }
        levels.append(
            {
                "id": level["id"],
                "name": level["name"],
                "kind": level["kind"],
                "size": list(state.paper or size_of(shot)),
                "visible": state.visible,
                "opacity": state.opacity / 100,
                "blend": "normal",
                "drawings": [{"id": row["id"], "number": row["number"], "kind": row["kind"]} for row in rows],
                "exposures": [
                    {"frame": first, "frames": count, "drawing": numbers[drawing]}
                    for first, count, drawing in exposure.spans(time.levels[level["id"]], time.frames)
                ],
                "placement": moves,
            }
        )
    notes = [
        {"first": note.first, "last": note.last, "words": note.words}
        for note in time.notes.values()
        if note.drawing is None and note.words
    ]
    return {
        "version": 1,
        "production": shot["production"],
        "shot": shot["name"],
        "size": list(size_of(shot)),
        "fps": float(shot["fps"]),
        "frames": time.frames,
        "levels": levels,
        "notes": notes,
    }


def depths(cursor: Cursor, shot: ShotRow) -> dict[int, tuple[str, ...]]:
    """Parts of the level's model from front to rear, in each of its drawings. shot: seen with the level."""
    model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
    changes = productions.stack_of(cursor, shot["id"]).levels[shot["level_id"]].depth
    run = [row["id"] for row in productions.drawings(cursor, shot["level_id"])]
    parts, said = ([pot["part"] for pot in model["pots"]], model["depth"]) if model else ([], [])
    return {drawing: depth_at(parts, said, changes, run, drawing) for drawing in run}


@dataclass(frozen=True)
class Open:
    """Something that is not decided yet. stage: where it is decided."""

    what: str
    words: str
    stage: str
    count: int


def open_things(cursor: Cursor, shot: ShotRow, level_ids: Sequence[int]) -> list[Open]:
    """What is open in levels that are to be handed off: findings, gaps, unsure patches, drawings without line or paint, notes."""
    found: list[Open] = []
    stack = productions.stack_of(cursor, shot["id"])
    bare = unlined = gaps = unsure = findings = unlooked = 0
    for level in level_ids:
        rows = productions.drawings(cursor, level)
        skips = stack.levels[level].skips
        counts = {k: without(own, skips) for k, own in summaries(cursor, rows).items()}
        unlined += sum(not row["line"] for row in rows) if "line" not in skips else 0
        bare += sum(bool(row["line"]) and not counts[row["id"]].painted for row in rows)
        unsure += sum(own.unsure for own in counts.values())
        gaps += sum(own.open_gaps for own in counts.values())
        state = proofing.now(cursor, level)
        # What was found before a change says nothing of what is there now.
        unlooked += not state["fresh"]
        findings += state["open"]
    notes = sum(not note.done for note in productions.time_of(cursor, shot["id"]).notes.values())
    for count, what, words, stage in (
        (unlined, "line", "without a line", "line"),
        (gaps, "gap", "not judged", "seal"),
        (bare, "paint", "without paint", "paint"),
        (unsure, "unsure", "unsure", "paint"),
        (findings, "finding", "that nobody has decided", "proof"),
        (unlooked, "proof", "not looked at as it is now", "proof"),
        (notes, "note", "not done", "rough"),
    ):
        if count:
            noun = _NOUNS[what] + ("es" if what == "unsure" else "s") * (count != 1)
            found.append(Open(what, f"{count} {noun} {words}", stage, count))
    return found


_NOUNS = {
    "line": "drawing",
    "gap": "gap",
    "paint": "drawing",
    "unsure": "patch",
    "finding": "finding",
    "proof": "level",
    "note": "note",
}
