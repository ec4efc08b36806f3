"""What is in each drawing of a level, in numbers."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Sequence
from dataclasses import asdict, dataclass, replace
from functools import partial
from typing import Any

from ..core.paint import UNSURE_ABOVE
from ..core.strokes import Stroke
from ..core.tone import UNSURE_ABOVE as TONE_UNSURE_ABOVE
from ..store import Cursor, DrawingRow, counts, documents, revisions
from . import edits
from .derived import Memory
from .roughs import rough_name


@dataclass(frozen=True)
class Summary:
    """Counts of one drawing. touched: strokes a hand has made or changed, between: those of in-betweens. doubtful: proposals of little confidence.
    parts: names the strokes are assigned to. hand: patches painted by hand. toned: tones, toned_by_hand: those of a hand,
    toned_unsure: those that are proposed and in doubt.
    box: left, top, right, bottom of what is drawn, px; None if nothing is. sheet: an empty sheet, which has no rough to be
    cleaned from.
    """

    strokes: int = 0
    touched: int = 0
    between: int = 0
    doubtful: int = 0
    parts: tuple[str, ...] = ()
    open_gaps: int = 0
    painted: int = 0
    hand: int = 0
    unsure: int = 0
    toned: int = 0
    toned_by_hand: int = 0
    toned_unsure: int = 0
    box: tuple[float, float, float, float] | None = None
    sheet: bool = False


def without(own: Summary, skips: Collection[str]) -> Summary:
    """Counts of a drawing whose level does without some stages: nothing of these is left to do."""
    done: dict[str, Any] = {}
    if "line" in skips:
        done |= {"strokes": max(own.strokes, 1), "doubtful": 0}
    if "seal" in skips:
        done |= {"open_gaps": 0}
    if "paint" in skips:
        done |= {"painted": max(own.painted, 1), "unsure": 0}
    if "tone" in skips:
        done |= {"toned": max(own.toned, 1), "toned_unsure": 0}
    return replace(own, **done)


_summaries: Memory[Summary] = Memory(50_000)

_COUNTED = 1
"""Which way of counting; the next number when a count comes to mean something else."""


def _name(row: DrawingRow) -> str:
    """What the counts of a drawing derive from. Unlike what is computed, they outlast other versions of the program."""
    made_from = (
        _COUNTED, UNSURE_ABOVE, TONE_UNSURE_ABOVE, bool(rough_name(row)), *(row[part] for part in revisions.SHOWN),
    )  # fmt: skip
    return hashlib.sha256(repr(made_from).encode()).hexdigest()


def summaries(
    cursor: Cursor, rows: Sequence[DrawingRow], fresh: dict[str, Any] | None = None
) -> dict[int, Summary]:
    """drawing id -> counts, for rows that name their line, seal and paint documents.

    fresh: takes what had to be counted and was not kept before, for `store.counts.put`; without it nothing is looked up there.
    """
    keys = {row["id"]: _name(row) for row in rows}
    sums: dict[str | None, int] = {}
    if fresh is not None:
        asked = [row for row in rows if keys[row["id"]] not in _summaries]
        sums = documents.sums(cursor, (row[part] for row in asked for part in revisions.SHOWN))
        kept = counts.get(cursor, [keys[row["id"]] for row in asked])
        for row in asked:
            body = kept.get(keys[row["id"]])
            # What was harmed since is read again, and found out.
            if body is not None and body.pop("sums") == _sums_of(row, sums):
                _summaries.get(keys[row["id"]], partial(_read, body))
    missing = [row for row in rows if keys[row["id"]] not in _summaries]
    found = revisions.get_documents(
        cursor, [row[part] for row in missing for part in ("seal", "paint", "tone")]
    )

    def count(row: DrawingRow) -> Summary:
        strokes, own, _ = edits.line_named(cursor, row["line"])
        stitches = found.get(row["seal"], {}).get("stitches", [])
        patches = found.get(row["paint"], {}).get("patches", [])
        shapes = found.get(row["tone"], {}).get("shapes", [])
        return Summary(
            strokes=len(strokes),
            touched=sum(s.by == "hand" for s in strokes),
            between=sum(s.by == "between" for s in strokes),
            doubtful=0 if own else sum(s.doubtful for s in strokes),
            parts=tuple(sorted({s.part for s in strokes if s.part})),
            open_gaps=sum(s["state"] == "open" for s in stitches),
            painted=len(patches),
            hand=sum(p["by"] == "hand" for p in patches),
            unsure=sum(p["by"] != "hand" and p["doubt"] > UNSURE_ABOVE for p in patches),
            toned=len(shapes),
            toned_by_hand=sum(s["by"] == "hand" for s in shapes),
            toned_unsure=sum(s["by"] != "hand" and s.get("doubt", 0) > TONE_UNSURE_ABOVE for s in shapes),
            box=_box(strokes),
            sheet=not rough_name(row),
        )

    told = {row["id"]: _summaries.get(keys[row["id"]], partial(count, row)) for row in rows}
    if fresh is not None:
        fresh |= {
            keys[row["id"]]: {**asdict(told[row["id"]]), "sums": _sums_of(row, sums)} for row in missing
        }
    return told


def _sums_of(row: DrawingRow, sums: dict[str | None, int]) -> list[int | None]:
    return [sums.get(row[part]) for part in revisions.SHOWN]


def _read(body: dict[str, Any]) -> Summary:
    box = body["box"]
    return Summary(**{**body, "parts": tuple(body["parts"]), "box": box and tuple(box)})


def _box(strokes: Sequence[Stroke]) -> tuple[float, float, float, float] | None:
    if not strokes:
        return None
    left, top, right, bottom = zip(*(s.box for s in strokes), strict=True)
    return min(left), min(top), max(right), max(bottom)
