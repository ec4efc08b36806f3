"""A placed prop brought onto the lines of a rough."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

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

_SOME = 0.08
"""Paler than this nothing is a mark."""

_LEAST = 12
_MARGIN = 0.5
_FINE = 1.0
_SAMPLES = 220
_STEPS = np.array([0.05, 0.05, 8.0, 0.05, 8.0, 8.0])
"""What is an ordinary correction: shifts right and down in shares of the size, a turn round in degrees, a growth, and turns
to the right and down in degrees."""

_MOVES, _ALL = 3, 6
"""How many of these are open when a prop keeps its size and side, and when it does not."""

_ABOUT = np.zeros((9, _ALL))
_ABOUT[1:, 4:] = [(1.2 * a, 1.2 * b) for a in (-1, 0, 1) for b in (-1, 0, 1) if a or b]
"""Corrections from which the coarse search may set out: turned bodies look much alike from several sides."""

_TRIED = 4
"""How many of them it follows, the best ones."""

_REFINED = 2
"""How many of what was found are laid on the marks finely."""

_FAR = np.linspace(-8, 8, 33)
_ROUND = (-2.0, -1.0, 0.0, 1.0, 2.0)
"""Corrections at which it is looked for farther off: shifts either way, and turns round."""

_DEAR = 0.004
"""What a correction costs, in shares of the limit that every place may lie off."""

_HOLD = 0.04
"""How strongly a correction is held back against what the marks say."""


Covered = Callable[[Points], NDArray[np.bool_]]
"""Tells which of (k, 2) px of the drawing something else covers."""


def snapped(
    solid: Solid,
    placed: Placed,
    density: NDArray[np.float32],
    moves: bool = False,
    covered: Covered | None = None,
) -> Placed:
    """The placement moved, scaled and turned so that its lines lie on marks nearby; as it was where there are none.

    density: (h, w) how dark the rough is, 0..1. moves: it is only moved and turned round in the picture. covered: where
    nothing is expected of it, nor told. The lines that are seen are laid on the marks and the marks that lie on it on its
    lines, robustly, coarse and then fine (Fitzgibbon 2003).
    """
    dark = density[density > _SOME]
    if not dark.size:
        return placed
    marks = density > _DARK * float(np.quantile(dark, 0.9))
    count = _MOVES if moves else _ALL
    coarse, fine = (max(4.0, reach * placed.size) for reach in _REACH)
    first = _Fit.of(solid, placed, marks, coarse, covered)
    if first is None:
        return placed
    tried = [first.best(count, several=True)]
    tried += [first.moved(start).best(_MOVES) for start in first.elsewhere()]
    # Each is judged by the marks that lie on it where it has come to.
    fits = [fit for now in tried if (fit := _Fit.of(solid, now, marks, fine, covered)) is not None]
    fits.sort(key=lambda fit: fit.misses(fit.placed, placed))
    found = [(fit.best(count), fit) for fit in fits[:_REFINED]]
    return min(found, key=lambda pair: pair[1].misses(pair[0], placed))[0] if found else placed


@dataclass(frozen=True, eq=False)
class _Fit:
    """One pass of `snapped`. places: (k, 3) on its lines, as it is turned. away: (h, w) px to the next mark, at most `limit`, of
    the picture from `corner` on. drawn: (n, 2) px of marks that lie on it. dark: (m, 2) px of all marks about it. sight: the
    prop as it was seen from the side from which it is fitted."""

    placed: Placed
    places: Points3
    away: NDArray[np.float64]
    corner: tuple[int, int]
    drawn: Points
    limit: float
    dark: Points
    sight: Sight

    @classmethod
    def of(
        cls, solid: Solid, placed: Placed, marks: NDArray[np.bool_], limit: float, covered: Covered | None
    ) -> _Fit | None:
        """None where there is too little to fit."""
        sight = Sight.of(solid, placed, _FINE)
        box = _box(sight.flat, marks.shape, _MARGIN * placed.size)
        if box is None:
            return None
        left, top, right, bottom = box
        crop = marks[top:bottom, left:right]
        shown = [run.solid for run in runs(sight) if run.seen]
        places = np.vstack(shown) if shown else np.zeros((0, 3))
        rows, columns = np.nonzero(crop)
        dark = np.c_[columns, rows] + np.array([left, top], float)
        if covered is not None:
            places, dark = places[~covered(placed.seen(places))], dark[~covered(dark)]
        drawn = dark[sight.form_at(dark) > 0]
        if not crop.any() or len(places) < _LEAST:
            return None
        away = cv2.distanceTransform((~crop).astype(np.uint8), cv2.DIST_L2, 5)
        away = np.minimum(away, limit).astype(float)
        return cls(placed, _thinned(places), away, (left, top), _thinned(drawn), limit, dark, sight)

    def moved(self, start: Placed) -> _Fit:
        """The same from a placement that is shifted and turned round in the picture only: it shows the same side."""
        turn = start.rotation * self.placed.rotation.inv()
        seen = self.sight.placed
        back = (
            np.array(seen.at)
            + (seen.size / start.size)
            * turn.inv().apply(np.c_[self.dark - np.array(start.at), np.zeros(len(self.dark))])[:, :2]
        )
        drawn = self.dark[self.sight.form_at(back) > 0]
        return replace(self, placed=start, places=turn.apply(self.places), drawn=_thinned(drawn))

    def changed(self, change: NDArray[np.float64]) -> Placed:
        """The placement after the first of the corrections of `_STEPS`."""
        right, down, round_, larger, roll, pitch = np.r_[change, np.zeros(_ALL - len(change))] * _STEPS
        moved = turned_by(self.placed, float(roll), float(pitch), float(round_))
        (x, y), size = self.placed.at, self.placed.size
        return replace(
            moved, at=(float(x + right * size), float(y + down * size)), size=float(size * np.exp(larger))
        )

    def off(self, change: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far its lines lie off marks and marks off its lines, in shares of the limit."""
        moved = self.changed(change)
        flat = moved.seen(moved.rotation.apply(self.placed.rotation.inv().apply(self.places)))
        there = map_coordinates(
            self.away, (flat - self.corner).T[::-1], order=1, mode="constant", cval=self.limit
        )
        if not len(self.drawn):
            return np.asarray(there / self.limit)
        back = cKDTree(flat).query(self.drawn)[0].clip(0, self.limit)
        return np.asarray(np.r_[there, back * np.sqrt(len(flat) / len(back))] / self.limit)

    def elsewhere(self) -> list[Placed]:
        """Placements farther off whose lines lie on marks, the best ones: moved and turned round in the picture."""
        shifts = np.stack(np.meshgrid(_FAR, _FAR), axis=-1).reshape(-1, 2)
        places = _thinned(self.places, 3)
        found: list[tuple[float, NDArray[np.float64]]] = []
        for round_ in _ROUND:
            moved = self.changed(np.array([0.0, 0.0, round_]))
            flat = moved.seen(moved.rotation.apply(self.placed.rotation.inv().apply(places)))
            at = flat + (shifts * _STEPS[:2] * self.placed.size)[:, None] - self.corner
            column, row = (np.rint(at[..., k]).astype(int) for k in (0, 1))
            inside = (row >= 0) & (column >= 0) & (row < self.away.shape[0]) & (column < self.away.shape[1])
            off = (
                np.where(inside, self.away[row * inside, column * inside], self.limit).mean(axis=1)
                / self.limit
            )
            off += _DEAR * (np.hypot(*shifts.T) + abs(round_))
            found += [(float(o), np.array([*shift, round_])) for o, shift in zip(off, shifts, strict=True)]
        found.sort(key=lambda pair: pair[0])
        chosen: list[NDArray[np.float64]] = []
        for _, change in found:
            if len(chosen) == _TRIED:
                break
            if all(np.abs(change - other).max() > 1.5 for other in [np.zeros(3), *chosen]):
                chosen.append(change)
        return [self.changed(change) for change in chosen]

    def misses(self, placed: Placed, start: Placed) -> float:
        """How badly a placement fits, with what it is away from where the hand placed it."""
        went = float(np.hypot(placed.at[0] - start.at[0], placed.at[1] - start.at[1])) / (
            _STEPS[0] * start.size
        )
        turned = float(np.degrees((placed.rotation * start.rotation.inv()).magnitude())) / _STEPS[2]
        fit = replace(
            self, placed=placed, places=placed.rotation.apply(self.placed.rotation.inv().apply(self.places))
        )
        return float(fit.off(np.zeros(_MOVES)).mean()) + _DEAR * (went + turned)

    def best(self, count: int, several: bool = False) -> Placed:
        """The placement that fits best by `count` corrections; the present one where none is better. several: the search
        sets out from several sides."""
        hold = _HOLD * np.sqrt(len(self.places))

        def residuals(change: NDArray[np.float64]) -> NDArray[np.float64]:
            return np.r_[self.off(change), hold * change]

        starts = [np.zeros(count)]
        if several and count == _ALL:
            starts += sorted(_ABOUT[1:], key=lambda start: float(self.off(start).mean()))[: _TRIED - 1]
        found = [
            least_squares(residuals, start, loss="soft_l1", f_scale=0.25, diff_step=0.02, max_nfev=25).x
            for start in starts
        ]
        chosen = min([np.zeros(count), *found], key=lambda change: float(self.off(change).mean()))
        return self.changed(chosen)


def _thinned(places: NDArray[np.float64], more: int = 1) -> NDArray[np.float64]:
    return places[:: max(1, more * len(places) // _SAMPLES)]


def _box(flat: Points, shape: tuple[int, int], margin: float) -> tuple[int, int, int, int] | None:
    """Left, top, right, bottom of the picture round the prop; None if it lies outside."""
    low, high = (
        np.floor(flat.min(axis=0) - margin).astype(int),
        np.ceil(flat.max(axis=0) + margin).astype(int),
    )
    left, top = low.clip(0)
    right, bottom = min(int(high[0]), shape[1]), min(int(high[1]), shape[0])
    return (int(left), int(top), right, bottom) if right - left > 8 and bottom - top > 8 else None
