"""Textures of our own making, as tiles that meet at their edges."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

_SIDE = 512


@lru_cache
def tile(name: str) -> NDArray[np.float32]:
    """(512, 512) darkness 0..1 of a texture: "wash" blotches of water colour, "weave" threads, "grain" rough paper,
    "dots" a screen, "hatch" slanted lines."""
    random = np.random.default_rng(len(name))
    if name == "wash":
        clouds = [_cloud(random, waves) * waves**-0.8 for waves in (3, 6, 12, 24)]
        return _spread(np.sum(clouds, axis=0))
    if name == "weave":
        y, x = np.mgrid[:_SIDE, :_SIDE] * (2 * np.pi / _SIDE)
        over = np.sign(np.sin(32 * x) * np.sin(32 * y))
        threads = np.where(over > 0, np.cos(64 * x), np.cos(64 * y))
        return _spread(threads + 0.5 * _cloud(random, 60))
    if name in ("dots", "hatch"):
        y, x = np.mgrid[:_SIDE, :_SIDE] * (2 * np.pi / _SIDE)
        waves = np.cos(32 * (x + y)) if name == "hatch" else np.cos(32 * (x + y)) + np.cos(32 * (x - y))
        return np.asarray(np.clip(4 * waves + 0.5, 0, 1), np.float32)
    return _spread(_cloud(random, 120) + 0.8 * _cloud(random, 40))


def _cloud(random: np.random.Generator, waves: int) -> NDArray[np.float64]:
    """Noise without a seam, of about so many waves on a side."""
    noise = np.fft.fft2(random.standard_normal((_SIDE, _SIDE)))
    around = np.fft.fftfreq(_SIDE, 1 / _SIDE)
    far = np.hypot(*np.meshgrid(around, around))
    made = np.fft.ifft2(noise * np.exp(-((far - waves) ** 2) / (2 * (0.5 * waves) ** 2))).real
    return np.asarray(made / made.std())


def _spread(field: NDArray[np.float64]) -> NDArray[np.float32]:
    low, high = np.percentile(field, [2, 98])
    return np.asarray(np.clip((field - low) / (high - low), 0, 1), np.float32)
