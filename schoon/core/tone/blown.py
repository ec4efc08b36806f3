"""A form blown up: the surface over the area that it fills."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from .ellipse import ellipse_of

_FLATTEST = 0.25
"""Least depth of a wide form beside a balloon's."""

_SLIM_DISC, _LIKE_DISC, _LEAST_DISC = 3.2, 0.97, 60
"""How many times as long as high an ellipse is that is taken for a disc seen from the side, what it has in common with an
ellipse, and of how many pixels it is at least."""

_DIRECT = 3000
"""Pixels of a form up to which its equation is solved at once."""

_SWEEPS = 24
"""Rounds in which a coarse solution is smoothed on the fine grid."""

_CROSS = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], float)


def normals_in(inside: NDArray[np.bool_]) -> NDArray[np.float32]:
    """(h, w, 3) unit normals of a form blown up over its area: right, down, towards the viewer; flat outside.

    The height is twice the root of the solution of a Poisson equation, which makes a disc a ball (after S. Johnston, 2002),
    but a form is no deeper than what it is wide. A long ellipse is a flat disc seen from the side, as the brim of a hat.
    """
    height, width = inside.shape
    found = np.zeros((height, width, 3), np.float32)
    found[..., 2] = 1
    rows, columns = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
    if not len(rows):
        return found
    box = slice(rows[0], rows[-1] + 1), slice(columns[0], columns[-1] + 1)
    disc = _disc(inside[box])
    if disc is not None:
        found[box][inside[box]] = disc
        return found
    within = np.pad(inside[box], 1)
    u = np.zeros(within.shape)
    u[within] = poisson(within)
    radius = float(cv2.distanceTransform(within.astype(np.uint8), cv2.DIST_L2, 5).max())
    depth = np.clip(radius**2 / (4 * u.max()), _FLATTEST, 1)
    square = 4 * depth * u
    slope = np.stack([_slope(square, within, axis) for axis in (1, 0)], axis=-1)
    normals = np.concatenate([-slope / 2, np.sqrt(square)[..., None]], axis=-1)[1:-1, 1:-1]
    normals /= np.maximum(np.linalg.norm(normals, axis=-1, keepdims=True), 1e-9)
    found[box][inside[box]] = normals[inside[box]]
    return found


def _disc(inside: NDArray[np.bool_]) -> NDArray[np.float32] | None:
    """(n, 3) normals of a form that is a disc seen from the side, at its pixels; None for others."""
    if inside.sum() < _LEAST_DISC:
        return None
    # What it has in common with the ellipse is asked with a rim, where that may go on.
    found = ellipse_of(np.pad(inside, 2))
    short, long = found.half
    if long < _SLIM_DISC * short or found.like < _LIKE_DISC:
        return None
    slope, out = found.slope[2:-2, 2:-2][inside], found.out[2:-2, 2:-2][inside]
    normals = np.c_[slope, np.sqrt(np.maximum(1 - out, 0)) / long]
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-9)
    return np.asarray(normals, np.float32)


def _slope(values: NDArray[np.float64], within: NDArray[np.bool_], axis: int) -> NDArray[np.float64]:
    """Derivative per px; the values are 0 on the rim, half a pixel outside."""
    ahead, behind = np.roll(values, -1, axis), np.roll(values, 1, axis)
    open_ahead, open_behind = np.roll(within, -1, axis), np.roll(within, 1, axis)
    up = np.where(open_ahead, ahead - values, -2 * values)
    down = np.where(open_behind, values - behind, 2 * values)
    return np.asarray((up + down) / 2)


def poisson(inside: NDArray[np.bool_]) -> NDArray[np.float64]:
    """The solution of lap u = -1 inside, 0 on the rim between pixels, at the pixels inside in their order; `inside` does
    not touch the edge of the picture. Large forms are solved coarsely and smoothed."""
    if inside.sum() <= _DIRECT:
        return _solved(inside)
    height, width = inside.shape
    even = np.pad(inside, ((0, height % 2), (0, width % 2)))
    blocks = even.reshape(even.shape[0] // 2, 2, even.shape[1] // 2, 2).sum(axis=(1, 3))
    coarse = np.pad(blocks >= 2, 1)
    if not coarse.any():
        return _solved(inside)
    found = np.zeros(coarse.shape)
    # A pixel of the coarse grid is two wide: the solution there is four times as high.
    found[coarse] = 4 * poisson(coarse)
    fine = cv2.resize(found[1:-1, 1:-1], (even.shape[1], even.shape[0]), interpolation=cv2.INTER_LINEAR)
    u = np.where(inside, np.maximum(fine[:height, :width], 0.25), 0.0)
    neighbours = cv2.filter2D(inside.astype(float), -1, _CROSS, borderType=cv2.BORDER_CONSTANT)
    share = np.where(inside, 1 / (neighbours + 2 * (4 - neighbours)), 0.0)
    for _ in range(_SWEEPS):
        around = cv2.filter2D(u, -1, _CROSS, borderType=cv2.BORDER_CONSTANT)
        u = (around + 1) * share
    return np.asarray(u[inside])


def _solved(inside: NDArray[np.bool_]) -> NDArray[np.float64]:
    """As `poisson`, at once."""
    count = int(inside.sum())
    number = np.full(inside.shape, -1)
    number[inside] = np.arange(count)
    own = number[inside]
    pairs = []
    for first, second in ((number[:, :-1], number[:, 1:]), (number[:-1], number[1:])):
        both = (first >= 0) & (second >= 0)
        pairs.append(np.c_[first[both], second[both]])
    a, b = np.vstack(pairs).T
    links = sparse.coo_array((np.ones(len(a)), (a, b)), (count, count))
    inner = np.bincount(a, minlength=count) + np.bincount(b, minlength=count)
    # The rim is half a pixel away: twice the conductance of a whole one.
    system = sparse.csc_array(sparse.diags_array(inner + 2.0 * (4 - inner)) - links - links.T)
    solved = splu(system, permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True}).solve(np.ones(count))
    return np.asarray(solved[own])
