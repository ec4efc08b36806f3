"""The ledger, the unsure queue and the leak tracer, by keyboard where a hand would use it."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from schoon.core.paint import Paint
from schoon.store import Store, models, pictures, productions, revisions
from schoon.work import edits
from schoon.work.derived import sheet_patches
from schoon.work.documents import line_document, paint_document, spots_of

from .test_line import SIZE, lined, rough
from .test_path import on_screen

pytestmark = pytest.mark.browser


@pytest.fixture
def desk(page: Page, store: Store) -> Page:
    """Three drawings of a ring, painted: certain in the first, in doubt in the second, another pot in the third."""
    with store.transaction() as cursor:
        production = productions.create(cursor, "Quay")
        model = models.create(cursor, production, "Pim")
        key = models.add_key(cursor, model, "Day", "#1d2b3a", "#ffffff", {})
        coat, fur = (
            models.add_pot(cursor, model, n, c) for n, c in (("Coat", "#edb21f"), ("Fur", "#8a5a3b"))
        )
        shot, level = productions.create_shot(cursor, production, "Sign", 24, "Pim", model, key)
        rows = [(k, "key", pictures.put(cursor, rough(8 * k), "image/png", *SIZE)) for k in (1, 2, 3)]
        productions.fill_shot(cursor, shot, level, SIZE, rows, {1: 1, 3: 2, 5: 3}, 6)
        for number, row in enumerate(productions.drawings(cursor, level)):
            action = revisions.begin_action(cursor, "paint")
            name = revisions.put_document(cursor, line_document(lined(8 * row["number"])))
            revisions.revise(cursor, revisions.drawing(cursor, row["id"]), action, line=name)
            now, sheet = edits.load(cursor, row["id"])
            patches = sheet_patches(now["line"], sheet)
            ring = patches.at(300 + 8 * row["number"], 270)
            paint = [
                Paint(coat), Paint(coat, 0.8, "carried", others=(fur,)), Paint(fur, 0.1, "carried"),
            ][number]  # fmt: skip
            spots = spots_of({ring: paint}, patches)
            name = revisions.put_document(cursor, paint_document(spots))
            revisions.revise(cursor, now, action, paint=name)
    page.goto(f"/shots/{shot}/paint")
    page.wait_for_function("document.querySelectorAll('#paper .patches path').length > 0")
    return page


def test_the_ledger_is_worked_by_keyboard_alone(desk: Page) -> None:
    desk.get_by_role("tab", name="Ledger").click()
    cells = desk.locator(".ledger .cell")
    expect(cells).to_have_count(6)
    second = desk.locator('.ledger .cell[data-row="0"][data-col="1"]')
    expect(second).to_contain_text("1 ?")
    expect(desk.locator('.ledger .cell[data-row="1"][data-col="2"]')).to_contain_text("1")
    desk.locator(".ledger").focus()
    desk.keyboard.press("n")
    expect(desk.locator("#paper")).to_have_attribute("data-drawing", "2")
    desk.keyboard.press("j")
    expect(desk.locator("#notice")).to_contain_text("1 patch in 1 drawing accepted")
    expect(second).not_to_contain_text("?")
    # The third drawing's fur is wrong: go to its cell, take the coat from the dock, pour it instead.
    desk.keyboard.press("ArrowDown")
    desk.keyboard.press("ArrowRight")
    desk.locator("#pots [data-pot]").first.press("Enter")
    desk.locator(".ledger").focus()
    desk.keyboard.press("f")
    expect(desk.locator("#notice")).to_contain_text("1 patch in 1 drawing now coat")
    expect(desk.locator('.ledger .cell[data-row="0"][data-col="2"] span')).to_have_text("1")
    desk.keyboard.press("Shift+ArrowLeft")
    expect(desk.locator("#cells-chosen")).to_have_text("2 cells")
    # A whole pot is replaced through the shot from its name.
    desk.locator(".ledger .row-head").first.click()
    expect(desk.locator("#cells-chosen")).to_have_text("3 cells")
    desk.locator("#pots [data-pot]").nth(1).press("Enter")
    desk.locator("#cell-pour").click()
    expect(desk.locator("#notice")).to_contain_text("3 patches in 3 drawings now fur")


def test_unsure_patches_are_decided_by_one_key(desk: Page) -> None:
    desk.get_by_role("tab", name="Unsure").click()
    card = desk.locator(".unsure-card")
    expect(card).to_have_count(1)
    expect(card).to_contain_text("Coat")
    expect(card).to_contain_text("Fur")
    desk.locator("#paper").focus()
    desk.keyboard.press("k")
    expect(desk.locator("#ledge-body")).to_contain_text("No patch is unsure")
    desk.wait_for_function("schoon.data.run[1].unsure === 0 && schoon.data.run[1].hand === 1")
    desk.keyboard.press("d")
    desk.keyboard.press("Control+z")
    expect(card).to_have_count(1)


def test_a_leak_is_traced_and_shut(desk: Page) -> None:
    desk.get_by_role("navigation", name="Stages").get_by_role("link", name="Seal").click()
    desk.wait_for_function("document.querySelectorAll('#paper .patches path').length > 0")
    desk.keyboard.press("v")
    desk.mouse.click(*on_screen(desk, 308, 270))
    expect(desk.locator("#notice")).to_contain_text("does not run out")
    desk.evaluate("schoon.lookAt(750, 330, 1)")
    # The corner between the crossing lines is open: its widest way out is between their ends.
    desk.mouse.click(*on_screen(desk, 730, 300))
    expect(desk.locator("#pen-now")).to_contain_text("it runs out here")
    expect(desk.locator("#paper .ghost path")).to_have_count(1)
    before = desk.locator("#paper .stitches path").count()
    desk.keyboard.press("j")
    expect(desk.locator("#paper .stitches path")).to_have_count(before + 2)


def test_a_pot_is_seen_alone_locked_and_in_test_colours(desk: Page) -> None:
    coat = desk.locator("#pots [data-pot]").first
    fur = desk.locator("#pots [data-pot]").nth(1)
    fur.hover()
    fur.get_by_role("button", name="alone Fur").click()
    expect(desk.locator("#paper .patches .back")).to_have_count(1)
    fur.get_by_role("button", name="alone Fur").click()
    expect(desk.locator("#paper .patches .back")).to_have_count(0)
    coat.hover()
    coat.get_by_role("button", name="lock Coat").click()
    desk.locator("#pots [data-pot]").nth(1).click()
    desk.mouse.click(*on_screen(desk, 308, 270))
    expect(desk.locator("#notice")).to_contain_text("Coat is locked")
    colour = "getComputedStyle(document.documentElement).getPropertyValue('--pot-1')"
    before = desk.evaluate(colour)
    desk.keyboard.press("v")
    assert desk.evaluate(colour) != before
    desk.keyboard.press("v")
    assert desk.evaluate(colour) == before
