"""What tones look like where a colour key does not say it of a pot."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
from skimage.color import lab2rgb, rgb2lab

from ..model import Rgb

How = Literal["multiply", "screen", "shift"]


@dataclass(frozen=True)
class ToneRule:
    """How a tone's colour follows from a base colour.

    multiply, screen: by a colour, red, green and blue 0..255. shift: by lightness, a and b of CIE Lab.
    """

    how: How
    by: tuple[float, float, float]

    def of(self, colour: Rgb) -> Rgb:
        """The tone of a base colour: one stored colour."""
        base, by = np.array(colour, float) / 255, np.array(self.by)
        if self.how == "multiply":
            found = base * by / 255
        elif self.how == "screen":
            found = 1 - (1 - base) * (1 - by / 255)
        else:
            found = lab2rgb(rgb2lab(base[None, None]) + by)[0, 0]
        red, green, blue = np.clip(np.rint(255 * found), 0, 255).astype(int).tolist()
        return red, green, blue


PLAIN: Mapping[str, ToneRule] = {
    "shade": ToneRule("multiply", (178, 170, 205)),
    "deep": ToneRule("multiply", (120, 112, 158)),
    "light": ToneRule("screen", (92, 80, 48)),
    "rim": ToneRule("screen", (168, 156, 120)),
    "blush": ToneRule("shift", (-6.0, 22.0, 8.0)),
    "reflection": ToneRule("screen", (210, 214, 220)),
}
"""Kind of tone -> the rule of a key that has none."""
