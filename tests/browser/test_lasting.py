"""What a hand does reaches the server once, whatever happens between; and names are text on every page."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, Route, expect

from schoon.core.paint import Paint
from schoon.store import Store, models, pictures, productions, revisions
from schoon.work import edits
from schoon.work.derived import sheet_patches
from schoon.work.documents import line_document, paint_document, spots_of
from schoon.work.operations.model import AddPicture

from .. import hands
from .test_line import SIZE, lined, rough
from .test_path import drag, on_screen, stage
from .waiting import sight, until

pytestmark = pytest.mark.browser

TRAP = "<img src=x onerror=\"document.title='trapped'\">'&amp;"
"""A name that would do something if it were taken for markup."""


@pytest.fixture
def trapped(page: Page, store: Store) -> Page:
    """A painted shot in which everything that has a name has a trap for one."""
    with store.transaction() as cursor:
        production = productions.create(cursor, f"P {TRAP}")
        model = models.create(cursor, production, f"M {TRAP}")
        key = models.add_key(cursor, model, f"K {TRAP}", "#1d2b3a", "#ffffff", {})
        pots = [
            models.add_pot(cursor, model, f"{n} {TRAP}", c, f"part {TRAP}")
            for n, c in (("Coat", "#edb21f"), ("Fur", "#8a5a3b"))
        ]
        sheet = pictures.put(cursor, rough(8), "image/png", *SIZE)
        edits.change_model(cursor, model, AddPicture(do="add-picture", caption=f"C {TRAP}", sha256=sheet))
        shot, level = productions.create_shot(cursor, production, f"S {TRAP}", 24, f"L {TRAP}", model, key)
        rows = [(k, "key", pictures.put(cursor, rough(8 * k), "image/png", *SIZE)) for k in (1, 2, 3)]
        productions.fill_shot(cursor, shot, level, SIZE, rows, {1: 1, 3: 2, 5: 3}, 6)
        aside = productions.add_level(cursor, shot, f"A {TRAP}", model, key)
        productions.add_level(cursor, shot, f"B {TRAP}", model, key)
        hands.put_aside(cursor, aside, True)
        for row in productions.drawings(cursor, level):
            action = revisions.begin_action(cursor, f"paint {TRAP}")
            strokes = [type(s)(**{**vars(s), "part": f"part {TRAP}"}) for s in lined(8 * int(row["number"]))]
            name = revisions.put_document(cursor, line_document(strokes))
            revisions.revise(cursor, revisions.of(revisions.drawing(cursor, row["id"])), action, line=name)
            now, sheet = edits.load(cursor, row["id"])
            patches = sheet_patches(now["line"], sheet)
            ring = patches.at(300 + 8 * int(row["number"]), 270)
            paint = (
                Paint(pots[0]) if row["number"] == "1" else Paint(pots[0], 0.8, "carried", others=(pots[1],))
            )
            document = revisions.put_document(cursor, paint_document(spots_of({ring: paint}, patches)))
            revisions.revise(cursor, revisions.of(now), action, paint=document)
    return page


def untrapped(page: Page, *texts: str) -> None:
    """The names are seen as they were written, and did nothing."""
    for text in texts:
        expect(page.locator("body")).to_contain_text(f"{text} {TRAP}")
    assert page.evaluate("document.title") != "trapped"
    assert page.evaluate("document.querySelectorAll('img[src=x]').length") == 0


def test_names_are_text_on_every_page(trapped: Page) -> None:
    page = trapped
    page.goto("/")
    untrapped(page, "P", "M", "S")
    page.goto("/models/1")
    untrapped(page, "M", "K", "Coat", "C")
    page.locator(".pot-delete").first.click()
    expect(page.locator("#pot-replace")).to_be_visible()
    untrapped(page)
    page.goto("/productions/1/take-in?shot=1")
    untrapped(page, "P")
    for name in ("rough", "line", "seal", "paint", "hand-off"):
        page.goto(f"/shots/1/{name}?level=1")
        until(page, "document.getElementById('paper').dataset.drawing")
        sight(page, "see-levels").click()
        untrapped(page, "L", "A", "B", "M", "Coat")
        tabs = page.locator("#ledge-head [role=tab]")
        for k in range(tabs.count()):
            tabs.nth(k).click()
            page.wait_for_timeout(150)
            untrapped(page)
    # The ledger's cells and the queue's cards are made late, from what they fetch.
    page.goto("/shots/1/paint?level=1")
    page.locator('[data-view="ledger"]').click()
    expect(page.locator(".ledger .cell").first).to_be_visible()
    until(page, "document.querySelectorAll('.ledger .cell i[style]').length > 0")
    label = page.locator(".ledger .cell").first.get_attribute("aria-label") or ""
    assert label.startswith(f"Coat {TRAP} in drawing 1")
    untrapped(page, "Coat")
    page.locator('[data-view="unsure"]').click()
    expect(page.locator(".unsure-card").first).to_be_visible()
    untrapped(page, "Coat")
    page.goto("/shots/1/line?level=1")
    page.locator("#parts .name").first.wait_for()
    untrapped(page, "part")


def test_a_name_of_a_file_is_text(trapped: Page, tmp_path: Path) -> None:
    page = trapped
    page.goto("/productions/1/take-in")
    name = "<b onmouseover=alert(1)>x<b>7.png"
    page.locator("#chosen").set_input_files(
        [
            {"name": name, "mimeType": "image/png", "buffer": rough(8)},
            {"name": "<i>.png", "mimeType": "image/png", "buffer": b"no"},
        ]
    )
    expect(page.locator("#report")).to_contain_text("<i>.png has no number in its name")
    page.locator("#chosen").set_input_files([{"name": name, "mimeType": "image/png", "buffer": rough(8)}])
    expect(page.locator("#report")).to_contain_text(name)
    assert page.evaluate("document.querySelectorAll('#report b, #report i').length") == 0


def slowly(page: Page, *scripts: str) -> None:
    """Scripts come late, as over a slow line."""

    def late(route: Route) -> None:
        page.wait_for_timeout(1500)
        route.continue_()

    for script in scripts:
        page.route(f"**/{script}", late)


def test_files_chosen_before_the_script_has_come_are_looked_at(trapped: Page) -> None:
    page = trapped
    slowly(page, "htmx.min.js", "take_in.js")
    page.goto("/productions/1/take-in", wait_until="commit")
    page.locator("#chosen").set_input_files([{"name": "a1.png", "mimeType": "image/png", "buffer": rough(8)}])
    assert page.evaluate("typeof window.htmx") == "undefined"
    expect(page.locator("#report")).to_contain_text("1 picture")


def test_a_colour_changed_before_the_script_has_come_is_kept(trapped: Page) -> None:
    page = trapped
    slowly(page, "model.js")
    page.goto("/models/1", wait_until="commit")
    well = page.locator(".well input").first
    well.fill("#123456")
    expect(page.locator(".well .number").first).to_have_text("#123456")
    page.unroute("**/model.js")
    page.reload()
    expect(page.locator(".well .number").first).to_have_text("#123456")


def test_changes_wait_while_the_database_is_away_and_are_done_once(trapped: Page, store: Store) -> None:
    page = trapped
    page.goto("/shots/1/paint?level=1")
    until(page, "document.querySelectorAll('#paper .patches path').length > 0")
    answers: list[int] = []

    def away(route: Route) -> None:
        # The first time it is done and only the answer is lost; then the database is away for a while.
        answers.append(route.fetch().status if not answers else 503)
        route.fulfill(status=503, json={"error": "The database does not answer; nothing was changed"})

    page.route(re.compile(r"/do$"), away)
    page.locator("#pots [data-pot]").nth(1).click()
    page.mouse.click(*on_screen(page, 308, 270))
    expect(page.locator("#notice")).to_contain_text("1 change waits here")
    page.wait_for_timeout(1700)
    assert len(answers) >= 2
    page.unroute(re.compile(r"/do$"))
    expect(page.locator("#notice")).not_to_contain_text("waits here")
    until(
        page, "schoon.current.revision > 0 && document.getElementById('saved').textContent.includes('saved')"
    )
    assert answers[0] == 200
    with store.transaction() as cursor:
        cursor.execute("SELECT COUNT(*) AS n FROM actions WHERE label LIKE 'pour into%'")
        assert cursor.fetchone()["n"] == 1
        _, sheet = edits.load(cursor, 1)
    assert [s.pot for s in sheet.spots] == [2]


def test_a_stroke_drawn_while_its_answer_is_lost_is_there_once(trapped: Page) -> None:
    page = trapped
    page.goto("/shots/1/line?level=1")
    until(page, "document.getElementById('paper').dataset.drawing")
    page.wait_for_timeout(300)
    before = page.locator("#paper .ink path").count()
    lost: list[int] = []

    def lose(route: Route) -> None:
        if not lost:
            lost.append(route.fetch().status)
            route.abort()
        else:
            route.continue_()

    page.route("**/do", lose)
    drag(page, [(100, 100), (200, 150), (300, 120)])
    expect(page.locator("#paper .ink path")).to_have_count(before + 1)
    page.reload()
    expect(page.locator("#paper .ink path")).to_have_count(before + 1)
    assert lost == [200]


def test_no_script_is_evaluated_from_text(trapped: Page) -> None:
    page = trapped
    said: list[str] = []
    page.on("console", lambda message: said.append(message.text) if message.type == "error" else None)
    for address in ("/", "/models/1", "/productions/1/take-in"):
        page.goto(address)
        page.wait_for_timeout(100)
    for name in ("Line", "Seal", "Paint", "Hand off"):
        page.goto("/shots/1/rough?level=1")
        stage(page, name)
        page.wait_for_timeout(200)
    assert [text for text in said if "Content Security Policy" in text] == []
