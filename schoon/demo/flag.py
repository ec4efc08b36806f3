"""The signal flag behind the stair: a cycle of its own level."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..core.strokes import Points
from .roughs import pencil_rough
from .shapes import Flat, Part, curve, flatten, limb

POTS: dict[str, str] = {"Pole": "#8b8f93", "Cloth": "#c8452f", "Band": "#f4ecd8"}
"""Pots of the model Flag with their colours at noon on the quay."""

_POLE = (1490.0, 250.0)
_WIDTH, _HEIGHT = 300.0, 190.0


@dataclass(frozen=True)
class FlagDrawing:
    """One of the drawings of the cycle, at phase 0..1."""

    number: int
    kind: str
    phase: float
    size: tuple[int, int]

    def parts(self) -> list[Part]:
        """Pole, cloth and the band across it, rear to front."""
        x, y = _POLE
        pole = limb([(x, y + 620), (x, y - 30)], [17, 13], round_start=True)
        top, bottom = self._edge(0.0), self._edge(1.0)
        cloth = np.vstack([top, bottom[::-1], top[:1]])
        upper, lower = self._edge(0.34), self._edge(0.66)
        band = np.vstack([upper, lower[::-1], upper[:1]])
        return [Part("pole", "Pole", pole), Part("cloth", "Cloth", cloth), Part("band", "Band", band)]

    def _edge(self, down: float) -> Points:
        along = np.linspace(0, 1, 9)
        wave = np.sin(2 * np.pi * (1.15 * along - self.phase + 0.08 * down))
        x = _POLE[0] + 8 + along * _WIDTH - 10 * along * np.cos(2 * np.pi * self.phase)
        y = _POLE[1] + down * _HEIGHT + 34 * along * wave + 26 * along
        return curve([(float(a), float(b)) for a, b in zip(x, y, strict=True)], step=3.0)

    def truth(self) -> Flat:
        """Visible lines and pots as they truly are."""
        return flatten(self.parts(), self.size)

    def rough(self) -> NDArray[np.uint8]:
        """RGB; the same drawing always comes out the same."""
        random = np.random.default_rng([self.number, 77])
        guide = self._edge(0.5)
        return pencil_rough(self.truth().lines, [guide], self.size, 0.5, random)


def flag(size: tuple[int, int]) -> list[FlagDrawing]:
    """Six drawings, a cycle on twos."""
    return [FlagDrawing(k + 1, "key" if k in (0, 3) else "inbetween", k / 6, size) for k in range(6)]
