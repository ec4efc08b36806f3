"""Filled-in blacks: an area of dark pencil is a form with an outline, not a heap of strokes."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..strokes import Points

_DARK = 0.75
"""Share of the drawing's dark density from which on the paper is covered."""

_THICK = 3.0
"""A black is at least this many times as thick as a bundle of searching strokes of the same drawing."""


def solids(density: NDArray[np.float32], scale: float) -> NDArray[np.bool_]:
    """(h, w) mask of blacks in a density picture whose lines have sigma `scale` px."""
    marked = density[density > 0.1]
    empty = np.zeros(density.shape, bool)
    if marked.size < 50:
        return empty
    dark = float(np.percentile(marked, 92))
    covered = (cv2.GaussianBlur(density, (0, 0), max(1.0, 0.7 * scale)) > _DARK * dark).astype(np.uint8)
    radius = max(5, round(_THICK * scale))
    ball = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
    core = cv2.morphologyEx(covered, cv2.MORPH_OPEN, ball)
    if not core.any():
        return empty
    # Back out to the edge of the black, but not along the lines that leave it.
    back = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (radius | 1, radius | 1))
    return np.asarray((cv2.dilate(core, back) & covered) > 0)


def outlined(solid: NDArray[np.bool_], scale: float) -> list[Points]:
    """Closed (k, 2) outlines of the blacks, px; the last point is the first."""
    if not solid.any():
        return []
    smooth = cv2.GaussianBlur(solid.astype(np.float32), (0, 0), max(1.0, scale)) > 0.5
    rings, _ = cv2.findContours(smooth.astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    least = (2 * _THICK * scale) ** 2
    found = []
    for ring in rings:
        if cv2.contourArea(ring) >= least:
            points = ring[:, 0].astype(float)
            found.append(np.vstack([points, points[:1]]))
    return found
