"""What is hidden of a part, taken from another drawing in which it is seen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..strokes import Points, Stroke, edit, new_id, sample
from .follow import stretches
from .measure import register_parts

_BESIDE = 7.0
"""Px of a drawing 1000 px across within which a line is drawn already."""

_MEETS = 22.0
"""Px of such a drawing within which the end of what is added meets the end of a line that is cut off."""

_LEAST = 5.0
_FITS = 0.55
"""Cost of laying the other drawing over this one from which on nothing is taken from it."""

SURE = 0.5
"""Confidence of what was never drawn here: it is to be looked at."""


def completed(
    own: Sequence[Stroke],
    other: Sequence[Stroke],
    covered: Callable[[Points], NDArray[np.bool_]],
    size: tuple[int, int],
) -> list[Stroke]:
    """Stretches of a part of another drawing that are missing here where something covers the part, laid as it lies here.

    own, other: its lines here and there. covered: tells which of (k, 2) px are covered here. Each goes on from the line that
    ends where it begins, and has its track.
    """
    if not own or not other:
        return []
    unit = max(size) / 1000
    (laid,) = register_parts(list(own), [list(other)], size)
    if laid is None or laid[1] > _FITS:
        return []
    tree = cKDTree(np.vstack([sample(s)[0] for s in own]))
    ends = np.vstack([s.controls[[0, -1]] for s in own if not s.closed] or [np.zeros((0, 2))])
    of_end = [s for s in own if not s.closed for _ in (0, 1)]

    def missing(points: Points) -> NDArray[np.bool_]:
        return np.asarray(covered(points) & (tree.query(points)[0] > _BESIDE * unit))

    found = []
    for stroke in other:
        for piece, gone in stretches(edit.transformed(stroke, laid[0].matrix), missing, _LEAST * unit):
            if gone:
                found.append(_joined(piece, ends, of_end, _MEETS * unit))
    return found


def _joined(piece: Stroke, ends: Points, of_end: Sequence[Stroke], reach: float) -> Stroke:
    """A stretch drawn over so that its ends lie on the ends of lines nearby."""
    track = piece.track or piece.id
    controls = piece.controls.copy()
    shifts = np.zeros((2, 2))
    if len(ends) and not piece.closed:
        for k, at in enumerate((controls[0], controls[-1])):
            away = np.hypot(*(ends - at).T)
            nearest = int(away.argmin())
            if away[nearest] < reach:
                shifts[k] = ends[nearest] - at
                track = of_end[nearest].track or of_end[nearest].id
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(controls, axis=0).T))]
    share = (along / max(along[-1], 1e-9))[:, None]
    controls += (1 - share) * shifts[0] + share * shifts[1]
    return replace(
        piece, controls=controls, id=new_id(), track=track, link=None, by="proposal", confidence=SURE
    )
