"""Marks that are no lines: seen in tints, taken in by a chip, in a rough whose marks are known."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from schoon.demo.marks import Manner, marked_rough
from schoon.demo.shapes import curve, ellipse
from schoon.formats.pictures import encode_png
from schoon.store import Store, pictures, productions

from .waiting import until

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


def test_kinds_of_marks_have_chips_and_tints(page: Page, store: Store) -> None:
    with store.transaction() as cursor:
        production = productions.create(cursor, "Quay")
        shot, level = productions.create_shot(cursor, production, "Sign", 24, "Pim", None, None)
        picture = pictures.put(cursor, rough(), "image/png", *SIZE)
        productions.fill_shot(cursor, shot, level, SIZE, [(1, "key", picture)], {1: 1}, 2)
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
