"""Scripts that touch no page, run in the browser by themselves: what they preview is what the core makes."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page

from schoon.core.between import spacing
from schoon.core.model.compare import RunLimits
from schoon.core.prop import Built, Placed, Shape, build, turned_by
from schoon.core.run import Sway
from schoon.core.strokes import Stroke, corner_indices, resample
from schoon.core.strokes.edit import bent, on_corners
from schoon.jobs.views import wire
from schoon.web.statics import address
from schoon.work import pen
from schoon.work.props import Body


def run(page: Page, module: str, expression: str, given: object = None) -> Any:
    """The value of an expression of a module's exports `m` and what is `given`."""
    page.goto("/")
    code = f"async ([url, given]) => {{ const m = await import(url); return {expression}; }}"
    return page.evaluate(code, [address(f"js/pure/{module}.js"), given])


def test_a_bend_is_previewed_as_it_will_be(page: Page) -> None:
    # Segments shorter than the reach are not divided, so that points can be compared one by one.
    line = Stroke(
        np.array([[0, 0], [8, 4], [16, -3], [24, 0], [32, 2], [40, 2], [48, 0]], float), np.full(3, 3.0)
    )
    start, by, reach = (40.0, 1.0), (5.0, -22.0), 30.0
    given = [line.controls.tolist(), start, by, reach]
    seen = run(page, "geometry", "given[0].map((p) => m.bent(p, given[1], given[2], given[3]))", given)
    made = bent(line, start, by, reach).controls
    assert np.allclose(seen, made, atol=1e-9)
    assert np.hypot(*(made[5] - line.controls[5])) > 20


def test_a_piece_is_bent_as_it_will_be_laid(page: Page) -> None:
    size, corners = (120.0, 80.0), [[10.0, 20.0], [150.0, 5.0], [190.0, 130.0], [30.0, 90.0]]
    here = np.array([(0, 0), (120, 0), (120, 80), (0, 80)], np.float32)
    onto = cv2.getPerspectiveTransform(here, np.array(corners, np.float32))
    places = [[0.0, 0.0], [60.0, 40.0], [120.0, 80.0], [15.0, 70.0]]
    given = [*size, corners, places]
    seen = run(page, "perspective", "given[3].map(m.throughCorners(given[0], given[1], given[2]))", given)
    assert np.allclose(seen, cv2.perspectiveTransform(np.array([places]), onto)[0], atol=1e-3)
    three, there = ([found[k] for k in (0, 2, 3)] for found in (places, seen))
    a, b, c, d, e, f = run(page, "perspective", "m.ofTriangle(given[0], given[1])", [three, there])
    assert np.allclose([[a * x + c * y + e, b * x + d * y + f] for x, y in three], there)


def test_the_pen_shows_the_stroke_that_will_stay(page: Page) -> None:
    random = np.random.default_rng(4)
    wave = np.linspace(0, 6, 90)
    path = np.stack([wave * 40, 60 * np.sin(wave)], axis=1) + random.normal(0, 1.2, (90, 2))
    # With a corner that stays one.
    path = np.vstack([path, path[-1] + np.outer(np.arange(1, 30), (-3.0, 4.0))])
    for amount in (0.0, 2.5):
        seen = np.array(run(page, "hand", "m.steadied(given[0], given[1])", [path.tolist(), amount]))
        assert np.allclose(seen, pen.steadied(path, amount), atol=1e-6)
    found = run(page, "hand", "m.corners(m.resample(given))", path.tolist())
    assert found
    assert found == corner_indices(resample(path, 1.5), 6, np.deg2rad(50))


def test_charts_are_drawn_as_in_betweens_are_spaced(page: Page) -> None:
    shown = run(
        page,
        "spacing",
        "Object.fromEntries(Object.entries(m.SPACINGS).map(([n, f]) => [n, m.even(4).map(f)]))",
    )
    for name, shares in shown.items():
        assert np.allclose(shares, spacing(name, 4)), name
    for chart in ("ease in", [0.1, 0.6, 0.8, 1.1]):
        for lag in (2, -1, 0.5):
            late = run(page, "spacing", "m.spaced(given.chart, 4, given.lag)", {"chart": chart, "lag": lag})
            assert np.allclose(late, spacing(chart, 4, lag)), (chart, lag)


def test_a_bend_is_previewed_as_it_is_made(page: Page) -> None:
    handles = [
        {"at": [100, 50], "by": [40, -20]},
        {"at": [60, 200], "by": [0, 0]},
        {"at": [140, 200], "by": [0, 0]},
    ]
    points = np.array([[100, 50], [60, 200], [90, 120], [200, 80], [0, 0]], float)
    sway = Sway.of([(handles[0]["at"], handles[0]["by"])], [[60, 200], [140, 200]])
    for share in (0.0, 0.4, 1.0):
        shown = run(
            page, "sway", "m.swayed(given.points, given.handles, given.share)",
            {"points": points.ravel().tolist(), "handles": handles, "share": share},
        )  # fmt: skip
        assert np.allclose(np.reshape(shown, (-1, 2)), sway.at(points, share), atol=0.01)


def test_a_smooth_point_stays_smooth_and_a_broken_one_does_not(page: Page) -> None:
    points = [0, 0, 10, 0, 20, 0, 30, 0, 40, 0, 50, 0, 60, 0]
    given = {"stroke": {"points": points, "closed": False}, "to": [40, 10]}
    smooth, broken = (
        np.reshape(run(page, "geometry", f"m.handleMoved(given.stroke, 4, given.to, {way})", given), (-1, 2))
        for way in ("false", "true")
    )
    assert smooth[4].tolist() == broken[4].tolist() == [40, 10]
    before, after = smooth[3] - smooth[2], smooth[4] - smooth[3]
    assert abs(before[0] * after[1] - before[1] * after[0]) < 0.2
    assert np.hypot(*before) == pytest.approx(10, abs=0.02)
    assert broken[2].tolist() == [20, 0]
    moved = np.reshape(
        run(page, "geometry", "m.handleMoved(given.stroke, 3, [30, 5], false)", given), (-1, 2)
    )
    assert moved[2:5].tolist() == [[20, 5], [30, 5], [40, 5]]


CELL = {"count": 2, "area": 100, "unsure": 0}


@pytest.mark.parametrize(
    ("cells", "words"),
    [
        ([CELL, CELL, CELL], ""),
        ([CELL, None, CELL], "missing"),
        ([CELL, {**CELL, "unsure": 2}, CELL], "2 ?"),
        ([CELL, {**CELL, "area": 195}, CELL], "big"),
        ([CELL, {**CELL, "area": 45}, CELL], "small"),
        ([CELL, {**CELL, "count": 3}, CELL], "extra"),
        ([CELL, {**CELL, "count": 1}, CELL], "fewer"),
        ([None, CELL, None], "lone"),
        ([None, None, None], ""),
    ],
)
def test_what_stands_out_in_the_ledger(page: Page, cells: list[dict[str, int] | None], words: str) -> None:
    assert run(page, "oddity", "m.oddity(given[0], 1, given[1])", [cells, vars(RunLimits())]) == words


def test_orders_of_the_run(page: Page) -> None:
    assert run(page, "order", "m.around([1, 2, 3, 4], 2)") == [3, 4, 1, 2]
    assert run(page, "order", "[m.step([1, 2, 3, 4], 1, 1, (n) => n % 2), m.step([1, 2], 2, 1)]") == [3, None]
    entries = [{"id": 1, "kind": "inbetween", "strokes": 0}, {"id": 2, "kind": "key", "strokes": 3},
               {"id": 3, "kind": "key", "strokes": 0}]  # fmt: skip
    rows = [[1, 2, 1], [3, 1, {"again": 1}], [4, 1, 2], [5, 1, 3]]
    work = run(
        page,
        "order",
        "m.byWork(given[1], new Map(given[0].map((e) => [e.id, e])), 'line').map((r) => r[2])",
        [entries, rows],
    )
    assert work == [3, 2, 1]


def test_a_repeat_closes_its_cycle(page: Page) -> None:
    sheet = [[1, 2, 7], [3, 2, 8], [5, 2, 9], [7, 2, None], [9, 8, {"again": 3}]]
    spans = [[1, 2, 7], [3, 2, 8], [5, 2, 9], [9, 2, 8], [11, 2, 9]]
    given = [sheet, spans]
    assert run(page, "order", "m.cycleOf(given[0], given[1], 8)", given) == [8, 9]
    assert run(page, "order", "m.cycleOf(given[0], given[1], 7)", given) is None


def test_shares_that_jump(page: Page) -> None:
    found = run(page, "jumps", "given.map((values) => m.jumps(values).map(([k]) => k))", [
        [0.3, 0.3, 0.6, 0.3, 0.3],
        [0.1, 0.3, 0.5, 0.7, 0.9],
        [0.3, None, 0.9, 0.3],
        [0.3, 0.33, 0.3],
    ])  # fmt: skip
    assert found == [[2], [], [], []]


def test_colours_between_two(page: Page) -> None:
    asked = "[0, 0.5, 1].map((share) => m.mixedHex('#000000', '#ff8001', share))"
    assert run(page, "colour", asked) == ["#000000", "#804001", "#ff8001"]


def test_a_curve_goes_through_the_points_that_were_placed(page: Page) -> None:
    points = [{"x": 0, "y": 0}, {"x": 60, "y": 40}, {"x": 120, "y": 0, "corner": True}, {"x": 160, "y": 90}]
    path = np.array(run(page, "forms", "m.through(given)", points))
    for point in points:
        assert np.hypot(*(path - (point["x"], point["y"])).T).min() < 1e-6
    steps = np.diff(path, axis=0)
    turns = np.abs(np.diff(np.unwrap(np.arctan2(*steps.T[::-1]))))
    corner = int(np.hypot(*(path - (120, 0)).T).argmin())
    assert turns[corner - 1] > 0.8
    assert np.delete(turns, corner - 1).max() < 0.3
    ring = np.array(run(page, "forms", "m.through(given, true)", points[:3]))
    assert np.allclose(ring[0], ring[-1])


def test_what_is_nearly_true_is_told(page: Page) -> None:
    random = np.random.default_rng(2)

    def form(points: np.ndarray) -> Any:
        shaken = (points + random.normal(0, 0.8, points.shape)).tolist()
        return run(page, "forms", "m.trueForm(given)", shaken)

    turn = np.linspace(0, 2 * np.pi, 80)
    assert form(np.linspace((10, 10), (200, 90), 50))["kind"] == "straight"
    circle = form(np.c_[100 + 50 * np.cos(turn), 80 + 52 * np.sin(turn)])
    assert circle["kind"] == "circle"
    radii = np.hypot(*(np.array(circle["points"]) - (100, 80)).T)
    assert np.abs(radii - 51).max() < 2
    leaning = np.c_[90 * np.cos(turn), 30 * np.sin(turn)] @ np.array([[0.8, 0.6], [-0.6, 0.8]]) + (200, 200)
    oval = form(leaning)
    assert oval["kind"] == "oval"
    assert max(np.hypot(*(leaning - p).T).min() for p in np.array(oval["points"])) < 4
    wave = np.linspace(0, 6, 60)
    assert form(np.c_[wave * 40, 50 * np.sin(wave)]) is None
    square = np.array([(0, 0), (100, 0), (100, 100), (0, 100), (0, 0)], float)
    assert form(np.vstack([np.linspace(a, b, 20) for a, b in pairwise(square)])) is None


def test_a_prop_is_shown_where_it_will_be(page: Page) -> None:
    made = Built(shapes=[Shape(kind="box", name="crate", path=[(0, 0), (100, 80)], thick=60)])
    start = Placed((300, 200), 140, depth=0.3)
    turned = turned_by(turned_by(start, 30, -15, 0), 0, 0, 25)
    given = {"placed": start.to_dict(), "wire": wire(Body(1, "crate", made), 0.0)}
    shown = run(page, "solid", "m.rolled(m.rolled(given.placed, 30, -15), 0, 0, 25)", given)
    # Quaternions of either sign are the same turn.
    assert abs(np.dot(shown["turn"], turned.turn)) == pytest.approx(1, abs=1e-5)
    path = run(
        page, "solid", "m.wirePath(given.wire, m.rolled(m.rolled(given.placed, 30, -15), 0, 0, 25))", given
    )
    numbers = np.array(path.replace("M", " ").replace("L", " ").split(), float).reshape(-1, 2)
    corners = turned.seen(turned.turned(build(made).points))
    assert len(np.unique(numbers.round(0), axis=0)) == 8
    assert max(np.hypot(*(corners - point).T).min() for point in numbers) < 0.2


def test_four_corners_are_shown_as_they_will_be_laid(page: Page) -> None:
    points = np.random.default_rng(5).uniform(10, 90, (12, 2))
    box, quad = (0.0, 0.0, 100.0, 80.0), np.array([[20, 30], [180, 10], [150, 140], [40, 120]], float)
    shown = run(
        page, "quad", "m.laidOn(given[0], given[1], given[2])", [points.ravel().tolist(), box, quad.tolist()]
    )
    assert np.allclose(np.reshape(shown, (-1, 2)), on_corners(points, box, quad), atol=1e-3)
    folded = quad[[0, 2, 1, 3]]
    assert run(
        page, "quad", "[m.convex(given[0]), m.convex(given[1])]", [quad.tolist(), folded.tolist()]
    ) == [True, False]
    with pytest.raises(ValueError, match="folded"):
        on_corners(points, box, folded)


def test_colours_go_to_lightness_chroma_and_hue_and_back(page: Page) -> None:
    colours = ["#edb21f", "#8a5a3b", "#000000", "#ffffff", "#0b7a75", "#b83a2e"]
    back = run(page, "oklch", "given.map((hex) => m.fromOklch(m.toOklch(hex)))", colours)
    assert back == colours
    # As published with the space: pure red.
    red = run(page, "oklch", "m.toOklch('#ff0000')")
    assert (red["l"], red["c"], red["h"]) == pytest.approx((0.62796, 0.25768, 29.23), abs=0.01)
    # What no screen shows keeps its lightness and hue.
    seen = run(page, "oklch", "m.toOklch(m.fromOklch({ l: .7, c: .37, h: 200 }))")
    assert seen["l"] == pytest.approx(0.7, abs=0.01)
    assert seen["h"] == pytest.approx(200, abs=2)
    assert seen["c"] < 0.2


def test_what_waits_is_seen_as_it_will_stand(page: Page) -> None:
    trace, delete = (
        {"do": "trace", "id": "a", "path": [[0, 0, 0.5]], "width": 4},
        {"do": "delete", "ids": ["x"]},
    )
    undo, redo = {"do": "undo"}, {"do": "redo"}
    names = "given.map((edits) => m.standing(edits).map((e) => e.do))"
    given = [[trace, undo], [trace, delete, undo], [trace, undo, redo], [undo], [trace, undo, delete, redo]]
    assert run(page, "waiting", names, given) == [[], ["trace"], ["trace"], [], ["delete"]]
    strokes = [{"id": "x"}, {"id": "y"}]
    place = {"do": "place", "ids": ["y"], "matrix": [1, 0, 5, 0, 1, 7]}
    seen = run(page, "waiting", "m.changedStrokes(given[0], given[1])", [strokes, [delete, place, place]])
    assert seen == [{"id": "y", "matrix": [1, 0, 0, 1, 10, 14]}]


def test_the_next_thing_is_done_here_or_shows_the_way(page: Page) -> None:
    done = {"strokes": 9, "painted": 4, "toned": 2}
    cases = [
        ("line", [{**done, "strokes": 0}, done], "clean", None),
        ("line", [done], None, "seal"),
        ("line", [{**done, "open_gaps": 15}], None, "seal"),
        ("seal", [{**done, "open_gaps": 2}], "gaps", None),
        ("paint", [{**done, "open_forms": 2, "unsure": 3}], "open", None),
        ("paint", [done, {**done, "painted": 0}], "carry", None),
        ("paint", [{**done, "unsure": 3}], "unsure", None),
        ("paint", [{**done, "open_gaps": 1}], None, "seal"),
        ("tone", [{**done, "toned": 0}], "shade", None),
        ("proof", [done], None, "hand-off"),
    ]
    found = run(page, "next", "given.map(([stop, run]) => m.nextOf(stop, run))", [c[:2] for c in cases])
    assert [(f.get("act"), f.get("stop")) for f in found] == [c[2:] for c in cases]
    assert found[2]["words"] == "15 gaps to judge →"
    assert run(page, "next", "m.nextOf('hand-off', [{}])") is None
    bare = run(
        page, "next", "[true, false].map((speaks) => m.nextOf('paint', [{ strokes: 9 }], { speaks }).act)"
    )
    assert bare == ["carry", "pour"]
    half = "[0, 7].map((begun) => m.nextOf('paint', [{ strokes: 9, painted: 2 }, { strokes: 9 }], { begun }).act)"
    assert run(page, "next", half) == ["carry", "bare"]
