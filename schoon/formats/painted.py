"""Drawings as folders of pictures: line art, and its flat paint beside it."""

from __future__ import annotations

from pathlib import Path

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
    return np.asarray(picture[..., :3].sum(axis=2, dtype=np.uint16) < 3 * 128)


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
