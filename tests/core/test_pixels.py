"""Pictures and masks by their pixels."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage as ndi

from schoon.core.pixels import box_of, grown, values_at


@pytest.mark.parametrize("count", [1, 1000, 1025, 40_000])
def test_any_number_of_places_is_looked_up(count: int, random: np.random.Generator) -> None:
    """The library alone refuses from 32,767 on."""
    picture = random.random((50, 70)).astype(np.float32)
    places = random.uniform(-5, 75, (count, 2))
    expected = ndi.map_coordinates(picture, places.T[::-1], order=1, mode="nearest")
    assert np.abs(values_at(picture, places) - expected).max() < 0.02
    assert values_at(picture, places.reshape(-1, 1, 2)).shape == (count, 1)


def test_no_place_has_no_value() -> None:
    assert values_at(np.zeros((4, 4), np.float32), np.zeros((0, 3, 2))).shape == (0, 3)


def test_the_box_of_a_mask_holds_all_of_it_and_no_more() -> None:
    mask = np.zeros((20, 30), bool)
    assert mask[box_of(mask)].size == 0
    mask[4, 7] = mask[9, 12] = True
    assert box_of(mask) == np.s_[4:10, 7:13]
    assert box_of(mask, 5) == np.s_[0:15, 2:18]
    assert box_of(mask, 100) == np.s_[0:20, 0:30]


def test_a_mask_grows_by_its_sides(random: np.random.Generator) -> None:
    mask = random.random((30, 40)) > 0.97
    for times in (1, 3):
        assert (grown(mask, times) == ndi.binary_dilation(mask, iterations=times)).all()
