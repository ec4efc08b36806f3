"""Laying lines of one drawing over another's: coarse search, then iterated closest points with directions.

Points are matched in a space where direction counts as well as place, so that a line is drawn to one that runs the
same way and not to whatever is near (after P. J. Besl and N. D. McKay, 1992, with annealed weights).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..strokes import Points, Stroke, resample, sample
from .placement import Placement

_STEP = 4.0
"""Spacing of the points lines are compared by, px of a drawing 1000 px across."""


@dataclass(frozen=True)
class Lines:
    """Sample points of strokes with their directions.

    points: (k, 2) px; tangents: (k, 2) units; owner: (k,) index of the stroke each belongs to.
    unit: px per 1/1000 of the drawing's longest side.
    """

    points: Points
    tangents: Points
    owner: NDArray[np.int64]
    unit: float

    @classmethod
    def of(cls, strokes: Sequence[Stroke], size: tuple[int, int]) -> Lines:
        """The lines of a drawing of `size` (width, height)."""
        unit = max(size) / 1000
        runs = [resample(sample(stroke, 2.0)[0], _STEP * unit) for stroke in strokes]
        if not runs:
            return cls(np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0, int), unit)
        tangents = []
        for run in runs:
            along = np.gradient(run, axis=0)
            tangents.append(along / np.maximum(np.hypot(*along.T), 1e-9)[:, None])
        owner = np.repeat(np.arange(len(runs)), [len(run) for run in runs])
        return cls(np.vstack(runs), np.vstack(tangents), owner, unit)

    def only(self, chosen: NDArray[np.bool_]) -> Lines:
        """The lines at a mask of points."""
        return Lines(self.points[chosen], self.tangents[chosen], self.owner[chosen], self.unit)

    def placed(self, placement: Placement) -> Lines:
        """The lines moved as a whole."""
        turned = Placement(placement.turn / placement.scale).apply(self.tangents)
        return Lines(placement.apply(self.points), turned, self.owner, self.unit)


class Target:
    """Lines that others are laid over; finds the nearest of like direction."""

    def __init__(self, lines: Lines, weight: float = 14.0) -> None:
        self.lines = lines
        self._weight = weight * lines.unit
        self._tree = cKDTree(self._lifted(lines)) if len(lines.points) else None

    def _lifted(self, lines: Lines) -> NDArray[np.float64]:
        # The doubled angle: a line run from its other end is the same line.
        x, y = lines.tangents.T
        return np.c_[lines.points, self._weight * (x * x - y * y), self._weight * 2 * x * y]

    def nearest(self, lines: Lines) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """For each point the index of its counterpart and how far it is, px, with direction counted in."""
        if self._tree is None:
            return np.zeros(len(lines.points), int), np.full(len(lines.points), np.inf)
        distance, index = self._tree.query(self._lifted(lines))
        return index, distance

    def cost(self, lines: Lines, reach: float) -> float:
        """Mean distance of the lines to their counterparts, cut off at `reach` px and in units of it: 0..1."""
        if not len(lines.points):
            return 0.0
        return float(np.minimum(self.nearest(lines)[1] / reach, 1).mean())


def register(
    lines: Lines,
    target: Target,
    starts: Sequence[Placement] = (Placement(),),
    reach: float = 60.0,
    rigid: bool = False,
) -> tuple[Placement, float]:
    """The placement that lays lines over their counterparts, and its cost 0..1 (see `Target.cost`).

    starts: placements to try. reach: px of a 1000 px drawing that a counterpart may be away at first.
    rigid: keep the scale.
    """
    if not len(lines.points) or not len(target.lines.points):
        return Placement(), 1.0
    best, lowest = starts[0], np.inf
    # Many points say no more about a whole than some do.
    every = max(1, len(lines.points) // 400)
    few = lines.only(np.arange(len(lines.points)) % every == 0)
    for start in starts:
        place = start
        for sigma in np.geomspace(reach, 4.0, 9) * lines.unit:
            for _ in range(2):
                moved = few.placed(place)
                index, distance = target.nearest(moved)
                weights = np.exp(-0.5 * (distance / sigma) ** 2)
                if weights.sum() < 1e-3:
                    break
                # Along the line a point is free to slide: only its distance across the line pulls.
                normal = np.c_[-target.lines.tangents[index, 1], target.lines.tangents[index, 0]]
                gap = ((target.lines.points[index] - moved.points) * normal).sum(axis=1)
                pull = 0.15 * (target.lines.points[index] - moved.points) + 0.85 * gap[:, None] * normal
                place = place.then(Placement.between(moved.points, moved.points + pull, weights, rigid))
        cost = target.cost(few.placed(place), 12 * lines.unit)
        if cost < lowest and 0.5 < place.scale < 2:
            best, lowest = place, cost
    return best, float(min(lowest, 1.0))


def search(
    lines: Lines,
    target: Lines,
    far: float = 200.0,
    turns: Sequence[float] = (0, -0.2, 0.2, -0.4, 0.4),
    keep: int = 3,
) -> list[Placement]:
    """Likely placements of a part, best first: its blurred picture is sought in the target's at small scale.

    far: px of a 1000 px drawing the part may have moved. turns: radians tried.
    """
    if not len(lines.points) or not len(target.points):
        return []
    shrink = 6 * lines.unit
    centre = lines.points.mean(axis=0)
    everything = np.vstack([lines.points, target.points])
    low = everything.min(axis=0) - far * lines.unit
    canvas = np.ceil((np.ptp(everything, axis=0) + 2 * far * lines.unit) / shrink).astype(int) + 1
    field = _blurred((target.points - low) / shrink, canvas)
    found: list[tuple[float, Placement]] = []
    for turn in turns:
        rotation = complex(np.exp(1j * turn))
        pivot = complex(*centre)
        place = Placement(rotation, pivot - rotation * pivot)
        moved = place.apply(lines.points)
        corner = moved.min(axis=0)
        patch = _blurred(
            (moved - corner) / shrink + 3, np.ceil(np.ptp(moved, axis=0) / shrink).astype(int) + 7
        )
        if (np.array(patch.shape) > field.shape).any():
            continue
        answer = cv2.matchTemplate(field, patch, cv2.TM_CCORR)
        answer /= float(np.sqrt((patch**2).sum())) * 1000
        for _ in range(2):
            _, value, _, (x, y) = cv2.minMaxLoc(answer)
            shift = low + (np.array([x, y]) + 3) * shrink - corner
            nearness = np.exp(-0.5 * (np.hypot(*shift) / (far * lines.unit)) ** 2) * (1 - 0.3 * abs(turn))
            if np.hypot(*shift) < 1.5 * far * lines.unit:
                found.append((value * nearness, place.then(Placement(1, complex(*shift)))))
            answer[max(0, y - 3) : y + 4, max(0, x - 3) : x + 4] = 0
    return [place for _, place in sorted(found, key=lambda item: -item[0])[:keep]]


def _blurred(points: Points, size: NDArray[np.int64]) -> NDArray[np.float32]:
    picture = np.zeros((int(size[1]), int(size[0])), np.float32)
    at = np.clip(np.round(points).astype(int), 0, size - 1)
    picture[at[:, 1], at[:, 0]] = 1
    return cv2.GaussianBlur(picture, (0, 0), 1.6)
