"""Strokes to pixels."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from .curves import outline, sample
from .model import Points, Stroke

_SHIFT = 4


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
    scratch = np.zeros_like(canvas)
    for stroke in strokes:
        polygon = fixed(outline(stroke), scale)
        low = np.maximum((polygon.min(axis=0) >> _SHIFT) - 2, 0)
        high = np.minimum((polygon.max(axis=0) >> _SHIFT) + 3, (width, height))
        if (high <= low).any():
            continue
        box = np.s_[low[1] : high[1], low[0] : high[0]]
        view = scratch[box]
        view[:] = 0
        shifted = polygon - (low << _SHIFT)
        points, widths = sample(stroke, 3.0)
        # fillPoly is even-odd where a stroke crosses itself, so its centre line is drawn as well.
        cv2.fillPoly(view, [shifted], 255, cv2.LINE_AA, _SHIFT)
        if widths.min() * scale > 1.5:
            thin = max(1, int(widths.min() * scale - 1))
            cv2.polylines(
                view, [fixed(points, scale) - (low << _SHIFT)], False, 255, thin, cv2.LINE_AA, _SHIFT
            )
        np.maximum(canvas[box], view, out=canvas[box])
    return canvas


def centre_lines(strokes: Sequence[Stroke], size: tuple[int, int]) -> NDArray[np.uint8]:
    """(height, width) mask (0 or 1) of the centre lines, one pixel wide and 8-connected."""
    width, height = size
    canvas = np.zeros((height, width), np.uint8)
    runs = [fixed(sample(stroke, 2.0)[0]) for stroke in strokes]
    cv2.polylines(canvas, runs, False, 1, 1, cv2.LINE_8, _SHIFT)
    return canvas
