"""What a mark on the paper is: a line of the drawing, or construction, hatching, a note, dirt.

The chains that were traced are cut into short pieces; what tells them apart (darkness against the picture's own, width,
parallel neighbours, how they meet others, where they lie) is measured here and judged by `judge`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from ..pixels import values_at
from ..strokes import Points, resample
from .area import Area
from .ridges import Ridges
from .rings import rings_of

PIECE = 10.0
"""Length of a piece, px of the working picture."""

_TOUCH = 2.5
"""Px within which chains touch."""

_END = 6.0
"""Px from an end that still belong to it."""

_ASIDE = (2.5, 6.0, 10.0, 16.0, 24.0)
"""Bounds of the distances at which parallel neighbours are counted, px."""

_PARALLEL = 0.94
"""Cosine from which on two pieces are parallel."""

_TEXTURE = 8.0
"""Sigma of the neighbourhood whose texture is measured, px."""

_FINER_THAN = 3.0
"""Px of a picture per sigma of its blur from which on it holds all that is left of it."""


FEATURES = 58
"""What is measured of a piece."""


@dataclass(frozen=True)
class Pieces:
    """Chains cut into pieces.

    points: (n, 2) px, 1 px apart, chain after chain. chain: (n,) which chain each belongs to. piece: (n,) which piece.
    first: (chains,) first piece of each. features: (pieces, FEATURES). lengths: (pieces,) px. on_ring: (chains, rings.PLACES) the
    pieces that are drawn round the ellipse that fits a chain best, -1 for none.
    """

    points: Points
    chain: NDArray[np.int64]
    piece: NDArray[np.int64]
    first: NDArray[np.int64]
    features: NDArray[np.float32]
    lengths: NDArray[np.float64]
    on_ring: NDArray[np.int64]

    @property
    def owners(self) -> NDArray[np.int64]:
        """(pieces,) the chain of each."""
        return np.repeat(np.arange(len(self.first)), np.diff(np.r_[self.first, len(self.lengths)]))


def measure(
    lines: Sequence[Points],
    density: NDArray[np.float32],
    ridges: Ridges,
    chance: NDArray[np.float32],
    on: Area,
) -> Pieces:
    """Cuts chains into pieces and measures them. density: (h, w), not capped. chance: (h, w) as of `evidence.line_chance`. on:
    the part of the rough that all lie on."""
    runs = [resample(line, 1.0) if len(line) > 1 else line for line in lines]
    sizes = np.array([len(run) for run in runs])
    points = np.concatenate(runs)
    chain = np.repeat(np.arange(len(runs)), sizes)
    starts = np.r_[0, np.cumsum(sizes)[:-1]]
    along = np.arange(len(points)) - starts[chain]
    tangent = _tangents(points, starts, sizes)
    counts = np.maximum(1, np.round(sizes / PIECE).astype(int))
    first = np.r_[0, np.cumsum(counts)[:-1]]
    piece = first[chain] + np.minimum(along * counts[chain] // sizes[chain], counts[chain] - 1)
    of_points = _Point(points, tangent, chain, along, sizes)
    chains = _meetings(of_points)
    dark = values_at(cv2.dilate(density, np.ones((3, 3), np.uint8)), points).astype(float)
    rings = rings_of(points, tangent, sizes, dark)
    columns = [
        *_tone(of_points, density, ridges),
        *_parallels(of_points),
        *_texture(of_points, density),
        *(column[chain] for column in chains[0]),
        *_place(of_points, chains[1], on, dark),
        *rings.measures[chain].T,
        values_at(cv2.dilate(chance, np.ones((3, 3), np.uint8)), points),
    ]
    table = np.stack(columns, axis=1)
    weight = np.bincount(piece)
    features = np.stack([np.bincount(piece, column) / weight for column in table.T], axis=1)
    own = np.repeat(np.arange(len(runs)), counts)
    around = _in_context(features, own, weight)
    features = np.concatenate([features, around, _divided(features[:, 0], around[:, 0], weight)], axis=1)
    on_ring = np.where(rings.on >= 0, piece[rings.on], -1)
    return Pieces(points, chain, piece, first, features.astype(np.float32), weight.astype(float), on_ring)


@dataclass(frozen=True)
class _Point:
    """All points: places, unit tangents, chain, number within it; and how many points each chain has."""

    places: Points
    tangent: Points
    chain: NDArray[np.int64]
    along: NDArray[np.int64]
    sizes: NDArray[np.int64]

    @property
    def to_end(self) -> NDArray[np.int64]:
        return np.minimum(self.along, self.sizes[self.chain] - 1 - self.along)


def _tangents(points: Points, starts: NDArray[np.int64], sizes: NDArray[np.int64]) -> Points:
    """Directions over 3 px to both sides, never across from one chain into the next."""
    number = np.arange(len(points))
    chain = np.repeat(np.arange(len(sizes)), sizes)
    last = (starts + sizes - 1)[chain]
    step = points[np.minimum(number + 3, last)] - points[np.maximum(number - 3, starts[chain])]
    return np.asarray(step / np.maximum(np.hypot(*step.T), 1e-9)[:, None])


def _rank(values: NDArray[np.float64]) -> NDArray[np.float64]:
    order = np.empty(len(values))
    order[np.argsort(values, kind="stable")] = np.arange(len(values))
    return order / max(len(values) - 1, 1)


def _tone(of: _Point, density: NDArray[np.float32], ridges: Ridges) -> list[NDArray[np.float64]]:
    """Darkness, contrast, ridge strength and width, each against the picture's own."""
    normal = np.stack([-of.tangent[:, 1], of.tangent[:, 0]], axis=1)
    offsets = np.arange(-8.0, 8.01, 1.0)
    profile = np.stack([values_at(density, of.places + o * normal) for o in offsets], axis=1)
    core = profile[:, 6:11]
    dark = core.max(axis=1)
    beside = np.minimum(profile[:, :4].mean(axis=1), profile[:, -4:].mean(axis=1))
    beyond = np.maximum(profile[:, :4].max(axis=1), profile[:, -4:].max(axis=1))
    width = profile[:, 4:13].sum(axis=1) / np.maximum(dark, 1e-3)
    usual = max(float(np.percentile(dark, 80)), 1e-3)
    ridge = values_at(ridges.strength, of.places)
    return [
        dark / usual, _rank(dark), (dark - beside) / usual, beside / usual, beyond / usual,
        ridge / max(float(np.percentile(ridge, 80)), 1e-3), width, width / max(float(np.median(width)), 1e-3),
        np.full(len(dark), usual), np.full(len(dark), ridges.scale),
    ]  # fmt: skip


def _parallels(of: _Point) -> list[NDArray[np.float64]]:
    """For each band of distances how much of other lines, or farther along the same, runs parallel: on both sides."""
    thin = np.flatnonzero(of.along % 3 == 0)
    places, tangent = of.places[thin], of.tangent[thin]
    found = np.zeros((len(thin), 2, len(_ASIDE) - 1))
    pairs = cKDTree(places).query_pairs(_ASIDE[-1], output_type="ndarray")
    if len(pairs):
        a, b = np.concatenate([pairs, pairs[:, ::-1]]).T
        gap = places[b] - places[a]
        ahead = np.abs((gap * tangent[a]).sum(axis=1))
        aside = gap[:, 1] * tangent[a, 0] - gap[:, 0] * tangent[a, 1]
        far = np.abs(of.along[thin[a]] - of.along[thin[b]]) > 2 * _ASIDE[-1]
        keep = (np.abs((tangent[a] * tangent[b]).sum(axis=1)) > _PARALLEL) & (ahead < 2.0)
        keep &= (of.chain[thin[a]] != of.chain[thin[b]]) | far
        band = np.searchsorted(_ASIDE, np.abs(aside)) - 1
        keep &= (band >= 0) & (band < len(_ASIDE) - 1)
        cell = (2 * a[keep] + (aside[keep] > 0)) * (len(_ASIDE) - 1) + band[keep]
        found = np.bincount(cell, minlength=found.size).reshape(found.shape).astype(float)
    found = np.minimum(found, 2.0)
    near = np.zeros(len(of.places), int)
    near[thin] = 1
    index = np.maximum(np.cumsum(near) - 1, 0)
    both = found.sum(axis=1)[index]
    total = found.sum(axis=2)[index]
    return [*both.T, np.minimum(*total.T), np.maximum(*total.T)]


def _texture(of: _Point, density: NDArray[np.float32]) -> list[NDArray[np.float64]]:
    """How much is drawn round a place, and how much of it in one direction: hatching is much in one."""
    capped = np.minimum(density, 0.6)
    smooth = cv2.GaussianBlur(capped, (0, 0), 1.0)
    dx, dy = cv2.Sobel(smooth, cv2.CV_32F, 1, 0), cv2.Sobel(smooth, cv2.CV_32F, 0, 1)
    (xx, places), (yy, _), (xy, _) = (
        _round_about(v, _TEXTURE, of.places) for v in (dx * dx, dy * dy, dx * dy)
    )
    turn = np.arctan2(2 * xy, xx - yy)
    e, s = values_at(xx + yy, places), values_at(np.hypot(xx - yy, 2 * xy), places)
    own = 2 * np.arctan2(of.tangent[:, 0], -of.tangent[:, 1])
    aligned = values_at(np.cos(turn), places) * np.cos(own) + values_at(np.sin(turn), places) * np.sin(own)
    usual = max(float(np.median(e)), 1e-9)
    cover = [values_at(*_round_about(capped, sigma, of.places)) for sigma in (6.0, 16.0)]
    return [e / usual, s / np.maximum(e, 1e-9), aligned, *cover]


def _round_about(
    picture: NDArray[np.float32], sigma: float, places: Points
) -> tuple[NDArray[np.float32], Points]:
    """A picture blurred by `sigma` px, at the size that holds what is left, and places in it."""
    shrink = max(1, int(sigma / _FINER_THAN))
    rows, columns = (-(-n // shrink) for n in picture.shape)
    small = cv2.resize(picture, (columns, rows), interpolation=cv2.INTER_AREA)
    share = np.array([columns / picture.shape[1], rows / picture.shape[0]])
    return cv2.GaussianBlur(small, (0, 0), sigma / shrink), (places + 0.5) * share - 0.5


def _meetings(of: _Point) -> tuple[list[NDArray[np.float64]], NDArray[np.int64]]:
    """Per chain how it meets others, and its shape; and which chains hang together."""
    count = len(of.sizes)
    pairs = cKDTree(of.places).query_pairs(_TOUCH, output_type="ndarray")
    a, b = np.concatenate([pairs, pairs[:, ::-1]]).T if len(pairs) else np.zeros((2, 0), int)
    other = of.chain[a] != of.chain[b]
    a, b = a[other], b[other]
    mine, theirs = of.to_end[a] > _END, of.to_end[b] > _END
    flags = np.zeros((4, len(of.places)), bool)
    for row, kind in enumerate((mine & theirs, mine & ~theirs, ~mine & theirs, ~mine & ~theirs)):
        flags[row, a[kind]] = True
    new = of.along == 0
    events = []
    for flag in flags:
        begins = flag & (new | ~np.r_[False, flag[:-1]])
        events.append(np.bincount(of.chain[begins], minlength=count).astype(float))
    length = of.sizes.astype(float)
    per = 100.0 / np.maximum(length, 20.0)
    starts = np.r_[0, np.cumsum(of.sizes)[:-1]]
    chord = np.hypot(*(of.places[starts] - of.places[starts + of.sizes - 1]).T)
    closed = (chord < 1.5) & (length > 12)
    turn = np.zeros(len(of.places))
    same = of.chain[1:] == of.chain[:-1]
    cross = of.tangent[:-1, 0] * of.tangent[1:, 1] - of.tangent[:-1, 1] * of.tangent[1:, 0]
    turn[1:][same] = cross[same]
    mean = np.bincount(of.chain, turn, count) / length
    square = np.bincount(of.chain, turn * turn, count) / length
    _, group = connected_components(
        coo_array((np.ones(len(a)), (of.chain[a], of.chain[b])), (count, count)), False
    )
    shape = [
        np.log(length), events[0] * per, events[1] * per, np.minimum(events[2], 2), np.minimum(events[3], 2),
        closed.astype(float), chord / length, np.abs(mean), np.sqrt(np.maximum(square - mean * mean, 0)),
    ]  # fmt: skip
    return shape, group


def _place(
    of: _Point, group: NDArray[np.int64], on: Area, dark: NDArray[np.float64]
) -> list[NDArray[np.float64]]:
    """Where a mark lies: from the rim of the picture and from the figure, in shares of the figure; and what it hangs
    together with."""
    own = group[of.chain]
    size = np.bincount(own).astype(float)
    tone = np.bincount(own, np.minimum(dark, 1.0)) / size
    main = int((size * tone).argmax())
    figure = of.places[own == main]
    span = max(float(np.hypot(*(figure.max(axis=0) - figure.min(axis=0)))), 20.0)
    away = cKDTree(figure).query(of.places)[0] / span
    low = np.stack([ndi.minimum(v, own, np.arange(len(size))) for v in of.places.T])
    high = np.stack([ndi.maximum(v, own, np.arange(len(size))) for v in of.places.T])
    extent = np.hypot(*(high - low)) / span
    return [
        on.to_rim(of.places), away, np.log(size)[own], size[own] / size[main], tone[own] / max(tone[main], 1e-3), extent[own],
        (size[own] / np.maximum(extent[own] * span, 4.0)),
    ]  # fmt: skip


def _in_context(
    features: NDArray[np.float64], chain: NDArray[np.int64], weight: NDArray[np.int64]
) -> NDArray[np.float64]:
    """Tone, width, parallels and chance of a piece's whole chain, and how the piece differs from it."""
    # Darkness, its rank, contrast, ridge and width of `_tone`; parallels on the side with fewer and with more; chance.
    columns = features[:, [0, 1, 2, 5, 6, 14, 15, -1]]
    total = np.bincount(chain, weight)
    mean = np.stack([np.bincount(chain, c * weight) / total for c in columns.T], axis=1)[chain]
    least = ndi.minimum(features[:, 0], chain, np.arange(chain.max() + 1))[chain]
    apart = columns[:, [0, 1, -1]] - mean[:, [0, 1, -1]]
    return np.concatenate([mean, least[:, None], apart], axis=1)


def _divided(
    dark: NDArray[np.float64], chains: NDArray[np.float64], weight: NDArray[np.int64]
) -> NDArray[np.float64]:
    """(pieces, 4) how far each piece and its chain lie above the darkness that parts the picture's marks best into light and dark
    ones (N. Otsu, 1979); how well it parts them, 0..1; and how unlike the dark ones are. An even hand is told from a lively one."""
    order = np.argsort(chains, kind="stable")
    sorted_, w = chains[order], weight[order].astype(float)
    below, total = np.cumsum(w)[:-1], w.sum()
    sums = np.cumsum(w * sorted_)
    all_of_it = max(float((w * (sorted_ - sums[-1] / total) ** 2).sum()), 1e-9)
    if not len(below):
        return np.zeros((len(dark), 4))
    light, firm = sums[:-1] / below, (sums[-1] - sums[:-1]) / (total - below)
    between = below * (total - below) / total * (firm - light) ** 2
    best = int(between.argmax())
    part = (light[best] + firm[best]) / 2
    unlike = np.sqrt(np.average((sorted_[best + 1 :] - firm[best]) ** 2, weights=w[best + 1 :]))
    share = np.full(len(dark), between[best] / all_of_it)
    return np.stack([dark - part, chains - part, share, np.full(len(dark), unlike)], axis=1)
