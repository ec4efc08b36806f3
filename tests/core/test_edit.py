"""The algebra of strokes: nothing is lost, nothing moves that should not, whichever way the paper lies."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from schoon.core.strokes import Stroke, arc_lengths, edit, fit_curve, ink_coverage, length, sample
from schoon.core.strokes.rule import LineRule, kinds_of, ruled

SIZE = (400, 300)


def wave(start: float = 40, end: float = 360, y: float = 150, height: float = 30) -> Stroke:
    x = np.linspace(start, end, 200)
    controls, _ = fit_curve(np.c_[x, y + height * np.sin(x / 40)], 0.3)
    return Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 4.0))


def straight(a: tuple[float, float], b: tuple[float, float]) -> Stroke:
    controls, _ = fit_curve(np.linspace(a, b, 20), 0.3)
    return Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 4.0))


def ring(centre: tuple[float, float] = (200, 150), radius: float = 60) -> Stroke:
    t = np.linspace(0, 2 * np.pi, 160)
    points = np.array(centre) + radius * np.c_[np.cos(t), np.sin(t)]
    points[-1] = points[0]
    controls, _ = fit_curve(points, 0.3, closed=True)
    return Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 4.0))


def apart(a: Stroke, b: Stroke) -> float:
    """Greatest distance between two lines, either way, px."""
    p, q = sample(a, 1.0)[0], sample(b, 1.0)[0]
    return max(float(cKDTree(p).query(q)[0].max()), float(cKDTree(q).query(p)[0].max()))


def turned(angle: float, shift: tuple[float, float]) -> np.ndarray:
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c, -s, shift[0]], [s, c, shift[1]]])


strokes = st.builds(
    wave,
    start=st.floats(10, 60),
    end=st.floats(200, 390),
    y=st.floats(80, 220),
    height=st.floats(-60, 60),
)
shares = st.floats(0.05, 0.95)


@given(strokes, shares, shares)
def test_dividing_and_cutting_lose_nothing(stroke: Stroke, a: float, b: float) -> None:
    n = edit.count(stroke)
    a, b = sorted((a * n, b * n))
    fine = edit.divided(stroke, [a, b])
    assert apart(stroke, fine) < 0.8
    pieces = [edit.cut(stroke, 0, a), edit.cut(stroke, b, n)]
    if b - a > 1e-3:
        pieces.append(edit.cut(stroke, a, b))
    assert sum(map(length, pieces)) == pytest.approx(length(stroke), abs=1.5)


@given(strokes, shares)
def test_a_cut_stroke_joins_to_the_line_it_was(stroke: Stroke, share: float) -> None:
    first, second = edit.split(stroke, share * edit.count(stroke))
    for tail in (second, edit.turned_round(second)):
        assert apart(edit.joined(first, tail), stroke) < 1.0


@settings(deadline=None)
@given(strokes, st.floats(0, 6.28), shares)
def test_editing_does_not_depend_on_how_the_paper_lies(stroke: Stroke, angle: float, share: float) -> None:
    matrix = turned(angle, (30, -20))
    place = share * edit.count(stroke)
    at = edit.at(stroke, np.array([place]))[0]
    by = np.array([9.0, -5.0])
    moved_at, moved_by = matrix[:, :2] @ at + matrix[:, 2], matrix[:, :2] @ by
    turned_stroke = edit.transformed(stroke, matrix)
    assert (
        apart(
            edit.transformed(edit.bent(stroke, at, by, 40), matrix),
            edit.bent(turned_stroke, moved_at, moved_by, 40),
        )
        < 0.5
    )
    assert apart(edit.transformed(edit.smoothed(stroke, 4), matrix), edit.smoothed(turned_stroke, 4)) < 1.5
    assert edit.nearest(turned_stroke, moved_at)[0] == pytest.approx(edit.nearest(stroke, at)[0], abs=0.02)


@given(strokes, shares)
def test_a_bend_is_full_at_the_pen_and_nothing_beyond_its_reach(stroke: Stroke, share: float) -> None:
    at = edit.at(stroke, np.array([share * edit.count(stroke)]))[0]
    bent = edit.bent(stroke, at, (0, 10), 25)
    assert edit.nearest(bent, at + (0, 10))[1] < 4
    far = np.hypot(*(sample(stroke, 2)[0] - at).T) > 90
    if far.any():
        assert cKDTree(sample(bent, 0.5)[0]).query(sample(stroke, 2)[0][far])[0].max() < 0.5


def test_smoothing_takes_the_tremor_and_keeps_ends_and_corner() -> None:
    rng = np.random.default_rng(1)
    legs = np.vstack([np.linspace((40, 200), (200, 60), 100), np.linspace((200, 60), (360, 200), 100)[1:]])
    controls, _ = fit_curve(legs + rng.normal(0, 1.2, legs.shape), 0.6)
    rough = Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 4.0))
    calm = edit.smoothed(rough, 5)
    assert edit.count(calm) < edit.count(rough)
    assert edit.nearest(calm, (200, 60))[1] < 6
    assert np.allclose(calm.controls[[0, -1]], rough.controls[[0, -1]], atol=0.1)


def test_weighing_a_stretch_leaves_the_rest_as_it_is() -> None:
    stroke = wave()
    heavy = edit.weighted(stroke, 2.0, 1.0, 1.8)

    def width_at(place: float) -> float:
        there, _ = edit.nearest(heavy, edit.at(stroke, np.array([place]))[0])
        return float(np.interp(there, np.arange(len(heavy.widths)), heavy.widths))

    assert width_at(0.4) == pytest.approx(4, abs=0.1)
    assert width_at(1.4) == pytest.approx(8, abs=0.1)
    assert width_at(2.4) == pytest.approx(4, abs=0.1)
    assert apart(stroke, heavy) < 0.5
    assert (edit.weighted(stroke, 2.0).widths == 8).all()


def sample_widths(stroke: Stroke, number: int) -> np.ndarray:
    points, widths = sample(stroke, 1.0)
    along = arc_lengths(points)
    return np.interp(np.linspace(0, along[-1], number), along, widths)


def test_tapered_ends_run_out_thin_and_the_middle_stays() -> None:
    widths = sample_widths(edit.tapered(wave(), 40, 0), 100)
    assert widths[0] == pytest.approx(1, abs=0.1)
    assert widths[50] == pytest.approx(4)
    assert widths[-1] == pytest.approx(4)
    closed = ring()
    assert edit.tapered(closed, 40, 40) is closed


def test_trim_takes_the_stretch_between_crossings() -> None:
    line = straight((20, 150), (380, 150))
    crossing = [straight((120, 20), (120, 280)), straight((250, 20), (250, 280))]
    left, right = edit.trimmed(line, crossing, edit.nearest(line, (180, 150))[0])
    assert left.controls[-1] == pytest.approx((120, 150), abs=0.5)
    assert right.controls[0] == pytest.approx((250, 150), abs=0.5)
    (rest,) = edit.trimmed(line, crossing, edit.nearest(line, (30, 150))[0])
    assert length(rest) == pytest.approx(260, abs=1)
    with pytest.raises(ValueError, match="nothing crosses"):
        edit.trimmed(line, [], 0.5)


def test_trimming_a_ring_opens_it_between_its_crossings() -> None:
    loop = ring()
    (rest,) = edit.trimmed(loop, [straight((200, 20), (200, 280))], edit.nearest(loop, (260, 150))[0])
    assert not rest.closed
    assert sample(rest)[0][:, 0].max() < 201
    assert length(rest) == pytest.approx(length(loop) / 2, rel=0.03)


def test_redrawing_changes_just_the_stretch() -> None:
    line = straight((20, 150), (380, 150))
    x = np.linspace(120, 240, 60)
    controls, _ = fit_curve(np.c_[x, 150 - 30 * np.sin((x - 120) / 120 * np.pi)], 0.3)
    bump = Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 4.0))
    for fresh in (bump, edit.turned_round(bump)):
        whole = edit.redrawn(line, fresh)
        assert edit.nearest(whole, (180, 120))[1] < 2
        assert whole.controls[[0, -1]] == pytest.approx(line.controls[[0, -1]])
        assert edit.nearest(whole, (60, 150))[1] < 0.5
        assert whole.id == line.id


def test_redrawing_a_ring_keeps_it_closed() -> None:
    loop = ring()
    t = np.linspace(-0.7, 0.7, 60)
    fresh_points = (
        np.array((200, 150)) + (60 + 18 * np.cos(t / 0.7 * np.pi / 2))[:, None] * np.c_[np.cos(t), np.sin(t)]
    )
    controls, _ = fit_curve(fresh_points, 0.3)
    whole = edit.redrawn(loop, Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 4.0)))
    assert whole.closed
    assert edit.nearest(whole, (278, 150))[1] < 2
    assert edit.nearest(whole, (140, 150))[1] < 1


@pytest.mark.parametrize(("gap", "snaps"), [(6, True), (30, False)])
def test_ends_snap_to_the_line_they_meant(gap: float, snaps: bool) -> None:
    wall = straight((300, 20), (300, 280))
    drawn = edit.snapped(straight((60, 150), (300 - gap, 150)), [wall], 12)
    assert (drawn.controls[-1] == pytest.approx((300, 150), abs=0.5)) == snaps
    over = edit.snapped(straight((60, 150), (300 + gap, 150)), [wall], 12)
    assert (over.controls[-1] == pytest.approx((300, 150), abs=0.5)) == snaps


def test_a_stroke_that_comes_back_to_its_beginning_closes() -> None:
    t = np.linspace(0.05, 2 * np.pi - 0.05, 120)
    controls, _ = fit_curve(np.array((200, 150)) + 60 * np.c_[np.cos(t), np.sin(t)], 0.3)
    almost = Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 4.0))
    assert edit.snapped(almost, [], 12).closed


@pytest.mark.parametrize("corner", ["round", "sharp"])
def test_corners_are_inked_full(corner: str) -> None:
    legs = np.vstack([np.linspace((60, 240), (200, 60), 60), np.linspace((200, 60), (340, 240), 60)[1:]])
    controls, _ = fit_curve(legs, 0.3, [59])
    stroke = replace(
        Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 24.0)),
        corner=corner,  # type: ignore[arg-type]
    )
    ink = ink_coverage([stroke], SIZE)
    top = int(np.flatnonzero(ink.max(axis=1) > 127)[0])
    # A round corner reaches half a width out, a sharp one to where the sides meet.
    assert top == pytest.approx(48 if corner == "round" else 60 - 12 / np.sin(np.arctan(140 / 180)), abs=2)
    inside = np.linspace((195, 75), (205, 75), 5).astype(int)
    assert (ink[inside[:, 1], inside[:, 0]] > 250).all()


def test_the_line_rule_tells_outline_inner_and_detail() -> None:
    face = [
        ring(radius=100),
        wave(150, 250, 170, 5),
        straight((190, 110), (205, 112)),
        straight((201, 60), (201, 90)),
    ]
    rule = LineRule(outline=6, inner=4, detail=2, taper=12)
    assert kinds_of(face, SIZE, rule) == ["outline", "inner", "detail", "detail"]
    weighed = ruled(face, SIZE, rule)
    assert [float(s.widths.max()) for s in weighed] == [6, 4, 2, 2]
    assert weighed[0].widths.min() == 6
    assert weighed[1].widths.min() == pytest.approx(1, abs=0.1)
    assert ruled([], SIZE, rule) == []


def test_everything_about_a_stroke_survives_writing() -> None:
    stroke = replace(
        wave(), part="head", track="t1", link=(1.0, 0.0, 3.5, -2.0), corner="sharp", confidence=0.4
    )
    back = Stroke.from_dict(stroke.to_dict())
    assert (back.part, back.track, back.link, back.corner, back.id) == (
        "head", "t1", (1.0, 0.0, 3.5, -2.0), "sharp", stroke.id,
    )  # fmt: skip
    plain = wave().to_dict()
    assert not {"part", "track", "link", "corner"} & plain.keys()


def test_a_rule_that_swells_follows_the_pencil_within_its_bounds() -> None:
    """Thick and thin against the middling line of a kind; laid on again it changes nothing more."""
    pressed = np.array([1.0, 2.0, 4.0, 6.0, 20.0])
    line = Stroke(np.stack([np.linspace(20, 280, 13), np.full(13, 60.0)], axis=1), pressed)
    even = Stroke(line.controls + (0, 80), np.full(5, 4.0))
    rule = LineRule(outline=3.0, inner=3.0, detail=3.0, swell=1.0, thinnest=0.5, thickest=2.0)
    first, second = ruled([line, even], SIZE, rule)
    assert np.allclose(first.widths, 3.0 * np.array([0.5, 0.5, 1.0, 1.5, 2.0]))
    assert np.allclose(second.widths, 3.0)
    assert np.allclose(ruled([first, second], SIZE, rule)[0].widths, first.widths)
    half = ruled([line, even], SIZE, replace(rule, swell=0.5))[0]
    assert np.allclose(half.widths, 3.0 * np.array([0.625, 0.75, 1.0, 1.25, 2.0]))
    assert np.allclose(ruled([line], SIZE, replace(rule, swell=0.0))[0].widths, 3.0)


def test_rubbing_out_leaves_what_lies_beyond_its_reach() -> None:
    line = straight((40, 100), (360, 100))
    assert edit.rubbed(line, np.array([[200.0, 140.0]]), 20) is None
    assert edit.rubbed(line, np.array([[900.0, 900.0], [950.0, 900.0]]), 20) is None
    left = edit.rubbed(line, np.array([[200.0, 80.0], [200.0, 120.0]]), 20)
    assert left is not None
    ends = sorted((s.controls[0][0], s.controls[-1][0]) for s in left)
    assert ends == [pytest.approx((40, 180), abs=2), pytest.approx((220, 360), abs=2)]
    assert edit.rubbed(line, np.array([[30.0, 100.0], [370.0, 100.0]]), 12) == []


def test_a_ring_that_is_rubbed_out_in_one_place_is_one_line() -> None:
    for angle in (0.0, 1.0, 3.1):
        at = np.array([200.0, 150.0]) + 60 * np.array([np.cos(angle), np.sin(angle)])
        left = edit.rubbed(replace(ring(), filled=True), at[None], 15)
        assert left is not None
        (one,) = left
        assert not one.closed
        assert not one.filled
        assert length(one) == pytest.approx(2 * np.pi * 60 - 30, abs=4)
        assert np.hypot(*(sample(one, 1.0)[0] - at).T).min() > 13
