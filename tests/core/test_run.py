"""Strokes through the run: registration, fitting, in-betweens, held parts and measures."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from schoon.core.run import (
    Lines,
    Placement,
    Sway,
    Target,
    brought_back,
    cut_at_doubt,
    drift_and_tremble,
    fit_to,
    held_parts,
    hidden_by,
    measure,
    odd_ones,
    redrawn,
    register,
    register_parts,
    search,
    silhouette,
    smeared,
    tremble,
)
from schoon.core.strokes import Stroke, sample
from schoon.core.strokes.edit import count, split, turned_round

from .test_edit import ring, straight, wave

SIZE = (400, 300)


def face() -> list[Stroke]:
    return [
        replace(ring((200, 150), 90), part="head"),
        replace(ring((230, 120), 18), part="head"),
        replace(wave(150, 240, 190, 6), part="head"),
        replace(straight((110, 145), (60, 60)), part="ear"),
    ]


def placed(strokes: list[Stroke], place: Placement) -> list[Stroke]:
    return [replace(s, controls=place.apply(s.controls)) for s in strokes]


def gap(strokes: list[Stroke], others: list[Stroke]) -> float:
    tree = cKDTree(np.vstack([sample(s, 1.0)[0] for s in others]))
    return float(np.mean(tree.query(np.vstack([sample(s, 2.0)[0] for s in strokes]))[0]))


placements = st.builds(
    lambda angle, scale, x, y: Placement(complex(scale * np.exp(1j * angle)), complex(x, y)),
    st.floats(-3, 3), st.floats(0.5, 2), st.floats(-80, 80), st.floats(-80, 80),
)  # fmt: skip


@given(placements, placements)
def test_placements_undo_and_chain(a: Placement, b: Placement) -> None:
    points = np.array([[3.0, 4.0], [-20.0, 7.5], [100.0, 50.0]])
    assert a.then(a.inverse()).apply(points) == pytest.approx(points, abs=1e-6)
    assert a.then(b).apply(points) == pytest.approx(b.apply(a.apply(points)), abs=1e-6)
    assert Placement.from_numbers(a.numbers()) == a
    assert a.part_way(1).apply(points) == pytest.approx(a.apply(points), abs=1e-6)
    assert a.part_way(0).apply(points) == pytest.approx(points, abs=1e-6)
    c, t = a.matrix[:, :2], a.matrix[:, 2]
    assert points @ c.T + t == pytest.approx(a.apply(points), abs=1e-6)


@given(placements)
def test_the_placement_between_points_is_found(place: Placement) -> None:
    points = np.random.default_rng(0).uniform(0, 300, (20, 2))
    found = Placement.between(points, place.apply(points))
    assert found.turn == pytest.approx(place.turn, abs=1e-6)
    assert found.shift == pytest.approx(place.shift, abs=1e-4)


@settings(max_examples=12, deadline=None)
@given(st.floats(-0.3, 0.3), st.floats(-50, 50), st.floats(-40, 40))
def test_registration_finds_how_a_figure_moved(angle: float, x: float, y: float) -> None:
    turn = complex(np.exp(1j * angle))
    centre = complex(200, 150)
    moved = Placement(turn, centre - turn * centre + complex(x, y))
    lines, there = Lines.of(face(), SIZE), Lines.of(placed(face(), moved), SIZE)
    found, cost = register(lines, Target(there), [Placement(), *search(lines, there)])
    away = np.hypot(*(found.apply(lines.points) - moved.apply(lines.points)).T)
    assert away.mean() < 2
    assert cost < 0.2


def test_strokes_are_fitted_to_a_rough_that_moved_and_changed() -> None:
    source = face()
    turn = complex(np.exp(0.08j))
    target = placed(source, Placement(turn, complex(14, -9)))
    target[2] = replace(wave(150, 240, 196, 14), controls=target[2].controls + (0, 5))
    drawn = [turned_round(s) for s in target[::-1]]
    result = fit_to(source, drawn, SIZE)
    assert gap(result.strokes, target) < 1.2
    assert [len(s.controls) for s in result.strokes] == [len(s.controls) for s in source]
    assert [s.track for s in result.strokes] == [s.id for s in source]
    assert [s.part for s in result.strokes] == [s.part for s in source]
    assert min(s.confidence for s in result.strokes) > 0.8
    assert result.new == []
    assert result.strokes[0].closed


def test_doubt_shows_where_the_rough_disagrees_and_new_lines_are_named() -> None:
    source = face()
    rough = [
        source[0],
        source[1],
        split(source[2], 0.4 * count(source[2]))[0],
        straight((330, 40), (380, 200)),
    ]
    result = fit_to(source, rough, SIZE)
    pieces = cut_at_doubt(result.strokes, rough, SIZE)
    doubtful = [s for s in pieces if s.confidence < 0.5]
    assert gap(doubtful, [source[2], source[3]]) < 4
    assert any(s.part == "ear" for s in doubtful)
    assert {s.id for s in pieces} >= {s.id for s in result.strokes[:2]}
    assert gap(result.new, [rough[3]]) < 1
    assert all(s.confidence < 0.5 for s in result.new)


def test_held_parts_are_found_and_moving_ones_are_not() -> None:
    rng = np.random.default_rng(3)
    found = []
    for k in range(4):
        head = [replace(s, controls=s.controls + rng.normal(0, 0.15, 2)) for s in face() if s.part == "head"]
        ear = [replace(s, controls=s.controls + (6.0 * k, 0)) for s in face() if s.part == "ear"]
        found.append(head + ear)
    (held,) = held_parts(["head", "ear"], found, found, SIZE)
    assert (held.part, held.first, held.last) == ("head", 0, 3)
    assert held.moves < held.scatter


def test_measures_drift_and_tremble() -> None:
    assert measure([]) is None
    m = measure(face())
    assert m is not None
    assert (m.weight, m.count) == (pytest.approx(4), 4)
    assert m.area > 3.1 * 90 * 90 * 0.95
    drawings = [
        [replace(s, controls=s.controls + (2.0 * k + 3.0 * (k == 2), 0)) for s in face()] for k in range(5)
    ]
    creep = drift_and_tremble(drawings[0], register_parts(drawings[0], [*drawings, []], SIZE))
    assert [round(c[0]) if c else None for c in creep] == [0, 2, 7, 6, 8, None]
    assert creep[2] is not None
    assert creep[2][1] == pytest.approx(3, abs=0.3)


def test_odd_values_stand_out_and_missing_ones_most() -> None:
    odd = odd_ones([10, 10.2, 9.9, 14, None])
    assert odd[4] > odd[3] > 3 > odd[0]
    assert odd_ones([10, 10, 10], expected=20)[0] > 3
    assert odd_ones([None]) == [0.0]


def test_a_redraw_lies_as_far_off_as_was_asked_and_hangs_together() -> None:
    square = [straight(a, b) for a, b in pairwise([(80, 60), (320, 60), (320, 240), (80, 240), (80, 60)])]
    first = [*square, ring((200, 150), 50)]
    once, again = (redrawn(first, SIZE, 1.5, seed) for seed in (1, 2))
    for drawn in (once, again):
        assert [s.track for s in drawn] == [s.id for s in first]
        assert drawn[-1].closed
        # Measured as a hand's redraws are, it is what was asked for; lines slide along themselves unseen.
        assert 0.6 < tremble(first, [drawn], SIZE) < 1.8
        for a, b in pairwise([*drawn[:4], drawn[0]]):
            assert np.hypot(*(a.controls[-1] - b.controls[0])) < 0.05
    assert gap(once, again) > 0.5
    assert gap(redrawn(first, SIZE, 0.0, 1), first) < 0.3
    assert tremble(first, [], SIZE) is None
    moved = placed(first, Placement(complex(np.exp(0.03j)), 6 + 4j))
    assert tremble(first, [moved], SIZE) < 0.3


def test_what_a_form_hides_ends_at_its_outline_and_comes_back_whole() -> None:
    front = [ring((200, 150), 60)]
    lines = [
        straight((60, 150), (340, 150)),
        straight((180, 140), (220, 160)),
        straight((20, 20), (380, 20)),
        ring((300, 150), 40),
    ]
    inside = silhouette(front, SIZE)
    assert inside(np.array([[200, 150], [142, 150], [138, 150], [10, 10]], float)).tolist() == [
        True,
        True,
        False,
        False,
    ]
    seen, hidden = hidden_by(lines, front, SIZE)
    ends = np.sort(
        [s.controls[e, 0] for s in seen if s.track == lines[0].id or s.id == lines[0].id for e in (0, -1)]
    )
    assert ends == pytest.approx([60, 140, 260, 340], abs=2.5)
    # All of what lies inside is hidden, what lies outside is as it was, and a ring keeps being one line.
    assert lines[1].id in {s.id for s in hidden}
    assert lines[2] in seen
    back = brought_back(seen, hidden)
    assert len(back) == len(lines)
    assert gap(back, lines) < 0.2
    assert gap(lines, back) < 0.2
    assert sum(s.closed for s in back) == 1
    assert brought_back(lines, []) == lines


@given(st.floats(-60, 60), st.floats(20, 80))
def test_whatever_is_hidden_comes_back(x: float, radius: float) -> None:
    lines = [wave(40, 360, 150, 30), straight((150, 40), (150, 260))]
    seen, hidden = hidden_by(lines, [ring((200 + x, 150), radius)], SIZE)
    back = brought_back(seen, hidden)
    assert len(back) == 2
    assert gap(back, lines) < 0.2
    assert gap(lines, back) < 0.2


@given(st.floats(-40, 40), st.floats(-40, 40), st.floats(0, 1))
def test_a_sway_meets_its_handles_and_pins(dx: float, dy: float, share: float) -> None:
    figure = [straight((200, 20), (200, 280)), ring((200, 60), 30)]
    sway = Sway.of([((200, 20), (dx, dy))], [(190, 280), (210, 280)])
    feet = np.array([[190, 280], [210, 280]], float)
    assert np.hypot(*(sway.at(feet, share) - feet).T).max() < 0.01
    assert (
        np.hypot(*(sway.at(np.array([[200.0, 20.0]]), share)[0] - (200 + share * dx, 20 + share * dy))) < 0.01
    )
    bent = sway.bent(figure, SIZE, share)
    assert [s.id for s in bent] == [s.id for s in figure]
    assert bent[1].closed
    assert np.hypot(*(bent[0].controls[-1] - (200, 280))) < 2.5
    if share == 0:
        assert gap(bent, figure) < 0.3


def test_a_smear_reaches_from_where_it_was_to_where_it_will_be() -> None:
    def ball(x: float) -> list[Stroke]:
        return [ring((x, 150), 30), straight((x - 10, 140), (x + 10, 140))]

    long = smeared(ball(200), ball(120), ball(260), 1.0)
    x = sample(long[0])[0][:, 0]
    assert (x.min(), x.max()) == pytest.approx((170 - 40, 230 + 30), abs=3)
    y = sample(long[0])[0][:, 1]
    assert (y.min(), y.max()) == pytest.approx((120, 180), abs=1)
    assert long[0].closed
    one_way = sample(smeared(ball(200), None, ball(260), 1.0)[0])[0][:, 0]
    assert (one_way.min(), one_way.max()) == pytest.approx((170, 260), abs=3)
    with pytest.raises(ValueError, match="does not move"):
        smeared(ball(200), ball(200), ball(200), 1.0)
