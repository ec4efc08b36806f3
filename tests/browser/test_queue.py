"""Edits reach the server in order, once, and nothing of them leaves the paper, however slow and forgetful the line is."""

from __future__ import annotations

import random
from typing import Any

import pytest
from playwright.sync_api import Page, Route, expect

from schoon.store import Store, productions, revisions
from schoon.web.statics import address
from schoon.work.documents import line_document

from .chaos import hold, let_go, line_is, unruly
from .test_line import lined, lined_shot, strokes
from .test_path import drag, on_screen, stage
from .waiting import until

pytestmark = pytest.mark.browser


@pytest.fixture
def desk(page: Page, store: Store) -> Page:
    """A shot of three lined drawings with two pots, opened at Line over an unruly line."""
    unruly(page.context)
    shot = lined_shot(store, ("key", "key", "key"), {"Coat": "#edb21f", "Fur": "#8a5a3b"})
    page.goto(f"/shots/{shot}/line")
    until(page, "document.querySelectorAll('#paper .ink path').length > 1")
    return page


SEEN = """() => [...document.querySelectorAll('#paper .ink path[data-id], #paper .waiting path[data-id]')].map((n) => n.dataset.id)"""
AT_REST = "schoon.sync.atRest"


def seen(page: Page) -> set[str]:
    """Ids of the strokes on the paper, those that wait among them."""
    return set(page.evaluate(SEEN))


def in_ink(page: Page) -> list[str]:
    return page.evaluate(
        "[...document.querySelectorAll('#paper .ink path[data-id]')].map((n) => n.dataset.id)"
    )


def at_rest(page: Page) -> None:
    until(page, AT_REST)
    page.wait_for_timeout(900)
    until(page, AT_REST)


def same_as_server(page: Page) -> None:
    """What lies on the paper is what the server has, and of its revision."""
    found = page.evaluate(
        "async () => { const { id } = schoon.current; const line = await (await fetch(`/api/drawings/${id}`)).json();"
        " return [line.revision, line.strokes.map((s) => s.id)]; }"
    )
    assert page.evaluate("schoon.current.revision") == found[0]
    assert sorted(in_ink(page)) == sorted(found[1])


def test_a_stroke_drawn_before_the_last_one_was_answered_stays_beside_it(desk: Page) -> None:
    old = set(in_ink(desk))
    hold(desk)
    drag(desk, [(100, 60), (200, 90), (300, 70)])
    drag(desk, [(100, 120), (200, 150), (300, 130)])
    assert len(seen(desk) - old) == 2
    until(desk, "chaos.waiting.length === 1")
    let_go(desk, 1)
    until(desk, "chaos.waiting.length === 1")
    assert len(seen(desk) - old) == 2
    let_go(desk)
    at_rest(desk)
    assert len(set(in_ink(desk)) - old) == 2
    same_as_server(desk)


def test_undo_takes_back_what_is_on_its_way_and_nothing_older(desk: Page) -> None:
    drag(desk, [(100, 60), (200, 90), (300, 70)])
    at_rest(desk)
    before = sorted(in_ink(desk))
    hold(desk)
    drag(desk, [(100, 120), (200, 150), (300, 130)])
    until(desk, "chaos.waiting.length === 1")
    desk.keyboard.press("Control+z")
    # It is not seen any more, although nothing was answered.
    assert sorted(seen(desk)) == before
    let_go(desk)
    at_rest(desk)
    assert sorted(in_ink(desk)) == before
    same_as_server(desk)
    desk.keyboard.press("Control+Shift+z")
    at_rest(desk)
    assert len(in_ink(desk)) == len(before) + 1


def test_what_was_seen_before_is_shown_as_soon_as_undo_is_answered(desk: Page) -> None:
    before = sorted(in_ink(desk))
    drag(desk, [(100, 60), (200, 90), (300, 70)])
    at_rest(desk)
    after = sorted(in_ink(desk))
    asked: list[Route] = []

    def wait(route: Route) -> None:
        asked.append(route)

    # Nothing else is answered meanwhile.
    for what in ("**/api/shots/*/run?*", "**/api/drawings/*", "**/api/drawings/*/patches"):
        desk.route(what, lambda route: wait(route) if route.request.method == "GET" else route.fallback())
    desk.keyboard.press("Control+z")
    until(desk, f"document.querySelectorAll('#paper .ink path[data-id]').length === {len(before)}")
    assert sorted(in_ink(desk)) == before
    assert desk.locator("#redo").is_enabled()
    desk.keyboard.press("Control+Shift+z")
    for route in asked:
        route.continue_()
    desk.unroute_all()
    at_rest(desk)
    assert sorted(in_ink(desk)) == after
    same_as_server(desk)


def test_a_page_that_may_be_of_before_the_last_answer_is_read_anew(desk: Page) -> None:
    drag(desk, [(100, 60), (200, 90), (300, 70)])
    at_rest(desk)
    assert desk.evaluate("Number(sessionStorage.schoonAnswered) > performance.timeOrigin")
    # As if the answer had come when the next page was on its way already.
    desk.evaluate("() => { sessionStorage.schoonAnswered = Date.now() + 60000; }")
    with desk.expect_request("**/api/shots/*/run?*"):
        desk.reload()
    at_rest(desk)
    same_as_server(desk)


def test_undo_takes_the_last_act_of_whatever_kind_before_it_is_answered(desk: Page) -> None:
    drag(desk, [(100, 60), (200, 90), (300, 70)])
    at_rest(desk)
    before = sorted(in_ink(desk))
    shown = "schoon.data.spans[0][1]"
    long = desk.evaluate(shown)
    hold(desk)
    # What would fall off the end is asked first: nothing is on its way yet.
    desk.keyboard.press("Shift+>")
    until(desk, "chaos.waiting.length === 1")
    desk.keyboard.press("Control+z")
    let_go(desk, 1)
    until(desk, "chaos.waiting.length === 1")
    let_go(desk)
    at_rest(desk)
    assert desk.evaluate(shown) == long
    assert sorted(in_ink(desk)) == before
    # The answer to a stroke that comes after a later act in the sheet does not make the stroke the last one again.
    hold(desk)
    drag(desk, [(100, 120), (200, 150), (300, 130)])
    desk.keyboard.press("Shift+>")
    until(desk, "chaos.waiting.length === 2")
    let_go(desk)
    at_rest(desk)
    assert desk.evaluate(shown) == long + 1
    desk.keyboard.press("Control+z")
    at_rest(desk)
    assert desk.evaluate(shown) == long
    assert len(in_ink(desk)) == len(before) + 1
    same_as_server(desk)


def test_undo_never_takes_back_what_was_not_seen(desk: Page, store: Store) -> None:
    drag(desk, [(100, 60), (200, 90), (300, 70)])
    at_rest(desk)
    with store.transaction() as cursor:
        action = revisions.begin_action(cursor, "clean again")
        document = revisions.put_document(cursor, line_document(lined(20)))
        revisions.revise(cursor, revisions.of(revisions.drawing(cursor, 1)), action, line=document)
    desk.keyboard.press("Control+z")
    expect(desk.locator("#notice")).to_contain_text("changed here meanwhile")
    at_rest(desk)
    same_as_server(desk)
    assert len(in_ink(desk)) == 3
    # Now it is seen, and can be taken back.
    desk.keyboard.press("Control+z")
    expect(desk.locator("#notice")).to_contain_text("Undone: clean again")
    at_rest(desk)
    assert len(in_ink(desk)) == 4


def test_an_undo_whose_answer_is_lost_is_done_once(desk: Page) -> None:
    for y in (60, 120):
        drag(desk, [(100, y), (200, y + 30), (300, y + 10)])
        at_rest(desk)
    before = len(in_ink(desk))
    line_is(desk, lost=1.0)
    desk.keyboard.press("Control+z")
    expect(desk.locator("#notice")).to_contain_text("1 change waits")
    line_is(desk)
    until(desk, f"document.querySelectorAll('#paper .ink path').length === {before - 1}")
    at_rest(desk)
    assert len(in_ink(desk)) == before - 1
    same_as_server(desk)


def test_what_a_closed_tab_has_left_is_sent_once_when_it_comes_back(desk: Page) -> None:
    context = desk.context
    old = set(in_ink(desk))
    other = context.new_page()
    context.route("**/do", lambda route: route.abort())
    drag(desk, [(100, 60), (200, 90), (300, 70)])
    drag(desk, [(100, 120), (200, 150), (300, 130)])
    left = seen(desk) - old
    assert len(left) == 2
    expect(desk.locator("#notice")).to_contain_text("2 changes wait here")
    there = desk.url
    desk.close()
    other.goto(there)
    until(other, "document.querySelectorAll('#paper .waiting path').length === 2")
    assert seen(other) - old == left
    context.unroute("**/do")
    until(other, "document.querySelectorAll('#paper .ink path').length === 5")
    at_rest(other)
    assert set(in_ink(other)) - old == left
    same_as_server(other)
    other.reload()
    until(other, "document.querySelectorAll('#paper .ink path').length === 5")
    assert other.evaluate("document.getElementById('notice').textContent") == ""


def test_two_fields_of_the_finish_changed_at_once_are_both_kept(desk: Page, store: Store) -> None:
    stage(desk, "Tone")
    desk.locator('[data-view="finish"]').click()
    desk.locator("#finish-add").select_option("cast")
    at_rest(desk)
    second = desk.context.new_page()
    second.goto("/shots/1/tone?level=1")
    second.locator('[data-view="finish"]').click()
    if not second.locator(".finish-fields").is_visible():
        second.locator("#ledge-fold").click()
    expect(second.locator('.finish-fields [name="soft"]')).to_be_attached()
    hold(desk)
    desk.locator('.finish-fields [name="opacity"]').fill("0.5")
    desk.locator('.finish-fields [name="opacity"]').dispatch_event("change")
    until(desk, "chaos.waiting.length === 1")
    second.locator('.finish-fields [name="soft"]').fill("9")
    second.locator('.finish-fields [name="soft"]').dispatch_event("change")
    desk.locator('.finish-fields [name="first"]').fill("3")
    desk.locator('.finish-fields [name="first"]').dispatch_event("change")
    let_go(desk)
    at_rest(desk)
    at_rest(second)
    with store.transaction() as cursor:
        (entry,) = productions.shot_of_level(cursor, 1)["finish"]
    assert (entry.opacity, entry.soft, entry.first) == (0.5, 9.0, 3)
    second.close()


def test_the_paper_never_shows_another_drawing_than_it_says_and_the_pen_waits(desk: Page) -> None:
    waiting: list[Any] = []
    desk.route("**/api/drawings/3", lambda route: waiting.append(route))
    first = set(in_ink(desk))
    desk.keyboard.press("d")
    until(desk, "document.getElementById('paper').dataset.drawing === '2'")
    desk.keyboard.press("d")
    expect(desk.locator("#here")).to_contain_text("drawing 3")
    # Neither the drawing before nor its number lies there, and nothing can be drawn on it.
    assert in_ink(desk) == []
    assert desk.evaluate("document.getElementById('paper').dataset.drawing") is None
    drag(desk, [(100, 60), (200, 90), (300, 70)])
    expect(desk.locator("#notice")).to_contain_text("The pen waits until drawing 3 is read")
    assert desk.evaluate("chaos.log.filter((url) => url.endsWith('/do'))") == []
    desk.wait_for_timeout(100)
    while waiting:
        waiting.pop().continue_()
    until(desk, "document.getElementById('paper').dataset.drawing === '3'")
    drag(desk, [(100, 60), (200, 90), (300, 70)])
    at_rest(desk)
    assert len(set(in_ink(desk)) - first) == 4


TRACED = """async (url) => {
  const queue = await import(url);
  window.traced = [];
  const known = new Set();
  queue.onChange(({ subject }) => {
    for (const { op } of queue.waiting(subject)) {
      if (op.do === 'trace' && !known.has(op.id)) { known.add(op.id); window.traced.push(op.id); }
    }
  });
}"""
"""Notes the names of strokes as they are drawn."""

STOPS = ("line", "seal", "paint", "tone", "rough", "proof")


def light(page: Page, stop: str) -> None:
    page.locator(f'.track a[data-stage="{stop}"]').click()


@pytest.mark.parametrize("seed", [3, 11])
def test_whatever_is_done_nothing_is_missing_and_all_is_the_same_at_rest(desk: Page, seed: int) -> None:
    dice = random.Random(seed)
    second = desk.context.new_page()
    second.set_viewport_size({"width": 1280, "height": 800})
    second.goto("/shots/1/line?level=1")
    until(second, "document.querySelectorAll('#paper .ink path').length > 1")
    pages = [desk, second]
    # What each window has drawn on each drawing and not taken back, by id, in order.
    mine: list[dict[int, list[str]]] = [{1: [], 2: [], 3: []} for _ in pages]
    for k, page in enumerate(pages):
        page.evaluate(TRACED, address("js/edits/queue.js"))
        line_is(page, late=dice.choice([60, 250]), lost=0.15, seed=seed + k)

    def check(k: int) -> None:
        """Every stroke of this window's own that stands is on its paper, confirmed or waiting."""
        page = pages[k]
        number = page.evaluate(
            "schoon.table.shown === schoon.current && schoon.stage.name === 'line' ? schoon.current.id : 0"
        )
        if number:
            missing = set(mine[k][number]) - seen(page)
            assert not missing, (k, number, missing)

    for _ in range(60):
        k = dice.randrange(len(pages)) if dice.random() < 0.35 else 0
        page = pages[k]
        act = dice.choice(["stroke"] * 5 + ["step", "step", "stop", "pour", "stitch", "undo", "redo", "wait"])
        lit, current = page.evaluate(
            "[schoon.stage.name, schoon.table.shown === schoon.current ? schoon.current.id : 0]"
        )
        if act == "step":
            page.keyboard.press(dice.choice("ad"))
        elif act == "stop":
            light(page, dice.choice(STOPS) if dice.random() < 0.5 else "line")
        elif act == "wait":
            page.wait_for_timeout(dice.choice([30, 200, 700]))
        elif not current:
            continue
        elif act == "stroke" and lit == "line":
            x, y = dice.uniform(60, 800), dice.uniform(30, 90)
            drag(page, [(x, y), (x + 60, y + 20)])
            mine[k][current] += page.evaluate("window.traced?.splice(0) ?? []")
        elif act == "pour":
            light(page, "paint")
            page.mouse.click(*on_screen(page, 300, 270))
        elif act == "stitch":
            light(page, "seal")
            x = dice.uniform(420, 540)
            drag(page, [(x, 200), (x + 20, 220)])
        elif act in ("undo", "redo") and lit == "line":
            page.keyboard.press("Control+z" if act == "undo" else "Control+Shift+z")
            # What it took back stands at the server: it may be the other window's.
            until(page, AT_REST)
            there = (
                {s["id"] for s in strokes(page)} if page.evaluate("schoon.current.id") == current else set()
            )
            for own in mine if there else []:
                own[current] = [name for name in own[current] if name in there]
        check(k)
    for page in pages:
        line_is(page)
    for page in pages:
        until(page, AT_REST)
    for k, page in enumerate(pages):
        light(page, "line")
        for number in (1, 2, 3):
            page.evaluate("(id) => schoon.go(id)", number)
            at_rest(page)
            until(page, f"schoon.table.shown?.id === {number}")
            same_as_server(page)
            check(k)
    second.close()
