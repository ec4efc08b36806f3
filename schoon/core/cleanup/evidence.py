"""Where a network that has seen many roughs (`bench/train_lines.py`) sees lines: the one line among strokes that search for
it, through hatching and over construction."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..network import told
from ..paper import MARKED
from ..pixels import box_of

SEEN = 2
"""What is seen of each place, as `seen_by` gives it."""

SPREAD = 1.0
"""Sigma of what is said across a line, px."""

_ABOUT = 24
"""Px of bare paper that are seen about what is drawn."""


def seen_by(layer: NDArray[np.float32], density: NDArray[np.float32]) -> NDArray[np.float32]:
    """(SEEN, h, w) what the network is told of a pencil's layer: how dark it is, and how dark beside what the pencil draws
    elsewhere. density: the layer without grain."""
    drawn = density[density > MARKED]
    usual = max(float(np.percentile(drawn, 90)), MARKED) if drawn.size else 1.0
    return np.stack([np.clip(layer, 0, 1), np.minimum(density / usual, 1.5)]).astype(np.float32)


def line_chance(layer: NDArray[np.float32], density: NDArray[np.float32]) -> NDArray[np.float32]:
    """(h, w) 0..1 for how sure the middle of a line runs here, falling off across it."""
    chance = np.zeros(layer.shape, np.float32)
    # Nothing is asked of the bare paper about a drawing.
    part = box_of(density > MARKED, _ABOUT)
    if chance[part].size:
        score = told(__package__, "lines", seen_by(layer, density)[None, :, *part])[0, 0]
        chance[part] = 1 / (1 + np.exp(-score))
    return chance
