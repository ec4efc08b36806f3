"""Arithmetic of polylines and piecewise cubic Bézier curves."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace
from functools import lru_cache
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from .model import Points, Stroke

_CORNER = np.deg2rad(25)
"""A knot where the line turns more than this is a corner."""

_TURNS_NOT_INTO_ITSELF = np.deg2rad(150)
"""A line that turns less in all cannot meet itself."""

_TURN_OF_PIECE = np.deg2rad(60)

_ARC_WITHIN = 0.06
"""Px that round ends and corners may lie off a true arc."""

_LONGEST_TIP = 3.0
"""A sharp corner reaches at most this many half widths out."""


def arc_lengths(points: Points) -> NDArray[np.float64]:
    """(k,) distance along the polyline to each of its (k, 2) points, px."""
    steps = points[1:] - points[:-1]
    along = np.zeros(len(points))
    np.cumsum(np.hypot(steps[:, 0], steps[:, 1]), out=along[1:])
    return along


def resample(points: Points, step: float) -> Points:
    """The (k, 2) polyline at even spacing of about `step` px, both ends kept."""
    along = arc_lengths(points)
    count = max(2, round(along[-1] / step) + 1)
    at = np.linspace(0.0, along[-1], count)
    return np.c_[np.interp(at, along, points[:, 0]), np.interp(at, along, points[:, 1])]


@lru_cache(maxsize=64)
def _basis(count: int) -> NDArray[np.float64]:
    t = np.linspace(0.0, 1.0, count)
    return bernstein(t)


def bernstein(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """(k, 4) cubic Bernstein weights at parameters t in 0..1."""
    s = 1.0 - t
    weights = np.empty((len(t), 4))
    s2, t2 = s * s, t * t
    weights[:, 0] = s2 * s
    weights[:, 1] = 3 * s2 * t
    weights[:, 2] = 3 * s * t2
    weights[:, 3] = t2 * t
    return weights


_sampled: WeakKeyDictionary[Stroke, dict[float, tuple[Points, NDArray[np.float64]]]] = WeakKeyDictionary()


def sample(stroke: Stroke, step: float = 2.0) -> tuple[Points, NDArray[np.float64]]:
    """Points along a stroke about `step` px apart and the width at each: (k, 2), (k,), not to be written to: they are found
    once."""
    known = _sampled.setdefault(stroke, {})
    if step not in known:
        known[step] = _samples(stroke, step)
        for found in known[step]:
            found.setflags(write=False)
    return known[step]


def _samples(stroke: Stroke, step: float) -> tuple[Points, NDArray[np.float64]]:
    segments = stroke.segments
    hull = np.hypot(*np.moveaxis(np.diff(segments, axis=1), 2, 0)).sum(axis=1)
    count = int(np.clip(np.ceil(hull.max() / step) + 1, 3, 400))
    basis = _basis(count)
    points = np.einsum("kc,ncd->nkd", basis, segments)
    fraction = np.linspace(0.0, 1.0, count)
    widths = stroke.widths[:-1, None] * (1 - fraction) + stroke.widths[1:, None] * fraction
    flat = np.concatenate([points[:, :-1].reshape(-1, 2), points[-1, -1:]])
    flat_widths = np.concatenate([widths[:, :-1].ravel(), widths[-1, -1:]])
    return flat, flat_widths


def length(stroke: Stroke) -> float:
    """Length of the centre line, px."""
    return float(arc_lengths(sample(stroke)[0])[-1])


def outline(stroke: Stroke, step: float = 3.0, inset: float = 0.0) -> Points:
    """(k, 2) closed polygon of the inked stroke with round ends, for a non-zero fill; inset: px it is made thinner."""
    return _Ribbon.of(stroke, step, inset).outline()


_parted: WeakKeyDictionary[Stroke, dict[tuple[float, float], list[Points]]] = WeakKeyDictionary()


def pieces(stroke: Stroke, step: float = 3.0, inset: float = 0.0) -> list[Points]:
    """Closed polygons that together cover the inked stroke. Each may be filled even-odd: none runs across itself.

    step, inset: as in `outline`. They are found once.
    """
    known = _parted.setdefault(stroke, {})
    if (step, inset) not in known:
        known[step, inset] = _pieces(stroke, step, inset)
    return known[step, inset]


def _pieces(stroke: Stroke, step: float, inset: float) -> list[Points]:
    ribbon = _Ribbon.of(stroke, step, inset)
    turned = np.cumsum(ribbon.turns)
    if turned[-1] < _TURNS_NOT_INTO_ITSELF:
        return [ribbon.outline()]
    last = len(ribbon.points) - 1
    cuts = [0]
    for k in range(1, last):
        # A corner has a piece of its own, with a sample on either side of it.
        if turned[k] - turned[cuts[-1]] > _TURN_OF_PIECE or len(ribbon.left[k]) + len(ribbon.right[k]) > 2:
            if k - 1 > cuts[-1]:
                cuts.append(k - 1)
            if k + 1 < last:
                cuts.append(k + 1)
    cuts.append(last)
    found = []
    for first, end in itertools.pairwise(sorted(set(cuts))):
        left, right = ribbon.left[first : end + 1], ribbon.right[first : end + 1]
        found.append(np.concatenate([*left, *(side[::-1] for side in reversed(right))]))
    if not stroke.closed:
        found += [
            np.concatenate([ribbon.left[k][-1:], ribbon.cap(k), ribbon.right[k][-1:]][:: 1 if k else -1])
            for k in (0, last)
        ]
    return found


@dataclass(frozen=True)
class _Ribbon:
    """A stroke as samples with the points of its two sides at each; a corner has several on one side.

    turns: radians the line turns at each sample, without sign.
    """

    points: Points
    tangent: Points
    half: NDArray[np.float64]
    left: list[Points]
    right: list[Points]
    turns: NDArray[np.float64]

    @classmethod
    def of(cls, stroke: Stroke, step: float, inset: float) -> _Ribbon:
        stroke = _seam_off_corner(stroke)
        points, widths = sample(stroke, step)
        bends = _corner_turns(stroke)
        knots = np.zeros(len(points), int)
        knots[:: (len(points) - 1) // (len(stroke.controls) // 3)] = np.arange(len(stroke.controls) // 3 + 1)
        # Segments of a stroke differ in length; short ones need fewer points.
        paces = np.floor(arc_lengths(points) / (0.5 * step))
        keep = np.r_[True, np.diff(paces) > 0]
        keep[-1] = len(points) > 1
        if bends:
            keep |= np.isin(knots, list(bends))
        points, widths, knots = points[keep], widths[keep], knots[keep]
        if len(points) < 2:
            points = np.vstack([points[0], points[0] + (0.01, 0.0)])
            widths = np.repeat(widths[:1], 2)
            knots = np.zeros(2, int)
        tangent = np.concatenate(
            [points[1:2] - points[:1], points[2:] - points[:-2], points[-1:] - points[-2:-1]]
        )
        if stroke.closed and len(points) > 3:
            tangent[0] = tangent[-1] = points[1] - points[-2]
        tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
        half = np.maximum(widths / 2 - inset, 0.05)
        side = np.c_[-tangent[:, 1], tangent[:, 0]] * half[:, None]
        left, right = list((points + side)[:, None]), list((points - side)[:, None])
        heading = np.arctan2(*np.diff(points, axis=0)[:, ::-1].T)
        turns = np.zeros(len(points))
        turns[1:-1] = np.abs((np.diff(heading) + np.pi) % (2 * np.pi) - np.pi)
        for index in np.flatnonzero(knots):
            if int(knots[index]) in bends:
                left[index], right[index] = _corner(
                    points[index], *bends[int(knots[index])], float(half[index]), stroke.corner
                )
        return cls(points, tangent, half, left, right, turns)

    def outline(self) -> Points:
        """All round it, with its caps."""
        last = len(self.points) - 1
        right = (side[::-1] for side in reversed(self.right))
        return np.concatenate([*self.left, self.cap(last), *right, self.cap(0)])

    def cap(self, index: int) -> Points:
        """Points round the first or last end, from one side to the other."""
        along = self.tangent[index] if index else -self.tangent[index]
        turn = _half_turn(_arc_steps(np.pi, float(self.half[index])))
        across = np.array([-along[1], along[0]])
        return self.points[index] + self.half[index] * (turn[:, :1] * along + turn[:, 1:] * across)


@lru_cache(maxsize=64)
def _half_turn(steps: int) -> NDArray[np.float64]:
    """(steps - 2, 2) cosine and sine of half a turn from one side to the other, its ends left out."""
    turn = np.linspace(np.pi / 2, -np.pi / 2, steps)[1:-1]
    return np.c_[np.cos(turn), np.sin(turn)]


def _arc_steps(turn: float, radius: float) -> int:
    """Points of an arc so that its chords lie within `_ARC_WITHIN` px of it."""
    step = 2 * math.acos(max(1 - _ARC_WITHIN / max(radius, 1e-6), 0.5))
    return min(max(math.ceil(turn / step), 4), 40) + 1


def _seam_off_corner(stroke: Stroke) -> Stroke:
    """A closed stroke that begins at a corner, begun in the middle of its first segment: the corner is one as others."""
    if not stroke.closed or len(stroke.controls) < 7:
        return stroke
    into, out = stroke.controls[-1] - stroke.controls[-2], stroke.controls[1] - stroke.controls[0]
    turn = np.arctan2(out[1], out[0]) - np.arctan2(into[1], into[0])
    if abs((turn + np.pi) % (2 * np.pi) - np.pi) <= _CORNER:
        return stroke
    first = stroke.controls[:4]
    a = (first[:-1] + first[1:]) / 2
    b = (a[:-1] + a[1:]) / 2
    middle = b.mean(axis=0)
    controls = np.vstack([middle, b[1], a[2], stroke.controls[3:], a[0], b[0], middle])
    width = stroke.widths[:2].mean()
    return replace(stroke, controls=controls, widths=np.r_[width, stroke.widths[1:], width])


def _corner_turns(stroke: Stroke) -> dict[int, tuple[float, float]]:
    """knot -> direction in radians of the line before and after it, for the inner knots where it turns a corner."""
    controls = stroke.controls
    inner = np.arange(3, len(controls) - 1, 3)
    if not len(inner):
        return {}
    into, out = controls[inner] - controls[inner - 1], controls[inner + 1] - controls[inner]
    before, after = np.arctan2(into[:, 1], into[:, 0]), np.arctan2(out[:, 1], out[:, 0])
    turn = np.abs((after - before + np.pi) % (2 * np.pi) - np.pi)
    drawn = np.minimum(np.hypot(*into.T), np.hypot(*out.T)) > 1e-6
    return {
        int(knot // 3): (float(a), float(b))
        for knot, a, b, sharp in zip(inner, before, after, (turn > _CORNER) & drawn, strict=True)
        if sharp
    }


def _corner(centre: Points, before: float, after: float, half: float, style: str) -> tuple[Points, Points]:
    """Points of the left and the right side round a corner."""
    turn = (after - before + np.pi) % (2 * np.pi) - np.pi
    middle = before + turn / 2
    normal = np.array([-np.sin(middle), np.cos(middle)])
    tip = half / max(np.cos(turn / 2), 1 / _LONGEST_TIP)
    if style == "sharp":
        return (centre + normal * tip)[None], (centre - normal * tip)[None]
    angles = before + turn * np.linspace(0, 1, _arc_steps(abs(turn), half))
    arc = np.c_[-np.sin(angles), np.cos(angles)] * half
    # Turning left, the left side is the inner one and the right side goes round.
    if turn > 0:
        return (centre + normal * min(tip, 2 * half))[None], centre - arc
    return centre + arc, (centre - normal * min(tip, 2 * half))[None]
