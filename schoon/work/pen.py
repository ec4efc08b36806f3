"""From the path of a pen to a stroke."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..core.cleanup import on_rough
from ..core.strokes import Points, Stroke, arc_lengths, corner_indices, fit_curve, resample, smooth_hand
from ..errors import Refusal
from ..limits import limits

MOST_POINTS = 20_000


def settled(
    path: Sequence[tuple[float, float, float]], picture: NDArray[np.uint8], strength: float, near: float
) -> list[tuple[float, float, float]]:
    """A pen path of (x, y, pressure) points drawn over to the rough lines it runs beside, within `near` px.

    picture: the rough. strength: 0 leaves the path as it is, 1 takes it all the way. Where no line is near it stays.
    Raises Refusal as `stroke_from_pen`.
    """
    data = np.asarray(path, float)
    along = measured(data[:, :2], (picture.shape[1], picture.shape[0]))
    if along[-1] < 5:
        return list(path)
    run = resample(data[:, :2], 1.0)
    run += strength * (on_rough(run, picture, near) - run)
    pressure = np.interp(np.linspace(0, along[-1], len(run)), along, data[:, 2])
    thin = np.unique(np.linspace(0, len(run) - 1, min(len(run), MOST_POINTS)).astype(int))
    return [(float(x), float(y), float(p)) for (x, y), p in zip(run[thin], pressure[thin], strict=True)]


def steadied(points: Points, amount: float) -> Points:
    """A pen path with the hand's unsteadiness taken out; the page shows the same while it is drawn (pure/hand.js).

    points: (k, 2) px. amount: standard deviation of the smoothing, px.
    """
    runs = _steadied(points, amount)
    return np.vstack([runs[0], *(run[1:] for run in runs[1:])])


def _steadied(points: Points, amount: float) -> list[Points]:
    """Smoothed between corners only, so that a corner drawn stays one."""
    raw = resample(points, 1.5)
    cuts = [0, *corner_indices(raw, 6, np.deg2rad(50)), len(raw) - 1]
    return [smooth_hand(raw[a : b + 1], amount) for a, b in itertools.pairwise(cuts) if b > a]


def measured(points: Points, size: tuple[int, int]) -> NDArray[np.float64]:
    """(k,) how far along a path each of its points lies, px. Raises Refusal if it is longer than any line of such a drawing."""
    along = arc_lengths(points)
    most = limits().stroke_widths * max(size)
    if along[-1] > most or np.abs(points).max() > most:
        raise Refusal(
            f"This stroke is {along[-1]:.0f} px long; the limit is {limits().stroke_widths:g} picture widths, "
            f"{most:.0f} px (SCHOON_MOST_STROKE_WIDTHS)"
        )
    return along


def stroke_from_pen(
    path: Sequence[tuple[float, float, float]], width: float, steady: float, size: tuple[int, int]
) -> Stroke:
    """The curve of a pen path of (x, y, pressure 0..1) points; pressure scales the width, steady smooths in px.

    size: (width, height) of the drawing. Raises Refusal for a path with numbers that are none, or longer than any line
    of such a drawing.
    """
    data = np.asarray(path, float)
    if data.ndim != 2 or data.shape[1] != 3 or len(data) > MOST_POINTS or not np.isfinite(data).all():
        raise Refusal("This stroke could not be read; draw it again")
    points = data[:, :2]
    along = measured(points, size)
    if along[-1] < 0.5:
        points = points[0] + np.array([[-0.5, 0.0], [0.5, 0.0]])
        along, data = np.array([0.0, 1.0]), np.repeat(data[:1], 2, axis=0)
    runs = _steadied(points, steady)
    smooth = np.vstack([runs[0], *(run[1:] for run in runs[1:])])
    joints = np.cumsum([len(run) - 1 for run in runs])[:-1].tolist()
    controls, knots = fit_curve(smooth, 0.7, joints)
    place = arc_lengths(smooth)[knots.astype(int)]
    pressure = np.interp(place / max(place[-1], 1e-9) * along[-1], along, np.clip(data[:, 2], 0, 1))
    return Stroke(controls, width * (0.35 + 1.3 * pressure).clip(0.4, 1.5), by="hand")
