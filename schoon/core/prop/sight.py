"""A placed prop as the eye sees it: what is nearest in each cell of a raster."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from .placing import Placed, Points
from .solid import Faces, Points3, Solid

_MOST = 1600
"""Cells along the longer side of the raster at the most."""

FINE = 1.5
_CHUNK = 4_000_000
"""Cells that are looked at together while faces are filled."""

_BITS = 24
"""Bits of the number of a face; those above are its depth, in steps, counted from `_FAR` before the middle."""

_STEPS, _FAR = 1e8, 4.0
_NOTHING = np.iinfo(np.int64).max


@dataclass(frozen=True, eq=False)
class Sight:
    """turned: (n, 3) places of the solid as it stands. flat: (n, 2) px of the drawing. fine: cells to a px, where there is
    room."""

    solid: Solid
    placed: Placed
    turned: Points3
    flat: Points
    fine: float

    @classmethod
    def of(cls, solid: Solid, placed: Placed, fine: float = FINE) -> Sight:
        turned = placed.turned(solid.posed(placed.opened))
        return cls(solid, placed, turned, placed.seen(turned), fine)

    @cached_property
    def cell(self) -> float:
        """Px to a cell."""
        return max(1 / self.fine, float(np.ptp(self.flat, axis=0).max()) / _MOST)

    @cached_property
    def corner(self) -> Points:
        """(2,) px of the middle of the first cell."""
        return np.asarray(self.flat.min(axis=0) - 3 * self.cell)

    @cached_property
    def shape(self) -> tuple[int, int]:
        """Rows and columns of the raster."""
        across, down = np.ceil(np.ptp(self.flat, axis=0) / self.cell).astype(int) + 7
        return int(down), int(across)

    @cached_property
    def _solid_faces(self) -> NDArray[np.bool_]:
        glass = np.array([form.glass for form in self.solid.forms])
        return ~glass[self.solid.form]

    @cached_property
    def solid_depth(self) -> NDArray[np.float64]:
        """(h, w) depth of what hides what lies behind it, infinite where there is nothing; glass hides nothing."""
        return self._filled(self._solid_faces)[0]

    @cached_property
    def forms(self) -> NDArray[np.int32]:
        """(h, w) which form is seen in a cell, counted from 1, 0 for none: the nearest one that is not glass, or else the
        nearest glass."""
        solid, glass = self._filled(self._solid_faces)[1], self._filled(~self._solid_faces)[1]
        face = np.where(solid >= 0, solid, glass)
        return np.where(face >= 0, self.solid.form[face] + 1, 0).astype(np.int32)

    def _filled(self, which: NDArray[np.bool_]) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
        """(h, w) depth and face that is nearest in each cell, of some faces; infinite and -1 where there is none."""
        numbers = np.flatnonzero(which)
        height, width = self.shape
        nearest = np.full(height * width, _NOTHING)
        at = (self.flat - self.corner) / self.cell
        for faces in np.array_split(numbers, self._work(at, numbers) // _CHUNK + 1):
            if len(faces):
                _fill(at, self.turned[:, 2], self.solid.faces, faces, width, nearest)
        hit = nearest != _NOTHING
        depth = np.where(hit, (nearest >> _BITS) / _STEPS - _FAR, np.inf)
        face = np.where(hit, nearest & ((1 << _BITS) - 1), -1)
        return depth.reshape(height, width), face.reshape(height, width)

    def _work(self, at: Points, numbers: NDArray[np.int64]) -> int:
        corners = at[self.solid.faces[numbers]]
        return int(np.prod(np.ptp(corners, axis=1) + 1, axis=1).sum())

    def cells(self, points: Points) -> NDArray[np.int64]:
        """(k, 2) row and column of places in px, within the raster."""
        at = np.rint((points - self.corner) / self.cell).astype(int)
        height, width = self.shape
        return np.c_[at[:, 1].clip(0, height - 1), at[:, 0].clip(0, width - 1)]

    @cached_property
    def inside(self) -> Callable[[Points], NDArray[np.bool_]]:
        """Tells which of (k, 2) px of the drawing the prop covers; its outline is not inside."""
        covered = np.pad(self.forms > 0, 1).astype(np.uint8)
        covered = cv2.erode(covered, np.ones((3, 3), np.uint8))[1:-1, 1:-1] > 0

        def test(points: Points) -> NDArray[np.bool_]:
            at = self.cells(points)
            return np.asarray(covered[at[:, 0], at[:, 1]])

        return test

    def form_at(self, points: Points) -> NDArray[np.int32]:
        """(k,) which form is seen at places in px, counted from 1; 0 for none."""
        at = self.cells(points)
        return np.asarray(self.forms[at[:, 0], at[:, 1]])

    def picture(self, size: tuple[int, int]) -> NDArray[np.int32]:
        """(h, w) which form is seen in each px of a drawing of `size` (width, height), counted from 1; 0 for none."""
        found = np.zeros((size[1], size[0]), np.int32)
        low = np.floor(self.corner).astype(int).clip(0)
        high = np.ceil(self.corner + self.cell * np.array(self.shape[::-1])).astype(int)
        columns, rows = np.arange(low[0], min(high[0], size[0])), np.arange(low[1], min(high[1], size[1]))
        if len(columns) and len(rows):
            grid = np.stack(np.meshgrid(columns + 0.5, rows + 0.5), axis=-1).reshape(-1, 2)
            found[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1] = self.form_at(grid).reshape(
                len(rows), -1
            )
        return found


def _fill(
    at: Points,
    z: NDArray[np.float64],
    faces: Faces,
    which: NDArray[np.int64],
    width: int,
    nearest: NDArray[np.int64],
) -> None:
    """Fills some faces into a raster: the least of each cell's depth, with its face in the lower bits, stays."""
    corners = at[faces[which]]
    low = np.ceil(corners.min(axis=1)).astype(np.int32)
    count = (np.floor(corners.max(axis=1)).astype(np.int32) - low + 1).clip(0)
    a = corners[:, 0]
    u, v = corners[:, 1] - a, corners[:, 2] - a
    area = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    cells = count.prod(axis=1) * (np.abs(area) > 1e-9)
    owner = np.repeat(np.arange(len(which), dtype=np.int32), cells)
    within = np.arange(len(owner), dtype=np.int32) - np.repeat(
        (np.cumsum(cells) - cells).astype(np.int32), cells
    )
    down = within // count[owner, 0]
    right = within - down * count[owner, 0]
    x, y = low[owner, 0] + right, low[owner, 1] + down
    # Both shares of a place in its face, and its depth, are linear in the picture.
    area = np.where(np.abs(area) > 1e-9, area, 1.0)
    slopes = np.stack([v[:, 1], -v[:, 0], -u[:, 1], u[:, 0]], axis=1) / area[:, None]
    dx, dy = x - a[owner, 0], y - a[owner, 1]
    own = slopes[owner]
    s, t = dx * own[:, 0] + dy * own[:, 1], dx * own[:, 2] + dy * own[:, 3]
    hit = np.flatnonzero((s >= -1e-6) & (t >= -1e-6) & (s + t <= 1 + 1e-6))
    owner = owner[hit]
    depths = z[faces[which]]
    far = (
        depths[owner, 0]
        + s[hit] * (depths[:, 1] - depths[:, 0])[owner]
        + t[hit] * (depths[:, 2] - depths[:, 0])[owner]
    )
    key = (np.rint((far + _FAR) * _STEPS).astype(np.int64) << _BITS) | which[owner]
    np.minimum.at(nearest, y[hit].astype(np.int64) * width + x[hit], key)
