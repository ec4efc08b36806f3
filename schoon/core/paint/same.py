"""How likely two patches are the same thing by all measures together, and by what their neighbours are.

Boosted trees that were taught on runs with known paint (`bench/train_paint.py`) weigh the measures of `links`; a second
forest sees what the first has said of the patches next to both (relational classification after J. Neville and
D. Jensen, 2000).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.special import expit

from ..forest import Forest, learnt
from .facts import Facts
from .links import FOUND, Links

ROUNDS = ("alone", "beside")
"""Forests that are asked one after the other."""


@lru_cache(maxsize=1)
def forests() -> tuple[Forest, ...]:
    """Those of `ROUNDS`, as shipped."""
    return tuple(learnt(__package__, "same.npz", name) for name in ROUNDS)


def same(links: Links, source: Facts, target: Facts) -> NDArray[np.float32]:
    """(k,) for each of the links the chance that both patches carry the same pot."""
    if not len(links.source):
        return np.zeros(0, np.float32)
    measures = measures_of(links, source, target)
    chance = links.worth[:, 0]
    for k, forest in enumerate(forests()):
        asked = np.concatenate([measures, beside(links, source, target, chance)], axis=1) if k else measures
        chance = expit(forest.scores(asked)[:, 0]).astype(np.float32)
    return chance


def measures_of(links: Links, source: Facts, target: Facts) -> NDArray[np.float32]:
    """(k, measures) what the first forest is asked of each of the links."""
    s, t, worth = links.source, links.target, links.worth[:, : len(FOUND)]
    sizes = source.shares[s] - target.shares[t]
    of_both = [
        sizes, np.abs(sizes), target.shares[t], source.bare[s], target.bare[t], source.bare[s] - target.bare[t],
        source.neighbours[s], target.neighbours[t], np.log1p(source.around[s]) - np.log1p(target.around[t]),
        np.full(len(s), links.kin), s == source.background, np.bincount(t)[t],
    ]  # fmt: skip
    rivals = [rival(worth, t), rival(worth, s)]
    return np.concatenate([worth, *rivals, np.stack(of_both, axis=1)], axis=1).astype(np.float32)


def beside(links: Links, source: Facts, target: Facts, chance: NDArray[np.float32]) -> NDArray[np.float32]:
    """(k, measures) what the second forest is asked besides: how well the patches next to both go together. chance: (k,) what
    the first has said."""
    s, t, count = links.source, links.target, len(links.source)
    at_source, at_target = (_next_to(facts, patches) for facts, patches in ((source, s), (target, t)))
    p, q = at_source.multiply(at_target).nonzero()
    weight = np.sqrt(target.borders)
    inside = target.touching[:, 1] != target.background
    around = np.bincount(target.touching[inside, 0], weight[inside], target.count + 1)
    border = sparse.csr_array((weight, tuple(target.touching.T)), (target.count + 1, target.count + 1))
    best, of, other = _best_by(p, t[q], chance[q])
    by_border = np.bincount(of, best * np.asarray(border[t[of], other]).ravel(), count) / np.maximum(
        around[t], 1e-9
    )
    inner = [
        np.bincount(f.touching[f.touching[:, 1] != f.background, 0], minlength=f.count + 1)
        for f in (source, target)
    ]
    by_number = np.bincount(of, best, count) / np.maximum(inner[1][t], 1)
    back, of, _ = _best_by(p, s[q], chance[q])
    by_source = np.bincount(of, back, count) / np.maximum(inner[0][s], 1)
    likeliest = np.zeros(target.count + 1)
    np.maximum.at(likeliest, t, chance)
    could = np.bincount(
        target.touching[inside, 0], (weight * likeliest[target.touching[:, 1]])[inside], target.count + 1
    )
    of_all = np.stack([by_border, by_source, chance], axis=1)
    found = [
        by_border, by_number, by_source, could[t] / np.maximum(around[t], 1e-9), *rival(of_all, t).T, chance, rival(of_all[:, 2:], s)[:, 0],
    ]  # fmt: skip
    return np.stack(found, axis=1).astype(np.float32)


def _next_to(facts: Facts, patches: NDArray[np.int64]) -> sparse.csr_array:
    """(k, k) which of k patches, some of them named several times, meet; the outside meets none."""
    kept = (facts.touching != facts.background).all(axis=1)
    shape = (facts.count + 1, facts.count + 1)
    table = sparse.csr_array((np.ones(kept.sum()), tuple(facts.touching[kept].T)), shape)
    return table[patches][:, patches]


def _best_by(
    row: NDArray[np.int64], group: NDArray[np.int64], value: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.int64], NDArray[np.int64]]:
    """The greatest value for each pair of row and group, with both."""
    order = np.lexsort((group, row))
    row, group, value = row[order], group[order], value[order]
    if not len(row):
        return value, row, group
    starts = np.flatnonzero(np.r_[True, (np.diff(row) > 0) | (np.diff(group) > 0)])
    return np.maximum.reduceat(value, starts), row[starts], group[starts]


def rival(values: NDArray[np.floating], group: NDArray[np.int64]) -> NDArray[np.floating]:
    """(k, n) for each of (k, n) values the best other one of its group, 0 for the only one."""
    count = int(group.max(initial=0)) + 1
    first, second = (np.zeros((count, values.shape[1]), values.dtype) for _ in range(2))
    order = np.argsort(group, kind="stable")
    starts = np.flatnonzero(np.r_[True, np.diff(group[order]) > 0])
    first[group[order][starts]] = np.maximum.reduceat(values[order], starts, axis=0)
    top = values >= first[group]
    several = np.add.reduceat(top[order].astype(int), starts, axis=0) > 1
    below = np.maximum.reduceat(np.where(top, 0, values)[order], starts, axis=0)
    second[group[order][starts]] = np.where(several, first[group[order][starts]], below)
    return np.where(top, second[group], first[group])
