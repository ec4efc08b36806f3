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
    with pytest.raises(ValueError, match="nothing starts"):
        exposure.held(starts, frames, 2, 1)


def test_a_hold_is_at_least_a_frame() -> None:
    with pytest.raises(ValueError, match="at least one frame"):
        exposure.on_holds(["a"], 0)


def test_a_level_without_drawings_shows_nothing() -> None:
    assert exposure.spans({}, 12) == []
    assert exposure.frame_by_frame({}, 3) == [None, None, None]


def test_a_repeat_runs_again_what_stood_before_it() -> None:
    starts = {1: "a", 3: "b", 4: None, 5: exposure.Again(1)}
    assert "".join(d or "." for d in exposure.frame_by_frame(starts, 14)) == "aab.aab.aab.aa"
    # From within a hold, and up to the next start.
    starts = {1: "a", 4: exposure.Again(3), 8: "b"}
    assert exposure.frame_by_frame(starts, 9) == ["a"] * 7 + ["b"] * 2
    # A repeat of a repeat.
    starts = {1: "a", 2: "b", 3: exposure.Again(1), 7: "c", 8: exposure.Again(6)}
    assert "".join(d or "." for d in exposure.frame_by_frame(starts, 12)) == "abababcbcbcb"[:12]


@given(
    st.dictionaries(
        st.integers(1, 20),
        st.one_of(st.integers(1, 5), st.none(), st.builds(exposure.Again, st.integers(1, 20))),
    ),
    st.integers(1, 24),
)
def test_any_sheet_fills_its_frames_and_no_more(starts: dict, frames: int) -> None:
    shown = exposure.frame_by_frame(starts, frames)
    assert len(shown) == frames
    for first, count, what in exposure.entries(starts, frames):
        if isinstance(what, exposure.Again):
            if what.first < first:
                assert shown[first - 1 : first - 1 + count] == [
                    shown[what.first - 1 + k % (first - what.first)] for k in range(count)
                ]
        else:
            assert set(shown[first - 1 : first - 1 + count]) == {what}


def test_what_stands_at_a_frame_is_put_there_and_taken_out_again() -> None:
    starts = {1: "a", 3: "b"}
    assert exposure.exposed(starts, 6, 5, None) == {1: "a", 3: "b", 5: None}
    assert exposure.cleared(exposure.exposed(starts, 6, 5, "c"), 5) == starts
    for frame, what in ((7, "c"), (0, "c"), (3, exposure.Again(3)), (3, exposure.Again(0))):
        with pytest.raises(ValueError, match=r"frames 1 to 6|before it"):
            exposure.exposed(starts, 6, frame, what)
    with pytest.raises(ValueError, match="nothing starts"):
        exposure.cleared(starts, 2)
