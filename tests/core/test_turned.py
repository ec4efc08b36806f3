"""Outlines alike wherever they lie: moved far, turned, mirrored, in another size."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from schoon.core.paint import NOTHING, Paint, carry
from schoon.core.paint.turned import Turned, turned
from schoon.core.patches import Patches, find_patches

HAND = np.array([[0, 0], [60, 0], [60, 25], [95, 25], [95, 45], [60, 45], [60, 80], [0, 95]], float) - 45
RING = np.array([[np.cos(a), np.sin(a)] for a in np.linspace(0, 2 * np.pi, 40, endpoint=False)])


def placed(outline: np.ndarray, at: tuple[float, float], turn: float = 0, size: float = 1, mirrored: bool = False) -> np.ndarray:  # fmt: skip
    """An outline turned by degrees about its middle."""
    cos, sin = np.cos(np.deg2rad(turn)), np.sin(np.deg2rad(turn))
    shape = outline * ([-1, 1] if mirrored else [1, 1])
    return np.asarray(size * shape @ np.array([[cos, sin], [-sin, cos]]) + at)


def drawn(*outlines: np.ndarray, side: int = 700) -> Patches:
    picture = np.zeros((side, side), np.uint8)
    for outline in outlines:
        cv2.polylines(picture, [np.round(outline * 8).astype(np.int32)], True, 255, 3, cv2.LINE_8, 3)
    return find_patches(picture > 127)


def counterpart(found: Turned, patch: int) -> tuple[int, float]:
    """The source patch that goes with a target patch best, and how well."""
    rows = np.flatnonzero(found.target == patch)
    best = rows[found.about[rows].argmax()]
    return int(found.source[best]), float(found.about[best])


@given(st.floats(-180, 180), st.floats(150, 550), st.floats(150, 550))
def test_an_outline_is_found_at_any_turn_in_any_place(turn: float, x: float, y: float) -> None:
    before, after = drawn(placed(HAND, (150, 150))), drawn(placed(HAND, (x, y), turn))
    here, there = after.at(x, y), before.at(150, 150)
    found = turned(before, after)
    assert counterpart(found, here)[0] == there
    assert counterpart(found, here)[1] > 0.8
    move = found.moves[(found.target == here) & (found.source == there)][0]
    taken = placed(HAND, (x, y), turn) @ move[:, :2].T + move[:, 2]
    assert np.hypot(*(taken - placed(HAND, (150, 150))).T).max() < 6


def head(at: tuple[float, float], **how: float) -> list[np.ndarray]:
    """A head with two eyes alike, and an ear on one side."""
    parts = [(RING * 90, (0, 0)), (RING * 14, (-25, -10)), (RING * 14, (35, -10)), (HAND * 0.5, (-125, 0))]
    return [placed(outline + offset, at, **how) for outline, offset in parts]


@pytest.mark.parametrize(
    "how", [{"turn": 30}, {"turn": -100}, {"size": 1.5}, {"size": 0.7, "turn": 15}, {"mirrored": True}, {"mirrored": True, "size": 1.3}]
)  # fmt: skip
def test_twins_are_told_apart_by_what_lies_about_them(how: dict[str, float]) -> None:
    before, after = drawn(*head((200, 200))), drawn(*head((450, 430), **how))
    found = turned(before, after)
    for eye in ((-25, -10), (35, -10)):
        x, y = placed(np.array([eye], float), (450, 430), **how)[0]
        source, well = counterpart(found, after.at(x, y))
        assert source == before.at(200 + eye[0], 200 + eye[1])
        assert well > 0.6


def test_an_unlike_outline_has_no_counterpart() -> None:
    before, after = drawn(placed(HAND, (200, 200))), drawn(RING * 60 + 300)
    found = turned(before, after)
    assert found.about[found.target == after.at(300, 300)].max(initial=0) < 0.3


def test_a_drawing_without_forms_has_none() -> None:
    before, empty = drawn(placed(HAND, (200, 200))), find_patches(np.zeros((700, 700), bool))
    assert len(turned(before, empty).target) == len(turned(empty, before).target) == 0


def test_a_ball_that_flies_by_keeps_its_stripe() -> None:
    def ball(x: float, y: float, turn: float) -> list[np.ndarray]:
        band = np.array([[-57, -14], [57, -14], [57, 14], [-57, 14]], float)
        return [RING * 60 + (x, y), placed(band, (x, y), turn)]

    house = np.array([[60, 400], [260, 400], [260, 650], [60, 650]], float)
    runs = [drawn(house, *ball(*place)) for place in ((120, 120, 0), (360, 250, 80), (580, 180, 160), (470, 560, 260))]  # fmt: skip
    wall, rim, band = 1, 2, 3
    key = {p: Paint(NOTHING) for p in range(1, runs[0].count + 1)}
    key |= {runs[0].at(160, 500): Paint(wall), runs[0].at(120, 120): Paint(band)}
    key |= {runs[0].at(120, y): Paint(rim) for y in (85, 155)}
    paintings = carry(runs, {0: key})
    for number, (x, y, turn) in enumerate(((360, 250, 80), (580, 180, 160), (470, 560, 260)), 1):
        across = 35 * np.array([-np.sin(np.deg2rad(turn)), np.cos(np.deg2rad(turn))])
        for place, pot in (
            ((x, y), band),
            ((x, y) + across, rim),
            ((x, y) - across, rim),
            ((160, 500), wall),
        ):
            assert paintings[number][runs[number].at(*place)].pot == pot, (number, place)


@pytest.mark.parametrize(
    "how", [{"mirrored": True}, {"mirrored": True, "size": 1.3}, {"size": 0.75, "turn": -20}]
)
def test_a_figure_that_looks_the_other_way_takes_its_paint(how: dict[str, float]) -> None:
    places = [(60, 40), (-25, -10), (35, -10), (-125, 0)]
    runs = [drawn(*head((260, 300))), drawn(*head((430, 330), **how))]
    key = {p: Paint(NOTHING) for p in range(1, runs[0].count + 1)}
    key |= {runs[0].at(260 + x, 300 + y): Paint(pot) for pot, (x, y) in enumerate(places, 1)}
    found = carry(runs, {0: key})[1]
    for pot, place in enumerate(places, 1):
        x, y = placed(np.array([place], float), (430, 330), **how)[0]
        assert found[runs[1].at(x, y)].pot == pot, place
