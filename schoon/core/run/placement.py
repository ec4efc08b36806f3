"""Moving, turning and scaling as a whole: how one drawing's part lies over another's."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..strokes import Points


@dataclass(frozen=True)
class Placement:
    """The similarity z -> turn * z + shift of points as complex numbers, px.

    abs(turn) is the scale, its argument the angle.
    """

    turn: complex = 1 + 0j
    shift: complex = 0j

    def apply(self, points: Points) -> Points:
        """(k, 2) placed points."""
        z = self.turn * (points[..., 0] + 1j * points[..., 1]) + self.shift
        return np.stack([z.real, z.imag], axis=-1)

    def inverse(self) -> Placement:
        """The placement that undoes this one."""
        return Placement(1 / self.turn, -self.shift / self.turn)

    def then(self, later: Placement) -> Placement:
        """This placement followed by another."""
        return Placement(later.turn * self.turn, later.turn * self.shift + later.shift)

    @property
    def matrix(self) -> NDArray[np.float64]:
        """(2, 3) affine matrix."""
        a, b = self.turn, self.shift
        return np.array([[a.real, -a.imag, b.real], [a.imag, a.real, b.imag]])

    @property
    def scale(self) -> float:
        return abs(self.turn)

    @property
    def angle(self) -> float:
        """Radians, positive from x to y."""
        return float(np.angle(self.turn))

    def part_way(self, share: float) -> Placement:
        """The placement `share` of the way from staying put, along an arc: the part turns about a fixed centre."""
        if abs(self.turn - 1) < 1e-6:
            return Placement(1, self.shift * share)
        centre = self.shift / (1 - self.turn)
        turn = np.exp(np.log(self.turn) * share)
        return Placement(complex(turn), complex(centre * (1 - turn)))

    def numbers(self) -> tuple[float, float, float, float]:
        """Real and imaginary parts of turn and shift, for storing."""
        return self.turn.real, self.turn.imag, self.shift.real, self.shift.imag

    @classmethod
    def from_numbers(cls, numbers: tuple[float, float, float, float]) -> Placement:
        """The inverse of `numbers`."""
        a, b, c, d = numbers
        return cls(complex(a, b), complex(c, d))

    @classmethod
    def between(
        cls, source: Points, target: Points, weights: NDArray[np.float64] | None = None, rigid: bool = False
    ) -> Placement:
        """The least-squares placement of (k, 2) source points on their targets (Umeyama, 1991).

        rigid: keep the scale.
        """
        w = np.ones(len(source)) if weights is None else weights
        total = max(float(w.sum()), 1e-12)
        p = source[:, 0] + 1j * source[:, 1]
        q = target[:, 0] + 1j * target[:, 1]
        cp, cq = (w * p).sum() / total, (w * q).sum() / total
        power = float((w * np.abs(p - cp) ** 2).sum())
        if power < 1e-9:
            return cls(1, complex(cq - cp))
        turn = (w * (q - cq) * np.conj(p - cp)).sum() / power
        if rigid or abs(turn) < 1e-6:
            turn = turn / abs(turn) if abs(turn) > 1e-6 else 1 + 0j
        return cls(complex(turn), complex(cq - turn * cp))
