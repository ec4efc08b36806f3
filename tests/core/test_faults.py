"""Drawings as they should not be: nothing crashes, nothing floods, and the right things stay."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from schoon.core.paint import MOST_PATCHES, NOTHING, Paint, carry
from schoon.core.patches import Patches, add_stitches, find_patches, outlines
from schoon.core.seal import propose_stitches

RED, BLUE = 1, 2


def figure(width: int = 3, inner: int | None = None, step: int = 0, closed: bool = True) -> Patches:
    """A body with a belt. inner: width of the belt's lines, if it is another one."""
    picture = np.zeros((300, 400), np.uint8)
    x = 120 + step
    cv2.ellipse(picture, (x + 80, 150), (80, 110), 0, 0, 360 if closed else 330, 255, width)
    for y in (140, 175):
        half = round(80 * np.sqrt(1 - ((y - 150) / 110) ** 2))
        cv2.line(picture, (x + 80 - half, y), (x + 80 + half, y), 255, inner or width)
    return find_patches(picture > 127)


def key(patches: Patches, step: int = 0) -> dict[int, Paint]:
    x = 200 + step
    spots = {(x, 80): RED, (x, 157): BLUE, (x, 220): RED, (3, 3): NOTHING}
    return {patches.at(*at): Paint(pot) for at, pot in spots.items()}


@pytest.mark.parametrize(("width", "inner"), [(1, None), (1, 6), (8, 1), (12, None)])
def test_any_weight_of_line_carries(width: int, inner: int | None) -> None:
    run = [figure(width, inner, 7 * k) for k in range(3)]
    result = carry(run, {0: key(run[0])})
    for k, patches in enumerate(run):
        assert {n: result[k][n].pot for n in key(patches, 7 * k)} == {
            n: p.pot for n, p in key(patches, 7 * k).items()
        }


@pytest.mark.parametrize("wall", [np.ones((300, 400), bool), np.zeros((300, 400), bool)])
def test_all_black_and_empty_drawings_in_a_run_change_nothing_else(wall: np.ndarray) -> None:
    run = [figure(), find_patches(wall), figure(step=9)]
    result = carry(run, {0: key(run[0])})
    assert {result[2][n].pot for n in key(run[2], 9)} == {RED, BLUE, NOTHING}
    assert all(paint.pot == NOTHING for paint in result[1].values())
    assert propose_stitches(wall) == []


def test_an_unclosed_form_does_not_flood_the_outside() -> None:
    run = [figure(), figure(step=5, closed=False)]
    result = carry(run, {0: key(run[0])})[1]
    assert result[run[1].background].pot == NOTHING


def grain(side: int) -> Patches:
    """side x side little areas."""
    wall = np.ones((4 * side + 1, 4 * side + 1), bool)
    for k in range(1, 4):
        for j in range(1, 4):
            wall[k::4, j::4] = False
    return find_patches(wall)


def test_ten_thousand_patches_are_found_drawn_and_left_alone() -> None:
    crowded = grain(100)
    assert crowded.count == 10_000 > MOST_PATCHES
    assert len(outlines(crowded)) >= 9_999
    other = find_patches(np.zeros(crowded.labels.shape, bool))
    result = carry([crowded, other], {1: {1: Paint(RED)}})
    assert result == {0: {}, 1: {1: Paint(RED)}}
    kept = carry([crowded, other], {0: {5: Paint(RED)}, 1: {1: Paint(RED)}})
    assert kept[0] == {5: Paint(RED)}
    with pytest.raises(ValueError, match="painted"):
        carry([crowded, other], {0: {5: Paint(RED)}})


def test_a_limit_takes_the_grain_away() -> None:
    _, labels = cv2.connectedComponents(np.ones((2, 2), np.uint8))
    assert labels.max() == 1
    wall = grain(20).open_labels == 0
    wall[10:60, 10:60] = False
    assert find_patches(wall, 10).count == 1


@settings(max_examples=25, deadline=None)
@given(
    width=st.integers(1, 12),
    turn=st.floats(0, 360),
    corners=st.integers(3, 7),
    radius=st.integers(60, 110),
)
def test_nothing_is_left_unpainted_between_patches_or_outside_them(
    width: int, turn: float, corners: int, radius: int
) -> None:
    """A polygon cut in slices from its middle, at any width and turned: paint meets under every line."""
    angles = np.deg2rad(turn + 360 / corners * np.arange(corners))
    rim = np.c_[150 + radius * np.cos(angles), 140 + radius * np.sin(angles)]
    picture = np.zeros((280, 300), np.uint8)
    fixed = np.round(rim * 16).astype(np.int32)
    cv2.polylines(picture, [fixed], True, 255, width, cv2.LINE_AA, 4)
    for corner in fixed:
        cv2.line(picture, (150 * 16, 140 * 16), tuple(map(int, corner)), 255, width, cv2.LINE_AA, 4)
    patches = find_patches(picture > 127, 6)
    assert patches.count == corners + 1
    assert (patches.labels > 0).all()
    inside = np.zeros(picture.shape, np.uint8)
    cv2.fillPoly(inside, [fixed], 1, cv2.LINE_8, 4)
    # Under the tip of a sharp corner the outside is nearer; the ink lies over it.
    tips = np.zeros_like(inside)
    for corner in rim:
        cv2.circle(tips, (round(corner[0]), round(corner[1])), 2 * width + 4, 1, -1)
    core = (cv2.erode(inside, np.ones((5, 5), np.uint8)) > 0) & (tips == 0)
    beyond = cv2.dilate(inside, np.ones((width + 5, width + 5), np.uint8)) == 0
    assert (patches.labels[core] != patches.background).all()
    assert (patches.labels[beyond] == patches.background).all()


def test_stitches_part_nothing_else() -> None:
    wall = figure(closed=False).open_labels == 0
    before = find_patches(wall)
    stitch = np.array([[20.0, 20.0], [60.0, 20.0]])
    assert find_patches(add_stitches(wall, [stitch])).count == before.count
