"""Borders laid on each other, and slivers that neighbours tell about."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from schoon.core.paint import Paint, carry
from schoon.core.paint.matching import match
from schoon.core.paint.movement import borders_of, lay
from schoon.core.patches import Patches, find_patches

BODY, BAR = 1, 2


def shape(turn: float = 0.0, shift: tuple[float, float] = (0, 0), hidden: bool = False) -> Patches:
    """An L of 200 x 240 px in 600 x 600, turned by degrees and moved; hidden: its foot lies under a block."""
    corners = np.array([[0, 0], [70, 0], [70, 170], [200, 170], [200, 240], [0, 240]], float) - 100
    angle = np.deg2rad(turn)
    turned = corners @ np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    points = np.round(turned + (300, 300) + shift).astype(np.int32)
    picture = np.zeros((600, 600), np.uint8)
    cv2.polylines(picture, [points], True, 255, 3)
    if hidden:
        cv2.rectangle(picture, (350, 320), (470, 470), 0, -1)
        cv2.rectangle(picture, (350, 320), (470, 470), 255, 3)
    return find_patches(picture > 127)


@pytest.mark.parametrize(("turn", "shift"), [(0, (12, -9)), (9, (0, 0)), (-7, (15, 10))])
def test_a_border_finds_its_movement(turn: float, shift: tuple[float, float]) -> None:
    before, after = shape(), shape(turn, shift)
    patch, other = before.at(230, 300), after.at(230 + shift[0], 300 + shift[1])
    pairs = np.array([[patch, other]])
    laid = lay(borders_of(before), borders_of(after), pairs, np.zeros((1, 2)))
    assert laid.share[0] > 0.9
    assert laid.reverse[0] > 0.9
    angle = np.deg2rad(turn)
    linear = laid.moves[0][:, :2]
    assert np.degrees(np.arctan2(linear[0, 1], linear[0, 0])) == pytest.approx(np.degrees(angle), abs=1.5)
    middle = np.array([300.0, 300.0]) + shift
    assert np.hypot(*(linear @ middle + laid.moves[0][:, 2] - (300, 300))) < 3


def test_a_partly_hidden_form_still_lies_on_itself() -> None:
    before, after = shape(), shape(shift=(6, 4), hidden=True)
    pairs = np.array([[before.at(230, 300), after.at(236, 304)]])
    laid = lay(borders_of(before), borders_of(after), pairs, np.array([[-6.0, -4.0]]))
    assert laid.share[0] > 0.5
    other = lay(borders_of(before), borders_of(before), pairs, np.array([[150.0, 150.0]]))
    assert other.share[0] < laid.share[0]


def doubled(shift: int, closed: bool) -> Patches:
    """A bar on a body; a second line beside the bar is open at both ends or shuts a sliver off the body."""
    picture = np.zeros((500, 600), np.uint8)
    x = 150 + shift
    cv2.rectangle(picture, (x, 80), (x + 300, 420), 255, 3)
    cv2.rectangle(picture, (x + 120, 140), (x + 180, 360), 255, 3)
    cv2.line(picture, (x + 188, 146), (x + 188, 354), 255, 3)
    if closed:
        for y in (146, 354):
            cv2.line(picture, (x + 180, y), (x + 188, y), 255, 3)
    return find_patches(picture > 127)


def test_a_sliver_newly_cut_off_takes_what_lay_across_its_lines() -> None:
    drawings = [doubled(0, False), doubled(8, True)]
    key = {
        drawings[0].at(*at): Paint(pot) for at, pot in {(160, 90): BODY, (300, 250): BAR, (5, 5): -1}.items()
    }
    result = carry(drawings, {0: key})[1]
    sliver = drawings[1].at(342, 250)
    assert drawings[1].areas[sliver] < 2000
    assert result[sliver].pot == BODY
    assert result[drawings[1].at(308, 250)].pot == BAR


def test_the_twin_wins_over_what_lies_nearer() -> None:
    """Three forms of one kind that jump by nearly the distance between them keep their order."""

    def row(shift: int) -> Patches:
        picture = np.zeros((300, 600), np.uint8)
        for k, side in enumerate((44, 56, 70)):
            cv2.rectangle(
                picture, (60 + shift + 130 * k, 100), (60 + shift + 130 * k + side, 100 + side), 255, 3
            )
        return find_patches(picture > 127)

    a, b = row(0), row(60)
    likely = match(a, b).likely
    for k in range(3):
        assert likely[:, b.at(80 + 60 + 130 * k, 120)].argmax() == a.at(80 + 130 * k, 120)


def test_an_empty_drawing_has_no_borders() -> None:
    empty = find_patches(np.zeros((60, 80), bool))
    assert len(borders_of(empty).points) == 0
    assert match(shape(), find_patches(np.zeros((600, 600), bool))).likely.shape[1] == 2
