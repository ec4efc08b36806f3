"""What is in each drawing of a level, in numbers."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from ..core.paint import UNSURE_ABOVE
from ..core.strokes import Stroke
from ..core.tone import UNSURE_ABOVE as TONE_UNSURE_ABOVE
from ..store import Cursor, DrawingRow, revisions
from . import edits
from .derived import Memory, key_of
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


_summaries: Memory[Summary] = Memory(5000)


def summaries(cursor: Cursor, rows: Sequence[DrawingRow]) -> dict[int, Summary]:
    """drawing id -> counts, for rows that name their line, seal and paint documents."""
    keys = {
        row["id"]: key_of("summary", bool(rough_name(row)), *(row[part] for part in revisions.SHOWN))
        for row in rows
    }
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

    return {row["id"]: _summaries.get(keys[row["id"]], partial(count, row)) for row in rows}


def _box(strokes: Sequence[Stroke]) -> tuple[float, float, float, float] | None:
    if not strokes:
        return None
    left, top, right, bottom = zip(*(s.box for s in strokes), strict=True)
    return min(left), min(top), max(right), max(bottom)
