"""A pose drawn again: the small differences between a hand's redraws, measured and made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates

from ..strokes import Points, Stroke, arc_lengths, new_id
from ..strokes.edit import at, finely
from .placement import Placement
from .register import Lines, Target, register, search

AS_DRAWN = 0.9
"""Px of a drawing 1000 px across that a steady hand's redraws lie off each other (root mean square), where none is there
to be measured."""

_WAVE = 55.0
"""Px of a drawing 1000 px across over which a redrawn line swings once to one side."""

_BEYOND = 10.0
"""Lines farther off than this are other lines and no redraws, px of a drawing 1000 px across."""

_SHARED = 0.6
"""How much of the difference neighbouring lines have in common; what meets goes on meeting by it."""


def tremble(
    first: Sequence[Stroke], others: Sequence[Sequence[Stroke]], size: tuple[int, int]
) -> float | None:
    """How far redraws of a drawing of `size` lie off it across their lines, px, root mean square; None without any.

    A redraw that was moved or turned as a whole is laid over the first before it is measured.
    """
    unit = max(size) / 1000
    lines = Lines.of(first, size)
    target = Target(lines)
    found: list[NDArray[np.float64]] = []
    for strokes in others:
        own = Lines.of(strokes, size)
        if not len(own.points) or not len(lines.points):
            continue
        place, _ = register(own, target, [Placement(), *search(own, lines, 60)], rigid=True)
        moved = own.placed(place)
        index, _ = target.nearest(moved)
        normal = np.c_[-lines.tangents[index, 1], lines.tangents[index, 0]]
        gap = lines.points[index] - moved.points
        near = np.hypot(*gap.T) < _BEYOND * unit
        found.append((gap * normal).sum(axis=1)[near])
    everything = np.concatenate(found) if found else np.zeros(0)
    return float(np.sqrt(np.mean(everything**2))) if len(everything) else None


def redrawn(strokes: Sequence[Stroke], size: tuple[int, int], reach: float, seed: int) -> list[Stroke]:
    """The strokes as the same hand would draw them once more.

    reach: px that lines lie off, root mean square. seed: another one gives another redraw. Every line keeps its track and
    its corners; lines that met still meet.
    """
    if not strokes:
        return []
    unit = max(size) / 1000
    rng = np.random.default_rng(seed)
    field = _Field(rng, size, _WAVE * unit)
    fine = [finely(stroke, _WAVE * unit / 2) for stroke in strokes]
    places = [at(s, np.arange(len(s.controls)) / 3) for s in fine]
    moves = [_SHARED * field.at(p) + (1 - _SHARED) * _own(rng, p, _WAVE * unit) for p in places]
    power = np.sqrt(np.mean(np.concatenate([(m**2).sum(axis=1) for m in moves])) / 2)
    found = []
    for source, stroke, move in zip(strokes, fine, moves, strict=True):
        controls = stroke.controls + move * reach / max(float(power), 1e-9)
        if source.closed:
            controls[-1] = controls[0]
        found.append(
            replace(
                stroke,
                controls=controls,
                by="proposal",
                id=new_id(),
                track=source.track or source.id,
                link=None,
                confidence=1.0,
            )
        )
    return found


class _Field:
    """Smooth noise over a drawing; about 1 px in either direction."""

    def __init__(self, rng: np.random.Generator, size: tuple[int, int], wave: float) -> None:
        self.wave = wave
        shape = [int(np.ceil(v / wave)) + 8 for v in reversed(size)]
        self.values = rng.normal(size=(2, *shape))

    def at(self, points: Points) -> Points:
        where = np.clip(points.T[::-1] / self.wave + 4, 0, np.array(self.values.shape[1:])[:, None] - 1)
        return np.stack([map_coordinates(v, where, order=3, mode="nearest") for v in self.values], axis=1)


def _own(rng: np.random.Generator, points: Points, wave: float) -> Points:
    """What one line does by itself: nothing at its ends, where it meets others."""
    along = arc_lengths(points)
    knots = np.linspace(0, max(along[-1], 1e-6), max(3, round(along[-1] / wave) + 1))
    steps = rng.normal(size=(len(knots), 2))
    swing = np.stack([np.interp(along, knots, steps[:, k]) for k in (0, 1)], axis=1)
    return np.asarray(swing * np.sin(np.pi * np.clip(along / max(along[-1], 1e-6), 0, 1))[:, None])
