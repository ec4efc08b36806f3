"""Proposed strokes, and how they go together with what is in a drawing already."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.spatial import cKDTree

from ..core.strokes import Stroke, sample


def keep_hand(present: Sequence[Stroke], proposed: Sequence[Stroke]) -> list[Stroke]:
    """The strokes a hand has made, and the proposals that do not run along them."""
    hand = [s for s in present if s.by == "hand"]
    return hand + besides(proposed, hand)


def besides(proposed: Sequence[Stroke], others: Sequence[Stroke]) -> list[Stroke]:
    """The proposals that do not run along any of the others for most of their length."""
    if not others:
        return list(proposed)
    drawn = cKDTree(np.vstack([sample(stroke)[0] for stroke in others]))
    return [s for s in proposed if (drawn.query(sample(s)[0])[0] < 1.5 * s.widths.max()).mean() < 0.6]


def taking_place(present: Sequence[Stroke], new: Sequence[Stroke], part: str = "") -> list[Stroke]:
    """The present strokes with new ones in the place of those they stand for: the same track, lines that run along
    them, or with `part` that whole part. Strokes a hand made only give way to their own track or part."""
    tracks = {s.track for s in new if s.track}
    kept = [s for s in present if (s.track or s.id) not in tracks and not (part and s.part == part)]
    hand = [s for s in kept if s.by == "hand"]
    return hand + besides([s for s in kept if s.by != "hand"], new) + list(new)
