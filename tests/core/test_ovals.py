"""The ellipse that points are part of."""

from __future__ import annotations

import numpy as np
import pytest

from schoon.core.ovals import oval_of
from schoon.demo.shapes import ellipse


@pytest.mark.parametrize("turn", [0.0, 30.0, 75.0, 140.0])
def test_a_third_of_an_oval_tells_all_of_it(turn: float) -> None:
    ring = ellipse((300, 200), 120, 70, turn)
    found = oval_of(ring[: len(ring) // 3])
    assert found is not None
    assert found.centre == pytest.approx([300, 200], abs=0.5)
    assert sorted(found.half) == pytest.approx([70, 120], abs=0.5)
    # All of it lies on the oval, its middle within, and places on the oval lie on it again.
    assert np.hypot(*found.within(ring).T) == pytest.approx(1, abs=0.01)
    assert found.within(found.centre[None]) == pytest.approx(np.zeros((1, 2)), abs=1e-9)
    circle = np.array([[1.0, 0], [0, 1], [-0.6, 0.8]])
    assert found.within(found.around(circle) + found.centre) == pytest.approx(circle)


def test_four_points_are_on_too_many() -> None:
    assert oval_of(np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])) is None
