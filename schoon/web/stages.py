"""What is left to do in a shot, stage by stage, in numbers and words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from ..core.paint import UNSURE_ABOVE
from ..core.strokes import Stroke
from ..store import Cursor, DrawingRow, revisions
from ..work import edits
from ..work.derived import Memory, key_of

STAGES = {
    "rough": "Rough",
    "line": "Line",
    "seal": "Seal",
    "paint": "Paint",
    "tone": "Tone",
    "proof": "Proof",
    "hand-off": "Hand off",
}


@dataclass(frozen=True)
class Summary:
    """Counts of one drawing. touched: strokes a hand has made or changed. doubtful: proposals of little confidence.
    parts: names the strokes are assigned to. hand: patches painted by hand. toned: tones, toned_by_hand: those of a hand. box: left, top, right, bottom of what is
    drawn, px; None if nothing is. sheet: an empty sheet, which has no rough to be cleaned from.
    """

    strokes: int = 0
    touched: int = 0
    doubtful: int = 0
    parts: tuple[str, ...] = ()
    open_gaps: int = 0
    painted: int = 0
    hand: int = 0
    unsure: int = 0
    toned: int = 0
    toned_by_hand: int = 0
    box: tuple[float, float, float, float] | None = None
    sheet: bool = False


_summaries: Memory[Summary] = Memory(5000)


def summaries(cursor: Cursor, rows: Sequence[DrawingRow]) -> dict[int, Summary]:
    """drawing id -> counts, for rows that name their line, seal and paint documents."""
    keys = {
        row["id"]: key_of("summary", bool(row["rough"]), *(row[part] for part in revisions.SHOWN))
        for row in rows
    }
    missing = [row for row in rows if keys[row["id"]] not in _summaries]
    found = revisions.get_documents(
        cursor, [row[part] for row in missing for part in ("seal", "paint", "tone")]
    )

    def count(row: DrawingRow) -> Summary:
        strokes, own = edits.line_named(cursor, row["line"])
        stitches = found.get(row["seal"], {}).get("stitches", [])
        patches = found.get(row["paint"], {}).get("patches", [])
        shapes = found.get(row["tone"], {}).get("shapes", [])
        return Summary(
            strokes=len(strokes),
            touched=sum(s.by == "hand" for s in strokes),
            doubtful=0 if own else sum(s.doubtful for s in strokes),
            parts=tuple(sorted({s.part for s in strokes if s.part})),
            open_gaps=sum(s["state"] == "open" for s in stitches),
            painted=len(patches),
            hand=sum(p["by"] == "hand" for p in patches),
            unsure=sum(p["by"] != "hand" and p["doubt"] > UNSURE_ABOVE for p in patches),
            toned=len(shapes),
            toned_by_hand=sum(s["by"] == "hand" for s in shapes),
            box=_box(strokes),
            sheet=not row["rough"],
        )

    return {row["id"]: _summaries.get(keys[row["id"]], partial(count, row)) for row in rows}


def _box(strokes: Sequence[Stroke]) -> tuple[float, float, float, float] | None:
    if not strokes:
        return None
    left, top, right, bottom = zip(*(s.box for s in strokes), strict=True)
    return min(left), min(top), max(right), max(bottom)


@dataclass(frozen=True)
class Progress:
    """Where a shot stands: per stage whether it is done and what is left in words; and what to do next."""

    done: dict[str, bool]
    left: dict[str, str]
    next_stage: str
    next_words: str


def progress(counts: Sequence[Summary], findings: int | None = None) -> Progress:
    """The state of a shot from the counts of its drawings. findings: how many nobody has decided, None if nobody looked."""
    total = len(counts)
    lined = sum(c.strokes > 0 for c in counts)
    gaps = sum(c.open_gaps for c in counts)
    painted = sum(c.painted > 0 for c in counts)
    unsure = sum(c.unsure for c in counts)
    toned = sum(c.toned > 0 for c in counts)
    done = {
        "rough": total > 0,
        "line": total > 0 and lined == total,
        "seal": total > 0 and lined == total and gaps == 0,
        "paint": total > 0 and painted == total and unsure == 0,
        "tone": total > 0 and toned == total,
        "proof": total > 0 and findings == 0,
        "hand-off": False,
    }
    left = {
        "rough": "",
        "line": f"{lined}/{total}" if 0 < lined < total else "",
        "seal": _count(gaps, "gap") if gaps else "",
        "paint": f"{unsure} unsure" if unsure else (f"{painted}/{total}" if 0 < painted < total else ""),
        "tone": f"{toned}/{total}" if 0 < toned < total else "",
        "proof": f"{findings} found" if findings else "",
        "hand-off": "",
    }
    if not total:
        return Progress(done, left, "rough", "Take in the roughs")
    if lined < total:
        sheets = sum(c.sheet and c.strokes == 0 for c in counts)
        roughs = total - lined - sheets
        words = f"Clean {_count(roughs, 'rough')}" if roughs else f"Draw on {_count(sheets, 'empty sheet')}"
        return Progress(done, left, "line", words)
    if painted == 0:
        return Progress(done, left, "paint", "Paint one drawing against the model")
    if painted < total:
        return Progress(done, left, "paint", f"Carry the paint to {_count(total - painted, 'drawing')}")
    if unsure:
        return Progress(done, left, "paint", f"Look at {unsure} unsure patch{'es' * (unsure > 1)}")
    if gaps:
        return Progress(done, left, "seal", f"Judge {_count(gaps, 'gap')}")
    if findings is None:
        return Progress(done, left, "proof", "Proof it before it is handed off")
    if findings:
        return Progress(done, left, "proof", f"Look at {_count(findings, 'finding')}")
    return Progress(done, left, "hand-off", "Play it and hand it off")


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'s' * (number != 1)}"
