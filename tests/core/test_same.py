"""What neighbours say of two patches, beside a plain count of it; and what comes of both forests."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from schoon.core.paint.facts import Facts, facts_of
from schoon.core.paint.links import FOUND, MEASURES, Links
from schoon.core.paint.matching import match
from schoon.core.paint.same import beside, measures_of, rival, same
from schoon.core.patches import Patches, find_patches


def facts(count: int, random: np.random.Generator) -> Facts:
    """Patches that meet by chance; the first is the outside."""
    meets = np.triu(random.random((count, count)) < 0.5, 1)
    pairs = np.argwhere(meets | meets.T) + 1
    border = random.uniform(1, 50, (count + 1, count + 1))
    border = border + border.T
    areas = np.r_[0, random.integers(20, 900, count)]
    places, spread = random.normal(size=(count + 1, 2)), random.random((count + 1, 3))
    return Facts(1, areas, 9000, pairs, border[pairs[:, 0], pairs[:, 1]], places, spread)


@given(st.integers(0, 10_000))
def test_the_mean_beside_a_patch_counts_longer_borders_more(seed: int) -> None:
    random = np.random.default_rng(seed)
    of, values = facts(6, random), random.random((7, 3))
    found = of.beside(values)
    for patch in range(7):
        near = [(b, w) for (a, b), w in zip(of.touching.tolist(), of.borders, strict=True) if a == patch]
        plain = (
            np.average(values[[b for b, _ in near]], axis=0, weights=[np.sqrt(w) for _, w in near])
            if near
            else 0
        )
        assert found[patch] == pytest.approx(np.zeros(3) + plain)


@given(st.integers(0, 10_000))
def test_neighbours_are_heard_as_a_plain_count_hears_them(seed: int) -> None:
    random = np.random.default_rng(seed)
    source, target = facts(5, random), facts(6, random)
    t, s = np.nonzero(random.random((7, 6)) < 0.6)
    inside = (s > 1) & (t > 1)
    s, t = s[inside], t[inside]
    links = Links(s, t, random.random((len(s), len(FOUND))).astype(np.float32), 0.5)
    chance = random.random(len(s)).astype(np.float32)
    found = beside(links, source, target, chance) if len(s) else np.zeros((0, 9))
    table = np.zeros((source.count + 1, target.count + 1))
    table[s, t] = chance
    borders = dict(zip(map(tuple, target.touching.tolist()), target.borders.tolist(), strict=True))

    def near(of: Facts, patch: int) -> list[int]:
        return [b for a, b in of.touching.tolist() if a == patch and b != of.background]

    for row, (i, j) in enumerate(zip(s.tolist(), t.tolist(), strict=True)):
        here, there = near(target, j), near(source, i)
        best = [max((table[a, b] for a in there), default=0.0) for b in here]
        weight = [np.sqrt(borders[j, b]) for b in here]
        assert found[row, 0] == pytest.approx(np.dot(best, weight) / sum(weight) if here else 0, abs=1e-5)
        assert found[row, 1] == pytest.approx(np.mean(best) if here else 0, abs=1e-5)
        back = [max((table[a, b] for b in here), default=0.0) for a in there]
        assert found[row, 2] == pytest.approx(np.mean(back) if there else 0, abs=1e-5)


@given(st.lists(st.tuples(st.integers(0, 3), st.floats(0, 1, width=32)), min_size=1, max_size=12))
def test_a_rival_is_the_best_of_the_others(values: list[tuple[int, float]]) -> None:
    group = np.array([g for g, _ in values])
    of = np.array([[v] for _, v in values], np.float32)
    for k, found in enumerate(rival(of, group)[:, 0]):
        others = [v for n, (g, v) in enumerate(values) if g == group[k] and n != k]
        assert found == max(others, default=0.0)


def drawing(shift: int = 0) -> Patches:
    picture = np.zeros((400, 500), np.uint8)
    for x, y, w, h in ((60, 60, 120, 200), (180, 60, 60, 80), (300, 200, 90, 140), (320, 230, 30, 30)):
        cv2.rectangle(picture, (x + shift, y), (x + w + shift, y + h), 255, 3)
    return find_patches(picture > 127)


def test_each_patch_is_the_same_as_itself_moved() -> None:
    before, after = drawing(), drawing(18)
    links = match(before, after).links
    assert links.worth.shape[1] == len(MEASURES)
    told = links.worth[:, -1]
    for x, y in ((100, 150), (210, 100), (370, 300), (335, 245)):
        rows = np.flatnonzero(links.target == after.at(x + 18, y))
        best = rows[told[rows].argmax()]
        assert links.source[best] == before.at(x, y)
        assert told[best] > 0.5
        assert told[rows[rows != best]].max(initial=0) < told[best]


def test_nothing_linked_asks_nobody() -> None:
    facts_ = facts_of(drawing())
    none = Links(np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros((0, len(FOUND)), np.float32), 0.0)
    assert len(same(none, facts_, facts_)) == 0


def test_what_is_asked_does_not_depend_on_what_was_said_before() -> None:
    before, after = drawing(), drawing(18)
    links = match(before, after).links
    a, b = facts_of(before), facts_of(after)
    assert np.array_equal(same(links, a, b), links.worth[:, -1])
    assert measures_of(links, a, b).shape[0] == len(links.source)
