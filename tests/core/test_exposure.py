"""Exposure arithmetic: the length of a shot is given and holds."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schoon.core import exposure


@given(count=st.integers(1, 30), hold=st.integers(1, 4))
def test_spans_fill_the_shot(count: int, hold: int) -> None:
    starts, frames = exposure.on_holds(list(range(count)), hold)
    spans = exposure.spans(starts, frames)
    assert sum(n for _, n, _ in spans) == frames == count * hold
    assert exposure.frame_by_frame(starts, frames) == [k for k in range(count) for _ in range(hold)]


def test_repeats_are_holds() -> None:
    assert exposure.from_repeats(["a", "a", "b", "a", "a"]) == [0, 2, 3]


def test_a_hold_changes_without_changing_the_length() -> None:
    starts, frames = exposure.on_holds(["a", "b", "c"], 2)
    longer = exposure.held(starts, frames, 1, 3)
    assert exposure.frame_by_frame(longer, frames) == ["a", "a", "a", "b", "c", "c"]
    with pytest.raises(ValueError, match="room for a hold of 1 to 3"):
        exposure.held(starts, frames, 1, 4)
    with pytest.raises(ValueError, match="last drawing"):
        exposure.held(starts, frames, 5, 1)
    with pytest.raises(ValueError, match="no drawing starts"):
        exposure.held(starts, frames, 2, 1)


def test_a_hold_is_at_least_a_frame() -> None:
    with pytest.raises(ValueError, match="at least one frame"):
        exposure.on_holds(["a"], 0)


def test_a_level_without_drawings_shows_nothing() -> None:
    assert exposure.spans({}, 12) == []
    assert exposure.frame_by_frame({}, 3) == [None, None, None]
