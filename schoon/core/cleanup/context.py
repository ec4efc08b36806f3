"""What is thought of the marks about a mark: of its chain, of what it meets and runs beside, of the ball it may be part of."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from scipy.special import expit

from .marks import Pieces

CONTEXT = 19
"""What is measured of a piece."""

_SURE = 4.6
"""Log odds beyond which nothing is surer."""

_NEXT = 3
"""Pieces of the same chain before and behind that are its neighbours."""

_TOUCH = 4.0
"""Px within which pieces of two chains meet."""

_BESIDE = 24.0
"""Px between the middles of pieces that lie beside each other."""

_PARALLEL, _CROSSING = 0.94, 0.6
"""Cosines from which on and up to which pieces run alike and across."""

_DARK, _WIDTH = 0, 6
"""Columns of `Pieces.features`: how dark and how wide a piece is."""


def among_others(pieces: Pieces, odds: NDArray[np.float64]) -> NDArray[np.float32]:
    """(pieces, FEATURES + CONTEXT) what pieces are judged by once something is thought of all of them: as `in_context`, behind what
    each shows itself."""
    return np.hstack([pieces.features, in_context(pieces, odds)])


def in_context(pieces: Pieces, odds: NDArray[np.float64]) -> NDArray[np.float32]:
    """(pieces, CONTEXT). odds: (pieces,) log odds of being line, by what each shows itself."""
    odds = np.clip(odds, -_SURE, _SURE)
    chance = expit(odds)
    weight, own = pieces.lengths, pieces.owners
    chains = len(pieces.first)
    total = np.bincount(own, weight, chains)
    of_chain = np.bincount(own, odds * weight, chains) / total
    square = np.bincount(own, odds**2 * weight, chains) / total
    met, meets = _mean_of(_meeting(pieces), odds)
    of_meetings = np.bincount(own, met * meets, chains) / np.maximum(np.bincount(own, meets, chains), 1)
    alike, across = _beside(pieces)
    beside, besides = _mean_of(alike, odds)
    crossed, crosses = _mean_of(across, odds)
    drawn = pieces.on_ring >= 0
    ring = (odds[pieces.on_ring] * drawn).sum(axis=1) / np.maximum(drawn.sum(axis=1), 1)
    columns = [
        odds, of_chain[own], np.sqrt(np.maximum(square - of_chain**2, 0))[own], *_along(own, odds),
        met, np.minimum(meets, 30), of_meetings[own], beside, np.minimum(besides, 12), crossed, np.minimum(crosses, 12), ring[own],
        *_beside_lines(pieces.features[:, _DARK], chance, weight, own),
        *_beside_lines(pieces.features[:, _WIDTH], chance, weight, own)[:2],
        np.full(len(odds), np.average(chance, weights=weight)),
    ]  # fmt: skip
    return np.stack(columns, axis=1).astype(np.float32)


def _along(own: NDArray[np.int64], odds: NDArray[np.float64]) -> list[NDArray[np.float64]]:
    """What is thought of the pieces before and behind, the mean and the least."""
    total, count = np.zeros(len(odds)), np.zeros(len(odds))
    least = odds.copy()
    for step in range(1, min(_NEXT, len(odds) - 1) + 1):
        same = own[step:] == own[:-step]
        for here, there in ((slice(step, None), slice(None, -step)), (slice(None, -step), slice(step, None))):
            total[here] += odds[there] * same
            count[here] += same
            least[here] = np.where(same, np.minimum(least[here], odds[there]), least[here])
    return [np.where(count > 0, total / np.maximum(count, 1), odds), least]


def _meeting(pieces: Pieces) -> NDArray[np.int64]:
    """(k, 2) pieces of two chains that meet, once for each pair of points, both ways."""
    pairs = cKDTree(pieces.points).query_pairs(_TOUCH, output_type="ndarray")
    pairs = pairs[pieces.chain[pairs[:, 0]] != pieces.chain[pairs[:, 1]]]
    return pieces.piece[np.concatenate([pairs, pairs[:, ::-1]])]


def _beside(pieces: Pieces) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """(k, 2) pieces of two chains that lie beside each other, both ways: those that run alike, and across."""
    count = len(pieces.lengths)
    middle = (
        np.stack([np.bincount(pieces.piece, v, count) for v in pieces.points.T], axis=1)
        / pieces.lengths[:, None]
    )
    begin = np.r_[0, np.flatnonzero(np.diff(pieces.piece)) + 1]
    end = np.r_[begin[1:], len(pieces.points)] - 1
    way = pieces.points[end] - pieces.points[begin]
    way /= np.maximum(np.hypot(*way.T), 1e-9)[:, None]
    pairs = cKDTree(middle).query_pairs(_BESIDE, output_type="ndarray")
    own = pieces.owners
    pairs = pairs[own[pairs[:, 0]] != own[pairs[:, 1]]]
    cosine = np.abs((way[pairs[:, 0]] * way[pairs[:, 1]]).sum(axis=1))
    alike, across = pairs[cosine > _PARALLEL], pairs[cosine < _CROSSING]
    return np.concatenate([alike, alike[:, ::-1]]), np.concatenate([across, across[:, ::-1]])


def _mean_of(
    pairs: NDArray[np.int64], odds: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(pieces,) the mean of the others of its pairs, 0 without any; and how many there are."""
    count = np.bincount(pairs[:, 0], minlength=len(odds)).astype(float)
    total = np.bincount(pairs[:, 0], odds[pairs[:, 1]], len(odds))
    return total / np.maximum(count, 1), count


def _beside_lines(
    values: NDArray[np.floating],
    chance: NDArray[np.float64],
    weight: NDArray[np.float64],
    own: NDArray[np.int64],
) -> list[NDArray[np.float64]]:
    """A piece and its chain beside what is thought to be lines, and the piece beside what is thought to be none."""
    line, other = chance * weight + 1e-6, (1 - chance) * weight + 1e-6
    lines, others = np.average(values, weights=line), np.average(values, weights=other)
    chains = (np.bincount(own, values * weight) / np.bincount(own, weight))[own]
    return [values - lines, chains - lines, values - others]
