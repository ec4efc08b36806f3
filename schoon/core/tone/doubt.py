"""How far a proposed tone may be trusted."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

UNSURE_ABOVE = 0.4
"""Doubt above which a person is asked: about half of such tones is wrong."""


def doubt_of(values: NDArray[np.floating], spread: NDArray[np.floating] | None = None) -> float:
    """The share of a tone that is expected to be wrong, 0..1.

    values: (n,) at the pixels of its form, under 0 where the tone lies. spread: (n,) by how much they may be off (standard
    deviation); without it they are one half less the chance of the tone, as `carried` gives them.
    """
    lies = int((values < 0).sum())
    if not lies:
        return 0.0
    far = np.abs(values)
    wrong = np.maximum(0.5 - far, 0) if spread is None else ndtr(-far / np.maximum(spread, 1e-6))
    return float(min(1.0, wrong.sum() / lies))
