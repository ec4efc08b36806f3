"""Forms laid with a broad pen, and forms that are open to the outside."""

from __future__ import annotations

import numpy as np
import pytest

from schoon.core.patches import find_patches
from schoon.core.patches.broad import area, covered, edges, filled
from schoon.core.seal import Stitch
from schoon.core.seal.opened import Beside, open_forms

SIZE = (200, 120)


def test_the_pen_covers_what_it_goes_over_as_broad_as_it_is() -> None:
    mask = covered(np.array([[40.0, 60.0], [140.0, 60.0]]), np.array([20.0, 40.0]), SIZE)
    assert mask.shape == (120, 200)
    assert mask[:, 40].sum() == pytest.approx(20, abs=2)
    assert mask[:, 90].sum() == pytest.approx(30, abs=2)
    assert mask[:, 140].sum() == pytest.approx(40, abs=2)
    assert not mask[:, 170].any()
    dot = covered(np.array([[40.0, 60.0]]), np.array([30.0]), SIZE)
    assert dot.sum() == pytest.approx(np.pi * 15**2, rel=0.04)


def test_edges_are_smooth_closed_and_hold_what_they_came_from() -> None:
    mask = covered(np.array([[60.0, 60.0]]), np.array([80.0]), SIZE)
    mask[55:65, 55:65] = False
    mask[3, 190] = True
    rings = edges(mask, 30)
    assert len(rings) == 2
    assert all((ring[0] == ring[-1]).all() for ring in rings)
    outer = max(rings, key=area)
    far = np.hypot(*(outer - 60.0).T)
    assert np.ptp(far) < 1.2
    assert area(outer) == pytest.approx(np.pi * 40**2, rel=0.04)
    back = filled(rings, SIZE)
    assert (back != mask).sum() < 0.05 * mask.sum()
    assert edges(np.zeros((120, 200), bool), 30) == []


def box(shut: bool) -> np.ndarray:
    """A wall: a square with its right side open, or shut."""
    wall = np.zeros((120, 200), bool)
    wall[[20, 100], 40:120] = True
    wall[20:101, 40] = True
    if shut:
        wall[20:101, 119] = True
    return wall


def test_a_form_that_its_gap_lets_the_outside_into_is_open() -> None:
    gap = Stitch(np.array([[119.0, 20.0], [119.0, 60.0], [119.0, 100.0]]), 0.3, "end to end", "open")
    elsewhere = Stitch(np.array([[150.0, 20.0], [180.0, 60.0]]), 0.3, "end to end", "open")
    (form,) = open_forms(find_patches(box(False)), find_patches(box(True)), [gap, elsewhere])
    assert form.stitches == (gap.id,)
    assert form.area == pytest.approx(78 * 79, rel=0.05)
    assert 40 < form.at[0] < 119
    # What is closed already is no open form.
    assert open_forms(find_patches(box(True)), find_patches(box(True)), [gap]) == []


def test_what_is_outside_in_the_drawings_beside_it_is_no_form() -> None:
    gap = Stitch(np.array([[119.0, 20.0], [119.0, 60.0], [119.0, 100.0]]), 0.3, "end to end", "open")
    now, shut, lines = find_patches(box(False)), find_patches(box(True)), (40.0, 20.0, 120.0, 101.0)
    figure = np.zeros((120, 200), bool)
    # The same figure a little to the right and half as large.
    figure[30:70, 100:140] = True
    within, without = Beside(figure, (100.0, 30.0, 140.0, 70.0)), Beside(~figure, (100.0, 30.0, 140.0, 70.0))
    assert len(open_forms(now, shut, [gap], lines, [within, within])) == 1
    assert len(open_forms(now, shut, [gap], lines, [within, without])) == 1
    assert open_forms(now, shut, [gap], lines, [without, without, within]) == []
