"""Tools of the paper at Line and Paint: point by point, true forms, what the pinned drawing has, references, new pots."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from .test_line import desk as lined
from .test_paint import desk as painted
from .test_path import drag, on_screen
from .waiting import sight, until

__all__ = ["lined", "painted"]

pytestmark = pytest.mark.browser


def strokes(page: Page) -> int:
    return page.locator("#paper .ink path[data-id]").count()


def last_box(page: Page) -> dict[str, float]:
    """Where the newest stroke lies, px."""
    newest = "[...document.querySelectorAll('#paper .ink path[data-id]')].at(-1).getBBox()"
    return page.evaluate(f"(({{ x, y, width, height }}) => ({{ x, y, width, height }}))({newest})")


def clicked(page: Page, x: float, y: float, **how) -> None:
    page.mouse.click(*on_screen(page, x, y), **how)


def test_a_line_is_placed_point_by_point(lined: Page) -> None:
    before = strokes(lined)
    lined.keyboard.press("Shift+S")
    for x, y in ((100, 400), (160, 440), (220, 400), (600, 500)):
        clicked(lined, x, y)
    lined.keyboard.press("Backspace")
    # A point can be moved while the line is made.
    drag(lined, [(160, 440), (160, 460)])
    assert lined.locator("#paper .plot.knot").count() == 3
    lined.keyboard.press("Enter")
    until(lined, f"document.querySelectorAll('#paper .ink path[data-id]').length === {before + 1}")
    box = last_box(lined)
    assert box["x"] == pytest.approx(98, abs=4)
    assert box["y"] + box["height"] == pytest.approx(462, abs=6)
    # Closed at its first point.
    for x, y in ((400, 420), (460, 420), (430, 470), (400, 420)):
        clicked(lined, x, y)
    until(lined, f"document.querySelectorAll('#paper .ink path[data-id]').length === {before + 2}")
    clicked(lined, 500, 500)
    lined.keyboard.press("Escape")
    assert lined.locator("#paper .plot").count() == 0


def test_a_stroke_that_is_held_settles_into_a_true_form(lined: Page) -> None:
    before = strokes(lined)
    turn = np.linspace(0, 2 * np.pi, 30)
    ring = np.c_[140 + 50 * np.cos(turn), 440 + 46 * np.sin(turn)] + np.random.default_rng(1).normal(
        0, 2, (30, 2)
    )
    lined.mouse.move(*on_screen(lined, *ring[0]))
    lined.mouse.down()
    for point in ring[1:]:
        lined.mouse.move(*on_screen(lined, *point), steps=2)
    expect(lined.locator("#paper .true-form")).to_have_count(1)
    lined.mouse.up()
    until(lined, f"document.querySelectorAll('#paper .ink path[data-id]').length === {before + 1}")
    box = last_box(lined)
    assert box["width"] == pytest.approx(box["height"], abs=1.5)
    # Its handles are shown, and are drawn along without leaving the pencil; the next stroke takes them away.
    expect(lined.locator("#paper .knot")).not_to_have_count(0)
    spot = lined.locator("#paper .knot").first.bounding_box()
    assert spot
    at = (spot["x"] + spot["width"] / 2, spot["y"] + spot["height"] / 2)
    lined.mouse.move(*at)
    lined.mouse.down()
    lined.mouse.move(at[0] + 40, at[1], steps=4)
    lined.mouse.up()
    until(
        lined,
        f"(() => {{ const b = [...document.querySelectorAll('#paper .ink path[data-id]')].at(-1).getBBox(); return Math.abs(b.width - {box['width']}) > 5; }})()",
    )
    assert lined.evaluate("schoon.tools.now.id") == "trace"
    drag(lined, [(300, 500), (380, 500)])
    expect(lined.locator("#paper .knot")).to_have_count(0)


def test_what_the_pinned_drawing_has_more_is_named_live(lined: Page) -> None:
    sight(lined, "see-onion").click()
    lined.locator("#onion-pin").click()
    lined.evaluate("schoon.go(schoon.data.run[1].id)")
    expect(lined.locator(".lacks")).to_contain_text("All of 1 is here")
    for left, place in ((2, (700, 200)), (1, (640, 270))):
        lined.keyboard.press("c")
        clicked(lined, *place)
        until(lined, "schoon.stage.chosen.ids.size === 1")
        lined.keyboard.press("x")
        until(lined, f"document.querySelectorAll('#paper .ink path[data-id]').length === {left}")
    expect(lined.locator(".lacks")).to_contain_text("1 of 3 lines")


def test_a_clip_lies_beside_the_paper_in_step(lined: Page) -> None:
    frames = [Image.new("RGB", (60, 40), (30 * k, 90, 120)) for k in range(6)]
    body = io.BytesIO()
    frames[0].save(body, "GIF", save_all=True, append_images=frames[1:], duration=42)
    sight(lined, "see-beside").click()
    lined.locator("#reference-file").set_input_files(
        {"name": "walk.gif", "mimeType": "image/gif", "buffer": body.getvalue()}
    )
    expect(lined.locator(".reference")).to_have_count(1)
    lined.locator(".reference .clip input[type=checkbox]").check()
    first = lined.locator(".reference img").get_attribute("src")
    lined.evaluate("schoon.go(schoon.data.run[2].id)")
    until(lined, f"document.querySelector('.reference img').getAttribute('src') !== {first!r}")
    head = lined.locator(".reference figcaption .name").bounding_box()
    lined.mouse.move(head["x"] + 20, head["y"] + 6)
    lined.mouse.down()
    lined.mouse.move(head["x"] - 180, head["y"] + 106, steps=6)
    lined.mouse.up()
    left = lined.locator(".reference").bounding_box()["x"]
    lined.wait_for_timeout(700)
    lined.reload()
    expect(lined.locator(".reference")).to_have_count(1)
    assert lined.locator(".reference").bounding_box()["x"] == pytest.approx(left, abs=3)
    # It hangs on no picture that is handed off.
    lined.locator(".reference [data-do=away]").click()
    expect(lined.locator(".reference")).to_have_count(0)


def test_a_new_pot_is_made_poured_and_named_later(painted: Page) -> None:
    painted.locator("#new-pot summary").click()
    painted.locator("#new-pot input[type=color]").fill("#336699")
    painted.locator("#new-pot button", has_text="Add").click()
    expect(painted.locator("#pots [aria-selected=true]")).to_contain_text("pot 1")
    clicked(painted, 308, 270)
    fill = "getComputedStyle(document.querySelector('#paper .patches [data-n]:not(.bare)')).fill"
    until(painted, f"{fill} === 'rgb(51, 102, 153)'")
    painted.locator("#pots [aria-selected=true]").dblclick()
    painted.locator("#pots input").fill("Rope")
    painted.keyboard.press("Enter")
    expect(painted.locator("#pots [aria-selected=true]")).to_contain_text("Rope")
    painted.reload()
    expect(painted.locator("#pots")).to_contain_text("Rope")
