"""The history as an artist uses it: undo where the hand is, a list with pictures, back to any of it."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from .test_path import drag, stage
from .waiting import sight, until

pytestmark = pytest.mark.browser


def set_time(page: Page, field: str, value: str) -> None:
    page.locator(field).fill(value)
    page.locator(field).press("Enter")


def deeds(page: Page) -> list[str]:
    return page.locator("#history-list .deed b").all_inner_texts()


def test_a_name_is_asked_once(shot: Page) -> None:
    page = shot
    expect(page.locator("#who-box")).to_be_hidden()
    page.goto("/")
    expect(page.locator("#who-box")).to_be_visible()
    page.locator("#who-box input").fill("Mara Lind")
    page.locator("#who-box .main").click()
    expect(page.locator("#who")).to_have_text("Mara Lind")
    page.reload()
    expect(page.locator("#who")).to_have_text("Mara Lind")
    expect(page.locator("#who-box")).to_be_hidden()


def test_time_is_changed_undone_by_key_and_gone_back_to_in_a_second_window(shot: Page) -> None:
    page = shot
    page.locator("#time summary").click()
    set_time(page, "#time-length", "12")
    expect(page.locator("#time-says")).to_have_text("12 at 24")
    set_time(page, "#time-frame", "7")
    page.locator("#time-what").select_option("again")
    expect(page.locator("#sheet .again")).to_contain_text("as from 1")
    set_time(page, "#time-frame", "5")
    page.locator("#time-what").select_option("none")
    expect(page.locator("#sheet .nothing")).to_have_count(1)
    # Ctrl+Z goes where the last act was: the sheet.
    page.keyboard.press("Escape")
    page.locator("#paper").focus()
    page.keyboard.press("Control+z")
    expect(page.locator("#sheet .nothing")).to_have_count(0)
    page.keyboard.press("Control+Shift+Z")
    expect(page.locator("#sheet .nothing")).to_have_count(1)
    other = page.context.new_page()
    other.goto(page.url)
    expect(other.locator("#sheet .nothing")).to_have_count(1)
    other.locator("#see-history").click()
    expect(other.locator("#history-list .deed")).to_have_count(3)
    assert deeds(other)[-1] == "make the shot 12 frames long"
    other.locator("#history-list .deed").last.get_by_role("button", name="Step back to here").click()
    expect(other.locator("#sheet .again")).to_have_count(0)
    expect(other.locator("#time-says")).to_have_text("12 at 24")
    # The first window undoes that as it would its own.
    page.locator("#time-undo").click()
    expect(page.locator("#sheet .again")).to_have_count(1)


def test_a_drawing_comes_back_as_it_was_from_the_history(shot: Page) -> None:
    page = shot
    stage(page, "Line")
    page.wait_for_timeout(300)
    ink = page.locator("#paper .ink path")
    drag(page, [(100, 300), (200, 350), (300, 320)])
    expect(ink).to_have_count(1)
    drag(page, [(100, 400), (200, 450), (300, 420)])
    expect(ink).to_have_count(2)
    expect(page.locator("#saved")).to_contain_text("saved")
    page.locator("#see-history").click()
    expect(page.locator("#history-list .deed")).to_have_count(2)
    pictures = page.locator("#history-list .deed").first.locator("img")
    expect(pictures).to_have_count(2)
    until(page, "[...document.querySelectorAll('#history-list img')].every((i) => i.naturalWidth > 0)")
    page.get_by_role("button", name="as before: bring drawing 1 back").first.click()
    expect(ink).to_have_count(1)
    expect(page.locator("#history-list .deed b").first).to_have_text("bring drawing 1 back as it was")
    page.keyboard.press("Escape")
    expect(page.locator("#history")).to_be_hidden()
    page.locator("#undo").click()
    expect(ink).to_have_count(2)


def test_levels_and_models_are_undone_where_they_are_changed(shot: Page) -> None:
    page = shot
    sight(page, "see-levels").click()
    page.get_by_role("button", name="locked").click()
    expect(page.get_by_role("button", name="locked")).to_have_attribute("aria-pressed", "true")
    page.locator("#levels-undo").click()
    expect(page.get_by_role("button", name="locked")).to_have_attribute("aria-pressed", "false")
    page.goto("/models/1")
    well = page.get_by_label("Coat in Day", exact=True)
    expect(page.locator("#undo")).to_be_disabled()
    well.fill("#112233")
    number = page.locator(".well", has=well).locator(".number")
    expect(number).to_have_text("#112233")
    outline = page.get_by_label("outline")
    outline.fill("9")
    outline.press("Tab")
    page.wait_for_timeout(600)
    page.reload()
    expect(outline).to_have_value("9")
    page.locator("h1").click()
    page.keyboard.press("Control+z")
    expect(page.locator("#notice")).to_contain_text("Undone: change the line rule")
    expect(outline).to_have_value("4")
    page.locator("#undo").click()
    expect(page.locator("#notice")).to_contain_text("Undone: change the Coat in Day")
    expect(number).to_have_text("#edb21f")
    page.locator("#redo").click()
    expect(number).to_have_text("#112233")


def test_a_name_is_written_while_the_list_is_read(shot: Page) -> None:
    page, held = shot, []
    # The first list is held back until the name is half written.
    page.route("**/history*", lambda route: route.continue_() if held else held.append(route))
    page.locator("#see-history").click()
    page.locator("#history-keep input").press_sequentially("ca")
    assert len(held) == 1
    held[0].continue_()
    expect(page.locator("#history-list")).not_to_contain_text("Reading")
    page.keyboard.type("lm")
    expect(page.locator("#history-keep input")).to_have_value("calm")


def test_two_alternatives_play_in_step_and_one_is_kept(shot: Page) -> None:
    page = shot
    page.evaluate(
        """fetch('/api/levels/1/jobs', { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify({ kind: 'clean' }) })"""
    )
    lined = "fetch('/api/shots/1/run').then((r) => r.json()).then((r) => !r.jobs.length && r.drawings.every((d) => d.strokes))"
    while not page.evaluate(lined):
        page.wait_for_timeout(100)
    page.goto("/shots/1/line")
    until(page, "globalThis.schoon?.stage && document.getElementById('paper').dataset.drawing")
    page.locator("#see-history").click()
    page.locator("#history-keep input").fill("calm")
    page.locator("#history-keep input").press("Enter")
    expect(page.locator("#history-list .deed b").first).to_have_text("calm")
    page.locator("#history-close").click()
    first = page.evaluate("schoon.data.run[0].id")
    lines = (
        "(id) => fetch(`/api/drawings/${id}`).then((r) => r.json()).then((d) => d.strokes.map((s) => s.id))"
    )
    before = page.evaluate(lines, first)
    page.evaluate(
        """([id, stroke]) => fetch(`/api/drawings/${id}/do`, { method: 'POST', headers: { 'Content-Type': 'application/json' },
          body: JSON.stringify({ base: 0, do: { do: 'delete', ids: [stroke] } }) }).then((r) => r.json())""",
        [first, before[0]],
    )
    page.reload()
    until(page, "globalThis.schoon?.stage && document.getElementById('paper').dataset.drawing")
    page.locator("#play-how").click()
    beside = page.locator("#play-beside")
    expect(beside.locator("option")).to_have_count(2)
    beside.select_option(label="calm")
    page.locator("#play-last").fill("2")
    page.locator("#play-last").press("Tab")
    page.locator("#play-how").click()
    page.locator("#play").click()
    expect(page.locator("#alternatives b")).to_have_text(["as it stands now", "calm"])
    until(page, "document.getElementById('screen').dataset.frame >= 1")
    urls = "schoon.player.sides.map((side) => side[1].map((layer) => layer.url).join())"
    now, then = page.evaluate(urls)
    assert now != then
    page.locator("[data-keep='1']").click()
    expect(page.locator("#notice")).to_contain_text("Frames 1 to 2 stand as they were kept")
    expect(page.locator("#alternatives")).to_be_hidden()
    assert page.evaluate(lines, first) == before
    page.locator("#undo").click()
    until(page, "document.getElementById('redo').disabled === false")
    assert len(page.evaluate(lines, first)) == len(before) - 1
