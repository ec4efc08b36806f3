"""A drawing as proofing looks at it: few numbers for each patch, the same from documents and from rendered pictures."""

from __future__ import annotations

import io
import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from weakref import WeakKeyDictionary

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import find_objects
from scipy.spatial import cKDTree

from ..patches import Patches
from ..strokes import Points

COARSE = 960
"""Longest side, px, of the labels that are kept of a drawing."""

_RIM = cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3))
"""What bounds a patch are the pixels next to it: beyond a thin line lies something else."""

_ACROSS = 8
"""Px round a patch in which, over the line, its neighbours lie."""

_POINTS = 6000
"""Points along the lines that are kept."""


_CELL, _BESIDE = 0.75, 3.0
"""Sides of the cells in which it is kept what lies on lines, and how far beside them that is, px of a drawing of 1600 px across
the corners."""

_STEPS: WeakKeyDictionary[Sight, WeakKeyDictionary[Sight, NDArray[np.float64]]] = WeakKeyDictionary()


@dataclass(frozen=True, eq=False)
class Sight:
    """One drawing. size: (width, height), px. All arrays of patches have count + 1 entries; entry 0 is unused.

    pots: of each patch, 0 for none. areas: px². centres: (count + 1, 2) px. lined: share of its rim with a line.
    open_out: share of its rim at which the outside begins without a line. wide: how wide it is in the mean, px. host, hosted: the patch that lies round it across
    the line, and the share of its surroundings that is that one. bare: px² along its lines that its paint leaves out.
    labels: (h, w) patch of every `step`-th pixel, 0 on lines. background: the outside, 0 for none. points: (n, 2) along the
    lines, px. weight: of its lines, px. shade: share of each patch under shade. parts: patch -> its part.
    """

    size: tuple[int, int]
    step: int
    labels: NDArray[np.uint16]
    background: int
    pots: NDArray[np.int64]
    areas: NDArray[np.int64]
    centres: Points
    lined: NDArray[np.float64]
    open_out: NDArray[np.float64]
    wide: NDArray[np.float64]
    host: NDArray[np.int64]
    hosted: NDArray[np.float64]
    bare: NDArray[np.float64]
    points: Points
    weight: float
    shade: NDArray[np.float64]
    parts: Mapping[int, str] = field(default_factory=dict)

    @property
    def count(self) -> int:
        return len(self.areas) - 1

    @property
    def unit(self) -> float:
        """px that stand for one of a drawing of 1600 px across the corners."""
        return float(np.hypot(*self.size)) / 1600

    @property
    def kept(self) -> int:
        """Bytes that it takes, about, with what is found in it."""
        width, height = self._cells
        return int(self.labels.nbytes + 4 * self.points.nbytes + width * height // 8)

    @cached_property
    def figure(self) -> NDArray[np.bool_]:
        """Which patches are not the outside."""
        own = np.ones(self.count + 1, bool)
        own[[0, self.background]] = False
        return own

    @cached_property
    def painted(self) -> float:
        """px² of all that is painted."""
        return float(self.areas[self.figure & (self.pots != 0)].sum())

    @cached_property
    def lowest(self) -> NDArray[np.float64]:
        """(count + 1,) the lowest place of each patch, px from the top; -1 for one that is too small to be seen."""
        found = np.full(self.count + 1, -1.0)
        for row, patches in enumerate(self.labels):
            found[patches] = row
        return np.where(found < 0, -1.0, found * self.step + self.step / 2)

    @cached_property
    def ground(self) -> float:
        """The lowest place of the figure, px from the top."""
        return float(self.lowest[self.figure].max(initial=0.0))

    @cached_property
    def height(self) -> float:
        """Of the figure, px; 1 if there is none."""
        rows = np.flatnonzero(self.figure[self.labels].any(axis=1))
        return float(self.step * (rows[-1] - rows[0] + 1)) if len(rows) else 1.0

    def at(self, places: Points) -> NDArray[np.int64]:
        """(n,) patches at (n, 2) places, px; 0 on lines and outside the picture."""
        column, row = np.floor(np.asarray(places) / self.step).astype(int).T
        height, width = self.labels.shape
        inside = (row >= 0) & (row < height) & (column >= 0) & (column < width)
        found = np.zeros(len(row), np.int64)
        found[inside] = self.labels[row[inside], column[inside]]
        return found

    @cached_property
    def tree(self) -> cKDTree:
        """Of `points`."""
        return cKDTree(self.points)

    def steps_to(self, other: Sight) -> NDArray[np.float64]:
        """(n,) how far each of `points` lies from the lines of another drawing, px. Kept as long as both are."""
        known = _STEPS.setdefault(self, WeakKeyDictionary())
        if other not in known:
            known[other] = other.tree.query(self.points)[0]
        return known[other]

    def on_lines(self, places: Points) -> NDArray[np.bool_]:
        """(n,) which of (n, 2) places, px, lie on a line or just beside it."""
        column, row = np.floor(np.asarray(places) / self._cell).astype(int).T
        width, height = self._cells
        inside = (row >= 0) & (row < height) & (column >= 0) & (column < width)
        bits = self._near_lines[np.where(inside, row, 0), np.where(inside, column, 0) >> 3]
        return inside & (bits >> (7 - (column & 7)) & 1 > 0)

    @property
    def _cell(self) -> float:
        return _CELL * self.unit

    @property
    def _cells(self) -> tuple[int, int]:
        width, height = self.size
        return int(np.ceil(width / self._cell)), int(np.ceil(height / self._cell))

    @cached_property
    def _near_lines(self) -> NDArray[np.uint8]:
        """A raster of what lies on lines, a bit a cell, which takes less to ask than a tree."""
        width, height = self._cells
        near = np.zeros((height, width), np.uint8)
        column, row = np.floor(self.points / self._cell).astype(int).T
        near[row.clip(0, height - 1), column.clip(0, width - 1)] = 1
        reach = int(_BESIDE / _CELL)
        across = np.arange(-reach, reach + 1)
        disc = np.hypot(*np.meshgrid(across, across)) * _CELL <= _BESIDE
        return np.packbits(cv2.dilate(near, disc.astype(np.uint8)), axis=1)

    def places(self, patch: int) -> Points:
        """(n, 2) a raster of places in a patch, px."""
        box = self._boxes[patch - 1] if 0 < patch <= len(self._boxes) else None
        if box is None:
            return np.zeros((0, 2))
        row, column = np.nonzero(self.labels[box] == patch)
        corner = (box[1].start, box[0].start)
        return (np.c_[column, row] + corner) * float(self.step) + self.step / 2

    @cached_property
    def _boxes(self) -> list[tuple[slice, slice] | None]:
        """Rows and columns of `labels` that each patch lies in."""
        return list(find_objects(self.labels))


_ARRAYS = (
    "labels", "pots", "areas", "centres", "lined", "open_out", "wide", "host", "hosted", "bare", "points", "shade",
)  # fmt: skip


def pack_sight(sight: Sight) -> bytes:
    """A sight in few bytes, for another process or the disk."""
    body = io.BytesIO()
    plain = {
        "size": sight.size, "step": sight.step, "background": sight.background, "weight": sight.weight,
        "parts": sorted(sight.parts.items()),
    }  # fmt: skip
    np.savez_compressed(body, plain=np.array(json.dumps(plain)), **{n: getattr(sight, n) for n in _ARRAYS})
    return body.getvalue()


def unpack_sight(packed: bytes) -> Sight:
    """The inverse of `pack_sight`."""
    with np.load(io.BytesIO(packed)) as kept:
        plain = json.loads(str(kept["plain"]))
        arrays = {n: kept[n] for n in _ARRAYS}
    width, height = plain["size"]
    return Sight(
        size=(width, height), step=plain["step"], background=plain["background"], weight=plain["weight"],
        parts=dict(plain["parts"]), **arrays,
    )  # fmt: skip


def sight_of(
    patches: Patches,
    pots: NDArray[np.integer],
    ink: NDArray[np.bool_],
    stitched: NDArray[np.bool_] | None = None,
    bare: NDArray[np.bool_] | None = None,
    shade: NDArray[np.float64] | None = None,
    parts: Mapping[int, str] | None = None,
) -> Sight:
    """pots: (count + 1,) pot or colour of each patch, 0 for none. ink: (h, w) the lines. stitched: (h, w) what shuts patches
    unseen. bare: (h, w) pixels without paint. shade: (count + 1,) share of each patch under shade."""
    height, width = ink.shape
    step = max(1, -(-max(width, height) // COARSE))
    count = patches.count
    labels = patches.open_labels
    walls = ink if stitched is None else ink | stitched
    lined = np.ones(count + 1)
    open_out, hosted, wide = (np.zeros(count + 1) for _ in range(3))
    host, left_out = np.zeros(count + 1, np.int64), np.zeros(count + 1)
    for patch, box in _boxes(labels, count):
        part = _wider(box, _ACROSS, labels.shape)
        here = labels[part]
        mask = (here == patch).astype(np.uint8)
        rim = (cv2.dilate(mask, _RIM) > 0) & (mask == 0)
        lined[patch] = float(walls[part][rim].mean()) if rim.any() else 1.0
        open_out[patch] = float((here[rim] == patches.background).mean()) if rim.any() else 0.0
        wide[patch] = 2.0 * float(mask.sum()) / max(1, int(rim.sum()))
        beyond = cv2.dilate(mask, np.ones((2 * _ACROSS + 1, 2 * _ACROSS + 1), np.uint8)) > 0
        around = here[beyond & (mask == 0) & (here > 0)]
        if len(around):
            counts = np.bincount(around)
            host[patch] = int(counts.argmax())
            hosted[patch] = float(counts.max() / counts.sum())
        if bare is not None and pots[patch]:
            left_out[patch] = float((bare[part] & (mask > 0)).sum())
    # A picture that is ink from rim to rim has no lines.
    lines = np.zeros_like(ink) if ink.all() else ink
    thickness = cv2.distanceTransform(lines.astype(np.uint8), cv2.DIST_L2, 5)
    ridge = (thickness >= 1) & (thickness >= cv2.dilate(thickness, np.ones((3, 3))) - 1e-3)
    found = cv2.findNonZero(ridge.astype(np.uint8))
    crests = np.zeros((0, 2)) if found is None else found.reshape(-1, 2).astype(float)
    every = max(1, len(crests) // _POINTS)
    return Sight(
        (width, height),
        step,
        np.ascontiguousarray(labels[step // 2 :: step, step // 2 :: step]).astype(np.uint16),
        patches.background,
        np.asarray(pots, np.int64),
        patches.areas,
        patches.centres,
        lined,
        open_out,
        wide,
        host,
        hosted,
        left_out,
        crests[::every] + 0.5,
        float(2 * np.median(thickness[ridge]) - 1) if len(crests) else 0.0,
        np.zeros(count + 1) if shade is None else shade,
        parts or {},
    )


def _boxes(labels: NDArray[np.int32], count: int) -> list[tuple[int, tuple[slice, slice]]]:
    """Each patch with the rows and columns it lies in."""
    found = find_objects(labels, count)
    return [(k, (box[0], box[1])) for k, box in enumerate(found, 1) if box is not None]


def _wider(box: tuple[slice, slice], by: int, shape: tuple[int, ...]) -> tuple[slice, slice]:
    rows, columns = (
        slice(max(0, side.start - by), min(end, side.stop + by)) for side, end in zip(box, shape, strict=True)
    )
    return rows, columns
