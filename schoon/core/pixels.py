"""Pictures and masks by their pixels: where they lie, what is beside them, what they hold at places between."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def box_of(mask: NDArray[np.generic], margin: int = 0) -> tuple[slice, slice]:
    """The rows and columns of an (h, w) mask with `margin` px about them, within the picture; none if nothing is in it."""
    seen = mask if mask.dtype == np.uint8 else mask != 0
    left, top, width, height = cv2.boundingRect(np.ascontiguousarray(seen).view(np.uint8))
    if not width:
        return slice(0, 0), slice(0, 0)
    rows, columns = mask.shape
    return (
        slice(max(0, top - margin), min(rows, top + height + margin)),
        slice(max(0, left - margin), min(columns, left + width + margin)),
    )


_ROW = 1024
"""Places looked up in one row: the library takes no side of 32,767 or more."""


def values_at(picture: NDArray[np.float32], places: NDArray[np.floating]) -> NDArray[np.float32]:
    """(...) what an (h, w) picture holds at (..., 2) places (x, y), px, between its pixel centres; beyond its rim what is on it."""
    flat = np.asarray(places, np.float32).reshape(-1, 2)
    if not len(flat):
        return np.zeros(places.shape[:-1], np.float32)
    wide = min(_ROW, len(flat))
    rows = np.concatenate([flat, np.zeros((-len(flat) % wide, 2), np.float32)]).reshape(-1, wide, 2)
    found = cv2.remap(picture, rows, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return found.ravel()[: len(flat)].reshape(places.shape[:-1])


def hull_of(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The (h, w) convex hull of a mask that is not empty."""
    corners = cv2.convexHull(cv2.findNonZero(mask.astype(np.uint8)))
    return cv2.fillConvexPoly(np.zeros(mask.shape, np.uint8), corners, 1) > 0


def grown(mask: NDArray[np.bool_], times: int = 1) -> NDArray[np.bool_]:
    """The (h, w) mask with the pixels that share a side with it, so many times."""
    cross = cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3))
    return cv2.dilate(mask.astype(np.uint8), cross, iterations=times) > 0
