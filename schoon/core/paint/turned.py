"""Patches with outlines alike, wherever they lie and however they are turned.

A hand that is raised, a ball that flies by: no registration follows them, but their outline stays. Outlines are laid on each
other at every turn at once (Fourier descriptors after F. P. Kuhl and C. R. Giardina, 1982, with the turn and the
starting point found by correlation), and the lines about a patch, taken along, tell which of several alike it is
(directional chamfer after M.-Y. Liu et al., 2010).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from weakref import WeakKeyDictionary

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from scipy.spatial import cKDTree

from ..patches import Patches
from ..strokes import Points
from .movement import borders_of, rotations

_POINTS = 64
"""Points of an outline, at even distances."""

_LARGER = 0.9
"""Difference of the logarithms of sides beyond which patches are not compared."""

_SIZES, _SHAPES = 0.15, 0.025
"""Differences of the logarithm of a side, and of the correlation of outlines from 1, that count as one unit."""

_ALIKE = 0.15
"""Likeness from which on a pair is kept."""

_KEPT = 5
"""Counterparts of a patch whose surroundings are compared."""

_SURE = 0.5
"""How well a patch goes with its counterpart for its turn to be tried on its neighbours."""

_BETTER = 0.02
"""Likeness on the average by which outlines in another size, or mirrored, are more alike for that to be tried."""

_ROUND, _TURN = 0.98, 0.35
"""Correlation of an outline with itself, turned by more than so many radians, from which on it has no turn of its own."""

_MOST_PAIRS = 60_000
"""Pairs of outlines compared in drawings of many patches: those nearest in size."""

_ABOUT, _NEAR = 72, 54
"""Border points about a patch that are taken along, and how many of them lie near it."""

_REACH, _WIDE = 45.0, 2.5
"""Px about a patch in which these lie, in a drawing 1000 px across, and how many times as far the others may."""

_WAYS = 8
"""Directions that borders are told apart by."""

_ON, _OFF, _FAR = 1.5, 5.0, 25.0
"""Px within which a border lies on its counterpart, beyond which by so much it hardly does, and at which it has none."""

_SHRINK = 2
"""Px of the drawing to one of these distances."""


@dataclass(frozen=True)
class Turned:
    """Pairs of patches with outlines alike. source, target: (k,) patches. moves: (k, 2, 3) affine from places in the target to
    places in the source. alike: (k,) 0..1 by outline and size. about: (k,) 0..1 by the lines about them too."""

    source: NDArray[np.int64]
    target: NDArray[np.int64]
    moves: NDArray[np.float64]
    alike: NDArray[np.float64]
    about: NDArray[np.float64]

    @property
    def linear(self) -> NDArray[np.float64]:
        """(k, 2, 2) how each target patch is turned, enlarged or mirrored."""
        return self.moves[..., :2]


_NO_PATCH, _NO_VALUE = np.zeros(0, np.int64), np.zeros(0)
NONE = Turned(_NO_PATCH, _NO_PATCH, np.zeros((0, 2, 3)), _NO_VALUE, _NO_VALUE)
"""No pair at all."""


@dataclass(frozen=True)
class _Outlines:
    """centres: (count + 1, 2) px. shapes: (count + 1, _POINTS) complex, Fourier transform of the outline about its centre, of
    unit size. sides: (count + 1,) logarithm of px; nan for patches that are not compared."""

    centres: NDArray[np.float64]
    shapes: NDArray[np.complex64]
    sides: NDArray[np.float64]

    @cached_property
    def turns(self) -> NDArray[np.bool_]:
        """(count + 1,) whether an outline tells how it is turned: it is not alike itself at another turn."""
        met = np.fft.ifft(np.abs(self.shapes) ** 2, axis=1) * _POINTS
        return np.asarray(~((np.abs(met) > _ROUND) & (np.abs(np.angle(met)) > _TURN)).any(axis=1))


_outlines: WeakKeyDictionary[Patches, _Outlines] = WeakKeyDictionary()
_fields: WeakKeyDictionary[Patches, NDArray[np.float16]] = WeakKeyDictionary()
_surroundings: WeakKeyDictionary[Patches, NDArray[np.int64]] = WeakKeyDictionary()


def turned(source: Patches, target: Patches) -> Turned:
    """Pairs of patches of two drawings whose outlines are alike, in any place and at any turn; the outside has none. Figures that
    are more alike in another size, or looking the other way, are taken so."""
    a, b = _outlines_of(source), _outlines_of(target)
    pairs = _of_a_size(a.sides, b.sides)
    if not len(pairs[0]):
        return NONE
    straight, mirrored = (_laid(a, b, pairs, way) for way in (False, True))
    ways = [(straight, 0.0), (straight, _scale(straight)), (mirrored, _scale(mirrored))]
    outlined = [_mean_of_best(target, laid.target, _alike(laid, larger)) for laid, larger in ways]
    tried = [0, *(k for k in (1, 2) if outlined[k] > outlined[0] + _BETTER)]
    found = [_with(source, target, *ways[k]) for k in tried]
    return max(found, key=lambda way: _mean_of_best(target, way.target, way.about))


@dataclass(frozen=True)
class _Pairs:
    """source, target: (k,) patches. side: (k,) logarithm of px of the target. larger: (k,) the same of what it is to be enlarged
    by. well: (k,) correlation of the outlines, 0..1. turns: (k, 2) radians by which the target's outline, mirrored or not, is
    turned: the best, and the least that is nearly as good."""

    source: NDArray[np.int64]
    target: NDArray[np.int64]
    side: NDArray[np.float64]
    larger: NDArray[np.float64]
    well: NDArray[np.float64]
    turns: NDArray[np.float64]
    mirrored: bool


def _mean_of_best(target: Patches, patches: NDArray[np.int64], values: NDArray[np.float64]) -> float:
    """The mean over the patches of the target of the best value that each has, 0 for none."""
    best = np.zeros(target.count + 1)
    np.maximum.at(best, patches, values)
    compared = np.isfinite(_outlines_of(target).sides)
    return float(best[compared].mean()) if compared.any() else 0.0


def _of_a_size(a: NDArray[np.float64], b: NDArray[np.float64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    apart = np.abs(a[:, None] - b[None])
    i, j = np.nonzero(apart < _LARGER)
    if len(i) > _MOST_PAIRS:
        near = np.argpartition(apart[i, j], _MOST_PAIRS)[:_MOST_PAIRS]
        i, j = i[near], j[near]
    return i, j


def _laid(
    a: _Outlines, b: _Outlines, pairs: tuple[NDArray[np.int64], NDArray[np.int64]], mirrored: bool
) -> _Pairs:
    """As in `_Pairs`."""
    i, j = pairs
    best, turns = np.zeros(len(i)), np.zeros((len(i), 2))
    for first in range(0, len(i), 4096):
        part = np.s_[first : first + 4096]
        there, here = a.shapes[i[part]], b.shapes[j[part]]
        # The mirrored outline, run through the other way, has the conjugate transform.
        met = np.fft.ifft(there * (here if mirrored else here.conj()), axis=1) * _POINTS
        well, angle = np.abs(met), np.angle(met)
        row, most = np.arange(len(met)), well.argmax(axis=1)
        least = np.where(well >= _ROUND * well[row, most][:, None], np.abs(angle), np.inf).argmin(axis=1)
        best[part] = np.minimum(well[row, most], 1)
        turns[part] = np.stack([angle[row, most], angle[row, least]], axis=1)
    return _Pairs(i, j, b.sides[j], a.sides[i] - b.sides[j], best, turns, mirrored)


def _scale(pairs: _Pairs) -> float:
    """Logarithm of the enlargement for which most outlines are alike."""
    votes = np.exp(-(1 - pairs.well) / _SHAPES)
    # A line is as broad on a small patch as on a large one: large ones tell the size better.
    votes *= np.exp(0.5 * pairs.side) / np.maximum(np.bincount(pairs.target, votes), 1e-3)[pairs.target]
    steps = np.arange(-_LARGER, _LARGER, 0.02)
    near = np.exp(-0.5 * ((pairs.larger - steps[:, None]) / 0.05) ** 2) @ votes
    return float(steps[near.argmax()])


def _alike(pairs: _Pairs, larger: float) -> NDArray[np.float64]:
    return np.asarray(np.exp(-(1 - pairs.well) / _SHAPES - 0.5 * ((pairs.larger - larger) / _SIZES) ** 2))


def _with(source: Patches, target: Patches, pairs: _Pairs, larger: float) -> Turned:
    """The counterparts when the target is enlarged."""
    alike = _alike(pairs, larger)
    kept = _best(pairs.target, alike)
    i, j, alike = pairs.source[kept], pairs.target[kept], alike[kept]
    linear = np.exp(larger) * rotations(pairs.turns[kept])
    if pairs.mirrored:
        linear = linear * np.array([1.0, -1.0])
    ways = [_carried(source, target, i, j, linear[:, way]) for way in range(linear.shape[1])]
    found = _better(*ways)
    near = _sure_beside(target, j, alike * found[1])
    known = np.flatnonzero(near >= 0)
    # What is round has no turn of its own.
    other = _carried(source, target, i[known], j[known], found[0][near[known], :, :2])
    moves, about = found
    moves[known], about[known] = _better((moves[known], about[known]), other)
    return Turned(i, j, moves, alike, alike * about)


_Ways = tuple[NDArray[np.float64], NDArray[np.float64]]


def _carried(
    source: Patches, target: Patches, i: NDArray[np.int64], j: NDArray[np.int64], linear: NDArray[np.float64]
) -> _Ways:
    """(k, 2, 3) moves of target patches onto the middles of source patches, and (k,) how the lines about them then lie."""
    here, there = _outlines_of(target).centres[j], _outlines_of(source).centres[i]
    shift = there - (linear @ here[..., None])[..., 0]
    moves = np.concatenate([linear, shift[..., None]], axis=2)
    return moves, _about(source, target, j, moves)


def _better(one: _Ways, other: _Ways) -> _Ways:
    better = other[1] > one[1]
    return np.where(better[:, None, None], other[0], one[0]), np.where(better, other[1], one[1])


def _sure_beside(target: Patches, j: NDArray[np.int64], about: NDArray[np.float64]) -> NDArray[np.int64]:
    """(k,) for each row the row of the surest patch nearest to its own that goes with a source patch well, -1 without one."""
    best = np.full(target.count + 1, -1)
    order = np.argsort(about, kind="stable")
    best[j[order]] = order
    sure = np.flatnonzero(best >= 0)
    sure = sure[(about[best[sure]] > _SURE) & _outlines_of(target).turns[sure]]
    if not len(sure):
        return np.full(len(j), -1)
    centres = _outlines_of(target).centres
    _, near = cKDTree(centres[sure]).query(centres[j], k=[1, 2])
    itself = sure[near[:, 0]] == j
    # Row -1 where there is no second one.
    return np.r_[best[sure], -1][np.where(itself, near[:, 1], near[:, 0])]


def _best(j: NDArray[np.int64], alike: NDArray[np.float64]) -> NDArray[np.int64]:
    """Rows of the _KEPT most alike of each target patch."""
    order = np.lexsort((-alike, j))
    starts = np.flatnonzero(np.r_[True, np.diff(j[order]) > 0])
    rank = np.arange(len(order)) - np.repeat(starts, np.diff(np.r_[starts, len(order)]))
    return order[(rank < _KEPT) & (alike[order] > _ALIKE)]


def _outlines_of(patches: Patches) -> _Outlines:
    if patches not in _outlines:
        count = patches.count + 1
        centres, shapes = np.zeros((count, 2)), np.zeros((count, _POINTS), np.complex64)
        sides = np.full(count, np.nan)
        for patch, box in enumerate(ndi.find_objects(patches.open_labels), 1):
            if box is None or patch == patches.background:
                continue
            mask = (patches.open_labels[box] == patch).astype(np.uint8)
            rings, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
            ring = max(rings, key=len)[:, 0].astype(float)
            if len(ring) < 8:
                continue
            shape = _even(ring)
            middle = shape.mean()
            shape = shape - middle
            size = np.sqrt((np.abs(shape) ** 2).mean())
            centres[patch] = middle.real + box[1].start + 0.5, middle.imag + box[0].start + 0.5
            shapes[patch] = np.fft.fft(shape / size) / _POINTS
            sides[patch] = np.log(size)
        _outlines[patches] = _Outlines(centres, shapes, sides)
    return _outlines[patches]


def _even(ring: Points) -> NDArray[np.complex128]:
    """_POINTS places on a closed ring of px, at even distances."""
    closed = np.concatenate([ring, ring[:1]])
    gone = np.r_[0, np.cumsum(np.hypot(*np.diff(closed, axis=0).T))]
    at = np.linspace(0, gone[-1], _POINTS, endpoint=False)
    return np.asarray(np.interp(at, gone, closed[:, 0]) + 1j * np.interp(at, gone, closed[:, 1]))


def _about(
    source: Patches, target: Patches, j: NDArray[np.int64], moves: NDArray[np.float64]
) -> NDArray[np.float64]:
    """(k,) the share of the lines about target patches that lie on lines of the source, taken along."""
    borders = borders_of(target)
    index = _surroundings_of(target)[j]
    linear = moves[..., :2].transpose(0, 2, 1)
    places = borders.points[index] @ linear + moves[:, None, :, 2]
    facing = borders.facing[index] @ linear
    field = _field(source)
    ways, height, width = field.shape
    way = np.rint(np.arctan2(facing[..., 1], facing[..., 0]) / (2 * np.pi) * _WAYS).astype(int) % ways
    column, row = (np.floor(places[..., k] / _SHRINK).astype(int) for k in (0, 1))
    # What is cut by the edge of the picture tells nothing.
    seen = (column >= 0) & (row >= 0) & (column < width) & (row < height)
    far = field[way, np.clip(row, 0, height - 1), np.clip(column, 0, width - 1)].astype(np.float32)
    on = np.exp(-((np.maximum(far - _ON, 0) / _OFF) ** 2)) * seen
    return np.asarray(on.sum(axis=1) / np.maximum(seen.sum(axis=1), 0.3 * _ABOUT))


def _field(patches: Patches) -> NDArray[np.float16]:
    """(_WAYS, h', w') for each direction how far the next border that faces about this way is, px of a drawing 1000 across."""
    if patches not in _fields:
        borders = borders_of(patches)
        shape = tuple(-(-side // _SHRINK) for side in patches.shape)
        column, row = np.floor(borders.points / _SHRINK).astype(int).T
        angle = np.arctan2(borders.facing[:, 1], borders.facing[:, 0])
        found = np.full((_WAYS, *shape), _FAR, np.float16)
        for way in range(_WAYS):
            apart = np.abs((angle - 2 * np.pi * way / _WAYS + np.pi) % (2 * np.pi) - np.pi)
            facing = apart < 1.5 * np.pi / _WAYS
            clear = np.ones(shape, np.uint8)
            clear[row[facing], column[facing]] = 0
            if facing.any():
                far = cv2.distanceTransform(clear, cv2.DIST_L2, 3)
                found[way] = np.minimum(far * (_SHRINK / borders.unit), _FAR)
        _fields[patches] = found
    return _fields[patches]


def _surroundings_of(patches: Patches) -> NDArray[np.int64]:
    """(count + 1, _ABOUT) border points about each patch."""
    if patches not in _surroundings:
        borders, outlines = borders_of(patches), _outlines_of(patches)
        found = np.zeros((patches.count + 1, _ABOUT), np.int64)
        seen = np.arange(0, len(borders.points), 4)
        if len(seen):
            tree = cKDTree(borders.points[seen])
            known = np.flatnonzero(np.isfinite(outlines.sides))
            reach = 1.5 * np.exp(outlines.sides[known]) + _REACH * borders.unit
            near, wide = (
                tree.query_ball_point(outlines.centres[known], far * reach, return_sorted=True)
                for far in (1, _WIDE)
            )
            for patch, *both in zip(known, near, wide, strict=True):
                for among, part in zip(both, (np.s_[:_NEAR], np.s_[_NEAR:]), strict=True):
                    places = np.arange(_ABOUT)[part]
                    if among:
                        found[patch, part] = seen[
                            np.array(among)[(np.arange(len(places)) * len(among)) // len(places)]
                        ]
        _surroundings[patches] = found
    return _surroundings[patches]
