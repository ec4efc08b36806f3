"""Flat render of a drawing: paint under ink."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from ..model import Rgb, Rgba
from ..patches import Patches


def flat_paint(patches: Patches, colours: Mapping[int, Rgb | Rgba]) -> NDArray[np.uint8]:
    """(h, w, 4) RGBA of the painted patches, no ink: alpha 0 where `colours` does not name the patch; RGB is opaque."""
    table = np.zeros((patches.count + 1, 4), np.uint8)
    for patch, colour in colours.items():
        table[patch] = (*colour, 255)[:4]
    return table[patches.labels]


def ink_over(paint: NDArray[np.uint8], coverage: NDArray[np.uint8], ink: Rgb) -> NDArray[np.uint8]:
    """(h, w, 4) straight-alpha RGBA of ink with (h, w) coverage 0..255 over a paint picture."""
    above = coverage.astype(np.float32)[..., None] / 255
    below = paint[..., 3:].astype(np.float32) / 255 * (1 - above)
    alpha = above + below
    colour = (np.array(ink, np.float32) * above + paint[..., :3] * below) / np.maximum(alpha, 1e-6)
    return np.concatenate([colour, alpha * 255], axis=2).round().astype(np.uint8)


def over(below: NDArray[np.uint8], above: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """(h, w, 4) one straight-alpha RGBA picture laid on another of its size."""
    top = above[..., 3:].astype(np.float32) / 255
    rest = below[..., 3:].astype(np.float32) / 255 * (1 - top)
    alpha = top + rest
    colour = (above[..., :3] * top + below[..., :3] * rest) / np.maximum(alpha, 1e-6)
    return np.concatenate([colour, alpha * 255], axis=2).round().astype(np.uint8)


def stacked(pictures: Sequence[NDArray[np.uint8]]) -> NDArray[np.uint8]:
    """RGBA pictures of one size, rear to front, as one. Raises ValueError without any."""
    if not pictures:
        raise ValueError("nothing to stack")
    result = pictures[0]
    for picture in pictures[1:]:
        result = over(result, picture)
    return result


def on_backdrop(picture: NDArray[np.uint8], backdrop: Rgb) -> NDArray[np.uint8]:
    """(h, w, 3) RGB of an RGBA picture laid on one colour."""
    alpha = picture[..., 3:].astype(np.float32) / 255
    return (picture[..., :3] * alpha + np.array(backdrop, np.float32) * (1 - alpha)).round().astype(np.uint8)
