"""From a picture of paper to how much pencil lies on it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

_DARKEST_PAPER = 0.5
"""Share of the lightest paper that the paper in the darkest corner of a photo still has."""

_FLOOR = 4.0
"""Darkest level told apart, of 255: keeps the logarithm finite."""


def on_paper(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """(h, w, 3) RGB of a grey, RGB or RGBA picture, laid on white; light line on dark is inverted.

    Raises ValueError for other shapes.
    """
    if picture.ndim == 2:
        picture = picture[..., None].repeat(3, axis=2)
    if picture.ndim != 3 or picture.shape[2] not in (3, 4):
        raise ValueError("a picture has one, three or four channels")
    if picture.shape[2] == 4:
        alpha = picture[..., 3:].astype(np.float32) / 255
        flat = picture[..., :3] * alpha + 255 * (1 - alpha)
        # White line on nothing would vanish on white: lay it on black, the inversion below does the rest.
        solid = alpha[..., 0] > 0.5
        if alpha.min() < 0.5 and solid.any() and float(picture[..., :3][solid].mean()) > 160:
            flat = picture[..., :3] * alpha
        picture = flat.round().astype(np.uint8)
    if np.median(picture[::4, ::4]) < 90:
        picture = 255 - picture
    return picture


def strongest(density: NDArray[np.float32]) -> NDArray[np.float32]:
    """(h, w) the highest of the three densities of each pixel."""
    # Far quicker than a maximum along the last axis.
    first, second, third = (density[..., k] for k in range(3))
    return np.asarray(np.maximum(np.maximum(first, second), third))


def densities(picture: NDArray[np.uint8]) -> NDArray[np.float32]:
    """(h, w, 3) optical density above the paper per channel: 0 on bare paper, 1 where a tenth is reflected.

    picture: (h, w, 3) RGB. The paper's tone and uneven light are estimated at large scale and divided out.
    """
    height, width = picture.shape[:2]
    shrink = max(1, min(height, width) // 144)
    small = cv2.resize(
        picture, (max(1, width // shrink), max(1, height // shrink)), interpolation=cv2.INTER_AREA
    ).astype(np.float32)
    # The paper is the light end of each neighbourhood; pencil covers little of it.
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (25, 25))
    closed = cv2.morphologyEx(small, cv2.MORPH_CLOSE, kernel)
    # Uneven light takes some of the paper's brightness; what is far darker is a black, however large.
    closed = np.maximum(closed, _DARKEST_PAPER * np.percentile(closed, 95, axis=(0, 1)))
    paper = cv2.GaussianBlur(closed, (0, 0), 6)
    # The closing keeps the lightest grain, so it is scaled to the middle of the bare paper.
    bare = small.sum(axis=2) > 0.93 * paper.sum(axis=2)
    if bare.any():
        paper *= np.median(small[bare] / np.maximum(paper[bare], 1), axis=0)
    paper = cv2.resize(paper, (width, height), interpolation=cv2.INTER_LINEAR)
    ratio = np.maximum(picture.astype(np.float32), _FLOOR) / np.maximum(paper, 2 * _FLOOR)
    return np.maximum(-np.log10(ratio), 0).astype(np.float32)
