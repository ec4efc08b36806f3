"""Boosted trees as plain numbers: what the training scripts in `bench` have learnt, asked without the package that
learnt it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import resources
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.special import expit, logsumexp, softmax

_AT_ONCE = 20000
"""Samples times trees that are looked up together: few samples in many trees, many samples tree by tree."""


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
        trees, nodes = self.feature.shape
        feature, below, left, right = (
            table.ravel() for table in (self.feature, self.below, self.left, self.right)
        )
        at_once = max(1, _AT_ONCE // max(1, len(samples)))
        row = np.arange(len(samples))[:, None] * samples.shape[1]
        values = np.ascontiguousarray(samples).ravel()
        found = np.zeros((len(samples), trees), np.int64)
        for first in range(0, trees, at_once):
            begins = np.arange(first, min(first + at_once, trees)) * nodes
            node = np.zeros((len(samples), len(begins)), np.int64)
            for _ in range(int(np.ceil(nodes / 2))):
                at = node + begins
                down = left.take(at)
                inner = down > 0
                if not inner.any():
                    break
                goes_left = values.take(row + feature.take(at)) <= below.take(at)
                node = np.where(inner, np.where(goes_left, down, right.take(at)), node)
            found[:, first : first + len(begins)] = node
        return found

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


@lru_cache
def learnt(package: str, file: str, name: str) -> Forest:
    """The forest of that name in an .npz file that lies in a package."""
    return read((resources.files(package) / file).read_bytes(), name)


def read(body: bytes, name: str) -> Forest:
    """The forest of that name in the bytes of an .npz file."""
    with np.load(BytesIO(body)) as found:
        parts = ("feature", "below", "left", "right", "value", "start")
        return Forest(*(found[f"{name}_{part}"] for part in parts))
