"""Lines that follow the ones they were taken from."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from schoon.core.run import brought_back, followed, hidden_within
from schoon.core.strokes import Stroke


def line(track: str, a: tuple[float, float], b: tuple[float, float], width: float = 3.0) -> Stroke:
    return Stroke(np.linspace(a, b, 7), np.full(3, width), track=track, by="hand")


WAS = [line("leg", (20, 20), (20, 120)), line("foot", (20, 120), (70, 120))]


def test_lines_as_they_were_laid_follow_and_keep_their_names() -> None:
    own = [replace(s, id=f"copy{k}") for k, s in enumerate(WAS)]
    then = [WAS[0].moved((0, 0)), WAS[1].moved((5, 9))]
    leg, foot = followed(own, WAS, then)
    assert leg is own[0]
    assert foot.id == "copy1"
    assert foot.controls == pytest.approx(then[1].controls)


def test_what_a_hand_did_to_the_copy_stays() -> None:
    moved = replace(WAS[0].moved((0, 4)), id="moved")
    own_line = line("", (0, 0), (9, 9))
    # The foot was taken away; the leg was moved; something was added.
    kept = followed([moved, own_line], WAS, [s.moved((30, 0)) for s in WAS])
    assert kept == [moved, own_line]


def test_lines_that_come_and_go_in_the_other_come_and_go() -> None:
    toe = line("toe", (70, 120), (80, 110))
    found = followed(list(WAS), WAS, [WAS[1], toe])
    assert [s.track for s in found] == ["foot", "toe"]
    # What the copy has by that name already is not put there twice.
    assert len(followed([*WAS, toe], WAS, [*WAS, toe])) == 3


def test_a_weight_of_the_copy_stays_when_the_way_follows() -> None:
    heavy = replace(WAS[0], widths=np.full(3, 6.0))
    (leg,) = followed([heavy], WAS[:1], [WAS[0].moved((3, 0))])
    assert leg.widths == pytest.approx(6)
    assert leg.controls[0] == pytest.approx((23, 20))


def test_a_line_that_a_form_cuts_is_known_whole() -> None:
    seen, hidden = hidden_within(WAS[:1], lambda at: np.abs(at[:, 1] - 70) < 15, (200, 200))
    assert len(seen) == 2
    assert len(hidden) == 1
    (leg,) = followed(brought_back(seen, hidden), WAS[:1], [WAS[0].moved((3, 0))])
    assert leg.controls[:, 0] == pytest.approx(23)


def test_following_twice_is_following_once() -> None:
    then = [s.moved((12, 3)) for s in WAS]
    once = followed(list(WAS), WAS, then)
    assert followed(once, WAS, then) == once
