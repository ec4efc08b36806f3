"""Colours in another light, and how far colours are apart."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from skimage.color import deltaE_ciede2000, rgb2lab

from . import Rgb

TOO_CLOSE = 4.0
"""Pots nearer than this in CIEDE2000 are hard to tell apart on the screen."""


def linear(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear light 0..1 of encoded values 0..1 (IEC 61966-2-1)."""
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)


def encoded(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """The reverse of `linear`; light beyond 1 stays beyond 1."""
    return np.where(values <= 0.0031308, values * 12.92, 1.055 * np.maximum(values, 0) ** (1 / 2.4) - 0.055)


def relit(colour: Rgb, light: Rgb, strength: float, darkness: float) -> Rgb:
    """A colour under coloured light, computed in linear light (IEC 61966-2-1).

    light: its colour; only its hue counts, not how bright it is. strength: 0 leaves the colour, 1 lights it by that
    light alone. darkness: 0..1, how much light is gone.
    """
    surface = linear(np.array(colour) / 255)
    lamp = linear(np.array(light) / 255)
    lamp = lamp / max(float(lamp.max()), 1e-6)
    lit = surface * (1 - strength + strength * lamp) * (1 - darkness)
    r, g, b = (np.clip(encoded(lit), 0, 1) * 255).round().astype(int).tolist()
    return r, g, b


def derived(
    colours: Mapping[int, Rgb],
    light: Rgb,
    strength: float,
    darkness: float,
    held: frozenset[int] = frozenset(),
) -> dict[int, Rgb]:
    """A colour key in another light; pots that are held, such as eyes and lamps, keep their colours."""
    return {
        pot: colour if pot in held else relit(colour, light, strength, darkness)
        for pot, colour in colours.items()
    }


def difference(a: Rgb, b: Rgb) -> float:
    """CIEDE2000 difference of two colours: about 1 is just seen side by side."""
    pair = np.array([a, b], float).reshape(2, 1, 3) / 255
    lab = rgb2lab(pair)
    return float(deltaE_ciede2000(lab[0], lab[1])[0])


def close_pairs(colours: Mapping[int, Rgb], below: float = TOO_CLOSE) -> list[tuple[int, int, float]]:
    """Pairs of pots that are hard to tell apart, nearest first: (pot, pot, CIEDE2000)."""
    pots = list(colours)
    if len(pots) < 2:
        return []
    lab = rgb2lab(np.array([colours[p] for p in pots], float)[None] / 255)[0]
    first, second = np.triu_indices(len(pots), 1)
    apart = deltaE_ciede2000(lab[first], lab[second])
    found = [(pots[i], pots[j], float(d)) for i, j, d in zip(first, second, apart, strict=True) if d < below]
    return sorted(found, key=lambda pair: pair[2])
