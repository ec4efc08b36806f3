"""The part of a rough that lines are found on, and where it lies in the drawing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..strokes import Points


@dataclass(frozen=True)
class Area:
    """shrink: px of the drawing that one px of the part is. corner: (x, y) of its first pixel on the whole rough at that size,
    and size: (w, h) of that, px."""

    shrink: float
    corner: tuple[int, int]
    size: tuple[int, int]

    def placed(self, points: Points) -> Points:
        """(k, 2) pixel centres of the part in px of the drawing."""
        return np.asarray((points + self.corner + 0.5) * self.shrink)

    def to_rim(self, points: Points) -> Points:
        """(k,) how far points of the part are from the rim of the rough, in shares of its longer side."""
        x, y = (points + self.corner).T
        width, height = self.size
        return np.asarray(np.minimum.reduce([x, y, width - 1 - x, height - 1 - y]) / max(width, height))
