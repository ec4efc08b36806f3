"""Looping GIF."""

from __future__ import annotations

import io
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PIL import Image


def durations(holds: Sequence[int], fps: float) -> list[int]:
    """Centiseconds per picture of a GIF for holds in frames; rounding is carried on so that the sum is right."""
    ends = np.round(np.cumsum(holds) / fps * 100).astype(int)
    return [max(2, int(step)) for step in np.diff(np.r_[0, ends])]


def encode(pictures: Sequence[NDArray[np.uint8]], holds: Sequence[int], fps: float) -> bytes:
    """A GIF that loops for ever of (h, w, 3) RGB pictures, each held a number of frames.

    All pictures share one palette, so that a flat colour is the same in every one of them.
    Raises ValueError without pictures.
    """
    if not pictures:
        raise ValueError("a GIF needs a picture")
    sample = np.concatenate([picture[::2, ::2] for picture in pictures[:: max(1, len(pictures) // 6)]])
    palette = Image.fromarray(sample).quantize(255, method=Image.Quantize.MEDIANCUT)
    frames = [Image.fromarray(p).quantize(palette=palette, dither=Image.Dither.NONE) for p in pictures]
    out = io.BytesIO()
    frames[0].save(
        out,
        "GIF",
        save_all=True,
        append_images=frames[1:],
        duration=[10 * step for step in durations(holds, fps)],
        loop=0,
        disposal=1,
        optimize=False,
    )
    return out.getvalue()


def estimate(pictures: Sequence[NDArray[np.uint8]], count: int) -> int:
    """About how many bytes a GIF of `count` such pictures takes, from a few of them."""
    if len(pictures) < 2:
        return len(encode(pictures, [1], 12)) * count
    first = len(encode(pictures[:1], [1], 12))
    each = (len(encode(pictures, [1] * len(pictures), 12)) - first) / (len(pictures) - 1)
    return int(first + each * (count - 1))
