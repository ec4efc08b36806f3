"""In-betweens: strokes of two drawings are matched and interpolated along arcs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

from ..strokes import Points, Stroke, arc_lengths, new_id, resample, sample
from ..strokes.edit import at, begun_at, count, divided, turned_round
from .placement import Placement
from .register import Lines, Target, register, search

CHARTS = ("even", "ease in", "ease out", "slow both")


def spacing(chart: str | Sequence[float], drawings: int) -> list[float]:
    """How far between the two drawings each of the in-betweens lies, 0..1.

    chart: one of CHARTS, or the shares themselves. "ease in" gathers drawings at the second one, "ease out" at the
    first. Raises ValueError for unknown charts and shares that do not rise from 0 to 1.
    """
    if not isinstance(chart, str):
        shares = [float(v) for v in chart]
        if len(shares) != drawings or any(not 0 < v < 1 for v in shares) or sorted(set(shares)) != shares:
            raise ValueError(f"a spacing of your own needs {drawings} shares that rise between 0 and 1")
        return shares
    even = np.arange(1, drawings + 1) / (drawings + 1)
    ways = {
        "even": even,
        "ease in": 1 - (1 - even) ** 2,
        "ease out": even**2,
        "slow both": even * even * (3 - 2 * even),
    }
    if chart not in ways:
        raise ValueError(f"“{chart}” is not a spacing chart; choose one of {', '.join(CHARTS)}")
    return [float(v) for v in ways[chart]]


def pairs(a: Sequence[Stroke], b: Sequence[Stroke], size: tuple[int, int]) -> list[tuple[int, int]]:
    """Which stroke of `a` is which of `b`: by their track where they have one, else by place after registration,
    length and shape. Strokes without a counterpart are left out."""
    matched: list[tuple[int, int]] = []
    tracks = {s.track or s.id: k for k, s in enumerate(b)}
    rest_a = []
    taken: set[int] = set()
    for k, stroke in enumerate(a):
        other = tracks.get(stroke.track or stroke.id)
        if other is not None and other not in taken:
            matched.append((k, other))
            taken.add(other)
        else:
            rest_a.append(k)
    rest_b = [k for k in range(len(b)) if k not in taken]
    if not rest_a or not rest_b:
        return matched
    lines, target = Lines.of(a, size), Lines.of(b, size)
    place, _ = register(lines, Target(target), [Placement(), *search(lines, target)])
    unit = lines.unit
    shapes_a = [resample(place.apply(sample(a[k])[0]), _step(a[k])) for k in rest_a]
    shapes_b = [resample(sample(b[k])[0], _step(b[k])) for k in rest_b]
    cost = np.array([[_unlike(p, q, unit) for q in shapes_b] for p in shapes_a])
    for i, k in enumerate(rest_a):
        for j, m in enumerate(rest_b):
            if a[k].part != b[m].part:
                cost[i, j] += 0.5
    for i, j in zip(*linear_sum_assignment(cost), strict=True):
        if cost[i, j] < 1.5:
            matched.append((rest_a[i], rest_b[j]))
    return sorted(matched)


_SHAPE = 24


def _step(stroke: Stroke) -> float:
    return max(float(arc_lengths(sample(stroke)[0])[-1]) / (_SHAPE - 1), 1e-3)


def _unlike(p: Points, q: Points, unit: float) -> float:
    p, q = (_fixed(points) for points in (p, q))
    gap = min(np.hypot(*(p - q).T).mean(), np.hypot(*(p[::-1] - q).T).mean())
    la, lb = arc_lengths(p)[-1], arc_lengths(q)[-1]
    reach = 40 * unit + 0.15 * max(la, lb)
    return float(gap / reach + 0.7 * abs(np.log(max(la, 1) / max(lb, 1))))


def _fixed(points: Points) -> Points:
    along = arc_lengths(points)
    wanted = np.linspace(0, along[-1], _SHAPE)
    return np.c_[np.interp(wanted, along, points[:, 0]), np.interp(wanted, along, points[:, 1])]


def alike(a: Stroke, b: Stroke) -> tuple[Stroke, Stroke]:
    """Two strokes drawn the same way round with the same number of segments, each still the line it was."""
    if a.closed and b.closed:
        b = _begun_alike(a, b)
    elif _fixed_gap(a, turned_round(b)) < _fixed_gap(a, b):
        b = turned_round(b)
    if count(a) == count(b):
        return a, b
    shares_a, shares_b = _knot_shares(a), _knot_shares(b)
    return divided(a, _places(a, shares_b)), divided(b, _places(b, shares_a))


def _begun_alike(a: Stroke, b: Stroke) -> Stroke:
    """The closed stroke b turned round and opened so that it runs as a does."""
    target = _centred(_fixed(sample(a)[0]))
    best, lowest = b, np.inf
    for way in (b, turned_round(b)):
        for place in np.linspace(0, count(way), 25)[:-1]:
            tried = begun_at(way, float(place)) if place > 0 else way
            gap = float(np.hypot(*(target - _centred(_fixed(sample(tried)[0]))).T).mean())
            if gap < lowest - 1e-9:
                best, lowest = tried, gap
    return replace(best, id=b.id)


def _centred(points: Points) -> Points:
    return np.asarray(points - points.mean(axis=0))


def _fixed_gap(a: Stroke, b: Stroke) -> float:
    p, q = _centred(_fixed(sample(a)[0])), _centred(_fixed(sample(b)[0]))
    return float(np.hypot(*(p - q).T).mean() + 0.2 * np.hypot(*(sample(a)[0][0] - sample(b)[0][0])))


def _knot_shares(stroke: Stroke) -> NDArray[np.float64]:
    """Where along its length each inner knot lies, 0..1."""
    places = np.linspace(0, count(stroke), 16 * count(stroke) + 1)
    along = arc_lengths(at(stroke, places))
    return np.asarray((along / max(along[-1], 1e-9))[16:-1:16])


def _places(stroke: Stroke, shares: NDArray[np.float64]) -> list[float]:
    places = np.linspace(0, count(stroke), 32 * count(stroke) + 1)
    along = arc_lengths(at(stroke, places))
    found = np.interp(shares, along / max(along[-1], 1e-9), places)
    # A knot that is there already must not be doubled by rounding.
    return [
        float(np.clip(p, 1e-4, count(stroke) - 1e-4) + (3e-6 if abs(p - round(p)) < 1e-6 else 0))
        for p in found
    ]


def inbetween(
    a: Sequence[Stroke], b: Sequence[Stroke], matched: Sequence[tuple[int, int]], shares: Sequence[float]
) -> list[list[Stroke]]:
    """The strokes of each drawing between, one list per share.

    A part moves as a whole along its arc, and what changes in it changes evenly on top: a rigid part stays rigid.
    """
    groups: dict[str, list[tuple[Stroke, Stroke]]] = {}
    for i, j in matched:
        first, second = alike(a[i], b[j])
        while count(first) != count(second):
            # Knots that fell together: cut the shorter list's longest segment.
            short, other = (first, second) if count(first) < count(second) else (second, first)
            spans = [np.hypot(*np.diff(piece, axis=0).T).sum() for piece in short.segments]
            short = divided(short, [int(np.argmax(spans)) + 0.5])
            first, second = (short, other) if count(first) < count(second) else (other, short)
        groups.setdefault(a[i].part, []).append((first, second))
    drawings: list[list[Stroke]] = [[] for _ in shares]
    for members in groups.values():
        source = np.vstack([_even(first) for first, _ in members])
        target = np.vstack([_even(second) for _, second in members])
        place = Placement.between(source, target)
        back = place.inverse()
        for first, second in members:
            # The second drawing seen from the first's place: only the change of form is left.
            home = back.apply(second.controls)
            for drawing, share in zip(drawings, shares, strict=True):
                form = first.controls + share * (home - first.controls)
                controls = place.part_way(share).apply(form)
                if first.closed and second.closed:
                    controls[-1] = controls[0]
                drawing.append(
                    replace(
                        first, controls=controls, widths=first.widths + share * (second.widths - first.widths),
                        confidence=min(first.confidence, second.confidence), by="proposal", id=new_id(),
                        track=first.track or first.id, link=None,
                    )
                )  # fmt: skip
    return drawings


def _even(stroke: Stroke) -> Points:
    return _fixed(sample(stroke)[0])
