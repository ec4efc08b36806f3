"""The stop Proof as a lead uses it: findings by keyboard, waving through, sights, the contact sheet."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from schoon.store import Store, productions, revisions
from schoon.work import edits
from schoon.work.derived import sheet_patches
from schoon.work.operations.paint import Pour

from .test_paint import desk as painted
from .test_path import drag
from .waiting import sight, until

__all__ = ["painted"]

pytestmark = pytest.mark.browser


@pytest.fixture
def desk(painted: Page, store: Store) -> Page:
    """Three rings of one pot, but the second of another."""
    with store.transaction() as cursor:
        (shot,) = productions.shots(cursor)
        rows = productions.drawings(cursor, shot["level_id"])
        pots = [r["pot"] for r in _spots(cursor, rows)]
        for row, pot in zip(rows, (pots[0], pots[2], pots[0]), strict=True):
            _, sheet = edits.load(cursor, row["id"])
            patches = sheet_patches(row["line"], sheet)
            ring = patches.at(300 + 8 * int(row["number"]), 270)
            at = tuple(map(float, patches.anchors[ring]))
            now = revisions.drawing(cursor, row["id"])
            edits.change_drawing(cursor, row["id"], now["head"], Pour(do="pour", points=[at], pot=pot))
    painted.goto(painted.url.replace("/paint", "/proof"))
    until(painted, "document.querySelectorAll('.finding').length === 1")
    return painted


def _spots(cursor, rows):
    found = revisions.get_documents(cursor, [row["paint"] for row in rows])
    return [found[row["paint"]]["patches"][0] for row in rows]


def test_a_flash_is_shown_beside_its_neighbour_and_mended_by_a_key(desk: Page) -> None:
    expect(desk.locator(".finding")).to_contain_text("Flash")
    expect(desk.locator(".finding")).to_contain_text("beside 1")
    desk.locator(".finding").click()
    until(desk, "schoon.current.number === '2'")
    until(desk, "document.querySelectorAll('#paper .found').length === 1")
    assert desk.locator("#proof-axis i").count() == 2
    desk.locator("#table").focus()
    desk.keyboard.press("j")
    expect(desk.locator(".ledge .empty")).to_contain_text("Nothing is wrong")
    until(desk, "document.querySelector('.track [data-stage=proof]').classList.contains('done')")
    desk.locator("#undo").click()
    until(desk, "document.querySelectorAll('.finding').length === 1")


def test_it_is_waved_through_seen_again_and_asked_again(desk: Page) -> None:
    desk.locator("#table").focus()
    desk.locator("#proof-reason").select_option("a blink or wink")
    desk.locator("#table").focus()
    desk.keyboard.press("x")
    expect(desk.locator(".finding")).to_have_count(0)
    desk.reload()
    desk.locator("#proof-waved").check()
    expect(desk.locator(".finding.waved")).to_contain_text("a blink or wink")
    desk.locator("#table").focus()
    desk.keyboard.press("x")
    expect(desk.locator(".finding")).to_have_count(1)
    expect(desk.locator(".finding.waved")).to_have_count(0)


def test_sights_and_the_contact_sheet(desk: Page) -> None:
    desk.locator("#table").focus()
    for way in ("silhouette", "values", "garish", "bare", "plain"):
        desk.keyboard.press("Shift+Z")
        expect(desk.locator("body")).to_have_attribute("data-sight", way)
    desk.get_by_role("tab", name="Contact sheet").click()
    expect(desk.locator(".contact button")).to_have_count(3)
    expect(desk.locator(".contact button").nth(1)).to_contain_text("1 found")
    desk.locator("#contact-area").click()
    drag(desk, [(200, 200), (300, 260), (420, 340)])
    expect(desk.locator("#contact-whole")).to_be_visible()
    desk.locator(".contact button").nth(2).click()
    until(desk, "schoon.current.number === '3'")


def composed(page: Page) -> str:
    return str(page.evaluate("document.querySelector('#paper .composed image').getAttribute('href') ?? ''"))


def test_a_drawing_is_held_against_others_and_seen_as_it_was(desk: Page) -> None:
    desk.evaluate("schoon.go(schoon.data.run[1].id)")
    until(desk, "schoon.current.number === '2'")
    sight(desk, "see-looks").click()
    until(desk, "document.querySelectorAll('#looks-moment option').length > 1")
    ways = desk.locator("#looks-against option").all_inner_texts()
    assert any("what differs" in way for way in ways)
    assert any(way.startswith("as it was") for way in ways)
    desk.locator("#table").focus()
    desk.keyboard.down("Backquote")
    until(desk, "document.querySelector('#paper').classList.contains('as-composed')")
    assert "/against.webp?other=" in composed(desk)
    desk.keyboard.up("Backquote")
    until(desk, "!document.querySelector('#paper').classList.contains('as-composed')")
    was = desk.locator("#looks-moment option").nth(1).get_attribute("value")
    desk.locator("#looks-moment").select_option(was)
    until(desk, "document.querySelector('#paper').classList.contains('as-composed')")
    assert f"revision={was}" in composed(desk)
    loaded = "const i = new Image(); i.src = document.querySelector('#paper .composed image').getAttribute('href'); await i.decode(); return i.naturalWidth;"
    assert desk.evaluate(f"(async () => {{ {loaded} }})()") > 100
    # Another drawing is seen as it is.
    desk.keyboard.press("Escape")
    desk.evaluate("schoon.go(schoon.data.run[2].id)")
    until(desk, "!document.querySelector('#paper').classList.contains('as-composed')")


def test_the_mirrored_paper_is_drawn_on_where_the_pen_is(desk: Page) -> None:
    before = desk.evaluate("schoon.table.view.toPaper(500, 300)")
    desk.evaluate("schoon.looks.mirror()")
    after = desk.evaluate("schoon.table.view.toPaper(500, 300)")
    assert abs(before[1] - after[1]) < 0.01
    assert abs(before[0] - after[0]) > 10
    desk.evaluate("schoon.table.view.around(500, 300, 2, 0.3)")
    held = desk.evaluate("schoon.table.view.toPaper(500, 300)")
    assert [round(v, 3) for v in held] == [round(v, 3) for v in after]


def test_a_span_is_played_once_at_a_quarter_of_the_speed(desk: Page) -> None:
    desk.locator("#play-how").click()
    desk.locator("#play-first").fill("2")
    desk.locator("#play-last").fill("4")
    desk.locator("#play-last").blur()
    desk.locator("#play-speed").select_option("0.25")
    desk.locator("#play-loop").uncheck()
    desk.evaluate(
        "globalThis.frames = []; new MutationObserver(() => frames.push(Number(document.getElementById('screen').dataset.frame)))"
        ".observe(document.getElementById('screen'), { attributes: true, attributeFilter: ['data-frame'] })"
    )
    started = desk.evaluate("performance.now()")
    desk.locator("#play").click()
    until(desk, "frames.at(-1) === 4 && !schoon.player.on")
    # A slow machine may leave one out, and shows none twice.
    assert desk.evaluate("frames") in ([2, 3, 4], [2, 4])
    assert desk.evaluate("performance.now()") - started > 3 * 1000 / 24 * 3


def test_a_note_is_drawn_on_the_paper_and_stays(desk: Page) -> None:
    desk.locator("#notes [data-draw]").click()
    drag(desk, [(300, 250), (340, 280), (380, 250)])
    until(desk, "document.querySelectorAll('#paper .noted .way').length === 1")
    desk.locator("#notes form input[name=words]").fill("rounder")
    desk.locator("#notes form button", has_text="Keep").click()
    until(desk, "Object.values(schoon.data.notes).length === 1")
    desk.reload()
    until(desk, "document.querySelectorAll('#paper .noted .way').length === 1")
    expect(desk.locator("#notes summary")).to_contain_text("1 open")
    desk.evaluate("schoon.go(schoon.data.run[1].id)")
    until(desk, "document.querySelectorAll('#paper .noted .way').length === 0")
