"""Carrying paint: renumbering, moving and mirroring change nothing; hand paint is never overwritten."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from schoon.core.paint import NOTHING, Paint, carry
from schoon.core.patches import Patches, find_patches

RED, BLUE, GREEN = 1, 2, 3


def figure(shift: float = 0.0, mirror: bool = False) -> Patches:
    """A body (two halves) with a head and an eye."""
    picture = np.zeros((360, 480), np.uint8)
    x = int(170 + shift)
    cv2.rectangle(picture, (x, 180), (x + 120, 320), 255, 3)
    cv2.line(picture, (x, 240), (x + 120, 240), 255, 3)
    cv2.circle(picture, (x + 60, 110), 60, 255, 3)
    cv2.circle(picture, (x + 80, 100), 14, 255, 3)
    return find_patches((picture[:, ::-1] if mirror else picture) > 127)


def key_of(patches: Patches, shift: float = 0.0) -> dict[int, Paint]:
    x = 170 + shift
    places = {
        (x + 60, 210): RED,
        (x + 60, 280): BLUE,
        (x + 40, 120): GREEN,
        (x + 80, 100): RED,
        (5, 5): NOTHING,
    }
    return {patches.at(*at): Paint(pot) for at, pot in places.items()}


def pots(painting: dict[int, Paint], patches: Patches, shift: float) -> list[int]:
    return [painting[n].pot for n in key_of(patches, shift)]


EXPECTED = [RED, BLUE, GREEN, RED, NOTHING]


def test_paint_follows_a_moving_figure() -> None:
    drawings = [figure(12.0 * k) for k in range(6)]
    result = carry(drawings, {0: key_of(drawings[0])})
    for k, patches in enumerate(drawings):
        assert pots(result[k], patches, 12.0 * k) == EXPECTED
    assert not any(paint.unsure for painting in result.values() for paint in painting.values())


def test_each_carried_patch_knows_where_it_came_from() -> None:
    drawings = [figure(), figure(8)]
    result = carry(drawings, {0: key_of(drawings[0])})
    for n, paint in result[1].items():
        assert paint.by == "carried"
        assert paint.source is not None
        drawing, patch = paint.source
        assert drawing == 0
        assert result[0][patch].pot == paint.pot, n


def test_renumbering_changes_nothing() -> None:
    first, second = figure(), figure(10)
    order = np.r_[0, np.random.default_rng(3).permutation(second.count) + 1]
    renumbered = replace(
        second,
        open_labels=order[second.open_labels].astype(np.int32),
        areas=second.areas[np.argsort(order)],
        background=int(order[second.background]),
    )
    plain = carry([first, second], {0: key_of(first)})[1]
    other = carry([first, renumbered], {0: key_of(first)})[1]
    assert {int(order[n]): p.pot for n, p in plain.items()} == {n: p.pot for n, p in other.items()}


def test_mirroring_both_changes_nothing() -> None:
    first, second = figure(mirror=True), figure(10, mirror=True)
    key = {first.at(479.5 - x, y): Paint(pot) for (x, y), pot in
           {(230, 210): RED, (230, 280): BLUE, (210, 120): GREEN, (250, 100): RED, (5, 5): NOTHING}.items()}  # fmt: skip
    result = carry([first, second], {0: key})[1]
    seen = [
        result[second.at(479.5 - x - 10, y)].pot for x, y in ((230, 210), (230, 280), (210, 120), (250, 100))
    ]
    assert seen == EXPECTED[:4]


def test_hand_paint_is_never_overwritten_and_guides_its_neighbours() -> None:
    drawings = [figure(12.0 * k) for k in range(4)]
    corrected = {drawings[2].at(170 + 24 + 60, 280): Paint(GREEN)}
    result = carry(drawings, {0: key_of(drawings[0]), 2: corrected})
    for n, paint in corrected.items():
        assert result[2][n] == paint
    assert pots(result[1], drawings[1], 12) == EXPECTED


def test_the_only_key_with_a_patch_left_out_keeps_what_it_has() -> None:
    drawings = [figure(12.0 * k) for k in range(3)]
    key = key_of(drawings[0])
    key.pop(max(key))
    result = carry(drawings, {0: key})
    assert {n: result[0][n] for n in key} == key
    assert all(result[k] for k in (1, 2))


def test_what_nobody_has_decided_never_becomes_certain() -> None:
    """An eye left open in the key stays a question through the whole run, however alone a pot is round it."""
    steps = [0.0, 4.0, 8.0, 12.0, 16.0, 20.0]
    drawings = [figure(step) for step in steps]
    bare = {drawings[0].background: Paint(NOTHING)}
    key = {n: Paint(GREEN) for n in key_of(drawings[0])} | bare
    del key[drawings[0].at(250, 100)]
    result = carry(drawings, {0: key})
    for step, patches, painting in zip(steps[1:], drawings[1:], list(result.values())[1:], strict=True):
        left = painting.get(patches.at(250 + step, 100))
        assert left is None or left.unsure
        assert not painting[patches.at(230 + step, 210)].unsure


def test_two_keys_are_both_asked() -> None:
    drawings = [figure(10.0 * k) for k in range(5)]
    late = {n: Paint(BLUE if p.pot == GREEN else p.pot) for n, p in key_of(drawings[4], 40).items()}
    result = carry(drawings, {0: key_of(drawings[0]), 4: late})
    head = [result[k][drawings[k].at(170 + 10 * k + 40, 120)].pot for k in range(5)]
    assert head[0] == head[1] == GREEN
    assert head[3] == head[4] == BLUE


def test_without_paint_or_with_other_sizes_it_refuses() -> None:
    with pytest.raises(ValueError, match="must be painted"):
        carry([figure()], {})
    with pytest.raises(ValueError, match="one size"):
        carry([figure(), find_patches(np.zeros((20, 20), bool))], {0: key_of(figure())})


def test_the_background_never_takes_a_pot_of_the_figure() -> None:
    drawings = [figure(), find_patches(np.zeros((360, 480), bool))]
    result = carry(drawings, {0: key_of(drawings[0])})
    assert result[1][drawings[1].background].pot == NOTHING


def halves(gap: int, shift: int = 0) -> Patches:
    """Two rooms side by side; gap: px missing in the middle of the wall between them."""
    picture = np.zeros((300, 480), np.uint8)
    x = 80 + shift
    cv2.rectangle(picture, (x, 60), (x + 300, 240), 255, 3)
    cv2.line(picture, (x + 150, 60), (x + 150, 150 - gap // 2), 255, 3)
    cv2.line(picture, (x + 150, 150 + gap // 2 + gap % 2), (x + 150, 240), 255, 3)
    return find_patches(picture > 127)


def test_areas_that_run_together_are_named_with_a_place_in_each() -> None:
    drawings = [halves(0), halves(12, 6)]
    key = {drawings[0].at(100, 100): Paint(RED), drawings[0].at(340, 100): Paint(BLUE)}
    room = drawings[1].at(120, 100)
    paint = carry(drawings, {0: key})[1][room]
    assert paint.unsure
    assert sorted(pot for pot, _, _ in paint.joined) == [RED, BLUE]
    for pot, x, y in paint.joined:
        assert drawings[1].at(x, y) == room
        assert (x < 236) == (pot == RED)


def test_areas_of_one_pot_may_run_together() -> None:
    drawings = [halves(0), halves(12, 6)]
    key = {drawings[0].at(100, 100): Paint(RED), drawings[0].at(340, 100): Paint(RED)}
    paint = carry(drawings, {0: key})[1][drawings[1].at(120, 100)]
    assert paint.joined == ()
    assert paint.pot == RED


def hatted(shift: int, open_end: bool = False) -> Patches:
    """The figure with a flat form on its head, whose short side may be missing."""
    picture = np.zeros((360, 480), np.uint8)
    x = 170 + shift
    cv2.rectangle(picture, (x, 180), (x + 120, 320), 255, 3)
    cv2.line(picture, (x, 240), (x + 120, 240), 255, 3)
    cv2.circle(picture, (x + 60, 110), 60, 255, 3)
    cv2.rectangle(picture, (x - 6, 20), (x + 126, 46), 255, 3)
    if open_end:
        picture[23:44, x - 9 : x - 2] = 0
    return find_patches(picture > 127)


def test_a_form_that_has_run_out_into_the_outside_is_asked_about() -> None:
    drawings = [hatted(0), hatted(6), hatted(12, open_end=True)]
    x = 170
    places = {
        (x + 60, 210): RED,
        (x + 60, 280): BLUE,
        (x + 60, 120): GREEN,
        (x + 60, 33): RED,
        (5, 5): NOTHING,
    }
    key = {drawings[0].at(*at): Paint(pot) for at, pot in places.items()}
    result = carry(drawings, {0: key})
    assert not result[1][drawings[1].background].joined
    outside = result[2][drawings[2].background]
    assert outside.unsure
    (pot, column, row), (bare, *_) = outside.joined
    assert (pot, bare) == (RED, NOTHING)
    assert x + 6 < column < x + 138
    assert abs(row - 33) < 12
