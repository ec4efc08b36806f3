"""The ellipse that a run of points is part of."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from .strokes import Points


@dataclass(frozen=True)
class Oval:
    """centre: (2,) x, y. half: (2,) half-axes, px. turn: degrees of the first one, clockwise from the right."""

    centre: Points
    half: Points
    turn: float

    @property
    def to_axes(self) -> Points:
        """(2, 2) rows: the directions of the axes."""
        cos, sin = np.cos(np.deg2rad(self.turn)), np.sin(np.deg2rad(self.turn))
        return np.array([[cos, sin], [-sin, cos]])

    def within(self, points: Points) -> Points:
        """(n, 2) of (n, 2) points: where they lie along the axes, in half-axes; 1 from the middle is on the oval."""
        return np.asarray((points - self.centre) @ self.to_axes.T / self.half)

    def around(self, on_circle: Points) -> Points:
        """(n, 2) px from the middle of (n, 2) places on a circle of radius 1."""
        return np.asarray((on_circle * self.half) @ self.to_axes)


def oval_of(points: Points) -> Oval | None:
    """The ellipse that fits (n, 2) points best (A. Fitzgibbon, M. Pilu and R. Fisher, 1999); None where there is none, as on a
    straight line."""
    try:
        (x, y), (wide, high), turn = cv2.fitEllipseDirect(np.asarray(points, np.float32))
    except cv2.error:
        return None
    return Oval(np.array([x, y]), np.array([wide, high]) / 2, turn)
