"""Passes of a rough: tiles, rubbing out, pieces, and what is seen and read of them."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from schoon.core.sketch import (
    SIDE,
    Pass,
    cut,
    lined,
    pasted,
    rough,
    rubbed,
    rubbed_within,
    whole,
    within,
)

SIZE = (600, 400)


def inked(*lines: tuple[int, int, int, int]) -> np.ndarray:
    """(h, w, 4) RGBA with brick lines."""
    picture = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    for x0, y0, x1, y1 in lines:
        cv2.line(picture, (x0, y0), (x1, y1), (164, 81, 47, 255), 5)
    return picture


def paper() -> np.ndarray:
    """A scan: paper with a shade across it, and a ring in lead."""
    shade = np.linspace(250, 215, SIZE[0])[None, :, None]
    picture = np.repeat(np.repeat(shade, SIZE[1], 0), 3, 2).astype(np.uint8)
    cv2.circle(picture, (300, 200), 90, (70, 70, 75), 4)
    return picture


@settings(max_examples=20, deadline=None)
@given(st.lists(st.tuples(*[st.integers(0, 399)] * 4), min_size=1, max_size=4))
def test_tiles_are_the_picture(lines: list[tuple[int, int, int, int]]) -> None:
    picture = inked(*lines)
    tiles = cut(picture)
    assert (whole(tiles, SIZE) == picture).all()
    assert all(tile.shape == (SIDE, SIDE, 4) and tile[..., 3].any() for tile in tiles.values())


def test_what_is_not_touched_is_no_other_tile() -> None:
    tiles = cut(inked((20, 20, 580, 20), (20, 380, 580, 380)))
    changed = rubbed(tiles, SIZE, lined(SIZE, [(100.0, 0.0), (100.0, 60.0)], 12))
    assert set(changed) == {(0, 0)}
    after = whole({**tiles, **changed}, SIZE)
    assert not after[20, 95:105, 3].any()
    assert after[20, 140, 3] == 255
    # Outside of all tiles there is nothing to be rubbed out.
    assert not rubbed(tiles, SIZE, lined(SIZE, [(300.0, 200.0)], 5)).keys() - tiles.keys()


def test_the_picture_that_was_taken_in_is_rubbed_down_to_its_paper() -> None:
    base = paper()
    mask = rubbed_within({}, SIZE, lined(SIZE, [(390.0, 150.0), (390.0, 250.0)], 20))
    mask = {**mask, **rubbed_within(mask, SIZE, lined(SIZE, [(210.0, 200.0)], 20))}
    seen = rough(base, SIZE, "full", mask, [], True)[..., :3].astype(int)
    for x in (390, 210):
        ground = int(base[20, x, 0])
        assert np.abs(seen[195:205, x - 5 : x + 5] - ground).max() <= 4
    untouched = np.s_[100:120, 250:350]
    assert (seen[untouched] == base[untouched]).all()


def test_paper_is_found_where_much_is_drawn() -> None:
    base = paper()
    clear = base[20, 180:340, :3].astype(int)
    # A face full of lines: more lead than paper about it.
    for k in range(180, 340, 14):
        cv2.line(base, (k, 150), (k, 310), (60, 60, 60), 6)
        cv2.line(base, (180, k - 30), (340, k - 30), (60, 60, 60), 4)
    mask = rubbed_within({}, SIZE, within(SIZE, [(170, 140), (350, 140), (350, 320), (170, 320)]))
    seen = rough(base, SIZE, "full", mask, [], True)[..., :3].astype(int)
    assert np.abs(seen[150:310, 180:340] - clear).max() <= 8


def test_only_full_passes_are_read() -> None:
    passes = [Pass("faint", cut(inked((50, 50, 550, 50)))), Pass("full", cut(inked((50, 350, 550, 350))))]
    read = rough(paper(), SIZE, "faint", {}, passes, True)[..., :3].astype(int)
    seen = rough(paper(), SIZE, "faint", {}, passes, False)[..., :3].astype(int)
    assert read[50, 300].min() > 200
    assert 170 < seen[50, 300].min() < 225
    assert read[350, 300].tolist() == [164, 81, 47]
    assert read[110, 300].min() > 200
    assert seen[110, 300].min() < read[110, 300].min()


def test_clear_pictures_stay_clear() -> None:
    prop = inked((50, 200, 550, 200))
    mask = rubbed_within({}, SIZE, lined(SIZE, [(300.0, 200.0)], 30))
    seen = rough(prop, SIZE, "full", mask, [], True)
    assert not seen[200, 300, 3]
    assert seen[200, 100].tolist() == [164, 81, 47, 255]
    assert not seen[20, 20, 3]
    assert (rough(None, SIZE, "full", {}, [], True) == 255).all()


def test_a_piece_lies_where_its_corners_are() -> None:
    piece = np.zeros((60, 80, 4), np.uint8)
    piece[10:50, 10:70] = (20, 60, 90, 255)

    def at(*corners: tuple[float, float]) -> np.ndarray:
        return whole(pasted({}, SIZE, piece, corners), SIZE)

    here = at((100.0, 50.0), (180.0, 50.0), (180.0, 110.0), (100.0, 110.0))
    assert (here[50:110, 100:180] == piece).all()
    assert here[..., 3].sum() == piece[..., 3].sum()
    mirrored = at((180.0, 50.0), (100.0, 50.0), (100.0, 110.0), (180.0, 110.0))
    assert (mirrored[50:110, 100:180] == piece[:, ::-1]).all()
    large = at((100.0, 50.0), (260.0, 50.0), (260.0, 170.0), (100.0, 170.0))
    assert large[..., 3].sum() == pytest.approx(4 * piece[..., 3].sum(), rel=0.02)
    bent = at((100.0, 50.0), (180.0, 90.0), (180.0, 110.0), (100.0, 110.0))
    assert 0.4 < bent[..., 3].sum() / piece[..., 3].sum() < 0.9
    with pytest.raises(ValueError, match="one line"):
        at((0.0, 0.0), (10.0, 0.0), (20.0, 0.0), (30.0, 0.0))


def test_a_ring_holds_what_lies_inside() -> None:
    share = within(SIZE, [(100.0, 100.0), (200.0, 100.0), (200.0, 200.0), (100.0, 200.0)])
    assert share[150, 150] == 1
    assert share[150, 250] == 0
    assert share.sum() == pytest.approx(100 * 100, rel=0.03)
