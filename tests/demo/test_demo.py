"""The demo draws what it says: held parts hold, the truth is consistent, and loading happens once."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from schoon.core.model import parse_colour
from schoon.core.patches import find_patches
from schoon.core.strokes import resample
from schoon.demo import load as demo
from schoon.demo.flag import flag
from schoon.demo.model_sheet import KEYS, front, key_colours, sheet_pictures
from schoon.demo.pim import POTS, draw
from schoon.demo.shapes import Part, flatten, two_bones
from schoon.demo.shots import SIZE, DemoDrawing, lookout, stair
from schoon.jobs import Runner
from schoon.jobs.pool import Pool
from schoon.settings import Settings
from schoon.store import Store, jobs, models, productions
from schoon.work import edits

from .. import hands
from ..conftest import table_counts


def outlines(drawing: DemoDrawing, *names: str) -> list[np.ndarray]:
    return [part.outline for part in draw(drawing.pose) if part.name in names]


def test_the_planted_boot_holds_while_the_other_climbs() -> None:
    drawings = stair()
    for planted, moving, run in (("far", "near", drawings[:8]), ("near", "far", drawings[8:])):
        still = [outlines(d, f"{planted} boot", f"{planted} sole") for d in run]
        for other in still[1:]:
            for a, b in zip(still[0], other, strict=True):
                assert np.abs(a - b).max() < 1e-6
        steps = [outlines(d, f"{moving} boot")[0].mean(axis=0) for d in run]
        assert steps[-1][0] - steps[0][0] == pytest.approx(300, abs=2)
        assert steps[-1][1] - steps[0][1] == pytest.approx(-184, abs=2)


def test_the_trunk_holds_at_the_ends_of_a_step_while_the_scarf_moves() -> None:
    first, second = stair()[:2]
    assert np.abs(outlines(first, "coat")[0] - outlines(second, "coat")[0]).max() < 1e-6
    for moving in ("upper scarf end", "lantern base"):
        a, b = (resample(outlines(d, moving)[0], 4.0)[:40] for d in (first, second))
        assert np.abs(a - b).max() > 5


def test_the_lantern_is_rigid() -> None:
    shapes = [outlines(d, "lantern base")[0] for d in stair()]
    sizes = [np.hypot(*(s - s.mean(axis=0)).T).max() for s in shapes]
    assert np.ptp(sizes) < 0.5


@pytest.mark.parametrize("drawing", [stair()[5], lookout()[7]])
def test_true_lines_close_the_true_areas(drawing: DemoDrawing) -> None:
    truth = drawing.truth()
    wall = np.zeros((SIZE[1], SIZE[0]), np.uint8)
    cv2.polylines(wall, [np.round(line).astype(np.int32) for line in truth.lines], False, 1, 3)
    patches = find_patches(wall > 0, 40)
    mixed = 0
    for n in range(1, patches.count + 1):
        inside = truth.pots[patches.open_labels == n]
        mixed += int(len(inside) - np.bincount(inside).max())
    assert mixed < 0.005 * (truth.pots > 0).sum()
    assert (truth.pots > 0).sum() > 100_000


def test_parts_that_lie_behind_are_hidden() -> None:
    square = np.array([[10.0, 10], [60, 10], [60, 60], [10, 60], [10, 10]])
    below = Part("below", "Fur", resample(square, 1.0))
    above = Part("above", "Coat", resample(square + (25, 25), 1.0))
    truth = flatten([below, above], (120, 120))
    drawn = np.vstack(truth.lines)
    assert not ((np.abs(drawn - (60, 50)) < 3).all(axis=1)).any()
    assert truth.names[truth.pots[50, 50]] == "Coat"


def test_roughs_are_the_same_each_time_and_looser_for_keys() -> None:
    drawing = stair()[0]
    assert (drawing.rough() == drawing.rough()).all()
    assert drawing.looseness > stair()[1].looseness


def test_the_model_has_its_pots_in_three_keys_and_three_pages() -> None:
    assert len(POTS) >= 12
    assert len(KEYS) == 3
    for name in KEYS:
        assert set(key_colours(name)) == set(POTS)
        assert all(parse_colour(colour) for colour in key_colours(name).values())
    assert key_colours("Noon quay") == POTS
    assert [caption for caption, _ in sheet_pictures()] == ["side", "front", "details"]
    assert {part.pot for part in front()} <= set(POTS)


def test_a_limb_reaches_as_far_as_it_can() -> None:
    joint = two_bones(np.zeros(2), np.array([500.0, 0.0]), 80, 70, 1)
    assert np.hypot(*joint) == pytest.approx(80, abs=0.1)


def test_loading_goes_on_where_it_stopped_is_done_once_and_costs_nothing_a_hand_painted(
    store: Store, settings: Settings, pool: Pool, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(demo, "stair", lambda: stair()[:2])
    monkeypatch.setattr(demo, "lookout", lambda: lookout()[:2])
    monkeypatch.setattr(demo, "flag", lambda size: flag(size)[:2])
    runner = Runner(store, settings, pool)
    once = demo._once

    def interrupted(store: Store, step: str, act: object) -> None:
        with store.transaction() as cursor:
            done = productions.step_done(cursor, step)
        once(store, step, act)  # type: ignore[arg-type]
        if not done:
            raise KeyboardInterrupt

    monkeypatch.setattr(demo, "_once", interrupted)
    said: list[str] = []
    for _ in range(7):
        with pytest.raises(KeyboardInterrupt):
            demo.load(store, runner, said.append)
    counts = table_counts(store)
    assert len(set(said)) == 7
    said.clear()
    demo.load(store, runner, said.append)
    assert table_counts(store) == counts
    assert said == []
    monkeypatch.setattr(demo, "_once", once)
    with store.transaction() as cursor:
        cursor.execute("SELECT state, COUNT(*) AS n FROM jobs GROUP BY state")
        assert list(cursor.fetchall()) == [{"state": "done", "n": 16}]
    with store.transaction() as cursor:
        by_name = {
            row["name"]: productions.drawings(cursor, row["level_id"]) for row in productions.shots(cursor)
        }
    assert all(row["line"] and row["paint"] and row["tone"] for row in by_name["Stair"])
    assert not any(row["head"] for row in by_name["Lookout"])
    with store.transaction() as cursor:
        level = next(row for row in productions.shots(cursor) if row["name"] == "Stair")["level_id"]
        rows = productions.drawings(cursor, level)
        row, sheet = edits.load(cursor, rows[0]["id"])
        others = [
            p["id"]
            for p in models.model(cursor, productions.shot_of_level(cursor, level)["model_id"])["pots"]
        ]
        spot = next(s for s in sheet.spots if s.pot in others)
        other = next(p for p in others if p != spot.pot)
        hands.pour(cursor, row["id"], None, [spot.at], other)
        # The machine is switched off while the artist's own job waits.
        jobs.create(cursor, "carry", level, [r["id"] for r in rows], {})
        heads = {r["id"]: r["head"] for r in productions.drawings(cursor, level)}
    demo.load(store, runner, lambda _: None)
    with store.transaction() as cursor:
        assert {r["id"]: r["head"] for r in productions.drawings(cursor, level)} == heads
        assert len(jobs.open_jobs(cursor)) == 1
    # A production of this name that no step of ours has made is somebody's own.
    with store.transaction() as cursor:
        cursor.execute("DELETE FROM steps")
    demo.load(store, runner, lambda _: None)
    with store.transaction() as cursor:
        assert {r["id"]: r["head"] for r in productions.drawings(cursor, level)} == heads
    runner.run_open()
    with store.transaction() as cursor:
        _, sheet = edits.load(cursor, rows[0]["id"])
    assert (other, "hand") in [(s.pot, s.by) for s in sheet.spots if s.at == spot.at]
