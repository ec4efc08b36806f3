"""Shade drawn by hand in some drawings, carried to the others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.spatial import cKDTree
from scipy.special import expit

from .forms import Forms
from .light import Light, light_from
from .solids import Solids

Normals = Mapping[int, NDArray[np.float32]]
"""Form -> (n, 3) at its pixels."""

_ASKED, _SHRUNK = 20000, 1e-4
"""Places of the keys by which the light is found, and how much a sharp light costs, which all or nothing in shade would have."""

_TOLD = 15
"""Places of the keys that are asked for each place."""

_ALONG = 0.3
"""What a form's own length counts beside the turn of its surface when places are compared."""

_TRUST = 0.3
"""How much of what the hand did otherwise than the light is carried from place to place."""

_SLOPE = 8.0
"""How soon light turns to shade, per unit of the cosine."""

_ENOUGH = 1000
"""Pixels of a form from which its own amount of shade in the key counts as much as that of all."""


@dataclass(frozen=True, eq=False)
class Key:
    """A drawing with its shade drawn. number: of the drawing in the run. shade: form -> (n,) whether each of its pixels
    lies in shade."""

    number: int
    shade: Mapping[int, NDArray[np.bool_]]


def key_of(number: int, forms: Forms, shade: NDArray[np.bool_]) -> Key:
    """shade: (h, w) of the drawing, as it was drawn."""
    height, width = forms.labels.shape
    cut = shade[forms.part].astype(np.uint8)
    small = cv2.resize(cut, (width, height), interpolation=cv2.INTER_NEAREST) > 0
    return Key(number, {form: small[forms.labels == form] for form in forms.pots})


def light_in(normals: Sequence[Normals], keys: Sequence[Key]) -> tuple[Light, float]:
    """The light that the hand had in mind, and below what of it shade begins: those that make the drawn shade likeliest
    (logistic regression).

    normals: of each drawing. Raises ValueError for keys without a painted form.
    """
    places, shade = _all(normals, keys)
    if not len(shade):
        raise ValueError("the drawn shade lies on no painted form, so it teaches nothing")
    every = max(1, len(shade) // _ASKED)
    known = np.c_[places, np.ones(len(places))][::every].astype(float)
    side = np.where(shade[::every], -1.0, 1.0)

    def loss(line: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        margin = side * (known @ line)
        slope = -known.T @ (side * expit(-margin)) / len(side)
        return float(np.logaddexp(0, -margin).mean() + _SHRUNK * line @ line), slope + 2 * _SHRUNK * line

    # A place is in shade with a chance that falls off smoothly: a count of right ones would jump from pose to pose.
    found = minimize(loss, np.array([0.0, 0.0, 1.0, 0.0]), jac=True, method="BFGS").x
    length = max(float(np.linalg.norm(found[:3])), 1e-9)
    return light_from(found[:3] / length), float(-found[3] / length)


def _all(normals: Sequence[Normals], keys: Sequence[Key]) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    places = [normals[key.number][form] for key in keys for form in key.shade]
    shade = [own for key in keys for own in key.shade.values()]
    if not places:
        return np.zeros((0, 3), np.float32), np.zeros(0, bool)
    return np.vstack(places), np.concatenate(shade)


def _split(falls: NDArray[np.floating], shade: NDArray[np.bool_]) -> tuple[int, float]:
    """The cut that puts most places on their side, and how many it does."""
    order = np.argsort(falls)
    dark = np.cumsum(shade[order])
    right = np.r_[0, dark - (np.arange(len(dark)) + 1 - dark)] + int((~shade).sum())
    k = int(right.argmax())
    ordered = falls[order]
    cut = (
        ordered[0] - 1e-6
        if k == 0
        else ordered[-1] + 1e-6
        if k == len(ordered)
        else ordered[k - 1 : k + 1].mean()
    )
    return int(right[k]), float(cut)


def carried(
    solids: Sequence[Solids],
    tracks: Sequence[Mapping[int, int]],
    keys: Sequence[Key],
    proposed: Sequence[Mapping[int, NDArray[np.float32]]] | None = None,
) -> list[dict[int, NDArray[np.float32]]]:
    """For each drawing form -> (n,) under 0 where shade lies, by what the hand did in the keys.

    proposed: for each drawing form -> (n,) light less where shade begins; what the hand did to it is done to the others.
    Without it, the light is read off the keys. Raises ValueError for keys without a painted form.
    """
    if proposed is None:
        # Forms by themselves and their common surface go wrong in other places.
        either = [
            _lit(normals, keys)
            for normals in ([one.normals for one in solids], [one.surface.normals for one in solids])
        ]
        proposed = [
            {form: (own + other[form]) / 2 for form, own in one.items()}
            for one, other in zip(*either, strict=True)
        ]
    shifts = _shifts(tracks, keys, proposed)
    base = [
        {form: own - shifts.get(track[form], 0.0) for form, own in value.items()}
        for track, value in zip(tracks, proposed, strict=True)
    ]
    left = _left_over(solids, tracks, keys, base)
    out: list[dict[int, NDArray[np.float32]]] = []
    for n, (one, track, value) in enumerate(zip(solids, tracks, base, strict=True)):
        drawn = next((key for key in keys if key.number == n), None)
        out.append({})
        for form, own in value.items():
            if drawn:
                out[n][form] = np.where(drawn.shade[form], -1, 1).astype(np.float32)
                continue
            known = left.get(track[form]) or left.get(-1 - one.forms.pots[form])
            dark = 1 / (1 + np.exp(_SLOPE * own))
            if known:
                dark = dark + _TRUST * known.at(_placed(one, form))
            out[n][form] = (0.5 - dark).astype(np.float32)
    return out


def _lit(normals: Sequence[Normals], keys: Sequence[Key]) -> list[dict[int, NDArray[np.float32]]]:
    """For each drawing form -> (n,) light less where shade begins, by the light that is read off the keys."""
    light, below = light_in(normals, keys)
    return [
        {form: (own @ light.direction - below).astype(np.float32) for form, own in one.items()}
        for one in normals
    ]


def _shifts(
    tracks: Sequence[Mapping[int, int]],
    keys: Sequence[Key],
    proposed: Sequence[Mapping[int, NDArray[np.float32]]],
) -> dict[int, float]:
    """Track -> where its shade begins in the keys, beside where it does elsewhere."""
    gathered: dict[int, tuple[list[NDArray[np.float32]], list[NDArray[np.bool_]]]] = {}
    for key in keys:
        for form, shade in key.shade.items():
            values, drawn = gathered.setdefault(tracks[key.number][form], ([], []))
            values.append(proposed[key.number][form])
            drawn.append(shade)
    found = {}
    for track, (values, drawn) in gathered.items():
        value, shade = np.concatenate(values), np.concatenate(drawn)
        # All or nothing says only how far it has to go.
        if shade.all():
            cut = max(0.0, float(value.max()))
        elif not shade.any():
            cut = min(0.0, float(value.min()))
        else:
            _, cut = _split(value, shade)
        found[track] = cut * len(shade) / (len(shade) + _ENOUGH)
    return found


class _Told:
    """Places of the keys, and what the hand did there otherwise."""

    def __init__(self, places: NDArray[np.float64], rest: NDArray[np.float64]) -> None:
        every = max(1, len(rest) // 4000)
        self._tree = cKDTree(places[::every])
        self._rest = rest[::every]

    def at(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        k = min(_TOLD, len(self._rest))
        near = self._tree.query(places, k=k)[1].reshape(len(places), k)
        return np.asarray(self._rest[near].mean(axis=1))


def _left_over(
    solids: Sequence[Solids],
    tracks: Sequence[Mapping[int, int]],
    keys: Sequence[Key],
    base: Sequence[Mapping[int, NDArray[np.float32]]],
) -> dict[int, _Told]:
    """Track, and -1 - pot -> what the hand did otherwise than the light."""
    gathered: dict[int, tuple[list[NDArray[np.float64]], list[NDArray[np.float64]]]] = {}
    for key in keys:
        one = solids[key.number]
        for form, shade in key.shade.items():
            rest = shade - 1 / (1 + np.exp(_SLOPE * base[key.number][form].astype(float)))
            for name in (tracks[key.number][form], -1 - one.forms.pots[form]):
                places, rests = gathered.setdefault(name, ([], []))
                places.append(_placed(one, form))
                rests.append(rest)
    return {
        name: _Told(np.vstack(p), np.concatenate(r)) for name, (p, r) in gathered.items() if sum(map(len, r))
    }


def _placed(solids: Solids, form: int) -> NDArray[np.float64]:
    """(n, 5) each pixel of a form: its normal, and where it lies in the form."""
    rows, columns = np.nonzero(solids.forms.labels == form)
    points = np.c_[columns, rows].astype(float)
    away = points - points.mean(axis=0)
    spread = max(float(np.sqrt((away**2).sum(axis=1).mean())), 1.0)
    return np.hstack([solids.normals[form], _ALONG * away / spread])
