"""How each patch moved by itself: its border laid on another patch's, and what lies across its lines.

Forms of a figure move each their own way and pass in front of each other; the border of one patch still keeps its
shape nearly. Points are drawn to borders that face the same way (iterated closest points after P. J. Besl and
N. D. McKay, 1992, with annealed robust weights), for many pairs of patches at once.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from functools import cached_property
from weakref import WeakKeyDictionary

import cv2
import numpy as np
from numpy.typing import NDArray

from ..patches import Patches
from ..strokes import Points

_OF_TARGET = 40
_OF_SOURCE = 120
"""Border points of a patch that are compared: of the moved one, and of the one it is laid on."""

_FACING = 8.0
"""Px that count as much as a right angle between the directions borders face, in a drawing 1000 px across."""

_REACH = (40.0, 20.0, 10.0, 5.0, 3.0)
"""Px within which points are drawn together, round by round, in a drawing 1000 px across."""

_LYING = 2.5
"""Px within which a border lies on another, in a drawing 1000 px across."""

_STIFF = np.array([0.25, 0.25, 0.25, 0.25, 0.01, 0.01])
"""How much a patch resists being turned or stretched (four numbers of its linear part) and moved."""

_AT_ONCE = 400
"""Pairs laid on each other in one go; more would only fill the memory."""

_THROUGH = 24
"""Px of ink that are looked through for what lies on the other side of a line, in a drawing 1000 px across."""


class Borders:
    """The border pixels of the patches of a drawing: the open ones beside ink.

    points: (k, 2) px, ordered by patch; those of patch p are starts[p]:starts[p + 1].
    facing: (k, 2) unit vectors from the ink into the patch. unit: px per 1/1000 of the drawing's longest side.
    """

    def __init__(self, patches: Patches) -> None:
        self._labels = patches.open_labels
        wall = (patches.open_labels == 0).astype(np.uint8)
        beside = cv2.dilate(wall, cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3))) > wall
        rows, cols = np.nonzero(beside)
        soft = cv2.GaussianBlur(wall.astype(np.float32), (0, 0), 1.5)
        dx = cv2.Sobel(soft, cv2.CV_32F, 1, 0)[rows, cols]
        dy = cv2.Sobel(soft, cv2.CV_32F, 0, 1)[rows, cols]
        facing: Points = -np.stack([dx, dy], axis=1).astype(np.float64)
        owner = patches.open_labels[rows, cols]
        order = np.argsort(owner, kind="stable")
        self.points: Points = np.asarray(np.stack([cols, rows], axis=1) + 0.5, np.float64)[order]
        length = np.maximum(np.hypot(facing[:, 0], facing[:, 1]), 1e-9)
        self.facing: Points = (facing / length[:, None])[order]
        self.starts = np.r_[0, np.cumsum(np.bincount(owner, minlength=patches.count + 1))]
        self.unit = max(wall.shape) / 1000

    def _spread(self, most: int) -> NDArray[np.int64]:
        """(count + 1, most) indices of border points spread over each patch's border, some repeated if it is short."""
        sizes = np.maximum(np.diff(self.starts), 1)
        within = ((np.arange(most) + 0.5) / most * sizes[:, None]).astype(np.int64)
        found: NDArray[np.int64] = np.minimum(self.starts[:-1, None] + within, max(len(self.points) - 1, 0))
        return found

    @cached_property
    def spacing(self) -> NDArray[np.float64]:
        """(count + 1,) px between the `fixed` points of each patch."""
        return np.asarray(np.maximum(np.diff(self.starts) / _OF_SOURCE, 1.0))

    @cached_property
    def moved(self) -> NDArray[np.int64]:
        """The points of each patch that are laid on another drawing's."""
        return self._spread(_OF_TARGET)

    @cached_property
    def fixed(self) -> NDArray[np.int64]:
        """The points of each patch that others are laid on."""
        return self._spread(_OF_SOURCE)

    @cached_property
    def across(self) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """For each border point the patch on the other side of its line, 0 if the ink is too broad, and (k, 2) px where
        that patch begins."""
        labels = self._labels
        height, width = labels.shape
        found = np.zeros(len(self.points), np.int64)
        begins = self.points.copy()
        left_home = np.zeros(len(self.points), bool)
        for far in range(2, max(4, round(_THROUGH * self.unit))):
            place = np.floor(self.points - far * self.facing).astype(int)
            label = labels[np.clip(place[:, 1], 0, height - 1), np.clip(place[:, 0], 0, width - 1)]
            left_home |= label == 0
            new = (found == 0) & left_home & (label > 0)
            found[new] = label[new]
            begins[new] = place[new] + 0.5
        return found, begins


_known: WeakKeyDictionary[Patches, Borders] = WeakKeyDictionary()


def borders_of(patches: Patches) -> Borders:
    """The borders of a drawing's patches, found once."""
    if patches not in _known:
        _known[patches] = Borders(patches)
    return _known[patches]


@dataclass(frozen=True)
class Laid:
    """Patches of the target laid on patches of the source, one row per pair.

    source, target: (k,) patches. moves: (k, 2, 3) affine from places in the target to places in the source.
    share: (k,) 0..1 how much of the target's border lies on the source's. reverse: the same the other way round.
    """

    source: NDArray[np.int64]
    target: NDArray[np.int64]
    moves: NDArray[np.float64]
    share: NDArray[np.float64]
    reverse: NDArray[np.float64]

    def better_of(self, other: Laid, rows: NDArray[np.int64]) -> Laid:
        """With `rows` as in `other`, one row for each of them, where they lie clearly better there."""
        gain = other.share + other.reverse - (self.share + self.reverse)[rows]
        better = gain > 0.05
        moves, share, reverse = self.moves.copy(), self.share.copy(), self.reverse.copy()
        moves[rows[better]] = other.moves[better]
        share[rows[better]] = other.share[better]
        reverse[rows[better]] = other.reverse[better]
        return Laid(self.source, self.target, moves, share, reverse)


def lay(
    source: Borders,
    target: Borders,
    pairs: NDArray[np.int64],
    shifts: Points,
    linear: NDArray[np.float64] | None = None,
) -> Laid:
    """Lays patches on others. pairs: (k, 2) source and target patch; shifts: (k, 2) px the target is moved to begin with;
    linear: (k, 2, 2) how it is turned, enlarged or mirrored to begin with, not at all if it is not given."""
    linear = np.tile(np.eye(2), (len(pairs), 1, 1)) if linear is None else linear
    if len(pairs) <= _AT_ONCE:
        return _lay(source, target, pairs, shifts, linear)
    cuts = [np.s_[k : k + _AT_ONCE] for k in range(0, len(pairs), _AT_ONCE)]
    parts = [_lay(source, target, pairs[cut], shifts[cut], linear[cut]) for cut in cuts]
    return Laid(*(np.concatenate([getattr(part, f.name) for part in parts]) for f in fields(Laid)))


def _lay(
    source: Borders, target: Borders, pairs: NDArray[np.int64], shifts: Points, linear: NDArray[np.float64]
) -> Laid:
    s, t = pairs[:, 0], pairs[:, 1]
    unit = target.unit
    points, facing = target.points[target.moved[t]], target.facing[target.moved[t]]
    there, towards = source.points[source.fixed[s]], source.facing[source.fixed[s]]
    middle = points.mean(axis=1, keepdims=True)
    # Turning and stretching weigh like moving at the rim of the patch.
    size = np.maximum(np.sqrt(((points - middle) ** 2).sum(axis=2).mean(axis=1)), 4.0)[:, None, None]
    local = (points - middle) / size
    shift = shifts.copy()
    described = np.concatenate([there, towards * (_FACING * unit)], axis=2).astype(np.float32)
    for reach in _REACH:
        at, turned = _moved(local, facing, middle, size, linear, shift)
        index, along, off = _nearest(described, there, towards, at, turned, unit)
        normal = np.take_along_axis(towards, index[..., None], axis=1)
        weight = 1 / (1 + (np.hypot(off, 0.3 * along) / (reach * unit)) ** 2) ** 2
        # How far off a point lies by the first and second column of the linear part and by the shift.
        table = np.concatenate([local[..., :1] * normal, local[..., 1:] * normal, normal], axis=2)
        weighted = (table * weight[..., None]).transpose(0, 2, 1)
        matrix = weighted @ table
        right = (weighted @ off[..., None])[..., 0]
        total = weight.sum(axis=1)
        # Stiff as long as points are drawn from far, so that a form is first moved and then bent.
        stiff = _STIFF * (0.02 + 0.1 * reach / _REACH[0])
        matrix += np.diag(stiff) * total[:, None, None]
        found = np.linalg.solve(matrix + 1e-9 * np.eye(6), right[..., None])[..., 0]
        linear = linear + np.stack([found[:, 0:2], found[:, 2:4]], axis=2) / size
        shift = shift + found[:, 4:6]
    at, turned = _moved(local, facing, middle, size, linear, shift)
    _, along, off = _nearest(described, there, towards, at, turned, unit)
    on = (np.abs(off) < _LYING * unit) & (along < 1.5 * source.spacing[s, None] + 2 * _LYING * unit)
    moves = np.concatenate(
        [linear, (middle[:, 0] + shift - np.einsum("kij,kj->ki", linear, middle[:, 0]))[..., None]], axis=2
    )
    gap = np.hypot(*(at[:, :, None] - there[:, None, ::3]).transpose(3, 0, 1, 2)).min(axis=1)
    far = np.maximum(np.diff(target.starts)[t] / _OF_TARGET, 1.0)[:, None] + _LYING * unit
    return Laid(s, t, moves, on.mean(axis=1), (gap < far).mean(axis=1))


def rotations(angles: NDArray[np.float64]) -> NDArray[np.float64]:
    """(..., 2, 2) of (...) radians."""
    cos, sin = np.cos(angles), np.sin(angles)
    return np.stack([np.stack([cos, -sin], axis=-1), np.stack([sin, cos], axis=-1)], axis=-2)


def _moved(
    local: NDArray[np.float64], facing: NDArray[np.float64], middle: NDArray[np.float64], size: NDArray[np.float64],
    linear: NDArray[np.float64], shift: Points,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:  # fmt: skip
    at = middle + shift[:, None] + (local * size) @ linear.transpose(0, 2, 1)
    turned = facing @ linear.transpose(0, 2, 1)
    return at, turned / np.maximum(np.linalg.norm(turned, axis=2, keepdims=True), 1e-9)


def _nearest(
    described: NDArray[np.float32], there: NDArray[np.float64], towards: NDArray[np.float64],
    at: NDArray[np.float64], turned: NDArray[np.float64], unit: float,
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:  # fmt: skip
    """For each point the nearest border point, how far it lies along the border, and how far off it."""
    own = np.concatenate([at, turned * (_FACING * unit)], axis=2).astype(np.float32)
    square = (
        (own**2).sum(axis=2)[:, :, None]
        + (described**2).sum(axis=2)[:, None]
        - 2 * own @ described.transpose(0, 2, 1)
    )
    index = square.argmin(axis=2)
    rest = np.take_along_axis(there, index[..., None], axis=1) - at
    normal = np.take_along_axis(towards, index[..., None], axis=1)
    off = (rest * normal).sum(axis=2)
    along = np.abs(rest[..., 0] * normal[..., 1] - rest[..., 1] * normal[..., 0])
    return index, along, off
