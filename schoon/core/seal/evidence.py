"""A gap judged in one drawing says something about the same gap in its neighbours."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..strokes import Points
from .model import State, Stitch

_NEAR = 0.035
"""Share of the drawing's longest side within which gaps of two drawings may be the same, after the figures are laid
over each other."""

_REACH = 3
"""How many drawings away evidence still counts."""


@dataclass(frozen=True)
class Evidence:
    """drawing: index of the drawing where a person judged the same gap. state: how. agrees: 0..1."""

    drawing: int
    state: State
    agrees: float


def evidence_for(
    stitch: Stitch,
    index: int,
    judged: Sequence[Sequence[Stitch]],
    centres: Sequence[Points | None],
    side: float,
) -> Evidence | None:
    """What was decided about the same gap in a neighbouring drawing, the most alike first.

    index: of the stitch's drawing. judged: per drawing the stitches a person has judged. centres: per drawing (x, y) of
    the middle of its lines, None without lines. side: longest side of the drawings, px.
    """
    best: Evidence | None = None
    own = centres[index]
    if own is None:
        return None
    for other in range(max(0, index - _REACH), min(len(judged), index + _REACH + 1)):
        there = centres[other]
        if other == index or there is None:
            continue
        for past in judged[other]:
            agrees = _alike(stitch, past, own - there, side) / (1 + 0.2 * (abs(other - index) - 1))
            if agrees > 0.3 and (best is None or agrees > best.agrees):
                best = Evidence(other, past.state, agrees)
    return best


def _alike(a: Stitch, b: Stitch, shift: Points, side: float) -> float:
    gap = np.hypot(*(a.points.mean(axis=0) - b.points.mean(axis=0) - shift))
    if gap > 3 * _NEAR * side:
        return 0.0
    width = abs(np.log(max(a.width, 1) / max(b.width, 1)))
    along = (s.points[-1] - s.points[0] for s in (a, b))
    u, v = (d / max(float(np.hypot(*d)), 1e-9) for d in along)
    return float(
        np.exp(-0.5 * (gap / (_NEAR * side)) ** 2 - 0.5 * (width / 0.7) ** 2) * (0.4 + 0.6 * abs(u @ v))
    )
