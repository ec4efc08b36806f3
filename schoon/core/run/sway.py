"""A drawing bent by a few points: some are moved, some are pinned, the rest follows as rigidly as it can.

After S. Schaefer, T. McPhail and J. Warren, "Image Deformation Using Moving Least Squares" (2006), the rigid case.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..strokes import Points, Stroke
from ..strokes.edit import finely

_STEP = 40.0
"""Px of a drawing 1000 px across between points of a line that is bent."""


@dataclass(frozen=True)
class Sway:
    """handles: (k, 2) points; by: (k, 2) how far each goes, px. A pin is a handle that goes nowhere."""

    handles: Points
    by: Points

    @classmethod
    def of(
        cls, moved: Sequence[tuple[Sequence[float], Sequence[float]]], pins: Sequence[Sequence[float]]
    ) -> Sway:
        """Handles with how far they go, and pins."""
        places = [at for at, _ in moved] + list(pins)
        by = [step for _, step in moved] + [(0.0, 0.0)] * len(pins)
        return cls(np.array(places, float).reshape(-1, 2), np.array(by, float).reshape(-1, 2))

    def at(self, points: Points, share: float) -> Points:
        """(k, 2) where points go when the handles have gone a share of their way. Handles and pins are met exactly."""
        p = self.handles[:, 0] + 1j * self.handles[:, 1]
        q = p + share * (self.by[:, 0] + 1j * self.by[:, 1])
        v = np.asarray(points, float)
        z = (v[:, 0] + 1j * v[:, 1])[:, None]
        far = np.abs(p - z) ** 2
        weight = 1 / np.maximum(far, 1e-9)
        weight /= weight.sum(axis=1, keepdims=True)
        a, b = (weight * p).sum(axis=1), (weight * q).sum(axis=1)
        turn = (weight * (p - a[:, None]).conj() * (q - b[:, None])).sum(axis=1)
        size = np.abs(turn)
        turn = np.where(size > 1e-9, turn / np.maximum(size, 1e-9), 1)
        found = b + turn * (z[:, 0] - a)
        return np.stack([found.real, found.imag], axis=1)

    def bent(self, strokes: Sequence[Stroke], size: tuple[int, int], share: float) -> list[Stroke]:
        """Strokes of a drawing of `size` (width, height) bent; they keep their names."""
        step = _STEP * max(size) / 1000
        found = []
        for stroke in strokes:
            fine = finely(stroke, step)
            controls = self.at(fine.controls, share)
            if stroke.closed:
                controls[-1] = controls[0]
            found.append(replace(fine, controls=controls, id=stroke.id, link=None))
        return found
