"""What is hidden between two drawings: surfaces move with the lines round them and cover what lies behind them.

A line that is seen in one drawing only is behind whatever lies at its place in the other, and so it is on the way. A line
that ends at another goes on behind it (a T-junction). What a person said about the order of parts is stronger than both.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from .chains import Chain, Complex, Ints
from .springs import Springs

_SHRINK = 1.56
"""Px of a drawing 1000 px across to a cell; surfaces are needed no finer."""

_BEHIND = 7.0
"""Px of a drawing 1000 px across beyond its end at which is looked what a line goes on behind."""

_BORDERS = 5
"""Points of a line on a surface's border from which on the line is its edge and not behind it."""

_INSIDE = 0.3
"""Share of a line that is seen inside a surface from which on it lies on it."""

_ON_SURFACES = 0.3
"""Share of a stretch inside surfaces from which on it lies on them; the rest may lie on their borders."""

_EDGE = 2


@dataclass(frozen=True)
class _Surface:
    """border: (k,) its outline; near: (k, 3) points of the drawing that it moves with; weight: (k, 3) how much."""

    border: Complex
    near: Ints
    weight: NDArray[np.float64]


@dataclass
class Surfaces:
    """The areas that the lines of a drawing enclose."""

    lines: Springs
    labels: NDArray[np.int32]
    shrink: float
    known: dict[int, _Surface] = field(default_factory=dict)
    at_rest: dict[int, NDArray[np.bool_]] = field(default_factory=dict)

    @classmethod
    def of(cls, lines: Springs, size: tuple[int, int]) -> Surfaces:
        """size: width and height of the drawing."""
        shrink = max(1.0, _SHRINK * lines.unit)
        canvas = np.full([int(np.ceil(v / shrink)) + 3 for v in reversed(size)], 255, np.uint8)
        for k, closed in enumerate(lines.closed.tolist()):
            z = lines.z[lines.starts[k] : lines.starts[k + 1]]
            cv2.polylines(canvas, [_fixed(z / shrink)], closed, 0, 2, cv2.LINE_8, 4)
        return cls(lines, cv2.connectedComponents((canvas > 0).astype(np.uint8), connectivity=4)[1], shrink)

    def at(self, places: Complex) -> Ints:
        """The surface at each place; 0 on a line and outside everything."""
        found = _look(self.labels, places, self.shrink)
        return np.asarray(np.where(found == self.labels[0, 0], 0, found))

    def over(self, places: Complex) -> frozenset[int]:
        """The surfaces at the places of a stretch; none where more of it lies outside everything, or it runs along lines."""
        labels = self.at(places)
        outside = _look(self.labels, places, self.shrink) == self.labels[0, 0]
        inside = labels > 0
        lies = inside.sum() > outside.sum() and inside.mean() > _ON_SURFACES
        return frozenset(labels[inside].tolist()) if lies else frozenset()

    def surface(self, label: int) -> _Surface:
        """Raises KeyError for one that is not there."""
        if label not in self.known:
            area = cv2.dilate((self.labels == label).astype(np.uint8), np.ones((3, 3), np.uint8))
            rings, _ = cv2.findContours(area, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
            if not rings:
                raise KeyError(label)
            ring = max(rings, key=cv2.contourArea)[:, 0].astype(float) * self.shrink
            points = np.c_[self.lines.z.real, self.lines.z.imag]
            gap, near = cKDTree(points).query(ring, k=min(3, len(points)))
            gap, near = gap.reshape(len(ring), -1), near.reshape(len(ring), -1)
            weight = 1 / (gap + 1)
            self.known[label] = _Surface(
                ring[:, 0] + 1j * ring[:, 1], near, weight / weight.sum(axis=1, keepdims=True)
            )
        return self.known[label]

    def covered(self, label: int, moved: Complex, edge: int = 0) -> NDArray[np.bool_]:
        """Cells that a surface covers when the drawing's points have moved. edge: cells left out at its border."""
        surface = self.surface(label)
        shift = moved[surface.near] - self.lines.z[surface.near]
        ring = surface.border + (shift * surface.weight).sum(axis=1)
        canvas = np.zeros(self.labels.shape, np.uint8)
        cv2.fillPoly(canvas, [np.round(np.c_[ring.real, ring.imag] / self.shrink).astype(np.int32)], 1)
        if edge:
            canvas = cv2.erode(canvas, np.ones((2 * edge + 1, 2 * edge + 1), np.uint8))
        return canvas > 0

    def bordered(self, label: int) -> Ints:
        """(chains,) how many points of each chain lie on a surface's border."""
        surface = self.surface(label)
        edge = np.unique(surface.near[:, 0])
        return np.bincount(self.lines.chain[edge], minlength=len(self.lines.closed))

    def ranks(self, ranks: NDArray[np.int64]) -> dict[int, int]:
        """The rank of each surface: that of most of its border. ranks: (n,) of all points, -1 unknown."""
        found: dict[int, int] = {}
        for label in range(1, int(self.labels.max()) + 1):
            if label == self.labels[0, 0] or not (self.labels == label).any():
                continue
            edge = ranks[np.unique(self.surface(label).near[:, 0])]
            edge = edge[edge >= 0]
            if len(edge):
                found[label] = int(np.bincount(edge).argmax())
        return found

    def behind(self, chains: Sequence[Chain]) -> list[set[int]]:
        """For each chain the surfaces into which it would go on at its ends."""
        found: list[set[int]] = []
        for chain in chains:
            beyond = []
            for stops, z in zip(chain.stops, (chain.z[::-1], chain.z), strict=True):
                if stops and len(z) > 3:
                    along = z[-1] - z[-4]
                    beyond.append(z[-1] + along / max(abs(along), 1e-9) * _BEHIND * self.lines.unit)
            found.append(set(self.at(np.array(beyond)).tolist()) - {0} if beyond else set())
        return found


def _fixed(z: Complex) -> NDArray[np.int32]:
    return np.round(np.c_[z.real, z.imag] * 16).astype(np.int32)


def _look(cells: NDArray[np.generic], places: Complex, shrink: float) -> NDArray[np.generic]:
    x = np.clip(np.round(places.real / shrink).astype(int), 0, cells.shape[1] - 1)
    y = np.clip(np.round(places.imag / shrink).astype(int), 0, cells.shape[0] - 1)
    return np.asarray(cells[y, x])


@dataclass(frozen=True)
class Hiding:
    """What hides the lines of one drawing on the way to another.

    runs: stretches that are seen here only, each with the surfaces of the other drawing that lie over it there; none of
    them where nothing does. here, there: for each chain the surfaces of this and of the other drawing that are before it.
    """

    runs: list[tuple[Ints, frozenset[int]]]
    here: list[set[int]]
    there: list[set[int]]

    def hidden(self, own: Surfaces, other: Surfaces, now: Complex, other_now: Complex) -> NDArray[np.bool_]:
        """Which points lie under something when both drawings' points have moved to where they are now."""
        found = np.zeros(len(now), bool)
        covers = _Covers(own, other, now, other_now)
        starts = own.lines.starts
        for k, (here, there) in enumerate(zip(self.here, self.there, strict=True)):
            span = slice(starts[k], starts[k + 1])
            found[span] = covers.over(now[span], here, there, _EDGE)
        for run, over in self.runs:
            if over:
                found[run] = covers.over(now[run], (), over, 0)
        return found


class _Covers:
    def __init__(self, own: Surfaces, other: Surfaces, now: Complex, other_now: Complex) -> None:
        self.sides = (own, now), (other, other_now)
        self.cells: dict[tuple[int, int, int], NDArray[np.bool_]] = {}

    def over(
        self, places: Complex, here: Iterable[int], there: Iterable[int], edge: int
    ) -> NDArray[np.bool_]:
        found = np.zeros(len(places), bool)
        for side, labels in enumerate((here, there)):
            surfaces, now = self.sides[side]
            for label in labels:
                key = (side, label, edge)
                if key not in self.cells:
                    self.cells[key] = surfaces.covered(label, now, edge)
                found |= _look(self.cells[key], places, surfaces.shrink).astype(bool)
        return found


def hiding(
    runs: Sequence[Ints],
    seen: NDArray[np.bool_],
    target: Complex,
    own: Surfaces,
    other: Surfaces,
    chains: Sequence[Chain],
    other_chains: Sequence[Chain],
    other_runs: Sequence[tuple[Ints, Complex]],
    partners: Sequence[set[int]],
    said: Said | None = None,
) -> Hiding:
    """What hides the lines of a drawing.

    runs: stretches seen here only. seen, target: which points are seen in the other drawing, and where all lie there.
    other_runs: stretches seen in the other drawing only, with where they lie here. partners: for each chain those of the
    other drawing that are the same line. said: which parts lie before which.
    """
    over: list[tuple[Ints, frozenset[int]]] = []
    here, there = own.behind(chains), [set[int]() for _ in chains]
    for run in runs:
        names = other.over(target[run])
        over.append((run, names))
        there[int(own.lines.chain[run[0]])] |= names
    of_other = other.behind(other_chains)
    hides_other = [set[int]() for _ in other_chains]
    for run, places in other_runs:
        hides_other[int(other.lines.chain[run[0]])] |= own.over(places)
    for k, same in enumerate(partners):
        for partner in same:
            here[k] |= hides_other[partner]
            there[k] |= of_other[partner]
        span = slice(own.lines.starts[k], own.lines.starts[k + 1])
        shown = target[span][seen[span]]
        # A line is not behind what it lies on where it is seen, nor behind what it is the edge of.
        here[k] = {
            f for f in here[k] if _before(own, f, own.lines.z[span]) and own.bordered(f)[k] <= _BORDERS
        }
        there[k] = {
            f for f in there[k]
            if _before(other, f, shown) and all(other.bordered(f)[p] <= _BORDERS for p in same)
        }  # fmt: skip
    if said is not None:
        for k in range(len(chains)):
            for side, surfaces, ranks in ((here, own, said.surfaces[0]), (there, other, said.surfaces[1])):
                before = {f for f, rank in ranks.items() if 0 <= rank < said.chains[k]}
                side[k] = {f for f in side[k] if not 0 <= said.chains[k] < ranks.get(f, -1)}
                side[k] |= {f for f in before if surfaces.bordered(f)[k] <= _BORDERS or surfaces is not own}
        over = [
            (run, frozenset(f for f in names if not 0 <= said.chains[int(own.lines.chain[run[0]])] < said.surfaces[1].get(f, -1)))
            for run, names in over
        ]  # fmt: skip
    return Hiding(over, here, there)


@dataclass(frozen=True)
class Said:
    """What a person said of the order of parts. chains: for each chain the rank of its part, 0 in front, -1 unknown.
    surfaces: the ranks of the surfaces of this drawing and of the other."""

    chains: Sequence[int]
    surfaces: tuple[dict[int, int], dict[int, int]]


def _before(surfaces: Surfaces, label: int, places: Complex) -> bool:
    if not len(places):
        return True
    if label not in surfaces.at_rest:
        surfaces.at_rest[label] = surfaces.covered(label, surfaces.lines.z, _EDGE)
    cells = surfaces.at_rest[label]
    return bool(_look(cells, places, surfaces.shrink).astype(bool).mean() < _INSIDE)
