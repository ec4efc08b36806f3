"""A form blown up: the surface over the area that it fills."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from ..pixels import box_of
from .ellipse import ellipse_of

_FLATTEST = 0.25
"""Least depth of a wide form beside a balloon's."""

_SLIM_DISC, _LIKE_DISC, _LEAST_DISC = 3.2, 0.97, 60
"""How many times as long as high an ellipse is that is taken for a disc seen from the side, what it has in common with an
ellipse, and of how many pixels it is at least."""

_DIRECT = 1500
"""Pixels of a form up to which its equation is solved at once."""

_SWEEPS = 24
"""Rounds in which a coarse solution is smoothed on the fine grid."""

_CROSS = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], float)


def normals_in(inside: NDArray[np.bool_]) -> NDArray[np.float32]:
    """(h, w, 3) as `blown_up`, of one form; flat outside."""
    found = np.zeros((*inside.shape, 3), np.float32)
    found[..., 2] = 1
    found[inside] = blown_up([inside])[0]
    return found


def blown_up(areas: Sequence[NDArray[np.bool_]]) -> list[NDArray[np.float32]]:
    """(n, 3) unit normals of each form at the pixels of its (h, w) area, in their order: right, down, towards the viewer.

    The height is twice the root of the solution of a Poisson equation, which makes a disc a ball (after S. Johnston, 2002),
    but a form is no deeper than what it is wide. A long ellipse is a flat disc seen from the side, as the brim of a hat.
    """
    cropped = [area[box_of(area)] for area in areas]
    found = [_disc(area) for area in cropped]
    balloons = [k for k, disc in enumerate(found) if disc is None]
    within = [np.pad(cropped[k], 1) for k in balloons]
    # Solved together: there are many small ones, and each system by itself costs more to set up than to solve.
    for k, inside, height in zip(balloons, within, poisson(within), strict=True):
        found[k] = _balloon(inside, height)
    return [normals for normals in found if normals is not None]


def _balloon(within: NDArray[np.bool_], height: NDArray[np.float64]) -> NDArray[np.float32]:
    """(n, 3) normals of a form at its pixels, which do not touch the edge of the picture. height: as `poisson`."""
    if not len(height):
        return np.zeros((0, 3), np.float32)
    u = np.zeros(within.shape)
    u[within] = height
    radius = float(cv2.distanceTransform(within.astype(np.uint8), cv2.DIST_L2, 5).max())
    depth = np.clip(radius**2 / (4 * height.max()), _FLATTEST, 1)
    square = 4 * depth * u
    across, down = (-_slope(square, within, axis)[within] / 2 for axis in (1, 0))
    return _unit(np.stack([across, down, np.sqrt(square[within])], axis=1))


def _unit(vectors: NDArray[np.float64]) -> NDArray[np.float32]:
    """(n, 3) of length 1."""
    lengths = np.sqrt(np.einsum("nk,nk->n", vectors, vectors))
    return np.asarray(vectors / np.maximum(lengths, 1e-9)[:, None], np.float32)


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
    return _unit(np.c_[slope, np.sqrt(np.maximum(1 - out, 0)) / long])


def _slope(values: NDArray[np.float64], within: NDArray[np.bool_], axis: int) -> NDArray[np.float64]:
    """Derivative per px; the values are 0 on the rim, half a pixel outside."""
    ahead, behind = np.roll(values, -1, axis), np.roll(values, 1, axis)
    open_ahead, open_behind = np.roll(within, -1, axis), np.roll(within, 1, axis)
    up = np.where(open_ahead, ahead - values, -2 * values)
    down = np.where(open_behind, values - behind, 2 * values)
    return np.asarray((up + down) / 2)


def poisson(areas: Sequence[NDArray[np.bool_]]) -> list[NDArray[np.float64]]:
    """The solution of lap u = -1 inside each (h, w) area, 0 on the rim between pixels, at its pixels in their order; none
    touches the edge of its picture. Large ones are solved coarsely and smoothed."""
    coarse = {k: _coarse(area) for k, area in enumerate(areas) if area.sum() > _DIRECT}
    coarse = {k: area for k, area in coarse.items() if area.any()}
    at_once = [area for k, area in enumerate(areas) if k not in coarse]
    found = iter(_solved(at_once))
    refined = dict(zip(coarse, poisson(list(coarse.values())) if coarse else (), strict=True))
    return [
        _refined(area, coarse[k], refined[k]) if k in coarse else next(found) for k, area in enumerate(areas)
    ]


def _coarse(inside: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """At half the size, with a rim."""
    height, width = inside.shape
    even = np.pad(inside, ((0, height % 2), (0, width % 2)))
    blocks = even.reshape(even.shape[0] // 2, 2, even.shape[1] // 2, 2).sum(axis=(1, 3))
    return np.pad(blocks >= 2, 1)


def _refined(
    inside: NDArray[np.bool_], coarse: NDArray[np.bool_], solution: NDArray[np.float64]
) -> NDArray[np.float64]:
    """As `poisson`, from the solution of the coarse area."""
    height, width = inside.shape
    found = np.zeros(coarse.shape)
    # A pixel of the coarse grid is two wide: the solution there is four times as high.
    found[coarse] = 4 * solution
    even = width + width % 2, height + height % 2
    fine = cv2.resize(found[1:-1, 1:-1], even, interpolation=cv2.INTER_LINEAR)
    u = np.where(inside, np.maximum(fine[:height, :width], 0.25), 0.0)
    neighbours = cv2.filter2D(inside.astype(float), -1, _CROSS, borderType=cv2.BORDER_CONSTANT)
    share = np.where(inside, 1 / (neighbours + 2 * (4 - neighbours)), 0.0)
    for _ in range(_SWEEPS):
        around = cv2.filter2D(u, -1, _CROSS, borderType=cv2.BORDER_CONSTANT)
        u = (around + 1) * share
    return np.asarray(u[inside])


def _solved(areas: Sequence[NDArray[np.bool_]]) -> list[NDArray[np.float64]]:
    """As `poisson`, in one system."""
    counts = [int(area.sum()) for area in areas]
    begins = np.cumsum([0, *counts])
    if not begins[-1]:
        return [np.zeros(0) for _ in areas]
    pairs = []
    for area, begin, count in zip(areas, begins, counts, strict=False):
        number = np.full(area.shape, -1)
        number[area] = np.arange(begin, begin + count)
        for first, second in ((number[:, :-1], number[:, 1:]), (number[:-1], number[1:])):
            both = (first >= 0) & (second >= 0)
            pairs.append(np.stack([first[both], second[both]]))
    a, b = np.concatenate(pairs, axis=1)
    every = np.arange(begins[-1])
    inner = np.bincount(a, minlength=len(every)) + np.bincount(b, minlength=len(every))
    # The rim is half a pixel away: twice the conductance of a whole one.
    rows, columns = np.r_[every, a, b], np.r_[every, b, a]
    values = np.r_[inner + 2.0 * (4 - inner), np.full(2 * len(a), -1.0)]
    system = sparse.csc_array(sparse.coo_array((values, (rows, columns)), (len(every), len(every))))
    solve = splu(system, permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True}).solve
    return np.split(solve(np.ones(len(every))), begins[1:-1])
