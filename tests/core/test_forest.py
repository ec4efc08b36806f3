"""Boosted trees asked as numbers."""

from __future__ import annotations

import numpy as np
import pytest

from schoon.core.forest import Forest, learnt


def walked(forest: Forest, sample: np.ndarray, tree: int) -> int:
    """The leaf that a sample comes to, a node at a time."""
    node = 0
    while forest.left[tree, node]:
        left = sample[forest.feature[tree, node]] <= forest.below[tree, node]
        node = int(forest.left[tree, node] if left else forest.right[tree, node])
    return node


@pytest.mark.parametrize(
    ("package", "file", "name"),
    [("tone", "edges.npz", "alone"), ("paint", "same.npz", "beside"), ("cleanup", "marks.npz", "kind")],
)
@pytest.mark.parametrize("count", [1, 40, 300])
def test_many_trees_at_once_come_to_the_same_leaves(package: str, file: str, name: str, count: int) -> None:
    """Few samples go through many trees together, many through few; what is unknown goes right."""
    forest = learnt(f"schoon.core.{package}", file, name)
    samples = np.random.default_rng(count).normal(0, 3, (count, int(forest.feature.max()) + 1))
    samples[::7, 0] = np.nan
    leaves = forest.leaves(samples.astype(np.float32))
    for tree in range(0, len(forest.feature), 29):
        for row in range(0, count, 11):
            assert leaves[row, tree] == walked(forest, samples[row].astype(np.float32), tree)


def test_nothing_asked_is_nothing_said() -> None:
    forest = learnt("schoon.core.tone", "edges.npz", "alone")
    assert forest.scores(np.zeros((0, int(forest.feature.max()) + 1), np.float32)).shape == (0, 3)
