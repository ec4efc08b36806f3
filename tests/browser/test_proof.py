"""The stop Proof as a lead uses it: findings by keyboard, waving through, sights, the contact sheet."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from schoon.store import Store, productions, revisions
from schoon.work import edits
from schoon.work.derived import sheet_patches
from schoon.work.operations.paint import Pour

from .test_paint import desk as painted
from .test_path import drag
from .waiting import until

__all__ = ["painted"]

pytestmark = pytest.mark.browser


@pytest.fixture
def desk(painted: Page, store: Store) -> Page:
    """Three rings of one pot, but the second of another."""
    with store.transaction() as cursor:
        (shot,) = productions.shots(cursor)
        rows = productions.drawings(cursor, shot["level_id"])
        pots = [r["pot"] for r in _spots(cursor, rows)]
        for row, pot in zip(rows, (pots[0], pots[2], pots[0]), strict=True):
            _, sheet = edits.load(cursor, row["id"])
            patches = sheet_patches(row["line"], sheet)
            ring = patches.at(300 + 8 * int(row["number"]), 270)
            at = tuple(map(float, patches.anchors[ring]))
            now = revisions.drawing(cursor, row["id"])
            edits.change_drawing(cursor, row["id"], now["head"], Pour(do="pour", points=[at], pot=pot))
    painted.goto(painted.url.replace("/paint", "/proof"))
    until(painted, "document.querySelectorAll('.finding').length === 1")
    return painted


def _spots(cursor, rows):
    found = revisions.get_documents(cursor, [row["paint"] for row in rows])
    return [found[row["paint"]]["patches"][0] for row in rows]


def test_a_flash_is_shown_beside_its_neighbour_and_mended_by_a_key(desk: Page) -> None:
    expect(desk.locator(".finding")).to_contain_text("Flash")
    expect(desk.locator(".finding")).to_contain_text("beside 1")
    desk.locator(".finding").click()
    until(desk, "schoon.current.number === '2'")
    until(desk, "document.querySelectorAll('#paper .found').length === 1")
    assert desk.locator("#proof-axis i").count() == 2
    desk.locator("#table").focus()
    desk.keyboard.press("j")
    expect(desk.locator(".ledge .empty")).to_contain_text("Nothing is wrong")
    until(desk, "document.querySelector('.track [data-stage=proof]').classList.contains('done')")
    desk.locator("#undo").click()
    until(desk, "document.querySelectorAll('.finding').length === 1")


def test_it_is_waved_through_seen_again_and_asked_again(desk: Page) -> None:
    desk.locator("#table").focus()
    desk.locator("#proof-reason").select_option("a blink or wink")
    desk.locator("#table").focus()
    desk.keyboard.press("x")
    expect(desk.locator(".finding")).to_have_count(0)
    desk.reload()
    desk.locator("#proof-waved").check()
    expect(desk.locator(".finding.waved")).to_contain_text("a blink or wink")
    desk.locator("#table").focus()
    desk.keyboard.press("x")
    expect(desk.locator(".finding")).to_have_count(1)
    expect(desk.locator(".finding.waved")).to_have_count(0)


def test_sights_and_the_contact_sheet(desk: Page) -> None:
    desk.locator("#table").focus()
    for key, sight in (("v", "silhouette"), ("n", "values"), ("g", "garish"), ("i", "bare"), ("c", "plain")):
        desk.keyboard.press(key)
        expect(desk.locator("body")).to_have_attribute("data-sight", sight)
    desk.get_by_role("tab", name="Contact sheet").click()
    expect(desk.locator(".contact button")).to_have_count(3)
    expect(desk.locator(".contact button").nth(1)).to_contain_text("1 found")
    desk.locator("#contact-area").click()
    drag(desk, [(200, 200), (300, 260), (420, 340)])
    expect(desk.locator("#contact-whole")).to_be_visible()
    desk.locator(".contact button").nth(2).click()
    until(desk, "schoon.current.number === '3'")
