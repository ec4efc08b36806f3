"""A painted drawing, the key, against the lines that it is painted on: where they are open between two of its colours."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..patches import Patches, find_patches

_DEEP = 4.5
"""Px from another colour from which on paint is there on purpose: less is the rim of a picture that lies a little aside."""

_BESIDE = (
    ((slice(None, -1), slice(None)), (slice(1, None), slice(None))),
    ((slice(None), slice(None, -1)), (slice(None), slice(1, None))),
)
"""All pixels of a picture but those at an edge, and their neighbours: below, and at the right."""

_LEAST = 40
"""Px so deep that make a colour of its own."""


@dataclass(frozen=True, eq=False)
class Opened:
    """What the key says of its drawing. patches: parted where the key is. wall: (h, w), what parts them beside the line.
    places: (k, 2) px, the middle of each open passage."""

    patches: Patches
    wall: NDArray[np.bool_]
    places: NDArray[np.float64]


def parted_by_key(patches: Patches, code: NDArray[np.integer]) -> Opened:
    """The patches of a key parted where two of its colours share one.

    code: (h, w) colour of each pixel, one of them for no paint. A line that was lost, or a gap that was not shut, joins two
    forms; the key shows that they are two. Pixels between belong to the nearer of the colours.
    """
    wall = np.zeros(patches.shape, bool)
    places: list[tuple[float, float]] = []
    _, small, counts = np.unique(code, return_inverse=True, return_counts=True)
    # Colours of a few px are the rims of a smoothed picture: they are none.
    renumber = np.where(counts >= _LEAST, 1 + np.cumsum(counts >= _LEAST), 1) - 1
    small = renumber[small].reshape(code.shape).astype(np.int32)
    many = int(renumber.max()) + 1
    deep = _deep(patches.open_labels, small) & (small > 0)
    # patch and colour -> how much of it is deep.
    held = np.bincount(
        (patches.open_labels.astype(np.int64) * many + small)[deep],
        minlength=(patches.count + 1) * many,
    ).reshape(-1, many)
    for patch in np.flatnonzero((held[1:] >= _LEAST).sum(axis=1) > 1) + 1:
        box = _box(patches.open_labels == patch)
        own = patches.open_labels[box] == patch
        cores = own & deep[box] & (held[patch] >= _LEAST)[small[box]]
        near = _nearest(np.where(cores, small[box], 0))
        between = own & _meets(np.where(own, near, 0))
        wall[box] |= between
        count, _, _, middles = cv2.connectedComponentsWithStats(between.astype(np.uint8), connectivity=8)
        offset = (box[1].start, box[0].start)
        places += [(float(x) + offset[0], float(y) + offset[1]) for x, y in middles[1:count]]
    if not wall.any():
        return Opened(patches, wall, np.zeros((0, 2)))
    return Opened(find_patches((patches.open_labels == 0) | wall), wall, np.array(places))


def _deep(labels: NDArray[np.int32], colours: NDArray[np.int32]) -> NDArray[np.bool_]:
    """(h, w) pixels that lie deep in one colour of one patch."""
    same = np.ones(labels.shape, bool)
    for picture in (labels, colours):
        for first, second in _BESIDE:
            edge = picture[first] != picture[second]
            same[first] &= ~edge
            same[second] &= ~edge
    same &= labels > 0
    return np.asarray(cv2.distanceTransform(same.astype(np.uint8), cv2.DIST_L2, 5) > _DEEP)


def _box(mask: NDArray[np.bool_]) -> tuple[slice, slice]:
    rows, columns = (np.flatnonzero(mask.any(axis=axis)) for axis in (1, 0))
    return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)


def _nearest(marks: NDArray[np.int32]) -> NDArray[np.int32]:
    """The mark nearest to each pixel; 0 is none."""
    _, cells = cv2.distanceTransformWithLabels(
        (marks == 0).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    known = marks > 0
    of_cell = np.zeros(int(cells.max()) + 1, np.int32)
    of_cell[cells[known]] = marks[known]
    return np.asarray(of_cell[cells])


def _meets(marks: NDArray[np.int32]) -> NDArray[np.bool_]:
    """Pixels beside one of a higher mark, so that a wall of them parts the two."""
    found = np.zeros(marks.shape, bool)
    for first, second in _BESIDE:
        a, b = marks[first], marks[second]
        unlike = (a != b) & (a > 0) & (b > 0)
        found[first] |= unlike & (a < b)
        found[second] |= unlike & (b < a)
    return found
