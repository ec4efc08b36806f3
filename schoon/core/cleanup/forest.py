"""Boosted trees as plain numbers: what `bench/train_marks.py` has learnt, asked without the package that learnt it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from io import BytesIO

import numpy as np
from numpy.typing import NDArray

_FILE = "marks.npz"


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

    def scores(self, samples: NDArray[np.float32]) -> NDArray[np.float64]:
        """(n, classes) of (n, features): log odds of one class, or logits of several."""
        classes = len(self.start)
        total = np.tile(self.start, (len(samples), 1))
        row = np.arange(len(samples))
        depth = int(np.ceil(self.feature.shape[1] / 2))
        for tree in range(len(self.feature)):
            node = np.zeros(len(samples), np.int64)
            for _ in range(depth):
                inner = self.left[tree, node] > 0
                if not inner.any():
                    break
                goes_left = samples[row, self.feature[tree, node]] <= self.below[tree, node]
                onward = np.where(goes_left, self.left[tree, node], self.right[tree, node])
                node = np.where(inner, onward, node)
            total[:, tree % classes] += self.value[tree, node]
        return total


@lru_cache
def learnt(name: str) -> Forest:
    """The forest of that name: "line", log odds of being a line, or "kind", logits of `labels.KINDS`."""
    body = (resources.files(__package__) / _FILE).read_bytes()
    with np.load(BytesIO(body)) as found:
        parts = ("feature", "below", "left", "right", "value", "start")
        return Forest(*(found[f"{name}_{part}"] for part in parts))
