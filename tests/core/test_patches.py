"""Patches meet under the line; nothing between two of them stays unpainted."""

from __future__ import annotations

import numpy as np
import pytest

from schoon.core.patches import (
    fill_nearest,
    find_patches,
    most_of,
    outlines,
    pack,
    unpack_coarse,
    wall_of,
)
from schoon.core.strokes import Stroke, fit_curve

SIZE = (300, 260)


def line(a: tuple[float, float], b: tuple[float, float], width: float, turn: float = 0.0) -> Stroke:
    c, s = np.cos(turn), np.sin(turn)
    points = (np.array([a, b]) - (150, 130)) @ np.array([[c, s], [-s, c]]) + (150, 130)
    controls, _ = fit_curve(points, 0.1)
    return Stroke(controls, np.full((len(controls) - 1) // 3 + 1, width))


def box(width: float, turn: float = 0.0, split: bool = True) -> list[Stroke]:
    corners = [(80.0, 70.0), (220.0, 70.0), (220.0, 190.0), (80.0, 190.0)]
    strokes = [line(corners[k], corners[(k + 1) % 4], width, turn) for k in range(4)]
    return [*strokes, line((150, 70), (150, 190), width, turn)] if split else strokes


@pytest.mark.parametrize("width", [0.6, 1.0, 2.5, 5.0, 12.0])
@pytest.mark.parametrize("turn", [0.0, 0.2, 0.785])
def test_no_pixel_is_left_between_patches(width: float, turn: float) -> None:
    patches = find_patches(wall_of(box(width, turn), [], SIZE), 6)
    assert patches.count == 3
    assert (patches.labels > 0).all()
    halves = [n for n in (1, 2, 3) if n != patches.background]
    areas = [int((patches.labels == n).sum()) for n in halves]
    # They meet in the middle of the line, so together they are as large as the box itself.
    assert sum(areas) == pytest.approx(140 * 120, rel=0.03)
    assert areas[0] == pytest.approx(areas[1], rel=0.03)


def test_a_stitch_parts_paint_without_ink() -> None:
    open_box = box(4, split=False)
    stitch = np.array([[80.0, 130.0], [220.0, 130.0]])
    assert find_patches(wall_of(open_box, [], SIZE)).count == 2
    assert find_patches(wall_of(open_box, [stitch], SIZE)).count == 3


def test_specks_join_their_neighbour() -> None:
    wall = np.zeros((60, 60), bool)
    wall[20:30, 20:30] = True
    wall[24:26, 24:26] = False
    assert find_patches(wall).count == 2
    patches = find_patches(wall, least=6)
    assert patches.count == 1
    assert (patches.labels == 1).all()


def test_anchors_lie_inside_and_background_is_the_outside() -> None:
    patches = find_patches(wall_of(box(4), [], SIZE))
    for n in range(1, patches.count + 1):
        x, y = patches.anchors[n]
        assert patches.open_labels[int(y), int(x)] == n
        assert patches.at(x, y) == n
    assert patches.at(1, 1) == patches.background
    assert patches.at(-1, 5) == patches.at(5, 1e6) == 0


def test_outlines_enclose_their_patch() -> None:
    patches = find_patches(wall_of(box(4), [], SIZE))
    rings = outlines(patches)
    outer, hole = rings.pop(patches.background)
    assert np.ptp(outer, axis=0) == pytest.approx((SIZE[0] - 1, SIZE[1] - 1))
    assert (np.ptp(hole, axis=0) < np.ptp(outer, axis=0)).all()
    for n, found in rings.items():
        x, y = np.vstack(found).T
        shoelace = sum(
            abs(np.dot(r[:, 0], np.roll(r[:, 1], 1)) - np.dot(r[:, 1], np.roll(r[:, 0], 1))) / 2
            for r in found
        )
        assert shoelace == pytest.approx((patches.labels == n).sum(), rel=0.06)
        assert x.min() >= -0.5
        assert y.min() >= -0.5


@pytest.mark.parametrize("full", [False, True])
def test_drawings_without_lines_or_without_paper(full: bool) -> None:
    patches = find_patches(np.full((20, 30), full))
    assert patches.count == (0 if full else 1)
    assert patches.touching.shape == (patches.count + 1, patches.count + 1)


def test_neighbours_share_a_border_as_long_as_the_line_between_them() -> None:
    patches = find_patches(wall_of(box(4), [], SIZE))
    a, b = (n for n in (1, 2, 3) if n != patches.background)
    assert patches.touching[a, b] == pytest.approx(120, rel=0.08)
    assert patches.touching[a, b] == patches.touching[b, a]


def test_coarse_patches_keep_every_patch_and_every_line() -> None:
    """A drawing looked at in pixels of 3 x 3: one-pixel lines still part, and a speck is still there."""
    wall = np.zeros((91, 122), bool)
    wall[40], wall[:, 61] = True, True
    wall[10:13, 10:13] = True
    wall[11, 11] = False
    fine = find_patches(wall)
    coarse = unpack_coarse(pack(fine), 50)
    assert coarse.scale == 3
    assert coarse.open_labels.shape == (31, 41)
    assert coarse.count == fine.count
    assert coarse.background == fine.background
    assert (coarse.areas[1:] > 0).all()
    for patch in range(1, fine.count + 1):
        x, y = fine.anchors[patch]
        assert coarse.at(x / 3, y / 3) == patch
    assert not coarse.open_labels[13].any()
    assert not coarse.open_labels[:, 20].any()


def test_small_drawings_are_not_made_coarser() -> None:
    fine = find_patches(np.eye(30, dtype=bool))
    coarse = unpack_coarse(pack(fine), 50)
    assert coarse.scale == 1
    assert (coarse.labels == fine.labels).all()


@pytest.mark.parametrize("kind", [np.int32, np.int64, np.uint8])
def test_most_of_a_patch_is_its_most_frequent_value(kind: type) -> None:
    wall = np.zeros((40, 60), bool)
    wall[:, 30] = True
    patches = find_patches(wall)
    random = np.random.default_rng(1)
    picture = random.integers(0, 9, wall.shape).astype(kind)
    # Colours have large numbers, and noise has no runs of one value.
    picture *= 25 if kind is np.uint8 else 1_700_000
    picture[:, :30] = np.where(random.random((40, 30)) < 0.7, picture[0, 0], picture[:, :30])
    found, share = most_of(patches, picture)
    for patch in range(patches.count + 1):
        values, often = np.unique(picture[patches.open_labels == patch], return_counts=True)
        assert found[patch] == values[often.argmax()]
        assert share[patch] == pytest.approx(often.max() / often.sum())


def test_what_is_not_known_takes_the_nearest_value() -> None:
    values = np.zeros((30, 50), np.float32)
    known = np.zeros(values.shape, bool)
    for (y, x), value in {(3, 4): 1.5, (25, 40): -2.0}.items():
        values[y, x], known[y, x] = value, True
    found = fill_nearest(values, known)
    assert found[0, 0] == found[3, 4] == found[20, 5] == np.float32(1.5)
    assert found[29, 49] == found[25, 40] == found[10, 45] == np.float32(-2.0)
    assert fill_nearest(values, ~known | known) is values
    assert fill_nearest(values, np.zeros_like(known)) is values
