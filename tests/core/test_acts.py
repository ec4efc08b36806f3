"""Acts on spans of a sheet: what they change, what they leave, and what they cost."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schoon.core import exposure
from schoon.core.exposure import Again

FRAMES = 24
plain = st.dictionaries(st.integers(1, 30), st.one_of(st.sampled_from("abcde"), st.none()))
sheets = st.dictionaries(
    st.integers(1, 30),
    st.one_of(st.sampled_from("abcde"), st.none(), st.builds(Again, st.integers(1, 30))),
)
spans = st.tuples(st.integers(1, FRAMES), st.integers(1, FRAMES)).map(lambda x: (min(x), max(x)))


def shown(starts: dict, frames: int = 60) -> str:
    return "".join(d or "." for d in exposure.frame_by_frame(starts, frames))


@given(sheets, st.integers(1, 50))
def test_a_sheet_shows_the_same_when_it_is_split_anywhere(starts: dict, frame: int) -> None:
    cut = exposure.split(starts, frame)
    assert frame in cut
    assert shown(cut) == shown(starts)


@given(sheets, spans)
def test_pieces_are_what_is_seen(starts: dict, span: tuple[int, int]) -> None:
    found = exposure.pieces(starts, *span)
    assert "".join((what or ".") * count for what, count in found) == shown(starts)[span[0] - 1 : span[1]]


@given(plain, spans, st.integers(1, 4))
def test_holding_each_pushes_what_follows_and_loses_nothing(
    starts: dict, span: tuple[int, int], hold: int
) -> None:
    first, last = span
    old = exposure.pieces(starts, first, last)
    after = exposure.on_each(starts, first, last, hold)
    end = first - 1 + hold * len(old)
    assert shown(after)[: first - 1] == shown(starts)[: first - 1]
    assert shown(after)[first - 1 : end] == "".join((what or ".") * hold for what, _ in old)
    rest = 60 - max(end, last)
    assert shown(after)[end : end + rest] == shown(starts)[last : last + rest]


@given(plain, spans, st.integers(1, 4))
def test_over_what_follows_only_the_frames_needed_change(
    starts: dict, span: tuple[int, int], hold: int
) -> None:
    first, last = span
    end = max(last, first - 1 + hold * len(exposure.pieces(starts, first, last)))
    after = exposure.on_each(starts, first, last, hold, push=False)
    assert shown(after)[: first - 1] == shown(starts)[: first - 1]
    assert shown(after)[end:] == shown(starts)[end:]


@given(plain, spans)
def test_backwards_twice_is_as_before(starts: dict, span: tuple[int, int]) -> None:
    twice = exposure.reversed_(exposure.reversed_(starts, *span), *span)
    assert shown(twice) == shown(starts)


@given(plain, spans, st.integers(-20, 20))
def test_a_move_and_back_is_as_before_and_keeps_every_frame(
    starts: dict, span: tuple[int, int], by: int
) -> None:
    first, last = span
    if first + by < 1:
        with pytest.raises(ValueError, match="before frame 1"):
            exposure.moved(starts, first, last, by)
        return
    after = exposure.moved(starts, first, last, by)
    assert shown(after)[first + by - 1 : last + by] == shown(starts)[first - 1 : last]
    assert sorted(shown(after, 100)) == sorted(shown(starts, 100))
    assert shown(exposure.moved(after, first + by, last + by, -by)) == shown(starts)


@given(plain, spans, st.integers(1, 3))
def test_a_repeat_runs_to_its_frame_and_follows_its_source(
    starts: dict, span: tuple[int, int], times: int
) -> None:
    first, last = span
    length = last - first + 1
    until = last + times * length
    over = exposure.repeated(starts, first, last, until)
    seen = shown(starts)[first - 1 : last]
    assert shown(over, 120)[first - 1 : until] == seen * (times + 1)
    assert shown(over, 120)[until:] == shown(starts, 120)[until:]
    pushed = exposure.repeated(starts, first, last, until, push=True)
    assert shown(pushed, 120)[:until] == shown(over, 120)[:until]
    assert shown(pushed, 160)[until:] == shown(starts, 160 - times * length)[last:]
    changed = exposure.exposed_over(over, first, first, "z")
    assert shown(changed, 120)[last] == "z"
    ever = exposure.repeated(starts, first, last, None)
    assert shown(ever, last + 5 * length)[last:] == seen * 5


@given(plain, spans)
def test_what_is_blanked_and_taken_away(starts: dict, span: tuple[int, int]) -> None:
    first, last = span
    blank = exposure.blanked(starts, first, last)
    before = shown(starts)
    assert shown(blank) == before[: first - 1] + "." * (last - first + 1) + before[last:]
    up = exposure.taken_away(starts, first, last)
    assert shown(up, 30) == (before[: first - 1] + before[last:])[:30]
    through = exposure.taken_away(starts, first, last, push=False)
    held = before[first - 2] if first > 1 else "."
    assert shown(through) == before[: first - 1] + held * (last - first + 1) + before[last:]


@given(plain, spans, st.integers(1, FRAMES))
def test_copied_and_put_in_elsewhere(starts: dict, span: tuple[int, int], frame: int) -> None:
    found = exposure.pieces(starts, *span)
    text = "".join((what or ".") * count for what, count in found)
    over = exposure.pasted(starts, frame, found)
    before = shown(starts)
    assert shown(over) == before[: frame - 1] + text + before[frame - 1 + len(text) :]
    pushed = exposure.pasted(starts, frame, found, push=True)
    assert shown(pushed, 60 + len(text)) == before[: frame - 1] + text + before[frame - 1 :]
    assert shown(exposure.taken_away(pushed, frame, frame + len(text) - 1)) == before


def runs(found: list) -> list:
    return [what for k, (what, _) in enumerate(found) if not k or found[k - 1][0] != what]


@given(plain, spans, st.integers(1, 60))
def test_a_span_is_stretched_by_shares_and_loses_no_drawing(
    starts: dict, span: tuple[int, int], frames: int
) -> None:
    old = exposure.pieces(starts, *span)
    if frames < len(old):
        with pytest.raises(ValueError, match="as many frames"):
            exposure.stretched(starts, *span, frames)
        return
    after = exposure.stretched(starts, *span, frames)
    assert len(after) >= 1
    new = exposure.pieces(after, span[0], span[0] + frames - 1)
    assert runs(new) == runs(old)
    if frames == span[1] - span[0] + 1:
        assert shown(after) == shown(starts)


def test_there_and_back_says_its_ends_once() -> None:
    starts = {1: "a", 3: "b", 5: "c", 7: "d"}
    assert shown(exposure.there_and_back(starts, 1, 6), 12) == "aabbccbbdddd"
    assert shown(exposure.there_and_back(starts, 1, 6, push=True), 12) == "aabbccbbdddd"
    with pytest.raises(ValueError, match="three drawings"):
        exposure.there_and_back(starts, 1, 4)


def test_another_rate_keeps_seconds_and_refuses_to_lose_a_start() -> None:
    starts = {1: "a", 3: "b", 5: Again(1)}
    assert exposure.retimed(starts, 12, 24) == {1: "a", 5: "b", 9: Again(1)}
    assert exposure.retimed(exposure.retimed(starts, 12, 24), 24, 12) == starts
    with pytest.raises(ValueError, match="frame 3"):
        exposure.retimed({1: "a", 2: "b", 3: "c"}, 24, 12)


def test_what_falls_off_the_end_is_kept_and_named() -> None:
    starts = {1: "a", 3: "b", 5: "c"}
    after = exposure.on_each(starts, 1, 6, 3)
    assert shown(after, 6) == "aaabbb"
    assert exposure.pushed_off(starts, after, 6) == ["c"]
    assert shown(after, 9) == "aaabbbccc"
    assert exposure.pushed_off(starts, exposure.reversed_(starts, 1, 6), 6) == []


@given(sheets, spans, st.integers(1, 4), st.booleans())
def test_acts_on_any_sheet_leave_what_stands_before_the_span(
    starts: dict, span: tuple[int, int], n: int, push: bool
) -> None:
    first, last = span
    whole = {at: what for at, what in starts.items() if not isinstance(what, Again) or what.first < at}
    for after in (
        exposure.on_each(whole, first, last, n, push),
        exposure.stretched(whole, first, last, last - first + n, push) if last > first else whole,
        exposure.taken_away(whole, first, last, push),
        exposure.blanked(whole, first, last),
        exposure.repeated(whole, first, last, last + n, push),
    ):
        assert shown(after)[: first - 1] == shown(whole)[: first - 1]
        assert all(not isinstance(w, Again) or w.first < at for at, w in after.items())


def test_a_run_is_played_on_held_and_back() -> None:
    run = [("a", 1), ("b", 2), ("c", 1)]

    def frames(count: int, back: bool = False) -> str:
        return "".join(what * held for what, held in exposure.picked(run, count, back) if what)

    assert frames(6) == "abbccc"
    assert frames(9, back=True) == "abbcccbba"
    assert [len(frames(count, back)) for count in range(1, 12) for back in (False, True)] == [
        count for count in range(1, 12) for _ in range(2)
    ]
    assert frames(2) == "ab"
    with pytest.raises(ValueError, match="nothing"):
        exposure.picked([], 3)


@given(st.integers(2, 6), st.integers(1, 60), st.integers(1, 4), st.integers(0, 99))
def test_a_hold_is_kept_alive_without_equal_neighbours(count: int, frames: int, hold: int, seed: int) -> None:
    run = "abcdef"[:count]
    found = exposure.kept_alive(run, frames, hold, seed)
    assert sum(n for _, n in found) == frames
    assert all(n == hold for _, n in found[:-1])
    shown = [what for what, _ in found]
    assert shown[:count] == list(run)[: len(shown)]
    assert all(a != b for a, b in pairwise(shown))
    if count > 2:
        assert all(a != c for a, c in zip(shown, shown[2:], strict=False))
    assert found == exposure.kept_alive(run, frames, hold, seed)


def test_one_drawing_alone_keeps_nothing_alive() -> None:
    with pytest.raises(ValueError, match="two drawings"):
        exposure.kept_alive("aa", 12, 2)


def test_what_is_missing_for_what_falls_off_the_end_to_be_seen_as_long() -> None:
    starts = {1: "a", 3: "b", 5: "c"}
    longer = exposure.stretched(starts, 1, 2, 4, True)
    assert exposure.pushed_off(starts, longer, 6) == ["c"]
    assert exposure.missing(starts, longer, 6) == 2
    assert exposure.missing(starts, exposure.stretched(starts, 1, 2, 3, True), 6) == 0
    assert exposure.missing(starts, starts, 6) == 0
