"""How like an ellipse an area is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, eq=False)
class Ellipse:
    """The ellipse with the moments of an area.

    half: the shorter half-axis and the longer one, px. middle: (x, y). inverse: (2, 2) of the covariance of its places. out:
    (h, w) under 1 inside, squared. like: what it and the area have in common, 0..1.
    """

    half: NDArray[np.float64]
    middle: NDArray[np.float64]
    inverse: NDArray[np.floating]
    out: NDArray[np.float64]
    like: float

    @property
    def slope(self) -> NDArray[np.float64]:
        """(h, w, 2) gradient of half of `out`, right and down."""
        rows, columns = np.indices(self.out.shape)
        away = np.stack([columns, rows], axis=-1) - self.middle
        return np.asarray(away @ self.inverse / 4)


def ellipse_of(inside: NDArray[np.bool_]) -> Ellipse:
    """The ellipse of an (h, w) area, which is not empty."""
    down, right = np.nonzero(inside)
    # A pixel is a square, not a point.
    spread = np.cov(right, down) + np.eye(2) / 12 if len(down) > 2 else np.eye(2)
    middle = np.array([right.mean(), down.mean()])
    inverse = np.linalg.inv(spread)
    x = (np.arange(inside.shape[1]) - middle[0])[None]
    y = (np.arange(inside.shape[0]) - middle[1])[:, None]
    out = (inverse[0, 0] * x**2 + 2 * inverse[0, 1] * x * y + inverse[1, 1] * y**2) / 4
    held, either = (out < 1) & inside, (out < 1) | inside
    half = 2 * np.sqrt(np.linalg.eigvalsh(spread))
    return Ellipse(half, middle, inverse, out, float(held.sum() / either.sum()))
