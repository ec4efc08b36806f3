"""What a hand did to the lines of a prop, when the prop is placed anew: it goes with the nearest place of the model."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..strokes import Points, Stroke, sample
from .lines import Run
from .placing import Placed

_SAME = 1.0
"""A line no farther than so many px off its prop's own line is that line."""

_GONE = 2.5
"""Places of the prop's own lines farther than so many px from what is drawn were taken away, or drawn otherwise."""

_MOST = 0.4
"""A line of which more than so much was drawn otherwise was drawn otherwise altogether."""

_LEFT = 6.0
"""Shorter pieces, px, are not left over from a line."""

_NEAR = 6
"""Places of the model that carry a point together."""

_APART = 0.03
"""Places of a line this far from one that was taken away are another part of it; share of the prop's size."""


@dataclass(frozen=True, eq=False)
class Kept:
    """hand: strokes that a hand changed or added. gone: name of a line -> (k, 3) places of it on the model, as it is not
    turned, that were taken away or are drawn by `hand`."""

    hand: list[Stroke]
    gone: dict[str, NDArray[np.float64]]


def kept(own: Sequence[Stroke], under: Sequence[Stroke], runs: Sequence[Run], placed: Placed) -> Kept:
    """What a hand made of the lines of a prop that was placed so. own: the prop's strokes in the drawing. under: those that
    are hidden behind others. runs: its lines as they were made."""
    shown = [run for run in runs if run.seen]
    if not shown:
        return Kept(list(own), {})
    tree = cKDTree(np.vstack([run.flat for run in shown]))
    drawn = [*own, *under]
    hand = [s for s in own if (tree.query(sample(s)[0])[0] > _SAME).any()]
    places = cKDTree(np.vstack([sample(s)[0] for s in drawn])) if drawn else None
    gone: dict[str, list[NDArray[np.float64]]] = {}
    back = placed.rotation.inv()
    for run in shown:
        off = places.query(run.flat)[0] > _GONE if places else np.ones(len(run.flat), bool)
        if off.mean() > _MOST:
            off[:] = True
        if off.any():
            gone.setdefault(run.name, []).append(back.apply(run.solid[off]))
    return Kept(hand, {name: np.vstack(found) for name, found in gone.items()})


def without(runs: Sequence[Run], gone: dict[str, NDArray[np.float64]], placed: Placed) -> list[Run]:
    """Lines without what was taken away of them when the prop stood otherwise."""
    found: list[Run] = []
    back = placed.rotation.inv()
    for run in runs:
        if not run.seen or run.name not in gone:
            found.append(run)
            continue
        away = cKDTree(gone[run.name]).query(back.apply(run.solid))[0] < _APART
        bounds = np.r_[0, np.flatnonzero(away[1:] != away[:-1]) + 1, len(away)]
        for a, b in itertools.pairwise(bounds):
            whole = b - a == len(away)
            piece = run if whole else replace(run, flat=run.flat[a:b], solid=run.solid[a:b], closed=False)
            if not away[a] and b - a > 2 and (whole or piece.length > _LEFT):
                found.append(piece)
    return found


def carried(strokes: Sequence[Stroke], runs: Sequence[Run], before: Placed, after: Placed) -> list[Stroke]:
    """Strokes moved as the places of the model nearest to them move from one placement to another."""
    shown = [run for run in runs if run.seen]
    if not shown or not strokes:
        return list(strokes)
    solid = np.vstack([run.solid for run in shown])
    old = np.vstack([run.flat for run in shown])
    new = after.seen(after.rotation.apply(before.rotation.inv().apply(solid)))
    tree = cKDTree(old)
    turn = _similar(old, new)

    def move(points: Points) -> Points:
        away, near = tree.query(points, k=min(_NEAR, len(old)))
        away, near = away.reshape(len(points), -1), near.reshape(len(points), -1)
        weights = 1 / (away + 1.0)
        weights /= weights.sum(axis=1, keepdims=True)
        base_old = (weights[..., None] * old[near]).sum(axis=1)
        base_new = (weights[..., None] * new[near]).sum(axis=1)
        return np.asarray(base_new + (points - base_old) @ turn.T)

    return [replace(s, controls=_ends_kept(s, move(s.controls))) for s in strokes]


def _ends_kept(stroke: Stroke, controls: Points) -> Points:
    if stroke.closed:
        controls[-1] = controls[0]
    return controls


def _similar(old: Points, new: Points) -> NDArray[np.float64]:
    """(2, 2) the turn and growth that leads from places to others best."""
    a, b = (v - v.mean(axis=0) for v in (old, new))
    a, b = a @ np.array([1, 1j]), b @ np.array([1, 1j])
    scale = np.vdot(a, b) / max(float(np.vdot(a, a).real), 1e-9)
    return np.array([[scale.real, -scale.imag], [scale.imag, scale.real]])
