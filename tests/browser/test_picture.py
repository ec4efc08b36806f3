"""The page shows what the frame is: the same picture that is played and handed off."""

from __future__ import annotations

import io
from pathlib import Path

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image
from playwright.sync_api import Page

from schoon.store import Store, productions, revisions
from schoon.work.derived import Files
from schoon.work.frames import frame_of, on_white
from schoon.work.renders import drawn_of, wanted_of

from .test_path import on_screen, revision, stage
from .waiting import act, until

pytestmark = pytest.mark.browser

SIZE = (960, 540)


def framed(store: Store, folder: Path, drawing: int) -> NDArray[np.uint8]:
    """(h, w, 3) what the core makes of a drawing."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing)
        shot = productions.shot_of_level(cursor, row["level_id"])
        drawn, _ = drawn_of(cursor, Files(folder), wanted_of(cursor, row, shot))
    return on_white(frame_of([drawn], SIZE)[0])


def shown(page: Page) -> NDArray[np.uint8]:
    """(h, w, 3) what the page shows of the paper, a px of the drawing a px of the screen."""
    page.set_viewport_size({"width": 1500, "height": 960})
    page.evaluate("schoon.room.ledge('folded')")
    page.evaluate(
        "for (const n of document.querySelectorAll('.slip, .sights, #waiting')) n.style.display = 'none'"
    )
    page.wait_for_timeout(400)
    page.evaluate(
        "Object.assign(schoon.table.view, { zoom: 1, turn: 0, x: 0, y: 0, fitted: false }); schoon.table.view.onChange();"
    )
    page.wait_for_timeout(300)
    x, y = on_screen(page, 0, 0)
    body = page.screenshot(clip={"x": x, "y": y, "width": SIZE[0], "height": SIZE[1]})
    return np.asarray(Image.open(io.BytesIO(body)).convert("RGB"))


def test_page_and_frame_agree(shot: Page, store: Store, tmp_path: Path) -> None:
    page = shot
    stage(page, "Line")
    act(page, "clean-all").click()
    until(
        page,
        "document.getElementById('job-state').textContent === 'no jobs' && schoon.data.run[2].strokes > 0",
    )
    stage(page, "Paint")
    until(page, "document.querySelectorAll('#paper .patches path').length > 0")
    for pot in (0, 1):
        page.locator("#pots [data-pot]").nth(pot).click()
        patches = page.evaluate("fetch(`/api/drawings/${schoon.current.id}/patches`).then((r) => r.json())")
        inside = sorted(
            (p for p in patches["patches"] if p["n"] != patches["background"]), key=lambda p: -p["area"]
        )
        was = revision(page)
        page.mouse.click(*on_screen(page, *inside[pot]["at"]))
        until(page, f"Number(document.getElementById('paper').dataset.revision) > {was}")
    drawing = page.evaluate("schoon.current.id")
    # A tone over half of the larger patch: it is the same in both, too.
    x, y = inside[0]["at"]
    path = [[x, y - 400], [x + 400, y - 400], [x + 400, y + 400], [x, y + 400]]
    page.evaluate(
        "async (path) => { const { id, revision } = schoon.current;"
        " const change = { do: 'tone', id: '00000000aa', kind: 'shade', path, steady: 0 };"
        " await fetch(`/api/drawings/${id}/do`, { method: 'POST', headers: { 'content-type': 'application/json',"
        " 'x-schoon-token': '0'.repeat(32) }, body: JSON.stringify({ base: revision, do: change }) }); }",
        path,
    )
    stage(page, "Hand off")
    until(page, "document.querySelectorAll('#paper .ink path').length > 3")
    until(page, "document.querySelectorAll('#paper .tones > g > path').length > 0")
    page.wait_for_timeout(500)
    seen, made = shown(page).astype(int), framed(store, tmp_path, drawing)
    apart = np.abs(seen - made).max(axis=2)
    around = np.ones((5, 5), np.uint8)
    contrast = (cv2.dilate(made, around).astype(int) - cv2.erode(made, around)).max(axis=2)
    assert (contrast > 100).sum() > 5000
    even = contrast == 0
    assert np.mean(apart[even] > 2) < 1e-5
    edges = contrast > 24
    share = apart[edges] / contrast[edges]
    # The browser itself knows four steps from row to row: a few of its edges are farther off.
    assert np.quantile(share, 0.99) < 0.12
    assert share.mean() < 0.03
