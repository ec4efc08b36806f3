"""The lines of a picture that is painted: a page of a model sheet, with flat colours between dark lines."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_COMMON = 0.002
"""Share of the picture from which on a colour is one of it."""

_INK = 70.0
"""Distance in RGB from the colour of the line at which nothing is line any more."""


def lines_of_painted(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """(h, w, 3) RGB of the lines alone, dark on white: what is near the darkest of a picture's common colours.

    picture: (h, w, 3 or 4) RGB on paper, or RGBA. A picture without common colours comes back as it is, on white.
    """
    pixels = picture[..., :3].astype(float)
    if picture.shape[2] == 4:
        alpha = picture[..., 3:].astype(float) / 255
        pixels = 255 + alpha * (pixels - 255)
    coarse = (pixels.astype(np.uint8) >> 4).reshape(-1, 3).astype(np.int64) @ np.array([256, 16, 1])
    counts = np.bincount(coarse, minlength=4096)
    common = np.flatnonzero(counts > _COMMON * len(coarse))
    if not len(common):
        return np.ascontiguousarray(pixels.round().astype(np.uint8))
    darkest = common[np.argmin(common // 256 + common // 16 % 16 + common % 16)]
    ink = np.median(pixels.reshape(-1, 3)[coarse == darkest], axis=0)
    away = np.linalg.norm(pixels - ink, axis=2) / _INK
    grey = (255 * np.minimum(away, 1)).round().astype(np.uint8)
    return np.repeat(grey[..., None], 3, axis=2)
