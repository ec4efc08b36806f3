"""What is thought of the marks about a mark."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from numpy.typing import NDArray

from schoon.core.cleanup.area import Area
from schoon.core.cleanup.context import CONTEXT, in_context
from schoon.core.cleanup.marks import FEATURES, Pieces, measure
from schoon.core.cleanup.ridges import Ridges
from schoon.core.strokes import Points
from schoon.demo.shapes import ellipse

SIZE = (400, 500)
ODDS, CHAIN, SPREAD, NEAR, LEAST, MET, MEETS = range(7)
BESIDE, BESIDES, CROSSED, CROSSES, RING = range(8, 13)


def pieces_of(lines: list[Points]) -> Pieces:
    even = np.full(SIZE, 0.4, np.float32)
    on = Area(1.0, (0, 0), (SIZE[1], SIZE[0]))
    return measure([np.asarray(line, float) for line in lines], even, Ridges(even, 1.4), even, on)


def thought(pieces: Pieces, of_chains: list[float]) -> NDArray[np.float32]:
    return in_context(pieces, np.array(of_chains, float)[pieces.owners])


def test_everything_that_is_told_is_told_of_every_piece() -> None:
    pieces = pieces_of([np.array([[20.0, 20], [200, 60]]), np.array([[300.0, 200], [304, 203]])])
    found = thought(pieces, [2.0, -1.0])
    assert found.shape == (len(pieces.lengths), CONTEXT)
    assert pieces.features.shape == (len(pieces.lengths), FEATURES)
    assert np.isfinite(found).all()


def test_a_chain_speaks_for_its_pieces() -> None:
    pieces = pieces_of([np.array([[20.0, 20], [220, 20]])])
    odds = np.linspace(-3, 3, len(pieces.lengths))
    found = in_context(pieces, odds)
    assert found[:, CHAIN] == pytest.approx(np.average(odds, weights=pieces.lengths), abs=1e-3)
    assert found[:, SPREAD].min() > 1
    assert found[5, NEAR] == pytest.approx(odds[[2, 3, 4, 6, 7, 8]].mean(), abs=1e-3)
    assert found[5, LEAST] == pytest.approx(odds[2], abs=1e-3)


def test_nothing_is_surer_than_sure() -> None:
    pieces = pieces_of([np.array([[20.0, 20], [220, 20]])])
    assert in_context(pieces, np.full(len(pieces.lengths), 60.0)) == pytest.approx(thought(pieces, [5.0]))


def test_marks_that_meet_lie_beside_and_cross_are_told() -> None:
    along = np.array([[20.0, 100], [320, 100]])
    beside = along + [0, 12]
    across = np.array([[170.0, 40], [170, 180]])
    found = thought(pieces := pieces_of([along, beside, across]), [3.0, -2.0, 1.0])
    first = pieces.owners == 0
    assert found[first, BESIDES].min() > 0
    # What runs alike on the other side of 12 px, and what crosses in the middle.
    assert found[first, BESIDE] == pytest.approx(-2.0)
    assert set(np.round(found[first & (found[:, CROSSES] > 0), CROSSED], 3)) == {1.0}
    met = first & (found[:, MEETS] > 0)
    assert 0 < met.sum() <= 2
    assert found[met, MET] == pytest.approx(1.0)


def test_arcs_of_one_ball_speak_for_each_other() -> None:
    ring = ellipse((240, 200), 120, 90, 20)
    ring = np.vstack([ring, ring[:1]])
    bounds = np.linspace(0, len(ring) - 1, 4).astype(int)
    arcs = [ring[a : b + 1] for a, b in itertools.pairwise(bounds)]
    apart = np.array([[20.0, 380], [460, 390]])
    pieces = pieces_of([*arcs, apart])
    found = thought(pieces, [-3.0, -3.0, 3.0, 4.0])
    on_ball = pieces.owners < 3
    assert found[on_ball, RING] == pytest.approx(-1.0, abs=0.25)
    assert found[~on_ball, RING] == pytest.approx(0.0)


@pytest.mark.parametrize("turns", [1, 2])
def test_however_a_drawing_lies(turns: int) -> None:
    lines = [
        np.array([[60.0, 100], [320, 130]]),
        np.array([[70.0, 112], [300, 142]]),
        ellipse((200, 120), 60, 40),
    ]
    whole = thought(pieces_of(lines), [2.0, -1.0, 0.5])
    quarter = np.linalg.matrix_power(np.array([[0.0, 1], [-1, 0]]), turns)
    middle = np.array([200.0, 200])
    turned = thought(pieces_of([(p - middle) @ quarter + middle for p in lines]), [2.0, -1.0, 0.5])
    assert turned[:, : RING + 1] == pytest.approx(whole[:, : RING + 1], abs=0.35)
