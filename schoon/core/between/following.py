"""What a hand did to one of the drawings between is done to the others in proportion."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..strokes import Points, Stroke, arc_lengths, sample
from ..strokes.edit import at, count, divided, places_along, turned_round

_PLACES = 33
_SEGMENTS = 8
_FAR = 1.2
"""A line drawn anew stands for a proposal that lies off by less than this share of its length."""


def followed(
    proposed: Sequence[Sequence[Stroke]], drawn: Sequence[Sequence[Stroke]], shares: Sequence[float]
) -> tuple[list[list[Stroke]], int]:
    """Proposals bent by what hands made of lines of the same track, and how many lines were corrected.

    proposed, drawn, shares: for each drawing its proposals, its strokes by hand, and its share of the way. The ends stay:
    a correction fades to nothing towards either, or to the next drawing in which the line was corrected.
    """
    knots: dict[str, dict[float, NDArray[np.float64]]] = {}
    corrected = 0
    for strokes, by_hand, share in zip(proposed, drawn, shares, strict=True):
        for hand in by_hand:
            name = hand.track or hand.id
            pieces = [s for s in strokes if (s.track or s.id) == name]
            if not pieces or not 0 < share < 1:
                continue
            nearest = min(pieces, key=lambda s: _apart(s, hand))
            length = max(float(arc_lengths(sample(nearest)[0])[-1]), 1.0)
            if _apart(nearest, hand) < _FAR * length:
                knots.setdefault(name, {})[share] = _evenly(_alike(nearest, hand)) - _evenly(nearest)
                corrected += 1
    if not knots:
        return [list(strokes) for strokes in proposed], 0
    return [
        [_moved(s, knots.get(s.track or s.id), share) for s in strokes]
        for strokes, share in zip(proposed, shares, strict=True)
    ], corrected


def _evenly(stroke: Stroke) -> Points:
    points = sample(stroke)[0]
    along = arc_lengths(points)
    wanted = np.linspace(0, along[-1], _PLACES)
    return np.c_[np.interp(wanted, along, points[:, 0]), np.interp(wanted, along, points[:, 1])]


def _apart(a: Stroke, b: Stroke) -> float:
    p, q = _evenly(a), _evenly(_alike(a, b))
    return float(np.hypot(*(p - q).T).mean())


def _alike(stroke: Stroke, other: Stroke) -> Stroke:
    """The other stroke run the same way as the first."""
    p, q = _evenly(stroke), _evenly(other)
    return turned_round(other) if np.hypot(*(p - q[::-1]).T).sum() < np.hypot(*(p - q).T).sum() else other


def _moved(stroke: Stroke, knots: dict[float, NDArray[np.float64]] | None, share: float) -> Stroke:
    if not knots:
        return stroke
    order = [0.0, *sorted(knots), 1.0]
    none = np.zeros((_PLACES, 2))
    moves = np.array([none, *(knots[k] for k in sorted(knots)), none])
    here = float(np.clip(share, 0, 1))
    after = int(np.clip(np.searchsorted(order, here), 1, len(order) - 1))
    part = (here - order[after - 1]) / (order[after] - order[after - 1])
    move = (1 - part) * moves[after - 1] + part * moves[after]
    if len(stroke.controls) < 3 * _SEGMENTS:
        # A line of few points cannot bend as a hand bent it.
        stroke = divided(stroke, np.linspace(0, count(stroke), _SEGMENTS + 1)[1:-1].tolist())
    # Control points by where they lie along the line.
    places = places_along(stroke)
    along = arc_lengths(at(stroke, places))
    where = np.interp(np.arange(len(stroke.controls)) / 3, places, along / max(along[-1], 1e-9))
    steps = np.linspace(0, 1, _PLACES)
    controls = (
        stroke.controls + np.c_[np.interp(where, steps, move[:, 0]), np.interp(where, steps, move[:, 1])]
    )
    if stroke.closed and count(stroke) > 1:
        controls[-1] = controls[0]
    return replace(stroke, controls=controls)
