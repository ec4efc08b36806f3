"""In-betweens: whole forms on arcs, hidden where something lies before them."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from schoon.core.between import Between, Pull, followed, spacing
from schoon.core.between.chains import chains_of
from schoon.core.between.depth import Surfaces
from schoon.core.between.springs import Springs
from schoon.core.strokes import Points, Stroke, fit_curve, length, sample

SIZE = (800, 600)


def line(points: Sequence[Sequence[float]] | Points, part: str = "", width: float = 3.0) -> Stroke:
    controls = fit_curve(np.asarray(points, float), 0.05)[0]
    return Stroke(controls, np.full((len(controls) - 1) // 3 + 1, width), part=part)


def ring(centre: Sequence[float], rx: float, ry: float | None = None, part: str = "") -> Stroke:
    turn = np.linspace(0, 2 * np.pi, 73)
    points = np.c_[centre[0] + rx * np.cos(turn), centre[1] + (ry or rx) * np.sin(turn)]
    points[-1] = points[0]
    controls = fit_curve(points, 0.05, closed=True)[0]
    return Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 3.0), part=part)


def box(x: float, y: float, w: float, h: float, part: str = "") -> list[Stroke]:
    corners = [(x, y), (x + w, y), (x + w, y + h), (x, y + h), (x, y)]
    return [line([a, b], part) for a, b in itertools.pairwise(corners)]


def turned(strokes: Sequence[Stroke], angle: float, about: Sequence[float], by: complex = 0j) -> list[Stroke]:
    turn = np.exp(1j * angle)
    found = []
    for s in strokes:
        z = turn * (s.controls[:, 0] + 1j * s.controls[:, 1] - complex(*about)) + complex(*about) + by
        found.append(replace(s, controls=np.c_[z.real, z.imag], id=s.id + "b"))
    return found


def face(x: float = 0, y: float = 0) -> list[Stroke]:
    return [ring((300 + x, 250 + y), 120, 150), ring((260 + x, 220 + y), 18, 25), ring((345 + x, 220 + y), 18, 25),
            line([(270 + x, 320 + y), (300 + x, 335 + y), (335 + x, 318 + y)])]  # fmt: skip


def off(found: Sequence[Stroke], true: Sequence[Stroke]) -> float:
    """The farthest any point of one lies from the other, px."""
    p, q = (np.vstack([sample(s, 1.0)[0] for s in side]) for side in (found, true))
    return float(max(cKDTree(p).query(q)[0].max(), cKDTree(q).query(p)[0].max()))


def test_between_equal_drawings_lies_the_drawing() -> None:
    a = face()
    found = Between.of(a, [replace(s, id=s.id + "b") for s in a], SIZE)
    assert (found.matched, found.lost) == (4, 0)
    for share in (0.0, 0.3, 1.0):
        assert off(found.at(share), a) < 0.05
        assert not any(s.doubtful for s in found.at(share))


@settings(max_examples=12, deadline=None)
@given(st.floats(-0.5, 0.5), st.floats(-60, 60), st.floats(-40, 40), st.floats(0.2, 0.8))
def test_what_is_rigid_stays_rigid(angle: float, dx: float, dy: float, share: float) -> None:
    a = face()
    b = turned(a, angle, (300, 250), complex(dx, dy))
    middle = Between.of(a, b, SIZE).at(share)
    true = turned(a, share * angle, (300, 250), share * complex(dx, dy))
    assert len(middle) == len(a)
    # The way may go round a centre or straight; the form is the same wherever it lies.
    centres = [np.vstack([sample(s, 1.0)[0] for s in side]).mean(axis=0) for side in (middle, true)]
    back = [replace(s, controls=s.controls + centres[1] - centres[0]) for s in middle]
    assert off(back, true) < 0.3 * 0.8 + 0.1
    assert np.hypot(*(centres[0] - centres[1])) < 2.5


def test_limbs_turn_about_their_joint() -> None:
    body = ring((300, 300), 110, 150)
    arm = [line([(400, 220), (560, 215)]), line([(405, 262), (560, 255)]), ring((585, 235), 30, 24)]
    a = [body, *arm]
    b = [replace(body, id="body"), *turned(arm, 0.6, (390, 240))]
    hand = min((s for s in Between.of(a, b, SIZE).at(0.5) if s.closed), key=length)
    middle = sample(hand)[0].mean(axis=0)
    # Half way round the shoulder, not half way across.
    assert np.hypot(*(middle - (390, 240))) == pytest.approx(195, abs=4)
    assert np.arctan2(middle[1] - 240, middle[0] - 390) == pytest.approx(0.3 - 0.025, abs=0.04)


def scene(x: float) -> tuple[list[Stroke], list[Stroke]]:
    """A window with a cross in it, and a wide post that passes before it: what is seen, and the post."""
    post = [line([(x, 60), (x, 540)], "post"), line([(x + 90, 60), (x + 90, 540)], "post"),
            line([(x, 60), (x + 90, 60)], "post"), line([(x, 540), (x + 90, 540)], "post")]  # fmt: skip
    seen = [*post, ring((150, 480), 40)]
    for y in (200, 380):
        for p, q in ((200, x), (x + 90, 640)):
            if q - p > 4:
                seen.append(line([(p, y), (q, y)], "frame"))
    for at in (200, 640):
        if not x < at < x + 90:
            seen.append(line([(at, 200), (at, 380)], "frame"))
    centre = 420
    if not x - 25 < centre < x + 115:
        seen.append(ring((centre, 290), 24, part="knob"))
    return seen, post


def inside(strokes: Sequence[Stroke], x: float, kind: Callable[[Stroke], bool]) -> float:
    """How many px of such lines lie behind the post at x."""
    points = np.vstack([sample(s, 1.0)[0] for s in strokes if kind(s)])
    return float(((points[:, 0] > x + 5) & (points[:, 0] < x + 85)).sum())


def test_what_passes_behind_is_hidden_and_comes_out_again() -> None:
    a, _ = scene(250)
    b, _ = scene(385)
    found = Between.of(a, b, SIZE)
    for share in (0.3, 0.5, 0.7):
        x = 250 + 135 * share
        strokes = found.at(share)
        assert inside(strokes, x, lambda s: s.part == "frame") < 14
        knob = [s for s in strokes if s.part == "knob"]
        shown = sum(map(length, knob))
        # The knob is seen from the right of the post on, and goes behind it bit by bit.
        whole = 2 * np.pi * 24
        assert (shown > 0.9 * whole) if x + 90 < 394 else (shown < 0.9 * whole)


def test_a_line_across_the_borders_of_surfaces_lies_on_them() -> None:
    """What of it is on a border counts neither way; along a border, or mostly outside, it lies on nothing."""
    chains = chains_of([*box(100, 100, 200, 200), line([(200, 100), (200, 300)])], SIZE)
    surfaces = Surfaces.of(Springs.of(chains, 0.8), SIZE)
    across = np.linspace(120, 280, 60) + 200j
    assert len(surfaces.over(across)) == 2
    on_border = np.r_[np.full(30, 200), np.linspace(205, 280, 30)] + 200j
    assert len(surfaces.over(on_border)) == 1
    assert not surfaces.over(200 + 1j * np.linspace(120, 280, 60))
    assert not surfaces.over(np.linspace(20, 160, 60) + 200j)


def test_what_a_person_says_of_the_order_is_stronger() -> None:
    # Neither covers the other in a key: only on the way do they meet.
    still = [ring((150, 480), 40), line([(80, 80), (200, 100)]), *box(360, 200, 80, 160, "post")]
    a = [*still, ring((300, 280), 40, part="ball")]
    b = [*still, replace(ring((500, 280), 40, part="ball"), track=a[-1].id)]
    found = Between.of(a, b, SIZE)

    def shown(part: str, order: tuple[str, ...]) -> float:
        return sum(length(s) for s in found.at(0.5, order) if s.part == part)

    whole = 2 * np.pi * 40
    assert shown("ball", ()) == pytest.approx(whole, abs=5)
    assert shown("ball", ("ball", "post")) == pytest.approx(whole, abs=5)
    assert shown("ball", ("post", "ball")) < 0.25 * whole
    assert shown("post", ("post", "ball")) == pytest.approx(480, abs=3)


def test_parts_have_their_own_spacing_and_arcs_are_bent() -> None:
    a = [replace(s, part="face") for s in face()] + box(500, 200, 120, 90, "card")
    b = turned(a, 0, (0, 0), 80 + 0j)
    found = Between.of(a, b, SIZE)

    def x(strokes: Sequence[Stroke], part: str) -> float:
        return float(np.mean([sample(s)[0][:, 0].mean() for s in strokes if s.part == part]))

    start = x(a, "face"), x(a, "card")
    middle = found.at({"": 0.5, "card": 0.2})
    assert (x(middle, "face") - start[0], x(middle, "card") - start[1]) == pytest.approx((40, 16), abs=3)
    beyond = found.at(1.1)
    assert x(beyond, "face") - start[0] == pytest.approx(88, abs=1)
    pull = Pull((560, 200), (0, -50))
    path, still = found.paths([(560, 200), (300, 100)], [0, 0.25, 0.5, 1], [pull])
    assert path[:, 1] - 200 == pytest.approx([0, -37.5, -50, 0], abs=2)
    assert still[2, 1] == pytest.approx(100, abs=6)
    assert found.part_at((505, 250)) == "card"


def test_strokes_that_know_each_other_are_matched_wherever_they_are() -> None:
    a = [ring((200, 200), 40), ring((500, 200), 40), *box(100, 400, 300, 100)]
    b = [replace(ring((260, 210), 40), track=a[1].id), replace(ring((560, 210), 40), track=a[0].id), *a[2:]]
    middle = {s.track: sample(s)[0][:, 0].mean() for s in Between.of(a, b, SIZE).at(0.5) if s.closed}
    assert middle == pytest.approx({a[0].id: 380, a[1].id: 380}, abs=2)


def test_lines_go_on_through_junctions_as_the_eye_follows_them() -> None:
    table = [line([(100, 300), (400, 300)]), line([(400, 300), (700, 300)]), line([(400, 300), (400, 500)])]
    found = sorted(chains_of(table, SIZE), key=lambda c: -len(c.z))
    assert [round(abs(c.z[-1] - c.z[0])) for c in found] == [600, 200]
    assert found[1].stops.count(True) == 1
    crossed = chains_of([line([(100, 300), (700, 300)]), line([(400, 300), (400, 500)])], SIZE)
    assert len(crossed) == 2


def test_a_correction_is_done_to_the_others_in_proportion() -> None:
    proposed = [[replace(line([(100, y), (300, y)]), track="brow")] for y in (110, 120, 130)]
    bow = replace(line([(300, 120), (200, 90), (100, 120)]), track="brow", by="hand")
    found, corrected = followed(proposed, [[], [bow], []], [0.25, 0.5, 0.75])
    assert corrected == 1
    middles = [sample(strokes[0])[0] for strokes in found]
    rise = [
        y - points[np.abs(points[:, 0] - 200).argmin(), 1]
        for y, points in zip((110, 120, 130), middles, strict=True)
    ]
    assert rise == pytest.approx([15, 30, 15], abs=3)
    assert followed(proposed, [[], [], []], [0.25, 0.5, 0.75]) == (proposed, 0)


def test_spacing_charts_gather_where_they_say_and_parts_lag() -> None:
    assert spacing("even", 3) == pytest.approx([0.25, 0.5, 0.75])
    assert all(i > e for i, e in zip(spacing("ease in", 3), spacing("even", 3), strict=True))
    assert all(o < e for o, e in zip(spacing("ease out", 3), spacing("even", 3), strict=True))
    assert spacing([0.33, 0.66], 2) == pytest.approx([0.33, 0.66])
    assert spacing([-0.1, 0.6, 1.1], 3) == pytest.approx([-0.1, 0.6, 1.1])
    late, early = spacing("even", 4, 2), spacing("even", 4, -1)
    assert late[:2] == [0, 0]
    assert late == sorted(late)
    assert early[-1] == 1
    for wrong in ("bouncy", [0.5], [0.7, 3.0]):
        with pytest.raises(ValueError, match=r"spacing"):
            spacing(wrong, 2)
    with pytest.raises(ValueError, match=r"lag"):
        spacing("even", 2, 3)


def test_nothing_alike_is_said_to_be_so() -> None:
    with pytest.raises(ValueError, match=r"no line"):
        Between.of([], face(), SIZE)
