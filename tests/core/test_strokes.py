"""Stroke algebra: fitting, sampling and rasterising keep what they are given."""

from __future__ import annotations

import itertools

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from schoon.core.strokes import (
    Stroke,
    arc_lengths,
    corner_indices,
    edit,
    fit_curve,
    fit_curves,
    ink_coverage,
    length,
    outline,
    resample,
    sample,
    smooth_hand,
    strokes_from_dicts,
    strokes_to_dicts,
)
from schoon.core.strokes.model import Corner


def wave(turn: float = 0.0, scale: float = 1.0) -> np.ndarray:
    t = np.linspace(0, 3, 200)
    points = np.c_[100 * t, 40 * np.sin(2 * t)] * scale
    c, s = np.cos(turn), np.sin(turn)
    return points @ np.array([[c, s], [-s, c]]) + 200


def stroke_of(points: np.ndarray, width: float = 4.0, tolerance: float = 0.5) -> Stroke:
    controls, _ = fit_curve(points, tolerance)
    return Stroke(controls, np.full((len(controls) - 1) // 3 + 1, width))


@settings(max_examples=30)
@given(turn=st.floats(0, 6.28), tolerance=st.floats(0.3, 3.0), scale=st.floats(0.3, 4.0))
def test_fit_stays_within_tolerance_at_any_turn(turn: float, tolerance: float, scale: float) -> None:
    points = wave(turn, scale)
    stroke = stroke_of(points, tolerance=tolerance)
    away, _ = cKDTree(sample(stroke, 0.5)[0]).query(points)
    assert away.max() <= tolerance + 0.45


def test_fit_is_lean_and_passes_its_ends() -> None:
    points = wave()
    stroke = stroke_of(points, tolerance=1.0)
    assert len(stroke.segments) <= 6
    assert np.allclose(stroke.controls[[0, -1]], points[[0, -1]])


def test_closed_curve_runs_smoothly_through_its_start() -> None:
    t = np.linspace(0, 2 * np.pi, 120)
    ring = np.c_[np.cos(t), np.sin(t)] * 80 + 100
    ring[-1] = ring[0]
    controls, _ = fit_curve(ring, 0.5, closed=True)
    leave, arrive = controls[1] - controls[0], controls[-1] - controls[-2]
    cos = leave @ arrive / np.hypot(*leave) / np.hypot(*arrive)
    assert cos > 0.999


def test_many_lines_are_fitted_as_each_alone(random: np.random.Generator) -> None:
    lines = [wave(turn, 0.5 + turn) for turn in (0.0, 1.0, 2.0)] + [np.array([[5.0, 5], [9, 8]])]
    lines += [np.cumsum(random.normal(0, 2, (60, 2)), axis=0)]
    corners = [[], [100], [30, 150], [], [20]]
    together = fit_curves(lines, 0.6, corners, [False] * len(lines))
    for line, at, (controls, knots) in zip(lines, corners, together, strict=True):
        alone, own = fit_curve(line, 0.6, at)
        assert np.allclose(controls, alone, atol=1e-6)
        assert knots.tolist() == own.tolist()


def test_corner_is_found_where_it_is_and_an_arc_has_none() -> None:
    corner = resample(np.array([[0.0, 0], [60, 0], [60, 60]]), 1.0)
    assert corner_indices(corner, 8, np.deg2rad(40)) == pytest.approx([60], abs=1)
    t = np.linspace(0, np.pi, 120)
    assert corner_indices(np.c_[np.cos(t), np.sin(t)] * 40, 8, np.deg2rad(40)) == []


def test_degenerate_data_is_refused() -> None:
    with pytest.raises(ValueError, match="two distinct points"):
        fit_curve(np.array([[1.0, 1], [1, 1]]), 1.0)
    with pytest.raises(ValueError, match="3 n"):
        Stroke(np.zeros((5, 2)), np.ones(2))
    with pytest.raises(ValueError, match="finite"):
        Stroke(np.full((4, 2), np.nan), np.ones(2))


def test_json_keeps_strokes_to_a_hundredth_of_a_pixel() -> None:
    strokes = [stroke_of(wave(0.3)), stroke_of(wave(1.0), 2.5)]
    back = strokes_from_dicts(strokes_to_dicts(strokes))
    assert [s.id for s in back] == [s.id for s in strokes]
    for a, b in zip(strokes, back, strict=True):
        assert np.abs(a.controls - b.controls).max() <= 0.0051


@pytest.mark.parametrize("width", [1.0, 4.0, 12.0])
@pytest.mark.parametrize("turn", [0.0, 0.4, 1.3])
def test_ink_covers_length_times_width(width: float, turn: float) -> None:
    stroke = stroke_of(np.array([[60.0, 80], [180, 80]]) @ _turned(turn) + 60, width)
    area = ink_coverage([stroke], (320, 320)).sum() / 255
    assert area == pytest.approx(length(stroke) * width + np.pi * width**2 / 4, rel=0.12, abs=12)


def _turned(turn: float) -> np.ndarray:
    return np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])


def test_ink_moves_with_its_stroke() -> None:
    stroke = stroke_of(wave())
    still = ink_coverage([stroke], (700, 400))
    moved = ink_coverage([stroke.moved((7, 5))], (700, 400))
    assert np.abs(still[:-5, :-7].astype(int) - moved[5:, 7:]).max() <= 2


def test_ink_outside_the_picture_is_cut_off() -> None:
    assert not ink_coverage([stroke_of(wave()).moved((5000, 0))], (100, 100)).any()


def test_outline_lies_half_a_width_from_the_centre() -> None:
    stroke = stroke_of(wave(), 6.0)
    away, _ = cKDTree(sample(stroke, 0.5)[0]).query(outline(stroke))
    assert away == pytest.approx(3.0, abs=0.25)


def test_steady_hand_takes_out_tremor_and_keeps_the_ends(random: np.random.Generator) -> None:
    clean = resample(wave(), 1.5)
    shaky = clean + random.normal(0, 1.2, clean.shape)
    steady = smooth_hand(shaky, 6.0)
    assert np.allclose(steady[[0, -1]], shaky[[0, -1]], atol=1e-6)
    assert arc_lengths(steady)[-1] < 0.8 * arc_lengths(shaky)[-1]
    away, _ = cKDTree(clean).query(steady)
    assert away.mean() < 1.0


def swept(stroke: Stroke, size: tuple[int, int], finer: int = 8) -> np.ndarray:
    """Coverage of a stroke as discs along its middle: what a round pen leaves."""
    points, widths = sample(stroke, 0.15)
    canvas = np.zeros((size[1] * finer, size[0] * finer), np.uint8)
    for (x, y), width in zip(points, widths, strict=True):
        centre = (round((x * finer - 0.5) * 16), round((y * finer - 0.5) * 16))
        cv2.circle(
            canvas, centre, max(0, round((width / 2 - 0.5 / finer) * finer * 16)), 255, -1, cv2.LINE_8, 4
        )
    return cv2.resize(canvas, size, interpolation=cv2.INTER_AREA).astype(int)


@pytest.mark.parametrize("width", [2.0, 4.0, 9.0, 25.0])
def test_a_stroke_that_crosses_itself_has_no_hole(width: float) -> None:
    turn = np.linspace(-0.75 * np.pi, 2.75 * np.pi, 400)
    loop = np.c_[60 + 4 * turn + 35 * np.cos(turn), 60 + 35 * np.sin(turn)]
    controls, _ = fit_curve(loop, 0.3)
    widths = np.full((len(controls) - 1) // 3 + 1, width)
    # Pressure: the ends are thin, so no thick spine closes the hole.
    widths[[0, -1]] = 0.2 * width
    stroke = Stroke(controls, widths)
    missing = swept(stroke, (160, 120)) - ink_coverage([stroke], (160, 120)).astype(int)
    assert missing.max() < 120
    inside = missing[swept(stroke, (160, 120)) == 255]
    assert inside.max() < 80
    assert inside.mean() < 1


def test_a_spiral_that_turns_within_its_own_width_is_filled() -> None:
    turn = np.linspace(0, 6 * np.pi, 600)
    controls, _ = fit_curve(np.c_[80 + 2.2 * turn * np.cos(turn), 60 + 2.2 * turn * np.sin(turn)], 0.3)
    for width in (4.0, 14.0, 20.0):
        stroke = Stroke(controls, np.full((len(controls) - 1) // 3 + 1, width))
        off = swept(stroke, (160, 120)) - ink_coverage([stroke], (160, 120)).astype(int)
        assert np.abs(off).max() < 120
        assert np.abs(off).mean() < 1.5


def square(corner: Corner) -> Stroke:
    ends = np.array([[30.0, 30], [90, 30], [90, 90], [30, 90], [30, 30]])
    controls = [ends[0]]
    for a, b in itertools.pairwise(ends):
        controls += [a + (b - a) / 3, a + 2 * (b - a) / 3, b]
    return Stroke(np.array(controls), np.full(5, 8.0), corner=corner)


def test_all_corners_of_a_closed_sharp_stroke_are_sharp() -> None:
    ink = ink_coverage([square("sharp")], (120, 120))
    assert [ink[y, x] for x, y in ((26, 26), (93, 26), (93, 93), (26, 93))] == [255] * 4
    round_ = ink_coverage([square("round")], (120, 120))
    assert [round_[y, x] < 100 for x, y in ((26, 26), (93, 26), (93, 93), (26, 93))] == [True] * 4


def test_a_closed_stroke_can_be_opened_and_is_open_when_it_is_read_again() -> None:
    ring = square("round")
    assert ring.closed
    (cut,) = edit.split(ring, 1.5)
    assert not cut.closed
    assert np.hypot(*(cut.controls[0] - cut.controls[-1])) < 1e-6
    assert not Stroke.from_dict(cut.to_dict()).closed
    assert Stroke.from_dict(ring.to_dict()).closed
    # It has two ends now, so it can be cut in two, and closed again.
    assert len(edit.split(cut, 1.0)) == 2
    assert edit.snapped(cut, [], 3.0).closed
