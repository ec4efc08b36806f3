"""What the patches of a drawing carry."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

NOTHING = -1
"""A patch that is meant to stay unpainted; None is a patch that nobody has decided."""

UNSURE_ABOVE = 0.5
"""Carried patches with more doubt than this are listed as unsure."""

By = Literal["hand", "carried"]


@dataclass(frozen=True)
class Paint:
    """What one patch carries: pot is a number of the caller's or NOTHING.

    doubt: 0 (certain) to 1. source: (drawing index, patch) it was carried from, None if painted by hand.
    others: the pots that came next, most likely first. joined: areas of unlike pots that seem to run together in this
    patch through a gap: pot and a place (x, y) in each.
    asked_with: (drawing index, patch) that names those in doubt which are asked about together.
    """

    pot: int
    doubt: float = 0.0
    by: By = "hand"
    source: tuple[int, int] | None = None
    others: tuple[int, ...] = ()
    joined: tuple[tuple[int, float, float], ...] = ()
    asked_with: tuple[int, int] | None = None

    @property
    def unsure(self) -> bool:
        return self.by == "carried" and self.doubt > UNSURE_ABOVE


Painting = dict[int, Paint]
