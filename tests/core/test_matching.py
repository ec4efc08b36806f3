"""Likely counterparts of patches between two drawings."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from schoon.core.paint.matching import likeness, match
from schoon.core.patches import Patches, find_patches


def boxes(*shifts: tuple[int, int], extra: bool = False) -> Patches:
    """Three boxes of unlike size in a row, each moved by its shift."""
    picture = np.zeros((300, 480), np.uint8)
    for (x, y, w, h), (dx, dy) in zip(
        ((40, 60, 90, 160), (180, 90, 60, 60), (300, 60, 120, 90)), shifts, strict=True
    ):
        cv2.rectangle(picture, (x + dx, y + dy), (x + dx + w, y + dy + h), 255, 3)
    if extra:
        cv2.circle(picture, (85, 110), 9, 255, 3)
    return find_patches(picture > 127)


STILL = ((0, 0),) * 3
CENTRES = ((85, 140), (210, 120), (360, 105))


def test_a_drawing_matches_itself() -> None:
    patches = boxes(*STILL)
    likely = match(patches, patches).likely
    assert (likely[1:, 1:].argmax(axis=0) == np.arange(patches.count)).all()
    assert likely.sum(axis=0).max() <= 1.0001


@pytest.mark.parametrize("step", [(10, 0), (0, 14), (-12, 8)])
def test_moved_patches_find_their_counterparts(step: tuple[int, int]) -> None:
    a, b = boxes(*STILL), boxes(step, step, step)
    likely = match(a, b).likely
    for x, y in CENTRES:
        assert likely[:, b.at(x + step[0], y + step[1])].argmax() == a.at(x, y)


def test_the_outside_matches_the_outside_only() -> None:
    a, b = boxes(*STILL), boxes((8, 0), (0, 6), (-5, 0))
    likely = match(a, b).likely
    assert likely[:, b.background].argmax() == a.background
    assert np.count_nonzero(likely[:, b.background]) == 1


def test_a_new_detail_lies_in_its_form_but_is_not_its_counterpart() -> None:
    a, b = boxes(*STILL), boxes(*STILL, extra=True)
    found = match(a, b)
    form, detail = b.at(60, 200), b.at(85, 110)
    source = a.at(60, 200)
    assert found.mutual[source, form] > 0.95
    assert found.mutual[source, detail] < 0.8


def test_a_drawing_without_patches_matches_nothing() -> None:
    full = find_patches(np.ones((300, 480), bool))
    assert match(full, boxes(*STILL)).likely.sum() == 0


def test_likeness_alone_finds_the_same_counterparts_and_knows_a_new_detail() -> None:
    a, b = boxes(*STILL), boxes((9, 4), (9, 4), (9, 4), extra=True)
    sure = likeness(a, b)
    found = match(a, b)
    for x, y in CENTRES:
        patch = b.at(x + 9, y + 4)
        assert sure[:, patch].argmax() == (found.likely * found.mutual)[:, patch].argmax() == a.at(x, y)
    assert sure[:, b.at(85, 110)].max() < 0.15
    nothing = find_patches(np.ones((300, 480), bool))
    assert likeness(a, nothing).shape == (a.count + 1, 1)
    with pytest.raises(ValueError, match="one size"):
        likeness(a, find_patches(np.zeros((30, 40), bool)))
