"""The ledger, the unsure queue and the leak tracer, by keyboard where a hand would use it."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Locator, Page, expect

from schoon.core.paint import Paint
from schoon.formats.pictures import encode_png
from schoon.store import Store, models, pictures, productions, revisions
from schoon.work import edits
from schoon.work.derived import sheet_patches
from schoon.work.documents import line_document, paint_document, spots_of

from .test_line import SIZE, lined, rough
from .test_path import drag, on_screen, stage
from .waiting import sight, until

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
            name = revisions.put_document(cursor, line_document(lined(8 * int(row["number"]))))
            revisions.revise(cursor, revisions.of(revisions.drawing(cursor, row["id"])), action, line=name)
            now, sheet = edits.load(cursor, row["id"])
            patches = sheet_patches(now["line"], sheet)
            ring = patches.at(300 + 8 * int(row["number"]), 270)
            paint = [
                Paint(coat), Paint(coat, 0.8, "carried", others=(fur,)), Paint(fur, 0.1, "carried"),
            ][number]  # fmt: skip
            spots = spots_of({ring: paint}, patches)
            name = revisions.put_document(cursor, paint_document(spots))
            revisions.revise(cursor, revisions.of(now), action, paint=name)
    page.goto(f"/shots/{shot}/paint")
    until(page, "document.querySelectorAll('#paper .patches path').length > 0")
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
    until(desk, "schoon.data.run[1].unsure === 0 && schoon.data.run[1].hand === 1")
    desk.keyboard.press("d")
    desk.keyboard.press("Control+z")
    expect(card).to_have_count(1)


def the_only_card(desk: Page) -> Locator:
    """What is unsure, read again."""
    desk.reload()
    until(desk, "document.querySelectorAll('#paper .patches path').length > 0")
    desk.get_by_role("tab", name="Unsure").click()
    card = desk.locator(".unsure-card")
    expect(card).to_have_count(1)
    return card


def test_one_thing_in_several_drawings_is_one_question(desk: Page, store: Store) -> None:
    with store.transaction() as cursor:
        second, third = (
            revisions.drawing(cursor, d) for d in desk.evaluate("schoon.data.run.slice(1).map((d) => d.id)")
        )
        before, after = (
            revisions.get_documents(cursor, [row["paint"]])[row["paint"]] for row in (second, third)
        )
        spot = before["patches"][0]
        after["patches"][0].update(
            pot=spot["pot"], doubt=0.7, others=spot["others"], **{"from": [second["id"], *spot["at"]]}
        )
        action = revisions.begin_action(cursor, "doubt")
        revisions.revise(cursor, revisions.of(third), action, paint=revisions.put_document(cursor, after))
    card = the_only_card(desk)
    expect(card).to_contain_text("2 to 3 2 patches")
    expect(desk.locator("#queue-third")).to_have_count(0)
    # One thing comes apart into its patches, and back together when the page is opened anew.
    desk.locator("#queue-apart").click()
    expect(card).to_have_count(2)
    card = the_only_card(desk)
    expect(card.locator("i")).to_have_count(2)
    expect(desk.locator('[data-view="unsure"] .ask')).to_have_attribute("title", "1 question about 2 patches")
    desk.locator("#paper").focus()
    desk.keyboard.press("k")
    expect(desk.locator("#ledge-body")).to_contain_text("No patch is unsure")
    until(desk, "schoon.data.run.slice(1).every((d) => d.unsure === 0 && d.hand === 1)")


def test_likely_things_of_one_pot_are_one_card_that_comes_apart(desk: Page, store: Store) -> None:
    with store.transaction() as cursor:
        rows = [
            revisions.drawing(cursor, d) for d in desk.evaluate("schoon.data.run.slice(1).map((d) => d.id)")
        ]
        action = revisions.begin_action(cursor, "doubt")
        documents = revisions.get_documents(cursor, [row["paint"] for row in rows])
        coat = documents[rows[0]["paint"]]["patches"][0]["pot"]
        for row in rows:
            paint = documents[row["paint"]]
            # None was carried from the other: two things of one pot.
            paint["patches"][0].update(pot=coat, doubt=0.55, **{"from": None, "with": "coats"})
            revisions.revise(cursor, revisions.of(row), action, paint=revisions.put_document(cursor, paint))
    card = the_only_card(desk)
    expect(card).to_contain_text("2 things, 2 patches")
    # Each is outlined in its crop.
    expect(card.locator("i path:last-child")).to_have_count(2)
    box = card.locator("i path:last-child").first.bounding_box()
    crop = card.locator("i").first.bounding_box()
    assert box
    assert crop
    assert box["width"] > 20
    assert abs(box["x"] + box["width"] / 2 - crop["x"] - crop["width"] / 2) < crop["width"]
    desk.locator("#paper").focus()
    desk.keyboard.press("Shift+K")
    expect(card).to_have_count(2)
    expect(desk.locator("#queue-apart")).to_have_count(0)
    # They stay apart when the list is read again.
    desk.evaluate("schoon.stage.views.unsure.load()")
    expect(card).to_have_count(2)
    desk.keyboard.press("j")
    expect(card).to_have_count(1)
    desk.keyboard.press("j")
    expect(desk.locator("#ledge-body")).to_contain_text("No patch is unsure")
    until(desk, "schoon.data.run.slice(1).every((d) => d.unsure === 0)")


def test_a_leak_is_traced_and_shut(desk: Page) -> None:
    stage(desk, "Seal")
    until(desk, "document.querySelectorAll('#paper .patches path').length > 0")
    desk.keyboard.press("b")
    desk.mouse.click(*on_screen(desk, 308, 270))
    expect(desk.locator("#notice")).to_contain_text("does not run out")
    desk.evaluate("schoon.table.lookAt(750, 330, 1)")
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
    sight(desk, "pots-rows").click()
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
    desk.keyboard.press("Shift+V")
    assert desk.evaluate(colour) != before
    desk.keyboard.press("Shift+V")
    assert desk.evaluate(colour) == before


def test_a_locked_pot_is_left_by_ledger_and_queue_and_stays_locked(desk: Page) -> None:
    sight(desk, "pots-rows").click()
    coat = desk.locator("#pots [data-pot]").first
    coat.hover()
    coat.get_by_role("button", name="lock Coat").click()
    desk.get_by_role("tab", name="Unsure").click()
    expect(desk.locator(".unsure-card")).to_have_count(1)
    desk.locator("#paper").focus()
    desk.keyboard.press("k")
    expect(desk.locator("#notice")).to_contain_text("Coat is locked")
    expect(desk.locator(".unsure-card")).to_have_count(1)
    desk.get_by_role("tab", name="Ledger").click()
    expect(desk.locator(".ledger .cell")).to_have_count(6)
    desk.locator("#notice").evaluate("(node) => { node.textContent = ''; }")
    desk.locator(".ledger").focus()
    desk.keyboard.press("x")
    expect(desk.locator("#notice")).to_contain_text("Coat is locked")
    until(desk, "schoon.data.run[0].painted === 1")
    desk.reload()
    until(desk, "document.querySelectorAll('#paper .patches path').length > 0")
    expect(coat.locator('[data-way="lock"]')).to_have_attribute("aria-pressed", "true")


def test_a_ring_and_the_whole_run_pour_many_at_once(desk: Page) -> None:
    desk.keyboard.press("x")
    desk.mouse.click(*on_screen(desk, 308, 270))
    until(desk, "schoon.current.painted === 0")
    desk.keyboard.press("g")
    drag(desk, [(150, 120), (470, 120), (470, 430), (150, 430), (150, 140)])
    expect(desk.locator("#notice")).to_contain_text("Coat in 1 patch")
    until(desk, "schoon.current.painted === 1")
    desk.keyboard.press("Shift+W")
    desk.locator("#pots [data-pot]").nth(1).press("Enter")
    desk.keyboard.press("Shift+W")
    desk.mouse.click(*on_screen(desk, 308, 270))
    expect(desk.locator("#notice")).to_contain_text("poured into 3 drawings of 3", timeout=30000)
    until(desk, "schoon.data.run.every((d) => d.painted === 1)")
    desk.keyboard.press("Control+z")
    expect(desk.locator("#notice")).to_contain_text("pour through the run on 3 drawings")


def test_levels_are_seen_alone_locked_and_stacked(desk: Page, store: Store) -> None:
    with store.transaction() as cursor:
        level = productions.add_level(cursor, 1, "Sky", None, None)
        productions.fill_level(
            cursor, level, [(1, "key", pictures.put(cursor, rough(0), "image/png", *SIZE))], {1: 1}
        )
        row = productions.drawings(cursor, level)[0]
        name = revisions.put_document(cursor, line_document(lined(60)))
        revisions.revise(
            cursor,
            revisions.of(revisions.drawing(cursor, row["id"])),
            revisions.begin_action(cursor, "line"),
            line=name,
        )
    desk.reload()
    expect(desk.locator("#paper .before image")).to_have_count(1)
    sight(desk, "see-levels").click()
    box = desk.locator("#levels-box")
    expect(box.locator("li")).to_have_text([re.compile("^Sky"), re.compile("^Pim")])
    box.get_by_role("button", name="seen Sky").click()
    expect(desk.locator("#paper .before image")).to_have_count(0)
    box.get_by_role("button", name="alone Sky").click()
    expect(desk.locator("#paper .before image")).to_have_count(1)
    expect(desk.locator("#paper .ink")).to_be_hidden()
    box.get_by_role("button", name="alone Sky").click()
    box.get_by_role("button", name="seen Sky").click()
    box.get_by_role("button", name="back Sky").click()
    expect(desk.locator("#paper .behind image")).to_have_count(1)
    box.get_by_role("button", name="locked Pim").click()
    expect(desk.locator("#pen-now")).to_contain_text("Pim is locked")
    desk.keyboard.press("f")
    desk.mouse.click(*on_screen(desk, 308, 270))
    expect(desk.locator("#notice")).to_contain_text("The level Pim is locked")
    box.get_by_role("button", name="rename Sky").click()
    box.get_by_label("New name of Sky").fill("Dusk sky")
    box.get_by_label("New name of Sky").press("Enter")
    expect(desk.locator("#notice")).to_contain_text("The level is called Dusk sky")
    box.get_by_role("link", name="Dusk sky").click()
    expect(desk.locator(".where")).to_contain_text("Dusk sky")
    until(desk, "globalThis.schoon?.data.run.length === 1")


def test_a_level_is_put_aside_and_brought_back(desk: Page, store: Store) -> None:
    with store.transaction() as cursor:
        level = productions.add_level(cursor, 1, "Sky", None, None)
        picture = pictures.put(cursor, rough(0), "image/png", *SIZE)
        productions.fill_level(cursor, level, [(1, "key", picture)], {1: 1})
    desk.reload()
    sight(desk, "see-levels").click()
    rows = desk.locator("#levels-list li")
    expect(rows).to_have_count(2)
    desk.get_by_role("button", name="put aside Sky").click()
    expect(desk.locator("#levels-aside")).to_contain_text("Sky, 1 drawing, lies aside")
    expect(rows).to_have_count(1)
    # The last level stays.
    expect(desk.get_by_role("button", name="put aside Pim")).to_be_disabled()
    desk.get_by_role("button", name="Bring back Sky").click()
    desk.wait_for_url(f"**?level={level}**")
    expect(rows).to_have_count(2)
    expect(rows.first).to_contain_text("Sky")


def test_a_pot_is_renamed_in_its_place(desk: Page) -> None:
    desk.goto("/models/1")
    name = desk.locator(".pot-name").first
    name.click()
    field = desk.get_by_label("New name of Coat")
    field.fill("Oilskin")
    field.press("Escape")
    expect(name).to_have_text("Coat")
    name.press("Enter")
    desk.get_by_label("New name of Coat").fill("Fur")
    desk.get_by_label("New name of Coat").press("Enter")
    expect(desk.locator("#notice")).to_contain_text("Fur")
    expect(name).to_have_text("Coat")
    name.click()
    desk.get_by_label("New name of Coat").fill("Oilskin")
    desk.get_by_label("New name of Coat").press("Enter")
    expect(name).to_have_text("Oilskin")
    desk.reload()
    expect(name).to_have_text("Oilskin")


def test_pots_and_keys_are_made_from_pictures(desk: Page, tmp_path: Path) -> None:
    picture = np.full((300, 400, 3), 255, np.uint8)
    picture[60:240, 40:180] = (200, 40, 30)
    picture[60:240, 220:360] = (40, 60, 190)
    (tmp_path / "sheet.png").write_bytes(encode_png(picture))
    desk.goto("/models/1")
    desk.locator('input[name="picture"]').set_input_files(tmp_path / "sheet.png")
    desk.get_by_role("button", name="Add", exact=True).click()
    image = desk.locator("figure img")
    until(desk, "document.querySelector('figure img')?.naturalWidth > 0")
    box = image.bounding_box()
    assert box
    image.click(position={"x": 0.25 * box["width"], "y": 0.5 * box["height"]})
    expect(desk.locator("#sampled .number")).to_have_text("#c8281e")
    desk.get_by_label("Name of the new pot", exact=True).fill("Sail")
    desk.get_by_role("button", name="Make pot").click()
    expect(desk.get_by_role("rowheader", name="Sail")).to_be_visible()
    desk.get_by_role("button", name="Pots from its colours").click()
    expect(desk.locator(".proposed")).to_contain_text("is Sail in Day")
    desk.get_by_label("Name of the pot #283cbe").fill("Sea")
    desk.get_by_role("button", name="Add the named pots").click()
    expect(desk.get_by_role("rowheader", name="Sea")).to_be_visible()
    # A tone is chosen and taken away again, and a pot goes to a part.
    shade = desk.get_by_label("shade of Sea in Day")
    shade.fill("#101030")
    expect(desk.locator(".tone", has=shade)).not_to_have_class(re.compile("none"))
    shade.press("Delete")
    expect(desk.locator(".tone", has=shade)).to_have_class(re.compile("none"))
    desk.get_by_role("row", name=re.compile("Sea")).hover()
    desk.get_by_role("button", name="Part of Sea").click()
    desk.locator("#pot-part input").fill("Water")
    desk.get_by_role("button", name="Move it").click()
    expect(desk.get_by_role("rowheader", name="Water")).to_be_visible()
    dusk = (picture * (0.5, 0.5, 0.7)).astype(np.uint8)
    (tmp_path / "dusk.png").write_bytes(encode_png(dusk))
    desk.locator("summary", has_text="Read a key from a picture").click()
    desk.locator('#read-key input[type="file"]').set_input_files(tmp_path / "dusk.png")
    expect(desk.locator("#read-words")).to_contain_text("pots are seen in it")
    desk.locator('#read-key [name="name"]').fill("Dusk")
    desk.get_by_role("button", name="Keep key").last.click()
    expect(desk.get_by_role("columnheader", name="Dusk")).to_be_visible()
    expect(desk.get_by_label("Sea in Dusk", exact=True)).to_have_value("#141e85")
    # In Paint the sheet picture is sampled too.
    desk.goto("/shots/1/paint")
    until(desk, "document.querySelectorAll('#paper .patches path').length > 0")
    desk.locator("#paper").focus()
    desk.keyboard.press("i")
    sheet = desk.locator("#dock-picture img").bounding_box()
    assert sheet
    desk.mouse.click(
        sheet["x"] + sheet["width"] / 2 + 0.2 * sheet["height"] * 4 / 3, sheet["y"] + sheet["height"] / 2
    )
    expect(desk.locator('#pots [aria-selected="true"]')).to_contain_text("Sea")
    expect(desk.locator("#pen-now")).to_contain_text("Pour sea")


def test_a_form_is_cut_out_and_filled_at_once(desk: Page) -> None:
    before = desk.evaluate("schoon.data.run[0].painted")
    desk.locator("#paper").focus()
    desk.keyboard.press("p")
    expect(desk.locator('#tray [aria-pressed="true"]')).to_contain_text("Cut out")
    turn = np.linspace(0, 2 * np.pi, 24)
    drag(desk, [(60 + 34 * float(np.cos(a)), 60 + 34 * float(np.sin(a))) for a in turn])
    until(desk, f"schoon.data.run[0].painted === {before + 1}")
    desk.keyboard.press("Control+z")
    until(desk, f"schoon.data.run[0].painted === {before}")


def test_parts_are_told_apart_and_put_in_depth_from_a_drawing_on(desk: Page) -> None:
    for pot, part in ((1, "Coat"), (2, "Otter")):
        edit = {"do": {"do": "describe-pot", "pot": pot, "part": part}}
        assert desk.request.post("/api/models/1/do", data=edit).ok
    desk.reload()
    until(desk, "document.querySelectorAll('#paper .patches path').length > 0")
    fill = desk.locator("#paper .patches path").first.evaluate("(node) => node.style.fill")
    desk.keyboard.press("Shift+I")
    until(desk, f"document.querySelector('#paper .patches path').style.fill !== '{fill}'")
    desk.select_option("#belongs-to", label="Otter")
    expect(desk.locator("#pen-now")).to_contain_text("Make patches Otter")
    desk.keyboard.press("f")
    desk.locator("#depth summary").click()
    first = desk.locator("#depth-parts li").first.get_attribute("data-part")
    desk.locator("#depth-parts li").first.focus()
    desk.keyboard.press("Alt+ArrowDown")
    expect(desk.locator("#depth-parts li").nth(1)).to_have_attribute("data-part", first or "")
    expect(desk.locator("#depth-words")).to_contain_text("As changed at drawing 1")
    desk.keyboard.press("d")
    expect(desk.locator("#depth-words")).to_contain_text("As changed at drawing 1")
    desk.keyboard.press("a")
    desk.locator("#depth-back").click()
    expect(desk.locator("#depth-words")).to_have_text("As in the model")
