"""What proofing looks at in a level, and its findings as the page and the report show them."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..core import exposure
from ..core.exposure import Again
from ..core.model.compare import Expected
from ..core.proof import Finding, Shown
from ..store import Cursor, DrawingRow, ShotRow, findings, models, productions, revisions
from ..store.states import Level, Stack, Time
from .covering import Covers, in_front
from .derived import key_of
from .placing import Placed, size_of

RULE_WORDS = {
    "flash": "Flash", "missing": "Missing", "extra": "Extra", "hole": "Hole", "speck": "Speck", "spill": "Spill",
    "halo": "Pale edge", "weight": "Weight", "tremble": "Tremble", "drift": "Drift", "slide": "Slide", "pop": "Pop",
    "gap": "Gap", "off-key": "Off key", "rhythm": "Rhythm", "empty": "Empty", "cycle": "Cycle", "model": "Model",
}  # fmt: skip
"""rule -> its name on the page."""


@dataclass(frozen=True, eq=False)
class Looked:
    """What a level's findings derive from. rows: its drawings that have a line, in order. every: all of its drawings. front:
    names of what levels in front of it show, by level."""

    shot: ShotRow
    rows: list[DrawingRow]
    every: list[DrawingRow]
    time: Time
    stack: Stack
    pots: Mapping[int, str]
    expected: Mapping[int, Expected]
    parts: Mapping[int, str]
    front: Mapping[int, list[tuple[int, str | None, str | None]]]

    @property
    def level(self) -> int:
        return int(self.shot["level_id"])

    @property
    def own(self) -> Level:
        return self.stack.levels[self.level]

    @property
    def key(self) -> str:
        """Changes when findings may."""
        names = [(row["id"], *(row[part] for part in revisions.SHOWN)) for row in self.every]
        starts = self.time.levels[self.level]
        framing = {frame: notch.model_dump() for frame, notch in self.stack.framing.items()}
        return key_of(
            "proof", _VERSION, names, sorted(self.pots.items()), str(sorted(self.expected.items())),
            sorted(self.parts.items()), str(starts), self.time.frames, json.dumps(framing),
            self.own.place.model_dump_json(), self.time.meant, self.own.skips,
            [(k, own, str(self.time.levels[k]), self.stack.levels[k].place.model_dump_json()) for k, own in self.front.items()],
        )  # fmt: skip

    def spans(self) -> list[tuple[int, int, int]]:
        """(first frame, frames, drawing) of what is shown."""
        return exposure.spans(self.time.levels[self.level], self.time.frames)

    def shown(self, painted: Collection[int], toned: Collection[int]) -> Shown:
        """The same for the rules of time, drawings by their index in `every`. painted, toned: drawings with any of it."""
        index = {row["id"]: k for k, row in enumerate(self.every)}

        def having(stage: str, drawings: Collection[int]) -> frozenset[int]:
            """Nothing is lacking of a stage that the level does without."""
            return frozenset(index.values() if stage in self.own.skips else (index[d] for d in drawings))

        placed = Placed(size_of(self.shot), self.stack)
        seen = [placed.seen(self.level, frame) for frame in range(1, self.time.frames + 1)]
        moving = [f for f in range(2, self.time.frames + 1) if seen[f - 1] != seen[f - 2]]
        return Shown(
            self.time.frames,
            [(first, count, index[d]) for first, count, d in self.spans() if d in index],
            moving,
            self._cycles(),
            having("line", [row["id"] for row in self.rows]),
            having("paint", painted),
            having("tone", toned),
        )

    def _cycles(self) -> list[tuple[int, ...]]:
        """Drawings from where a repeat goes back to, up to the repeat, by their index in `rows`."""
        starts = self.time.levels[self.level]
        lined = {row["id"]: k for k, row in enumerate(self.rows)}
        found = []
        for frame, what in sorted(starts.items()):
            if isinstance(what, Again):
                spans = [d for first, _, d in self.spans() if what.first <= first < frame]
                if spans and all(d in lined for d in spans):
                    found.append(tuple(dict.fromkeys(lined[d] for d in spans)))
        return found


_VERSION = 6
"""Changes when a rule does."""


def looked_at(cursor: Cursor, level_id: int) -> Looked:
    """Reads what findings derive from. Raises NotFound."""
    shot = productions.shot_of_level(cursor, level_id)
    every = productions.drawings(cursor, level_id)
    model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
    pots = model["pots"] if model else []
    stack = productions.stack_of(cursor, shot["id"])
    front = {
        level: [(row["id"], row["line"], row["paint"]) for row in productions.drawings(cursor, level)]
        for level in in_front(stack, level_id)
    }
    return Looked(
        shot,
        [row for row in every if row["line"]],
        every,
        productions.time_of(cursor, shot["id"]),
        stack,
        {pot["id"]: pot["name"] for pot in pots},
        {pot["id"]: Expected(pot["expected"], pot["share"]) for pot in pots},
        models.parts_of(model),
        front,
    )


def kept(
    looked: Looked, covers: Covers, found: Sequence[Finding], rows: Sequence[DrawingRow]
) -> list[dict[str, Any]]:
    """Findings as they are kept, but those that nobody sees. rows: what their indices are of."""
    listed = []
    for finding in found:
        drawings = [int(rows[n]["id"]) for n in finding.drawings]
        frames = sum(_frames_seen(looked, covers, finding, drawing) for drawing in drawings)
        if finding.rule != "empty" and not frames:
            continue
        if finding.rule != "empty" and all(d in looked.time.meant for d in drawings):
            continue
        listed.append(
            {
                "rule": finding.rule,
                "drawings": drawings,
                "at": None if finding.at is None else [round(v, 1) for v in finding.at],
                "words": finding.words,
                "area": round(finding.area, 1),
                "worth": round(finding.area * max(frames, 1), 1),
                "act": finding.act,
                "pot": finding.pot,
                "factor": round(finding.factor, 4),
                "like": None if finding.like is None else int(rows[finding.like]["id"]),
                "there": None if finding.there is None else [round(v, 1) for v in finding.there],
            }
        )
    return sorted(listed, key=lambda f: -f["worth"])


def _frames_seen(looked: Looked, covers: Covers, finding: Finding, drawing: int) -> int:
    """Frames that show a drawing with the place of a finding inside the frame and not covered."""
    spans = [(first, count) for first, count, own in looked.spans() if own == drawing]
    if finding.at is None:
        return sum(count for _, count in spans)
    width, height = size_of(looked.shot)
    x, y = finding.at
    seen = 0
    for frame in (f for first, count in spans for f in range(first, first + count)):
        a, b, c, d, e, f = covers.placed.seen(looked.level, frame)
        at = (a * x + c * y + e, b * x + d * y + f)
        seen += 0 <= at[0] < width and 0 <= at[1] < height and not covers.hides(frame, at)
    return seen


def open_count(cursor: Cursor, level_id: int, own: Level) -> int | None:
    """Findings of a level that nobody has decided, as they were computed last; None if it was never looked."""
    made_from, found = findings.get(cursor, level_id)
    if not made_from:
        return None
    return sum(not any(w.about(f["rule"], f["drawings"], f["at"]) for w in own.waved) for f in found)


def now(cursor: Cursor, level_id: int) -> dict[str, Any]:
    """Findings of a level as they were computed last, with what was waved through; whether anything has changed since."""
    looked = looked_at(cursor, level_id)
    made_from, found = findings.get(cursor, level_id)
    listed = []
    for one in found:
        said = next((w for w in looked.own.waved if w.about(one["rule"], one["drawings"], one["at"])), None)
        name = key_of(one["rule"], one["drawings"], one["at"], one["words"])[:12]
        listed.append(
            {"id": name, **one, "waved": None if said is None else {"reason": said.reason, "by": said.by}}
        )
    return {
        "fresh": made_from == looked.key,
        "looked": bool(made_from),
        "findings": listed,
        "open": sum(one["waved"] is None for one in listed),
    }
