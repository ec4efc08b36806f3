"""A key against its lines: where two of its colours share a patch."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from schoon.core.paint import parted_by_key
from schoon.core.patches import find_patches

COAT, BOOT, NONE = 7, 9, -1


def drawn(gap: int) -> tuple[NDArray[np.bool_], NDArray[np.int64]]:
    """A box in two halves, the line between them open at its middle; and its paint, which lies a pixel aside."""
    ink = np.zeros((120, 200), np.uint8)
    cv2.rectangle(ink, (20, 20), (180, 100), 1, 3)
    cv2.line(ink, (100, 20), (100, 100), 1, 3)
    ink[60 - gap // 2 : 60 + (gap + 1) // 2, 95:106] = 0
    code = np.full(ink.shape, NONE, np.int64)
    code[20:101, 21:102] = COAT
    code[20:101, 102:182] = BOOT
    return ink > 0, code


def test_a_leak_between_two_colours_is_shut_where_they_meet() -> None:
    ink, code = drawn(20)
    patches = find_patches(ink)
    assert patches.count == 2
    opened = parted_by_key(patches, code)
    assert opened.patches.count == 3
    assert len(opened.places) == 1
    assert np.abs(opened.places[0] - (101, 60)).max() < 4
    left, right = opened.patches.open_labels[60, 60], opened.patches.open_labels[60, 140]
    assert left != right
    # The wall shuts the passage and touches nothing else.
    assert opened.wall.sum() < 40


def test_paint_that_runs_out_of_the_figure_is_parted_from_the_paper() -> None:
    ink, code = drawn(0)
    ink[50:70, 15:25] = False
    patches = find_patches(ink)
    opened = parted_by_key(patches, code)
    assert opened.patches.count == patches.count + 1
    assert opened.patches.open_labels[60, 60] != opened.patches.open_labels[60, 5]


def test_closed_lines_and_thin_rims_stay_as_they_are() -> None:
    ink, code = drawn(0)
    patches = find_patches(ink)
    # Paint that lies a little aside, and a smoothed edge of many colours, are no second colour.
    code[20:101, 97:103] = np.arange(486).reshape(81, 6) + 100
    opened = parted_by_key(patches, code)
    assert opened.patches is patches
    assert not opened.wall.any()
    assert not len(opened.places)
