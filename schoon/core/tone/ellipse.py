"""How like an ellipse an area is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, eq=False)
class Ellipse:
    """The ellipse with the moments of an area.

    half: the shorter half-axis and the longer one, px. slope: (h, w, 2) gradient of half of `out`, right and down. out: (h, w)
    under 1 inside, squared. like: what it and the area have in common, 0..1.
    """

    half: NDArray[np.float64]
    slope: NDArray[np.float64]
    out: NDArray[np.float64]
    like: float


def ellipse_of(inside: NDArray[np.bool_]) -> Ellipse:
    """The ellipse of an (h, w) area, which is not empty."""
    down, right = np.nonzero(inside)
    # A pixel is a square, not a point.
    spread = np.cov(np.c_[right, down].T) + np.eye(2) / 12 if len(down) > 2 else np.eye(2)
    away = np.indices(inside.shape)[::-1].reshape(2, -1).T - (right.mean(), down.mean())
    slope = away @ np.linalg.inv(spread) / 4
    out = (slope * away).sum(axis=1).reshape(inside.shape)
    held, either = (out < 1) & inside, (out < 1) | inside
    half = 2 * np.sqrt(np.linalg.eigvalsh(spread))
    return Ellipse(half, slope.reshape(*inside.shape, 2), out, float(held.sum() / either.sum()))
