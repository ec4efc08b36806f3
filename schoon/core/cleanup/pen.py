"""The pen: a chain of points becomes a smooth stroke with its corners, settled on what was drawn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from ..paper import densities, on_paper, strongest
from ..pixels import values_at
from ..strokes import Points, Stroke, arc_lengths, corner_indices, fit_curves, resample
from .area import Area
from .ridges import settle
from .settings import CleanupSettings

LEAST_HAND = 1.8
"""Least unsteadiness of a pencil line, px of the working picture: what is smaller is grain, not drawing."""


_DRAWN = 0.85
"""Share of a line's ink that lies at a corner of it."""

_ASIDE = 80
"""Px round a path that are looked at, for the tone of the paper."""


def on_rough(path: Points, picture: NDArray[np.uint8], near: float) -> Points:
    """The (k, 2) points of a path, px of the picture and 1 px apart, moved on to the rough lines beside it.

    near: px within which a line counts. Points with no line beside them stay. An end stays where it is along the path.
    """
    low = np.maximum(np.floor(path.min(axis=0)).astype(int) - _ASIDE, 0)
    high = np.ceil(path.max(axis=0)).astype(int) + _ASIDE
    crop = picture[low[1] : high[1], low[0] : high[0]]
    if min(crop.shape[:2]) < 8:
        return path
    density = np.minimum(strongest(densities(on_paper(crop))), 0.3)
    grain = 3.0 * float(np.median(density))
    present = np.ascontiguousarray(np.maximum(density - grain, 0))
    return settle([path - low - 0.5], present, 0.6 * near)[0] + low + 0.5


@dataclass(frozen=True)
class Pen:
    """Turns chains of skeleton points into strokes. strength: (h, w) of ridges, and strong: what a firm line has of it. scale:
    half the width of a line's body, px. present: (h, w) what draws a line towards itself. on: the part of the rough that the chains lie on."""

    strength: NDArray[np.float32]
    scale: float
    present: NDArray[np.float32]
    strong: float
    on: Area
    settings: CleanupSettings

    def draw(self, lines: Sequence[Points], chances: Sequence[float]) -> list[Stroke]:
        """Strokes along chains. chances: that each is a line."""
        runs = [resample(_with_length(line), 1.0) for line in lines]
        settled = settle(runs, self.present, 1.4 * self.scale)
        return self._fitted(runs, settled, chances, self.settings.pressure)

    def rings(self, lines: Sequence[Points]) -> list[Stroke]:
        """Strokes along closed lines whose place is known: they are only smoothed and fitted."""
        runs = [resample(_with_length(line), 1.0) for line in lines]
        return self._fitted(runs, runs, [1.0] * len(runs), 0.0)

    def _fitted(
        self, runs: Sequence[Points], settled: Sequence[Points], chances: Sequence[float], pressure: float
    ) -> list[Stroke]:
        """Strokes whose ends are those of the runs and that lie as they have settled. pressure: as of the settings."""
        # Even a tied-down pencil line is unsteady by about its own width.
        follow = float(np.interp(self.settings.follow, [0, 0.5, 1], [1.9, 1.0, 0.4]))
        hand = max(self.scale, LEAST_HAND) * follow
        reach = round(3.5 * hand)
        paths, corners, closed = [], [], []
        for run, moved in zip(runs, settled, strict=True):
            closed.append(is_ring(run))
            path = _smooth(moved, 0.8 * hand, closed[-1])
            if not closed[-1]:
                path[[0, -1]] = run[[0, -1]]
            path, found = _sharpen(path, corner_indices(path, reach, np.deg2rad(38)), reach, self.present)
            paths.append(path)
            corners.append(found)
        placed = [self.on.placed(path) for path in paths]
        fitted = fit_curves(placed, 0.4 * hand * self.on.shrink, corners, closed)
        strokes = []
        for path, (controls, knots), chance in zip(paths, fitted, chances, strict=True):
            widths = np.full(len(knots), self.settings.line_width)
            if pressure > 0:
                strength = values_at(self.strength, path)
                pressed = ndi.gaussian_filter1d(strength, 4 * self.scale, mode="nearest")[knots.astype(int)]
                share = (pressed / max(1.4 * self.strong, 1e-6)).clip(0.45, 1.5)
                widths = widths * (1 + pressure * (share - 1))
            strokes.append(Stroke(controls, widths, chance))
        return strokes


def _with_length(line: Points) -> Points:
    """The line; of a dot, one as long as it is wide."""
    if arc_lengths(line)[-1] < 1.0:
        return np.asarray(line[0] + np.array([[-0.5, 0.0], [0.5, 0.0]]))
    return line


def is_ring(line: Points) -> bool:
    """Whether a chain ends where it begins."""
    return bool(len(line) > 3 and np.hypot(*(line[0] - line[-1])) < 1e-6)


def _smooth(points: Points, sigma: float, closed: bool) -> Points:
    if len(points) < 5:
        return points
    if closed:
        body = ndi.gaussian_filter1d(points[:-1], sigma, axis=0, mode="wrap")
        return np.vstack([body, body[:1]])
    pinned = ndi.gaussian_filter1d(
        points - np.linspace(points[0], points[-1], len(points)), sigma, axis=0, mode="reflect"
    )
    return np.asarray(pinned + np.linspace(points[0], points[-1], len(points)))


def _sharpen(
    points: Points, corners: list[int], reach: int, present: NDArray[np.float32]
) -> tuple[Points, list[int]]:
    """Smoothing rounds a corner off; its point is where the lines on both sides meet, if something is drawn there: the
    small round turn of an eye has none."""
    moved = points.copy()
    kept = []
    for at in corners:
        low, high = at - reach, at + reach
        if low - reach < 0 or high + reach >= len(points):
            kept.append(at)
            continue
        a, b = points[low], points[high]
        u, v = a - points[low - reach], b - points[high + reach]
        cross = u[0] * v[1] - u[1] * v[0]
        if abs(cross) > 0.15 * np.hypot(*u) * np.hypot(*v):
            gap = b - a
            tip = a + u * (gap[0] * v[1] - gap[1] * v[0]) / cross
            if np.hypot(*(tip - points[at])) < 1.5 * reach:
                if _ink(present, [(a + tip) / 2, tip, (b + tip) / 2]) < _DRAWN * _ink(
                    present, points[low : high + 1]
                ):
                    continue
                moved[low : at + 1] = np.linspace(a, tip, at - low + 1)
                moved[at : high + 1] = np.linspace(tip, b, high - at + 1)
        kept.append(at)
    return moved, kept


def _ink(present: NDArray[np.float32], points: Sequence[Points] | Points) -> float:
    return float(values_at(present, np.asarray(points)).mean())
