"""Closed areas of a line drawing."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from skimage.measure import label

from ..strokes import Points, Stroke, walls
from ..strokes.raster import fixed

_Value = TypeVar("_Value", bound=np.generic)


@dataclass(frozen=True, eq=False)
class Patches:
    """The patches of one drawing, numbered from 1.

    open_labels: (h, w) int32, 0 on ink. areas: (count + 1,) of their open parts. Patch `background` (0 if there is none) is the
    outside. scale: px of the drawing that a pixel of all this stands for, in each direction; areas and places are in pixels.
    What is derived from these is found when it is first asked for.
    """

    open_labels: NDArray[np.int32]
    areas: NDArray[np.int64]
    background: int
    scale: int = 1

    @property
    def count(self) -> int:
        return len(self.areas) - 1

    @property
    def shape(self) -> tuple[int, int]:
        """(height, width), in pixels."""
        height, width = self.open_labels.shape
        return height, width

    @cached_property
    def labels(self) -> NDArray[np.int32]:
        """(h, w) int32; patches meet under the line, so no pixel is 0 unless the drawing has no patch at all."""
        return grow(self.open_labels)

    @cached_property
    def anchors(self) -> Points:
        """(count + 1, 2) a place well inside each patch, px; row 0 is unused."""
        return _anchors(self.open_labels, self.count + 1) if self.count else np.zeros((1, 2))

    @cached_property
    def _moments(self) -> NDArray[np.float64]:
        """(count + 1, 6) sums of 1, x, y, xx, xy, yy over each open area, sampled on every second row and column."""
        flat = self.open_labels[::2, ::2]
        height, width = flat.shape
        flat = flat.ravel()
        x = np.tile(2.0 * np.arange(width) + 0.5, height)
        y = np.repeat(2.0 * np.arange(height) + 0.5, width)
        powers = (None, x, y, x * x, x * y, y * y)
        return np.stack([np.bincount(flat, weights=p, minlength=self.count + 1) for p in powers], axis=1)

    @cached_property
    def centres(self) -> Points:
        """(count + 1, 2) centroid of each patch's open area, px; row 0 is unused."""
        n = self._moments[:, :1]
        found = self._moments[:, 1:3] / np.maximum(n, 1)
        return found if n[1:].all() else np.where(n > 0, found, self.anchors)

    @cached_property
    def spread(self) -> Points:
        """(count + 1, 3) second central moments xx, xy, yy over area: the shape of each patch without its size."""
        m = self._moments
        n = np.maximum(m[:, 0], 1)
        cx, cy = m[:, 1] / n, m[:, 2] / n
        central = np.stack([m[:, 3] / n - cx * cx, m[:, 4] / n - cx * cy, m[:, 5] / n - cy * cy], axis=1)
        return np.asarray(central / (4 * n)[:, None])

    @cached_property
    def touching(self) -> NDArray[np.float64]:
        """(count + 1, count + 1) length in px of the border two patches share under the line."""
        table = np.zeros((self.count + 1, self.count + 1))
        for a, b in (
            (self.labels[:, :-1], self.labels[:, 1:]),
            (self.labels[:-1], self.labels[1:]),
        ):
            differ = a != b
            np.add.at(table, (a[differ], b[differ]), 1.0)
        return table + table.T

    def at(self, x: float, y: float) -> int:
        """The patch under a point of the drawing, 0 outside the picture."""
        row, col = int(np.floor(y)), int(np.floor(x))
        if not (0 <= row < self.open_labels.shape[0] and 0 <= col < self.open_labels.shape[1]):
            return 0
        return int(self.open_labels[row, col] or self.labels[row, col])


_NEAR = 24
"""Px round a place on ink in which the nearest patch is looked for first."""


@dataclass(frozen=True, eq=False)
class OpenPatches:
    """As much of `Patches` as it takes to see which patch lies where. open_labels: (h, w), 0 on ink."""

    open_labels: NDArray[np.integer]

    @cached_property
    def areas(self) -> NDArray[np.int64]:
        """As `Patches.areas`."""
        return np.bincount(self.open_labels.ravel()).astype(np.int64)

    def at(self, x: float, y: float) -> int:
        """As `Patches.at`."""
        height, width = self.open_labels.shape
        row, col = int(np.floor(y)), int(np.floor(x))
        if not (0 <= row < height and 0 <= col < width):
            return 0
        if here := int(self.open_labels[row, col]):
            return here
        near = _NEAR
        while True:
            top, left = max(0, row - near), max(0, col - near)
            window = self.open_labels[top : row + near + 1, left : col + near + 1]
            found = int(grow(window.astype(np.int32))[row - top, col - left])
            if found or window.shape == self.open_labels.shape:
                return found
            near *= 4


_STEPPED, _SMOOTHED = 40, 4
"""Pixels of an outline from which on its steps are smoothed, and how often each pixel is averaged with its neighbours."""


def find_patches(wall: NDArray[np.bool_], least: int = 0) -> Patches:
    """Patches of an (h, w) mask of everything that parts paint: ink and taken stitches.

    least: areas of fewer px join the neighbour that is nearest, as specks beside a line do.
    """
    _, open_labels, stats, _ = cv2.connectedComponentsWithStats(
        (~wall).astype(np.uint8), connectivity=4, ltype=cv2.CV_32S
    )
    areas = stats[:, cv2.CC_STAT_AREA].astype(np.int64)
    if least > 0 and (areas[1:] < least).any():
        keep = areas >= least
        keep[0] = False
        renumber = np.zeros(len(areas), np.int32)
        renumber[keep] = np.arange(1, keep.sum() + 1)
        open_labels = renumber[open_labels]
        areas = np.r_[int((open_labels == 0).sum()), areas[keep]]
    return _of_labels(open_labels, areas)


def patches_of(wall: NDArray[np.bool_], colours: NDArray[np.integer]) -> Patches:
    """Patches of an (h, w) mask of lines and an (h, w) picture of colours, parted by lines and wherever colours meet."""
    open_labels = label(np.where(wall, -1, colours), background=-1, connectivity=1).astype(np.int32)
    return _of_labels(open_labels, np.bincount(open_labels.ravel()).astype(np.int64))


def _of_labels(open_labels: NDArray[np.int32], areas: NDArray[np.int64]) -> Patches:
    return Patches(open_labels, areas, _background(open_labels, len(areas)) if len(areas) > 1 else 0)


def pack(patches: Patches) -> bytes:
    """The patches in few bytes, for another process or machine."""
    height, width = patches.open_labels.shape
    head = np.array([height, width, patches.count], "<u4").tobytes()
    return head + zlib.compress(
        patches.open_labels.astype("<u4" if patches.count > 65535 else "<u2").tobytes(), 1
    )


def unpack(packed: bytes) -> Patches:
    """The inverse of `pack`. Raises ValueError for other bytes."""
    open_labels, count = _unpacked(packed)
    areas = np.bincount(open_labels.ravel(), minlength=count + 1).astype(np.int64)
    return _of_labels(open_labels.astype(np.int32), areas)


def unpack_coarse(packed: bytes, longest: int) -> Patches:
    """As `unpack`, in pixels so large that no side has more than `longest` of them.

    Ink stays closed however thin it is, and every patch keeps a pixel.
    """
    fine, count = _unpacked(packed)
    scale = -(-max(fine.shape) // longest)
    if scale <= 1:
        return unpack(packed)
    coarse = _least(_least(fine, scale).T, scale).T.copy()
    lost = np.bincount(coarse.ravel(), minlength=count + 1) == 0
    lost[0] = False
    if lost.any():
        row, col = np.nonzero(lost[fine])
        coarse[row // scale, col // scale] = fine[row, col]
    areas = np.bincount(coarse.ravel(), minlength=count + 1).astype(np.int64)
    return replace(_of_labels(coarse.astype(np.int32), areas), scale=scale)


def _least(labels: NDArray[np.integer], scale: int) -> NDArray[np.integer]:
    """The least of every `scale` rows; the last ones may be fewer."""
    found = labels[::scale].copy()
    for k in range(1, scale):
        more = labels[k::scale]
        np.minimum(found[: len(more)], more, out=found[: len(more)])
    return found


def unpack_open(packed: bytes) -> OpenPatches:
    """As much of `unpack` as a picture needs, many times faster."""
    return OpenPatches(_unpacked(packed)[0])


def _unpacked(packed: bytes) -> tuple[NDArray[np.integer], int]:
    height, width, count = np.frombuffer(packed[:12], "<u4").tolist()
    flat = np.frombuffer(zlib.decompress(packed[12:]), "<u4" if count > 65535 else "<u2")
    return flat.reshape(height, width), count


def grow(labels: NDArray[np.int32]) -> NDArray[np.int32]:
    """Every 0 pixel of an (h, w) label picture takes the label nearest to it."""
    return fill_nearest(labels, labels > 0)


def fill_nearest(values: NDArray[_Value], known: NDArray[np.bool_]) -> NDArray[_Value]:
    """(h, w) values, where they are not known those of the nearest place where they are."""
    if known.all() or not known.any():
        return values
    _, nearest = cv2.distanceTransformWithLabels(
        (~known).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    source = np.zeros(int(nearest.max()) + 1, values.dtype)
    source[nearest[known]] = values[known]
    return np.asarray(source[nearest])


def _background(labels: NDArray[np.int32], count: int) -> int:
    rim = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    shares = np.bincount(rim, minlength=count)
    shares[0] = 0
    return int(shares.argmax()) if shares.any() else 0


def _anchors(labels: NDArray[np.int32], count: int) -> Points:
    """A point well inside each patch: the deepest pixel of its open area."""
    walls = labels == 0
    walls = np.pad(walls, 1, constant_values=True)
    depth = cv2.distanceTransform((~walls).astype(np.uint8), cv2.DIST_L2, 3)[1:-1, 1:-1]
    # Only crests can be deepest; sorted by depth, the last one written for each label is its deepest pixel.
    inside = np.flatnonzero((depth >= cv2.dilate(depth, np.ones((3, 3), np.uint8))) & (labels > 0))
    order = inside[np.argsort(depth.ravel()[inside], kind="stable")]
    deepest = np.zeros(count, np.int64)
    deepest[labels.ravel()[order]] = order
    anchors = np.stack([deepest % labels.shape[1], deepest // labels.shape[1]], axis=1) + 0.5
    anchors[0] = 0
    return anchors


def wall_of(
    strokes: Sequence[Stroke], stitches: Sequence[Points], size: tuple[int, int]
) -> NDArray[np.bool_]:
    """(h, w) mask of what parts paint in a drawing of `size` (width, height): ink, its centre lines, stitches."""
    return add_stitches(walls(strokes, size), stitches)


def add_stitches(wall: NDArray[np.bool_], stitches: Sequence[Points]) -> NDArray[np.bool_]:
    """The wall with the polylines of the taken stitches drawn into it, one pixel wide."""
    canvas = wall.astype(np.uint8)
    for points in stitches:
        cv2.polylines(canvas, [fixed(points)], False, 1, 1, cv2.LINE_8, 4)
    return canvas.astype(bool)


def patches_within(patches: Patches, ring: Points, share: float = 0.85) -> list[int]:
    """The patches of whose open area at least `share` lies inside a closed ring, (k, 2) px; never the background."""
    mask = np.zeros(patches.labels.shape, np.uint8)
    cv2.fillPoly(mask, [fixed(ring)], 1, cv2.LINE_8, 4)
    inside = np.bincount(patches.open_labels[mask > 0], minlength=patches.count + 1)
    return [
        patch
        for patch in range(1, patches.count + 1)
        if patch != patches.background and inside[patch] >= share * patches.areas[patch]
    ]


def most_of(
    patches: Patches, picture: NDArray[np.integer]
) -> tuple[NDArray[np.integer], NDArray[np.float64]]:
    """The most frequent value of an (h, w) picture in the open area of each patch, and its share of it, both (count + 1,);
    at 0 that of the line."""
    # Flat pictures have few runs of one value: only these are sorted.
    flat = picture.ravel()
    begins = np.flatnonzero(np.r_[True, flat[1:] != flat[:-1]])
    values, of_run = np.unique(flat[begins], return_inverse=True)
    index = np.repeat(of_run, np.diff(begins, append=flat.size))
    pairs = patches.open_labels.ravel().astype(np.int64) * len(values) + index
    table = np.bincount(pairs, minlength=(patches.count + 1) * len(values)).reshape(-1, len(values))
    return values[table.argmax(axis=1)], table.max(axis=1) / np.maximum(table.sum(axis=1), 1)


def outlines(patches: Patches, tolerance: float = 0.35) -> dict[int, list[Points]]:
    """Vector outlines of the grown patches: label -> rings, the outer ones and the holes, for an even-odd fill.

    Rings run through the centres of the outermost pixels, half a px inside the patch, thinned to `tolerance` px:
    a stroke of 1 px makes neighbours meet.
    """
    found: dict[int, list[Points]] = {}
    boxes = _boxes(patches)
    for patch in range(1, patches.count + 1):
        x0, y0, x1, y1 = boxes[patch]
        mask = (patches.labels[y0:y1, x0:x1] == patch).astype(np.uint8)
        mask = cv2.copyMakeBorder(mask, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
        rings, _ = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
        thin = [cv2.approxPolyDP(_unstepped(ring), tolerance, True)[:, 0] for ring in rings]
        found[patch] = [ring + np.array([x0 - 0.5, y0 - 0.5]) for ring in thin if len(ring) > 2]
    return found


def _unstepped(ring: NDArray[np.int32]) -> NDArray[np.float32]:
    """A ring of neighbouring pixels, (k, 1, 2), without the steps of the pixels, which show where no ink lies on it. Small rings stay
    as they are."""
    run = ring.astype(np.float32)
    if len(run) < _STEPPED:
        return run
    for _ in range(_SMOOTHED):
        beside = np.roll(run, 1, axis=0) + np.roll(run, -1, axis=0)
        run = (0.5 * run + 0.25 * beside).astype(np.float32)
    return run


def _boxes(patches: Patches) -> NDArray[np.int64]:
    boxes = np.zeros((patches.count + 1, 4), np.int64)
    for patch, found in enumerate(ndi.find_objects(patches.labels, patches.count), 1):
        if found is not None:
            rows, cols = found
            boxes[patch] = cols.start, rows.start, cols.stop, rows.stop
    return boxes
