"""What is done to the pixels of a pass: rubbed out, cut out and laid down elsewhere."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from .tiles import At, Tiles, cut, whole

_FINE = 4
"""Bits of a pixel in which OpenCV is told places."""


def lined(size: tuple[int, int], path: Sequence[tuple[float, float]], reach: float) -> NDArray[np.float32]:
    """(h, w) share 0..1 of each pixel within `reach` px of a path."""
    mask = np.zeros((size[1], size[0]), np.uint8)
    points = np.round(np.array(path, float) * 2**_FINE).astype(np.int32)
    width = max(1, round(2 * reach))
    if len(points) == 1:
        x, y = points[0].tolist()
        cv2.circle(mask, (x, y), round(reach * 2**_FINE), 255, -1, cv2.LINE_AA, _FINE)
    else:
        cv2.polylines(mask, [points], False, 255, width, cv2.LINE_AA, _FINE)
    return np.asarray(mask / np.float32(255), np.float32)


def within(size: tuple[int, int], ring: Sequence[tuple[float, float]]) -> NDArray[np.float32]:
    """(h, w) share 0..1 of each pixel inside a ring."""
    mask = np.zeros((size[1], size[0]), np.uint8)
    points = np.round(np.array(ring, float) * 2**_FINE).astype(np.int32)
    cv2.fillPoly(mask, [points], 255, cv2.LINE_AA, _FINE)
    return np.asarray(mask / np.float32(255), np.float32)


def rubbed(tiles: Tiles, size: tuple[int, int], share: NDArray[np.float32]) -> dict[At, NDArray[np.uint8]]:
    """The tiles that change when `share` (h, w) 0..1 of their pixels is rubbed out; of what is empty then, none is left."""
    picture = whole(tiles, size)
    touched = [at for at, tile in cut(_as_alpha(share)).items() if at in tiles]
    picture[..., 3] = (picture[..., 3] * (1 - share)).round()
    return cut(picture, touched)


def rubbed_within(
    tiles: Tiles, size: tuple[int, int], share: NDArray[np.float32]
) -> dict[At, NDArray[np.uint8]]:
    """The tiles of a mask that change when `share` of a picture is rubbed out beside what is already. Tiles: by alpha."""
    picture = whole(tiles, size)
    touched = list(cut(_as_alpha(share)))
    picture[..., 3] = np.maximum(picture[..., 3], (255 * share).round())
    return cut(picture, touched)


def pasted(
    tiles: Tiles,
    size: tuple[int, int],
    piece: NDArray[np.uint8],
    corners: Sequence[tuple[float, float]],
) -> dict[At, NDArray[np.uint8]]:
    """The tiles that change when a piece is laid down. piece: (h, w, 4) RGBA. corners: where its corners come to lie, px:
    upper left, upper right, lower right, lower left. Raises ValueError for corners that span no area."""
    height, width = piece.shape[:2]
    there = np.array(corners, np.float32)
    if cv2.contourArea(there) < 1:
        raise ValueError("the corners of the piece lie on one line")
    here = np.array([(0, 0), (width, 0), (width, height), (0, height)], np.float32)
    onto = cv2.getPerspectiveTransform(here, there)
    # OpenCV counts from the middle of the first pixel.
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    matrix = np.linalg.inv(half) @ onto @ half
    whole_alpha = piece[..., 3:].astype(np.float32) / 255
    laid = np.dstack([piece[..., :3] * whole_alpha, whole_alpha]).astype(np.float32)
    moved = cv2.warpPerspective(laid, matrix, size, flags=cv2.INTER_LINEAR)
    picture = whole(tiles, size).astype(np.float32)
    above, below = moved[..., 3:], picture[..., 3:] / 255
    alpha = above + below * (1 - above)
    colour = moved[..., :3] + picture[..., :3] * below * (1 - above)
    result = np.dstack([np.divide(colour, alpha, out=np.zeros_like(colour), where=alpha > 0), 255 * alpha])
    touched = list(cut(np.asarray((255 * moved[..., [3, 3, 3, 3]]).round(), np.uint8)))
    return cut(np.asarray(result.round().clip(0, 255), np.uint8), touched)


def _as_alpha(share: NDArray[np.float32]) -> NDArray[np.uint8]:
    return np.repeat(np.ceil(255 * share).astype(np.uint8)[..., None], 4, axis=2)
