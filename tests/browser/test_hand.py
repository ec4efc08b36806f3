"""The hand is at home: one table for all stops, tools lent while a key is held, keys of one's own, pens and fingers, time and
colours from the table, and what is finished is left alone."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from schoon.core.seal import Stitch
from schoon.core.strokes import Stroke, fit_curve
from schoon.store import Store, models, revisions
from schoon.work import edits
from schoon.work.documents import line_document, seal_document

from .. import hands
from .test_line import lined, lined_shot, strokes
from .test_path import drag, on_screen, stage
from .test_queue import at_rest
from .test_rough import pen
from .waiting import SLOW, act, until

pytestmark = pytest.mark.browser

TOOL = '#tray .tray-of:not([hidden]) [aria-pressed="true"]'
"""The tool in the hand, as the tray shows it."""


@pytest.fixture
def desk(page: Page, store: Store) -> Page:
    """A shot of three lined drawings with three pots, the ring of the first poured, opened at Paint."""
    pots = {"Coat": "#edb21f", "Fur": "#8a5a3b", "Lantern glass": "#cfe6e2"}
    shot = lined_shot(store, ("key", "key", "key"), pots)
    with store.transaction() as cursor:
        hands.pour(cursor, 1, None, [(308, 270)], 1)
    page.goto(f"/shots/{shot}/paint")
    until(page, "document.querySelectorAll('#paper .patches path').length > 0")
    page.evaluate("window.sameWindow = true")
    return page


def look(page: Page) -> list[float]:
    return page.evaluate("(({ zoom, turn, x, y }) => [zoom, turn, x, y])(schoon.table.view)")


def pot_of(page: Page, x: float, y: float) -> Any:
    """The pot that the patch at a place carries, as the server has it."""
    return page.evaluate(
        "async ([x, y]) => { const shapes = await (await fetch(`/api/drawings/${schoon.current.id}/patches`)).json();"
        " const node = schoon.table.paper; const patch = shapes.patches.filter((p) => node.inside(p.n, [x, y])).at(-1);"
        " return shapes.paint[patch?.n]?.pot ?? null; }",
        [x, y],
    )


def test_the_first_and_the_last_drawing_are_a_key_away(desk: Page) -> None:
    for key, number in (("End", "3"), ("Home", "1")):
        desk.keyboard.press(key)
        until(desk, f"schoon.current.number === {number!r}")


# ---- one table


def test_a_stop_is_lit_without_a_page_and_nothing_is_forgotten(desk: Page) -> None:
    desk.locator("#pots [data-pot]").nth(1).click()
    desk.keyboard.press("p")
    desk.evaluate("schoon.table.lookAt(300, 250, 2); schoon.table.view.around(600, 300, 1, 0.3)")
    desk.get_by_role("tab", name="Ledger").click()
    before = look(desk)
    desk.keyboard.press("d")
    until(desk, "document.getElementById('paper').dataset.drawing === '2'")
    for name, word in (
        ("Line", "line"),
        ("Seal", "seal"),
        ("Tone", "tone"),
        ("Proof", "proof"),
        ("Rough", "rough"),
    ):
        stage(desk, name)
        assert look(desk) == pytest.approx(before, abs=1e-6)
        assert desk.evaluate("schoon.current.number") == "2"
        assert desk.url.endswith(f"/{word}?level=1#d=2")
    # By keys as well, and back by the browser.
    desk.keyboard.press("Shift+4")
    expect(desk.locator(".track [aria-current]")).to_contain_text("Paint")
    expect(desk.locator(TOOL)).to_contain_text("Cut out")
    expect(desk.locator('#pots [aria-selected="true"]')).to_contain_text("Fur")
    expect(desk.get_by_role("tab", name="Ledger")).to_have_attribute("aria-selected", "true")
    desk.go_back()
    expect(desk.locator(".track [aria-current]")).to_contain_text("Rough")
    desk.go_forward()
    expect(desk.locator(".track [aria-current]")).to_contain_text("Paint")
    assert desk.evaluate("window.sameWindow") is True
    took = desk.evaluate(
        "performance.getEntriesByType('measure').filter((m) => m.name === 'stop').map((m) => m.duration)"
    )
    print(f"\nchange of stop, ms: {sorted(round(t) for t in took)}")
    desk.wait_for_timeout(600)
    desk.reload()
    until(desk, "document.querySelectorAll('#paper .patches path').length > 0")
    assert look(desk) == pytest.approx(before, abs=1e-6)
    assert desk.evaluate("schoon.current.number") == "2"
    expect(desk.locator(TOOL)).to_contain_text("Cut out")
    expect(desk.locator('#pots [aria-selected="true"]')).to_contain_text("Fur")
    expect(desk.get_by_role("tab", name="Ledger")).to_have_attribute("aria-selected", "true")


# ---- mend where you see it


def test_a_gap_is_stitched_from_paint_and_poured_on_at_once(desk: Page) -> None:
    desk.locator("#pots [data-pot]").nth(1).click()
    view = look(desk)
    # The corner between the crossing lines is open; two stitches shut it.
    desk.locator("#paper").focus()
    desk.keyboard.down("t")
    expect(desk.locator("#pen-now")).to_contain_text("Draw a stitch")
    drag(desk, [(700, 122), (780, 120), (858, 150), (858, 268)])
    desk.keyboard.up("t")
    expect(desk.locator("#pen-now")).to_contain_text("Pour fur")
    desk.mouse.click(*on_screen(desk, 780, 200))
    at_rest(desk)
    assert pot_of(desk, 780, 200) == 2
    assert pot_of(desk, 620, 200) is None
    assert look(desk) == view
    assert desk.evaluate("schoon.stage.name") == "paint"


def test_a_line_is_redrawn_from_paint_and_pour_is_lent_at_line(desk: Page) -> None:
    before = strokes(desk)
    desk.locator("#paper").focus()
    desk.keyboard.down("r")
    drag(desk, [(600, 270), (660, 240), (720, 262), (800, 270)])
    desk.keyboard.up("r")
    at_rest(desk)
    after = strokes(desk)
    assert len(after) == len(before)
    assert sum(a["points"] != b["points"] for a, b in zip(before, after, strict=True)) == 1
    expect(desk.locator("#pen-now")).to_contain_text("Pour coat")
    stage(desk, "Line")
    desk.locator("#paper").focus()
    expect(desk.locator("#pots")).to_be_hidden()
    desk.keyboard.down("f")
    until(desk, "document.querySelectorAll('#paper .patches path').length > 0")
    expect(desk.locator("#pots")).to_be_visible()
    desk.locator("#pots [data-pot]").nth(2).click()
    desk.mouse.click(*on_screen(desk, 308, 270))
    desk.keyboard.up("f")
    expect(desk.locator("#pots")).to_be_hidden()
    at_rest(desk)
    assert desk.evaluate(
        "fetch('/api/drawings/1/patches').then((r) => r.json()).then((s) => Object.values(s.paint).map((p) => p.pot))"
    ) == [3]
    # A key that is only touched leaves the tool there until Esc.
    desk.keyboard.press("t")
    expect(desk.locator("#pen-now")).to_contain_text("Esc gives it back")
    desk.keyboard.press("Escape")
    expect(desk.locator("#pen-now")).to_contain_text("Trace")


def test_a_pour_outside_does_nothing_but_say_so(desk: Page) -> None:
    desk.mouse.click(*on_screen(desk, 60, 60))
    expect(desk.locator("#notice")).to_contain_text("the outside of all forms")
    at_rest(desk)
    assert desk.evaluate("schoon.current.painted") == 1
    desk.keyboard.down("Shift")
    desk.mouse.click(*on_screen(desk, 60, 60))
    desk.keyboard.up("Shift")
    until(desk, "schoon.current.painted === 2")


def test_an_open_form_is_marked_counted_and_shut_where_one_paints(desk: Page, store: Store) -> None:

    with store.transaction() as cursor:
        row, sheet = edits.load(cursor, 2)
        # A tail without an end: two lines and a proposed stitch.
        sides = [np.linspace((80, 300 + 60 * k), (160, 300 + 60 * k), 40) for k in (0, 1)]
        sides.append(np.linspace((80, 300), (80, 360), 30))
        fitted = [fit_curve(line, 0.3)[0] for line in sides]
        more = [Stroke(c, np.full((len(c) - 1) // 3 + 1, 4.0)) for c in fitted]
        gap = Stitch(np.array([[160.0, 300.0], [160.0, 360.0]]), 0.4, "end to end", "open")
        action = revisions.begin_action(cursor, "clean")
        revisions.revise(
            cursor, revisions.of(row), action,
            line=revisions.put_document(cursor, line_document([*lined(16), *more])),
            seal=revisions.put_document(cursor, seal_document([gap], sheet.specks)),
        )  # fmt: skip
    desk.reload()
    until(desk, "document.querySelectorAll('#paper .patches path').length > 0")
    expect(desk.locator("#next-step")).to_have_text("1 form open")
    expect(desk.locator('#sheet [data-id="2"] .mark-left')).to_have_attribute("title", "1 open")
    desk.locator("#next-step").click()
    until(
        desk,
        "document.querySelectorAll('#paper .passages .passage').length === 1 && schoon.current.number === '2'",
    )
    desk.mouse.click(*on_screen(desk, 160, 330))
    until(desk, "document.querySelectorAll('#paper .passages .passage').length === 0")
    at_rest(desk)
    desk.mouse.click(*on_screen(desk, 120, 330))
    at_rest(desk)
    assert pot_of(desk, 120, 330) == 1
    expect(desk.locator("#next-step")).not_to_contain_text("open")


# ---- keys, pen, fingers


def test_keys_are_changed_named_when_they_clash_and_kept_as_a_file(desk: Page, tmp_path: Path) -> None:
    desk.goto("/keys")
    desk.get_by_role("button", name="key for: draw a form").click()
    desk.keyboard.press("v")
    expect(desk.locator("#keys-conflicts")).to_contain_text("V means 2 things: rub out; draw a form")
    desk.get_by_role("button", name="key for: rub out").click()
    desk.keyboard.press("p")
    expect(desk.locator("#keys-conflicts")).to_be_hidden()
    with desk.expect_download() as file:
        desk.locator("#keys-save").click()
    saved = tmp_path / "keys.json"
    file.value.save_as(saved)
    assert json.loads(saved.read_text())["keys"] == {"p": "v", "v": "p"}
    desk.goto("/shots/1/paint")
    until(desk, "document.querySelectorAll('#paper .patches path').length > 0")
    expect(desk.locator('[data-tool="cut-out"] kbd')).to_have_text("V")
    desk.keyboard.press("v")
    expect(desk.locator(TOOL)).to_contain_text("Cut out")
    desk.goto("/keys")
    desk.locator("#keys-reset").click()
    desk.locator("#keys-file").set_input_files(
        [{"name": "no.json", "mimeType": "application/json", "buffer": b"[]"}]
    )
    expect(desk.locator("#notice")).to_contain_text("no.json holds no keys")
    desk.locator("#keys-file").set_input_files(str(saved))
    expect(desk.locator('[data-meant="p"]')).to_have_text("V")


def test_no_key_means_two_things(desk: Page) -> None:
    """Every tool and act of every stop has the meaning that the table of keys gives its key."""
    found = desk.evaluate(
        """async () => {
          const tools = {};
          for (const name of ['rough', 'line', 'seal', 'paint', 'tone', 'proof', 'hand-off']) for (const tool of schoon.stops.of(name).tools) if (tool.key) (tools[tool.key] ??= new Set()).add(tool.id);
          return Object.fromEntries(Object.entries(tools).map(([key, ids]) => [key, [...ids].sort()]));
        }"""
    )
    assert {key: ids for key, ids in found.items() if len(ids) > 1} == {
        "s": ["pencil", "trace"], "c": ["choose", "piece"], "x": ["delete", "lift", "take"], "p": ["block", "cut-out"],
        "shift+b": ["broad", "brush"], "shift+i": ["part", "say"],
    }  # fmt: skip


def fingers(page: Page, *steps: tuple[str, int, float, float]) -> None:
    """Touches one after the other: what, which finger, where on the screen."""
    page.evaluate(
        """(steps) => {
          const surface = document.getElementById('surface');
          surface.setPointerCapture = () => {};
          for (const [what, finger, x, y] of steps) document.getElementById('paper').dispatchEvent(new PointerEvent(what, { pointerId: finger, pointerType: 'touch', clientX: x, clientY: y, bubbles: true, cancelable: true, button: 0, pressure: .5 }));
        }""",
        [list(step) for step in steps],
    )


def test_two_fingers_move_zoom_and_turn_with_a_stop_at_straight(desk: Page) -> None:
    stage(desk, "Line")
    before = len(strokes(desk))
    zoom = desk.evaluate("schoon.table.view.zoom")
    fingers(
        desk, ("pointerdown", 1, 500, 300), ("pointermove", 1, 502, 301), ("pointerdown", 2, 700, 300),
        ("pointermove", 2, 900, 300), ("pointerup", 1, 502, 301), ("pointerup", 2, 900, 300),
    )  # fmt: skip
    at_rest(desk)
    assert desk.evaluate("schoon.table.view.zoom") == pytest.approx(2 * zoom, rel=0.03)
    # What the first finger had begun is no line.
    assert len(strokes(desk)) == before
    fingers(
        desk, ("pointerdown", 1, 500, 300), ("pointerdown", 2, 700, 300), ("pointermove", 2, 700, 308),
    )  # fmt: skip
    assert desk.evaluate("schoon.table.view.turn") == 0
    fingers(desk, ("pointermove", 2, 690, 380))
    assert desk.evaluate("schoon.table.view.turn") > 0.2
    fingers(desk, ("pointermove", 2, 700, 304))
    assert desk.evaluate("schoon.table.view.turn") == pytest.approx(0, abs=1e-9)
    fingers(desk, ("pointerup", 1, 500, 300), ("pointerup", 2, 700, 304))


def test_beside_a_pen_a_finger_flips_or_pans_and_the_ends_of_the_pen_have_tools(desk: Page) -> None:
    stage(desk, "Line")
    before = len(strokes(desk))
    pen(desk, [(100, 60), (160, 80), (220, 70)], "pen", 0.6)
    until(desk, f"document.querySelectorAll('#paper .ink path').length === {before + 1}")
    at_rest(desk)
    x = desk.evaluate("schoon.table.view.x")
    fingers(desk, ("pointerdown", 1, 500, 300), ("pointermove", 1, 560, 300), ("pointerup", 1, 560, 300))
    at_rest(desk)
    assert desk.evaluate("schoon.table.view.x") == pytest.approx(x + 60)
    assert len(strokes(desk)) == before + 1
    desk.evaluate("localStorage.oneFinger = 'flips'")
    fingers(desk, ("pointerdown", 1, 500, 300), ("pointermove", 1, 570, 300))
    until(desk, "schoon.table.shown.number === '2'")
    fingers(desk, ("pointerup", 1, 570, 300))
    until(desk, "schoon.table.shown.number === '1'")
    # The eraser end takes what the stop takes away, here paint.
    stage(desk, "Paint")
    until(desk, "document.querySelectorAll('#paper .patches path').length > 0")
    place = on_screen(desk, 308, 270)
    desk.evaluate(
        """([x, y]) => { const node = document.elementFromPoint(x, y); document.getElementById('surface').setPointerCapture = () => {};
          for (const what of ['pointerdown', 'pointerup']) node.dispatchEvent(new PointerEvent(what, { pointerId: 9, pointerType: 'pen', button: 5, buttons: 32, clientX: x, clientY: y, bubbles: true, pressure: .5 })); }""",
        list(place),
    )
    until(desk, "schoon.current.painted === 0")
    expect(desk.locator(TOOL)).to_contain_text("Pour")


def test_the_pen_shows_how_broad_it_is_where_it_hovers(desk: Page) -> None:
    desk.keyboard.press("Shift+B")
    desk.locator("#broad-width").fill("60")
    desk.mouse.move(*on_screen(desk, 400, 300))
    desk.mouse.move(*on_screen(desk, 410, 300))
    ring = desk.locator("#paper .hover circle")
    expect(ring).to_have_attribute("r", "30")


# ---- time, colours, pots, forms


def test_time_is_changed_from_the_table(desk: Page) -> None:
    desk.locator("#paper").focus()
    desk.keyboard.press("Shift+.")
    until(desk, "schoon.data.spans[0][1] === 3")
    desk.keyboard.press("Shift+.")
    expect(desk.locator("#span-box")).to_contain_text("drawing 3 would fall off")
    desk.get_by_role("button", name="The shot grows by 1").click()
    until(desk, "schoon.data.shot.frames === 7 && schoon.data.spans[0][1] === 4")
    assert desk.evaluate("schoon.data.spans") == [[1, 4, 1], [5, 2, 2], [7, 1, 3]]
    for held in (3, 2):
        desk.keyboard.press("Shift+,")
        until(desk, f"schoon.data.spans[0][1] === {held}")
    desk.keyboard.press("7")
    until(desk, "schoon.data.run.length === 4 && schoon.current.number === '1a'")
    assert desk.evaluate("schoon.current.sheet") is True
    assert desk.evaluate("schoon.data.shot.frames") == 7
    desk.keyboard.press("Control+z")
    until(desk, "schoon.data.run.length === 3")


def test_a_colour_is_tuned_in_sight_of_the_run(desk: Page, store: Store) -> None:
    colour = "getComputedStyle(document.documentElement).getPropertyValue('--pot-1').trim()"
    desk.locator("#pots [data-pot]").first.click()
    desk.locator("#tune-pot").click()
    hue = desk.locator('#tune [data-way="h"]')
    with desk.expect_request(lambda request: "tried=1-" in request.url, timeout=SLOW * 1000):
        hue.evaluate(
            "(node) => { node.value = 200; node.dispatchEvent(new Event('input', { bubbles: true })); }"
        )
        assert desk.evaluate(colour) != "#edb21f"
    hue.press("Escape")
    until(desk, f"{colour} === '#edb21f'")
    with store.transaction() as cursor:
        assert models.model(cursor, 1)["keys"][0]["colours"][1] == "#edb21f"
    # Another pot comes along by the same difference; let go keeps, and it is one undo.
    fur = desk.locator("#pots [data-pot]").nth(1)
    fur.click(modifiers=["Shift"])
    expect(desk.locator("#tune b")).to_have_text("Coat, Fur")
    desk.locator('#tune [data-number="l"]').fill("0.3")
    desk.locator('#tune [data-number="l"]').press("Tab")
    at_rest(desk)
    with store.transaction() as cursor:
        kept = models.model(cursor, 1)["keys"][0]["colours"]
    assert kept[1] != "#edb21f"
    assert kept[2] != "#8a5a3b"
    desk.locator("#tune [data-tune=close]").click()
    desk.keyboard.press("Control+z")
    until(desk, f"{colour} === '#edb21f'")
    assert desk.evaluate("window.sameWindow") is True


def test_pots_are_found_by_their_first_letters_and_the_last_ones_are_at_hand(desk: Page) -> None:
    desk.keyboard.press("Shift+Q")
    desk.locator("#pot-find input").fill("gl")
    desk.locator("#pot-find input").press("Enter")
    expect(desk.locator('#pots [aria-selected="true"]')).to_contain_text("Lantern glass")
    desk.locator("#pots [data-pot]").nth(1).click()
    expect(desk.locator("#pots-lately button").first).to_have_attribute("title", "Fur")
    desk.locator('#pots-lately button[title="Lantern glass"]').click()
    expect(desk.locator("#pen-now")).to_contain_text("Pour lantern glass")


def test_broad_forms_stay_in_their_form_and_grow_together(desk: Page) -> None:
    desk.locator("#pots [data-pot]").nth(1).click()
    desk.keyboard.press("Shift+B")
    drag(desk, [(300, 200), (300, 340)])
    at_rest(desk)
    assert pot_of(desk, 300, 260) == 2
    assert pot_of(desk, 230, 260) == 1
    drag(desk, [(290, 270), (560, 270)])
    at_rest(desk)
    # It ends at the ring it began in, and both are one form.
    assert pot_of(desk, 400, 270) == 2
    assert pot_of(desk, 500, 240) is None
    laid = "fetch('/api/drawings/1').then((r) => r.json()).then((d) => d.stitches.filter((s) => s.reason.includes('laid form')).length)"
    assert desk.evaluate(laid) == 1


def test_neighbours_are_seen_as_a_person_likes_them(desk: Page) -> None:
    desk.keyboard.press("d")
    until(desk, "document.getElementById('paper').dataset.drawing === '2'")
    desk.keyboard.press("o")
    expect(desk.locator("#paper .onion > g")).to_have_count(2)
    desk.locator('[data-sights="near"]').click()
    desk.locator('[data-onion="later-count"]').fill("0")
    expect(desk.locator("#paper .onion > g")).to_have_count(1)
    desk.locator('[data-onion="earlier-tint"]').fill("#ff0000")
    fill = "getComputedStyle(document.querySelector('#paper .onion .earlier')).fill"
    until(desk, f"{fill} === 'rgb(255, 0, 0)'")
    desk.reload()
    until(desk, "document.getElementById('paper').dataset.drawing === '2'")
    desk.keyboard.press("o")
    until(desk, f"{fill} === 'rgb(255, 0, 0)'")
    expect(desk.locator("#paper .onion > g")).to_have_count(1)


# ---- what is finished


def test_what_a_hand_has_finished_is_left_unless_it_is_taken_in(desk: Page) -> None:
    stage(desk, "Line")
    desk.evaluate("schoon.go(2)")
    until(desk, "document.getElementById('paper').dataset.drawing === '2'")
    drag(desk, [(100, 60), (160, 80), (220, 70)])
    at_rest(desk)
    revisions_now = desk.evaluate("schoon.data.run.map((d) => d.revision)")
    act(desk, "clean-all").click()
    box = desk.locator("#touches")
    expect(box).to_contain_text("1 drawing would change")
    expect(box).to_contain_text("2 drawings are left")
    expect(box.locator(".touched").first).to_contain_text("1 place painted by hand")
    desk.locator("#touches-do").click()
    until(desk, f"schoon.data.run[2].revision !== {revisions_now[2]}")
    expect(desk.locator("#job-state")).to_have_text("no jobs", timeout=60_000)
    at_rest(desk)
    now = desk.evaluate("schoon.data.run.map((d) => d.revision)")
    assert [a == b for a, b in zip(revisions_now, now, strict=True)] == [True, True, False]
    act(desk, "clean-all").click()
    desk.locator("#touches-off").click()
    at_rest(desk)
    assert desk.evaluate("schoon.data.run.map((d) => d.revision)") == now
