"""Rigid props: what they are built of, how they are seen, placed, carried and corrected."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from scipy.spatial.distance import pdist

from schoon.core.prop import (
    Built,
    Drawn,
    Placed,
    Shape,
    Sight,
    Solid,
    between,
    build,
    carried,
    kept,
    runs,
    snapped,
    strokes_of,
    turned_by,
    without,
)
from schoon.core.strokes import Stroke, sample

CUBE = Built(shapes=[Shape(kind="box", name="crate", path=[(0, 0), (100, 100)], thick=100)])
BALL = Built(
    axis=50,
    shapes=[
        Shape(
            kind="turned", name="ball", rounded=True,
            path=[(50 + 50 * np.sin(a), 50 - 50 * np.cos(a)) for a in np.linspace(0, np.pi, 25)],
        )
    ],
)  # fmt: skip


def lamp(door: bool = False) -> Solid:
    """A lamp with a foot, a flame in glass, a roof, and maybe a door of brass before it."""
    shapes = [
        Shape(kind="turned", name="foot", pot=1, path=[(0, 150), (46, 150), (54, 186), (0, 186)]),
        Shape(kind="turned", name="glass", pot=2, glass=True, path=[(42, 70), (42, 150)]),
        Shape(kind="turned", name="flame", pot=3, rounded=True, path=[(0, 90), (13, 120), (0, 150)]),
        Shape(kind="turned", name="roof", pot=1, path=[(0, 40), (48, 70), (0, 70)]),
    ]
    if door:
        shapes.append(
            Shape(kind="box", name="door", pot=1, path=[(-20, 80), (20, 140)], thick=4, near=46, hinge="left")
        )
    return build(Built(axis=0, shapes=shapes))


def ends_of(strokes: list[Stroke]) -> set[tuple[int, int]]:
    return {(round(x / 4), round(y / 4)) for s in strokes for x, y in (s.controls[0], s.controls[-1])}


def test_a_crate_shows_nine_of_its_twelve_edges() -> None:
    found = runs(Sight.of(build(CUBE), turned_by(Placed((200, 200), 160), 35, 25, 0)))
    seen, hidden = ([run for run in found if run.seen == way] for way in (True, False))
    assert (len(seen), len(hidden)) == (9, 3)
    assert sum(run.length for run in seen) > 2.5 * sum(run.length for run in hidden)


def test_a_crate_from_the_front_is_a_square() -> None:
    strokes = strokes_of(runs(Sight.of(build(CUBE), Placed((200, 200), 160))), 4, "crate", "1")
    points = np.vstack([sample(s)[0] for s in strokes])
    assert len(strokes) == 4
    assert np.abs(np.abs(points - 200).max(axis=1) - 80).max() < 0.3


@given(st.floats(-180, 180), st.floats(-90, 90), st.floats(40, 600))
@settings(max_examples=12, deadline=None)
def test_the_outline_of_a_ball_is_a_circle_from_any_side(right: float, down: float, size: float) -> None:
    found = [
        run
        for run in runs(Sight.of(build(BALL), turned_by(Placed((700, 700), size), right, down, 0)))
        if run.seen
    ]
    far = np.hypot(*(np.vstack([run.flat for run in found]) - 700).T)
    assert np.abs(far - size / 2).max() < 0.3 + 0.004 * size


def test_what_is_behind_is_hidden_and_glass_hides_nothing() -> None:
    solid = lamp()
    sight = Sight.of(solid, turned_by(Placed((200, 200), 300), 0, 12, 0))
    names = [form.name for form in solid.forms]
    flame = 1 + names.index("flame")
    # The flame is seen through the glass; the foot's far rim is hidden by nothing but the foot itself.
    assert (sight.forms == flame).sum() > 500
    assert (sight.forms == 1 + names.index("glass")).sum() > (sight.forms == flame).sum()
    closed = lamp(door=True)
    front = Sight.of(closed, turned_by(Placed((200, 200), 300), 0, 12, 0))
    opened = Sight.of(closed, turned_by(Placed((200, 200), 300, opened=1), 0, 12, 0))
    assert (opened.forms == flame).sum() > 1.5 * (front.forms == flame).sum()


def test_a_door_opens_about_its_side_and_nothing_else_moves() -> None:
    solid = lamp(door=True)
    door = solid.form_of == [form.name for form in solid.forms].index("door")
    shut, opened = solid.posed(0), solid.posed(1)
    assert np.array_equal(shut[~door], opened[~door])
    hinge = shut[door][:, 0] < shut[door][:, 0].min() + 1e-9
    assert np.abs((shut - opened)[door][hinge]).max() < 0.05
    # Towards the eye, which lies at smaller z.
    assert opened[door][~hinge][:, 2].max() < shut[door][:, 2].min() + 0.05
    assert pdist(opened[door]) == pytest.approx(pdist(shut[door]))


def test_equal_lines_have_equal_names_from_placement_to_placement() -> None:
    solid = lamp()
    tracks = []
    for right in (0, 4):
        found = strokes_of(
            runs(Sight.of(solid, turned_by(Placed((200, 200), 300), right, 12, 0))), 4, "lamp", "7"
        )
        assert len({s.id for s in found}) == len(found)
        tracks.append({s.track for s in found})
    assert len(tracks[0] & tracks[1]) > 0.7 * len(tracks[0] | tracks[1])


def test_details_lie_on_their_form() -> None:
    made = CUBE.model_copy(update={"details": [Drawn(form=0, path=[(20, 50), (80, 50)])]})
    front = runs(Sight.of(build(made), Placed((200, 200), 100)))
    line = next(run for run in front if run.seen and run.name.startswith("d"))
    assert line.flat[[0, -1]] == pytest.approx(np.array([[170, 200], [230, 200]]), abs=1.5)
    back = runs(Sight.of(build(made), turned_by(Placed((200, 200), 100), 180, 0, 0)))
    assert not any(run.seen and run.name.startswith("d") for run in back)


turns = st.tuples(st.floats(-170, 170), st.floats(-80, 80), st.floats(-170, 170))


@given(turns, turns, st.floats(0.05, 0.95))
@settings(max_examples=40, deadline=None)
def test_rigid_stays_rigid_between_keys(one: tuple, two: tuple, share: float) -> None:  # type: ignore[type-arg]
    points = build(CUBE).points
    keys = [turned_by(Placed((100, 100), 200), *one), turned_by(Placed((400, 180), 200), *two)]
    [half] = between(keys, [1, 5], [1 + 4 * share])
    # Seen from three sides the places keep their distances.
    assert pdist(half.turned(points)) * half.size == pytest.approx(200 * pdist(points), abs=0.3)
    assert 100 <= half.at[0] <= 400
    for key, time in zip(keys, (1, 5), strict=True):
        [again] = between(keys, [1, 5], [time])
        assert again.seen(again.turned(points)) == pytest.approx(key.seen(key.turned(points)), abs=0.01)


def test_it_goes_through_every_key_and_never_beyond_the_farthest() -> None:
    swing = [12, -12, 12, -12]
    keys = [turned_by(Placed((100.0 + 40 * k, 100), 200), 0, 0, a) for k, a in enumerate(swing)]
    found = between(keys, [0, 4, 8, 12], np.arange(0, 12.25, 0.25).tolist())
    angles = np.array([np.degrees(2 * np.arctan2(p.turn[2], p.turn[3])) for p in found])
    assert angles[::16] == pytest.approx(swing, abs=1e-6)
    assert np.abs(angles).max() <= 12 + 1e-6
    assert not any(p.key for p in found)


def test_a_full_turn_goes_on_turning() -> None:
    keys = [turned_by(Placed((0, 0), 100), a, 0, 0) for a in (0, 120, 240, 360)]
    found = between(keys, [0, 1, 2, 3], [0.5, 1.5, 2.5])
    ways = [turned_by(Placed((0, 0), 100), a, 0, 0) for a in (60, 180, 300)]
    for one, two in zip(found, ways, strict=True):
        assert (one.rotation * two.rotation.inv()).magnitude() < np.radians(12)


def test_keys_need_two_times_that_rise() -> None:
    one = Placed((0, 0), 100)
    for keys, times in (([one], [1]), ([one, one], [2, 2])):
        with pytest.raises(ValueError, match="rising"):
            between(keys, times, [1.5])


@pytest.mark.parametrize("off", [(9, -6, 0.03, 5.0), (-7, 8, -0.04, -4.0), (5, 5, 0.0, 6.0)])
def test_it_is_brought_onto_its_rough(off: tuple[float, float, float, float]) -> None:
    solid = lamp()
    true = turned_by(Placed((320, 300), 340), 0, 10, 8)
    rough = np.zeros((600, 640), np.float32)
    shake = np.random.default_rng(3)
    for stroke in strokes_of(runs(Sight.of(solid, true)), 4, "lamp", "1"):
        line = np.round((sample(stroke)[0] + shake.normal(0, 0.8, 2)) * 16).astype(int)
        cv2.polylines(rough, [line], False, 0.8, 3, cv2.LINE_AA, 4)
    # Other lines lie about it.
    cv2.line(rough, (40, 560), (600, 90), 0.7, 3)
    dx, dy, larger, turn = off
    start = turned_by(replace(true, at=(320 + dx, 300 + dy), size=340 * np.exp(larger)), 0, 3, turn)
    found = snapped(solid, start, rough)

    def away(placed: Placed) -> float:
        return float(
            np.hypot(
                *(placed.seen(placed.turned(solid.points)) - true.seen(true.turned(solid.points))).T
            ).mean()
        )

    assert away(found) < min(4.0, 0.4 * away(start))


def test_it_stays_where_there_is_no_rough() -> None:
    placed = Placed((100, 100), 80)
    assert snapped(lamp(), placed, np.zeros((200, 200), np.float32)) == placed


def test_a_hands_correction_goes_with_the_model_and_what_it_took_away_stays_away() -> None:
    solid = lamp()
    before = turned_by(Placed((300, 300), 300), 0, 12, 0)
    after = turned_by(replace(before, at=(380, 330)), 6, 0, 10)
    had = runs(Sight.of(solid, before))
    own = strokes_of(had, 4, "lamp", "1")
    longest = max(own, key=lambda s: np.ptp(s.controls, axis=0).sum())
    gone = min(own, key=lambda s: s.controls[:, 1].min())
    changed = replace(longest, controls=longest.controls + np.array([0.0, 6.0]))
    present = [changed if s is longest else s for s in own if s is not gone]
    found = kept(present, [], had, before)
    assert [s.id for s in found.hand] == [changed.id]
    now = without(runs(Sight.of(solid, after)), found.gone, after)
    [moved] = carried(found.hand, had, before, after)
    # As far below its line as it was drawn, turned with the model.
    line = min(
        (run for run in had if run.seen), key=lambda run: np.hypot(*(run.flat[0] - longest.controls[0]))
    )
    there = after.seen(after.rotation.apply(before.rotation.inv().apply(line.solid)))
    turn = np.radians(10)
    below = there + 6 * np.array([-np.sin(turn), np.cos(turn)])
    off = cKDTree(below).query(sample(moved)[0])[0]
    assert off.mean() < 1.5
    whole = sum(run.length for run in runs(Sight.of(solid, after)) if run.seen)
    assert sum(run.length for run in now if run.seen) < whole - 100
    untouched = kept(own, [], had, before)
    assert not untouched.hand
    assert not untouched.gone


@pytest.mark.parametrize(
    ("shape", "words"),
    [
        ({"kind": "turned", "path": [(0, 0), (0, 40)]}, "post: the profile lies on the axis"),
        ({"kind": "plate", "path": [(0, 0), (40, 0), (80, 0)]}, "post: the outline has no inside"),
        ({"kind": "tube", "path": [(5, 5), (5, 5)]}, "post: the line has no length"),
    ],
)
def test_a_form_without_a_body_is_named(shape: dict, words: str) -> None:  # type: ignore[type-arg]
    with pytest.raises(ValueError, match=words):
        build(Built(axis=0, shapes=[Shape(name="post", **shape)]))


def test_nothing_is_no_prop() -> None:
    with pytest.raises(ValueError, match="no face"):
        build(Built())
