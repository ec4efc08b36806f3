"""Which stretch of one drawing's lines may be which of another's: lines slid along each other.

Two lines may be cut by different things, so a stretch of one is compared with a stretch of the other at every offset, each
laid over the other by turning and moving it (least squares, in closed form for all offsets at once).
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.fft import fft, ifft, next_fast_len

from .chains import STEP, Chain, Complex, Ints

Floats = NDArray[np.float64]

_SAME, _BENT = 1.6, 0.04
"""Distance between alike lines that costs 1: px of a drawing 1000 px across, and share of their length."""

_TURN = 0.6
"""Cost of a turn by a radian."""

_KEPT = 4
"""Offsets kept of two lines, each this many points from the others:"""
_APART = 6

_FEW = 16
"""Counterparts kept of a line."""

RING = 256
"""Points at which closed lines are compared."""

_LEAST_SHARE = 0.35


@dataclass(frozen=True)
class Unit:
    """A chain or a stretch of one. z: its points. at: their indices among all points of the drawing. chain: its index."""

    z: Complex
    closed: bool
    chain: int
    at: Ints


def units_of(chains: Sequence[Chain]) -> list[Unit]:
    """Chains, and their stretches between places where they may be two lines."""
    found: list[Unit] = []
    start = 0
    for k, chain in enumerate(chains):
        n = len(chain.z)
        index = start + np.arange(n)
        found.append(Unit(chain.z, chain.closed, k, index))
        if chain.closed:
            marks = list(chain.doubts)
            spans = [(a, b) for a, b in zip(marks, [*marks[1:], *(m + n for m in marks[:1])], strict=True)]
        else:
            marks = [0, *(m for m in chain.doubts if 2 < m < n - 3), n - 1]
            spans = list(itertools.pairwise(marks)) if len(marks) > 2 else []
        for a, b in spans:
            if b - a >= 5:
                part = np.arange(a, b + 1) % n
                found.append(Unit(chain.z[part], False, k, index[part]))
        start += n
    return found


@dataclass(frozen=True)
class Alignments:
    """Stretches of two drawings that may be the same line; every array has one entry for each.

    a, b: their units. back: whether b runs the other way. offset: point i of a lies on point i - offset of b, so run;
    of two rings it is where along `RING` points b begins. first, last: the points of a that have one, `last` excluded.
    turn, shift: the movement z -> turn z + shift. middle: of the stretch of a. cost: 0 for the same line at the same place.
    """

    a: Ints
    b: Ints
    back: NDArray[np.bool_]
    offset: Ints
    first: Ints
    last: Ints
    turn: Complex
    shift: Complex
    middle: Complex
    cost: Floats

    def only(self, chosen: NDArray[np.bool_] | Ints) -> Alignments:
        """Those at a mask or at indices."""
        return Alignments(*(getattr(self, name)[chosen] for name in self.__dataclass_fields__))

    def beside(self, turn: complex, shift: complex, reach: float) -> Alignments:
        """The same with costs for going elsewhere than the whole, which goes z -> turn z + shift. reach: px for 1."""
        goal = self.turn * self.middle + self.shift
        far = np.abs(goal - turn * self.middle - shift) - np.abs(goal - self.middle)
        turned = np.abs(np.angle(self.turn / turn)) - np.abs(np.angle(self.turn))
        return replace(self, cost=self.cost + far / reach + _TURN * turned)

    def places(self, k: int, units: tuple[Sequence[Unit], Sequence[Unit]]) -> tuple[Ints, Complex, Ints]:
        """Of one alignment: points of a by their indices in the drawing, where they lie in b, and the points of b."""
        a, b = units[0][self.a[k]], units[1][self.b[k]]
        if a.closed and b.closed:
            here = np.arange(len(a.z))
            return a.at, on_ring(b.z, (here / len(a.z) + self.offset[k] / RING) % 1), b.at
        here = np.arange(self.first[k], self.last[k])
        there = (here - self.offset[k]) % len(b.z)
        if self.back[k]:
            there = len(b.z) - 1 - there
        return a.at[here % len(a.z)], b.z[there], b.at[there]


def on_ring(z: Complex, share: Floats) -> Complex:
    """Points of a closed line at shares of its way round, 0..1."""
    around = np.r_[z, z[:1]]
    steps = np.arange(len(around))
    where = share * len(z)
    return np.asarray(np.interp(where, steps, around.real) + 1j * np.interp(where, steps, around.imag))


def alignments(
    a: Sequence[Unit], b: Sequence[Unit], unit: float, reach: float, unlike: Floats | None = None
) -> Alignments:
    """Likely counterparts of each unit.

    unit: px per 1/1000 of the drawing. reach: px of a drawing 1000 px across that a line goes for a cost of 1.
    unlike: (len(a), len(b)) added costs.
    """
    rows: list[tuple[NDArray[Any], ...]] = []
    middles = np.array([u.z.mean() for u in b])
    rings = [k for k, u in enumerate(b) if u.closed]
    lines = [k for k, u in enumerate(b) if not u.closed]
    around = np.array([on_ring(b[k].z, np.arange(RING) / RING) for k in rings]).reshape(-1, RING)
    for i, u in enumerate(a):
        added = np.zeros(len(b)) if unlike is None else unlike[i]
        near = np.abs(middles - u.z.mean()) < (3.4 - np.minimum(added, 0)) * reach * unit
        close = [k for k in lines if near[k]]
        if u.closed:
            kept = np.array([k for k, ring in enumerate(rings) if near[ring]], int)
            if len(kept):
                rows.append(_rings(i, u, np.array(rings)[kept], around[kept], b, unit, reach, added))
            if close:
                rows.append(_slid(i, u, close, b, unit, reach, "a", added))
        else:
            if close:
                rows.append(_slid(i, u, close, b, unit, reach, "", added))
            if circles := [k for k in rings if near[k]]:
                rows.append(_slid(i, u, circles, b, unit, reach, "b", added))
    if not rows:
        nothing = np.zeros(0)
        return _as_alignments([nothing] * 10)
    found = _as_alignments([np.concatenate(column) for column in zip(*rows, strict=True)])
    return found.only(_best(found.a, found.cost) | _best(found.b, found.cost))


def _as_alignments(columns: Sequence[NDArray[np.generic]]) -> Alignments:
    kinds = (int, int, bool, int, int, int, complex, complex, complex, float)
    return Alignments(*(column.astype(kind) for column, kind in zip(columns, kinds, strict=True)))


def _best(group: Ints, cost: Floats) -> NDArray[np.bool_]:
    """The `_FEW` cheapest of each group."""
    order = np.lexsort((cost, group))
    ordered = group[order]
    first = np.searchsorted(ordered, ordered, side="left")
    kept = np.zeros(len(group), bool)
    kept[order[np.arange(len(group)) - first < _FEW]] = True
    return kept


def _rings(
    i: int, u: Unit, index: Ints, around: Complex, b: Sequence[Unit], unit: float, reach: float, added: Floats
) -> tuple[NDArray[Any], ...]:
    """A closed line with closed ones, at the best of all offsets."""
    mine = on_ring(u.z, np.arange(RING) / RING)
    lengths = np.array([len(b[k].z) for k in index])
    fair = np.maximum(lengths, len(u.z)) <= 2 * np.minimum(lengths, len(u.z))
    index, around = index[fair], around[fair]
    centre, centres = mine.mean(), around.mean(axis=1)
    crossed = ifft(fft(mine - centre).conj() * fft(around - centres[:, None], axis=1), axis=1)
    own = float((np.abs(mine - centre) ** 2).sum())
    theirs = (np.abs(around - centres[:, None]) ** 2).sum(axis=1)
    off = np.sqrt(np.maximum(own + theirs[:, None] - 2 * np.abs(crossed), 0) / RING)
    cost = off / (_SAME * unit + 0.12 * np.sqrt(own / RING)) + _TURN * np.abs(np.angle(crossed))
    best = cost.argmin(axis=1)
    rows = np.arange(len(index))
    turn = crossed[rows, best] / np.maximum(np.abs(crossed[rows, best]), 1e-9)
    far = np.abs(centres - centre) / (reach * unit) + added[index]
    n = len(index)
    return (
        np.full(n, i), index, np.zeros(n), best, np.zeros(n), np.full(n, len(u.z)),
        turn, centres - turn * centre, np.full(n, centre), cost[rows, best] + far,
    )  # fmt: skip


def _slid(
    i: int,
    u: Unit,
    index: Sequence[int],
    b: Sequence[Unit],
    unit: float,
    reach: float,
    ring: str,
    added: Floats,
) -> tuple[NDArray[Any], ...]:
    """A line with others at every offset, both ways round. ring: which of the two is closed and is run round twice."""
    twice = {"a": np.r_[u.z, u.z]}.get(ring, u.z)
    others = [np.r_[b[k].z, b[k].z] if ring == "b" else b[k].z for k in index]
    others = [way for z in others for way in (z, z[::-1])]
    count = np.array([len(z) for z in others])
    single = np.repeat([len(b[k].z) for k in index], 2)
    n, most = len(twice), int(count.max())
    padded = np.zeros((len(others), most), complex)
    for row, z in enumerate(others):
        padded[row, : len(z)] = z
    width = next_fast_len(n + most)
    crossed = ifft(fft(twice, width) * fft(padded, width, axis=1).conj(), axis=1)
    offset = np.arange(-(most - 1), n)
    crossed = crossed[:, offset % width]
    first = np.broadcast_to(np.maximum(0, offset), crossed.shape)
    last = np.minimum(n, count[:, None] + offset)
    shared = last - first
    if ring == "a":
        fits = (shared == count[:, None]) & (offset >= 0) & (offset < len(u.z))
    elif ring == "b":
        fits = (shared == n) & (offset <= 0) & (offset > -single[:, None])
    else:
        fits = shared >= np.maximum(3, _LEAST_SHARE * np.minimum(len(u.z), count))[:, None]
    rows, columns = np.nonzero(fits)
    lo, hi, shift = first[rows, columns], last[rows, columns], offset[columns]
    k = (hi - lo).astype(float)
    sums, squares = np.r_[0, np.cumsum(twice)], np.r_[0, np.cumsum(np.abs(twice) ** 2)]
    zero = np.zeros((len(others), 1))
    sums_b = np.concatenate([zero, np.cumsum(padded, axis=1)], axis=1)
    squares_b = np.concatenate([zero, np.cumsum(np.abs(padded) ** 2, axis=1)], axis=1)
    sa, sb = sums[hi] - sums[lo], sums_b[rows, hi - shift] - sums_b[rows, lo - shift]
    va = squares[hi] - squares[lo] - np.abs(sa) ** 2 / k
    vb = squares_b[rows, hi - shift] - squares_b[rows, lo - shift] - np.abs(sb) ** 2 / k
    x = crossed[rows, columns] - sa * sb.conj() / k
    off = np.sqrt(np.maximum(va + vb - 2 * np.abs(x), 0) / k)
    turn = x.conj() / np.maximum(np.abs(x), 1e-9)
    moved = (sb - turn * sa) / k
    middle = sa / k
    far = np.abs(turn * middle + moved - middle) / (reach * unit)
    shorter = np.minimum(len(u.z), single[rows])
    longer = np.maximum(len(u.z), single[rows])
    cost = off / (_SAME * unit + _BENT * k * STEP * unit) + _TURN * np.abs(np.angle(turn)) + far
    cost += (
        0.5 * (1 - k / shorter)
        + 0.25 * (1 - k / longer)
        + (0.1 if ring else 0.0)
        + added[np.repeat(index, 2)[rows]]
    )
    table = np.full(crossed.shape, np.inf)
    table[rows, columns] = cost
    of_cell = np.zeros(crossed.shape, int)
    of_cell[rows, columns] = np.arange(len(rows))
    found = []
    every = np.arange(len(others))
    for _ in range(_KEPT):
        best = table.argmin(axis=1)
        good = table[every, best] < 3
        found.append(of_cell[every[good], best[good]])
        table[np.abs(np.arange(table.shape[1]) - best[:, None]) < _APART] = np.inf
    pick = np.concatenate(found)
    row = rows[pick]
    return (
        np.full(len(pick), i), np.repeat(index, 2)[row], row % 2, shift[pick], lo[pick], hi[pick],
        turn[pick], moved[pick], middle[pick], cost[pick],
    )  # fmt: skip
