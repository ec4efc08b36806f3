"""Filled-in blacks: an area of dark pencil is a form with an outline, not a heap of strokes."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..strokes import Points

_DARK = 0.75
"""Share of the drawing's dark density from which on the paper is covered."""

_EDGE = 0.5
"""Share of it at which a black has its edge."""

_THICK = 3.0
"""A black is at least this many times as thick as a bundle of searching strokes of the same drawing."""


def solids(density: NDArray[np.float32], scale: float) -> NDArray[np.bool_]:
    """(h, w) mask of blacks in a density picture whose lines have sigma `scale` px."""
    marked = density[density > 0.1]
    empty = np.zeros(density.shape, bool)
    if marked.size < 50:
        return empty
    dark = float(np.percentile(marked, 92))
    blurred = cv2.GaussianBlur(density, (0, 0), max(1.0, 0.7 * scale))
    covered = (blurred > _DARK * dark).astype(np.uint8)
    radius = max(5, round(_THICK * scale))
    ball = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
    core = cv2.morphologyEx(covered, cv2.MORPH_OPEN, ball)
    if not core.any():
        return empty
    # Back out to the edge of the black, but not along the lines that leave it.
    back = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (radius | 1, radius | 1))
    return np.asarray((cv2.dilate(core, back) > 0) & (blurred > _EDGE * dark))


_FULL = 0.95
"""Share of the darkest that is as dark as it."""

_MARKED = 50
"""Levels darker than white from which on something was drawn."""

_INKED = 0.6
"""Share of the marks that are dark, and share of their middle that is as dark as the darkest, from which on a drawing is
inked. Line art has .72 to .9 and .9 to 1, pencil less than half of either."""


def is_inked(paper: NDArray[np.uint8]) -> bool:
    """Whether a drawing, (h, w, 3) RGB on light paper at full size, is inked evenly and not pencilled."""
    darkness = 255.0 - paper.min(axis=2)
    marked = darkness[darkness > _MARKED]
    if marked.size < 50:
        return False
    darkest = float(np.percentile(marked, 95))
    dark = darkness > _DARK * darkest
    core = darkness[cv2.erode(dark.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0]
    if dark.sum() <= _INKED * marked.size or not core.size:
        return False
    return bool((core > _FULL * darkest).mean() > _INKED)


def outlined(solid: NDArray[np.bool_], scale: float, filled: bool = False) -> list[Points]:
    """Closed (k, 2) outlines of the blacks, px; the last point is the first.

    filled: what lies inside an outline will be ink, so one with holes runs into them and back.
    """
    if not solid.any():
        return []
    smooth = cv2.GaussianBlur(solid.astype(np.float32), (0, 0), max(1.0, scale)) > 0.5
    rings, tree = cv2.findContours(smooth.astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    least = (2 * _THICK * scale) ** 2
    found: list[Points] = []
    of: dict[int, int] = {}
    # Outer rings first, so that a hole finds its own.
    for number in sorted(range(len(rings)), key=lambda k: tree[0][k][3] >= 0):
        if cv2.contourArea(rings[number]) < least:
            continue
        points = rings[number][:, 0].astype(float)
        ring = np.vstack([points, points[:1]])
        outer = of.get(int(tree[0][number][3]))
        if filled and outer is not None:
            found[outer] = _with_hole(found[outer], ring)
        else:
            of[number] = len(found)
            found.append(ring)
    return found


def _with_hole(ring: Points, hole: Points) -> Points:
    """One closed line round a form and, by the shortest way, round a hole in it the other way about."""
    far, near = cKDTree(hole[:-1]).query(ring[:-1])
    start = int(np.argmin(far))
    at = int(near[start])
    # findContours turns holes against outer rings already.
    inner = np.vstack([hole[:-1][at:], hole[:-1][: at + 1]])
    return np.vstack([ring[: start + 1], inner, ring[start:]])
