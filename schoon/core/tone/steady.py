"""Shade through a run: forms followed from drawing to drawing, and shares of shade that do not jump."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

from .forms import Forms

_WINDOW = 2
"""Drawings before and after whose shares of shade are asked."""

_LOST = 2
"""Drawings for which a form may be out of sight and is still known."""

_FURTHEST = 2.0
"""How unlike two forms may be that are one: distance in own sizes plus the log of the ratio of areas."""

_LIKE = 4.0
"""How soon another size counts less when shares are compared."""


def tracks_of(run: Sequence[Forms]) -> list[dict[int, int]]:
    """For each drawing form -> track: forms of one pot that stay near and alike are one form."""
    tracks: list[dict[int, int]] = []
    last: dict[int, tuple[int, int, NDArray[np.float64], float]] = {}
    count = 0
    for n, forms in enumerate(run):
        here = _places(forms)
        alive = [t for t, (when, *_) in last.items() if n - when <= _LOST]
        own: dict[int, int] = {}
        if here and alive:
            keys = list(here)
            cost = np.full((len(keys), len(alive)), 1e3)
            for i, form in enumerate(keys):
                place, size = here[form]
                for j, track in enumerate(alive):
                    _, pot, was, before = last[track]
                    if pot == forms.pots[form]:
                        away = np.hypot(*(place - was)) / max(size, before)
                        cost[i, j] = away + abs(2 * np.log(size / before))
            for i, j in zip(*linear_sum_assignment(np.minimum(cost, 2 * _FURTHEST)), strict=True):
                if cost[i, j] < _FURTHEST:
                    own[keys[i]] = alive[j]
        for form, (place, size) in here.items():
            if form not in own:
                own[form] = count
                count += 1
            last[own[form]] = (n, forms.pots[form], place, size)
        tracks.append(own)
    return tracks


def _places(forms: Forms) -> dict[int, tuple[NDArray[np.float64], float]]:
    """Form -> centre and root of its area, px of the drawing."""
    rows, columns = np.nonzero(forms.labels)
    flat = forms.labels[rows, columns]
    size = len(forms.areas)
    n = np.maximum(np.bincount(flat, minlength=size), 1)
    x = np.bincount(flat, columns, size) / n * forms.step + forms.box[1][0]
    y = np.bincount(flat, rows, size) / n * forms.step + forms.box[0][0]
    return {form: (np.array([x[form], y[form]]), float(np.sqrt(n[form]) * forms.step)) for form in forms.pots}


def steadied(
    tracks: Sequence[Mapping[int, int]],
    values: Sequence[Mapping[int, NDArray[np.float32]]],
    held: frozenset[int] = frozenset(),
) -> list[dict[int, NDArray[np.float32]]]:
    """Values that are under 0 in shade, each form's moved so that its share of shade goes with its neighbours' in time.

    tracks: as `tracks_of`. values: for each drawing form -> (n,). held: drawings that stay as they are, and count.
    """
    shares: dict[int, dict[int, tuple[float, int]]] = {}
    for n, (track, value) in enumerate(zip(tracks, values, strict=True)):
        for form, own in value.items():
            if len(own):
                shares.setdefault(track[form], {})[n] = (float((own < 0).mean()), len(own))
    out = []
    for n, (track, value) in enumerate(zip(tracks, values, strict=True)):
        moved = {}
        for form, own in value.items():
            moved[form] = own
            if n in held or not len(own):
                continue
            through = shares[track[form]]
            near = [through[k] for k in range(n - _WINDOW, n + _WINDOW + 1) if k in through]
            weights = [float(np.exp(-_LIKE * abs(np.log(size / len(own))))) for _, size in near]
            wanted = _median([share for share, _ in near], weights)
            if wanted != through[n][0]:
                moved[form] = own - _cut(own, wanted)
        out.append(moved)
    return out


def _cut(values: NDArray[np.float32], share: float) -> float:
    """The value below which a share of all lies."""
    if share <= 0:
        return float(values.min())
    return float(np.quantile(values, share)) if share < 1 else float(values.max() + 1e-6)


def _median(values: Sequence[float], weights: Sequence[float]) -> float:
    """Weighted median, between two values where they weigh alike."""
    order = np.argsort(values)
    ordered, weight = np.array(values)[order], np.array(weights)[order]
    middle = np.cumsum(weight) - weight / 2
    return float(np.interp(weight.sum() / 2, middle, ordered))
