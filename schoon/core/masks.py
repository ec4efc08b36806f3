"""Masks: where they lie, and what is beside them."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def box_of(mask: NDArray[np.bool_], margin: int = 0) -> tuple[slice, slice] | None:
    """The rows and columns of an (h, w) mask with `margin` px about them, within the picture; None if nothing is in it."""
    rows = np.flatnonzero(mask.any(axis=1))
    if not rows.size:
        return None
    columns = np.flatnonzero(mask[rows[0] : rows[-1] + 1].any(axis=0))
    return (
        slice(max(0, int(rows[0]) - margin), int(rows[-1]) + 1 + margin),
        slice(max(0, int(columns[0]) - margin), int(columns[-1]) + 1 + margin),
    )


def grown(mask: NDArray[np.bool_], times: int = 1) -> NDArray[np.bool_]:
    """The (h, w) mask with the pixels that share a side with it, so many times."""
    cross = cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3))
    return cv2.dilate(mask.astype(np.uint8), cross, iterations=times) > 0
