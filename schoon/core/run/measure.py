"""A part through the run: its size and weight in each drawing, what drifts and what trembles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from ..strokes import Points, Stroke, arc_lengths, sample
from .placement import Placement
from .register import Lines, Target, register, search


@dataclass(frozen=True)
class Measures:
    """weight: mean width of the lines, px. length: of all lines together, px. area: of what they enclose, px².
    count: how many strokes. centre: of the lines, px."""

    weight: float
    length: float
    area: float
    count: int
    centre: tuple[float, float]


def measure(strokes: Sequence[Stroke]) -> Measures | None:
    """Measures of a part in one drawing; None if there is nothing of it."""
    if not strokes:
        return None
    lengths, weights, points = [], [], []
    for stroke in strokes:
        line, widths = sample(stroke, 2.0)
        lengths.append(float(arc_lengths(line)[-1]))
        weights.append(float(widths.mean()))
        points.append(line)
    total = sum(lengths)
    centre = np.average([p.mean(axis=0) for p in points], axis=0, weights=np.maximum(lengths, 1e-6))
    weight = float(np.average(weights, weights=np.maximum(lengths, 1e-6)))
    return Measures(weight, total, _enclosed(points), len(strokes), (float(centre[0]), float(centre[1])))


def _enclosed(lines: Sequence[Points]) -> float:
    """Area of the silhouette of lines, px², small gaps between their ends shut."""
    everything = np.vstack(lines)
    low = everything.min(axis=0) - 12
    shrink = max(1.0, float(np.ptp(everything, axis=0).max()) / 300)
    size = np.ceil((np.ptp(everything, axis=0) + 24) / shrink).astype(int) + 1
    canvas = np.zeros((int(size[1]), int(size[0])), np.uint8)
    for line in lines:
        cv2.polylines(canvas, [np.round((line - low) / shrink).astype(np.int32)], False, 1, 2)
    closed = cv2.morphologyEx(canvas, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (7, 7)))
    cv2.floodFill(closed, None, (0, 0), 2)
    return float((closed != 2).sum()) * shrink * shrink


def register_parts(
    first: Sequence[Stroke], others: Sequence[Sequence[Stroke]], size: tuple[int, int]
) -> list[tuple[Placement, float] | None]:
    """For each of the others the placement that lays it over the first, and how badly it fits, 0..1.

    Strokes of one track are laid over each other; without tracks lines are registered. None where there is nothing.
    """
    tracks = {s.track or s.id: s for s in first}
    target_lines = Lines.of(first, size)
    target = Target(target_lines)
    found: list[tuple[Placement, float] | None] = []
    for strokes in others:
        if not strokes or not first:
            found.append(None)
            continue
        lines = Lines.of(strokes, size)
        known = [(s, tracks[s.track or s.id]) for s in strokes if (s.track or s.id) in tracks]
        known = [(s, t) for s, t in known if len(s.controls) == len(t.controls)]
        if sum(len(s.controls) for s, _ in known) >= 8:
            place = Placement.between(
                np.vstack([s.controls for s, _ in known]), np.vstack([t.controls for _, t in known])
            )
            found.append((place, target.cost(lines.placed(place), 12 * lines.unit)))
        else:
            before = next((f[0] for f in reversed(found) if f), Placement())
            place, cost = register(lines, target, [before])
            if cost > _LAID:
                place, cost = register(lines, target, [before, Placement(), *search(lines, target_lines)])
            found.append((place, cost))
    return found


_MISSING = 99.0

ODD = 3.0
"""Robust standard deviations from which on a part is called odd."""

OFF = 0.12
"""Share by which a measure may differ from the model's."""

_LAID = 0.25
"""Cost of a registration that is good enough not to try other starts."""


def odd_ones(values: Sequence[float | None], expected: float | None = None) -> list[float]:
    """How odd each value is beside the others, in robust standard deviations; missing ones are very odd.

    expected: the model's value, which counts like the run's own middle.
    """
    known = np.array([v for v in values if v is not None])
    if not len(known):
        return [0.0 for _ in values]
    middle = float(np.median(known))
    spread = max(1.4826 * float(np.median(np.abs(known - middle))), 0.03 * abs(middle), 1e-6)
    centres = [middle] if expected is None else [middle, expected]
    return [_MISSING if v is None else max(abs(v - c) / spread for c in centres) for v in values]


@dataclass(frozen=True)
class Held:
    """A part that keeps still: in drawings `first` to `last` (indices) it moves by `moves` px, which is less than
    the `scatter` of the roughs, px."""

    part: str
    first: int
    last: int
    moves: float
    scatter: float


def held_parts(
    parts: Sequence[str],
    lines: Sequence[Sequence[Stroke]],
    found: Sequence[Sequence[Stroke]],
    size: tuple[int, int],
    scatter: float = 1.6,
) -> list[Held]:
    """Parts whose rough does not move between neighbouring drawings beyond the scatter.

    lines: the clean strokes per drawing. found: the strokes found in each rough. scatter: px of a 1000 px drawing.
    """
    unit = max(size) / 1000
    targets = [Target(Lines.of(strokes, size)) for strokes in found]
    held: list[Held] = []
    for part in parts:
        start: int | None = None
        worst = 0.0
        for k in range(len(lines)):
            base = start if start is not None else k - 1
            still = None
            if base >= 0:
                still = _stays([s for s in lines[base] if s.part == part], targets[k], size, scatter * unit)
            if still is not None:
                start, worst = base, max(worst, still)
                continue
            if start is not None:
                held.append(Held(part, start, k - 1, worst, scatter * unit))
            start, worst = None, 0.0
        if start is not None:
            held.append(Held(part, start, len(lines) - 1, worst, scatter * unit))
    return held


def _stays(strokes: Sequence[Stroke], target: Target, size: tuple[int, int], scatter: float) -> float | None:
    """By how much, px, the lines of another rough differ from the part where it is; None if beyond the scatter."""
    if not strokes or not len(target.lines.points):
        return None
    lines = Lines.of(strokes, size)
    index, distance = target.nearest(lines)
    near = distance < 3 * scatter
    if near.mean() < 0.85:
        return None
    normal = np.c_[-lines.tangents[:, 1], lines.tangents[:, 0]]
    across = np.abs(((target.lines.points[index] - lines.points) * normal).sum(axis=1))[near]
    place, _ = register(lines, target, [Placement()], reach=12, rigid=True)
    whole = float(np.hypot(*(place.apply(lines.points) - lines.points).T).mean())
    moves = max(whole, float(np.median(across)))
    return moves if moves < scatter else None


def drift_and_tremble(
    first: Sequence[Stroke], places: Sequence[tuple[Placement, float] | None]
) -> list[tuple[float, float] | None]:
    """Per drawing how far the part has crept from the first drawing and how much it shakes against the mean of its
    neighbours, both px; None where the part is missing. places: as `register_parts` finds them."""
    centre = np.vstack([sample(s)[0] for s in first]).mean(axis=0) if first else np.zeros(2)
    at: list[Points | None] = [
        None if found is None else found[0].inverse().apply(centre[None])[0] for found in places
    ]
    result: list[tuple[float, float] | None] = []
    for k, here in enumerate(at):
        if here is None:
            result.append(None)
            continue
        around = [at[j] for j in (k - 1, k + 1) if 0 <= j < len(at)]
        near = [p for p in around if p is not None]
        shake = float(np.hypot(*(here - np.mean(near, axis=0)))) if len(near) == 2 else 0.0
        result.append((float(np.hypot(*(here - centre))), shake))
    return result
