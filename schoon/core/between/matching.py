"""Which line of one drawing is which of another.

Every likely alignment is judged by how well it fits and by what lies beside it: what touches a line goes where the line
goes. The best are taken one after another, longest and surest first, and no point twice; what is left is sought once more
where the movement of the rest has brought it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from .aligning import RING, Alignments, Floats, Unit, alignments, on_ring, units_of
from .chains import STEP, Chain, Complex, Ints
from .springs import Springs, mostly

_FAR, _REST = 94.0, 39.0
"""Px of a drawing 1000 px across that a line goes for a cost of 1, at first and beside its neighbours."""

_ALONE, _LONG = 1.7, 150.0
"""Cost of a short line whose neighbours go elsewhere; half of it for one of this length."""

_DEAREST, _DEAREST_REST = 2.2, 1.0
_BY_LENGTH = 0.6
_TAKEN = 0.15

_TOGETHER = 11.0
"""Neighbours go together that come apart by no more."""

_ROUNDS = 6

_KNOWN, _OTHER_PART = 8.0, 0.7
"""What it is worth that two strokes have one track, and what it costs that their parts differ."""


@dataclass(frozen=True)
class Match:
    """A stretch of one drawing that is a stretch of another. a, b: indices of points; at: (len(a),) where a lies in b.
    sure: 0..1, by how well it fits."""

    a: Ints
    b: Ints
    at: Complex
    sure: float

    def turned(self, here: Complex, there: Complex) -> Match:
        """The same seen from the other drawing. here, there: all points of the two."""
        points = there[self.b]
        _, nearest = cKDTree(np.c_[self.at.real, self.at.imag]).query(np.c_[points.real, points.imag])
        return Match(self.b, self.a, here[self.a[nearest]], self.sure)


def matches(
    a: Sequence[Chain],
    b: Sequence[Chain],
    springs: tuple[Springs, Springs],
    names: tuple[Sequence[str], Sequence[str]] | None = None,
    parts: tuple[Sequence[str], Sequence[str]] | None = None,
) -> list[Match]:
    """The matches of two drawings, best first. springs: of the chains of both.

    names, parts: of every stroke of either drawing its track and its part, where they are known.
    """
    unit = springs[0].unit
    units = units_of(a), units_of(b)
    found = alignments(*units, unit, _FAR, _unlike(a, b, units, names, parts))
    chosen = _chosen(found, units, _supported(found, units, unit), unit, _DEAREST)
    if not chosen:
        return []
    # Once more beside the whole: what does not move by itself is where the rest has gone.
    found = found.beside(*_whole(a, chosen, unit), _FAR * unit)
    chosen = _chosen(found, units, _supported(found, units, unit), unit, _DEAREST)
    for _ in range(2):
        moved = springs[0].settled(chosen, springs[1], (11.0, 5.5))
        rest = (
            _left(a, moved, np.concatenate([m.a for m in chosen])),
            _left(b, springs[1].z, np.concatenate([m.b for m in chosen])),
        )
        if not rest[0] or not rest[1]:
            break
        more = alignments(*rest, unit, _REST, _unlike(a, b, rest, names, parts))
        fresh = _chosen(more, rest, np.ones(len(more.a)), unit, _DEAREST_REST)
        if not fresh:
            break
        chosen += fresh
    return chosen


def _whole(a: Sequence[Chain], found: Sequence[Match], unit: float) -> tuple[complex, complex]:
    """The movement z -> turn z + shift of most of a drawing."""
    z = np.concatenate([c.z for c in a])
    source, target = z[np.concatenate([m.a for m in found])], np.concatenate([m.at for m in found])
    return mostly(source, target, np.repeat([m.sure for m in found], [len(m.a) for m in found]), unit)[:2]


def _unlike(
    a: Sequence[Chain],
    b: Sequence[Chain],
    units: tuple[Sequence[Unit], Sequence[Unit]],
    names: tuple[Sequence[str], Sequence[str]] | None,
    parts: tuple[Sequence[str], Sequence[str]] | None,
) -> Floats | None:
    """Costs for what is known of the strokes: less for one track, more for another part."""
    if names is None and parts is None:
        return None
    cost = np.zeros((len(units[0]), len(units[1])))
    for known, same, other in ((names, -_KNOWN, 0.0), (parts, 0.0, _OTHER_PART)):
        if known is None:
            continue
        words = {name: k for k, name in enumerate(dict.fromkeys(n for side in known for n in side if n))}
        if not words:
            continue
        shares = []
        for chains, side, names_of in zip((a, b), units, known, strict=True):
            strokes = np.concatenate([c.stroke for c in chains])
            of_point = np.array([words.get(names_of[s], -1) for s in strokes.tolist()])
            table = np.zeros((len(side), len(words)))
            for k, u in enumerate(side):
                own = of_point[u.at]
                np.add.at(table[k], own[own >= 0], 1 / len(own))
            shares.append(table)
        alike = np.minimum(shares[0][:, None], shares[1][None]).sum(axis=2)
        known_both = np.minimum(shares[0].sum(axis=1)[:, None], shares[1].sum(axis=1)[None])
        cost += same * alike + other * np.maximum(known_both - alike, 0)
    return cost


def _left(chains: Sequence[Chain], z: Complex, taken: Ints) -> list[Unit]:
    """Stretches of which nothing is matched yet, as they lie at z."""
    free = np.ones(len(z), bool)
    free[taken] = False
    found: list[Unit] = []
    start = 0
    for k, chain in enumerate(chains):
        index = start + np.arange(len(chain.z))
        start += len(chain.z)
        if free[index].all():
            found.append(Unit(z[index], chain.closed, k, index))
            continue
        found += [Unit(z[run], False, k, run) for run in runs_of(free, index, chain.closed) if len(run) >= 4]
    return found


def runs_of(mask: NDArray[np.bool_], index: Ints, closed: bool) -> list[Ints]:
    """Runs of a chain's points at which a mask over all points is set, round the seam of a closed one."""
    here = mask[index]
    if closed and here[0] and here[-1] and not here.all():
        index = np.roll(index, -int(np.flatnonzero(~here)[0]))
        here = mask[index]
    edges = np.diff(np.r_[0, here.astype(int), 0])
    return [index[p:q] for p, q in zip(np.flatnonzero(edges == 1), np.flatnonzero(edges == -1), strict=True)]


class _Places:
    """Where points of a lie by each alignment, for many alignments of one unit at once."""

    def __init__(self, found: Alignments, units: tuple[Sequence[Unit], Sequence[Unit]]) -> None:
        self.found, self.units = found, units
        self.lengths = np.array([len(u.z) for u in units[1]])
        self.starts = np.r_[0, np.cumsum(self.lengths)][:-1]
        self.z = np.concatenate([u.z for u in units[1]])
        self.rings = np.array([u.closed for u in units[1]])

    def at(self, chosen: Ints, point: int, place: complex) -> tuple[Complex, Floats]:
        """Where a place beside a point of the unit goes, and how many points away the alignment ends."""
        f = self.found
        unit = self.units[0][f.a[chosen[0]]]
        n = len(unit.z)
        b = f.b[chosen]
        if unit.closed:
            here = np.where((point < f.first[chosen]) & (point + n < f.last[chosen]), point + n, point)
        else:
            here = np.full(len(chosen), point)
        held = np.clip(here, f.first[chosen], f.last[chosen] - 1)
        beyond = np.abs(held - here).astype(float)
        if unit.closed:
            beyond = np.minimum(beyond, n - np.minimum(beyond, n))
        there = (held - f.offset[chosen]) % self.lengths[b]
        there = np.where(f.back[chosen], self.lengths[b] - 1 - there, there)
        goal = self.z[self.starts[b] + there]
        if unit.closed:
            for k in np.flatnonzero(self.rings[b]):
                share = (point / n + f.offset[chosen[k]] / RING) % 1
                goal[k] = on_ring(self.units[1][b[k]].z, np.array([share]))[0]
                held[k], beyond[k] = point, 0.0
        return goal + f.turn[chosen] * (place - unit.z[held % n]), beyond


def _supported(found: Alignments, units: tuple[Sequence[Unit], Sequence[Unit]], unit: float) -> Floats:
    """How much of what lies beside each alignment's line goes along with it, 0..1."""
    support = np.zeros(len(found.a))
    if not len(found.a):
        return support
    places = _Places(found, units)
    of_unit = [np.flatnonzero(found.a == k) for k in range(len(units[0]))]
    beside: list[list[tuple[int, Floats, float]]] = [[] for _ in units[0]]
    for (i, j), (gap, here, there) in _beside(units[0]).items():
        mine, theirs = of_unit[i], of_unit[j]
        if not len(mine) or not len(theirs):
            continue
        place = (units[0][i].z[here] + units[0][j].z[there]) / 2
        to, beyond = places.at(mine, here, place)
        other, other_beyond = places.at(theirs, there, place)
        far = (beyond[:, None] + other_beyond) * STEP * unit
        apart = np.abs(to[:, None] - other) / (_TOGETHER * unit + 0.15 * far)
        alike = np.exp(-(apart**2) - 0.01 * far / unit) * (found.b[mine][:, None] != found.b[theirs])
        weight = float(np.exp(-gap / (20 * unit)))
        beside[i].append((j, alike, weight * min(1.0, len(units[0][j].z) / 20)))
        beside[j].append((i, alike.T, weight * min(1.0, len(units[0][i].z) / 20)))
    strength = np.exp(-found.cost)
    for _ in range(_ROUNDS):
        best_a, best_b = np.zeros(len(units[0])), np.zeros(len(units[1]))
        np.maximum.at(best_a, found.a, strength)
        np.maximum.at(best_b, found.b, strength)
        share = strength / np.maximum(np.maximum(best_a[found.a], best_b[found.b]), 1e-9)
        for i, mine in enumerate(of_unit):
            if len(mine):
                total = 0.3 + sum(weight for _, _, weight in beside[i])
                gained = np.zeros(len(mine))
                for j, alike, weight in beside[i]:
                    gained += weight * (alike * share[of_unit[j]]).max(axis=1)
                support[mine] = gained / total
        strength = np.exp(-found.cost - _ALONE * (1 - support))
    return support


def _beside(units: Sequence[Unit]) -> dict[tuple[int, int], tuple[float, int, int]]:
    """Pairs of units of which some point has the other as the nearest line: the gap, and the two points."""
    members: dict[int, list[tuple[int, int]]] = {}
    for k, u in enumerate(units):
        for local, point in enumerate(u.at.tolist()):
            members.setdefault(point, []).append((k, local))
    known = np.array(sorted(members))
    z = np.zeros(len(known), complex)
    own = np.zeros(len(known), int)
    for u in units:
        index = np.searchsorted(known, u.at)
        z[index], own[index] = u.z, u.chain
    points = np.c_[z.real, z.imag]
    gaps, near = cKDTree(points).query(points, k=min(60, len(points)))
    other = own[near] != own[:, None]
    column = other.argmax(axis=1)
    found: dict[tuple[int, int], tuple[float, int, int]] = {}
    for row in np.flatnonzero(other.any(axis=1)).tolist():
        gap = float(gaps[row, column[row]])
        for i, here in members[int(known[row])]:
            for j, there in members[int(known[near[row, column[row]]])]:
                key, points_of = ((i, j), (here, there)) if i < j else ((j, i), (there, here))
                if key not in found or found[key][0] > gap:
                    found[key] = (gap, *points_of)
    return found


def _chosen(
    found: Alignments,
    units: tuple[Sequence[Unit], Sequence[Unit]],
    support: Floats,
    unit: float,
    dearest: float,
) -> list[Match]:
    """Alignments that share no points, longest and surest first."""
    if not len(found.a):
        return []
    rings = np.array([u.closed for u in units[0]])[found.a] & np.array([u.closed for u in units[1]])[found.b]
    counts = np.where(rings, np.array([len(u.z) for u in units[0]])[found.a], found.last - found.first)
    length = counts * STEP
    cost = found.cost + _ALONE / (1 + length * unit / _LONG) * (1 - support)
    gain = length**_BY_LENGTH * (dearest - cost)
    taken = tuple(np.zeros(1 + max(int(u.at.max()) for u in side), bool) for side in units)
    chosen: list[Match] = []
    for k in np.argsort(-gain).tolist():
        if gain[k] <= 0:
            break
        a, at, b = found.places(k, units)
        if taken[0][a].mean() > _TAKEN or taken[1][b].mean() > _TAKEN:
            continue
        taken[0][a] = taken[1][b] = True
        chosen.append(Match(a, b, at, float(np.exp(-max(found.cost[k], 0)))))
    return chosen
