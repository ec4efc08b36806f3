"""A placed prop brought onto the lines of a rough."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates
from scipy.optimize import least_squares
from scipy.spatial import cKDTree

from .lines import runs
from .placing import Placed, Points, turned_by
from .sight import Sight
from .solid import Points3, Solid

_REACH = (0.10, 0.04)
"""How far off, in shares of the prop's size, marks still draw it; first coarse, then fine."""

_DARK = 0.35
"""Density from which on a mark counts, in shares of the picture's own strongest marks."""

_FINE = 1.0
_SAMPLES = 220
_SHIFT, _GROW, _TURN = 0.05, 0.05, 8.0
"""What is an ordinary correction: a shift and a growth in shares of the size, a turn in degrees."""

_ABOUT = np.array(
    [(0.0,) * 6, *((0.0, 0.0, 0.0, 0.0, 1.2 * a, 1.2 * b) for a in (-1, 0, 1) for b in (-1, 0, 1) if a or b)]
)
"""Corrections from which the coarse search may set out: turned bodies look much alike from several sides."""

_TRIED = 4
"""How many of them it follows, the best ones."""

_HOLD = 0.04
"""How strongly a correction is held back against what the marks say."""


def snapped(solid: Solid, placed: Placed, density: NDArray[np.float32], turns: bool = True) -> Placed:
    """The placement moved, scaled and turned so that its lines lie on marks nearby; as it was where there are none.

    density: (h, w) how dark the rough is, 0..1. turns: whether it may also be turned in space. The lines that are seen are
    laid on the distance to the nearest mark, robustly, coarse and then fine (Fitzgibbon 2003).
    """
    strongest = float(np.quantile(density[density > 0.08], 0.9)) if (density > 0.08).any() else 0.0
    if strongest <= 0:
        return placed
    marks = density > _DARK * strongest
    now = placed
    for reach in _REACH:
        limit = max(4.0, reach * placed.size)
        box = _box(solid, now, marks.shape, 3 * limit)
        if box is None:
            return placed
        left, top, right, bottom = box
        crop = np.ascontiguousarray((~marks[top:bottom, left:right]).astype(np.uint8))
        if crop.all():
            return placed
        away = np.minimum(cv2.distanceTransform(crop, cv2.DIST_L2, 5), limit).astype(np.float64)
        sight = Sight.of(solid, now, _FINE)
        places = _seen(sight)
        if len(places) < 12:
            return placed
        start = now

        drawn = _inked(sight, ~crop.astype(bool), (left, top))

        def off(
            moved: Placed,
            start: Placed = start,
            places: Points3 = places,
            away: NDArray[np.float64] = away,
            corner: tuple[int, int] = (left, top),
            limit: float = limit,
            drawn: Points = drawn,
        ) -> NDArray[np.float64]:
            local = moved.rotation.apply(start.rotation.inv().apply(places))
            back = cKDTree(moved.seen(local)).query(drawn)[0].clip(0, limit)
            return (
                np.r_[
                    _off(moved, local, away, corner, limit), back * np.sqrt(len(places) / max(len(drawn), 1))
                ]
                / limit
            )

        def residuals(
            change: NDArray[np.float64],
            start: Placed = start,
            off: Callable[[Placed], NDArray[np.float64]] = off,
            hold: float = _HOLD * np.sqrt(len(places)),
        ) -> NDArray[np.float64]:
            return np.r_[off(_changed(start, change, turns)), hold * change]

        best, least = start, float(off(start).mean()) - 1e-3
        starts = _ABOUT[:, : 6 if turns else 4]
        if turns and reach == _REACH[0]:
            rest = sorted(
                range(1, len(starts)), key=lambda k: float(off(_changed(start, starts[k], turns)).mean())
            )
            starts = starts[[0, *rest[: _TRIED - 1]]]
        else:
            starts = starts[:1]
        for first in starts:
            found = least_squares(residuals, first, loss="soft_l1", f_scale=0.25, diff_step=0.02, max_nfev=25)
            better = _changed(start, found.x, turns)
            left_over = float(off(better).mean())
            if left_over < least:
                best, least = better, left_over
        now = best
    return now


def _changed(placed: Placed, change: NDArray[np.float64], turns: bool) -> Placed:
    """A placement after a correction, in ordinary corrections: right, down, larger, round, and to the right and down."""
    right, down, larger, round_ = change[:4]
    roll = change[4:] * _TURN if turns else (0.0, 0.0)
    moved = turned_by(placed, float(roll[0]), float(roll[1]), float(round_ * _TURN))
    x, y = placed.at
    step = _SHIFT * placed.size
    return replace(
        moved,
        at=(float(x + right * step), float(y + down * step)),
        size=float(placed.size * np.exp(_GROW * larger)),
    )


def _seen(sight: Sight) -> Points3:
    """(k, 3) places along the lines that are seen, as the prop stands."""
    shown = [run.solid for run in runs(sight) if run.seen]
    if not shown:
        return np.zeros((0, 3))
    places = np.vstack(shown)
    return places[:: max(1, len(places) // _SAMPLES)]


def _inked(sight: Sight, marks: NDArray[np.bool_], corner: tuple[int, int]) -> Points:
    """(k, 2) px of marks of a crop that lie on the prop as it is placed."""
    rows, columns = np.nonzero(marks)
    places = np.c_[columns, rows] + np.array(corner, float)
    places = places[sight.form_at(places) > 0]
    return places[:: max(1, len(places) // _SAMPLES)]


def _off(
    placed: Placed, turned: Points3, away: NDArray[np.float64], corner: tuple[int, int], limit: float
) -> NDArray[np.float64]:
    """(k,) how far off the next mark each place lies, px, at most the limit."""
    at = placed.seen(turned) - np.array(corner)
    return np.asarray(map_coordinates(away, at.T[::-1], order=1, mode="constant", cval=limit))


def _box(
    solid: Solid, placed: Placed, shape: tuple[int, int], margin: float
) -> tuple[int, int, int, int] | None:
    """Left, top, right, bottom of the picture round the prop; None if it lies outside."""
    flat = placed.seen(placed.turned(solid.posed(placed.opened)))
    low, high = (
        np.floor(flat.min(axis=0) - margin).astype(int),
        np.ceil(flat.max(axis=0) + margin).astype(int),
    )
    left, top = low.clip(0)
    right, bottom = min(int(high[0]), shape[1]), min(int(high[1]), shape[0])
    return (int(left), int(top), right, bottom) if right - left > 8 and bottom - top > 8 else None
