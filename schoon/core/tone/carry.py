"""Shade drawn by hand in some drawings, carried to the others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from .forms import Forms
from .light import Light
from .solids import Solids

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


def light_in(solids: Sequence[Solids], keys: Sequence[Key]) -> tuple[Light, float]:
    """The light that the hand had in mind, and below what of it shade begins: the one that shades most places as they are.

    Raises ValueError for keys without a painted form.
    """
    normals, shade = _all(solids, keys)
    if not len(shade):
        raise ValueError("the drawn shade lies on no painted form, so it teaches nothing")
    normals, shade = normals[:: max(1, len(shade) // 20000)], shade[:: max(1, len(shade) // 20000)]
    best = (-1, Light(0, 0), 0.0)
    around, up, turn, tip = 0.0, 25.0, 180.0, 65.0
    for _ in range(4):
        for azimuth in around + turn * np.linspace(-1, 1, 13):
            for height in np.clip(up + tip * np.linspace(-1, 1, 7), -60, 90):
                light = Light(float(azimuth % 360), float(height))
                right, below = _split(normals @ light.direction, shade)
                if right > best[0]:
                    best = (right, light, below)
        around, up, turn, tip = best[1].azimuth, best[1].height, turn / 4, tip / 3
    return best[1], best[2]


def _all(solids: Sequence[Solids], keys: Sequence[Key]) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    normals = [solids[key.number].normals[form] for key in keys for form in key.shade]
    shade = [own for key in keys for own in key.shade.values()]
    if not normals:
        return np.zeros((0, 3), np.float32), np.zeros(0, bool)
    return np.vstack(normals), np.concatenate(shade)


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
        light, below = light_in(solids, keys)
        proposed = [
            {form: (n @ light.direction - below).astype(np.float32) for form, n in one.normals.items()}
            for one in solids
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
