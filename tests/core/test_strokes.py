"""Stroke algebra: fitting, sampling and rasterising keep what they are given."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from schoon.core.strokes import (
    Stroke,
    arc_lengths,
    corner_indices,
    fit_curve,
    ink_coverage,
    length,
    outline,
    resample,
    sample,
    smooth_hand,
    strokes_from_dicts,
    strokes_to_dicts,
)


def wave(turn: float = 0.0, scale: float = 1.0) -> np.ndarray:
    t = np.linspace(0, 3, 200)
    points = np.c_[100 * t, 40 * np.sin(2 * t)] * scale
    c, s = np.cos(turn), np.sin(turn)
    return points @ np.array([[c, s], [-s, c]]) + 200


def stroke_of(points: np.ndarray, width: float = 4.0, tolerance: float = 0.5) -> Stroke:
    controls, _ = fit_curve(points, tolerance)
    return Stroke(controls, np.full((len(controls) - 1) // 3 + 1, width))


@settings(max_examples=30, deadline=None)
@given(turn=st.floats(0, 6.28), tolerance=st.floats(0.3, 3.0), scale=st.floats(0.3, 4.0))
def test_fit_stays_within_tolerance_at_any_turn(turn: float, tolerance: float, scale: float) -> None:
    points = wave(turn, scale)
    stroke = stroke_of(points, tolerance=tolerance)
    away, _ = cKDTree(sample(stroke, 0.5)[0]).query(points)
    assert away.max() <= tolerance + 0.3


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
