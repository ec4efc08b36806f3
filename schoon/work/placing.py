"""Where the levels of a shot lie in its frames, as matrices that pages and pictures use."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ..core.exposure.placing import Matrix, Notch, after, matrix_of, pose_at, seen_through
from ..store import ShotRow
from ..store.states import Level, NotchState, Stack

Numbers = tuple[float, float, float, float, float, float]
"""A matrix as SVG writes it: a, b, c, d, e, f."""

SAME: Numbers = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)


def numbers_of(matrix: Matrix) -> Numbers:
    """The matrix as SVG writes it, to a precision that no picture shows."""
    a, c, e, b, d, f = (float(v) for v in np.round(matrix, 5).ravel())
    return a, b, c, d, e, f


def matrix_from(numbers: Numbers) -> Matrix:
    """The inverse of `numbers_of`."""
    a, b, c, d, e, f = numbers
    return np.array([[a, c, e], [b, d, f]])


def size_of(shot: ShotRow) -> tuple[int, int]:
    """(width, height) of the frame of a shot, px."""
    return int(shot["width"]), int(shot["height"])


def paper_of(shot: ShotRow) -> tuple[int, int]:
    """(width, height) px of the drawings of a shot's level. shot: seen with the level."""
    return shot["paper"]


@dataclass(frozen=True)
class Placed:
    """The places of a shot's levels. size: (width, height) of the frame, px."""

    size: tuple[int, int]
    stack: Stack

    def place(self, level: int, frame: int) -> Numbers:
        """From the paper of a level to the shot."""
        return numbers_of(self._place(self.stack.levels[level], frame))

    def seen(self, level: int, frame: int) -> Numbers:
        """From the paper of a level to the frame that the audience sees."""
        own = self.stack.levels[level]
        matrix = self._place(own, frame)
        if self.stack.framing:
            field = pose_at(_notches(self.stack.framing), frame)
            matrix = after(matrix, seen_through(field, self.size, own.place.follow))
        return numbers_of(matrix)

    def field(self, frame: int) -> Numbers:
        """From the frame to the field of the shot that is seen in it."""
        pose = pose_at(_notches(self.stack.framing), frame)
        return numbers_of(matrix_of(pose, (self.size[0] / 2, self.size[1] / 2)))

    def _place(self, own: Level, frame: int) -> Matrix:
        middle = (self.size[0] / 2, self.size[1] / 2)
        posed = matrix_of(pose_at(_notches(own.place.notches), frame), own.place.pivot or middle)
        if own.paper is None:
            return posed
        # Paper of its own lies about the middle of the frame.
        aside = (np.array(self.size) - own.paper) / 2
        return after(np.column_stack([np.eye(2), aside]), posed)


def _notches(notches: Mapping[int, NotchState]) -> dict[int, Notch]:
    return {frame: notch.notch() for frame, notch in notches.items()}
