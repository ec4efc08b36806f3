"""Borders of forms, cut where three of them meet, and how their lines go on there."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components

_REACHES = ((2.5, 10.0), (6.0, 24.0))
"""How far from a junction the direction of a branch is taken, px: at once, and beyond the turn that a pen makes there."""

_LEAST = 4
"""Pixels of a border under which it is no chain of its own."""


@dataclass(frozen=True)
class End:
    """Where a chain between the forms a and b meets a third one (0 is paper).

    How straight lines go on there, minus the cosine between two branches, -1..1: along_a is the edge of a (a|b and
    a|third), along_b that of b, bar is the edge of the third. beyond: the same three, farther from the junction.
    """

    third: int
    along_a: float
    along_b: float
    bar: float
    beyond: tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class Chain:
    """A connected piece of the border between two forms, a < b. points: (k, 2) row and column of its places, px of the
    centres of pixels."""

    a: int
    b: int
    points: NDArray[np.float64]
    ends: tuple[End, ...]


@dataclass(frozen=True, eq=False)
class Chains:
    """Borders of a label picture.

    between: chains between forms. of_place: (n,) for each place where two labels meet, the chain's index in `between`,
    -1 for a border with paper and -2 for a border too short to judge. places: (n, 2) row and column. sides: (n, 2) the two
    labels, the smaller first.
    """

    between: tuple[Chain, ...]
    of_place: NDArray[np.int64]
    places: NDArray[np.float64]
    sides: NDArray[np.int64]

    @cached_property
    def parted(self) -> NDArray[np.int64]:
        """(between, 2) the forms a and b of each chain."""
        return np.array([(chain.a, chain.b) for chain in self.between], np.int64).reshape(-1, 2)

    @cached_property
    def lengths(self) -> NDArray[np.int64]:
        """(label + 1,) length of each label's border, px."""
        return np.bincount(self.sides.ravel()).astype(np.int64)


def chains_of(labels: NDArray[np.int32]) -> Chains:
    """The borders of a picture of forms, 0 for paper; the picture's own rim counts as paper."""
    padded = np.pad(labels, 1).astype(np.int64)
    width = padded.shape[1]
    places, sides, corners = [], [], []
    # A border runs between pixels, from corner to corner.
    for first, second, down, right in (
        (padded[:, :-1], padded[:, 1:], 0.0, 0.5),
        (padded[:-1], padded[1:], 0.5, 0.0),
    ):
        rows, columns = np.nonzero(first != second)
        sides.append(np.sort(np.c_[first[rows, columns], second[rows, columns]], axis=1))
        places.append(np.c_[rows + down, columns + right])
        one = (rows, columns + 1) if right else (rows + 1, columns)
        other = (rows + 1, columns + 1)
        corners.append(np.c_[one[0] * (width + 1) + one[1], other[0] * (width + 1) + other[1]])
    place, side, corner = np.vstack(places), np.vstack(sides), np.vstack(corners)
    if not len(place):
        return Chains((), np.zeros(0, np.int64), place, side.astype(np.int64))
    pair = side[:, 0] * (padded.max() + 1) + side[:, 1]
    component = _components(pair, corner)
    around = _around(padded, corner)
    of_place = np.full(len(place), -2)
    of_place[side[:, 0] == 0] = -1
    by_pair = _Branches(place, pair, int(padded.max()) + 1)
    between: list[Chain] = []
    order = np.argsort(component, kind="stable")
    for members in np.split(order, np.flatnonzero(np.diff(component[order])) + 1):
        a, b = (int(v) for v in side[members[0]])
        if not a or len(members) < _LEAST:
            continue
        found, often = np.unique(corner[members], return_counts=True)
        ends = []
        for at in found[often == 1]:
            third = [int(v) for v in around.get(int(at), ()) if v not in (a, b)]
            end = by_pair.end((at // (width + 1), at % (width + 1)), a, b, third[0]) if third else None
            if end:
                ends.append(end)
        of_place[members] = len(between)
        between.append(Chain(a, b, place[members] - 1, tuple(ends)))
    return Chains(tuple(between), of_place, place - 1, side.astype(np.int64))


def _components(pair: NDArray[np.int64], corner: NDArray[np.int64]) -> NDArray[np.int64]:
    """Which places hang together: they share a corner where no third label is."""
    ids, flat = np.unique(corner.ravel(), return_inverse=True)
    lowest, highest = np.full(len(ids), np.iinfo(np.int64).max), np.zeros(len(ids), np.int64)
    np.minimum.at(lowest, flat, np.repeat(pair, 2))
    np.maximum.at(highest, flat, np.repeat(pair, 2))
    plain = (lowest == highest)[flat]
    node = np.repeat(np.arange(len(pair)), 2)[plain]
    hub = len(pair) + flat[plain]
    size = len(pair) + len(ids)
    graph = sparse.coo_array((np.ones(len(node), np.int8), (node, hub)), (size, size))
    return np.asarray(connected_components(graph, directed=False)[1][: len(pair)], np.int64)


def _around(padded: NDArray[np.int64], corner: NDArray[np.int64]) -> dict[int, list[int]]:
    """Corner -> the labels that meet there, for corners where more than two do; paper first."""
    width = padded.shape[1]
    ids = np.unique(corner)
    rows, columns = ids // (width + 1), ids % (width + 1)
    inside = (rows > 0) & (columns > 0) & (rows < padded.shape[0]) & (columns < width)
    ids, rows, columns = ids[inside], rows[inside], columns[inside]
    four = np.stack([padded[rows - dr, columns - dc] for dr in (0, 1) for dc in (0, 1)], axis=1)
    ordered = np.sort(four, axis=1)
    many = (np.diff(ordered, axis=1) != 0).sum(axis=1) >= 2
    return {int(k): sorted(set(v)) for k, v in zip(ids[many], ordered[many].tolist(), strict=True)}


class _Branches:
    """Directions of borders away from a junction."""

    def __init__(self, place: NDArray[np.float64], pair: NDArray[np.int64], base: int) -> None:
        order = np.argsort(pair, kind="stable")
        cuts = np.flatnonzero(np.diff(pair[order])) + 1
        self._points = {int(pair[m[0]]): place[m] for m in np.split(order, cuts)}
        self._base = base

    def _way(
        self, at: tuple[int, int], one: int, other: int, reach: tuple[float, float]
    ) -> NDArray[np.float64] | None:
        points = self._points.get(min(one, other) * self._base + max(one, other))
        if points is None:
            return None
        # Corner (r, c) lies half a pixel before the centre of pixel (r, c).
        away = points - (at[0] - 0.5, at[1] - 0.5)
        far = np.hypot(*away.T)
        near = (far >= reach[0]) & (far <= reach[1])
        if near.sum() < 3:
            return None
        way = (away[near] / far[near, None]).mean(axis=0)
        length = float(np.hypot(*way))
        return way / length if length > 0.5 else None

    def end(self, at: tuple[int, int], a: int, b: int, third: int) -> End | None:
        """How lines go on where a, b and a third label meet; None where a branch is too short to say."""
        found = []
        for reach in _REACHES:
            ways = [self._way(at, *pair, reach) for pair in ((a, b), (a, third), (b, third))]
            if any(way is None for way in ways):
                break
            ab, ac, bc = ways
            found.append((-float(ab @ ac), -float(ab @ bc), -float(ac @ bc)))  # type: ignore[operator]
        return End(third, *found[0], found[-1]) if found else None
