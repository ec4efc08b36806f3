"""One patch through the run, and patches in a ring."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from schoon.core.paint import track
from schoon.core.patches import Patches, find_patches, patches_within


def scene(step: int, hidden: bool = False) -> Patches:
    """A house with a door and a window that moves; hidden: something stands before the door."""
    picture = np.zeros((300, 420), np.uint8)
    x = 60 + 9 * step
    cv2.rectangle(picture, (x, 70), (x + 220, 260), 255, 3)
    cv2.rectangle(picture, (x + 30, 150), (x + 80, 260), 255, 3)
    cv2.rectangle(picture, (x + 120, 110), (x + 190, 160), 255, 3)
    if hidden:
        cv2.ellipse(picture, (x + 20, 230), (110, 95), 0, 0, 360, 0, -1)
        cv2.ellipse(picture, (x + 20, 230), (110, 95), 0, 0, 360, 255, 3)
    return find_patches(picture > 127)


def at(patches: Patches, step: int, place: tuple[int, int]) -> int:
    return patches.at(60 + 9 * step + place[0], place[1])


WINDOW, DOOR = (150, 130), (50, 200)


@pytest.mark.parametrize("start", [0, 3, 6])
def test_a_patch_is_followed_forward_and_back(start: int) -> None:
    run = [scene(k) for k in range(7)]
    found = track(run, start, at(run[start], start, WINDOW))
    assert {k: patch for k, (patch, _) in found.items()} == {k: at(run[k], k, WINDOW) for k in range(7)}
    assert all(doubt < 0.5 for _, doubt in found.values())


def test_a_hidden_patch_is_passed_over_and_found_again() -> None:
    run = [scene(k, hidden=k == 2) for k in range(5)]
    found = track(run, 0, at(run[0], 0, DOOR))
    assert found[4][0] == at(run[4], 4, DOOR)
    assert 2 not in found


def test_the_outside_and_what_is_not_there_cannot_be_followed() -> None:
    run = [scene(0), scene(1)]
    for patch in (run[0].background, 0, run[0].count + 1):
        with pytest.raises(ValueError, match="followed"):
            track(run, 0, patch)


def test_a_ring_takes_what_lies_in_it_and_never_the_outside() -> None:
    patches = scene(0)
    door, window, wall = (at(patches, 0, place) for place in (DOOR, WINDOW, (20, 100)))
    round_door = np.array([[70, 140], [160, 140], [160, 280], [70, 280]], float)
    assert patches_within(patches, round_door) == [door]
    everything = np.array([[0, 0], [420, 0], [420, 300], [0, 300]], float)
    assert sorted(patches_within(patches, everything)) == sorted([door, window, wall])
    half = np.array([[0, 0], [105, 0], [105, 300], [0, 300]], float)
    assert door not in patches_within(patches, half)
