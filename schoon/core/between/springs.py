"""Lines as points held together by springs that turn with them: moved as rigidly as the drawings allow.

After M. Alexa, D. Cohen-Or and D. Levin, "As-Rigid-As-Possible Shape Interpolation" (2000) and O. Sorkine and M. Alexa,
"As-Rigid-As-Possible Surface Modeling" (2007). All px below are of a drawing 1000 px across.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu
from scipy.spatial import cKDTree

from .chains import Chain, Complex, Ints

if TYPE_CHECKING:
    from .matching import Match

Floats = NDArray[np.float64]

_ALONG = ((1, 1.0), (2, 1.0), (4, 0.7), (8, 0.4), (16, 0.25))
"""Springs along a line: to the point so many further on, and how strong."""

_ACROSS, _REACH = 0.1, 47.0
"""Springs to the two nearest other lines within reach."""

_TEARS, _SLIDES = 9.4, 3.1
"""Px by which a spring along a line, and one across, is off when it has half its strength."""

_PIVOT = 31.0
_HELD = 1e-2
"""A point that lies this near the place it turns about is held on its arc; how strongly at most."""

_STILL = 0.04
"""Radians below which nothing can be said of what a point turns about."""


@dataclass(frozen=True)
class Springs:
    """z, tangent: (n,) points of all chains and units along them; chain: (n,) whose each is; starts: where chains begin,
    with the end of the last. open_end: (n,) ends of open chains. i, j, strength: the springs; along: of one line.
    """

    z: Complex
    tangent: Complex
    chain: Ints
    starts: Ints
    open_end: NDArray[np.bool_]
    i: Ints
    j: Ints
    strength: Floats
    along: NDArray[np.bool_]
    closed: NDArray[np.bool_]
    unit: float

    @classmethod
    def of(cls, chains: Sequence[Chain], unit: float) -> Springs:
        """Springs of the chains of a drawing. unit: px per 1/1000 of it."""
        z = np.concatenate([c.z for c in chains])
        counts = [len(c.z) for c in chains]
        starts = np.r_[0, np.cumsum(counts)]
        closed = np.array([c.closed for c in chains])
        chain = np.repeat(np.arange(len(chains)), counts)
        i, j, strength = [], [], []
        for k, c in enumerate(chains):
            n = len(c.z)
            for step, strong in _ALONG:
                if n > (2 * step if c.closed else step):
                    here = np.arange(n if c.closed else n - step)
                    i.append(starts[k] + here)
                    j.append(starts[k] + (here + step) % n)
                    strength.append(np.full(len(here), strong))
        count = sum(map(len, i))
        across = _across(z, chain, _REACH * unit)
        i.append(across[:, 0])
        j.append(across[:, 1])
        strength.append(np.full(len(across), _ACROSS))
        ends = np.zeros(len(z), bool)
        ends[starts[:-1][~closed]] = ends[starts[1:][~closed] - 1] = True
        along = np.arange(count + len(across)) < count
        return cls(
            z, tangents(z, starts, closed), chain, starts, ends,
            np.concatenate(i), np.concatenate(j), np.concatenate(strength), along, closed, unit,
        )  # fmt: skip

    @property
    def _pull(self) -> sparse.csr_matrix:
        rows = np.arange(len(self.i))
        ones = np.ones(len(rows))
        return sparse.csr_matrix(
            (np.r_[-ones, ones], (np.r_[rows, rows], np.r_[self.i, self.j])), (len(rows), len(self.z))
        )

    def turns(self, source: Complex, target: Complex, strength: Floats) -> tuple[Complex, Floats]:
        """How each point's springs turn and grow from source to target, z -> turn z, and how much is known of it."""
        before, after = source[self.j] - source[self.i], target[self.j] - target[self.i]
        n = len(self.z)
        known = np.zeros(n)
        both = strength * before.conj() * after
        power = strength * np.abs(before) ** 2
        total = np.zeros(n, complex)
        for end in (self.i, self.j):
            total += np.bincount(end, both.real, n) + 1j * np.bincount(end, both.imag, n)
            known += np.bincount(end, power, n)
        return np.asarray(total / np.maximum(known, 1e-9)), known

    def filled(self, target: Complex, known: NDArray[np.bool_]) -> Complex:
        """Where the points go for which nothing is known, with those that are: turned as the nearest turn."""
        there = np.where(known, target, 0)
        strength = np.where(self.along, self.strength, 0.1 * self.strength)
        both = known[self.i] & known[self.j]
        turn, power = self.turns(self.z, there, strength * both)
        turn = _within(self._spread(turn, power > 1e-9, strength), 0.85, 1.2)
        moved = (turn[self.i] + turn[self.j]) / 2 * (self.z[self.j] - self.z[self.i])
        off = np.abs(there[self.j] - there[self.i] - moved)
        strength = np.where(both, strength / (1 + (off / (4.7 * self.unit)) ** 2), strength)
        pull = self._pull
        held = np.where(known, 1e4, 1e-7)
        matrix = pull.T @ sparse.diags(strength) @ pull + sparse.diags(held)
        return np.asarray(
            _solved(matrix.tocsc(), pull.T @ (strength * moved) + held * np.where(known, there, self.z))
        )

    def _spread(self, values: Complex, known: NDArray[np.bool_], strength: Floats) -> Complex:
        pull = self._pull
        held = np.where(known, 1e3, 1e-9)
        matrix = pull.T @ sparse.diags(strength) @ pull + sparse.diags(held)
        return np.asarray(_solved(matrix.tocsc(), held * np.where(known, values, 1.0)))

    def settled(self, found: Sequence[Match], other: Springs, reaches: Sequence[float]) -> Complex:
        """(n,) where each point lies in the other drawing: on the lines it is matched with, the rest as the springs pull.

        reaches: px within which lines are drawn to their counterparts, round by round.
        """
        n = len(self.z)
        x = np.full(n, np.nan + 0j)
        partners: dict[int, set[int]] = {}
        for match in found:
            free = np.isnan(x.real[match.a])
            x[match.a[free]] = match.at[free]
            for chain in np.unique(self.chain[match.a]).tolist():
                partners.setdefault(chain, set()).update(np.unique(other.chain[match.b]).tolist())
        x = self.filled(x, ~np.isnan(x.real))
        pull = self._pull
        before = self.z[self.j] - self.z[self.i]
        lines = {
            chain: np.concatenate([np.arange(other.starts[k], other.starts[k + 1]) for k in sorted(of)])
            for chain, of in partners.items()
        }
        for reach in reaches:
            turn = _within(self.turns(self.z, x, self.strength)[0], 0.8, 1.25)
            moved = (turn[self.i] + turn[self.j]) / 2 * before
            strength = self._eased(np.abs(x[self.j] - x[self.i] - moved), 1)
            goal, normal, drawn = self._drawn(x, turn, other, lines, reach * self.unit)
            drawn *= 0.15 * np.clip(16 / reach, 0.5, 4)
            springs = pull.T @ sparse.diags(strength) @ pull
            wanted = pull.T @ (strength * moved)
            # Across the line a point is drawn to its counterpart, along it nearly free.
            nx, ny, slide = normal.real, normal.imag, 0.02
            across = goal.real * nx + goal.imag * ny
            matrix = sparse.bmat(
                [
                    [springs + sparse.diags(drawn * (nx * nx + slide) + 1e-6), sparse.diags(drawn * nx * ny)],
                    [sparse.diags(drawn * nx * ny), springs + sparse.diags(drawn * (ny * ny + slide) + 1e-6)],
                ],
                format="csc",
            )
            right = np.r_[
                wanted.real + drawn * (across * nx + slide * goal.real) + 1e-6 * x.real,
                wanted.imag + drawn * (across * ny + slide * goal.imag) + 1e-6 * x.imag,
            ]
            both = _solved(matrix, right)
            x = both[:n] + 1j * both[n:]
        return np.asarray(x)

    def _eased(self, off: Floats, sharp: int) -> Floats:
        """Strengths when springs are off by so many px: lines that slide over each other do not hold each other."""
        limit = np.where(self.along, _TEARS, _SLIDES) * self.unit
        return np.asarray(self.strength / (1 + (off / limit) ** 2) ** np.where(self.along, 1, sharp))

    def _drawn(
        self, x: Complex, turn: Complex, other: Springs, lines: dict[int, Ints], reach: float
    ) -> tuple[Complex, Complex, Floats]:
        """The counterpart of each point, the direction across its line, and how much it draws, 0..1."""
        goal, normal = x.copy(), np.ones(len(x), complex)
        drawn = np.zeros(len(x))
        weight = 1.2 * reach
        for chain, index in lines.items():
            span = slice(self.starts[chain], self.starts[chain + 1])
            # The doubled angle: a line run from its other end is the same line.
            mine = (self.tangent[span] * turn[span] / np.maximum(np.abs(turn[span]), 1e-9)) ** 2
            theirs = other.tangent[index] ** 2
            tree = cKDTree(
                np.c_[other.z[index].real, other.z[index].imag, weight * theirs.real, weight * theirs.imag]
            )
            gap, near = tree.query(np.c_[x[span].real, x[span].imag, weight * mine.real, weight * mine.imag])
            near = index[near]
            goal[span], normal[span] = other.z[near], 1j * other.tangent[near]
            # What lies beyond the end of a line has nothing to lie on.
            drawn[span] = np.exp(-0.5 * (gap / (1.5 * reach)) ** 2) * ~other.open_end[near]
        return goal, normal, drawn

    def part_way(
        self,
        source: Complex,
        target: Complex,
        share: float | Floats,
        bent: Sequence[tuple[int, complex]] = (),
    ) -> Complex:
        """(n,) points on the way from source to target: what turns goes on arcs about what it turns about.

        share: 0 is the source, 1 the target, beyond them further on; one for all or one a point. bent: points that go aside
        half way, by how much in px, and what hangs on them with them.
        """
        shares = np.broadcast_to(np.asarray(share, float), self.z.shape)
        before, after = source[self.j] - source[self.i], target[self.j] - target[self.i]
        strength = self.strength
        for _ in range(3):
            turn, _ = self.turns(source, target, strength)
            turn = np.where(np.abs(turn) < 0.3, 1, turn)
            both = (turn[self.i] + turn[self.j]) / 2
            both = np.where(np.abs(both) < 0.1, 1, both)
            strength = self._eased(np.abs(after - both * before), 2)
        between = (shares[self.i] + shares[self.j]) / 2
        wanted = both**between * ((1 - between) * before + between * after / both)
        on_arc, held = self._arcs(source, target, turn, shares)
        pull = self._pull
        springs = pull.T @ sparse.diags(strength) @ pull
        right = pull.T @ (strength * wanted) + held * on_arc
        found = np.asarray(_solved((springs + sparse.diags(held)).tocsc(), right))
        if bent:
            index = np.array([point for point, _ in bent])
            aside = np.array([by for _, by in bent]) * 4 * shares[index] * (1 - shares[index])
            # What is far from all pulls stays where it was.
            held = held + 1e-4
            right = right + 1e-4 * found
            gripped = np.zeros(len(held))
            np.add.at(gripped, index, 1e3)
            goal = np.zeros(len(held), complex)
            goal[index] = found[index] + aside
            matrix = springs + sparse.diags(held + gripped)
            found = np.asarray(_solved(matrix.tocsc(), right + gripped * goal))
        return found

    def _arcs(self, source: Complex, target: Complex, turn: Complex, share: Floats) -> tuple[Complex, Floats]:
        """Where each point lies on its arc about the place it has in common with the whole, and how far to trust it."""
        whole, shift, beyond = mostly(source, target, np.ones(len(source)), self.unit)
        own = turn / whole
        own = own / np.maximum(np.abs(own), 1e-9)
        still = np.abs(1 - own) < _STILL
        arm = np.where(still, beyond / _STILL, beyond / np.where(still, 1, 1 - own) / whole)
        centre = source + arm
        turned = whole**share
        middle = source.mean()

        def carried(place: Complex) -> Complex:
            return turned * (place - middle) + (1 - share) * middle + share * (whole * middle + shift)

        arc = carried(centre) + turned * np.exp(1j * share * np.angle(own)) * (source - centre)
        straight = carried(source) + share * beyond
        near = np.exp(-((np.abs(arm) / (_PIVOT * self.unit)) ** 2))
        return np.where(still, straight, arc), _HELD * near + 1e-7


def _solved(matrix: sparse.csc_matrix, right: NDArray[Any]) -> NDArray[Any]:
    """What solves a symmetric system of real numbers; the right side may be complex."""
    factors = splu(matrix.tocsc(), permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True})
    if np.iscomplexobj(right):
        both = factors.solve(np.c_[right.real, right.imag])
        return np.asarray(both[:, 0] + 1j * both[:, 1])
    return np.asarray(factors.solve(right))


def mostly(source: Complex, target: Complex, weight: Floats, unit: float) -> tuple[complex, complex, Complex]:
    """The movement z -> turn z + shift of most points, and how far each goes beyond it."""
    eased = weight
    for _ in range(12):
        total = max(float(eased.sum()), 1e-12)
        a, b = complex((eased * source).sum() / total), complex((eased * target).sum() / total)
        power = max(float((eased * np.abs(source - a) ** 2).sum()), 1e-9)
        turn = complex((eased * (source - a).conj() * (target - b)).sum() / power)
        turn = turn if abs(turn) > 0.1 else 1 + 0j
        beyond = target - (turn * (source - a) + b)
        eased = weight / (1 + (np.abs(beyond) / (4.7 * unit)) ** 2)
    return turn, b - turn * a, beyond


def tangents(z: Complex, starts: Ints, closed: NDArray[np.bool_]) -> Complex:
    """(n,) units along chains of points."""
    found = np.zeros(len(z), complex)
    for k, ring in enumerate(closed.tolist()):
        span = slice(starts[k], starts[k + 1])
        own = z[span]
        along = (
            np.roll(own, -1) - np.roll(own, 1) if ring else np.gradient(own) if len(own) > 1 else np.ones(1)
        )
        found[span] = along / np.maximum(np.abs(along), 1e-9)
    return found


def _within(turn: Complex, least: float, most: float) -> Complex:
    size = np.maximum(np.abs(turn), 1e-9)
    return np.asarray(turn / size * np.clip(size, least, most))


def _across(z: Complex, chain: Ints, reach: float) -> Ints:
    """(k, 2) every second point with the nearest point of each of the two nearest other chains."""
    points = np.c_[z.real, z.imag]
    _, near = cKDTree(points).query(points, k=min(80, len(z)), distance_upper_bound=reach)
    owner = np.r_[chain, -1][np.minimum(near, len(z))]
    first = np.r_[True, np.diff(chain) != 0]
    local = np.arange(len(z)) - np.maximum.accumulate(np.where(first, np.arange(len(z)), 0))
    rows = np.flatnonzero(local % 2 == 0)
    owner, near = owner[rows], near[rows]
    other = (owner != chain[rows, None]) & (owner >= 0)
    found = []
    for _ in range(2):
        column = other.argmax(axis=1)
        good = np.flatnonzero(other.any(axis=1))
        found.append(np.c_[rows[good], near[good, column[good]]])
        other &= owner != np.take_along_axis(owner, column[:, None], axis=1)
    return np.concatenate(found)
