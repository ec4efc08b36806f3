"""Passes of a rough over each other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from .tiles import Tiles, whole

State = Literal["full", "faint", "hidden"]
"""How a pass is seen; only full ones are read by Line."""

FAINT = 0.28
"""How strong a faint pass is seen."""


@dataclass(frozen=True)
class Pass:
    """One pass of pencil."""

    state: State = "full"
    tiles: Tiles = field(default_factory=dict)


def rough(
    base: NDArray[np.uint8] | None,
    size: tuple[int, int],
    state: State,
    rubbed: Tiles,
    passes: Sequence[Pass],
    reads: bool,
) -> NDArray[np.uint8]:
    """(h, w, 4) RGBA of a rough. base: (h, w, 3 or 4) the picture that was taken in, None for an empty sheet. state: how that
    is seen. rubbed: where it is rubbed out, by alpha. passes: over it, first first. reads: as Line reads it, without faint ones.

    A picture without alpha lies on its paper, which stays; passes darken what is below them.
    """
    shown = {"full": 1.0, "faint": 0.0 if reads else FAINT, "hidden": 0.0}
    width, height = size
    paper = np.zeros((height, width, 4), np.float32)
    clear = base is not None and base.shape[2] == 4
    if not clear:
        paper[:] = 255
    if base is not None:
        strength = np.full((height, width, 1), shown[state], np.float32)
        if rubbed:
            strength *= 1 - whole(rubbed, size)[..., 3:].astype(np.float32) / 255
        if clear:
            paper = base.astype(np.float32)
            paper[..., 3:] *= strength
        else:
            ground = _ground(base)
            paper[..., :3] = ground + (base[..., :3] - ground) * strength
    for one in passes:
        if shown[one.state] and one.tiles:
            _lay(paper, whole(one.tiles, size), shown[one.state])
    return np.asarray(paper.round(), np.uint8)


_COARSE, _BARE, _ABOUT = 8, 5, 25
"""px of the picture in one of those in which its paper is looked for; how many of these about a place hold one without a line
at least, and how many are alike; odd numbers."""


def _ground(picture: NDArray[np.uint8]) -> NDArray[np.float32]:
    """(h, w, 3) the paper without what is drawn on it: the light end of what is about each place, however much is drawn there."""
    height, width = picture.shape[:2]
    few = (max(1, width // _COARSE), max(1, height // _COARSE))
    small = cv2.resize(picture[..., :3], few, interpolation=cv2.INTER_AREA)
    light = cv2.medianBlur(cv2.dilate(small, np.ones((_BARE, _BARE), np.uint8)), _ABOUT).astype(np.float32)
    # The lightest grain is a little lighter than the paper.
    share = small.astype(np.float32) / np.maximum(light, 1)
    bare = share.min(axis=2) > _NEARLY
    paper = light * np.median(share[bare], axis=0) if bare.any() else light
    return np.asarray(cv2.resize(paper.astype(np.float32), (width, height), interpolation=cv2.INTER_LINEAR))


_NEARLY = 0.93
"""Share of the light about it that a place without lines has at least."""


def _lay(paper: NDArray[np.float32], tiles: NDArray[np.uint8], strength: float) -> None:
    above = tiles[..., 3:].astype(np.float32) * (strength / 255)
    below = paper[..., 3:] / 255
    alpha = above + below * (1 - above)
    mixed = tiles[..., :3] * above + paper[..., :3] * below * (1 - above)
    np.divide(mixed, alpha, out=paper[..., :3], where=alpha > 0)
    paper[..., 3:] = 255 * alpha
