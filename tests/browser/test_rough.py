"""Drawing on roughs with the pen: pencil by pen, finger and mouse, rubbing out over a range, a piece in the lasso."""

from __future__ import annotations

import math

import pytest
from PIL import Image
from playwright.sync_api import Page, Route, expect

from schoon.store import Store, productions

from .test_path import drag, on_screen, stage
from .waiting import act, until

pytestmark = pytest.mark.browser


@pytest.fixture
def desk(shot: Page) -> Page:
    shot.goto(shot.url.replace("/line", "/rough").replace("/paint", "/rough"))
    until(
        shot, "document.getElementById('paper').dataset.drawing && globalThis.schoon?.stage.name === 'rough'"
    )
    return shot


def pen(page: Page, points: list[tuple[float, float]], kind: str, pressure: float, tilt: float = 0) -> None:
    """A stroke with pointer events of a kind, at one pressure and tilt."""
    places = [on_screen(page, x, y) for x, y in points]
    page.evaluate(
        """([points, kind, pressure, tilt]) => {
          const paper = document.getElementById('paper');
          document.getElementById('surface').setPointerCapture = () => {};
          const send = (what, [x, y], last) => paper.dispatchEvent(new PointerEvent(what, { pointerId: 9, pointerType: kind,
            pressure: last ? 0 : pressure, tiltX: tilt, clientX: x, clientY: y, bubbles: true, button: 0 }));
          send('pointerdown', points[0]);
          for (const point of points.slice(1)) send('pointermove', point);
          send('pointerup', points.at(-1), true);
        }""",
        [places, kind, pressure, tilt],
    )


def ink(page: Page, x0: int, y0: int, x1: int, y1: int) -> int:
    """Pixels of the pass that have anything, in a box of the drawing."""
    return int(
        page.evaluate(
            f"""[...document.getElementById('sketch').getContext('2d').getImageData({x0}, {y0}, {x1 - x0}, {y1 - y0}).data]
              .filter((v, k) => k % 4 === 3 && v > 8).length"""
        )
    )


def row(y: float) -> list[tuple[float, float]]:
    return [(120 + 6 * k, y) for k in range(60)]


def arrived(page: Page) -> None:
    until(page, "schoon.stage.board.pending === 0")


def test_the_pencil_takes_pressure_tilt_finger_and_mouse(desk: Page) -> None:
    # Without a pen a finger draws; once one was seen it only moves the paper.
    pen(desk, row(240), "touch", 0.5)
    pen(desk, row(60), "pen", 0.15)
    pen(desk, row(120), "pen", 1.0)
    pen(desk, row(180), "pen", 1.0, 70)
    lies = desk.evaluate("schoon.table.view.x")
    pen(desk, row(340), "touch", 0.5)
    assert ink(desk, 100, 315, 500, 365) == 0
    assert desk.evaluate("schoon.table.view.x") > lies + 100
    drag(desk, [(120, 300), (470, 300)])
    light, heavy, side, finger, mouse = (
        ink(desk, 100, y - 25, 500, y + 25) for y in (60, 120, 180, 240, 300)
    )
    assert 0 < light < 0.7 * heavy
    assert side > 1.5 * heavy
    assert finger > 100
    assert mouse > 100
    arrived(desk)
    took = desk.evaluate("schoon.stage.board.took")
    print(f"\npen to picture: {took:.1f} ms")
    assert took < 30
    desk.reload()
    until(desk, "globalThis.schoon && !document.getElementById('sketch').hidden")
    desk.wait_for_timeout(500)
    assert ink(desk, 100, 95, 500, 145) == pytest.approx(heavy, rel=0.02)
    # A stroke is one undo.
    desk.locator("#undo").click()
    until(desk, "document.getElementById('redo').disabled === false")
    desk.wait_for_timeout(500)
    assert ink(desk, 100, 275, 500, 325) == 0
    assert ink(desk, 100, 95, 500, 145) == pytest.approx(heavy, rel=0.02)


def test_strokes_stay_on_the_pass_they_began_when_the_paper_is_drawn_anew(desk: Page) -> None:
    desk.route("**/api/drawings/*/do", lambda route: None)
    drag(desk, [(120, 100), (400, 100)])
    until(desk, "schoon.stage.board.pending > 0")
    desk.evaluate("schoon.table.draw()")
    desk.wait_for_timeout(300)
    drag(desk, [(120, 200), (400, 200)])
    assert ink(desk, 100, 80, 500, 120) > 0
    # What was held is let go.
    desk.unroute("**/api/drawings/*/do")
    arrived(desk)
    expect(desk.locator(".passes li")).to_have_count(2)
    assert ink(desk, 100, 180, 500, 220) > 0


def test_a_drawing_that_is_read_while_strokes_arrive_is_read_again(desk: Page) -> None:
    def slowly(route: Route) -> None:
        desk.wait_for_timeout(600)
        route.continue_()

    desk.route(lambda url: url.split("/api/drawings/")[-1].isdigit(), slowly)
    drag(desk, [(120, 100), (400, 100)])
    arrived(desk)
    expect(desk.locator(".passes li")).to_have_count(2)


def test_passes_are_begun_seen_faintly_and_handed_on(desk: Page) -> None:
    drag(desk, [(120, 100), (400, 100)])
    arrived(desk)
    expect(desk.locator(".passes li")).to_have_count(2)
    desk.locator("#table").focus()
    desk.keyboard.press("Shift+N")
    expect(desk.locator(".passes li")).to_have_count(3)
    assert ink(desk, 100, 80, 500, 120) == 0
    drag(desk, [(120, 200), (400, 200)])
    arrived(desk)
    states = "[...document.querySelectorAll('.passes select')].map((s) => s.value)"
    assert desk.evaluate(states) == ["full", "faint", "faint"]
    desk.locator("[data-hand]").first.click()
    until(desk, f"JSON.stringify({states}) === JSON.stringify(['full', 'hidden', 'hidden'])")
    # Flipping to a neighbour shows its rough and not what is drawn here.
    desk.keyboard.down("3")
    until(desk, "document.getElementById('sketch').hidden")
    desk.keyboard.up("3")
    until(desk, "!document.getElementById('sketch').hidden")
    desk.keyboard.press("o")
    until(desk, "document.querySelectorAll('#paper .onion .rough').length > 0")


def test_rubbing_out_over_chosen_drawings_is_one_undo(desk: Page) -> None:
    desk.evaluate("schoon.chooseTo(schoon.data.run[2].id)")
    before = desk.evaluate("schoon.data.run.map((d) => d.rough)")
    desk.keyboard.press("v")
    drag(desk, [(200, 200), (400, 300)])
    expect(desk.locator("#notice")).to_contain_text("Rubbed out in 3 drawings")
    after = desk.evaluate("schoon.data.run.map((d) => d.rough)")
    assert all(a != b for a, b in zip(before, after, strict=True))
    desk.locator("#undo").click()
    until(desk, f"JSON.stringify(schoon.data.run.map((d) => d.rough)) === JSON.stringify({before!r})")


def test_a_piece_in_the_lasso_is_moved_turned_and_laid_down(desk: Page) -> None:
    drag(desk, [(150, 120), (300, 120)])
    arrived(desk)
    desk.keyboard.press("c")
    drag(desk, [(130, 90), (330, 90), (330, 150), (130, 150), (130, 92)])
    expect(desk.locator("#chosen-bar")).to_contain_text("Piece")
    drag(desk, [(230, 120), (230, 320)])
    corner = desk.evaluate("schoon.stage.piece.corners[1]")
    drag(desk, [tuple(corner), (corner[0] + 60, corner[1] - 20)])
    was = desk.evaluate("schoon.current.revision")
    desk.keyboard.press("Enter")
    expect(desk.locator("#chosen-bar")).to_be_hidden()
    until(desk, f"schoon.current.revision > {was} && schoon.stage.board.known === schoon.current.revision")
    desk.wait_for_timeout(400)
    assert ink(desk, 140, 100, 320, 140) == 0
    assert ink(desk, 100, 240, 500, 380) > 150


def test_a_small_shot_is_made_from_empty_sheets_to_a_gif(page: Page, store: Store) -> None:
    with store.transaction() as cursor:
        productions.create(cursor, "Quay sheets")
    page.goto("/")
    page.locator(".production-head .take-back summary").click()
    form = page.locator(".production-head form.fields")
    for name, value in (
        ("name", "Ball"),
        ("width", "640"),
        ("height", "360"),
        ("sheets", "2"),
        ("hold", "3"),
    ):
        form.locator(f'[name="{name}"]').fill(value)
    form.locator("button").click()
    until(page, "globalThis.schoon?.stage.name === 'rough' && schoon.data.run.length === 2")
    turn = [2 * math.pi * k / 40 for k in range(41)]
    for k, x in enumerate((220, 400)):
        page.evaluate(f"schoon.go(schoon.data.run[{k}].id)")
        until(page, f"document.getElementById('paper').dataset.drawing === '{k + 1}'")
        page.evaluate("schoon.stage.passes.use({ width: 9 })")
        pen(page, [(x + 70 * math.cos(t), 180 + 70 * math.sin(t)) for t in turn], "pen", 0.8)
        arrived(page)
    stage(page, "Line")
    act(page, "clean-all").click()
    expect(page.locator("#job-state")).to_have_text("no jobs", timeout=60_000)
    until(page, "schoon.data.run.every((d) => d.strokes > 0)")
    stage(page, "Paint")
    until(page, "document.querySelectorAll('#paper .patches path').length > 0")
    page.locator("#new-pot input[type=color]").fill("#cc5533")
    # The model that is made for it brings a dock of its own.
    with page.expect_navigation():
        page.locator("#new-pot button", has_text="Add").click()
    until(
        page,
        "globalThis.schoon?.data.pots.length === 1 && document.querySelectorAll('#paper .patches path').length > 0",
    )
    for k, x in enumerate((220, 400)):
        page.evaluate(f"schoon.go(schoon.data.run[{k}].id)")
        until(page, f"document.getElementById('paper').dataset.drawing === '{k + 1}'")
        page.evaluate("schoon.stage.selectPot(schoon.data.pots[0].id, true)")
        page.mouse.click(*on_screen(page, x, 180))
        until(page, f"schoon.data.run[{k}].painted > 0")
    stage(page, "Hand off")
    page.locator("#work-copy").check()
    page.locator(".saver .more summary").nth(1).click()
    page.locator("#gif-width").fill("320")
    with page.expect_download() as saved:
        page.locator("#save-gif").click()
    with Image.open(saved.value.path()) as picture:
        assert picture.n_frames == 2
        for k, x in enumerate((110, 200)):
            picture.seek(k)
            red, green, blue = picture.convert("RGB").getpixel((x, 90))
            assert abs(red - 0xCC) + abs(green - 0x55) + abs(blue - 0x33) < 24
