"""Ink as the artist drew it, lifted off its paper."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_FLOOR = 0.04
"""Share of full ink under which a pixel is taken for paper: what compression and paper leave."""

_INKED = 0.3
"""Share from which a pixel is on a line rather than at its rim, of opaque ink on its paper."""

_CLEAR = 0.05
"""Share of see-through pixels from which a picture is taken to have no paper."""


def own_ink(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """(h, w, 4) straight RGBA of the lines of a clean drawing: laid on its paper they give the picture again.

    picture: (h, w, 3 or 4). A picture that is clear between its lines is taken as it is; else the paper is its most
    frequent colour and each pixel is parted into paper and ink (T. Porter and T. Duff, 1984, solved for the upper
    picture), the darkest lines being opaque. Raises ValueError for other shapes.
    """
    if picture.ndim != 3 or picture.shape[2] not in (3, 4):
        raise ValueError("a picture of line art has three or four channels")
    if picture.shape[2] == 4:
        if (picture[..., 3] < 128).mean() >= _CLEAR:
            return picture
        picture = picture[..., :3]
    paper = np.median(picture[::2, ::2].reshape(-1, 3), axis=0).astype(np.float32)
    away = picture.astype(np.float32) - paper
    most = np.where(away < 0, np.maximum(paper, 1), np.maximum(255 - paper, 1))
    share = (np.abs(away) / most).max(axis=2)
    inked = share[share > _INKED]
    # A thin line may be no pixel wide, so what is darkest stands for full ink.
    share = np.minimum(share / (np.percentile(inked, 99) if len(inked) else 1.0), 1)
    share[share < _FLOOR] = 0
    colour = paper + away / np.maximum(share, _FLOOR)[..., None]
    return np.dstack([np.clip(colour, 0, 255), 255 * share]).round().astype(np.uint8)
