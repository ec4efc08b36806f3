"""Least-squares fitting of few cubic Bézier segments to a polyline.

After P. J. Schneider, "An Algorithm for Automatically Fitting Digitized Curves" (Graphics Gems, 1990),
with corners found first and the inner tangents taken from the data on both sides of a split.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .curves import arc_lengths, bernstein, resample
from .model import Points

_CONCENTRATED = 0.66
"""Share of a corner's turn that happens within half the reach; an arc has one half there."""

_ATTEMPTS = 4
"""How often a segment is fitted, its parameters moved in between, before its stretch is parted."""


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
    return fit_curves([points], tolerance, [corners or []], [closed])[0]


def fit_curves(
    lines: Sequence[Points], tolerance: float, corners: Sequence[list[int]], closed: Sequence[bool]
) -> list[tuple[Points, NDArray[np.float64]]]:
    """As `fit_curve`, for many lines at once, which takes much less time than one after the other."""
    spans: list[_Span] = []
    kept = []
    for number, (line, at, is_closed) in enumerate(zip(lines, corners, closed, strict=True)):
        points = np.asarray(line, float)
        keep = np.r_[True, np.hypot(*np.diff(points, axis=0).T) > 1e-9]
        index_of, data = np.flatnonzero(keep), points[keep]
        if len(data) < 2:
            raise ValueError("a curve needs two distinct points")
        cuts = sorted(
            {0, len(data) - 1, *(int(np.searchsorted(index_of, c)) for c in at)} & set(range(len(data)))
        )
        for first, last in itertools.pairwise(cuts):
            run = data[first : last + 1]
            start, end = _end_tangent(run, tolerance), -_end_tangent(run[::-1], tolerance)
            if is_closed and len(cuts) == 2 and len(run) > 4:
                start = end = _unit(start + end)
            spans.append(_Span(run, start, end, number, first))
        kept.append((data, index_of))
    fitted: list[list[tuple[int, Points]]] = [[] for _ in lines]
    while spans:
        spans = _fitted(spans, tolerance, fitted)
    found = []
    for (data, index_of), pieces in zip(kept, fitted, strict=True):
        pieces.sort(key=lambda piece: piece[0])
        controls = np.concatenate([data[:1], *(piece[1:] for _, piece in pieces)])
        found.append((controls, index_of[[0, *(knot for knot, _ in pieces)]].astype(float)))
    return found


@dataclass(frozen=True)
class _Span:
    """A smooth stretch that one segment may fit. points: (k, 2). start, end: unit tangents along it. line: which one it is of.
    first: number of its first point there."""

    points: Points
    start: Points
    end: Points
    line: int
    first: int


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


def _fitted(spans: list[_Span], tolerance: float, fitted: list[list[tuple[int, Points]]]) -> list[_Span]:
    """Fits a segment to each stretch and puts what fits with its line, as (number of its last point, (4, 2) controls); the others
    are parted where they are farthest off."""
    sizes = np.array([len(span.points) for span in spans])
    begins = _begins(sizes)
    data = np.concatenate([span.points for span in spans])
    steps = np.r_[0.0, np.hypot(*np.diff(data, axis=0).T)]
    steps[begins] = 0
    along = np.cumsum(steps)
    along -= np.repeat(along[begins], sizes)
    whole = along[begins + sizes - 1]
    tangents = np.array([(span.start, span.end) for span in spans])
    number = np.arange(len(spans))
    farthest = np.zeros(len(spans), int)
    t = along / np.repeat(whole, sizes)
    for attempt in range(_ATTEMPTS):
        own, begin = np.repeat(np.arange(len(number)), sizes[number]), _begins(sizes[number])
        pieces = _least_squares(data, t, own, begin, tangents[number], whole[number])
        gap = np.einsum("kc,kcd->kd", bernstein(t), pieces[own]) - data
        far = np.einsum("kd,kd->k", gap, gap)
        worst = np.maximum.reduceat(far, begin)
        # Two points cannot be parted, whatever they are.
        fits = (worst <= tolerance * tolerance) | (sizes[number] == 2)
        for k in np.flatnonzero(fits):
            span = spans[number[k]]
            fitted[span.line].append((span.first + len(span.points) - 1, pieces[k]))
        # The first of the points that are farthest off.
        most = np.flatnonzero(far == worst[own])[::-1]
        farthest[number[own[most]]] = most - begin[own[most]]
        near = ~fits & (worst <= (6 * tolerance) ** 2)
        farthest[number[fits]] = -1
        if attempt == _ATTEMPTS - 1 or not near.any():
            break
        left = near[own]
        t = _reparametrise(pieces[own[left]], gap[left], t[left])
        begin = _begins(sizes[number[near]])
        t[begin], t[begin + sizes[number[near]] - 1] = 0.0, 1.0
        t = _never_back(t, np.repeat(np.arange(near.sum()), sizes[number[near]]))
        data, number = data[left], number[near]
    return [
        half
        for span, at, start in zip(spans, farthest.tolist(), begins.tolist(), strict=True)
        if at >= 0
        for half in _parted(span, at, along[start : start + len(span.points)], tolerance)
    ]


def _begins(sizes: NDArray[np.int64]) -> NDArray[np.int64]:
    return np.concatenate([[0], np.cumsum(sizes)[:-1]])


def _never_back(t: NDArray[np.float64], own: NDArray[np.int64]) -> NDArray[np.float64]:
    """Parameters 0..1 that never fall within a stretch."""
    return np.asarray(np.maximum.accumulate(t + 2 * own) - 2 * own)


def _parted(span: _Span, worst: int, along: NDArray[np.float64], tolerance: float) -> tuple[_Span, _Span]:
    run = span.points
    split = int(np.clip(worst, min(2, len(run) - 2), max(len(run) - 3, 1)))
    # The middle tangent comes from the data on both sides, over a reach that noise cannot turn.
    spread = along[split]
    low = int(np.searchsorted(along, spread - max(5 * tolerance, 5.0)))
    high = min(len(run) - 1, int(np.searchsorted(along, spread + max(5 * tolerance, 5.0))))
    middle = _unit(run[max(high, split + 1)] - run[min(low, split - 1)])
    return (
        _Span(run[: split + 1], span.start, middle, span.line, span.first),
        _Span(run[split:], middle, span.end, span.line, span.first + split),
    )


def _least_squares(
    data: Points,
    t: NDArray[np.float64],
    own: NDArray[np.int64],
    begin: NDArray[np.int64],
    tangents: NDArray[np.float64],
    whole: NDArray[np.float64],
) -> NDArray[np.float64]:
    """(m, 4, 2) controls of the best segments with given end tangents.

    data, t, own: (k,) points, their parameters and the stretch each is of. begin: (m,) first point of each stretch. tangents:
    (m, 2, 2) at its start and end, along it. whole: (m,) its length.
    """
    first, last = data[begin], data[np.r_[begin[1:], len(data)] - 1]
    start, end = tangents[:, 0], tangents[:, 1]
    basis = bernstein(t)
    b1, b2 = basis[:, 1], basis[:, 2]
    at_first = (basis[:, 0] + b1)[:, None]
    rest = data - at_first * first[own] - (1 - at_first) * last[own]
    terms = np.stack([b1 * b1, b2 * b2, b1 * b2, *(b1 * rest.T), *(b2 * rest.T)], axis=1)
    c11, c22, c12, *along = np.add.reduceat(terms, begin).T
    c12 = -c12 * (start * end).sum(axis=1)
    x1 = start[:, 0] * along[0] + start[:, 1] * along[1]
    x2 = -(end[:, 0] * along[2] + end[:, 1] * along[3])
    det = c11 * c22 - c12 * c12
    chord = np.hypot(*(last - first).T)
    known = np.abs(det) > 1e-12
    det = np.where(known, det, 1.0)
    alpha, beta = (x1 * c22 - x2 * c12) / det, (c11 * x2 - c12 * x1) / det
    least, most = 0.02 * chord, 1.2 * whole
    sound = known & (alpha > least) & (alpha < most) & (beta > least) & (beta < most)
    third = np.maximum(chord, 1e-6) / 3
    alpha, beta = np.where(sound, alpha, third)[:, None], np.where(sound, beta, third)[:, None]
    return np.stack([first, first + alpha * start, last - beta * end, last], axis=1)


def _reparametrise(pieces: NDArray[np.float64], gap: Points, t: NDArray[np.float64]) -> NDArray[np.float64]:
    """One Newton step of each parameter towards the nearest point of its curve. pieces: (k, 4, 2). gap: curve minus data."""
    d1 = 3 * (pieces[:, 1:] - pieces[:, :-1])
    d2 = 2 * (d1[:, 1:] - d1[:, :-1])
    s = 1 - t
    first = (s * s)[:, None] * d1[:, 0] + (2 * s * t)[:, None] * d1[:, 1] + (t * t)[:, None] * d1[:, 2]
    second = s[:, None] * d2[:, 0] + t[:, None] * d2[:, 1]
    slope = np.einsum("kd,kd->k", first, first) + np.einsum("kd,kd->k", gap, second)
    toward = np.einsum("kd,kd->k", gap, first)
    sound = np.abs(slope) > 1e-9
    slope[~sound] = 1
    return np.clip(t - np.where(sound, toward / slope, 0), 0, 1)


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
