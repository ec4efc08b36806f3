"""Balls that figures are built on, told by the ellipse their chains lie on."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from schoon.core.cleanup.rings import rings_of
from schoon.core.strokes import Points, resample
from schoon.demo.shapes import ellipse


def measured(chains: list[Points], dark: list[float]) -> np.ndarray:
    runs = [resample(np.asarray(chain, float), 1.0) for chain in chains]
    ways = [np.gradient(run, axis=0) for run in runs]
    tangent = np.concatenate([way / np.hypot(*way.T)[:, None] for way in ways])
    sizes = np.array([len(run) for run in runs])
    return rings_of(np.concatenate(runs), tangent, sizes, np.repeat(dark, sizes)).measures


def arcs(turn: float, parts: int) -> list[Points]:
    """An oval in so many pieces."""
    ring = ellipse((300, 260), 140, 90, turn)
    ring = np.vstack([ring, ring[:1]])
    bounds = np.linspace(0, len(ring) - 1, parts + 1).astype(int)
    return [ring[a : b + 1] for a, b in itertools.pairwise(bounds)]


@pytest.mark.parametrize("turn", [0.0, 35.0, 110.0])
def test_every_piece_of_a_ring_knows_that_it_goes_all_round(turn: float) -> None:
    off, drawn, tone, uneven = measured(
        [*arcs(turn, 4), np.array([[20.0, 20], [600, 40]])], [0.4] * 4 + [0.9]
    )[:4].T
    assert off.max() < 0.01
    assert drawn.min() > 0.9
    assert tone == pytest.approx(0.4 / 0.9, abs=0.02)
    assert uneven.max() < 0.02


def test_half_a_ring_is_half_drawn() -> None:
    half, line = measured([np.vstack(arcs(20.0, 4)[:2]), np.array([[20.0, 20], [600, 40]])], [0.4, 0.9])
    assert 0.4 < half[1] < 0.6
    # A straight line is no part of a ring that would fit on the paper.
    assert line.tolist() == [1, 0, 0, 0]


def test_a_box_and_marks_that_are_too_short_lie_on_none() -> None:
    box = np.array([[100.0, 100], [300, 100], [300, 240], [100, 240], [100, 100]])
    found = measured([box, np.array([[10.0, 10], [25, 14]])], [0.9, 0.9])
    assert found[0, 0] > 0.08
    assert found[1].tolist() == [1, 0, 0, 0]
