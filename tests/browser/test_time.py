"""The sheet by keyboard alone and by mouse, movies from the file to the table, placement by hand, and play."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from schoon.store import Store, pictures, productions, revisions
from schoon.work.documents import line_document

from ..films import film
from .test_line import SIZE, lined, rough
from .waiting import sight, until

pytestmark = pytest.mark.browser

READ = """(() => {
  const level = schoon.data.levels.find((l) => l.id === schoon.level);
  const shown = new Array(schoon.data.shot.frames).fill('.');
  for (const [first, count, id] of level.spans) for (let k = 0; k < count; k += 1) if (first + k <= shown.length) shown[first + k - 1] = level.drawings[id]?.[0] ?? '?';
  return shown.join(' ');
})()"""


@pytest.fixture
def sheet(page: Page, store: Store) -> Page:
    """A shot of six drawings on twos and a second level, with the wide sheet open."""
    with store.transaction() as cursor:
        production = productions.create(cursor, "Quay")
        made, level = productions.create_shot(cursor, production, "Sign", 24, "Pim", None, None)
        rows = [(k, "key", pictures.put(cursor, rough(8 * k), "image/png", *SIZE)) for k in range(1, 7)]
        starts = {1 + 2 * k: k + 1 for k in range(6)}
        productions.fill_shot(cursor, made, level, SIZE, rows, starts, 12)
        front = productions.add_level(cursor, made, "Sign", None, None)
        productions.fill_level(cursor, front, rows[:2], {1: 1, 7: 2})
        for row in [*productions.drawings(cursor, level), *productions.drawings(cursor, front)]:
            action = revisions.begin_action(cursor, "clean")
            line = revisions.put_document(cursor, line_document(lined(8 * int(row["number"]))))
            revisions.revise(cursor, revisions.of(revisions.drawing(cursor, row["id"])), action, line=line)
    page.goto(f"/shots/{made}/line")
    until(page, "schoon.table.paper && document.getElementById('paper').dataset.drawing")
    page.keyboard.press("-")
    expect(page.locator("#wide")).to_be_visible()
    return page


def reads(page: Page, text: str) -> None:
    until(page, f"{READ} === '{text}'")


def press(page: Page, *keys: str) -> None:
    for key in keys:
        page.keyboard.press(key)


def test_the_sheet_by_keyboard_alone(sheet: Page) -> None:
    reads(sheet, "1 1 2 2 3 3 4 4 5 5 6 6")
    press(sheet, "ArrowRight", "Home", *["Shift+ArrowDown"] * 3)
    expect(sheet.locator("#wide-says")).to_contain_text("frames 1 to 4")
    sheet.locator("#wide-scroll").focus()
    press(sheet, "ArrowLeft", "Home", *["Shift+ArrowDown"] * 3, "1")
    reads(sheet, "1 2 3 3 4 4 5 5 6 6 6 6")
    press(sheet, "v")
    reads(sheet, "3 3 2 1 4 4 5 5 6 6 6 6")
    press(sheet, "Control+z")
    reads(sheet, "1 2 3 3 4 4 5 5 6 6 6 6")
    # What would fall off the end is named, and nothing is done before it is kept.
    press(sheet, "4")
    expect(sheet.locator("#wide-says")).to_contain_text("fall off the end")
    press(sheet, "Escape")
    reads(sheet, "1 2 3 3 4 4 5 5 6 6 6 6")
    press(sheet, "m", "r")
    reads(sheet, "1 2 3 3 1 2 3 3 1 2 3 3")
    press(sheet, "Control+z", "c", "End", "i")
    until(sheet, f"{READ}.startsWith('1 2 3 3 4 4 5 5 6 6')")
    press(sheet, "Home", "Shift+ArrowDown", "x")
    until(sheet, f"{READ}.startsWith('. . 3 3')")
    press(sheet, "Alt+ArrowDown")
    until(sheet, f"{READ}.startsWith('3 . . 3')")


def test_empty_sheets_are_put_between_and_taken_back(sheet: Page) -> None:
    press(sheet, "Home", *["Shift+ArrowDown"] * 5, "m", "s")
    reads(sheet, "1 1a 2 2a 3 3 4 4 5 5 6 6")
    expect(sheet.locator("#paper")).to_have_attribute("data-drawing", "3")
    press(sheet, "Escape", "Escape")
    expect(sheet.locator("#sheet li")).to_have_count(8)
    sheet.locator("#sheet li").nth(1).click()
    expect(sheet.locator("#paper")).to_have_attribute("data-drawing", "1a")
    expect(sheet.locator("#paper .ink path")).to_have_count(0)
    press(sheet, "-")
    press(sheet, "Control+z")
    sheet.locator("#time summary").click()
    sheet.locator("#time-undo").click()
    reads(sheet, "1 1 2 2 3 3 4 4 5 5 6 6")


def test_a_pose_is_kept_alive_through_a_span(sheet: Page) -> None:
    # Frames 9 to 12 hold drawings 5 and 6; with two redraws of 5 none stands twice running.
    press(sheet, "Home", *["ArrowDown"] * 8, *["Shift+ArrowDown"] * 3)
    sheet.get_by_label("The number n of the acts").fill("1")
    sheet.locator("#time-acts [data-act=alive]").click()
    until(sheet, "schoon.data.run.length == 8")
    shown = sheet.evaluate("schoon.data.spans.filter(([at]) => at >= 9).map(([, count, id]) => [count, id])")
    assert [count for count, _ in shown] == [1, 1, 1, 1]
    assert len({id_ for _, id_ in shown}) == 4
    sheet.locator("#time summary").click()
    sheet.locator("#time-undo").click()
    until(sheet, "schoon.data.run.length == 6")


def test_the_sheet_by_mouse_and_a_tried_act_plays_before_it_is_kept(sheet: Page) -> None:
    box = sheet.locator("#wide-canvas").bounding_box()
    assert box
    x, y = box["x"] + 74 + 40, box["y"] + 42
    sheet.mouse.move(x, y + 5)
    sheet.mouse.down()
    sheet.mouse.move(x, y + 19 * 3 + 5, steps=4)
    sheet.mouse.up()
    expect(sheet.locator("#wide-says")).to_contain_text("frames 1 to 4")
    sheet.locator("#time-tries").check()
    sheet.get_by_role("button", name="there and back").click()
    expect(sheet.locator("#notice")).to_contain_text("three drawings")
    sheet.get_by_role("button", name="to the end").click()
    reads(sheet, "1 1 2 2 1 1 2 2 1 1 2 2")
    sheet.locator("#play").click()
    until(sheet, "Number(document.getElementById('screen').dataset.frame) > 6")
    sheet.locator("#play").click()
    sheet.locator("#time-drop").click()
    reads(sheet, "1 1 2 2 3 3 4 4 5 5 6 6")
    sheet.get_by_role("button", name="to the end").click()
    sheet.locator("#time-keep").click()
    expect(sheet.locator("#time-keep")).to_have_count(0)
    reads(sheet, "1 1 2 2 1 1 2 2 1 1 2 2")
    # Along the frame numbers the hand scrubs.
    sheet.mouse.move(box["x"] + 30, y + 5)
    sheet.mouse.down()
    sheet.mouse.move(box["x"] + 30, y + 19 * 2 + 8, steps=3)
    sheet.mouse.up()
    expect(sheet.locator("#paper")).to_have_attribute("data-drawing", "2")


def test_a_large_sheet_is_drawn_within_a_frame(sheet: Page) -> None:
    times: list[float] = sheet.evaluate("""async () => {
      const { data } = schoon;
      const [one] = data.levels;
      const ids = Object.keys(one.drawings).map(Number);
      const entries = Array.from({ length: 150 }, (_, k) => [1 + 2 * k, 2, ids[k % ids.length]]);
      data.shot.frames = 300;
      data.levels = Array.from({ length: 12 }, (_, k) => ({ ...one, id: 100 + k, sheet: entries, spans: entries }));
      schoon.tell('time');
      const scroll = document.getElementById('wide-scroll');
      const found = [];
      for (let k = 0; k < 40; k += 1) {
        const start = performance.now();
        scroll.scrollTop = k * 60;
        scroll.dispatchEvent(new Event('scroll'));
        found.push(performance.now() - start);
        await new Promise(requestAnimationFrame);
      }
      return found.sort((a, b) => a - b);
    }""")
    assert times[20] < 33, times


def test_a_level_is_placed_by_hand_and_the_framing_in_numbers(sheet: Page) -> None:
    press(sheet, "Escape")
    sight(sheet, "see-levels").click()
    sheet.get_by_role("button", name="Place Pim").click()
    sight(sheet, "see-levels").click()
    box = sheet.locator("#surface").bounding_box()
    assert box
    middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    zoom = float(sheet.evaluate("schoon.table.view.zoom"))
    sheet.mouse.move(*middle)
    sheet.mouse.down()
    sheet.mouse.move(middle[0] + 100 * zoom, middle[1] - 50 * zoom, steps=4)
    sheet.mouse.up()
    until(sheet, "schoon.levels.mine.places.length === schoon.data.shot.frames")
    place: list[float] = sheet.evaluate("schoon.levels.mine.places[0]")
    assert place == pytest.approx([1, 0, 0, 1, 100, -50], abs=2)
    press(sheet, "Escape")
    expect(sheet.locator("#placing")).to_be_hidden()
    sight(sheet, "see-framing").click()
    sheet.locator("#placing summary").click()
    sheet.locator('#placing input[name="scale"]').fill("0.5")
    press(sheet, "Tab")
    until(sheet, "schoon.data.framing.fields[0][0] === 0.5")
    expect(sheet.locator("#paper .field .shot")).to_have_count(0)
    press(sheet, "Tab")
    sheet.locator("#placing-end").click()
    expect(sheet.locator("#paper .field .seen")).to_have_count(1)
    expect(sheet.locator("#paper .field .shot")).to_have_count(1)


def test_a_movie_comes_from_the_file_to_the_table(sheet: Page, tmp_path: Path) -> None:
    film(tmp_path / "boat.mp4")
    sheet.goto("/productions/1/take-in")
    sheet.locator("#chosen").set_input_files(tmp_path / "boat.mp4")
    expect(sheet.locator("#looked")).to_have_text("40 pictures.")
    sheet.locator("#first").fill("11")
    sheet.locator("#last").fill("20")
    sheet.locator("#every").fill("3")
    expect(sheet.locator("#movie-says")).to_contain_text("4 pictures, each held 3 frames")
    sheet.locator('#shot input[name="name"]').fill("Boat")
    sheet.get_by_role("button", name="Take in").click()
    sheet.wait_for_url("**/shots/2/rough**")
    until(sheet, "document.getElementById('paper').dataset.drawing === '11'")
    until(sheet, "document.querySelector('#paper .behind image')")
    expect(sheet.locator("#sheet li")).to_have_count(4)


WATCHED = """async () => {
  const screen = document.getElementById('screen');
  const start = performance.now();
  const shown = [];
  let moments = 0;
  let last = screen.dataset.frame;
  while (performance.now() - start < 5000) {
    await new Promise(requestAnimationFrame);
    moments += 1;
    if (screen.dataset.frame !== last) { last = screen.dataset.frame; shown.push([performance.now() - start, Number(last)]); }
  }
  return { shown, moments, seconds: (performance.now() - start) / 1000, frames: schoon.data.shot.frames };
}"""
"""Which frames are shown when, and how many moments the browser has to show one in: few where other things have the machine."""


def test_play_keeps_its_rate(sheet: Page) -> None:
    press(sheet, "Escape")
    press(sheet, " ")
    until(sheet, "document.getElementById('screen').dataset.frame")
    for _ in range(3):
        found: dict[str, Any] = sheet.evaluate(WATCHED)
        due = min(24 * found["seconds"], found["moments"])
        if len(found["shown"]) > 0.7 * due:
            break
    assert len(found["shown"]) > 0.7 * due, found
    # What is shown is what the clock says: play that falls behind leaves frames out and does not run late.
    (begin, first), *_, (end, last) = found["shown"]
    gone = round((end - begin) / 1000 * 24)
    late = (first + gone - last) % found["frames"]
    assert min(late, found["frames"] - late) <= 3, found
