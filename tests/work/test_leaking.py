"""Pouring while a form leaks: only what the pen touches changes, the rest waits for its form."""

from __future__ import annotations

from schoon.core.paint import Paint
from schoon.work.derived import patches_in
from schoon.work.documents import Sheet, Spot, filled_in, painting_of, poured

from .test_edits import LEFT, RIGHT, box_sheet

COAT, FUR, BOOT = 1, 2, 3


def closed() -> Sheet:
    return box_sheet(True)


def leaking() -> Sheet:
    return box_sheet(False)


def pots(spots: list[Spot], sheet: Sheet) -> list[int | None]:
    patches = patches_in(sheet)
    painting = painting_of(spots, patches)
    found = [painting.get(patches.at(*at)) for at in (LEFT, RIGHT)]
    return [paint.pot if paint else None for paint in found]


def pour(spots: list[Spot], sheet: Sheet, at: tuple[float, float], pot: int | None) -> list[Spot]:
    patches = patches_in(sheet)
    return poured(spots, patches, {patches.at(*at): at}, pot)


def test_a_pour_into_a_leak_leaves_the_other_forms_their_pots() -> None:
    spots = pour(pour([], closed(), LEFT, COAT), closed(), RIGHT, FUR)
    assert pots(spots, closed()) == [COAT, FUR]
    spots = pour(spots, leaking(), LEFT, BOOT)
    assert pots(spots, leaking()) == [BOOT, BOOT]
    patches = patches_in(leaking())
    assert not any(paint.unsure for paint in painting_of(spots, patches).values())
    # The gap is shut: what was not touched is there again, by hand and sure.
    assert pots(spots, closed()) == [BOOT, FUR]
    right = painting_of(spots, patches_in(closed()))[patches_in(closed()).at(*RIGHT)]
    assert right == Paint(FUR)


def test_what_waits_outlives_documents_and_further_pours() -> None:
    spots = pour(pour([], closed(), LEFT, COAT), closed(), RIGHT, FUR)
    spots = pour(spots, leaking(), LEFT, BOOT)
    spots = [Spot.from_dict(spot.to_dict()) for spot in spots]
    spots = pour(spots, leaking(), RIGHT, BOOT)
    assert pots(spots, closed()) == [BOOT, BOOT]
    spots = pour(spots, leaking(), LEFT, COAT)
    assert pots(spots, leaking()) == [COAT, COAT]
    assert pots(spots, closed()) == [COAT, BOOT]


def test_a_pour_of_the_same_pot_keeps_it_in_its_own_form() -> None:
    spots = pour(pour([], closed(), LEFT, COAT), closed(), RIGHT, FUR)
    assert pots(pour(spots, leaking(), RIGHT, COAT), closed()) == [COAT, COAT]


def test_what_waited_is_forgotten_once_its_form_is_poured_into() -> None:
    spots = pour(pour([], closed(), LEFT, COAT), closed(), RIGHT, FUR)
    spots = pour(spots, leaking(), LEFT, BOOT)
    spots = pour(spots, closed(), LEFT, BOOT)
    spots = pour(spots, closed(), RIGHT, FUR)
    assert sorted(s.pot for s in spots) == [FUR, BOOT]
    assert not any(s.waits for s in spots)


def test_lifting_paint_off_a_leak_shows_what_waits() -> None:
    spots = pour(pour([], closed(), LEFT, COAT), closed(), RIGHT, FUR)
    spots = pour(pour(spots, leaking(), LEFT, BOOT), leaking(), LEFT, None)
    assert pots(spots, closed()) == [COAT, FUR]


def test_proposals_fill_only_what_no_hand_has_painted() -> None:
    patches = patches_in(closed())
    hand = [Spot(LEFT, COAT), Spot(RIGHT, FUR, 0.2, "carried")]
    found = [Spot(LEFT, BOOT, 0.1, "carried"), Spot(RIGHT, BOOT, 0.1, "carried")]
    assert [s.pot for s in filled_in(hand, patches, found)] == [COAT, BOOT]
    assert [s.pot for s in filled_in(hand, patches, found, keep=[FUR])] == [COAT, FUR]
