"""Colours in other lights and their differences."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schoon.core.model.light import close_pairs, derived, difference, relit

colours = st.tuples(st.integers(0, 255), st.integers(0, 255), st.integers(0, 255))


@given(colours, colours)
def test_no_light_changes_nothing_and_no_light_left_is_black(colour, light) -> None:  # type: ignore[no-untyped-def]
    assert relit(colour, light, 0, 0) == colour
    assert relit(colour, light, 0.5, 1) == (0, 0, 0)


@given(colours, st.floats(0, 1), st.floats(0, 1))
def test_white_light_keeps_the_hue_and_darkness_darkens(colour, strength, darkness) -> None:  # type: ignore[no-untyped-def]
    lit = relit(colour, (255, 255, 255), strength, darkness)
    assert all(a <= b for a, b in zip(lit, colour, strict=True))
    assert relit(colour, (255, 255, 255), strength, 0) == colour


def test_half_the_light_is_halved_in_linear_light() -> None:
    # Half of white's light is 188 in sRGB, not 128.
    assert relit((255, 255, 255), (255, 255, 255), 0, 0.5) == (188, 188, 188)
    red = relit((200, 200, 200), (255, 0, 0), 1, 0)
    assert (red[1], red[2]) == (0, 0)
    assert red[0] == 200


def test_held_pots_keep_their_colour() -> None:
    key = {1: (200, 180, 40), 2: (250, 250, 240)}
    night = derived(key, (60, 80, 200), 0.6, 0.5, frozenset({2}))
    assert night[2] == key[2]
    assert night[1] != key[1]


def test_differences_are_those_of_the_published_formula() -> None:
    assert difference((10, 20, 30), (10, 20, 30)) == 0
    assert difference((255, 255, 255), (0, 0, 0)) == pytest.approx(100, abs=0.1)
    pairs = close_pairs({1: (200, 100, 50), 2: (202, 101, 52), 3: (20, 40, 200)})
    assert [(a, b) for a, b, _ in pairs] == [(1, 2)]
    assert pairs[0][2] < 1
    assert close_pairs({1: (0, 0, 0)}) == []
