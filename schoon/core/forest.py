"""Boosted trees as plain numbers: what the training scripts in `bench` have learnt, asked without the package that
learnt it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from importlib import resources
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.special import expit, logsumexp, softmax

_AT_ONCE = 100_000
"""Samples times inner nodes that are looked at together, so that they stay near at hand in the machine."""


@dataclass(frozen=True)
class Forest:
    """Gradient-boosted trees (J. H. Friedman, 2001) for one or several classes.

    feature, below, left, right, value: (trees, nodes); a node with left 0 is a leaf. A sample goes left where its
    feature is at most `below`. start: (classes,) score before any tree. Trees of the classes take turns.
    """

    feature: NDArray[np.int16]
    below: NDArray[np.float32]
    left: NDArray[np.int16]
    right: NDArray[np.int16]
    value: NDArray[np.float32]
    start: NDArray[np.float64]

    def leaves(self, samples: NDArray[np.float32]) -> NDArray[np.int64]:
        """(n, trees) the leaf of each tree that each of (n, features) samples comes to."""
        ways = self._ways
        trees, inner = ways.feature.shape
        columns = np.ascontiguousarray(samples.T)
        found = np.zeros((trees, len(samples)), np.int64)
        at_once = max(1, _AT_ONCE // max(1, inner * len(samples)))
        for some in (slice(first, first + at_once) for first in range(0, trees, at_once)):
            # What is unknown goes right.
            left = columns[ways.feature[some]] <= ways.below[some, :, None]
            open_ = np.bitwise_and.reduce(left * ways.every | ways.barred[some, :, None], axis=1)
            first_open = np.bitwise_count((open_ & -open_) - 1)
            found[some] = np.take_along_axis(ways.leaf[some], first_open.astype(np.int64), axis=1)
        return np.ascontiguousarray(found.T)

    @cached_property
    def _ways(self) -> _Ways:
        return _ways_of(self)

    def scores(self, samples: NDArray[np.float32]) -> NDArray[np.float64]:
        """(n, classes) of (n, features): log odds of one class, or logits of several."""
        leaves = self.leaves(samples)
        values = self.value[np.arange(len(self.feature)), leaves].astype(float)
        classes = len(self.start)
        return np.asarray(
            self.start + values.reshape(len(samples), len(self.feature) // classes, classes).sum(axis=1)
        )

    def taught(
        self,
        samples: NDArray[np.float32],
        truth: NDArray[np.float64],
        weight: NDArray[np.float64],
        loose: float,
    ) -> Forest:
        """The same trees with leaves that also answer `samples` as they were told: logistic regression on the leaves,
        held to what they were (a Gaussian prior).

        truth: (n,) chance, or (n, classes) chances. weight: (n,) how much each counts. loose: how far all leaves of a
        sample together may move, standard deviation in log odds.
        """
        if not len(samples):
            return self
        trees, nodes = self.value.shape
        classes = len(self.start)
        turns = trees // classes
        leaves = self.leaves(samples) + np.arange(trees) * nodes
        before = self.scores(samples)
        # Leaves of a class move by `loose` together if each moves by its share.
        stiff = turns / loose**2
        wanted = truth[:, None] if truth.ndim == 1 else truth

        def loss(move: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
            now = before + move[leaves].reshape(len(samples), turns, classes).sum(axis=1)
            if classes == 1:
                value = np.logaddexp(0, now) - wanted * now
                slope = expit(now) - wanted
            else:
                value = logsumexp(now, axis=1, keepdims=True) - (wanted * now).sum(axis=1, keepdims=True)
                slope = softmax(now, axis=1) - wanted
            slope = slope * weight[:, None]
            steps = np.bincount(leaves.ravel(), np.tile(slope, turns).ravel(), trees * nodes)
            total = float((value * weight[:, None]).sum() + 0.5 * stiff * (move @ move))
            return total, steps + stiff * move

        start = np.zeros(trees * nodes)
        moved = minimize(loss, start, jac=True, method="L-BFGS-B", options={"maxiter": 60}).x
        return replace(self, value=(self.value + moved.reshape(trees, nodes)).astype(np.float32))


@dataclass(frozen=True)
class _Ways:
    """Every tree at once, without walking (after C. Lucchese and others, QuickScorer, 2015): each inner node that a sample
    leaves to the right bars the leaves on its left, and the sample comes to the first leaf that no node bars.

    feature, below: (trees, inner) of the inner nodes. barred: (trees, inner) bits, 0 for the leaves to the left of each.
    every: no leaf barred. leaf: (trees, leaves) nodes, from left to right.
    """

    feature: NDArray[np.int16]
    below: NDArray[np.float32]
    barred: NDArray[np.unsignedinteger]
    every: np.unsignedinteger
    leaf: NDArray[np.int64]


def _ways_of(forest: Forest) -> _Ways:
    trees, nodes = forest.feature.shape
    inner = nodes // 2
    bits = next(kind for kind in (np.uint16, np.uint32, np.uint64) if np.iinfo(kind).bits > inner)
    every = bits(np.iinfo(bits).max)
    ways = _Ways(
        np.zeros((trees, inner), np.int16),
        np.zeros((trees, inner), np.float32),
        np.full((trees, inner), every),
        every,
        np.zeros((trees, inner + 1), np.int64),
    )
    for tree in range(trees):
        number, leaves = 0, 0
        # An inner node is met going down, and again when all to its left is numbered.
        waiting = [(0, -1)]
        while waiting:
            node, first = waiting.pop()
            if first >= 0:
                ways.feature[tree, number] = forest.feature[tree, node]
                ways.below[tree, number] = forest.below[tree, node]
                ways.barred[tree, number] = every ^ bits((1 << leaves) - (1 << first))
                number += 1
            elif forest.left[tree, node] > 0:
                right, left = int(forest.right[tree, node]), int(forest.left[tree, node])
                waiting += [(right, -1), (node, leaves), (left, -1)]
            else:
                ways.leaf[tree, leaves] = node
                leaves += 1
    return ways


@lru_cache
def learnt(package: str, file: str, name: str) -> Forest:
    """The forest of that name in an .npz file that lies in a package."""
    return read((resources.files(package) / file).read_bytes(), name)


def read(body: bytes, name: str) -> Forest:
    """The forest of that name in the bytes of an .npz file."""
    with np.load(BytesIO(body)) as found:
        parts = ("feature", "below", "left", "right", "value", "start")
        return Forest(*(found[f"{name}_{part}"] for part in parts))
