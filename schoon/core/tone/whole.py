"""Forms completed: what is hidden of a form goes on smoothly behind what lies before it."""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from ..ovals import oval_of
from .forms import Forms

_GAP, _RUN = 3, 5
"""Stretches of an outline up to so many px that are not the form's own are taken for its own, and the other way round."""

_TANGENT = 2, 10
"""The stretch of an outline that says how it goes on, px from its end."""

_REACH = 1.2
"""Longest handle of a completing curve, in chords."""

_OFF, _COVERED, _HELD = 0.08, 0.3, 0.93
"""A form is taken for an ellipse if its own edge lies off one by no more in the mean (root of the squares, in half-axes), goes
round so much of it, and the ellipse holds so much of what is seen."""

_ENOUGH, _LEAST_HALF, _OPEN = 20, 4.0, 0.3
"""Places of an edge and px of a half-axis under which there is no ellipse to see, and the angle from which a part of it is open,
radians."""

_FREE, _OWN, _OTHER = 0, 1, 2


def completed(forms: Forms, form: int, own: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(h, w) of `forms.labels`: a form with what is hidden of it, which lies behind other forms and never over paper.

    own: for each place of `forms.chains`, whether the border there is the edge of this form itself; elsewhere something
    lies before it, and its outline goes on there as a smooth curve from own edge to own edge.
    """
    seen = forms.labels == form
    here = (forms.chains.sides == form).any(axis=1)
    if not seen.any() or not (here & ~own).any():
        return seen
    round_one = _ellipse(forms.chains.places[here & own], seen)
    if round_one is not None:
        return seen | (round_one & (forms.labels > 0))
    state = _states(forms, form, own)
    height, width = seen.shape
    canvas = np.zeros((height, width), np.uint8)
    rings, _ = cv2.findContours(seen.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    for ring in rings:
        outline = _continued(ring[:, 0].astype(float), state)
        cv2.fillPoly(canvas, [np.round(outline).astype(np.int32)], 1)
    return seen | ((canvas > 0) & (forms.labels > 0))


def _ellipse(places: NDArray[np.float64], seen: NDArray[np.bool_]) -> NDArray[np.bool_] | None:
    """(h, w) the ellipse that a form's own edge is part of, None if it is none. places: (n, 2) row and column along it."""
    if len(places) < _ENOUGH:
        return None
    oval = oval_of(places[:, ::-1])
    if oval is None or not (oval.half.min() >= _LEAST_HALF and oval.half.max() <= max(seen.shape)):
        return None
    around = oval.within(places[:, ::-1])
    off = np.hypot(*around.T) - 1
    angles = np.sort(np.arctan2(around[:, 1], around[:, 0]))
    gaps = np.diff(np.r_[angles, angles[0] + 2 * np.pi])
    covered = 1 - gaps[gaps > _OPEN].sum() / (2 * np.pi)
    if np.sqrt((off**2).mean()) > _OFF or covered < _COVERED:
        return None
    filled = np.zeros(seen.shape, np.uint8)
    cv2.ellipse(filled, (oval.centre.tolist(), (2 * oval.half).tolist(), oval.turn), 1, cv2.FILLED)
    found = filled > 0
    return found if (found & seen).sum() > _HELD * seen.sum() else None


def _states(forms: Forms, form: int, own: NDArray[np.bool_]) -> NDArray[np.int8]:
    """(h + 2, w + 2) per pixel, one px of rim around it: whether a border of the form runs along it, and whose it is."""
    chains = forms.chains
    state = np.zeros(np.add(forms.labels.shape, 2), np.int8)
    here = (chains.sides == form).any(axis=1)
    for mask, value in ((here & ~own, _OTHER), (here & own, _OWN)):
        # A place lies between two pixels; both are marked, only the form's own are looked up.
        low, high = (
            np.floor(chains.places[mask]).astype(int) + 1,
            np.ceil(chains.places[mask]).astype(int) + 1,
        )
        state[low[:, 0], low[:, 1]] = value
        state[high[:, 0], high[:, 1]] = value
    return state


def _continued(ring: NDArray[np.float64], state: NDArray[np.int8]) -> NDArray[np.float64]:
    """(k, 2) x, y: a closed outline with the stretches that are not its own replaced by curves."""
    count = len(ring)
    at = ring.astype(int)
    kind = state[at[:, 1] + 1, at[:, 0] + 1]
    known = np.flatnonzero(kind != _FREE)
    if not len(known) or count < 12:
        return ring
    # Pixels that touch a border only by a corner go with the one before.
    before = known[(np.searchsorted(known, np.arange(count), side="right") - 1) % len(known)]
    mine = _without_short(kind[before] == _OWN, _GAP, False)
    mine = _without_short(mine, _RUN, True)
    if mine.all() or not mine.any():
        return ring
    starts = np.flatnonzero(mine & ~np.roll(mine, 1))
    pieces = []
    for start in starts:
        length = int(np.argmin(np.roll(mine, -start))) or count
        pieces.append(ring[(start + np.arange(length)) % count])
    outline = []
    for k, piece in enumerate(pieces):
        following = pieces[(k + 1) % len(pieces)]
        outline += [piece, _curve(piece[::-1], following)]
    return np.vstack(outline)


def _without_short(mine: NDArray[np.bool_], least: int, value: bool) -> NDArray[np.bool_]:
    """A cyclic sequence with the runs of `value` of up to `least` turned."""
    if mine.all() or not mine.any():
        return mine
    shift = int(np.flatnonzero(mine != np.roll(mine, 1))[0])
    turned = np.roll(mine, -shift)
    edges = np.r_[0, np.flatnonzero(np.diff(turned)) + 1, len(turned)]
    for low, high in pairwise(edges):
        if turned[low] == value and high - low <= least:
            turned[low:high] = not value
    return np.roll(turned, shift)


def _curve(back: NDArray[np.float64], ahead: NDArray[np.float64]) -> NDArray[np.float64]:
    """A cubic curve from the start of `back`, an outline that is walked backwards, to the start of `ahead`.

    Handles are those of a circle's arc where the ends allow it.
    """
    start, end = back[0], ahead[0]
    chord = end - start
    length = float(np.hypot(*chord))
    if length < 1:
        return start[None]
    ways = [-_way(back), -_way(ahead)]
    handles = []
    for way, along in ((ways[0], chord / length), (ways[1], -chord / length)):
        cosine = float(way @ along)
        arc = min(_REACH, (2 / 3) / (1 + cosine)) if cosine > -0.99 else _REACH
        handles.append(way * length * arc)
    t = np.linspace(0, 1, max(4, int(2 * length)))[1:-1, None]
    return np.asarray(
        (1 - t) ** 3 * start
        + 3 * (1 - t) ** 2 * t * (start + handles[0])
        + 3 * (1 - t) * t**2 * (end + handles[1])
        + t**3 * end
    )


def _way(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Unit direction in which an outline sets out from its first point, by a parabola through what follows."""
    low, high = _TANGENT
    some = points[min(low, len(points) - 1) : max(high, low + 2)]
    if len(some) < 4:
        way = points[-1] - points[0] if len(points) > 1 else np.array([1.0, 0.0])
    else:
        t = np.arange(len(some)) + float(low)
        way = np.polyfit(t, some, 2)[1]
    length = float(np.hypot(*way))
    return way / length if length > 1e-9 else np.array([1.0, 0.0])
