"""Marks that are no lines: seen in tints, taken in by a chip, in a rough whose marks are known."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from schoon.demo.marks import Manner, marked_rough
from schoon.demo.shapes import curve, ellipse
from schoon.formats.pictures import encode_png
from schoon.store import Store, pictures, productions

from .waiting import act, until

pytestmark = pytest.mark.browser

SIZE = (1000, 900)


def rough() -> bytes:
    head = ellipse((480, 330), 170, 210)
    lines = [
        np.vstack([head, head[:1]]),
        curve([(480, 310), (496, 370), (470, 380)]),
        curve([(430, 540), (380, 620), (240, 680), (200, 860)]),
        curve([(540, 538), (600, 620), (720, 680), (770, 860)]),
    ]
    look = Manner(construction=0, hatching=0, notes=5, dirt=0, fading=0.2, grain=0.8)
    return encode_png(marked_rough(lines, SIZE, look, np.random.default_rng(3)).picture)


def sign(store: Store, drawings: int) -> int:
    """A shot whose drawings all have the same rough; its id."""
    with store.transaction() as cursor:
        production = productions.create(cursor, "Quay")
        shot, level = productions.create_shot(cursor, production, "Sign", 24, "Pim", None, None)
        picture = pictures.put(cursor, rough(), "image/png", *SIZE)
        numbers = range(1, drawings + 1)
        roughs = [(n, "key", picture) for n in numbers]
        productions.fill_shot(cursor, shot, level, SIZE, roughs, {n: n for n in numbers}, drawings + 1)
    return int(shot)


def drag(page: Page, path: list[tuple[int, int]]) -> None:
    """Draws along points of the paper, once it lies still and shows the drawing that the pen changes."""
    until(page, "schoon.table.shown === schoon.current")
    before, places = None, [(0.0, 0.0)]
    while places != before:
        before = places
        places = page.evaluate(
            "async (path) => { for (let k = 0; k < 3; k++) await new Promise(requestAnimationFrame);"
            " const onto = schoon.table.paper.root.getScreenCTM();"
            " return path.map(([x, y]) => new DOMPoint(x, y).matrixTransform(onto)).map((p) => [p.x, p.y]); }",
            path,
        )
    page.mouse.move(*places[0])
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*place, steps=6)
    page.mouse.up()


def test_kinds_of_marks_have_chips_and_tints(page: Page, store: Store) -> None:
    shot = sign(store, 1)
    page.goto(f"/shots/{shot}/line")
    page.get_by_role("tab", name="Read roughs").click()
    chip = page.get_by_label("Marks read as notes")
    expect(chip).to_have_value("out")
    expect(page.locator("#paper .marks .mark-note")).to_have_count(1)
    page.locator("#clean-this").click()
    until(
        page, "schoon.current.strokes > 0 && document.getElementById('job-state').textContent === 'no jobs'"
    )
    without = page.evaluate("schoon.current.strokes")
    # Taken in, they lose their tint and become lines.
    chip.select_option("draw")
    expect(page.locator("#paper .marks .mark-note")).to_have_count(0)
    page.locator("#clean-this").click()
    until(page, f"schoon.current.strokes > {without + 5}")
    # With another view of the ledge the tints are gone.
    chip.select_option("out")
    expect(page.locator("#paper .marks .mark-note")).to_have_count(1)
    page.get_by_role("tab", name="Run").click()
    expect(page.locator("#paper .marks path")).to_have_count(0)


def test_a_scribble_says_what_marks_are_and_is_undone(page: Page, store: Store) -> None:
    shot = sign(store, 2)
    page.goto(f"/shots/{shot}/line")
    page.get_by_role("tab", name="Read roughs").click()
    expect(page.get_by_label("Marks read as notes")).to_be_visible()
    # The key of the tool takes it up, and turns through the kinds.
    page.keyboard.press("Shift+I")
    expect(page.locator("#say-kind")).to_have_value("construction")
    page.keyboard.press("Shift+I")
    expect(page.locator("#say-kind")).to_have_value("hatching")
    expect(page.locator("#pen-now")).to_contain_text("hatching")
    # Along a shoulder of the figure.
    drag(page, [(600, 620), (660, 655), (720, 680)])
    expect(page.locator("#paper .said .mark-hatching")).to_have_count(1)
    chip = page.get_by_label("Marks read as hatching")
    expect(chip).to_be_visible()
    expect(page.locator("#taught")).to_contain_text("1 scribble on this drawing")
    page.locator("#undo").click()
    expect(page.locator("#paper .said path")).to_have_count(0)
    expect(page.locator("#taught")).to_contain_text("No scribble")
    page.keyboard.press("Control+Shift+z")
    expect(page.locator("#taught")).to_contain_text("1 scribble")
    page.locator("#unsay").click()
    expect(page.locator("#taught")).to_contain_text("No scribble")
    # A drawing whose lines are right teaches the others and is left alone when all are cleaned.
    page.locator("#clean-this").click()
    until(
        page, "schoon.current.strokes > 0 && document.getElementById('job-state').textContent === 'no jobs'"
    )
    page.locator("#teach").click()
    expect(page.locator("#taught")).to_contain_text("lines of drawing 1")
    revision = page.evaluate("schoon.current.revision")
    act(page, "clean-all").click()
    until(page, "schoon.data.run[1].strokes > 0")
    assert page.evaluate("schoon.current.revision") == revision


def test_what_was_written_on_a_rough_is_kept_as_notes_of_the_shot(page: Page, store: Store) -> None:
    shot = sign(store, 2)
    page.goto(f"/shots/{shot}/line")
    page.get_by_role("tab", name="Read roughs").click()
    page.locator("#keep-notes").click()
    cut = page.locator("#notes .note img")
    until(page, "document.querySelectorAll('#notes .note img').length > 0")
    count = cut.count()
    assert count >= 2
    with store.transaction() as cursor:
        kept = productions.time_of(cursor, shot).notes
    assert {note.drawing for note in kept.values()} == {page.evaluate("schoon.current.id")}
    # Kept once; words beside a picture; a note in words; each is undone like an exposure.
    page.locator("#keep-notes").click()
    expect(page.locator("#notice")).to_contain_text("already")
    field = page.locator("#notes [data-note]").first
    field.fill("hair drags behind")
    field.press("Tab")
    until(page, "Object.values(schoon.data.notes).some((n) => n.words === 'hair drags behind')")
    page.locator('#notes [name="words"]').fill("lamp from the left")
    page.locator("#notes form button", has_text="Keep").click()
    until(page, "document.querySelectorAll('#notes [data-note]').length === " + str(count + 1))
    page.keyboard.press("Control+z")
    until(page, "document.querySelectorAll('#notes [data-note]').length === " + str(count))
    # Another drawing has its own.
    page.evaluate("schoon.go(schoon.data.run[1].id)")
    until(page, "document.querySelectorAll('#notes [data-note]').length === 0")


def test_a_tangled_spot_is_read_in_three_ways_and_one_key_takes_one(page: Page, store: Store) -> None:
    shot = sign(store, 1)
    page.goto(f"/shots/{shot}/line")
    page.get_by_role("tab", name="Read roughs").click()
    page.locator("#clean-this").click()
    until(
        page, "schoon.current.strokes > 0 && document.getElementById('job-state').textContent === 'no jobs'"
    )
    before = page.evaluate("schoon.current.revision")

    def lasso() -> None:
        page.keyboard.press("=")
        drag(page, [(420, 290), (560, 290), (560, 400), (420, 400), (424, 294)])

    lasso()
    offer = page.locator("#tidy-offer [data-how] svg")
    expect(offer).to_have_count(3)
    page.keyboard.press("x")
    expect(page.locator("#tidy-offer")).to_be_hidden()
    assert page.evaluate("schoon.current.revision") == before
    lasso()
    expect(offer).to_have_count(3)
    page.keyboard.press("m")
    until(page, f"schoon.current.revision !== {before}")
    page.keyboard.press("Control+z")
    until(page, f"schoon.current.revision === {before}")
