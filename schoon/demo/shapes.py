"""Drawn forms: closed outlines with inner lines, stacked so that nearer ones hide farther ones."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline, PchipInterpolator

from ..core.strokes import Points, resample

Way = Sequence[tuple[float, ...]]
"""Points to draw through: (x, y), or (x, y, 1) for a corner."""


def curve(way: Way, closed: bool = False, step: float = 2.0) -> Points:
    """A smooth polyline through the points of a way that turns sharply only at corners."""
    points = np.array([p[:2] for p in way], float)
    corners = [k for k, p in enumerate(way) if len(p) > 2]
    if closed and not corners:
        return _spline(np.vstack([points, points[:1]]), True, step)
    if closed:
        points = np.roll(points, -corners[0], axis=0)
        points = np.vstack([points, points[:1]])
        cuts = [c - corners[0] for c in corners] + [len(points) - 1]
    else:
        cuts = sorted({0, *corners, len(points) - 1})
    runs = [_spline(points[a : b + 1], False, step) for a, b in itertools.pairwise(cuts)]
    return np.vstack([runs[0], *(run[1:] for run in runs[1:])])


def _spline(points: Points, periodic: bool, step: float) -> Points:
    if len(points) == 2:
        return resample(points, step)
    # Centripetal parameters keep a curve from looping between close points.
    along = np.r_[0, np.cumsum(np.sqrt(np.hypot(*np.diff(points, axis=0).T)))]
    spline = CubicSpline(along, points, bc_type="periodic" if periodic else "natural")
    return resample(spline(np.linspace(0, along[-1], 40 * len(points))), step)


def limb(way: Way, widths: Sequence[float], round_start: bool = False, round_end: bool = True) -> Points:
    """Closed outline of a tapered form along a way; widths in px are spread evenly along it."""
    spine = curve(way, step=4.0)
    at = np.linspace(0, 1, len(spine))
    half = PchipInterpolator(np.linspace(0, 1, len(widths)), widths)(at)[:, None] / 2
    tangent = np.gradient(spine, axis=0)
    tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
    side = np.c_[-tangent[:, 1], tangent[:, 0]]
    left, right = spine + side * half, (spine - side * half)[::-1]
    pieces = [left]
    if round_end:
        turn = np.linspace(np.pi / 2, -np.pi / 2, 12)[1:-1, None]
        pieces.append(spine[-1] + half[-1] * (np.cos(turn) * tangent[-1] + np.sin(turn) * side[-1]))
    pieces.append(right)
    if round_start:
        turn = np.linspace(np.pi / 2, -np.pi / 2, 12)[1:-1, None]
        pieces.append(spine[0] - half[0] * (np.cos(turn) * tangent[0] + np.sin(turn) * side[0]))
    ring = np.vstack(pieces)
    return resample(np.vstack([ring, ring[:1]]), 2.0)


def ellipse(centre: Sequence[float], rx: float, ry: float, turn: float = 0.0) -> Points:
    """Closed outline of an ellipse turned by `turn` degrees."""
    t = np.linspace(0, 2 * np.pi, max(16, int(rx + ry)))
    ring = np.c_[rx * np.cos(t), ry * np.sin(t)] @ rotation(turn).T
    return ring + np.array(centre)


def rotation(degrees: float) -> NDArray[np.float64]:
    """(2, 2) matrix that turns by degrees, clockwise on screen."""
    a = np.deg2rad(degrees)
    return np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])


def two_bones(hip: Points, foot: Points, upper: float, lower: float, bend: float) -> Points:
    """Where the joint of a two-part limb lies; bend +1 or -1 says to which side. Reaches as far as it can."""
    gap = foot - hip
    reach = np.clip(np.hypot(*gap), abs(upper - lower) + 1e-3, upper + lower - 1e-3)
    along = gap / max(np.hypot(*gap), 1e-9)
    a = (upper**2 - lower**2 + reach**2) / (2 * reach)
    h = np.sqrt(max(upper**2 - a**2, 0.0))
    return np.asarray(hip + a * along + bend * h * np.array([along[1], -along[0]]))


@dataclass
class Part:
    """A form: its pot, closed outline and lines inside; `lines_only` draws no outline and hides nothing."""

    name: str
    pot: str
    outline: Points
    inner: list[Points] = field(default_factory=list)
    lines_only: bool = False


@dataclass(frozen=True)
class Flat:
    """What the drawing truly is. lines: visible centre lines; pots: (h, w) index into `names`, 0 for paper;
    owners: name of the form each line belongs to."""

    lines: list[Points]
    pots: NDArray[np.uint8]
    names: list[str]
    owners: list[str]


def _mask(outline: Points, size: tuple[int, int]) -> NDArray[np.uint8]:
    canvas = np.zeros((size[1], size[0]), np.uint8)
    cv2.fillPoly(canvas, [np.round((outline - 0.5) * 16).astype(np.int32)], 1, cv2.LINE_8, 4)
    return canvas


def flatten(parts: Sequence[Part], size: tuple[int, int]) -> Flat:
    """Resolves what hides what: parts come from the back to the front; size (width, height) in px."""
    names = ["paper", *dict.fromkeys(part.pot for part in parts if not part.lines_only)]
    pots = np.zeros((size[1], size[0]), np.uint8)
    top = np.zeros((size[1], size[0]), np.int16)
    for number, part in enumerate(parts, 1):
        if part.lines_only:
            continue
        mask = _mask(part.outline, size) > 0
        pots[mask] = names.index(part.pot)
        top[mask] = number
    lines: list[tuple[Points, str]] = []
    for number, part in enumerate(parts, 1):
        runs = [] if part.lines_only else _runs(part.outline, _seen(part.outline, top, number, True))
        own = None if part.lines_only else number
        for line in part.inner:
            runs += _runs(line, _seen(line, top, own if own else number, own is None))
        lines += [(run, part.name) for run in runs if len(run) > 3]
    return Flat([line for line, _ in lines], pots, names, [name for _, name in lines])


def _seen(line: Points, top: NDArray[np.int16], number: int, edge: bool) -> NDArray[np.bool_]:
    at = np.floor(line).astype(int)
    inside = (at[:, 0] >= 0) & (at[:, 1] >= 0) & (at[:, 0] < top.shape[1]) & (at[:, 1] < top.shape[0])
    above = np.full(len(line), np.iinfo(np.int16).max, np.int16)
    above[inside] = top[at[inside, 1], at[inside, 0]]
    # An outline is also seen where it borders on what lies farther back; an inner line only on its part.
    return np.asarray(above <= number if edge else above == number)


def _runs(line: Points, seen: NDArray[np.bool_]) -> list[Points]:
    closed = bool(np.hypot(*(line[0] - line[-1])) < 3)
    if seen.all():
        return [np.vstack([line, line[:1]]) if closed else line]
    if closed and seen[0] and seen[-1]:
        shift = int(np.flatnonzero(~seen)[0])
        line, seen = np.roll(line, -shift, axis=0), np.roll(seen, -shift)
    edges = np.flatnonzero(np.diff(np.r_[0, seen.astype(int), 0]))
    return [line[a:b] for a, b in zip(edges[::2], edges[1::2], strict=True)]
