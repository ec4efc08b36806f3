"""Colours read from pictures: flat colours of a sheet, one colour at a place, a colour key from a painted picture."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment
from skimage.color import deltaE_ciede2000, rgb2lab

from . import Rgb
from .light import encoded, linear

_WORKING_SIDE = 720
"""Longest side in px of the picture colours are looked for in."""

_FLAT = 5.0
"""Lab difference to the neighbouring pixels up to which a pixel lies in a flat area: above the noise of JPEG."""

_ALIKE = 5.0
"""CIEDE2000 within which pixels are of one flat colour, if the picture is smeared."""

_EXACT = 0.9
"""Share of the flat area that a few exact colours cover in a picture that is not smeared."""

_FEW = 20
"""Pixels of one exact colour that are no accident."""

_ECHOES = 6
"""Faint copies of colours from which on a picture is called smeared."""

_BY_PLACE = 0.7
"""How well colours have to agree with the pots of a drawing, beyond chance, to be taken from their places."""

_TOO_FAR = 14.0
"""CIEDE2000 beyond which a pot is not taken to be in a key picture."""


@dataclass(frozen=True)
class FlatColour:
    """share: 0..1 of the flat area. at: (x, y) px, a place that has it."""

    colour: Rgb
    share: float
    at: tuple[float, float]


@dataclass(frozen=True)
class FlatColours:
    """colours: largest share first. smeared: antialiasing, noise or JPEG have mixed the colours."""

    colours: list[FlatColour]
    smeared: bool


def flat_colours(picture: NDArray[np.uint8], most: int = 60, least: float = 0.0002) -> FlatColours:
    """The flat colours of an (h, w, 3 or 4) picture; transparent places are left out. least: share of the flat area."""
    shrink = max(1.0, max(picture.shape[:2]) / _WORKING_SIDE)
    size = (max(1, round(picture.shape[1] / shrink)), max(1, round(picture.shape[0] / shrink)))
    # Nearest, not averaged: no colours that are not in the picture.
    small = cv2.resize(picture, size, interpolation=cv2.INTER_NEAREST)
    rgb = np.ascontiguousarray(small[..., :3])
    lab = rgb2lab(rgb).astype(np.float32)
    spread = np.max([cv2.dilate(lab[..., k], _BOX) - cv2.erode(lab[..., k], _BOX) for k in range(3)], axis=0)
    flat = spread < _FLAT
    if small.shape[2] == 4:
        flat &= cv2.erode(small[..., 3], _BOX) > 250
    if not flat.any():
        return FlatColours([], True)
    pixels = rgb[flat]
    code = pixels.astype(np.int32) @ np.array([65536, 256, 1])
    _, where, counts = np.unique(code, return_inverse=True, return_counts=True)
    # The largest colour is often an untouched backdrop and says nothing.
    drawn = np.delete(counts, counts.argmax())
    smeared = bool(drawn[drawn >= _FEW].sum() < _EXACT * drawn.sum()) or _has_echoes(pixels, where, counts)
    if smeared:
        _, where, counts = np.unique(
            (pixels >> 3) @ np.array([1024, 32, 1]), return_inverse=True, return_counts=True
        )
    middle = np.stack([np.bincount(where, weights=pixels[:, k]) / counts for k in range(3)], axis=1)
    left = np.ones(len(counts), bool)
    bin_lab = rgb2lab(middle[None] / 255)[0]
    depth = cv2.distanceTransform(np.pad(flat, 1).astype(np.uint8), cv2.DIST_L2, 3)[1:-1, 1:-1][flat]
    rows, cols = np.nonzero(flat)
    found: list[FlatColour] = []
    for first in np.argsort(-counts, kind="stable"):
        if len(found) == most or (not smeared and counts[first] < _FEW):
            break
        if not left[first]:
            continue
        alike = np.arange(len(counts)) == first
        if smeared:
            alike = left & (deltaE_ciede2000(bin_lab, bin_lab[first][None]) < _ALIKE)
        left &= ~alike
        members = alike[where]
        share = float(members.mean())
        if share < least and members.sum() < _FEW:
            continue
        r, g, b = np.median(pixels[members], axis=0).round().astype(int).tolist()
        deepest = int(np.where(members, depth, -1).argmax())
        at = ((cols[deepest] + 0.5) * shrink, (rows[deepest] + 0.5) * shrink)
        found.append(FlatColour((r, g, b), share, at))
    found.sort(key=lambda item: -item.share)
    return FlatColours(found, smeared)


def _has_echoes(pixels: NDArray[np.uint8], where: NDArray[np.int64], counts: NDArray[np.int64]) -> bool:
    """Whether many colours come with faint copies of themselves, as compression leaves them beside edges."""
    first = np.zeros(len(counts), np.int64)
    first[where[::-1]] = np.arange(len(where))[::-1]
    often = np.argsort(-counts)[:200]
    often = often[counts[often] >= _FEW // 2]
    lab = rgb2lab(pixels[first[often]][None])[0]
    apart = deltaE_ciede2000(lab[:, None], lab[None])
    echo = (apart < _ALIKE) & (counts[often][None] > 5 * counts[often][:, None])
    return bool(echo.any(axis=1).sum() >= _ECHOES)


_BOX = np.ones((3, 3), np.uint8)


def colour_at(picture: NDArray[np.uint8], x: float, y: float, reach: int = 9) -> Rgb:
    """The colour at a place of an (h, w, 3 or 4) picture: the middle of what is alike round it, so that grain and edges
    do not count. Raises ValueError outside the picture and where it is transparent."""
    height, width = picture.shape[:2]
    col, row = int(np.floor(x)), int(np.floor(y))
    if not (0 <= col < width and 0 <= row < height):
        raise ValueError("outside the picture")
    if picture.shape[2] == 4 and picture[row, col, 3] < 128:
        raise ValueError("transparent here")
    near = picture[max(0, row - reach) : row + reach + 1, max(0, col - reach) : col + reach + 1]
    seen = near.reshape(-1, picture.shape[2])
    if picture.shape[2] == 4:
        seen = seen[seen[:, 3] > 250]
    lab = rgb2lab(seen[None, :, :3])[0] if len(seen) else np.zeros((0, 3))
    here = rgb2lab(picture[row, col, :3][None, None])[0, 0]
    alike = seen[deltaE_ciede2000(lab, here[None]) < _ALIKE] if len(seen) else seen
    if not len(alike):
        alike = picture[row, col][None]
    r, g, b = np.median(alike[:, :3], axis=0).round().astype(int).tolist()
    return r, g, b


@dataclass(frozen=True)
class KeyFromPicture:
    """colours: pot -> its colour. seen: the pots whose colour is in the picture; the others follow the light that these
    have. smeared: as in `FlatColours`."""

    colours: dict[int, Rgb]
    seen: frozenset[int]
    smeared: bool


def key_by_place(
    picture: NDArray[np.uint8], pots: NDArray[np.int64], colours: Mapping[int, Rgb]
) -> KeyFromPicture | None:
    """A colour key from an (h, w, 3 or 4) picture that shows a drawing painted in other colours, in any size.

    pots: (h', w') pot of each pixel of that drawing, 0 where there is none. colours: the pots in a known key. Pots that
    are not in the drawing follow the light of the others. None if the picture does not show this drawing.
    """
    if abs(np.log(picture.shape[1] / picture.shape[0] * pots.shape[0] / pots.shape[1])) > 0.05:
        return None
    small = cv2.resize(picture, pots.shape[::-1], interpolation=cv2.INTER_NEAREST)
    border = cv2.morphologyEx(pots.astype(np.float32), cv2.MORPH_GRADIENT, _BOX) > 0
    depth = cv2.distanceTransform((~border).astype(np.uint8), cv2.DIST_L2, 3)
    known: dict[int, Rgb] = {}
    agreeing, seen = 0, []
    for pot in np.unique(pots[pots > 0]).tolist():
        rows, cols = np.nonzero(pots == pot)
        deep = depth[rows, cols]
        # Away from the lines, where a picture of another size shows the same patch for certain.
        well_inside = deep >= min(6.0, 0.5 * float(deep.max()))
        pixels = small[rows[well_inside], cols[well_inside], :3]
        lab = rgb2lab(pixels[None])[0]
        middle = np.median(lab, axis=0)
        alike = deltaE_ciede2000(lab, middle[None]) < _ALIKE
        agreeing += int(alike.sum())
        seen.append(lab)
        if pot in colours and alike.any():
            r, g, b = np.median(pixels[alike], axis=0).round().astype(int).tolist()
            known[pot] = (r, g, b)
    if not known:
        return None
    every = np.vstack(seen)
    share = agreeing / len(every)
    chance = max(
        float((deltaE_ciede2000(every, np.median(lab, axis=0)[None]) < _ALIKE).mean()) for lab in seen
    )
    if chance > 0.98 or (share - chance) / (1 - chance) < _BY_PLACE:
        return None
    gain = _gain(_linear_of([colours[pot] for pot in known]), _linear_of(list(known.values())))
    other = {pot: _lit(colour, gain) for pot, colour in colours.items() if pot not in known}
    smeared = flat_colours(picture).smeared
    return KeyFromPicture({**known, **other}, frozenset(known), smeared)


def key_from_picture(
    picture: NDArray[np.uint8], colours: Mapping[int, Rgb], expected: Mapping[int, float] | None = None
) -> KeyFromPicture:
    """A colour key from an (h, w, 3 or 4) picture of the model painted in another light.

    colours: the pots in a key that is known. expected: pot -> share 0..1 of the painted area, where the model says so.
    The flat colours of the picture are given to pots so that one light, a gain of each channel in linear light,
    explains them best; light and assignment are found in turn (after P. J. Besl and N. D. McKay, 1992).
    Raises ValueError if the picture has no flat colours.
    """
    found = flat_colours(picture)
    if not found.colours:
        raise ValueError("no flat colours")
    pots = list(colours)
    known = _linear_of([colours[pot] for pot in pots])
    seen = _linear_of([item.colour for item in found.colours])
    share = np.array([item.share for item in found.colours])
    wanted = np.array([(expected or {}).get(pot, np.nan) for pot in pots])
    best: tuple[float, NDArray[np.float64], NDArray[np.int64], NDArray[np.float64]] | None = None
    for start in _starts(known, seen, share):
        gain = start
        for _ in range(8):
            cost = _apart(known * gain, seen)
            cost = cost + np.nan_to_num(3 * np.abs(np.log((share[None] + 0.003) / (wanted[:, None] + 0.003))))
            given = _assign(cost)
            near = (given >= 0) & (cost[np.arange(len(pots)), given] < 2 * _TOO_FAR)
            if not near.any():
                break
            gain = _gain(known[near], seen[given[near]])
        cost = _apart(known * gain, seen)
        given = _assign(cost)
        off = np.where(given >= 0, cost[np.arange(len(pots)), given], _TOO_FAR)
        # Large areas of the picture have to be explained, small ones may be anything.
        explained = np.zeros(len(share), bool)
        explained[given[(given >= 0) & (off < _TOO_FAR)]] = True
        value = float(np.minimum(off, _TOO_FAR).mean() + _TOO_FAR * share[~explained].sum())
        if best is None or value < best[0]:
            best = (value, gain, given, off)
    assert best is not None
    _, gain, given, off = best
    taken: dict[int, Rgb] = {}
    in_picture = (given >= 0) & (off < _TOO_FAR)
    for k, pot in enumerate(pots):
        taken[pot] = found.colours[int(given[k])].colour if in_picture[k] else _lit(colours[pot], gain)
    seen_pots = frozenset(pot for k, pot in enumerate(pots) if in_picture[k])
    return KeyFromPicture(taken, seen_pots, found.smeared)


def _linear_of(colours: Sequence[Rgb]) -> NDArray[np.float64]:
    return linear(np.array(colours, float).reshape(-1, 3) / 255)


def _lit(colour: Rgb, gain: NDArray[np.float64]) -> Rgb:
    lit = encoded(_linear_of([colour])[0] * gain)
    r, g, b = (np.clip(lit, 0, 1) * 255).round().astype(int).tolist()
    return r, g, b


def _starts(
    known: NDArray[np.float64], seen: NDArray[np.float64], share: NDArray[np.float64]
) -> list[NDArray[np.float64]]:
    """Lights to try: none, several darknesses of the mean, and each large colour of the picture taken for each pot."""
    mean = (seen * share[:, None]).sum(axis=0) / share.sum()
    starts = [np.ones(3), *(np.full(3, dark) for dark in (0.6, 0.35, 0.2))]
    starts += [np.clip(mean / np.maximum(known.mean(axis=0), 1e-3) * k, 0.02, 4) for k in (0.7, 1.0, 1.5)]
    for item in seen[:4]:
        starts += [np.clip(item / np.maximum(pot, 1e-3), 0.02, 4) for pot in known]
    return starts


def _apart(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    """(len(a), len(b)) CIEDE2000 of colours in linear light."""
    lab_a, lab_b = (rgb2lab(np.clip(encoded(x), 0, 1)[None])[0] for x in (a, b))
    return np.asarray(deltaE_ciede2000(lab_a[:, None], lab_b[None]))


def _assign(cost: NDArray[np.float64]) -> NDArray[np.int64]:
    """For each row its column, -1 where none is left; each column is given once."""
    given = np.full(cost.shape[0], -1)
    rows, columns = linear_sum_assignment(np.minimum(cost, 3 * _TOO_FAR))
    given[rows] = columns
    return given


def _gain(known: NDArray[np.float64], seen: NDArray[np.float64]) -> NDArray[np.float64]:
    """The gain of each channel that takes the known colours to the seen ones; outliers count little."""
    ratio = (seen + 0.01) / (known + 0.01)
    return np.asarray(np.clip(np.median(ratio, axis=0), 0.02, 4))
