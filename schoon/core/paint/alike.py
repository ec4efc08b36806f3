"""Which patches in doubt are likely of one pot, so that a person is asked about them together.

They need not follow each other from drawing to drawing: the shafts of both boots are one question, and so are the gaps
between the fingers. Boosted trees that were taught on runs with known paint (`bench/train_paint.py`) compare each two of
them; the likeliest are put together first (average linkage).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.hierarchy import fcluster, linkage
from scipy.special import expit

from ..forest import Forest, learnt
from .facts import Facts
from .links import MEASURES, Links

MOST = 600
"""Patches in doubt that are compared with each other, the largest of a run: time and memory grow by the square."""

_ONE_POT = 0.65
"""Chance, in the mean of its pairs, from which on a group is asked about as one. A lower one asks fewer questions, with more
patches among them that have to be taken out: on runs left out both together are fewest from .6 to .7."""

_LINKED = [MEASURES.index("mutual"), MEASURES.index("same")]


@lru_cache(maxsize=1)
def _forest() -> Forest:
    return learnt(__package__, "paint.npz", "alike")


@dataclass(frozen=True)
class Doubtful:
    """What is known of n patches in doubt. drawing: (n,) its place in the run. form: (n, 9) size, place, shape and surroundings.
    beside: (n, pots + 1) shares of the border along each pot, the last along the outside. now: (n, pots) chances.
    linked: (n, n, 2) how well each two go together by the match of their drawings."""

    drawing: NDArray[np.int64]
    form: NDArray[np.float32]
    beside: NDArray[np.float32]
    now: NDArray[np.float32]
    linked: NDArray[np.float32]


def doubtful(
    at: Sequence[tuple[int, int]],
    facts: Mapping[int, Facts],
    now: Mapping[int, NDArray[np.float32]],
    links: Mapping[tuple[int, int], Links],
) -> Doubtful:
    """at: (drawing, patch) of each. now: drawing -> (count + 1, pots). links: (source, target) -> counterparts."""
    drawing, patch = np.array(at, np.int64).reshape(-1, 2).T
    pots = next((of.shape[1] for of in now.values()), 0)
    form, beside, chances = (np.zeros((len(at), width), np.float32) for width in (9, pots + 1, pots))
    rows: dict[int, NDArray[np.int64]] = {}
    for k in np.unique(drawing).tolist():
        here = np.flatnonzero(drawing == k)
        form[here] = _forms(facts[k])[patch[here]]
        beside[here] = _beside(facts[k], now[k])[patch[here]]
        chances[here] = now[k][patch[here]]
        rows[k] = np.full(facts[k].count + 1, -1)
        rows[k][patch[here]] = here
    linked = np.zeros((len(at), len(at), len(_LINKED)), np.float32)
    for (j, k), seen in links.items():
        if j not in rows or k not in rows:
            continue
        a, b = rows[j][seen.source], rows[k][seen.target]
        both = (a >= 0) & (b >= 0)
        np.maximum.at(linked, (a[both], b[both]), seen.worth[both][:, _LINKED])
    return Doubtful(drawing, form, beside, chances, np.maximum(linked, linked.transpose(1, 0, 2)))


def _forms(facts: Facts) -> NDArray[np.float64]:
    edge = np.log1p(facts.around) - np.log(facts.areas + 1.0) / 2
    return np.column_stack(
        [facts.shares, facts.places, facts.spread, facts.bare, np.log1p(facts.neighbours), edge]
    )


def _beside(facts: Facts, now: NDArray[np.float32]) -> NDArray[np.float64]:
    pots = np.pad(now, ((0, 0), (0, 1)))
    pots[facts.background] = np.eye(pots.shape[1])[-1]
    found = facts.beside(pots)
    return np.asarray(found / np.maximum(found.sum(axis=1, keepdims=True), 1e-9))


def measures_of(patches: Doubtful) -> NDArray[np.float32]:
    """(n (n - 1) / 2, measures) what the trees are asked of each two, in the order of `numpy.triu_indices`."""
    a, b = np.triu_indices(len(patches.form), 1)
    form, now = patches.form, patches.now
    off = np.abs(form[a] - form[b])
    x, y = now[a], now[b]
    likeliest, best = now.max(axis=1), now.argmax(axis=1)
    size, bare = form[:, 0], form[:, 6]
    extremes = [of(m[a], m[b]) for m in (size, likeliest, bare) for of in (np.minimum, np.maximum)]
    return np.stack(
        [
            off[:, 0], np.hypot(off[:, 1], off[:, 2]), off[:, 1], off[:, 2], off[:, 3:6].sum(axis=1), *off[:, 6:].T,
            np.minimum(patches.beside[a], patches.beside[b]).sum(axis=1),
            (x * y).sum(axis=1), np.minimum(x, y).sum(axis=1), np.abs(x - y).sum(axis=1),
            np.abs(patches.drawing[a] - patches.drawing[b]), best[a] == best[b], *extremes, *patches.linked[a, b].T,
        ],
        axis=1,
    ).astype(np.float32)  # fmt: skip


def groups(patches: Doubtful) -> NDArray[np.int64]:
    """(n,) the group of each patch, from 0."""
    if len(patches.form) < 2:
        return np.zeros(len(patches.form), np.int64)
    return grouped(expit(_forest().scores(measures_of(patches))[:, 0]))


def grouped(chance: NDArray[np.floating]) -> NDArray[np.int64]:
    """(n,) groups, from (n (n - 1) / 2,) chances that each two are of one pot."""
    return np.asarray(fcluster(linkage(1 - chance, "average"), 1 - _ONE_POT, "distance") - 1, np.int64)
