"""Several motions: where each patch and each piece of its border came from if it moved as something about it did.

Parts of a figure move each their own way and hide each other, so no one motion explains the whole border of a patch that
is cut by another: its own line goes with it, the line of what lies before it goes with that. Each border point is taken
along every motion that is known about it (resting, the registration, its own, those of the surest patches near it), and
the one that finds a border facing the same way says what lay on this side of it (after H. Isack and Y. Boykov, 2012,
with the candidates given).
"""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..patches import Patches
from ..strokes import Points
from .movement import Laid, borders_of

_FACING = 10.0
"""Px that count as much as a right angle between the directions borders face, in a drawing 1000 px across."""

_FAR = 25.0
"""Px within which a border has a counterpart at all, in a drawing 1000 px across."""

_ON, _OFF = 1.0, 4.0
"""Px within which a border lies on its counterpart, and beyond which by so much it hardly does."""

_RESTS, _FLOWS, _LEAST = 0.85, 0.7, 0.2
"""How much is believed of resting, of going with the registration, and at least of a motion of its own."""

_SURE = 0.35
"""How well a pair has to lie on each other for its motion to be tried on others."""

_APART = 0.8
"""What a motion counts for a patch that is no neighbour."""

_NEIGHBOUR = 0.4
"""What the distance of a neighbour counts, beside that of others."""

_SURER = 60.0
"""Px, in a drawing 1000 px across, by which a motion may be farther away for lying perfectly instead of not at all."""

_TRIED, _CROWDED = 7, 600
"""Motions of others that are tried on each patch; half of them in drawings of more patches than this."""

_WITHIN = 30
"""Places within a patch that are asked where they came from."""

_AT_ONCE = 4000
"""Motions of patches followed in one go; more would only fill the memory."""

_trees: WeakKeyDictionary[Patches, tuple[cKDTree, NDArray[np.int64]]] = WeakKeyDictionary()
_places: WeakKeyDictionary[Patches, NDArray[np.float64]] = WeakKeyDictionary()


def came_from(
    source: Patches, target: Patches, laid: Laid, near: NDArray[np.bool_], flow: Points
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(sources + 1, targets + 1) twice: the share of a target patch's border that finds a counterpart with this source
    patch on the same side, and the share of the patch that comes to lie in it under one motion, weighed by how well
    that explains its border.

    laid: pairs of patches laid on each other. near: (targets + 1, targets + 1) neighbours. flow: (targets + 1, 2) px
    each patch moves by the registration.
    """
    shape = (source.count + 1, target.count + 1)
    border, within = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    patch, moves, belief = _motions(target, laid, near, flow)
    if not len(patch):
        return border, within
    here = borders_of(target)
    points, facing = here.points[here.moved], here.facing[here.moved]
    count = points.shape[1]
    best = np.zeros((target.count + 1, count))
    chosen = np.zeros((target.count + 1, count), np.int64)
    for first in range(0, len(patch), _AT_ONCE):
        part = np.s_[first : first + _AT_ONCE]
        own, move, trust = patch[part], moves[part], belief[part]
        turned = facing[own] @ move[..., :2].transpose(0, 2, 1)
        turned /= np.maximum(np.linalg.norm(turned, axis=2, keepdims=True), 1e-9)
        on, side = _counterparts(source, _moved(points[own], move), turned)
        explained = on.mean(axis=1) * trust
        weight = on * trust[:, None]
        # The last one written is the greatest.
        order = np.argsort(weight, axis=0, kind="stable")
        for column in range(count):
            rows = order[:, column]
            better = weight[rows, column] > best[own[rows], column]
            rows = rows[better]
            best[own[rows], column] = weight[rows, column]
            chosen[own[rows], column] = side[rows, column]
        places = _moved(_within(target)[own], move)
        lies = _patch_at(source, places)
        code = np.arange(len(own))[:, None] * (source.count + 1) + lies
        code, often = np.unique(code, return_counts=True)
        row, lain_in = np.divmod(code, source.count + 1)
        np.maximum.at(within, (lain_in, own[row]), often / lies.shape[1] * explained[row])
    np.add.at(border.T, (np.repeat(np.arange(target.count + 1), count), chosen.ravel()), best.ravel() / count)
    border[0] = within[0] = 0
    return border, within


def _motions(
    target: Patches, laid: Laid, near: NDArray[np.bool_], flow: Points
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """Patches with a motion each, (k,) and (k, 2, 3) affine into the source, and how much is believed of it, (k,)."""
    every = np.arange(1, target.count + 1)
    every = every[every != target.background]
    rest = np.tile(np.eye(2, 3), (len(every), 1, 1))
    flows = rest.copy()
    flows[..., 2] = flow[every]
    quality = laid.share * laid.reverse
    order = np.argsort(quality, kind="stable")
    best = np.full(target.count + 1, -1)
    best[laid.target[order]] = order
    sure = np.flatnonzero(best >= 0)
    sure = sure[quality[best[sure]] > _SURE]
    patch = [every, every, laid.target]
    moves = [rest, flows, laid.moves]
    belief = [np.full(len(every), _RESTS), np.full(len(every), _FLOWS), np.maximum(quality, _LEAST)]
    if len(sure) > 1:
        unit = max(target.shape) / 1000
        well = quality[best[sure]]
        far = (
            np.hypot(*(target.centres[every][:, None] - target.centres[sure][None]).transpose(2, 0, 1)) / unit
        )
        beside = near[np.ix_(every, sure)]
        far = np.where(beside, _NEIGHBOUR * far, far) - _SURER * well
        far[every[:, None] == sure[None]] = np.inf
        most = min(_TRIED if target.count <= _CROWDED else _TRIED // 2, len(sure) - 1)
        row = np.arange(len(every))[:, None]
        tried = np.argpartition(far, most - 1, axis=1)[:, :most]
        patch.append(np.repeat(every, most))
        moves.append(laid.moves[best[sure[tried]]].reshape(-1, 2, 3))
        belief.append((well[tried] * np.where(beside[row, tried], 1.0, _APART)).ravel())
    return np.concatenate(patch), np.concatenate(moves), np.concatenate(belief)


def _moved(places: NDArray[np.float64], moves: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(places @ moves[..., :2].transpose(0, 2, 1) + moves[:, None, :, 2])


def _counterparts(
    source: Patches, places: NDArray[np.float64], facing: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """(k, p) how well places lie on borders that face the same way, 0..1, and the patch those belong to."""
    borders = borders_of(source)
    if source not in _trees:
        owner = np.repeat(np.arange(source.count + 1), np.diff(borders.starts))
        described = np.concatenate([borders.points / borders.unit, _FACING * borders.facing], axis=1)
        seen = np.flatnonzero(owner > 0)[::2]
        _trees[source] = (cKDTree(described[seen].astype(np.float32)), owner[seen])
    tree, owner = _trees[source]
    if not len(owner):
        return np.zeros(places.shape[:2]), np.zeros(places.shape[:2], np.int64)
    asked = np.concatenate([places / borders.unit, _FACING * facing], axis=2).astype(np.float32)
    far, index = tree.query(asked.reshape(-1, 4), distance_upper_bound=_FAR)
    found = np.isfinite(far)
    far = np.where(found, far, _FAR)
    on = np.where(found, np.exp(-((np.maximum(far - _ON, 0) / _OFF) ** 2)), 0.0)
    side = np.where(found, owner[np.minimum(index, len(owner) - 1)], 0)
    return on.reshape(places.shape[:2]), side.reshape(places.shape[:2])


def _within(patches: Patches) -> NDArray[np.float64]:
    """(count + 1, _WITHIN, 2) places spread over each patch."""
    if patches not in _places:
        labels = patches.open_labels[::2, ::2]
        order = np.argsort(labels.ravel(), kind="stable")
        sizes = np.bincount(labels.ravel(), minlength=patches.count + 1)
        starts = np.r_[0, np.cumsum(sizes)[:-1]]
        spread = ((np.arange(_WITHIN) + 0.5) / _WITHIN * sizes[:, None]).astype(np.int64)
        at = order[np.minimum(starts[:, None] + spread, len(order) - 1)]
        row, column = np.divmod(at, labels.shape[1])
        found = 2.0 * np.stack([column, row], axis=2) + 0.5
        few = sizes < 4
        found[few] = patches.anchors[few][:, None]
        _places[patches] = found
    return _places[patches]


def _patch_at(patches: Patches, places: NDArray[np.float64]) -> NDArray[np.int64]:
    """(k, p) the patch at each place, 0 outside the picture."""
    height, width = patches.shape
    column, row = np.floor(places[..., 0]).astype(int), np.floor(places[..., 1]).astype(int)
    inside = (column >= 0) & (row >= 0) & (column < width) & (row < height)
    found = patches.labels[np.clip(row, 0, height - 1), np.clip(column, 0, width - 1)]
    return np.where(inside, found, 0).astype(np.int64)
