"""What proofing finds: a fault with its place, in words, and how much of it is seen."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

Rule = Literal[
    "flash", "missing", "extra", "hole", "speck", "spill", "halo", "weight", "tremble", "drift", "slide", "pop", "gap",
    "off-key", "rhythm", "empty", "cycle", "model",
]  # fmt: skip

RULES: tuple[Rule, ...] = get_args(Rule)

Act = Literal["pour", "wipe", "weigh", "trace", "shade", "close", "time", "look"]
"""What mends a finding: paint the patch, take its paint away, bring lines to their weight, trace a part back, change tones, shut
a gap, change the sheet; or only a look."""


@dataclass(frozen=True)
class Finding:
    """drawings: indices of the run it is seen in, in order. at: (x, y) px of the first of them, None for all of a drawing.

    area: px² of a drawing in which it is seen. pot: what the act pours, 0 for nothing. factor: what its lines are weighed by. patch: the patch in the first drawing.
    like: another drawing in which it is right, None if there is none. there: where it is right, px of that.
    """

    rule: Rule
    drawings: tuple[int, ...]
    at: tuple[float, float] | None
    words: str
    area: float = 0.0
    act: Act = "look"
    pot: int = 0
    patch: int = 0
    like: int | None = None
    there: tuple[float, float] | None = None
    factor: float = 1.0
