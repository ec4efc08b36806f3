"""Forms laid with a broad pen: the area a pen path covers, and its edge."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.measure import approximate_polygon, find_contours

from ..strokes import Points

Mask = NDArray[np.bool_]

_FINE = 16
"""Parts of a pixel in which OpenCV is told places."""

_SOFT = 0.9
"""Standard deviation by which the steps of pixels are taken out of an edge, px."""

_TIGHT = 0.25
"""How far an edge may lie from the one that was found, px."""


def covered(points: Points, widths: NDArray[np.float64], size: tuple[int, int]) -> Mask:
    """What a round pen covers on its way. points: (k, 2) px; widths: (k,) px; size: (width, height). Returns (h, w)."""
    mask = np.zeros((size[1], size[0]), np.uint8)
    # OpenCV names pixels by their middles and paints those on the edge as well.
    points, reach = points - 0.5, np.maximum(widths / 2 - 0.5, 0.25)
    places = np.round(points * _FINE).astype(np.int64)
    for k in range(len(points)):
        x, y = (int(v) for v in places[k])
        cv2.circle(mask, (x, y), round(reach[k] * _FINE), 1, -1, cv2.LINE_8, 4)
        if k:
            along = points[k] - points[k - 1]
            far = float(np.hypot(*along))
            if far > 0:
                across = np.array([-along[1], along[0]]) / far
                a, b = across * reach[k - 1], across * reach[k]
                corners = np.stack([points[k - 1] + a, points[k] + b, points[k] - b, points[k - 1] - a])
                cv2.fillConvexPoly(mask, np.round(corners * _FINE).astype(np.int32), 1, cv2.LINE_8, 4)
    return mask > 0


def filled(rings: Sequence[Points], size: tuple[int, int]) -> Mask:
    """What lies inside an odd number of closed rings, (k, 2) px each. size: (width, height). Returns (h, w)."""
    mask = np.zeros((size[1], size[0]), np.uint8)
    cv2.fillPoly(mask, [np.round((ring - 0.5) * _FINE).astype(np.int32) for ring in rings], 1, cv2.LINE_8, 4)
    return mask > 0


def edges(mask: Mask, least: float) -> list[Points]:
    """The smooth edges of an area, (h, w): closed rings of (k, 2) px, those of holes among them. What has less than `least`
    px² is left out, islands and holes alike. Contours by marching squares (Lorensen and Cline 1987), thinned by Douglas and
    Peucker (1973)."""
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if not len(rows):
        return []
    margin = 4
    top, left = int(rows[0]) - margin, int(columns[0]) - margin
    part = np.zeros((int(rows[-1]) - top + margin + 1, int(columns[-1]) - left + margin + 1), np.float32)
    inner = mask[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    part[margin : margin + inner.shape[0], margin : margin + inner.shape[1]] = inner
    soft = cv2.GaussianBlur(part, (0, 0), _SOFT)
    found: list[Points] = []
    for contour in find_contours(soft, 0.5):
        ring = approximate_polygon(contour, _TIGHT)[:, ::-1] + (left + 0.5, top + 0.5)
        if len(ring) >= 4 and area(ring) >= least:
            ring[-1] = ring[0]
            found.append(ring)
    return found


def area(ring: Points) -> float:
    """px² inside a closed ring, (k, 2)."""
    x, y = ring.T
    return float(abs(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2)
