"""A painted drawing, as the finish looks at it."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from ..compose import Flats, Layer
from ..look import Look
from ..model import Rgba
from ..patches import grow
from ..strokes import Stroke


@dataclass(frozen=True, eq=False)
class Scene:
    """A painted drawing. labels: (h, w) patch of each pixel, 0 on ink. pots, parts: patch -> its pot and part. number: of the
    drawing in its run. strokes: those that are seen."""

    labels: NDArray[np.integer]
    pots: Mapping[int, int]
    parts: Mapping[int, str]
    look: Look
    strokes: Sequence[Stroke]
    number: int = 0
    pictures: Mapping[str, NDArray[np.uint8]] = field(default_factory=dict)
    _grown: list[NDArray[np.int32]] = field(default_factory=list)

    @property
    def grown(self) -> NDArray[np.int32]:
        """`labels` with each pixel of ink belonging to the patch that is nearest."""
        if not self._grown:
            self._grown.append(grow(self.labels.astype(np.int32, copy=False)))
        return self._grown[0]

    def of_parts(self, names: Collection[str]) -> list[int]:
        """The painted patches of some parts; of all without names."""
        return [p for p in self.pots if not names or self.parts.get(p, "") in names]

    def mask(self, patches: Collection[int]) -> NDArray[np.bool_]:
        """(h, w) where some patches lie."""
        table = np.zeros(int(self.grown.max(initial=0)) + 1, bool)
        table[[p for p in patches if p < len(table)]] = True
        return np.asarray(table[self.grown])

    def area(self, ring: Sequence[float]) -> NDArray[np.bool_]:
        """(h, w) what lies in an area. ring: its corners, x and y in turn, px."""
        drawn = np.zeros(self.labels.shape, np.uint8)
        cv2.fillPoly(drawn, [np.round(np.reshape(ring, (-1, 2))).astype(np.int32)], 1)
        return drawn > 0

    def inside(self, names: Collection[str]) -> Layer:
        """What is seen only where some parts are, as a clip."""
        white: Rgba = (255, 255, 255, 255)
        return Layer("flats", Flats(self.labels, dict.fromkeys(self.of_parts(names), white)))
