"""The frame of a shot: sheet, sights, dock, shelf and taking in by zip."""

from __future__ import annotations

import base64
import io
import re
import zipfile
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from ..shot import rough
from .test_path import demo_roughs, drag, on_screen, set_up, stage
from .waiting import act, until

pytestmark = pytest.mark.browser


def clean(page: Page) -> None:
    stage(page, "Line")
    act(page, "clean-all").click()
    expect(page.locator("#job-state")).to_have_text("no jobs", timeout=60_000)
    until(page, "schoon.data.run.every((d) => d.strokes > 0)")
    until(page, "document.querySelectorAll('#paper .ink path').length > 3")


def test_a_zip_is_dropped_and_taken_in(page: Page, tmp_path: Path) -> None:
    set_up(page)
    body = io.BytesIO()
    with zipfile.ZipFile(body, "w") as archive:
        for path in demo_roughs(tmp_path)[:2]:
            archive.write(path, f"roughs/{path.name}")
    page.goto("/")
    page.get_by_role("link", name="New shot from roughs").click()
    page.wait_for_url(re.compile("take-in"), wait_until="load")
    page.evaluate(
        """(bytes) => {
          const files = new DataTransfer();
          const body = Uint8Array.from(atob(bytes), (letter) => letter.charCodeAt(0));
          files.items.add(new File([body], 'roughs.zip', { type: 'application/zip' }));
          document.querySelector('.drop').dispatchEvent(new DragEvent('drop', { dataTransfer: files, bubbles: true, cancelable: true }));
        }""",
        base64.b64encode(body.getvalue()).decode(),
    )
    expect(page.locator("#report")).to_contain_text("2 pictures")
    page.get_by_role("textbox", name="Shot").fill("Zipped")
    page.get_by_role("button", name="Take in").click()
    expect(page.locator("#sheet .hold")).to_have_count(2)
    page.goto("/")
    expect(page.locator(".shot-row")).to_contain_text("Clean 2 roughs")


def test_many_pictures_say_how_far_they_are(page: Page, tmp_path: Path) -> None:
    set_up(page)
    page.goto("/productions/1/take-in")
    page.evaluate("""() => {
      window.said = [];
      const watch = () => { for (const id of ['sent-says', 'taking']) window.said.push(document.getElementById(id).textContent.trim()); };
      new MutationObserver(watch).observe(document.querySelector('main'), { childList: true, subtree: true, characterData: true, attributes: true });
    }""")
    files: list[Any] = [
        {"name": f"{k}.png", "mimeType": "image/png", "buffer": rough(k)} for k in range(1, 181)
    ]
    page.locator("#chosen").set_input_files(files)
    expect(page.locator("#report")).to_contain_text("180 pictures", timeout=60_000)
    assert page.evaluate("window.said.some((words) => /^Reading, [0-9]+ of 180 pictures$/.test(words))")
    page.get_by_role("textbox", name="Shot").fill("Long")
    page.get_by_role("button", name="Take in").click()
    page.wait_for_url("**/shots/1/rough**", timeout=60_000)
    expect(page.locator("#sheet .hold").first).to_be_visible()


def test_a_stem_is_dragged_to_change_a_hold(shot: Page) -> None:
    grip = shot.locator("#sheet .hold").first.locator(".stem-end")
    box = grip.bounding_box()
    assert box
    shot.mouse.move(box["x"] + 6, box["y"] + 4)
    shot.mouse.down()
    shot.mouse.move(box["x"] + 6, box["y"] + 24, steps=4)
    shot.mouse.up()
    expect(shot.locator("#sheet .hold .frame").nth(1)).to_have_text("4")
    shot.reload()
    expect(shot.locator("#sheet .hold .frame").nth(1)).to_have_text("4")
    assert shot.evaluate("schoon.data.spans.reduce((n, s) => n + s[1], 0)") == 6


def test_a_double_click_marks_keys_and_shift_click_a_range(shot: Page) -> None:
    second = shot.locator("#sheet .hold").nth(1)
    second.dblclick()
    expect(shot.locator("#sheet .hold").nth(1)).to_have_attribute("data-kind", "breakdown")
    shot.locator("#sheet .hold").first.click()
    shot.locator("#sheet .hold").nth(2).click(modifiers=["Shift"])
    expect(shot.locator("#sheet .hold.chosen")).to_have_count(3)
    stage(shot, "Line")
    shot.locator("#sheet .hold").first.click()
    shot.locator("#sheet .hold").nth(1).click(modifiers=["Shift"])
    expect(shot.locator("#clean-all")).to_have_text("Clean 2 chosen")


def test_view_zooms_turns_and_moves_without_moving_the_picture(shot: Page) -> None:
    clean(shot)
    before = shot.locator("#paper .ink path").first.get_attribute("d")
    x, y = on_screen(shot, 480, 270)
    shot.mouse.move(x, y)
    shot.mouse.wheel(0, -600)
    until(shot, "schoon.table.view.zoom > 1")
    assert on_screen(shot, 480, 270) == pytest.approx((x, y), abs=1)
    shot.keyboard.down("6")
    shot.mouse.down()
    shot.mouse.move(x + 60, y)
    shot.mouse.up()
    shot.keyboard.up("6")
    assert shot.evaluate("schoon.table.view.turn") > 0.1
    count = shot.locator("#paper .ink path").count()
    # The pen still draws where it is, on the turned and enlarged paper.
    shot.keyboard.press("s")
    drag(shot, [(470, 260), (490, 280), (500, 270)])
    expect(shot.locator("#paper .ink path")).to_have_count(count + 1)
    drawn = shot.evaluate(
        "(() => { const b = [...document.querySelectorAll('#paper .ink path')].at(-1).getBBox(); return [b.x, b.y, b.width, b.height]; })()"
    )
    assert drawn[0] == pytest.approx(468, abs=3)
    assert drawn[1] == pytest.approx(258, abs=3)
    shot.keyboard.press("0")
    assert shot.evaluate("schoon.table.view.turn") == 0
    assert shot.locator("#paper .ink path").first.get_attribute("d") == before


def test_onion_skin_shows_neighbours_in_their_colours(shot: Page) -> None:
    clean(shot)
    shot.keyboard.press("d")
    shot.keyboard.press("o")
    expect(shot.locator("#paper .onion .earlier").first).to_be_attached()
    expect(shot.locator("#paper .onion .later").first).to_be_attached()
    shot.keyboard.press("o")
    expect(shot.locator("#paper .onion path")).to_have_count(0)


def test_a_job_is_cancelled_from_the_status_line(shot: Page) -> None:
    stage(shot, "Line")
    act(shot, "clean-all").click()
    shot.locator("#job-state button").click()
    expect(shot.locator("#job-state")).to_have_text("no jobs", timeout=30_000)
    expect(shot.locator("#notice")).to_contain_text("done and stay")


def test_lifting_paint_off_and_undoing_it(shot: Page) -> None:
    clean(shot)
    stage(shot, "Paint")
    until(shot, "document.querySelectorAll('#paper .patches path').length > 0")
    shapes = shot.evaluate("fetch(`/api/drawings/${schoon.current.id}/patches`).then((r) => r.json())")
    patch = max((p for p in shapes["patches"] if p["n"] != shapes["background"]), key=lambda p: p["area"])
    node = shot.locator(f"#paper .patches [data-n='{patch['n']}']")
    shot.locator("#pots [data-pot]", has_text="Boot").click()
    shot.mouse.click(*on_screen(shot, *patch["at"]))
    expect(node).not_to_have_class(re.compile(r"\bbare\b"))
    expect(shot.locator("#pots [data-pot]", has_text="Boot").locator(".count")).to_have_text("1")
    shot.keyboard.press("x")
    shot.mouse.click(*on_screen(shot, *patch["at"]))
    expect(node).to_have_class(re.compile(r"\bbare\b"))
    shot.wait_for_timeout(900)
    shot.keyboard.press("Control+z")
    expect(shot.locator("#notice")).to_contain_text("Undone: lift paint off 1 patch")
    expect(shot.locator("#pots [data-pot]", has_text="Boot").locator(".count")).to_have_text("1")


def test_a_colour_changed_on_the_model_page_is_seen_in_the_shot(shot: Page) -> None:
    address = shot.url
    shot.get_by_role("link", name="Pim", exact=True).click()
    shot.get_by_label("Fur in Day", exact=True).fill("#00aa55")
    expect(
        shot.locator(".well", has=shot.get_by_label("Fur in Day", exact=True)).locator(".number")
    ).to_have_text("#00aa55")
    shot.goto(address)
    swatch = shot.locator("#pots [data-pot]", has_text="Fur").locator(".swatch")
    expect(swatch).to_have_css("background-color", "rgb(0, 170, 85)")


def test_the_theme_lasts_from_page_to_page_and_the_grey_stays_neutral(shot: Page) -> None:
    shot.locator('[data-sights="room"]').click()
    shot.locator('#sights-room [data-wish="theme"]').select_option("dark")
    shot.locator("#room-grey").select_option("dark")
    ground = shot.locator("#table")
    expect(ground).to_have_css("background-color", "rgb(88, 88, 88)")
    stage(shot, "Line")
    expect(shot.locator("html")).to_have_attribute("data-theme", "dark")
    shot.goto("/")
    expect(shot.locator("html")).to_have_attribute("data-theme", "dark")
    shot.go_back()
    expect(ground).to_have_css("background-color", "rgb(88, 88, 88)")


def test_an_unknown_shot_leads_back_to_the_shelf(page: Page) -> None:
    page.goto("/shots/4711/line")
    page.get_by_role("link", name="Back to the shelf").click()
    expect(page.get_by_role("heading", name="An empty shelf")).to_be_visible()
