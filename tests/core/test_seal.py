"""Gaps and stitches on drawings with known openings."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from schoon.core.patches import add_stitches, find_patches
from schoon.core.seal import Stitch, evidence_for, line_width, propose_stitches, trace_leak
from schoon.core.seal.choosing import forms_of, parts_alone
from schoon.core.seal.model import State
from schoon.core.strokes.model import Maker


def arc_ink(gap: float, width: int, turn: float = 0.3) -> np.ndarray:
    """A ring of radius 120 with a gap of `gap` px."""
    picture = np.zeros((400, 400), np.uint8)
    half = gap / 120 / 2
    t = np.linspace(turn + half, turn + 2 * np.pi - half, 400)
    points = np.c_[200 + 120 * np.cos(t), 200 + 120 * np.sin(t)]
    cv2.polylines(picture, [np.round(points * 16).astype(np.int32)], False, 255, width, cv2.LINE_AA, 4)
    return picture > 127


@pytest.mark.parametrize("width", [1, 2, 4, 9, 26])
@pytest.mark.parametrize("gap", [7.0, 12.0])
@pytest.mark.parametrize("turn", [0.0, 0.3, 2.0])
def test_a_gap_in_a_ring_is_shut(width: int, gap: float, turn: float) -> None:
    ink = arc_ink(gap + width, width, turn)
    assert find_patches(ink).count == 1
    stitches = [s for s in propose_stitches(ink) if s.state == "taken"]
    assert len(stitches) == 1
    assert find_patches(add_stitches(ink, [stitches[0].points])).count == 2


def test_an_end_that_stops_short_of_a_line_is_shut() -> None:
    picture = np.zeros((400, 400), np.uint8)
    cv2.rectangle(picture, (80, 80), (320, 320), 255, 4)
    cv2.line(picture, (200, 82), (200, 304), 255, 4)
    ink = picture > 127
    stitches = propose_stitches(ink)
    assert [s.state for s in stitches] == ["taken"]
    assert "short of a line" in stitches[0].reason
    assert find_patches(add_stitches(ink, [stitches[0].points])).count == 3


def leaky_box() -> np.ndarray:
    """A box with a shelf, a gap in its side, and an end that stays free."""
    picture = np.zeros((400, 440), np.uint8)
    cv2.rectangle(picture, (80, 80), (340, 320), 255, 5)
    cv2.line(picture, (82, 200), (338, 200), 255, 5)
    cv2.line(picture, (200, 82), (200, 130), 255, 5)
    picture[250:264, 330:350] = 0
    return picture > 127


@pytest.mark.parametrize("change", ["mirrored", "upside down", "turned", "twice as large"])
def test_gaps_are_the_same_in_whatever_way_a_drawing_lies(change: str) -> None:
    ink = leaky_box()
    there = {
        "mirrored": (ink[:, ::-1], lambda x, y: (440 - x, y)),
        "upside down": (ink[::-1], lambda x, y: (x, 400 - y)),
        "turned": (np.rot90(ink), lambda x, y: (y, 440 - x)),
        "twice as large": (ink.repeat(2, axis=0).repeat(2, axis=1), lambda x, y: (2 * x, 2 * y)),
    }
    (plain,) = [s for s in propose_stitches(ink) if s.state == "taken"]
    other, place = there[change]
    (found,) = [s for s in propose_stitches(np.ascontiguousarray(other)) if s.state == "taken"]
    assert found.points.mean(axis=0) == pytest.approx(place(*plain.points.mean(axis=0)), abs=3.5)
    assert plain.points.mean(axis=0) == pytest.approx((340, 257), abs=3)


def test_a_gap_beside_a_line_nearer_than_it_is_wide_is_found_along_its_own_line() -> None:
    picture = np.zeros((400, 400), np.uint8)
    cv2.rectangle(picture, (60, 60), (340, 340), 255, 4)
    cv2.line(picture, (324, 60), (324, 340), 255, 4)
    picture[190:212, 318:330] = 0
    (stitch,) = propose_stitches(picture > 127)
    assert stitch.points[:, 0] == pytest.approx(324.5, abs=2.5)
    assert stitch.points[:, 1].min() < 191
    assert stitch.points[:, 1].max() > 211


def test_rooms_with_one_open_neck_are_one_form_whatever_another_neck_says() -> None:
    rooms = np.array([[0, 1], [0, 1], [1, 2]])
    form, between = forms_of(rooms, 3, np.array([3.0, -5.0, 2.0]))
    assert form[0] == form[1] != form[2]
    assert between[form[0]] == {form[2]: 2.0}


def test_only_a_neck_on_every_way_parts_alone() -> None:
    #    0 - 1 - 2, 2 = 3 by two necks, 3 - 4
    rooms = np.array([[0, 1], [1, 2], [2, 3], [2, 3], [3, 4]])
    alone = parts_alone(rooms, np.arange(5))
    assert alone.tolist() == [True, True, False, False, True]


def test_a_wide_opening_stays_open() -> None:
    assert [s for s in propose_stitches(arc_ink(90, 4)) if s.state == "taken"] == []


def test_a_line_that_ends_in_the_open_is_no_gap() -> None:
    picture = np.zeros((400, 400), np.uint8)
    cv2.rectangle(picture, (60, 60), (340, 340), 255, 4)
    cv2.line(picture, (62, 200), (200, 200), 255, 4)
    assert propose_stitches(picture > 127) == []


def test_doubt_grows_with_the_gap() -> None:
    doubts = [propose_stitches(arc_ink(gap, 4))[0].doubt for gap in (10.0, 18.0, 28.0)]
    assert doubts == sorted(doubts)


@pytest.mark.parametrize("fill", [False, True])
def test_empty_and_black_drawings_have_no_gaps(fill: bool) -> None:
    assert propose_stitches(np.full((90, 120), fill)) == []


@pytest.mark.parametrize("width", [1, 3, 6, 12])
def test_line_width_is_read_off_the_ink(width: int) -> None:
    assert line_width(arc_ink(40, width)) == pytest.approx(width, abs=2)


def test_stitches_survive_json() -> None:
    stitch = Stitch(np.array([[1.0, 2], [3, 4]]), 0.25, "why", "left", "hand")
    back = Stitch.from_dict(stitch.to_dict())
    assert back.to_dict() == stitch.to_dict()
    with pytest.raises(ValueError, match="two finite points"):
        Stitch.from_dict({**stitch.to_dict(), "points": [[1, 2]]})


def test_a_corner_that_almost_meets_a_line_is_shut() -> None:
    picture = np.zeros((400, 400), np.uint8)
    lower = np.array([[40, 330], [360, 330], [360, 214], [205, 214], [205, 330]])
    upper = np.array([[40, 330], [40, 90], [199, 90], [199, 206], [90, 206]])
    cv2.polylines(picture, [lower, upper], False, 255, 4)
    ink = picture > 127
    closed = [s for s in propose_stitches(ink) if s.state == "taken"]
    assert len(closed) == 1
    assert closed[0].width < 21
    assert closed[0].points.mean(axis=0) == pytest.approx((202, 210), abs=3)


def box_with_gap(gap: int, turn: float = 0.0) -> np.ndarray:
    """A box of 4 px lines, 160 px wide, with a gap in its right side whose ends are doubled lines."""
    wall = np.zeros((300, 300), np.uint8)
    cv2.rectangle(wall, (70, 70), (230, 230), 1, 4)
    wall[150 - gap // 2 : 150 - gap // 2 + gap, 226:236] = 0
    matrix = cv2.getRotationMatrix2D((150, 150), turn, 1)
    return cv2.warpAffine(wall, matrix, (300, 300), flags=cv2.INTER_NEAREST) > 0


@pytest.mark.parametrize(("gap", "turn"), [(6, 0), (14, 0), (30, 0), (14, 30)])
def test_a_leak_is_traced_to_its_narrowest_passage(gap: int, turn: float) -> None:
    wall = box_with_gap(gap, turn)
    leak = trace_leak(wall, (150, 150))
    assert leak is not None
    assert leak.width == pytest.approx(gap, abs=3.5)
    angle = np.deg2rad(-turn)
    expected = 150 + 80 * np.array([np.cos(angle), np.sin(angle)])
    assert leak.points.mean(axis=0) == pytest.approx(expected, abs=6)
    closed = add_stitches(wall, [leak.points])
    patches = find_patches(closed)
    assert patches.at(150, 150) != patches.background


def test_no_leak_where_the_form_is_closed_or_the_point_is_on_a_line() -> None:
    assert trace_leak(np.zeros((60, 80), bool), (20, 20)) is None
    assert trace_leak(box_with_gap(0), (150, 150)) is None
    assert trace_leak(box_with_gap(0), (70, 150)) is None
    with pytest.raises(ValueError, match="outside the picture"):
        trace_leak(box_with_gap(6), (400, 10))


def test_a_leak_between_two_forms_is_found_where_they_meet() -> None:
    wall = box_with_gap(0)
    wall[70:230, 148:152] = True
    wall[120:132, 146:154] = False
    leak = trace_leak(wall, (100, 150), (200, 150))
    assert leak is not None
    assert leak.points.mean(axis=0) == pytest.approx((150, 126), abs=3)


def test_a_judged_gap_speaks_for_the_same_gap_next_door() -> None:
    def stitch(x: float, y: float, state: State = "open", by: Maker = "proposal") -> Stitch:
        return Stitch(np.array([[x, y], [x + 14, y + 3]]), 0.8, "end to end", state, by)

    centres = [np.array([500.0 + 20 * k, 400.0]) for k in range(6)]
    judged: list[list[Stitch]] = [[stitch(300, 300, "left", "hand")], [], [], [], [], []]
    found = evidence_for(stitch(322, 301), 1, judged, centres, 1000)
    assert found is not None
    assert (found.drawing, found.state) == (0, "left")
    # Elsewhere on the figure, too far along the run, or of another size it says nothing.
    assert evidence_for(stitch(450, 301), 1, judged, centres, 1000) is None
    assert evidence_for(stitch(400, 301), 5, judged, centres, 1000) is None
    big = Stitch(np.array([[270.0, 300], [390, 325]]), 0.8, "end to end", "open", "proposal")
    assert evidence_for(big, 1, judged, centres, 1000) is None


def test_a_line_along_the_edge_asks_nothing() -> None:
    ink = np.zeros((400, 900), bool)
    wave = (3.4 + 1.2 * np.sin(np.arange(900) / 2.3)).round().astype(int)
    for x, y in enumerate(wave):
        ink[y : y + 4, x] = True
    assert propose_stitches(ink) == []


@pytest.mark.filterwarnings("error")
def test_a_picture_that_is_all_ink_has_no_lines() -> None:
    for shape in ((1, 1), (60, 80)):
        ink = np.ones(shape, bool)
        assert line_width(ink) == 0
        assert propose_stitches(ink) == []
