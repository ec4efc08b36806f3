"""How proposed strokes go together with those a hand has made."""

from __future__ import annotations

from dataclasses import replace

import pytest

from schoon.core.strokes import Stroke
from schoon.work.proposals import besides, keep_hand, taking_place

from .test_work import side


def by_hand(stroke: Stroke) -> Stroke:
    return replace(stroke, by="hand")


def proposal(*ends: tuple[float, float]) -> Stroke:
    return replace(side(*ends), by="proposal")


def test_a_proposal_along_a_line_of_the_hand_gives_way() -> None:
    mine = by_hand(side((10, 10), (110, 10)))
    along, across = proposal((12, 12), (108, 12)), proposal((60, 0), (60, 90))
    assert keep_hand([mine, proposal((0, 50), (90, 50))], [along, across]) == [mine, across]
    assert keep_hand([], [along, across]) == [along, across]


@pytest.mark.parametrize(("length", "kept"), [(60, False), (240, True)])
def test_a_proposal_stays_if_most_of_it_goes_on_alone(length: int, kept: bool) -> None:
    mine = side((0, 10), (80, 10))
    long = proposal((0, 10), (float(length), 10))
    assert (long in besides([long], [mine])) == kept


def test_new_lines_take_the_place_of_their_track_and_part() -> None:
    arm = replace(side((0, 0), (50, 0)), track="arm", by="hand", part="arm")
    cuff = replace(side((0, 40), (50, 40)), part="arm")
    other = by_hand(side((0, 90), (50, 90)))
    new = replace(side((5, 200), (55, 200)), track="arm")
    assert taking_place([arm, cuff, other], [new]) == [other, cuff, new]
    assert taking_place([arm, cuff, other], [new], part="arm") == [other, new]
    # A line of the hand that has no track of the new ones stays, however near they run.
    near = replace(side((0, 91), (50, 91)), track="hem")
    assert taking_place([other], [near]) == [other, near]
