"""What is left to do in a shot, stage by stage, in numbers and words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..work.summaries import Summary

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
