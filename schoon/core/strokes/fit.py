"""Least-squares fitting of few cubic Bézier segments to a polyline.

After P. J. Schneider, "An Algorithm for Automatically Fitting Digitized Curves" (Graphics Gems, 1990),
with corners found first and the inner tangents taken from the data on both sides of a split.
"""

from __future__ import annotations

import itertools
import math

import numpy as np
from numpy.typing import NDArray

from .curves import arc_lengths, bernstein, resample
from .model import Points

_CONCENTRATED = 0.66
"""Share of a corner's turn that happens within half the reach; an arc has one half there."""


def corner_indices(points: Points, reach: int, least_turn: float) -> list[int]:
    """Indices of an evenly spaced polyline where it turns sharply.

    reach: how many points on each side give the direction. least_turn: radians.
    A smooth arc over the same reach does not count: the turn must be concentrated.
    """
    if len(points) < 2 * reach + 1:
        return []
    turn = _turns(points, reach)
    half = max(1, round(0.5 * reach))
    inner = _turns(points, half)[reach - half : len(points) - reach - half]
    # On an arc the turn halves with the reach; at a corner most of it stays.
    turn = np.where(inner > _CONCENTRATED * turn, turn, 0.0)
    peaks = []
    while turn.size and turn.max() > least_turn:
        at = int(turn.argmax())
        peaks.append(at + reach)
        turn[max(0, at - reach) : at + reach + 1] = 0
    return sorted(peaks)


def _turns(points: Points, reach: int) -> NDArray[np.float64]:
    """(k - 2 reach,) turn in radians between the chords before and after each point."""
    centre = points[reach : len(points) - reach]
    return np.abs(_angle_between(centre - points[: -2 * reach], points[2 * reach :] - centre))


def _angle_between(a: Points, b: Points) -> NDArray[np.float64]:
    cross = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    return np.arctan2(cross, (a * b).sum(axis=1))


def fit_curve(
    points: Points,
    tolerance: float,
    corners: list[int] | None = None,
    closed: bool = False,
) -> tuple[Points, NDArray[np.float64]]:
    """Fits cubic segments to a (k, 2) polyline.

    tolerance: greatest distance in px between the data and the curve.
    corners: indices the curve must pass with a free change of direction.
    closed: the last point equals the first and the curve runs smoothly through it.
    Returns (3 n + 1, 2) control points and the (n + 1,) data index of each knot.
    Raises ValueError for fewer than two distinct points.
    """
    points = np.asarray(points, float)
    keep = np.r_[True, np.hypot(*np.diff(points, axis=0).T) > 1e-9]
    index_of = np.flatnonzero(keep)
    data = points[keep]
    if len(data) < 2:
        raise ValueError("a curve needs two distinct points")
    cuts = sorted(
        {0, len(data) - 1, *(int(np.searchsorted(index_of, c)) for c in corners or [])}
        & set(range(len(data)))
    )
    controls: list[Points] = [data[:1]]
    knots: list[int] = [0]
    for first, last in itertools.pairwise(cuts):
        run = data[first : last + 1]
        start, end = _end_tangent(run, tolerance), -_end_tangent(run[::-1], tolerance)
        if closed and len(cuts) == 2 and len(run) > 4:
            start = end = _unit(_end_tangent(run, tolerance) - _end_tangent(run[::-1], tolerance))
        for piece, knot in _fit_run(run, start, end, tolerance, 0):
            controls.append(piece[1:])
            knots.append(first + knot)
    return np.concatenate(controls), index_of[np.array(knots)].astype(float)


def _unit(vector: Points) -> Points:
    norm = math.hypot(vector[0], vector[1])
    return vector / norm if norm > 1e-12 else np.array([1.0, 0.0])


def _end_tangent(run: Points, tolerance: float) -> Points:
    """Direction at the start of a run: the derivative there of a parabola through its first stretch."""
    along = arc_lengths(run)
    reach = max(6.0 * tolerance, 8.0)
    near = max(3, int(np.searchsorted(along, reach)))
    part, at = run[:near], along[:near]
    if len(part) < 4:
        return _unit(part[-1] - part[0])
    square, moved = at * at, part - part[0]
    s2, s3, s4 = at @ at, at @ square, square @ square
    det = s2 * s4 - s3 * s3
    chord = part[-1] - part[0]
    if det < 1e-9:
        return _unit(chord)
    tangent = (s4 * (at @ moved) - s3 * (square @ moved)) / det
    return _unit(tangent) if tangent @ chord > 0 else _unit(chord)


def _fit_run(
    run: Points, start: Points, end: Points, tolerance: float, offset: int
) -> list[tuple[Points, int]]:
    """Segments for one smooth run: (4, 2) controls and the index of the run's point where each ends."""
    chord = math.dist(run[0], run[-1])
    if len(run) == 2:
        third = chord / 3
        return [(np.array([run[0], run[0] + start * third, run[1] - end * third, run[1]]), offset + 1)]
    along = arc_lengths(run)
    t = along / along[-1]
    worst = 0
    for _ in range(4):
        basis = bernstein(t)
        piece = _least_squares(run, basis, start, end, float(along[-1]))
        gap = basis @ piece - run
        far = np.einsum("kd,kd->k", gap, gap)
        worst = int(far.argmax())
        if far[worst] <= tolerance * tolerance:
            return [(piece, offset + len(run) - 1)]
        if far[worst] > (6 * tolerance) ** 2:
            break
        t = _reparametrise(piece, gap, t)
    split = int(np.clip(worst, min(2, len(run) - 2), max(len(run) - 3, 1)))
    # The middle tangent comes from the data on both sides, over a reach that noise cannot turn.
    spread = along[split]
    low = int(np.searchsorted(along, spread - max(5 * tolerance, 5.0)))
    high = min(len(run) - 1, int(np.searchsorted(along, spread + max(5 * tolerance, 5.0))))
    middle = _unit(run[max(high, split + 1)] - run[min(low, split - 1)])
    return _fit_run(run[: split + 1], start, middle, tolerance, offset) + _fit_run(
        run[split:], middle, end, tolerance, offset + split
    )


def _least_squares(
    run: Points, basis: NDArray[np.float64], start: Points, end: Points, span: float
) -> Points:
    """(4, 2) controls of the best segment with given end tangents. basis: Bernstein weights of the run's points."""
    first, last = run[0], run[-1]
    b1, b2 = basis[:, 1], basis[:, 2]
    at_first = basis[:, 0] + b1
    rest = run - at_first[:, None] * first - (1 - at_first)[:, None] * last
    c11, c22 = b1 @ b1, b2 @ b2
    c12 = -(b1 @ b2) * (start @ end)
    x1, x2 = start @ (b1 @ rest), -(end @ (b2 @ rest))
    det = c11 * c22 - c12 * c12
    chord = math.dist(first, last)
    if abs(det) > 1e-12:
        alpha, beta = (x1 * c22 - x2 * c12) / det, (c11 * x2 - c12 * x1) / det
    else:
        alpha = beta = 0.0
    if not (0.02 * chord < alpha < 1.2 * span and 0.02 * chord < beta < 1.2 * span):
        alpha = beta = max(chord, 1e-6) / 3
    return np.array([first, first + alpha * start, last - beta * end, last])


def _reparametrise(piece: Points, gap: Points, t: NDArray[np.float64]) -> NDArray[np.float64]:
    """One Newton step of each parameter towards the nearest point of the curve. gap: curve minus data."""
    d1 = 3 * (piece[1:] - piece[:-1])
    d2 = 2 * (d1[1:] - d1[:-1])
    s = 1 - t
    first = (s * s)[:, None] * d1[0] + (2 * s * t)[:, None] * d1[1] + (t * t)[:, None] * d1[2]
    second = s[:, None] * d2[0] + t[:, None] * d2[1]
    slope = np.einsum("kd,kd->k", first, first) + np.einsum("kd,kd->k", gap, second)
    toward = np.einsum("kd,kd->k", gap, first)
    sound = np.abs(slope) > 1e-9
    slope[~sound] = 1
    moved = np.clip(t - np.where(sound, toward / slope, 0), 0, 1)
    moved[0], moved[-1] = 0.0, 1.0
    return np.maximum.accumulate(moved)


def smooth_hand(points: Points, amount: float) -> Points:
    """Evenly resampled pen path with the hand's tremor taken out; ends stay.

    amount: standard deviation of the smoothing in px, 0 for none.
    """
    even = resample(points, 1.5)
    if amount <= 0 or len(even) < 5:
        return even
    sigma = amount / 1.5
    reach = min(int(3 * sigma) + 1, len(even) - 1)
    # Reflecting through the end point keeps both the end and its direction.
    head = 2 * even[0] - even[reach:0:-1]
    tail = 2 * even[-1] - even[-2 : -reach - 2 : -1]
    padded = np.concatenate([head, even, tail])
    kernel = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
    kernel /= kernel.sum()
    return np.stack([np.convolve(padded[:, axis], kernel, "valid") for axis in (0, 1)], axis=1)
