"""Painted pictures of a model sheet, taken apart into patches and what they carry."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.color import rgb2lab

from ..model import Rgb
from ..patches import Patches, find_patches, most_of
from ..pixels import box_of
from .matching import match
from .painting import NOTHING, Paint, Painting

_SAME = 6.0
"""Difference (CIE76) up to which a pixel has a known colour."""

_LEAST = 12
"""px² under which an area is the softness of an edge."""

_WHOLE = 0.6
"""Share of a patch that has to have one colour."""

_AS_LIKE = 0.7
"""Share of the likest figure's likeness from which on another one is asked as well."""

_SAME_SIZE = 0.15
"""Difference of the logarithms of scale under which two figures are drawn alike large."""

_INK, _PAPER, _EDGE = -3, -2, -4
"""What a pixel shows that shows no pot; an edge is what has no known colour."""


@dataclass(frozen=True)
class Colours:
    """What a picture may be painted with: the line and pot -> colour."""

    ink: Rgb
    pots: Mapping[int, Rgb]


def painted_view(picture: NDArray[np.uint8], keys: Sequence[Colours]) -> tuple[Patches, Painting] | None:
    """Patches of a flat painted picture and their pots, by the key whose colours it has most of; None if it shows
    nothing of any.

    picture: (h, w, 3 or 4) RGB(A), on paper of one colour. Where pots have the colour of the paper, what the edge of the
    picture shows is paper and the rest is pot.
    """
    seen = picture[..., :3]
    if picture.shape[2] == 4:
        alpha = picture[..., 3:].astype(np.float32) / 255
        seen = np.round(seen * alpha + 255 * (1 - alpha)).astype(np.uint8)
    rim = np.concatenate([seen[0], seen[-1], seen[:, 0], seen[:, -1]])
    values, often = np.unique(rim, axis=0, return_counts=True)
    paper = values[often.argmax()]
    codes, which = np.unique(seen.astype(np.int64) @ np.array([1 << 16, 1 << 8, 1]), return_inverse=True)
    colours = np.stack([codes >> 16, codes >> 8 & 255, codes & 255], axis=1)
    shown = [_shown(colours, paper, key)[which.reshape(seen.shape[:2])] for key in keys if key.pots]
    if not shown:
        return None
    best = max(shown, key=lambda found: int((found >= 0).sum()))
    wall = (best == _INK) | (best == _EDGE)
    # Where two pots meet without a line between them.
    wall[:, 1:] |= best[:, 1:] != best[:, :-1]
    wall[1:] |= best[1:] != best[:-1]
    patches = find_patches(wall, _LEAST)
    most, share = most_of(patches, best)
    painting = {
        patch: Paint(int(most[patch]) if most[patch] >= 0 else NOTHING)
        for patch in range(1, patches.count + 1)
        if share[patch] >= _WHOLE
    }
    if patches.background:
        painting[patches.background] = Paint(NOTHING)
    return (patches, painting) if any(paint.pot != NOTHING for paint in painting.values()) else None


def _shown(colours: NDArray[np.int64], paper: NDArray[np.uint8], key: Colours) -> NDArray[np.int64]:
    """(n,) what each of (n, 3) colours shows: a pot, or one of the others."""
    names = np.array([*key.pots, _INK, _PAPER])
    known = np.array([*key.pots.values(), key.ink, tuple(paper)], float)
    lab, of_known = (rgb2lab(c.reshape(-1, 1, 3) / 255)[:, 0] for c in (colours.astype(float), known))
    found = np.full(len(colours), _EDGE)
    least = np.full(len(colours), _SAME)
    for name, one in zip(names, of_known, strict=True):
        off = np.linalg.norm(lab - one, axis=1)
        found = np.where(off < least, name, found)
        least = np.minimum(least, off)
    return found


def fitted(
    patches: Patches, painting: Painting, like: Patches, mirrored: bool = False
) -> tuple[Patches, Painting]:
    """A painted figure laid over another one: as large, in the same place, in a picture of the same size.

    mirrored: turned to the other side.
    """
    (centre, area), (there, wanted) = _figure(patches), _figure(like)
    scale = float(np.sqrt(wanted / max(area, 1)))
    if abs(np.log(scale)) < _SAME_SIZE:
        scale = 1.0
    across = -scale if mirrored else scale
    lay = np.array(
        [[across, 0, there[0] - across * centre[0]], [0, scale, there[1] - scale * centre[1]]], np.float32
    )
    height, width = like.shape
    drawn = cv2.warpAffine(
        patches.open_labels.astype(np.float32), lay, (width, height), flags=cv2.INTER_NEAREST,
        borderValue=float(patches.background),
    ).astype(np.int32)  # fmt: skip
    # Lines may have been lost between pixels: where unlike patches meet there is one.
    drawn[:, 1:][(drawn[:, 1:] != drawn[:, :-1]) & (drawn[:, :-1] > 0)] = 0
    drawn[1:][(drawn[1:] != drawn[:-1]) & (drawn[:-1] > 0)] = 0
    found = find_patches(drawn == 0)
    kept: Painting = {}
    for patch in range(1, found.count + 1):
        x, y = found.anchors[patch].astype(int)
        if int(drawn[y, x]) in painting:
            kept[patch] = painting[int(drawn[y, x])]
    return found, kept


def _figure(patches: Patches) -> tuple[NDArray[np.float64], float]:
    """The middle (x, y) of the box round everything but the background, and its area without lines, px."""
    inside = (patches.labels != patches.background) & (patches.open_labels > 0)
    rows, columns = box_of(inside)
    if not rows.stop:
        return np.array(patches.shape[::-1]) / 2, 1.0
    middle = np.array([columns.start + columns.stop, rows.start + rows.stop]) / 2
    return middle, float(inside.sum())


def likest(target: Patches, views: Sequence[tuple[Patches, Painting]], most: int) -> list[tuple[int, bool]]:
    """Which painted figures are most like a drawing, the likest first, and whether each has to be mirrored for it."""
    size = np.sqrt(target.areas.astype(float))
    size[[0, target.background]] = 0
    found = []
    for number, (patches, painting) in enumerate(views):
        for mirrored in (False, True):
            laid, _ = fitted(patches, painting, target, mirrored)
            likely = match(laid, target).likely.max(axis=0)
            found.append((float(size @ likely) / max(float(size.sum()), 1e-9), number, mirrored))
    found.sort(key=lambda one: -one[0])
    best: dict[int, tuple[float, bool]] = {}
    for likeness, number, mirrored in found:
        if likeness >= _AS_LIKE * found[0][0]:
            best.setdefault(number, (likeness, mirrored))
    return [(number, mirrored) for number, (_, mirrored) in list(best.items())[:most]]
