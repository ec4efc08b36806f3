"""Balls that a figure is built on: drawn round in one go, through everything that lies on them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..ovals import oval_of
from ..strokes import Points

_ARC, _LEAST_HALF = 30, 8.0
"""Length of a chain and half-axis of an ellipse from which on it is asked whether the chain is part of one, px."""

PLACES = 64
"""Places on an ellipse that are looked at."""

_ASIDE = 3.0, 0.04
"""How far off an ellipse a mark may run, px and shares of its shorter half-axis; the larger counts."""

_ALONG = 0.94
"""Cosine from which on a mark runs along it."""


@dataclass(frozen=True)
class Rings:
    """Of each chain the ellipse that fits it best. measures: (chains, 4) how far it lies off (root of the mean square, shares of the
    half-axes, 1 where there is no ellipse); how much of the ellipse is drawn, by whatever chains, 0..1; how dark it is, beside the
    firm lines, and how unevenly. on: (chains, PLACES) the point that is drawn at each place of it, -1 for none."""

    measures: NDArray[np.float64]
    on: NDArray[np.int64]


def rings_of(points: Points, tangent: Points, sizes: NDArray[np.int64], dark: NDArray[np.float64]) -> Rings:
    """points: (n, 2) px, 1 px apart, chain after chain. tangent: (n, 2) units. sizes: (chains,) points of each. dark: (n,)."""
    measures = np.zeros((len(sizes), 4))
    measures[:, 0] = 1
    on = np.full((len(sizes), PLACES), -1)
    turn = np.linspace(0, 2 * np.pi, PLACES, endpoint=False)
    circle = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    around = np.stack([-np.sin(turn), np.cos(turn)], axis=1)
    largest = float(np.ptp(points, axis=0).max(initial=0.0))
    starts = np.cumsum(sizes) - sizes
    whose, places, ways, aside = [], [], [], []
    for k in np.flatnonzero(sizes >= _ARC).tolist():
        own = points[starts[k] : starts[k] + sizes[k] : 2]
        oval = oval_of(own)
        if oval is None or not (oval.half.min() >= _LEAST_HALF and oval.half.max() <= largest):
            continue
        off = np.hypot(*oval.within(own).T) - 1
        measures[k, 0] = min(1.0, float(np.sqrt((off**2).mean())))
        way = oval.around(around)
        whose.append(k)
        places.append(oval.around(circle) + oval.centre)
        ways.append(way / np.hypot(*way.T)[:, None])
        aside.append(max(_ASIDE[0], _ASIDE[1] * float(oval.half.min())))
    if not whose:
        return Rings(measures, on)
    away, near = cKDTree(points).query(np.concatenate(places))
    along = np.abs((tangent[near] * np.concatenate(ways)).sum(axis=1)) > _ALONG
    drawn = ((away <= np.repeat(aside, PLACES)) & along).reshape(-1, PLACES)
    near = near.reshape(-1, PLACES)
    on[whose] = np.where(drawn, near, -1)
    tone = dark[near] / max(float(np.percentile(dark, 80)), 1e-3)
    count = np.maximum(drawn.sum(axis=1), 1)
    mean = (tone * drawn).sum(axis=1) / count
    spread = np.sqrt(((tone - mean[:, None]) ** 2 * drawn).sum(axis=1) / count)
    measures[whose, 1:] = np.stack([drawn.mean(axis=1), mean, spread], axis=1)
    return Rings(measures, on)
