"""Where the lines of a rough run: orientation-coherent ridge detection.

Curvilinear structure detection (C. Steger, 1998) with smoothing that is long along the line and short across
it (after H. Kang, S. Lee and C. K. Chui, 2007), so that the searching strokes of one line fuse while
neighbouring contours stay apart.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy import ndimage as ndi

from ..pixels import values_at
from ..strokes import Points

ORIENTATIONS = 12

BARE = 0.02
"""Density up to which paper is bare."""

_ELONGATION = 2.5
"""How much longer than wide the smoothing is."""

_UNIT = np.float32(np.sqrt(2 * np.pi) / (2 * np.exp(-0.5)))

_WIDEST = 4.0
"""Largest sigma that `Bank` answers for, px."""

_HALF_FROM = 2.0
"""From this sigma on half the resolution holds all there is."""


_SHADE, _BESIDE = 3.0, 0.25
"""Sigmas round a place within which a ridge has to have this share of the strongest one to count."""


@dataclass(frozen=True)
class Ridges:
    """strength: (h, w) ridge response, about the mean density of a line as wide as the scale.
    scale: sigma across the line, px.
    """

    strength: NDArray[np.float32]
    scale: float


class Bank:
    """Ridge responses of one density picture at any scale; its spectrum is taken once."""

    def __init__(self, density: NDArray[np.float32]) -> None:
        """density: (h, w)."""
        self._shape = density.shape
        self._answers: dict[float, Ridges] = {}
        marked = cv2.boundingRect((density > BARE).astype(np.uint8))
        self._margin = int(np.ceil(3 * _ELONGATION * _WIDEST))
        x, y, w, h = marked
        # Bare paper farther round the drawing answers nothing.
        near = int(np.ceil(3 * _WIDEST))
        self._box = np.s_[max(0, y - near) : y + h + near, max(0, x - near) : x + w + near]
        m = self._margin
        framed = cv2.copyMakeBorder(density[self._box], m, m, m, m, cv2.BORDER_REPLICATE)
        even = [2 * fft.next_fast_len(-(-n // 2), real=True) for n in framed.shape]
        self._size = (even[0], even[1])
        self._spectrum = fft.rfft2(framed, s=self._size)

    def detect(self, scale: float) -> Ridges:
        """Ridges at one scale: sigma across the line, px, 0.5 to 4. Raises ValueError outside of that."""
        if not 0.5 <= scale <= _WIDEST:
            raise ValueError(f"the scale has to lie between 0.5 and {_WIDEST} px")
        if scale not in self._answers:
            self._answers[scale] = Ridges(self._strength(scale), scale)
        return self._answers[scale]

    def _strength(self, scale: float) -> NDArray[np.float32]:
        shrink = 2 if scale >= _HALF_FROM else 1
        rows, columns = (n // shrink for n in self._size)
        spectrum = self._spectrum[:, : columns // 2 + 1]
        if shrink > 1:
            # Leaving the high frequencies out is decimation without loss at this scale.
            spectrum = np.concatenate([spectrum[: rows // 2], spectrum[-(rows - rows // 2) :]])
            spectrum[rows // 2] = 0
            spectrum = spectrum / (shrink * shrink)
        fy = (2 * np.pi / shrink * fft.fftfreq(rows)).astype(np.float32)[:, None]
        fx = (2 * np.pi / shrink * fft.rfftfreq(columns)).astype(np.float32)[None]
        best = None
        for number in range(ORIENTATIONS // 2 + 1):
            turn = np.pi * number / ORIENTATIONS
            along = _ELONGATION * scale * (fx * np.float32(np.cos(turn)) + fy * np.float32(np.sin(turn)))
            across = scale * (fy * np.float32(np.cos(turn)) - fx * np.float32(np.sin(turn)))
            across *= across
            along *= along
            along += across
            # Spectrum of a second derivative of a Gaussian across and a Gaussian along; a long line of
            # half-width `scale` and density 1 answers 1.
            along *= -0.5
            across *= _UNIT
            across *= np.exp(along, out=along)
            # The same turned the other way about is its mirror image, from the second row on.
            turned = (
                [across] if turn in (0, np.pi / 2) else [across, np.concatenate([across[:1], across[:0:-1]])]
            )
            for filter_ in turned:
                answer = fft.irfft2(spectrum * filter_, s=(rows, columns))
                best = answer if best is None else np.maximum(best, answer, out=best)
        height, width = self._shape[0], self._shape[1]
        full = np.zeros((height, width), np.float32)
        assert best is not None
        h, w = full[self._box].shape
        if shrink > 1:
            move = np.array([[1 / shrink, 0, self._margin / shrink], [0, 1 / shrink, self._margin / shrink]])
            inner = cv2.warpAffine(
                best.astype(np.float32), move, (w, h), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
            )
        else:
            inner = best[self._margin : self._margin + h, self._margin : self._margin + w]
        full[self._box] = np.maximum(inner, 0)
        return full


def centre_mask(ridges: Ridges, low: float, high: float) -> NDArray[np.bool_]:
    """(h, w) mask of ridge bodies: above `low`, and connected to a place above `high` or long.

    Grain makes short ridges only, so a long one is a line however lightly it was drawn.
    """
    reach = 2 * round(_SHADE * ridges.scale) + 1
    near = cv2.dilate(ridges.strength, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (reach, reach)))
    # A firm line does not grow broad for a low threshold's sake, nor swallow its neighbour.
    body = (ridges.strength > np.maximum(low, _BESIDE * near)).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(body, connectivity=8)
    extent = stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(axis=1)
    strong = extent > 16 * ridges.scale
    strong[np.unique(labels[ridges.strength > high])] = True
    strong[0] = False
    return np.asarray(strong[labels])


def settle(lines: Sequence[Points], density: NDArray[np.float32], window: float) -> list[Points]:
    """Moves the points of polylines, (k, 2) px, across them into the middle of the strokes that search for each.

    density: capped by the caller, for a light stroke says as much about where the line runs as a dark one.
    window: sigma in px of how far to the sides strokes still belong to the line. Each point goes to the weighted
    mean of the density across the line (mean shift); the shifts are smoothed along the line, so that one stroke
    of the bundle that ends does not make a step. Lines of less than 5 points stay.
    """
    found = list(lines)
    many = [k for k, line in enumerate(lines) if len(line) >= 5]
    if not many:
        return found
    cuts = np.cumsum([len(lines[k]) for k in many])[:-1]
    offsets = np.arange(-2.0 * window, 2.0 * window + 0.01, 0.5)
    for _ in range(2):
        points = np.concatenate([found[k] for k in many])
        tangent = np.concatenate([np.gradient(found[k], axis=0) for k in many])
        tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
        normal = np.c_[-tangent[:, 1], tangent[:, 0]]
        profile = values_at(density, points[:, None, :] + offsets[None, :, None] * normal[:, None, :])
        weights = profile * np.exp(-0.5 * (offsets / window) ** 2)
        total = weights.sum(axis=1)
        shift = np.where(total > 0.05, (weights * offsets).sum(axis=1) / np.maximum(total, 0.05), 0.0)
        even = [ndi.gaussian_filter1d(part, 2.0 * window, mode="nearest") for part in np.split(shift, cuts)]
        points = points + np.clip(np.concatenate(even), -window, window)[:, None] * normal
        for k, part in zip(many, np.split(points, cuts), strict=True):
            found[k] = part
    return found
