"""Several motions: parts that move each on their own and hide each other."""

from __future__ import annotations

import cv2
import numpy as np

from schoon.core.paint.links import MEASURES, links
from schoon.core.paint.matching import match
from schoon.core.patches import Patches, find_patches


def scene(bar: int) -> Patches:
    """A wall with two windows at rest, and a bar before it that stands at x = bar."""
    picture = np.zeros((320, 520), np.uint8)
    cv2.rectangle(picture, (60, 60), (460, 260), 255, 3)
    for x in (120, 330):
        cv2.rectangle(picture, (x, 110), (x + 60, 180), 255, 3)
    cv2.rectangle(picture, (bar, 20), (bar + 46, 300), 0, -1)
    cv2.rectangle(picture, (bar, 20), (bar + 46, 300), 255, 3)
    return find_patches(picture > 127)


def column(patches: Patches, at: tuple[int, int]) -> int:
    found = patches.at(*at)
    assert found > 0
    return found


def test_what_a_passing_form_cuts_off_came_from_what_it_was_cut_from() -> None:
    before, after = scene(230), scene(140)
    found = match(before, after).links
    within = MEASURES.index("within")
    for place, was in {(100, 90): (100, 90), (300, 220): (300, 220), (350, 140): (350, 140)}.items():
        rows = found.target == column(after, place)
        best = found.source[rows][found.worth[rows, within].argmax()]
        assert best == column(before, was)


def test_the_passing_form_goes_with_its_own_motion() -> None:
    before, after = scene(230), scene(190)
    found = match(before, after).links
    rows = found.target == column(after, (212, 40))
    for measure in ("border", "within", "alike"):
        worth = found.worth[rows, MEASURES.index(measure)]
        assert found.source[rows][worth.argmax()] == column(before, (252, 40))
        assert worth.max() > 0.45


def test_links_keep_the_likeliest_by_every_measure_and_turn() -> None:
    tables = [np.zeros((4, 3)) for _ in MEASURES]
    tables[0][1:, 1] = 0.9, 0.3, 0.01
    tables[1][3, 2] = 0.5
    found = links(tables, 0.7)
    assert list(zip(found.source.tolist(), found.target.tolist(), strict=True)) == [(1, 1), (2, 1), (3, 2)]
    turned = found.turned()
    assert list(zip(turned.source.tolist(), turned.target.tolist(), strict=True)) == [(1, 1), (1, 2), (2, 3)]
    chances = np.array([[0, 0], [1, 0], [0, 1], [0.5, 0.5]], np.float32)
    best = found.best(chances, 2)
    assert best.shape == (3, len(MEASURES), 2)
    assert np.allclose(best[1, 0], [0.9, 0.3])
    assert np.allclose(best[2, 1], [0.25, 0.25])
    assert not best[0].any()
