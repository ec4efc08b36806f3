"""Strokes to pixels."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from .curves import pieces, sample
from .model import Points, Stroke

_SHIFT = 4

_FINER = 4
"""Strokes are filled this much finer and averaged down: exact widths and smooth edges."""


def fixed(points: Points, scale: float = 1.0) -> NDArray[np.int32]:
    """Pixel-centre co-ordinates in OpenCV's fixed-point format.

    In a drawing, (0, 0) is the corner of the first pixel; OpenCV counts from its centre.
    """
    return np.round((points * scale - 0.5) * (1 << _SHIFT)).astype(np.int32)


def ink_coverage(strokes: Sequence[Stroke], size: tuple[int, int], scale: float = 1.0) -> NDArray[np.uint8]:
    """(height, width) antialiased coverage 0..255 of the inked strokes.

    size: (width, height) in px of the result; scale: result px per drawing px.
    """
    width, height = size
    canvas = np.zeros((height, width), np.uint8)
    fine = scale * _FINER
    # OpenCV fills the pixels a polygon's edge runs through as well: half a fine pixel too much on each side.
    parts = [pieces(stroke, inset=0.5 / fine) for stroke in strokes]
    shapes = [fixed(piece, fine) for found in parts for piece in found]
    if not shapes:
        return canvas
    corners = np.array([[p.min(axis=0), p.max(axis=0)] for p in shapes]) / ((1 << _SHIFT) * _FINER)
    low = np.clip(np.floor(corners[:, 0].min(axis=0)).astype(int) - 1, 0, (width, height))
    high = np.clip(np.ceil(corners[:, 1].max(axis=0)).astype(int) + 2, 0, (width, height))
    if (high <= low).any():
        return canvas
    mask = np.zeros(((high[1] - low[1]) * _FINER, (high[0] - low[0]) * _FINER), np.uint8)
    shift = (low * _FINER) << _SHIFT
    for polygon in shapes:
        # One by one: together they would be filled even-odd, with holes where lines cross.
        cv2.fillPoly(mask, [polygon - shift], 255, cv2.LINE_8, _SHIFT)
    for stroke, found in zip(strokes, parts, strict=True):
        thin = int(stroke.widths.min() * fine) - 1
        if len(found) > 1 and thin > 4:
            # Where a line turns within its own width its sides fold; its middle fills what they leave out.
            spine = fixed(sample(stroke, 3.0)[0], fine) - shift
            cv2.polylines(mask, [spine], False, 255, thin, cv2.LINE_8, _SHIFT)
    box = np.s_[low[1] : high[1], low[0] : high[0]]
    canvas[box] = cv2.resize(mask, (high[0] - low[0], high[1] - low[1]), interpolation=cv2.INTER_AREA)
    return canvas


def centre_lines(strokes: Sequence[Stroke], size: tuple[int, int]) -> NDArray[np.uint8]:
    """(height, width) mask (0 or 1) of the centre lines, one pixel wide and 8-connected."""
    width, height = size
    canvas = np.zeros((height, width), np.uint8)
    runs = [fixed(sample(stroke, 2.0)[0]) for stroke in strokes]
    cv2.polylines(canvas, runs, False, 1, 1, cv2.LINE_8, _SHIFT)
    return canvas
