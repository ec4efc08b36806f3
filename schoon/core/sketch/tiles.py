"""Pictures as tiles: what is not drawn on takes no place, and a stroke changes few of them."""

from __future__ import annotations

from collections.abc import Collection, Mapping

import numpy as np
from numpy.typing import NDArray

SIDE = 256
"""px of a tile."""

At = tuple[int, int]
"""Column and row of a tile, from 0."""

Tiles = Mapping[At, NDArray[np.uint8]]
"""(SIDE, SIDE, 4) straight-alpha RGBA of the tiles that have anything."""


def whole(tiles: Tiles, size: tuple[int, int]) -> NDArray[np.uint8]:
    """(h, w, 4) RGBA of all tiles. size: (width, height), px."""
    width, height = size
    canvas = np.zeros((_up(height), _up(width), 4), np.uint8)
    for (column, row), tile in tiles.items():
        if column * SIDE < canvas.shape[1] and row * SIDE < canvas.shape[0] and min(column, row) >= 0:
            canvas[row * SIDE : (row + 1) * SIDE, column * SIDE : (column + 1) * SIDE] = tile
    return canvas[:height, :width]


def cut(picture: NDArray[np.uint8], only: Collection[At] | None = None) -> dict[At, NDArray[np.uint8]]:
    """The tiles of an (h, w, 4) RGBA picture that have anything. only: those that are asked for, empty ones too."""
    height, width = picture.shape[:2]
    canvas = np.zeros((_up(height), _up(width), 4), np.uint8)
    canvas[:height, :width] = picture
    asked = (
        [(c, r) for r in range(canvas.shape[0] // SIDE) for c in range(canvas.shape[1] // SIDE)]
        if only is None
        else only
    )
    found = {(c, r): canvas[r * SIDE : (r + 1) * SIDE, c * SIDE : (c + 1) * SIDE].copy() for c, r in asked}
    return {at: tile for at, tile in found.items() if only is not None or tile[..., 3].any()}


def _up(length: int) -> int:
    return -(-length // SIDE) * SIDE
