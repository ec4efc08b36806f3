"""Where a prop is in a drawing: placed, moved from key to key, fitted to a rough."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation

from .solid import Points3

Points = NDArray[np.float64]
Turn = tuple[float, float, float, float]


@dataclass(frozen=True)
class Placed:
    """A prop in a drawing.

    at: (x, y) px of its middle. size: px of its longest side. turn: unit quaternion (x, y, z, w) in the axes of `solid`.
    depth: how strongly what is near is larger, 0..1. opened: how far its doors stand open, 0..1. key: placed by hand, and
    not from its neighbours. behind: parts of the drawing that hide it. made: names how the prop was made when it was laid so.
    part: that its lines became then.
    """

    at: tuple[float, float]
    size: float
    turn: Turn = (0.0, 0.0, 0.0, 1.0)
    depth: float = 0.0
    opened: float = 0.0
    key: bool = True
    behind: tuple[str, ...] = ()
    made: str = ""
    part: str = ""

    def __post_init__(self) -> None:
        if (
            not np.isfinite([*self.at, self.size, *self.turn, self.depth, self.opened]).all()
            or self.size <= 0
        ):
            raise ValueError("a placement needs finite numbers and a size above 0")
        if abs(np.linalg.norm(self.turn)) < 1e-6:
            raise ValueError("a turn needs a direction")

    @property
    def rotation(self) -> Rotation:
        return Rotation.from_quat(self.turn)

    def turned(self, points: Points3) -> Points3:
        """(n, 3) places of the solid as it is turned, still of size 1."""
        return np.asarray(self.rotation.apply(points))

    def seen(self, turned: Points3) -> Points:
        """(n, 2) px of the drawing of places that were turned."""
        return np.array(self.at) + self.size * turned[:, :2] / (1 + self.depth * turned[:, 2:])

    def towards(self, turned: Points3) -> Points3:
        """(n, 3) directions in which the eye looks at places that were turned, not of length 1."""
        if not self.depth:
            return np.broadcast_to(np.array([0.0, 0.0, 1.0]), turned.shape)
        return turned + np.array([0.0, 0.0, 1 / self.depth])

    def to_dict(self) -> dict[str, Any]:
        """A JSON-ready mapping."""
        return {
            "at": [round(v, 2) for v in self.at],
            "size": round(self.size, 2),
            "turn": [round(v, 5) for v in self.turn],
            "depth": round(self.depth, 3),
            "opened": round(self.opened, 3),
            "key": self.key,
            "behind": list(self.behind),
            "made": self.made,
            "part": self.part,
        }

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Placed:
        """The inverse of `to_dict`. Raises ValueError or KeyError on malformed data."""
        x, y = data["at"]
        a, b, c, d = (float(v) for v in data["turn"])
        return cls(
            (float(x), float(y)), float(data["size"]), (a, b, c, d), float(data.get("depth", 0)),
            float(data.get("opened", 0)), bool(data.get("key", True)), tuple(data.get("behind", ())),
            str(data.get("made", "")), str(data.get("part", "")),
        )  # fmt: skip


def between(keys: Sequence[Placed], times: Sequence[float], wanted: Sequence[float]) -> list[Placed]:
    """The placements at `wanted` times between keys at rising `times`, through all of them: place, size, turn in space and
    doors run smoothly and never beyond a key that is farthest (Fritsch & Carlson 1980). Turns take the short way round.

    Raises ValueError for fewer than two keys or times that do not rise.
    """
    if len(keys) < 2 or len(keys) != len(times) or (np.diff(times) <= 0).any():
        raise ValueError("at least two keys at rising times are needed")
    first = keys[0].rotation
    vectors = [np.zeros(3)]
    for one, two in itertools.pairwise(keys):
        step = (one.rotation.inv() * two.rotation).as_rotvec()
        # Of the turns that end alike the one that goes on from the last key.
        whole = (first.inv() * two.rotation).as_rotvec()
        vectors.append(_nearest_turn(whole, vectors[-1] + step))
    numbers = np.c_[[[*k.at, np.log(k.size), k.depth, k.opened] for k in keys], np.array(vectors)]
    curve = PchipInterpolator(times, numbers, axis=0)
    found = []
    for time in wanted:
        x, y, size, depth, opened, *vector = curve(np.clip(time, times[0], times[-1])).tolist()
        turn = (first * Rotation.from_rotvec(vector)).as_quat()
        index = int(np.searchsorted(times, time, side="right")) - 1
        start = keys[min(max(index, 0), len(keys) - 1)]
        found.append(
            replace(start, at=(x, y), size=float(np.exp(size)), turn=_turn(turn), depth=max(depth, 0.0),
                    opened=min(max(opened, 0.0), 1.0), key=False)
        )  # fmt: skip
    return found


def _turn(quaternion: NDArray[np.float64]) -> Turn:
    x, y, z, w = (float(v) for v in quaternion)
    return x, y, z, w


def _nearest_turn(vector: NDArray[np.float64], near: NDArray[np.float64]) -> NDArray[np.float64]:
    """The rotation vector that turns as `vector` does and lies nearest to `near`: whole turns are added."""
    angle = float(np.linalg.norm(vector))
    if angle < 1e-9:
        length = float(np.linalg.norm(near))
        return near / max(length, 1e-9) * 2 * np.pi * round(length / (2 * np.pi))
    axis = vector / angle
    found = [axis * (angle + 2 * np.pi * k) for k in range(-4, 5)]
    return min(found, key=lambda v: float(np.linalg.norm(v - near)))


def turned_by(placed: Placed, right: float, down: float, round_: float) -> Placed:
    """A placement turned by degrees: to the right and down as if a ball was rolled by hand, and round in the picture."""
    roll = Rotation.from_rotvec(np.radians([down, -right, 0.0])) if right or down else Rotation.identity()
    spin = Rotation.from_rotvec(np.radians([0.0, 0.0, round_]))
    return replace(placed, turn=_turn((spin * roll * placed.rotation).as_quat()))
