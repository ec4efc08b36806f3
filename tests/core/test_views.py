"""Painted pictures of a model: taken apart, laid over a drawing, and as the only guide for a run."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from schoon.core.paint import NOTHING, Colours, Paint, carry, fitted, likest, painted_view
from schoon.core.patches import Patches, find_patches

INK = (20, 20, 30)
COAT, BAND, BUTTON = 1, 2, 3
POTS = {COAT: (235, 180, 40), BAND: (60, 90, 160), BUTTON: (250, 250, 250)}


def sheet(scale: float = 1.0, mirrored: bool = False, paper: int = 255) -> np.ndarray:
    """A coat with a band at one side of it and a button the colour of the paper."""
    side, height = round(420 * scale), round(420 * scale)
    picture = np.full((height, side, 3), paper, np.uint8)

    def form(points: list[tuple[int, int]], pot: int) -> None:
        ring = np.round(np.array(points) * scale * 16).astype(np.int32)
        cv2.fillPoly(picture, [ring], POTS[pot], cv2.LINE_8, 4)
        cv2.polylines(picture, [ring], True, INK, 4, cv2.LINE_AA, 4)

    form([(90, 60), (260, 50), (330, 360), (60, 350)], COAT)
    form([(255, 120), (330, 110), (390, 200), (300, 210)], BAND)
    form([(140, 150), (170, 150), (170, 182), (140, 182)], BUTTON)
    return picture[:, ::-1].copy() if mirrored else picture


def drawn(picture: np.ndarray) -> tuple[Patches, dict[int, int]]:
    """Patches of a picture's lines, and the pot each truly has."""
    patches = find_patches((np.abs(picture.astype(int) - INK).sum(axis=2) < 120), 12)
    found = {}
    for patch in range(1, patches.count + 1):
        x, y = patches.anchors[patch].astype(int)
        colour = tuple(int(v) for v in picture[y, x])
        found[patch] = next((p for p, c in POTS.items() if c == colour), NOTHING)
    return patches, found


def test_a_painted_picture_is_taken_apart_into_pots() -> None:
    view = painted_view(sheet(), [Colours(INK, POTS)])
    assert view is not None
    patches, painting = view
    assert sorted(p.pot for p in painting.values()) == [NOTHING, COAT, BAND, BUTTON]
    assert painting[patches.at(200, 250)].pot == COAT
    assert painting[patches.at(155, 165)].pot == BUTTON
    assert painting[patches.background].pot == NOTHING


def test_the_key_it_was_painted_in_is_found() -> None:
    night = {pot: (c[0] // 3, c[1] // 3, c[2] // 2) for pot, c in POTS.items()}
    view = painted_view(sheet(), [Colours(INK, night), Colours(INK, POTS)])
    assert view is not None
    assert {p.pot for p in view[1].values()} == {NOTHING, COAT, BAND, BUTTON}


@pytest.mark.parametrize("keys", [[], [Colours(INK, {})], [Colours(INK, {9: (0, 255, 0)})]])
def test_a_picture_without_a_known_colour_says_nothing(keys: list[Colours]) -> None:
    assert painted_view(sheet(), keys) is None


def test_the_likest_view_is_found_whatever_its_size_and_side() -> None:
    target, _ = drawn(sheet())
    views = [
        painted_view(p, [Colours(INK, POTS)]) for p in (sheet(1.6, mirrored=True), np.rot90(sheet()).copy())
    ]
    known = [v for v in views if v]
    assert likest(target, known, 1) == [(0, True)]
    patches, painting = fitted(*known[0], target, True)
    assert patches.labels.shape == target.labels.shape
    assert painting[patches.at(200, 250)].pot == COAT


def test_a_run_with_nothing_painted_is_painted_from_a_view() -> None:
    view = painted_view(sheet(1.3), [Colours(INK, POTS)])
    assert view is not None
    drawings, right = zip(*(drawn(np.roll(sheet(), shift, axis=1)) for shift in (0, 6, 14)), strict=True)
    result = carry(drawings, {}, model=[fitted(*view, drawings[1])])
    for k, pots in enumerate(right):
        assert {p: paint.pot for p, paint in result[k].items() if paint.pot != NOTHING} == {
            p: pot for p, pot in pots.items() if pot != NOTHING
        }
        assert all(paint.by == "carried" for paint in result[k].values())


def test_paint_of_the_run_goes_before_the_view() -> None:
    """Somebody has painted the coat blue here; the sheet has no say in it."""
    view = painted_view(sheet(), [Colours(INK, POTS)])
    assert view is not None
    drawings, right = zip(*(drawn(np.roll(sheet(), shift, axis=1)) for shift in (0, 8)), strict=True)
    key = {p: Paint(BAND if pot == COAT else pot) for p, pot in right[0].items()}
    result = carry(drawings, {0: key}, model=[view])
    coat = next(p for p, pot in right[1].items() if pot == COAT)
    assert result[1][coat].pot == BAND
