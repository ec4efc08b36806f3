"""A spot read again: three ways, cut at the lasso, and put in the place of what was there."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from schoon.core.cleanup import CleanupSettings
from schoon.core.cleanup.tidy import HOWS, readings, tidied
from schoon.core.strokes import Points, Stroke, fit_curve, length, sample

LASSO = np.array([(150, 100), (350, 100), (350, 260), (150, 260)], float)


def stroke(points: Points, **more: object) -> Stroke:
    controls, knots = fit_curve(np.asarray(points, float), 0.5)
    return replace(Stroke(controls, np.full(len(knots), 4.0)), **more)  # type: ignore[arg-type]


def across(y: float, **more: object) -> Stroke:
    return stroke(np.linspace((40, y), (460, y), 60), **more)


def test_a_spot_is_read_in_three_ways_within_its_lasso() -> None:
    """Two lines side by side: taken for one by a looser reading, for two by a tighter one."""
    rough = np.full((400, 500), 246, np.uint8)
    for y in (170, 179):
        cv2.line(rough, (20, y), (480, y), 60, 3, cv2.LINE_AA)
    found = readings(rough, LASSO, CleanupSettings(searching=0.4))
    assert tuple(found) == HOWS
    for strokes in found.values():
        places = np.vstack([sample(s)[0] for s in strokes])
        assert places.min(axis=0)[0] > 145
        assert places.max(axis=0)[0] < 355
    drawn = {how: sum(length(s) for s in strokes) for how, strokes in found.items()}
    assert drawn["looser"] < 240
    assert drawn["tighter"] > 360


def test_a_reading_takes_the_place_of_the_lines_in_its_lasso_and_no_others() -> None:
    mine, through, outside = across(150, by="hand"), across(180), across(320)
    fresh = stroke(np.linspace((150, 184), (350, 184), 40))
    after = tidied([mine, through, outside], LASSO, [fresh])
    assert mine in after
    assert outside in after
    # The line is one again, with its own name, and runs where it was read.
    (again,) = (s for s in after if s not in (mine, outside))
    assert again.id == through.id
    points = sample(again)[0]
    assert abs(length(again) - 420) < 4
    assert np.abs(points[np.abs(points[:, 0] - 250) < 60][:, 1] - 184).max() < 2.1
    # Nothing read, nothing left there.
    gone = tidied([mine, through, outside], LASSO, [])
    assert sorted(length(s) for s in gone) == pytest.approx([110, 110, 420, 420], abs=2.5)


def test_a_ring_is_cut_at_the_lasso_and_stays_one_piece_outside() -> None:
    turn = np.linspace(0, 2 * np.pi, 90)
    ring = stroke(np.stack([250 + 130 * np.cos(turn), 180 + 130 * np.sin(turn)], axis=1))
    (rest,) = (
        s for s in tidied([ring], np.array([(330, 100), (420, 100), (420, 260), (330, 260)], float), [])
    )
    assert not rest.closed
    assert rest.id == ring.id
    assert 0.6 * length(ring) < length(rest) < 0.9 * length(ring)
