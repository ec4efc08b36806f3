"""Every page is open to everybody: checked by axe-core against WCAG 2 A and AA."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page

from .test_path import stage
from .waiting import act, sight, until

pytestmark = pytest.mark.browser

AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text(encoding="utf-8")
RUN = """async () => (await axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'] })).violations
  .map((v) => `${v.id}: ${v.nodes.slice(0, 3).map((n) => `${n.target} ${n.failureSummary}`).join(' | ')}`)"""


def faults(page: Page) -> list[str]:
    # The page's policy lets no script in; what the browser's own tools evaluate is not the page's.
    page.evaluate(AXE)
    return list(page.evaluate(RUN))


def test_no_page_shuts_anybody_out(shot: Page) -> None:
    page = shot
    found = {"rough": faults(page)}
    stage(page, "Line")
    act(page, "clean-all").click()
    until(page, "schoon.data.run.every((d) => d.strokes > 0)")
    page.wait_for_timeout(800)
    found["line"] = faults(page)
    for name in ("Seal", "Paint", "Hand off"):
        stage(page, name)
        until(page, "document.querySelectorAll('#paper .ink path').length > 3")
        page.wait_for_timeout(600)
        found[name] = faults(page)
    sight(page, "see-levels").click()
    page.locator("#see-history").click()
    page.locator("#time summary").click()
    until(page, "document.querySelectorAll('#history-list .deed').length > 0")
    found["history"] = faults(page)
    page.locator("#history-close").click()
    page.locator('[data-sights="room"]').click()
    page.locator('#sights-room [data-wish="theme"]').select_option("dark")
    for name in ("Rough", "Line", "Seal", "Paint", "Tone", "Proof", "Hand off"):
        stage(page, name)
        page.wait_for_timeout(400)
        found[f"{name}, dark"] = faults(page)
    made = page.request.post("/api/levels/1/props/new", data={"name": "Lamp"})
    assert made.ok, made.text()
    prop = f"/props/{made.json()['id']}"
    for theme in ("dark", "light"):
        page.evaluate(f"localStorage.theme = {theme!r}")
        for url in (
            "/",
            "/models/1",
            "/productions/1/take-in",
            "/keys",
            "/nowhere",
            "/guide/paint",
            "/guide?find=stitch",
            prop,
        ):
            page.goto(url)
            for more in page.locator(".of-shot summary").all()[:1]:
                more.click()
            page.wait_for_timeout(400)
            found[f"{url}, {theme}"] = faults(page)
    wrong = [f"{name}: {fault}" for name, faults_ in found.items() for fault in faults_]
    assert not wrong, "\n".join(wrong)
