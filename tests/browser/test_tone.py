"""The Tone stage as a colour artist uses it: sun, run, grey, pens, points, copies, curves."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from .test_paint import desk as painted
from .test_path import drag, on_screen
from .test_queue import at_rest
from .waiting import act, options, until

__all__ = ["painted"]

pytestmark = pytest.mark.browser


@pytest.fixture
def desk(painted: Page) -> Page:
    painted.goto(painted.url.replace("/paint", "/tone"))
    until(painted, "document.querySelectorAll('#paper .patches path').length > 0")
    until(painted, "schoon.tools.now?.id === 'sun'")
    return painted


def ring(x: float, y: float, radius: float) -> list[tuple[float, float]]:
    turn = np.linspace(0, 2 * np.pi, 24)
    return [(x + radius * float(np.cos(t)), y + radius * float(np.sin(t))) for t in turn]


def tones(page: Page) -> list[dict[str, Any]]:
    return page.evaluate("schoon.stage.tonesNow().map(({ kind, by, takes }) => ({ kind, by, takes }))")


def set_sun(page: Page, azimuth: float, height: float = 30) -> None:
    """Drags the sun from where it is to a place on the ring, once the ring stands still."""
    asked = "(({ x, y, r }) => [x, y, r])(schoon.stage.light.ring())"
    before = None
    while (now := page.evaluate(asked)) != before:
        before = now
        page.wait_for_timeout(100)
    x, y, r = now
    turn, out = np.deg2rad(azimuth), r * (1 - height / 90)
    drag(page, [(x + 5, y + 5), (x + out * np.sin(turn), y - out * np.cos(turn))])
    until(page, "Object.keys(schoon.stage.light.lights).length === 1")


def test_the_sun_is_dragged_and_the_run_is_shaded(desk: Page) -> None:
    set_sun(desk, 90)
    # What the light does is seen at once, before anything is kept of it.
    until(desk, "document.querySelectorAll('#paper .tones path[data-n], #paper .tones > g').length > 0")
    assert desk.evaluate("schoon.stage.light.lights[''][1].azimuth") == pytest.approx(90, abs=3)
    assert not tones(desk)
    desk.locator("#table").focus()
    desk.keyboard.press("Enter")
    until(desk, "schoon.data.run.every((d) => d.toned > 0)")
    until(desk, "schoon.stage.tonesNow().length > 0")
    assert {t["by"] for t in tones(desk)} == {"light"}
    desk.reload()
    until(desk, "document.querySelectorAll('#paper .tones > g').length > 0")


def test_a_colour_key_is_lit_by_itself_and_doubt_is_gone_through(desk: Page) -> None:
    """Other shade is seen in the other key; J chooses what is in doubt, T lets that alone stand."""
    night = {"do": "add-key", "name": "Night", "like": desk.evaluate("schoon.data.key")}
    model = desk.evaluate("schoon.data.model")
    base = desk.evaluate("location.origin")
    assert desk.request.post(f"{base}/api/models/{model}/do", data={"do": night}).ok
    desk.reload()
    until(desk, "schoon.tools.now?.id === 'sun'")
    set_sun(desk, 90)
    keys = desk.evaluate("schoon.data.keys.map((k) => k.id)")
    desk.locator("#key").select_option(str(keys[1]))
    options(desk)
    desk.locator("#light-key").select_option("alone")
    set_sun(desk, 270)
    assert desk.evaluate(f"schoon.levels.mine.key_lights[{keys[1]}][''][1].azimuth") == pytest.approx(
        270, abs=3
    )
    assert desk.evaluate("schoon.levels.mine.lights[''][1].azimuth") == pytest.approx(90, abs=3)
    act(desk, "shade").click()
    until(desk, "schoon.data.run.every((d) => d.toned > 0)")
    until(desk, "schoon.stage.tonesNow().length > 0")
    shapes = "schoon.stage.tonesNow().map((t) => t.d).join()"
    at_night = desk.evaluate(shapes)
    desk.locator("#key").select_option(str(keys[0]))
    until(desk, f"{shapes} !== {at_night!r}")
    expect(desk.locator("#light-key")).to_have_value("")
    desk.locator("#table").focus()
    desk.evaluate("schoon.data.run.forEach((d) => { d.toned_unsure = 0; })")
    desk.evaluate("schoon.stage.tonesNow().forEach((t, k) => { t.unsure = k === 0; })")
    desk.keyboard.press("n")
    until(desk, "schoon.stage.choose.chosen?.unsure")
    desk.keyboard.press("j")
    until(desk, "schoon.stage.tonesNow().filter((t) => t.by === 'hand').length === 1")
    desk.keyboard.press("n")
    expect(desk.locator("#notice")).to_contain_text("No proposed tone is in doubt")


def test_without_light_it_says_what_to_do_first(desk: Page) -> None:
    act(desk, "shade").click()
    expect(desk.locator("#notice")).to_contain_text("Drag the sun first")


def test_pens_block_in_take_away_and_divide(desk: Page) -> None:
    desk.keyboard.press("p")
    drag(desk, ring(300, 270, 40))
    until(desk, "schoon.stage.tonesNow().length === 1")
    desk.keyboard.press("x")
    drag(desk, ring(310, 275, 12))
    until(desk, "schoon.stage.tonesNow().length === 2")
    assert [t["takes"] for t in tones(desk)] == [False, True]
    desk.keyboard.press("w")
    expect(desk.locator("#tone-kind")).to_have_value("deep")
    desk.keyboard.press("Shift+P")
    drag(desk, [(300, 150), (306, 270), (300, 400)])
    until(desk, "schoon.stage.tonesNow().length === 3")
    before = desk.evaluate("schoon.stage.tonesNow()[2].d")
    desk.keyboard.press("Shift+O")
    until(desk, f"schoon.stage.tonesNow()[2].d !== '{before}'")
    desk.keyboard.press("Control+z")
    until(desk, f"schoon.stage.tonesNow()[2].d === '{before}'")


def test_a_tone_is_chosen_bent_and_taken_away(desk: Page) -> None:
    desk.keyboard.press("p")
    drag(desk, ring(300, 270, 40))
    until(desk, "schoon.stage.tonesNow().length === 1")
    desk.keyboard.press("c")
    desk.mouse.click(*on_screen(desk, 300, 270))
    knots = desk.locator("#paper .tone-points .knot")
    expect(knots).not_to_have_count(0)
    before = desk.evaluate("schoon.stage.tonesNow()[0].rings[0].slice(0, 2)")
    drag(desk, [tuple(before), (before[0] + 15, before[1] + 9)])
    until(desk, f"Math.abs(schoon.stage.tonesNow()[0].rings[0][0] - {before[0] + 15}) < 1.5")
    desk.keyboard.press("Delete")
    until(desk, "schoon.stage.tonesNow().length === 0")


def test_grey_first(desk: Page) -> None:
    desk.keyboard.press("p")
    drag(desk, ring(300, 270, 40))
    until(desk, "schoon.stage.tonesNow().length === 1")
    filled = "getComputedStyle(document.querySelector('#paper .tones g > path')).fill"
    mapped = desk.evaluate(filled)
    desk.keyboard.press("Shift+G")
    until(desk, f"{filled} === 'rgb(150, 150, 150)'")
    assert mapped != "rgb(150, 150, 150)"
    expect(desk.locator("#see-grey")).to_have_attribute("aria-pressed", "true")
    desk.keyboard.press("Shift+G")
    until(desk, f"{filled} === '{mapped}'")


def test_a_drawn_drawing_teaches_and_is_copied(desk: Page) -> None:
    desk.keyboard.press("Shift+P")
    drag(desk, [(308, 140), (308, 270), (308, 400)])
    until(desk, "schoon.stage.tonesNow().length === 1")
    act(desk, "shade").click()
    expect(desk.locator("#notice")).to_contain_text("1 drawn by hand stays")
    until(desk, "schoon.data.run.slice(1).every((d) => d.toned > 0)")
    desk.locator(".frame-card").nth(2).click(modifiers=["Shift"])
    act(desk, "tone-copy").click()
    expect(desk.locator("#notice")).to_contain_text("1 tone copied to 2 drawings")


def test_the_curve_shows_where_shade_jumps(desk: Page) -> None:
    desk.keyboard.press("d")
    until(desk, "document.getElementById('paper').dataset.drawing === '2'")
    desk.keyboard.press("p")
    drag(desk, ring(316, 270, 60))
    until(desk, "schoon.stage.tonesNow().length === 1")
    desk.get_by_role("tab", name="Steady").click()
    desk.keyboard.press("a")
    for number in ("1", "3"):
        until(desk, f"document.getElementById('paper').dataset.drawing === '{number}'")
        drag(desk, ring(308 if number == "1" else 324, 270, 6))
        until(desk, "schoon.stage.tonesNow().length === 1")
        if number == "1":
            desk.keyboard.press("d")
            until(desk, "document.getElementById('paper').dataset.drawing === '2'")
            desk.keyboard.press("d")
    expect(desk.locator(".steady .jump")).not_to_have_count(0)
    desk.keyboard.press("n")
    expect(desk.locator("#paper")).to_have_attribute("data-drawing", "2")


def test_the_finish_is_listed_changed_ordered_and_switched_off(desk: Page) -> None:
    desk.get_by_role("tab", name="Finish").click()
    desk.locator("#finish-add").select_option("cast")
    expect(desk.locator(".finish-list li[data-id]")).to_have_count(1)
    until(
        desk, "document.querySelector('#paper .composed image').getAttribute('href').includes('clear=true')"
    )
    before = desk.locator("#paper .composed image").get_attribute("href")
    desk.locator('.finish-fields input[name="high"]').fill("0.5")
    desk.locator('.finish-fields input[name="high"]').press("Tab")
    until(desk, f"document.querySelector('#paper .composed image').getAttribute('href') !== '{before}'")
    desk.locator("#finish-add").select_option("line-colour")
    expect(desk.locator(".finish-list li[data-id]")).to_have_count(2)
    desk.get_by_role("button", name="Earlier").nth(1).click()
    expect(desk.locator(".finish-list .pick").first).to_have_text("Line colour")
    desk.get_by_role("checkbox", name="Line colour is on").uncheck()
    expect(desk.locator(".finish-list li").first).to_have_class("chosen off")
    desk.get_by_role("button", name="Take Cast shadow out").click()
    expect(desk.locator(".finish-list li[data-id]")).to_have_count(1)
    desk.reload()
    until(desk, "schoon.levels.mine.finish.length === 1")
    desk.get_by_role("tab", name="Run").click()
    until(desk, "!document.getElementById('paper').classList.contains('as-composed')")


def test_the_finish_changes_over_time_and_is_kept_as_a_recipe(desk: Page) -> None:
    desk.get_by_role("tab", name="Finish").click()
    desk.locator("#finish-add").select_option("hide")
    drag(desk, ring(*desk.evaluate("schoon.table.view.size.map((v) => v / 2)"), 60))
    until(desk, "schoon.levels.mine.finish.length === 1")
    assert desk.evaluate("schoon.levels.mine.finish[0].ring.length") >= 6
    desk.locator("#finish-add").select_option("cast")
    expect(desk.locator('.finish-fields input[name="high"]')).to_have_value("0.32")
    # From here to the last drawing the shadow grows.
    desk.locator('.finish-fields input[name="changes"]').check()
    expect(desk.locator(".notches [data-notch]")).to_have_count(1)
    desk.locator("#table").focus()
    while desk.evaluate("schoon.current !== schoon.data.run[schoon.data.run.length - 1]"):
        now = desk.evaluate("schoon.current.id")
        desk.keyboard.press("d")
        until(desk, f"schoon.current.id !== {now}")
    desk.locator('.finish-fields input[name="high"]').fill("0.8")
    desk.locator('.finish-fields input[name="high"]').press("Tab")
    expect(desk.locator(".notches [data-notch]")).to_have_count(2)
    highs = desk.evaluate("Object.values(schoon.levels.mine.finish[1].notches).map((n) => n.high)")
    assert highs == [0.32, 0.8]
    desk.once("dialog", lambda dialog: dialog.accept("Noon"))
    desk.locator("#finish-recipe").select_option("keep")
    expect(desk.locator("#finish-recipe option")).to_have_count(4)
    desk.locator("#finish-recipe").select_option(label="lay “Noon” on")
    until(desk, "schoon.levels.mine.finish.length === 4")
    assert desk.evaluate("new Set(schoon.levels.mine.finish.map((e) => e.id)).size") == 4


def test_a_late_answer_takes_nothing_out_of_the_field_that_is_written_in(desk: Page) -> None:
    desk.get_by_role("tab", name="Finish").click()
    desk.locator("#finish-add").select_option("cast")
    field = desk.locator('.finish-fields input[name="high"]')
    expect(field).to_have_value("0.32")
    field.fill("0.8")
    desk.evaluate("schoon.stage.ledge()")
    expect(field).to_have_value("0.8")
    field.press("Tab")
    until(desk, "schoon.levels.mine.finish[0].high === 0.8")
    at_rest(desk)
    # What was chosen in a field to be written over is so still when an answer comes.
    field.press("Control+a")
    desk.evaluate("schoon.stage.ledge()")
    desk.keyboard.type("0.7")
    expect(field).to_have_value("0.7")
    field.fill("0.8")
    # One that is left as it was found shows what has come meanwhile.
    field.fill("0.5")
    field.fill("0.8")
    desk.evaluate("schoon.levels.mine.finish[0].high = 0.4; schoon.stage.ledge()")
    desk.locator("#finish-add").focus()
    expect(field).to_have_value("0.4")


def test_what_lies_on_the_paper_is_dragged_there(desk: Page) -> None:
    desk.get_by_role("tab", name="Finish").click()
    desk.locator("#finish-add").select_option("wash")
    until(desk, "document.querySelectorAll('#paper .finish circle').length === 2")
    first = "schoon.levels.mine.finish[0]"
    x, y = desk.evaluate(f"[{first}.x0, {first}.y0]")
    drag(desk, [(x, y), (x - 60, y - 40)])
    until(desk, f"{first}.x0 === {round(x - 60)} && {first}.y0 === {round(y - 40)}")
    assert desk.evaluate("schoon.tonesNow?.() ?? schoon.stage.tonesNow().length") == 0
    # Both numbers of a shadow's head follow the pen, as far as they may.
    desk.locator("#finish-add").select_option("cast")
    until(desk, "document.querySelectorAll('#paper .finish circle').length === 2")
    cast = "schoon.levels.mine.finish[1]"
    base, tip = desk.evaluate("schoon.stage.finish.handles.list().map(({ at }) => at)")
    drag(desk, [tuple(tip), (base[0] + 50, base[1] - 50)])
    until(desk, f"{cast}.high !== 0.32")
    tip = desk.evaluate("schoon.stage.finish.handles.list()[1].at")
    assert tip == pytest.approx([base[0] + 50, base[1] - 50], abs=8)
    # It is one step back.
    desk.keyboard.press("Control+z")
    until(desk, f"{cast}.high === 0.32 && {cast}.shear === -0.9")


def test_a_shadow_is_cut_out_for_one_drawing(desk: Page) -> None:
    desk.get_by_role("tab", name="Finish").click()
    desk.locator("#finish-add").select_option("cast")
    desk.locator('[data-draw="cut"]').click()
    drag(desk, ring(*desk.evaluate("schoon.table.view.size.map((v) => v / 2)"), 60))
    expect(desk.locator(".area")).to_contain_text("cut out, all frames")
    desk.locator("[data-hold]").click()
    expect(desk.locator(".area")).to_contain_text("frames 1 to")
    desk.locator("[data-drop]").click()
    expect(desk.locator(".area")).to_have_count(0)


def test_the_brush_and_light_that_changes(desk: Page) -> None:
    desk.locator('[data-tool="brush"]').click()
    options(desk)
    desk.locator("#tone-brush").fill("30")
    desk.locator("#tone-brush").press("Tab")
    box = desk.evaluate("schoon.current.box")
    x, y = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
    drag(desk, [(x - 30, y), (x, y + 8), (x + 30, y)])
    until(desk, "schoon.stage.tonesNow().length === 1")
    desk.locator('[data-tool="sun"]').click()
    set_sun(desk, 90)
    desk.locator("#light-holds").select_option("here")
    desk.locator("#table").focus()
    desk.keyboard.press("d")
    until(desk, "schoon.current === schoon.data.run[1]")
    drag(
        desk,
        [
            desk.evaluate("(({ x, y, r }) => [x - r / 2, y])(schoon.stage.light.ring())"),
            *[desk.evaluate("(({ x, y, r }) => [x - r / 2, y + 2])(schoon.stage.light.ring())")],
        ],
    )
    until(desk, "Object.keys(schoon.stage.light.lights['']).length === 2")
    expect(desk.locator("#light-says")).to_contain_text("changes at frames 1")
