"""A fast form drawn long: stretched along its way, from where it was to where it will be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ..strokes import Points, Stroke, new_id, sample


def middle(strokes: Sequence[Stroke]) -> Points:
    """(2,) the middle of the extent of strokes, px."""
    points = np.vstack([sample(s, 4.0)[0] for s in strokes])
    return np.asarray((points.min(axis=0) + points.max(axis=0)) / 2)


def smeared(
    strokes: Sequence[Stroke], before: Sequence[Stroke] | None, after: Sequence[Stroke] | None, amount: float
) -> list[Stroke]:
    """A form stretched so that it reaches back to where it was in the drawing before and on to where it is in the one after.

    before, after: the form there; None where it is not, then it is stretched to the other side only. amount: 1 reaches half
    way to either. Raises ValueError where there is no way: nothing before or after, or it stands still.
    """
    here = middle(strokes)
    back = middle(before) - here if before else np.zeros(2)
    on = middle(after) - here if after else np.zeros(2)
    way = on - back
    far = float(np.hypot(*way))
    if far < 1:
        raise ValueError("it does not move from the drawing before to the one after")
    along = way / far
    points = np.vstack([sample(s, 4.0)[0] for s in strokes])
    reach = (points - here) @ along
    low, high = min(float(reach.min()), -1e-6), max(float(reach.max()), 1e-6)
    # How far the rear and the front go beyond themselves.
    rear, front = (0.5 * amount * abs(float(step @ along)) for step in (back, on))

    def stretched(controls: Points) -> Points:
        place = (controls - here) @ along
        step = np.where(
            place < 0, -rear * np.minimum(place / low, 1.5), front * np.minimum(place / high, 1.5)
        )
        return np.asarray(controls + step[:, None] * along)

    return [
        replace(
            s,
            controls=stretched(s.controls),
            id=new_id(),
            track=s.track or s.id,
            link=None,
            by="hand",
            confidence=1.0,
        )
        for s in strokes
    ]
