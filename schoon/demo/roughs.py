"""Roughs as an animator leaves them: searching pencil strokes, construction in a colour, paper and light."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from ..core.strokes import Points, arc_lengths, corner_indices, resample

Random = np.random.Generator

GRAPHITE = np.array([1.0, 1.0, 0.98])
BLUE = np.array([1.0, 0.52, 0.16])
"""Density per RGB channel of a pencil at full pressure."""


def pencil_rough(
    lines: Sequence[Points],
    guides: Sequence[Points],
    size: tuple[int, int],
    looseness: float,
    random: Random,
) -> NDArray[np.uint8]:
    """(h, w, 3) RGB of a rough on paper. size: (width, height) px.

    lines: true centre lines, drawn in graphite. guides: construction, drawn in blue.
    looseness: 0 (tied down, one stroke) to 1 (up to five strokes a line, far off and overshooting).
    """
    width, height = size
    tooth = _tooth(size, random)
    graphite = np.zeros((height, width), np.float32)
    blue = np.zeros_like(graphite)
    for guide in guides:
        for _ in range(2):
            _stroke(blue, _wander(guide, 5.0, random), 2.6, 0.3 + 0.2 * random.random(), random)
    for line in lines:
        for piece in _pieces(line):
            for path, pressure in _searching(piece, looseness, random):
                _stroke(graphite, path, 2.0 + 1.0 * random.random(), pressure, random)
    density = (
        graphite[..., None] * GRAPHITE.astype(np.float32) * 1.0
        + blue[..., None] * BLUE.astype(np.float32) * 0.8
    )
    density *= (0.55 + 0.75 * tooth)[..., None]
    paper = _paper(size, random)
    return np.clip(paper * 10 ** (-density), 0, 255).astype(np.uint8)


def _pieces(line: Points) -> list[Points]:
    """A line as the hand takes it: from corner to corner, long runs in two."""
    even = resample(line, 2.0)
    corners = corner_indices(even, 6, np.deg2rad(45))
    cuts = [0, *corners, len(even) - 1]
    pieces = []
    for a, b in itertools.pairwise(cuts):
        run = even[a : b + 1]
        if len(run) > 260:
            middle = len(run) // 2
            pieces += [run[: middle + 12], run[middle - 12 :]]
        elif len(run) > 1:
            pieces.append(run)
    return pieces


def _searching(piece: Points, looseness: float, random: Random) -> list[tuple[Points, float]]:
    """The strokes that search for one line, each with its pressure."""
    length = float(arc_lengths(piece)[-1])
    count = 1 if length < 24 else int(random.integers(1 + round(1.2 * looseness), 3 + round(3 * looseness)))
    off = (0.8 + 3.4 * looseness) * min(1.0, length / 90)
    strokes = []
    for number in range(count):
        first, last = 0.0, 1.0
        if number and length > 120:
            first, last = sorted(random.random(2))
            if last - first < 0.35:
                first, last = max(0.0, first - 0.2), min(1.0, last + 0.25)
        part = piece[int(first * (len(piece) - 1)) : int(last * (len(piece) - 1)) + 1]
        if len(part) < 3:
            continue
        path = _wander(part, off, random)
        if length > 40:
            path = _overshoot(path, looseness * random.uniform(0, 14), looseness * random.uniform(0, 14))
        strokes.append((path, random.uniform(0.22, 0.5) if number else random.uniform(0.4, 0.72)))
    return strokes


def _wander(line: Points, amount: float, random: Random) -> Points:
    """The line as a hand misses it: slow sideways drift and a slight shift."""
    count = len(line)
    knots = max(3, int(arc_lengths(line)[-1] / 70) + 2)
    at = np.linspace(0, 1, count)
    drift = [np.interp(at, np.linspace(0, 1, knots), random.normal(0, amount * 0.6, knots)) for _ in range(2)]
    smooth = [ndi.gaussian_filter1d(d, max(2.0, count / knots / 2), mode="nearest") for d in drift]
    return np.asarray(line + np.stack(smooth, axis=1) + random.normal(0, amount * 0.25, 2))


def _overshoot(path: Points, before: float, after: float) -> Points:
    def beyond(end: Points, inner: Points, far: float) -> Points:
        along = end - inner
        along /= max(np.hypot(*along), 1e-9)
        return end + along * np.linspace(0, far, 5)[1:, None]

    k = min(4, len(path) - 1)
    head = beyond(path[0], path[k], before)[::-1] if before > 2 else path[:0]
    tail = beyond(path[-1], path[-1 - k], after) if after > 2 else path[:0]
    return np.vstack([head, path, tail])


def _stroke(canvas: NDArray[np.float32], path: Points, width: float, pressure: float, random: Random) -> None:
    """Adds one pencil stroke with rising and falling pressure."""
    path = resample(path, 5.0)
    count = len(path)
    swell = np.sin(np.linspace(0.25, np.pi - 0.25, count)) ** 0.5
    wave = ndi.gaussian_filter1d(random.normal(0, 0.5, count), 6, mode="nearest")
    force = np.clip(pressure * swell * (1 + wave), 0.05, 1)
    low = np.maximum(np.floor(path.min(axis=0)).astype(int) - 6, 0)
    high = np.minimum(np.ceil(path.max(axis=0)).astype(int) + 7, canvas.shape[::-1])
    if (high <= low).any():
        return
    layer = np.zeros((high[1] - low[1], high[0] - low[0]), np.uint8)
    points = np.round((path - low - 0.5) * 16).astype(np.int32)
    for k in range(count - 1):
        thick = 1 + round(float(width * (0.6 + 0.5 * force[k])) - 1)
        cv2.line(
            layer, points[k].tolist(), points[k + 1].tolist(), int(255 * force[k]), thick, cv2.LINE_AA, 4
        )
    box = np.s_[low[1] : high[1], low[0] : high[0]]
    # Graphite over graphite darkens, but never quite adds up.
    canvas[box] += layer.astype(np.float32) / 255 * (1 - 0.45 * np.minimum(canvas[box], 1))


def _tooth(size: tuple[int, int], random: Random) -> NDArray[np.float32]:
    """The grain of the paper that the pencil catches on, 0..1."""
    width, height = size
    grain = random.random((height, width), dtype=np.float32)
    fine = cv2.GaussianBlur(grain, (0, 0), 0.9)
    fine = (fine - fine.mean()) / fine.std() * 0.22 + 0.55
    return np.clip(fine, 0, 1)


def _paper(size: tuple[int, int], random: Random) -> NDArray[np.float32]:
    """(h, w, 3) paper with its tone, a fall of light and fibre."""
    width, height = size
    tone = np.array([244, 239, 228], np.float32)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    cx, cy = random.uniform(0.2, 0.5) * width, random.uniform(0.1, 0.5) * height
    fall = 1 - 0.11 * (np.hypot((x - cx) / width, (y - cy) / height)) ** 2
    cloud = cv2.resize(random.normal(0, 1, (9, 16)).astype(np.float32), size, interpolation=cv2.INTER_CUBIC)
    fibre = cv2.GaussianBlur(random.normal(0, 1, (height, width)).astype(np.float32), (0, 0), 1.2) * 2.2
    return np.asarray(tone * (fall + 0.006 * cloud + 0.004 * fibre)[..., None], np.float32)
