"""Every tool of the Line stage by pointer and keyboard, on three drawings of a ring and two crossing lines."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from schoon.core.strokes import Stroke, fit_curve
from schoon.formats.pictures import encode_png
from schoon.store import Store, models, pictures, productions, revisions
from schoon.store.states import SheetPicture
from schoon.work.documents import line_document

from .test_path import drag, on_screen
from .waiting import sight, until

pytestmark = pytest.mark.browser

SIZE = (960, 540)


def rough(shift: int) -> bytes:
    picture = np.full((SIZE[1], SIZE[0], 3), 246, np.uint8)
    cv2.circle(picture, (300 + shift, 270), 130, (60, 60, 60), 4, cv2.LINE_AA)
    cv2.line(picture, (560, 270), (860, 270), (60, 60, 60), 4, cv2.LINE_AA)
    cv2.line(picture, (700, 120), (700, 420), (60, 60, 60), 4, cv2.LINE_AA)
    cv2.line(picture, (80, 480), (880, 484), (90, 130, 220), 4, cv2.LINE_AA)
    return encode_png(picture)


def lined(shift: int) -> list[Stroke]:
    """The drawing's dark lines as clean strokes."""
    t = np.linspace(0, 2 * np.pi, 200)
    ring = np.c_[300 + shift + 130 * np.cos(t), 270 + 130 * np.sin(t)]
    ring[-1] = ring[0]
    lines = [ring, np.linspace((560, 270), (860, 270), 60), np.linspace((700, 120), (700, 420), 60)]
    fitted = [fit_curve(line, 0.3, closed=k == 0)[0] for k, line in enumerate(lines)]
    return [Stroke(c, np.full((len(c) - 1) // 3 + 1, 4.0)) for c in fitted]


def lined_shot(store: Store, kinds: tuple[str, ...], pots: dict[str, str] | None = None) -> int:
    """A shot of three lined drawings of these kinds, with a model of pots: name -> colour."""
    with store.transaction() as cursor:
        production = productions.create(cursor, "Quay")
        model = models.create(cursor, production, "Pim")
        key = models.add_key(cursor, model, "Day", "#1d2b3a", "#ffffff", {})
        for name, colour in (pots or {}).items():
            models.add_pot(cursor, model, name, colour)
        shot, level = productions.create_shot(cursor, production, "Sign", 24, "Pim", model, key)
        rows = [
            (k, kind, pictures.put(cursor, rough(8 * k), "image/png", *SIZE))
            for k, kind in enumerate(kinds, 1)
        ]
        productions.fill_shot(cursor, shot, level, SIZE, rows, {1: 1, 3: 2, 5: 3}, 6)
        for row in productions.drawings(cursor, level):
            action = revisions.begin_action(cursor, "clean")
            document = revisions.put_document(cursor, line_document(lined(8 * int(row["number"]))))
            drawing = revisions.of(revisions.drawing(cursor, row["id"]))
            revisions.revise(cursor, drawing, action, line=document)
    return shot


@pytest.fixture
def desk(page: Page, store: Store) -> Page:
    """A shot of three lined drawings, opened at Line."""
    shot = lined_shot(store, ("key", "inbetween", "key"))
    page.goto(f"/shots/{shot}/line")
    until(page, "document.querySelectorAll('#paper .ink path').length > 1")
    return page


def strokes(page: Page) -> list[dict[str, Any]]:
    """The strokes of the drawing on the table, as the server has them."""
    number = page.evaluate("schoon.current.id")
    return page.evaluate("(id) => fetch(`/api/drawings/${id}`).then((r) => r.json())", number)["strokes"]


def saved(page: Page, act: Callable[[], object]) -> list[dict[str, Any]]:
    """What is there after an action has been saved."""
    before = page.locator("#paper").get_attribute("data-revision")
    act()
    expect(page.locator("#paper")).not_to_have_attribute("data-revision", before or "")
    return strokes(page)


def box(stroke: dict[str, Any]) -> list[float]:
    x, y = stroke["points"][0::2], stroke["points"][1::2]
    return [min(x), min(y), max(x), max(y)]


def level_line(page: Page) -> dict[str, Any]:
    """The stroke that runs level at the right."""
    return max(strokes(page), key=lambda s: box(s)[2])


def click(page: Page, x: float, y: float, **more: Any) -> None:
    page.mouse.click(*on_screen(page, x, y), **more)


def test_a_pen_traces_with_pressure_and_tilt_and_ends_snap(desk: Page) -> None:
    before = {s["id"] for s in strokes(desk)}
    pen = desk.context.new_cdp_session(desk)

    def draw() -> None:
        for k in range(41):
            x, y = on_screen(desk, 470 + 222 * k / 40, 90 + 90 * k / 40)
            pen.send(
                "Input.dispatchMouseEvent",
                {
                    "type": "mousePressed" if k == 0 else "mouseReleased" if k == 40 else "mouseMoved",
                    "x": x, "y": y, "button": "left", "buttons": 1, "clickCount": 1, "pointerType": "pen",
                    "force": 0.15 + 0.8 * k / 40, "tiltX": 20,
                },
            )  # fmt: skip

    # What ends within so many px of the screen of a line is meant to meet it.
    desk.evaluate("schoon.stage.hand.snap = 30")
    (drawn,) = (s for s in saved(desk, draw) if s["id"] not in before)
    assert drawn["widths"][-1] > 1.6 * drawn["widths"][0]
    assert drawn["points"][-2] == pytest.approx(700, abs=2.5)
    assert drawn["by"] == "hand"


def test_tracing_at_1600_percent_on_turned_paper_stays_in_place(desk: Page) -> None:
    desk.evaluate("schoon.table.lookAt(480, 100, 16); schoon.table.view.around(600, 300, 1, 0.7)")
    before = {s["id"] for s in strokes(desk)}
    points = [(470.0, 96.0), (478.0, 99.0), (486.0, 97.0)]
    (drawn,) = (s for s in saved(desk, lambda: drag(desk, points)) if s["id"] not in before)
    assert box(drawn) == pytest.approx([470, 96, 486, 98.5], abs=1.5)


def test_choosing_by_click_by_crossing_and_moving(desk: Page) -> None:
    desk.keyboard.press("c")
    click(desk, 620, 270)
    expect(desk.locator("#chosen-count")).to_have_text("1 line")
    drag(desk, [(640, 400), (760, 330), (760, 240)])
    expect(desk.locator("#chosen-count")).to_have_text("2 lines")
    desk.keyboard.press("Escape")
    expect(desk.locator("#chosen-bar")).to_be_hidden()
    click(desk, 620, 270)
    before = box(level_line(desk))
    saved(desk, lambda: drag(desk, [(620, 270), (640, 300)]))
    assert box(level_line(desk)) == pytest.approx(
        [v + d for v, d in zip(before, (20, 30, 20, 30), strict=True)], abs=1.5
    )
    saved(desk, lambda: desk.keyboard.press("Control+z"))
    desk.wait_for_timeout(200)
    assert box(level_line(desk)) == pytest.approx(before, abs=0.1)
    desk.reload()
    until(desk, "document.querySelectorAll('#paper .ink path').length > 1")
    saved(desk, lambda: desk.keyboard.press("Control+Shift+z"))
    assert box(level_line(desk))[1] == pytest.approx(before[1] + 30, abs=1.5)


def test_turning_scaling_and_mirroring_by_the_frame(desk: Page) -> None:
    desk.keyboard.press("c")
    click(desk, 620, 270)
    grip = desk.locator('[data-grip="se"]')
    where = grip.bounding_box()
    assert where
    before = box(level_line(desk))

    def pull() -> None:
        desk.mouse.move(where["x"] + 4, where["y"] + 4)
        desk.mouse.down()
        desk.mouse.move(where["x"] + 64, where["y"] + 12, steps=5)
        desk.mouse.up()

    saved(desk, pull)
    assert box(level_line(desk))[2] - box(level_line(desk))[0] > 1.1 * (before[2] - before[0])
    turn = desk.locator('[data-grip="turn"]').bounding_box()
    assert turn

    def swing() -> None:
        desk.mouse.move(turn["x"] + 4, turn["y"] + 4)
        desk.mouse.down()
        desk.mouse.move(turn["x"] + 60, turn["y"] + 30, steps=5)
        desk.mouse.up()

    saved(desk, swing)
    assert box(level_line(desk))[3] - box(level_line(desk))[1] > 40
    count = len(strokes(desk))
    saved(desk, lambda: desk.keyboard.press("Shift+M"))
    assert len(strokes(desk)) == count


def test_bending_is_soft_and_local(desk: Page) -> None:
    desk.keyboard.press("Shift+R")
    desk.get_by_label("bend reach").fill("20")
    saved(desk, lambda: drag(desk, [(620, 270), (620, 300)]))
    bent = level_line(desk)
    assert box(bent)[3] > 290
    assert bent["points"][-1] == pytest.approx(270, abs=3)


def test_points_are_dragged_added_and_taken_away(desk: Page) -> None:
    desk.keyboard.press("h")
    click(desk, 620, 270)
    knots = desk.locator("#paper .knot")
    expect(knots.first).to_be_visible()
    number = knots.count()
    saved(desk, lambda: desk.mouse.dblclick(*on_screen(desk, 600, 270)))
    expect(knots).to_have_count(number + 1)
    new = desk.evaluate(
        "[...document.querySelectorAll('#paper .knot')].map((n) => { const b = n.getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]; })"
    )
    target = on_screen(desk, 600, 270)
    x, y = min(new, key=lambda p: np.hypot(p[0] - target[0], p[1] - target[1]))

    def pull() -> None:
        desk.mouse.move(x, y)
        desk.mouse.down()
        desk.mouse.move(x, y + 20, steps=4)
        desk.mouse.up()

    saved(desk, pull)
    assert box(level_line(desk))[3] > 290
    saved(desk, lambda: desk.keyboard.press("Delete"))
    expect(knots).to_have_count(number)


def test_trim_cut_join_weigh_and_smooth(desk: Page) -> None:
    desk.keyboard.press("Shift+T")
    saved(desk, lambda: click(desk, 820, 270))
    assert box(level_line(desk))[2] == pytest.approx(700, abs=3)
    number = len(strokes(desk))
    desk.keyboard.press("Shift+X")
    assert len(saved(desk, lambda: click(desk, 700, 200))) == number + 1
    desk.keyboard.press("c")
    click(desk, 700, 160)
    desk.keyboard.down("Shift")
    click(desk, 700, 380)
    desk.keyboard.up("Shift")
    assert len(saved(desk, lambda: desk.keyboard.press("Shift+J"))) == number
    desk.keyboard.press("Escape")
    desk.keyboard.press("Shift+H")
    saved(desk, lambda: drag(desk, [(580, 270), (650, 270)]))
    assert max(max(s["widths"]) for s in strokes(desk)) > 4.6
    desk.keyboard.press("c")
    click(desk, 610, 270)
    saved(desk, lambda: desk.keyboard.press("Shift+U"))
    saved(desk, lambda: desk.keyboard.press("Shift+E"))
    assert min(min(s["widths"]) for s in strokes(desk)) < 2


def test_redrawing_replaces_just_the_stretch(desk: Page) -> None:
    number = len(strokes(desk))
    desk.keyboard.press("r")
    after = saved(desk, lambda: drag(desk, [(580, 270), (600, 250), (630, 240), (660, 250), (680, 270)]))
    assert len(after) == number
    line = level_line(desk)
    assert box(line)[1] < 250
    assert box(line)[0] == pytest.approx(560, abs=6)


def test_parts_are_named_hidden_and_locked(desk: Page) -> None:
    desk.keyboard.press("c")
    drag(desk, [(600, 200), (600, 340), (740, 340)])
    expect(desk.locator("#chosen-count")).to_have_text("2 lines")
    desk.locator("#chosen-part").fill("sign")
    saved(desk, lambda: desk.locator("#chosen-part").press("Enter"))
    row = desk.locator("#parts li", has_text="sign")
    expect(row.locator(".count")).to_have_text("2")
    row.get_by_role("button", name="lock sign").click()
    desk.keyboard.press("s")
    number = len(strokes(desk))
    drag(desk, [(480, 100), (520, 120)])
    expect(desk.locator("#notice")).to_contain_text("The part sign is locked")
    row.get_by_role("button", name="unlock sign").click()
    row.get_by_role("button", name="hide sign").click()
    expect(desk.locator("#paper .ink path")).to_have_count(number - 2)
    drag(desk, [(480, 100), (520, 120)])
    expect(desk.locator("#notice")).to_contain_text("The part sign is hidden")
    row.get_by_role("button", name="show sign").click()
    row.get_by_role("button", name="alone sign").click()
    expect(desk.locator("#paper .ink path")).to_have_count(2)
    desk.reload()
    expect(desk.locator("#paper .ink path")).to_have_count(2)


def test_a_named_part_is_traced_back_and_shown_side_by_side(desk: Page) -> None:
    desk.keyboard.press("c")
    click(desk, 620, 270)
    desk.locator("#chosen-part").fill("sign")
    saved(desk, lambda: desk.locator("#chosen-part").press("Enter"))
    desk.get_by_role("tab", name="Pass on").click()
    desk.locator("[name=what]").select_option("part:sign")
    desk.locator("[name=to]").select_option("after")
    desk.locator("#trace-back").click()
    until(desk, "schoon.data.run.every((d) => d.parts.includes('sign'))")
    desk.get_by_role("tab", name="Compare").click()
    expect(desk.locator(".part-card")).to_have_count(3)
    expect(desk.locator(".part-card .ask", has_text="odd")).to_have_count(0)
    desk.locator(".part-card").nth(2).click()
    expect(desk.locator("#paper")).to_have_attribute("data-drawing", "3")


def test_one_drawing_is_fitted_to_the_next_rough(desk: Page) -> None:
    source = {s["id"] for s in strokes(desk)}
    desk.get_by_role("tab", name="Pass on").click()
    desk.locator("[name=to]").select_option("next")
    desk.locator("#paper").focus()
    before = desk.evaluate("schoon.data.run[1].revision")
    desk.keyboard.press("Shift+Y")
    until(desk, f"schoon.data.run[1].revision > {before}")
    desk.keyboard.press("d")
    expect(desk.locator("#paper")).to_have_attribute("data-drawing", "2")
    assert {s.get("track") for s in strokes(desk)} == source


def test_in_betweens_are_made_by_a_chart(desk: Page) -> None:
    desk.get_by_role("tab", name="In-betweens").click()
    desk.locator("[name=chart]").select_option("ease in")
    expect(desk.locator(".chart .tick")).to_have_count(1)
    desk.locator("#make-between").click()
    expect(desk.locator("#notice")).to_contain_text("1 drawing has in-betweens of 3 lines")
    desk.keyboard.press("d")
    ring = min(strokes(desk), key=lambda s: box(s)[0])
    assert box(ring)[0] == pytest.approx(178 + 16 * 0.75, abs=3)


def slid(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    """A drag between two places of the screen."""
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end, steps=6)
    page.mouse.up()


def test_an_arc_is_shown_bent_and_spaced(desk: Page) -> None:
    desk.get_by_role("tab", name="In-betweens").click()
    desk.locator(".own-ways summary").click()
    desk.locator("#arc-tool").click()
    first = next(s for s in strokes(desk) if s["closed"])["points"][:2]
    desk.mouse.click(*on_screen(desk, *first))
    until(desk, "document.querySelectorAll('#paper .arcs .tick').length == 1")
    arcs = "schoon.stage.lines.views.between.arcs.list"
    middle = desk.evaluate(f"{arcs}[0].ticks[0]")
    handle = on_screen(
        desk, *desk.evaluate(f"{arcs}[0].path[schoon.stage.lines.views.between.arcs.handle({arcs}[0])]")
    )
    lower = on_screen(desk, middle[0], middle[1] + 12)
    slid(desk, handle, (handle[0], handle[1] + lower[1] - on_screen(desk, *middle)[1]))
    until(desk, f"{arcs}[0].by[1] > 9 && {arcs}[0].ticks[0]?.[1] > {middle[1] + 9}")
    expect(desk.locator("#arc-list")).to_contain_text("bent")
    # A tick is drawn along it: the drawing lies later on the way.
    tick = desk.evaluate(f"{arcs}[0].ticks[0]")
    later = desk.evaluate(f"{arcs}[0].path[18]")
    slid(desk, on_screen(desk, *tick), on_screen(desk, *later))
    expect(desk.locator(".between [name=chart]")).to_have_value("own")
    until(desk, "schoon.stage.lines.views.between.shares()[0] > 0.65")
    desk.locator("#make-between").click()
    expect(desk.locator("#notice")).to_contain_text("1 drawing has in-betweens of 3 lines")
    desk.get_by_role("button", name="Take away arc 1").click()
    until(desk, f"{arcs}.length == 0 && !document.querySelector('#paper .arcs polyline')")


def test_ticks_are_dragged_on_the_chart_and_a_part_goes_its_own_way(desk: Page) -> None:
    desk.keyboard.press("c")
    ring = next(s for s in strokes(desk) if s["closed"])
    desk.evaluate(
        "([id]) => fetch(`/api/drawings/${schoon.current.id}/do`, { method: 'POST', headers: { 'content-type': 'application/json' },"
        " body: JSON.stringify({ base: schoon.current.revision, do: { do: 'part', ids: [id], part: 'face' } }) })",
        [ring["id"]],
    )
    desk.reload()
    until(desk, "schoon.parts.names().includes('face')")
    desk.get_by_role("tab", name="In-betweens").click()
    grip = desk.locator(".chart .tick .grip").bounding_box()
    assert grip
    x, y = grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2
    slid(desk, (x, y), (x + 50, y))
    expect(desk.locator(".between [name=chart]")).to_have_value("own")
    share = desk.evaluate("schoon.stage.lines.views.between.shares()[0]")
    assert share > 0.6
    desk.locator(".own-ways summary").click()
    desk.locator("#own-way").select_option("face")
    expect(desk.get_by_label("Drawings that face lags behind")).to_have_value("1")
    desk.get_by_label("Drawings that face lags behind").fill("0.5")
    desk.get_by_label("Drawings that face lags behind").press("Tab")
    until(desk, f"schoon.stage.lines.views.between.shares('face')[0] < {share} - 0.1")
    expect(desk.locator(".chart .of-part circle")).to_have_count(1)
    desk.get_by_role("button", name="face goes with the rest").click()
    expect(desk.locator(".own-way")).to_have_count(0)


def test_a_part_is_used_again_and_hides_what_lies_behind_it(desk: Page) -> None:
    rings = [s["id"] for s in strokes(desk) if s["closed"]]
    desk.evaluate(
        "(ids) => fetch(`/api/drawings/${schoon.current.id}/do`, { method: 'POST', headers: { 'content-type': 'application/json' },"
        " body: JSON.stringify({ base: schoon.current.revision, do: { do: 'part', ids, part: 'face' } }) })",
        rings,
    )
    desk.reload()
    until(desk, "schoon.parts.names().includes('face')")
    before = len(strokes(desk))
    desk.get_by_role("tab", name="Parts").click()
    form = desk.locator("form.again")
    form.locator("[name=name]").fill("moon")
    form.locator("[name=dx]").fill("40")
    form.locator("[name=mirror]").check()
    # Seen before it is done.
    until(desk, f"document.querySelectorAll('#paper .ghost path').length == {len(rings)}")
    desk.locator("#use-again").click()
    expect(desk.locator("#notice")).to_contain_text("face is moon in 1 drawing")
    until(desk, "schoon.parts.names().includes('moon')")
    assert len(strokes(desk)) == before + len(rings)
    # Linked, it follows its part, until it is set free.
    form.locator("[name=linked]").check()
    desk.locator("#use-again").click()
    expect(desk.locator("#notice")).to_contain_text("and follows it")
    expect(form.locator(".follows")).to_contain_text("moon follows face of drawing")
    desk.evaluate(
        "(ids) => fetch(`/api/drawings/${schoon.current.id}/do`, { method: 'POST', headers: { 'content-type': 'application/json' },"
        " body: JSON.stringify({ base: schoon.current.revision, do: { do: 'place', ids, matrix: [1, 0, 0, 0, 1, 6] } }) })",
        rings,
    )
    desk.evaluate("schoon.sync.refresh()")
    form.locator(".set-free").click()
    expect(desk.locator("#notice")).to_contain_text("moon follows no other part in 1 drawing")
    expect(form.locator(".follows")).to_be_hidden()
    tops = {
        part: min(y for s in strokes(desk) if s["part"] == part for y in s["points"][1::2])
        for part in ("face", "moon")
    }
    assert abs(tops["face"] - tops["moon"]) < 0.1
    hides = desk.locator("form.hides")
    hides.locator("[name=front]").select_option("moon")
    hides.locator("[name=behind]").select_option("face")
    desk.locator("#trim-behind").click()
    expect(desk.locator("#notice")).to_contain_text("What lies behind moon is hidden in 1 drawing")
    left = sum(len(s["points"]) for s in strokes(desk) if s["part"] == "face")
    desk.locator("#make-whole").click()
    expect(desk.locator("#notice")).to_contain_text("All parts whole again in 1 drawing")
    assert sum(len(s["points"]) for s in strokes(desk) if s["part"] == "face") != left
    again = saved(desk, lambda: desk.keyboard.press("Control+z"))
    assert sum(len(s["points"]) for s in again if s["part"] == "face") == left


def test_a_hold_is_bent_by_points_on_the_paper(desk: Page) -> None:
    desk.get_by_role("tab", name="Hold").click()
    desk.locator('[data-tool="sway"]').click()
    expect(desk.get_by_role("tab", name="Hold")).to_have_attribute("aria-selected", "true")
    ring = next(s for s in strokes(desk) if s["closed"])
    left, top, right, bottom = box(ring)
    start, pin = on_screen(desk, (left + right) / 2, top), on_screen(desk, (left + right) / 2, bottom)
    slid(desk, start, (start[0] + 30, start[1]))
    desk.mouse.click(*pin)
    # Seen before it is made, as far as the slider says.
    expect(desk.locator("#sway-says")).to_contain_text("1 moved, 1 pinned")
    until(desk, "document.querySelectorAll('#paper .sway > path').length > 1")
    form = desk.locator(".hold-form").first
    form.locator("[name=first]").fill("1")
    form.locator("[name=last]").fill("6")
    desk.locator("#bend-hold").click()
    expect(desk.locator("#notice")).to_contain_text("every exposure has a drawing of its own")
    until(desk, "schoon.data.run.length == 5")
    # Kept under a name, it is there where the figure is in another drawing.
    before = desk.evaluate("schoon.stage.lines.views.hold.points.map((p) => p.at)")
    desk.once("dialog", lambda dialog: dialog.accept("Sag"))
    desk.locator("#sway-kept").select_option(label="keep this bend …")
    expect(desk.locator("#sway-kept option")).to_contain_text(
        ["Kept bends", "keep this", "use “Sag”", "forget “Sag”"]
    )
    desk.locator("#sway-kept").select_option(label="use “Sag”")
    until(desk, "schoon.stage.lines.views.hold.points.length === 2")
    after = desk.evaluate("schoon.stage.lines.views.hold.points.map((p) => p.at)")
    assert np.allclose(before, after, atol=12)
    desk.locator("#sway-kept").select_option(label="forget “Sag”")
    expect(desk.locator("#sway-kept option")).to_have_count(2)
    # Taken back below the sheet; a point is taken away with Shift.
    desk.locator("#time summary").click()
    desk.locator("#time-undo").click()
    until(desk, "schoon.data.run.length == 3")
    desk.keyboard.down("Shift")
    desk.mouse.click(*pin)
    desk.keyboard.up("Shift")
    expect(desk.locator("#sway-says")).to_contain_text("1 moved, 0 pinned")
    desk.locator("#sway-none").click()
    expect(desk.locator("#paper .sway > path")).to_have_count(0)
    desk.locator("#bend-hold").click()
    expect(desk.locator("#notice")).to_contain_text("Drag a point")


def test_a_reading_is_tried_and_a_coloured_pencil_is_a_part(desk: Page) -> None:
    number = len(strokes(desk))
    desk.get_by_role("tab", name="Read roughs").click()
    chip = desk.get_by_label("The blue pencil")
    chip.select_option("use")
    desk.locator("#try-reading").click()
    expect(desk.locator("#tried")).to_contain_text(f"{number + 1} lines (now {number})")
    expect(desk.locator("#paper .ghost path")).to_have_count(number + 1)
    assert len(strokes(desk)) == number


def test_lay_over_slides_a_neighbour_over_and_nothing_in_the_picture_moves(desk: Page) -> None:
    before = strokes(desk)
    desk.keyboard.press("z")
    expect(desk.locator("#lay-over")).to_contain_text("drawing 2")
    until(desk, "document.querySelector('#paper .onion g')")
    drag(desk, [(400, 400), (430, 380)])
    later = desk.locator("#paper .onion g")
    matrix = later.get_attribute("transform")
    assert matrix
    assert [float(v) for v in matrix[7:-1].split()][4:] == pytest.approx([30, -20], abs=1)
    desk.locator("#peg-register").click()
    expect(desk.locator("#notice")).to_contain_text("lies over the whole figure")
    desk.keyboard.press("d")
    desk.keyboard.press("a")
    expect(desk.locator("#lay-over")).to_contain_text("off its pegs")
    desk.locator("#peg-lift").click()
    expect(desk.locator("#lay-over")).to_contain_text("on its pegs")
    assert strokes(desk) == before


def test_onion_skin_by_keys_and_a_pinned_drawing(desk: Page) -> None:
    desk.keyboard.press("o")
    expect(desk.locator("#paper .onion .later").first).to_be_attached()
    sight(desk, "onion-pin").click()
    desk.keyboard.press("d")
    expect(desk.locator("#paper .onion .pinned").first).to_be_attached()
    desk.locator("#onion-keys").check()
    expect(desk.locator("#paper .onion g")).to_have_count(3)


def test_the_sheet_lists_by_work(desk: Page) -> None:
    desk.locator("#sheet-order").click()
    kinds = desk.eval_on_selector_all("#sheet .hold", "(rows) => rows.map((row) => row.dataset.kind)")
    assert kinds == ["key", "key", "inbetween"]


def test_strokes_wait_in_the_browser_while_the_server_is_away(desk: Page) -> None:
    number = len(strokes(desk))
    desk.route("**/api/drawings/*/do", lambda route: route.abort())
    for k in range(2):
        drag(desk, [(470, 60 + 30 * k), (540, 70 + 30 * k)])
    expect(desk.locator("#notice")).to_contain_text("2 changes wait here and will be sent")
    desk.unroute("**/api/drawings/*/do")
    expect(desk.locator("#notice")).to_contain_text("your work has arrived", timeout=10_000)
    until(desk, f"schoon.current.strokes === {number + 2}")
    assert len(strokes(desk)) == number + 2


def test_a_part_leaves_its_path_and_its_spacing(desk: Page) -> None:
    for entry in desk.evaluate("schoon.data.run.map((d) => [d.id, d.revision])"):
        drawing = desk.request.get(f"/api/drawings/{entry[0]}").json()
        ring = next(s["id"] for s in drawing["strokes"] if s["closed"])
        edit = {"base": entry[1], "do": {"do": "part", "ids": [ring], "part": "face"}}
        assert desk.request.post(f"/api/drawings/{entry[0]}/do", data=edit).ok
    desk.reload()
    until(desk, "document.getElementById('paper').dataset.drawing")
    desk.get_by_role("tab", name="Compare").click()
    expect(desk.locator("#paper .path g")).to_have_count(3)
    # The ring goes 8 px to the right from drawing to drawing.
    steps = desk.evaluate("schoon.stage.lines.views.compare.places().map(([, [x]]) => x)")
    assert [b - a for a, b in itertools.pairwise(steps)] == pytest.approx([8, 8], abs=0.5)
    expect(desk.locator("#spacing circle")).to_have_count(2)
    desk.locator("#path-point").click()
    desk.mouse.click(*on_screen(desk, 308, 140))
    expect(desk.locator("#path-point")).to_have_text("Path of the part")
    there = desk.evaluate("schoon.stage.lines.views.compare.places()[2][1]")
    assert there == pytest.approx([324, 140], abs=3)
    desk.get_by_role("tab", name="Run").click()
    expect(desk.locator("#paper .path g")).to_have_count(0)


def test_ink_is_rubbed_out_in_the_chosen_drawings(desk: Page) -> None:
    desk.evaluate("schoon.chooseTo(schoon.data.run[1].id)")
    counts = "schoon.data.run.map((d) => d.strokes)"
    before = desk.evaluate(counts)
    desk.locator("#table").focus()
    desk.keyboard.press("v")
    drag(desk, [(700, 160), (700, 200)])
    expect(desk.locator("#notice")).to_contain_text("Rubbed out in 2 drawings")
    assert desk.evaluate(counts) == [before[0] + 1, before[1] + 1, before[2]]
    desk.locator("#undo").click()
    until(desk, f"JSON.stringify({counts}) === JSON.stringify({before})")


def test_several_drawings_are_laid_over_each_with_its_own_slide(desk: Page) -> None:
    desk.keyboard.press("z")
    until(desk, "document.querySelector('#paper .onion g')")
    drag(desk, [(400, 400), (430, 380)])
    third = desk.evaluate("String(schoon.data.run[2].id)")
    desk.locator("#peg-which").select_option(third)
    until(desk, "document.querySelectorAll('#paper .onion g').length === 2")
    drag(desk, [(400, 400), (390, 450)])
    moves = "[...document.querySelectorAll('#paper .onion g')].map((g) => (g.getAttribute('transform') || '').slice(7, -1).split(' ').slice(4).map(Number))"
    until(desk, f"{moves}.every((m) => m.length === 2)")
    found = sorted(desk.evaluate(moves))
    assert found == [pytest.approx([-10, 50], abs=1), pytest.approx([30, -20], abs=1)]
    expect(desk.locator("#lay-over .laid [data-hold]")).to_have_count(2)
    # Each is lifted by itself.
    desk.locator("#lay-over [data-off]").last.click()
    until(desk, "document.querySelectorAll('#paper .onion g').length === 1")
    assert desk.evaluate(moves) == [pytest.approx([30, -20], abs=1)]


def test_labels_are_written_on_parts_and_levels_and_taken_off(desk: Page) -> None:
    stroke = strokes(desk)[0]
    entry = desk.evaluate("schoon.current.id")
    desk.evaluate(
        """([entry, id]) => fetch(`/api/drawings/${entry}/do`, { method: 'POST', headers: { 'Content-Type': 'application/json' },
          body: JSON.stringify({ base: 0, do: { do: 'part', ids: [id], part: 'Coat' } }) }).then((r) => r.json())""",
        [entry, stroke["id"]],
    )
    desk.reload()
    until(desk, "globalThis.schoon?.stage.name === 'line' && document.querySelector('#parts .tag')")
    desk.get_by_label("Label of Coat").click()
    form = desk.locator("#parts .write-label")
    form.locator("[name=word]").fill("ask Vera")
    form.locator("[name=tint]").fill("#2f6f9f")
    form.locator("button").first.click()
    label = desk.locator("#parts .own-label")
    expect(label).to_have_text("ask Vera")
    expect(label).to_have_css("background-color", "rgb(47, 111, 159)")
    sight(desk, "see-levels").click()
    desk.get_by_label("Label of Pim").click()
    form = desk.locator("#levels-list .write-label")
    form.locator("[name=word]").fill("rush")
    form.locator("[name=word]").press("Enter")
    expect(desk.locator("#levels-list .own-label")).to_have_text("rush")
    desk.get_by_label("Label of Pim").click()
    desk.locator("#levels-list .write-label [name=off]").click()
    expect(desk.locator("#levels-list .own-label")).to_have_count(0)


def test_a_part_comes_off_the_model_sheet(desk: Page, store: Store) -> None:
    page = np.full((240, 320, 3), 255, np.uint8)
    cv2.circle(page, (160, 120), 70, (240, 190, 40), -1)
    cv2.circle(page, (160, 120), 70, (29, 43, 58), 5, cv2.LINE_AA)
    with store.transaction() as cursor:
        name = pictures.put(cursor, encode_png(page), "image/png", 320, 240)
        now = models.state_of(cursor, 1)
        models.set_state(
            cursor, 1, now, now.model_copy(update={"pictures": (SheetPicture(caption="badge", sha256=name),)})
        )
    desk.reload()
    until(desk, "document.querySelectorAll('#paper .ink path').length > 1 && globalThis.schoon")
    count = len(strokes(desk))
    desk.get_by_role("tab", name="Parts").click()
    desk.locator('[data-tool="sheet-part"]').click()
    expect(desk.get_by_role("tab", name="Parts")).to_have_attribute("aria-selected", "true")
    expect(desk.locator(".sheet-page path")).to_have_count(1)
    desk.locator(".sheet-page").scroll_into_view_if_needed()
    seen = desk.locator(".sheet-page").bounding_box()
    assert seen
    left, top = seen["x"], seen["y"]
    slid(desk, (left + 4, top + 4), (left + seen["width"] - 4, top + seen["height"] - 4))
    expect(desk.locator("#paper .prop .wire")).to_have_count(1)
    desk.locator(".off-sheet [name=part]").fill("badge")
    quad = desk.evaluate("schoon.stage.lines.views.sheet.quad")
    # One corner alone, with Shift; then into the drawing.
    start = on_screen(desk, *quad[2])
    desk.keyboard.down("Shift")
    slid(desk, start, (start[0] + 24, start[1] + 10))
    desk.keyboard.up("Shift")
    after = desk.evaluate("schoon.stage.lines.views.sheet.quad")
    assert after[:2] == quad[:2]
    assert after[2][0] > quad[2][0]
    found = saved(desk, lambda: desk.locator("#lay-part").click())
    assert len(found) == count + 1
    badge = next(s for s in found if s["part"] == "badge")
    left, top, right, bottom = box(badge)
    assert (left, top) == pytest.approx(quad[0], abs=4)
    # Drawn out towards its corner, which a ring does not reach.
    assert quad[2][0] + 2 < right < after[2][0]
    assert quad[2][1] < bottom < after[2][1] + 1
