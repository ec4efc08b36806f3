"""Looping GIF."""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image


def durations(holds: Sequence[int], fps: float) -> list[int]:
    """Centiseconds per picture of a GIF for holds in frames; rounding is carried on so that the sum is right."""
    ends = np.round(np.cumsum(holds) / fps * 100).astype(int)
    return [max(2, int(step)) for step in np.diff(np.r_[0, ends])]


_FLAT_SHARE, _FLAT_PIXELS = 2e-4, 12
"""Share of one picture, and pixels, from which on a colour is a flat area and not an edge."""

_FLATS = 200
"""Entries of the palette kept for flat colours; the others are for edges."""


def palette_of(pictures: Iterable[NDArray[np.uint8]], colours: int = 255) -> Image.Image:
    """A palette of at most so many colours for all pictures: every flat colour of any of them just as it is, as far as there is room.

    A colour of one single picture counts as much as one of all: what matters is how large it is where it is largest.
    """
    shares: dict[int, float] = {}
    rest: list[NDArray[np.uint8]] = []
    for picture in pictures:
        packed = picture.reshape(-1, 3).astype(np.uint32) @ np.array([65536, 256, 1], np.uint32)
        values, counts = np.unique(packed, return_counts=True)
        flats = counts >= max(_FLAT_SHARE * counts.sum(), _FLAT_PIXELS)
        for value, share in zip(values[flats].tolist(), (counts[flats] / counts.sum()).tolist(), strict=True):
            shares[value] = max(shares.get(value, 0.0), share)
        edges = values[~flats]
        rest.append(np.stack([edges >> 16, edges >> 8 & 255, edges & 255], axis=1).astype(np.uint8))
    flat = sorted(shares, key=lambda value: (-shares[value], value))[: min(_FLATS, colours - 1)]
    others = np.concatenate(rest)
    entries = [(v >> 16, v >> 8 & 255, v & 255) for v in flat]
    if len(others):
        step = max(1, len(others) // 250_000)
        cut = Image.fromarray(others[None, ::step]).quantize(
            colours - len(flat), method=Image.Quantize.MEDIANCUT
        )
        edges = np.array(cut.getpalette(), np.uint8).reshape(-1, 3)
        entries += [tuple(c) for c in edges[: colours - len(flat)].tolist()]
    palette = Image.new("P", (1, 1))
    palette.putpalette(np.array(entries, np.uint8).ravel().tolist())
    return palette


def encode(
    pictures: Sequence[NDArray[np.uint8]],
    holds: Sequence[int],
    fps: float,
    once: bool = False,
    colours: int = 255,
) -> bytes:
    """A GIF that loops for ever, or plays `once`, of (h, w, 3) RGB pictures, each held a number of frames.

    All pictures share one palette, so that a flat colour is the same in every one of them.
    Raises ValueError without pictures.
    """
    if not pictures:
        raise ValueError("a GIF needs a picture")
    palette = palette_of(pictures, colours)
    frames = [Image.fromarray(p).quantize(palette=palette, dither=Image.Dither.NONE) for p in pictures]
    out = io.BytesIO()
    frames[0].save(
        out,
        "GIF",
        save_all=True,
        append_images=frames[1:],
        duration=[10 * step for step in durations(holds, fps)],
        **({} if once else {"loop": 0}),
        disposal=1,
        optimize=False,
    )
    return out.getvalue()


@dataclass(frozen=True)
class Fitted:
    """A GIF within a limit, and what it took. width: px. every: frames of which one is kept."""

    body: bytes
    width: int
    colours: int
    every: int


_LEAST_WIDTH = 120
_TRIES = ((255, 1), (96, 1), (96, 2), (48, 3))
"""Colours, and pictures of which one is kept, in the order in which they are given up."""


def within(
    pictures: Sequence[NDArray[np.uint8]], holds: Sequence[int], fps: float, limit: int, once: bool = False
) -> Fitted | None:
    """The widest GIF of at most `limit` bytes: first it becomes narrower, down to half, then it loses colours, then
    pictures, whose time the one before takes. None if even the smallest is too large."""
    full = pictures[0].shape[1]
    for colours, every in _TRIES:
        kept = list(range(0, len(pictures), every))
        held = [sum(holds[k : k + every]) for k in kept]
        least = max(_LEAST_WIDTH, full // 2 if (colours, every) != _TRIES[-1] else _LEAST_WIDTH)
        width = full
        while True:
            small = [_narrower(pictures[k], width) for k in kept]
            body = encode(small, held, fps, once, colours)
            if len(body) <= limit:
                return Fitted(body, width, colours, every)
            if width <= least:
                break
            width = max(least, min(width - 16, int(width * 0.97 * (limit / len(body)) ** 0.5)))
    return None


def _narrower(picture: NDArray[np.uint8], width: int) -> NDArray[np.uint8]:
    if width >= picture.shape[1]:
        return picture
    size = (width, max(1, round(picture.shape[0] * width / picture.shape[1])))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))


def estimate(pictures: Sequence[NDArray[np.uint8]], count: int) -> int:
    """About how many bytes a GIF of `count` such pictures takes, from a few of them."""
    if len(pictures) < 2:
        return len(encode(pictures, [1], 12)) * count
    first = len(encode(pictures[:1], [1], 12))
    each = (len(encode(pictures, [1] * len(pictures), 12)) - first) / (len(pictures) - 1)
    return int(first + each * (count - 1))
