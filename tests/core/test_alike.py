"""Which patches in doubt are asked about together."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from schoon.core.paint import NOTHING, Paint, Painting, carry, questions, unsure_in
from schoon.core.paint.alike import Doubtful, doubtful, grouped, groups, measures_of
from schoon.core.paint.facts import facts_of
from schoon.core.paint.links import MEASURES, Links
from schoon.core.patches import Patches, find_patches

RED, BLUE = 1, 2


def wall(shift: int, windows: tuple[int, ...] = (), bolts: tuple[int, ...] = ()) -> Patches:
    """A house with a door, and windows or bolts at these places."""
    picture = np.zeros((500, 900), np.uint8)
    cv2.rectangle(picture, (60 + shift, 60), (840 + shift, 440), 255, 3)
    cv2.rectangle(picture, (700 + shift, 300), (780 + shift, 440), 255, 3)
    for x in windows:
        cv2.rectangle(picture, (x + shift, 120), (x + 70 + shift, 220), 255, 3)
    for x in bolts:
        cv2.circle(picture, (x + shift, 380), 14, 255, 3)
    return find_patches(picture > 127)


def key(patches: Patches) -> Painting:
    places = {(100, 100): RED, (740, 400): BLUE, (5, 5): NOTHING}
    return {patches.at(*at): Paint(pot) for at, pot in places.items()}


def test_what_looks_alike_is_one_question_wherever_it_is_and_what_does_not_is_another() -> None:
    drawings = [wall(0), wall(6, (150, 300), (200, 420)), wall(12), wall(18, (150,), (420,))]
    result = carry(drawings, {0: key(drawings[0])})
    asked = unsure_in(result, {k: result[k] for k in (1, 3)})
    kind = {
        (k, drawings[k].at(x + 6 * k, y)): name
        for name, places in {"window": ((185, 170), (335, 170)), "bolt": ((200, 380), (420, 380))}.items()
        for k in (1, 3)
        for x, y in places
    }
    cards = [[asked[n].at for thing in card for n in thing] for card in questions(asked)]
    assert sum(map(len, cards)) == 6
    assert [{kind[at] for at in card} for card in cards] in ([{"bolt"}, {"window"}], [{"window"}, {"bolt"}])


def plain(patches: Doubtful, a: int, b: int) -> list[float]:
    """What is asked of two patches, in words that can be read."""
    f, g, x, y = patches.form[a], patches.form[b], patches.now[a], patches.now[b]
    off = np.abs(f - g)
    return [
        off[0], float(np.hypot(off[1], off[2])), off[1], off[2], off[3] + off[4] + off[5], off[6], off[7], off[8],
        sum(map(min, patches.beside[a], patches.beside[b])),
        sum(x * y), sum(map(min, x, y)), sum(abs(x - y)),
        abs(int(patches.drawing[a] - patches.drawing[b])), float(x.argmax() == y.argmax()),
        min(f[0], g[0]), max(f[0], g[0]), min(x.max(), y.max()), max(x.max(), y.max()), min(f[6], g[6]), max(f[6], g[6]),
        *patches.linked[a, b],
    ]  # fmt: skip


@lru_cache
def rooms() -> list[Patches]:
    return [wall(9 * k, (150 + 40 * k, 400), (200, 420)) for k in range(3)]


def some(random: np.random.Generator, order: np.ndarray) -> Doubtful:
    """Patches of three drawings, in an order."""
    drawings = rooms()
    now = {k: random.dirichlet(np.ones(4), d.count + 1).astype(np.float32) for k, d in enumerate(drawings)}
    at = [(k, p) for k, d in enumerate(drawings) for p in range(1, d.count + 1) if p != d.background]
    worth = random.random((5, len(MEASURES))).astype(np.float32)
    links = Links(np.array([2, 3, 4, 5, 6]), np.array([2, 3, 4, 5, 6]), worth, 0.9)
    facts = {k: facts_of(d) for k, d in enumerate(drawings)}
    return doubtful([at[n] for n in order], facts, now, {(0, 1): links})


@given(st.integers(0, 1000))
def test_pairs_are_measured_as_a_plain_loop_measures_them_and_their_order_says_nothing(seed: int) -> None:
    order = np.random.default_rng(seed).permutation(18)
    patches = some(np.random.default_rng(seed), np.arange(18))
    found = measures_of(patches)
    for row, (a, b) in enumerate(zip(*np.triu_indices(18, 1), strict=True)):
        if row % 17 == 0:
            assert found[row] == pytest.approx(plain(patches, a, b), abs=1e-5)
    first, again = groups(patches), groups(some(np.random.default_rng(seed), order))
    assert ((first[order][:, None] == first[order]) == (again[:, None] == again)).all()


def test_groups_hold_together_in_the_mean() -> None:
    def of(chances: list[float]) -> list[set[int]]:
        found = grouped(np.array(chances))
        return sorted(({*np.flatnonzero(found == g).tolist()} for g in set(found.tolist())), key=min)

    # Pairs (0, 1), (0, 2), (1, 2).
    assert of([0.9, 0.8, 0.9]) == [{0, 1, 2}]
    assert of([0.9, 0.1, 0.9]) == [{0, 1}, {2}] or of([0.9, 0.1, 0.9]) == [{0}, {1, 2}]
    assert of([0.2, 0.1, 0.3]) == [{0}, {1}, {2}]
    nobody = some(np.random.default_rng(0), np.arange(0))
    assert groups(nobody).shape == (0,)
    assert groups(some(np.random.default_rng(0), np.arange(1))).tolist() == [0]
