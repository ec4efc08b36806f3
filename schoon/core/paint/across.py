"""What lies across the lines of known neighbours says what a patch without a counterpart belongs to.

A sliver that is newly cut off, or a part that a passing form has uncovered, was inside something else before. The
neighbour on the other side of its line is known there: whatever lay across that line then is what the sliver is now.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..patches import Patches
from .movement import Laid, borders_of

_COUNTERPART = 0.7
"""A patch with a counterpart this good needs nobody to tell it."""

_NEAR = 12.0
"""Px from where a line is expected that still count for something, in a drawing 1000 px across."""

_TURNED = 20.0
"""Px that a border facing at right angles counts as farther, in a drawing 1000 px across."""

_ENOUGH = 0.1
"""Weight of what is told, per border point, that is taken fully."""


def told_by_neighbours(
    source: Patches,
    target: Patches,
    laid: Laid,
    likely: NDArray[np.float64],
    mutual: NDArray[np.float64],
) -> NDArray[np.float64]:
    """`likely`, (sources + 1, targets + 1) with columns that sum to 1, with those columns replaced in part whose patch
    has no good counterpart. laid: pairs of patches with how the target lies in the source. mutual: as in `Match`."""
    if not len(laid.source):
        return likely
    here, there = borders_of(target), borders_of(source)
    alone = np.clip(1 - (likely * mutual).max(axis=0) / _COUNTERPART, 0, 1)
    if target.background:
        alone[target.background] = 0
    weight = likely[laid.source, laid.target] * np.minimum(1, mutual[laid.source, laid.target] / 0.8)
    best = np.full(target.count + 1, -1)
    order = np.argsort(weight, kind="stable")
    best[laid.target[order]] = order

    neighbour, begins = (table[here.moved] for table in here.across)
    patch = np.broadcast_to(np.arange(target.count + 1)[:, None], neighbour.shape)
    asked = (best[neighbour] >= 0) & (neighbour > 0) & (neighbour != patch)
    neighbour, patch, begins = neighbour[asked], patch[asked], begins[asked]
    pair = best[neighbour]
    known = laid.source[pair]

    # Where the neighbour's side of the line lies in the source, and what is across the line there.
    move = laid.moves[pair]
    place = np.einsum("pij,pj->pi", move[..., :2], begins) + move[..., 2]
    towards = np.einsum("pij,pj->pi", move[..., :2], -here.facing[here.moved][asked])
    border = there.fixed[known]
    off = np.hypot(*(there.points[border] - place[:, None]).transpose(2, 0, 1))
    turned = 1 - (there.facing[border] * towards[:, None]).sum(axis=2)
    nearest = (off + _TURNED * there.unit * turned).argmin(axis=1)[:, None]
    off = np.take_along_axis(off, nearest, 1)[:, 0] - there.spacing[known]
    across = there.across[0][np.take_along_axis(border, nearest, 1)[:, 0]]

    said = weight[pair] * np.exp(-np.maximum(off, 0) / (_NEAR * there.unit)) * (across > 0)
    # A form that passes in front has other neighbours now: how much do those of each stay the same?
    count = target.count + 1
    same = np.bincount(neighbour, said * likely[across, patch], count)
    steady = same / np.maximum(np.bincount(neighbour, said, count), 1e-9)
    said = said * steady[neighbour] ** 2 * laid.share[pair] ** 2
    told = np.zeros_like(likely)
    np.add.at(told, (across, patch), said / here.moved.shape[1])
    alone = alone * np.clip(told.sum(axis=0) / _ENOUGH, 0, 1)
    told /= np.maximum(told.sum(axis=0, keepdims=True), 1e-12)
    return np.asarray(likely * (1 - alone) + told * alone)
