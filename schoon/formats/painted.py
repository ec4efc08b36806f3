"""Drawings as folders of pictures: line art, and its flat paint beside it."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from ..core.paint import MOST_PATCHES
from ..core.patches import Patches, most_of, patches_of
from ..core.strokes import walls
from ..errors import Refusal
from . import svg
from .pictures import decode


def read_picture(path: Path) -> NDArray[np.uint8]:
    """(h, w, 3) RGB or (h, w, 4) RGBA of a picture file. Raises Refusal naming it."""
    try:
        body = path.read_bytes()
    except OSError as error:
        raise Refusal(f"{path} cannot be read: {error.strerror}") from error
    return decode(path.name, body)


def ink_of(path: Path) -> NDArray[np.bool_]:
    """(h, w) ink mask of a clean line picture, on white or transparent, or of an SVG of strokes."""
    if path.suffix.lower() == ".svg":
        strokes, size = svg.read_drawing_svg(path.name, path.read_text(encoding="utf-8", errors="replace"))
        return walls(strokes, size)
    picture = read_picture(path)
    if picture.shape[2] == 4 and picture[..., 3].min() < 250:
        return np.asarray(picture[..., 3] > 127)
    return inked(picture[..., :3].mean(axis=2, dtype=np.float32))


_HALF = 128
_SPECK, _PORES, _EDGE = 8, 25, 0.5
"""Px of a white speck in a line, and how many of them in 10,000 px of it make it textured: clean ink has 0 to 11, pencil 58 to
83. From there a line ends at this share of the way from its middle grey to the paper."""


def inked(light: NDArray[np.float32]) -> NDArray[np.bool_]:
    """(h, w) where line is. light: (h, w) 0 to 255, black line on white paper.

    A line with the texture of its pencil is cut where it ends and not half way to black: at half way it is full of pores, and
    paint runs through them.
    """
    ink = light < _HALF
    if not ink.any():
        return np.asarray(ink)
    _, _, stats, _ = cv2.connectedComponentsWithStats((~ink).astype(np.uint8), connectivity=4)
    pores = int((stats[1:, cv2.CC_STAT_AREA] <= _SPECK).sum())
    if pores * 10_000 <= _PORES * int(ink.sum()):
        return np.asarray(ink)
    line, paper = float(np.median(light[ink])), float(np.median(light[~ink]))
    return np.asarray(light < line + _EDGE * (paper - line))


def painted_patches(line: Path, paint: Path) -> tuple[Patches, NDArray[np.integer], NDArray[np.bool_]]:
    """The patches of a line picture and its flat paint, parted by the line and wherever colours meet; (count + 1,) colour
    of each, 0 for none; (h, w) where paint is."""
    ink = ink_of(line)
    picture = read_picture(paint)
    if picture.shape[:2] != ink.shape:
        raise Refusal(f"{paint.name} in {paint.parent} is not of the size of its drawing; scale it alike")
    if picture.shape[2] < 4:
        raise Refusal(f"{paint.name} in {paint.parent} has no alpha; write it with schoon paint")
    rgb = picture[..., :3].astype(np.int32)
    # 0 is no paint, so colours count from 1.
    code = ((rgb[..., 0] << 16) | (rgb[..., 1] << 8) | rgb[..., 2]) + 1
    code[picture[..., 3] < 128] = 0
    patches = patches_of(ink, code)
    if patches.count > MOST_PATCHES:
        raise Refusal(f"{line.name} has more than {MOST_PATCHES} patches; clean it and paint it flat first")
    return patches, most_of(patches, code)[0], code > 0
