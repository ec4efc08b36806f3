"""Where a level lies in the frame over time, and which field of it the audience sees: values at some frames, and how they go
on from there."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import astuple, dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

Way = Literal["smooth", "stop", "even", "jump"]
"""How a value goes on to the next notch: smooth passes through without a stop or an overshoot (F. Fritsch and R. Carlson,
1980), stop eases out of this one and into the next, even moves as fast all the way, jump stays and then is there."""

Matrix = NDArray[np.float64]
"""(2, 3), as in `core.compose`."""


@dataclass(frozen=True)
class Pose:
    """x, y: px to the right and down. turn: degrees clockwise. scale: factor, over 0."""

    x: float = 0.0
    y: float = 0.0
    turn: float = 0.0
    scale: float = 1.0


@dataclass(frozen=True)
class Notch:
    """A pose at a frame, and the way to the next one."""

    pose: Pose
    way: Way = "smooth"


Notches = Mapping[int, Notch]
"""frame -> notch."""


def pose_at(notches: Notches, frame: float) -> Pose:
    """The pose at a frame; before the first notch and behind the last it stays. Without notches there is none to move by.

    Scales go by equal factors in equal times.
    """
    if not notches:
        return Pose()
    order = sorted(notches)
    if frame <= order[0]:
        return notches[order[0]].pose
    if frame >= order[-1]:
        return notches[order[-1]].pose
    k = int(np.searchsorted(order, frame, side="right")) - 1
    way = notches[order[k]].way
    share = (frame - order[k]) / (order[k + 1] - order[k])
    if way == "jump":
        return notches[order[k]].pose
    if way == "smooth":
        values = np.array([_flat(notches[f].pose) for f in _stretch(notches, order, k)])
        return _pose(PchipInterpolator(_stretch(notches, order, k), values)(frame))
    if way == "stop":
        share = share * share * (3 - 2 * share)
    a, b = (np.array(_flat(notches[f].pose)) for f in (order[k], order[k + 1]))
    return _pose(a + share * (b - a))


def _stretch(notches: Notches, order: list[int], k: int) -> list[int]:
    """The notches that a smooth way from the k-th one hangs together with."""
    first, last = k, k + 1
    while first > 0 and notches[order[first - 1]].way == "smooth":
        first -= 1
    while last < len(order) - 1 and notches[order[last]].way == "smooth":
        last += 1
    return order[first : last + 1]


def _flat(pose: Pose) -> tuple[float, ...]:
    x, y, turn, scale = astuple(pose)
    return x, y, turn, math.log(scale)


def _pose(values: NDArray[np.float64]) -> Pose:
    x, y, turn, scale = values.tolist()
    return Pose(x, y, turn, math.exp(scale))


def matrix_of(pose: Pose, pivot: tuple[float, float]) -> Matrix:
    """From where things lie to where the pose puts them: scaled and turned about the pivot, then moved."""
    angle = math.radians(pose.turn)
    linear = pose.scale * np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
    about = np.array(pivot)
    return np.column_stack([linear, about + (pose.x, pose.y) - linear @ about])


def seen_through(pose: Pose, size: tuple[int, int], follow: float = 1.0) -> Matrix:
    """From the shot to the frame the audience sees, by where the field lies.

    pose: of the field, about the middle of the frame. size: (width, height) of the frame. follow: how much of the field's
    move a level takes; less than 1 for what lies far off.
    """
    moved = Pose(pose.x * follow, pose.y * follow, pose.turn * follow, pose.scale**follow)
    return inverse(matrix_of(moved, (size[0] / 2, size[1] / 2)))


def inverse(matrix: Matrix) -> Matrix:
    """The way back."""
    linear = np.linalg.inv(matrix[:, :2])
    return np.column_stack([linear, -linear @ matrix[:, 2]])


def after(first: Matrix, second: Matrix) -> Matrix:
    """One matrix for both, the first one applied first."""
    return np.column_stack([second[:, :2] @ first[:, :2], second[:, :2] @ first[:, 2] + second[:, 2]])
