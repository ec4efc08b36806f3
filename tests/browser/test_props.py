"""Rigid props as an artist places them, and the page on which they are built."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from schoon.core.prop import Built, Shape
from schoon.store import Store, productions, props
from schoon.store.props import Made

from .test_line import on_screen, slid
from .waiting import until

CRATE: Made = Built(
    axis=50, shapes=[Shape(kind="box", name="crate", pot=1, path=[(0, 0), (100, 80)], thick=60)]
)


@pytest.fixture
def bench(shot: Page, store: Store) -> Page:
    """The shot at Line, with a crate among its props."""
    with store.transaction() as cursor:
        level = productions.levels(cursor, 1)[0]
        props.add(cursor, 1, level["model_id"], "Crate", "crate", CRATE)
    shot.goto("/shots/1/line")
    until(shot, "document.getElementById('paper').dataset.drawing && globalThis.schoon")
    return shot


def placed(page: Page, drawing: int = 1) -> dict[str, Any]:
    found: dict[str, Any] = page.evaluate(
        "async (d) => Object.values((await (await fetch('/api/levels/1/props')).json()).placed[d] ?? {})[0] ?? {}",
        drawing,
    )
    return found


def saved(page: Page, act: Callable[[], object]) -> None:
    with page.expect_response(lambda r: "/place" in r.url and r.request.method == "POST"):
        act()
    until(page, "!schoon.stage.lines.views.prop.held")


def crates(page: Page) -> int:
    found: int = page.evaluate("schoon.current.line.strokes.filter((s) => s.part === 'crate').length")
    return found


def test_a_prop_is_placed_moved_turned_in_space_and_carried(bench: Page) -> None:
    bench.get_by_role("tab", name="Prop").click()
    saved(bench, lambda: bench.locator('[data-tool="prop"]').click())
    expect(bench.get_by_role("tab", name="Prop")).to_have_attribute("aria-selected", "true")
    expect(bench.locator(".prop-here b")).to_contain_text("Drawing 1: placed by hand")
    first = placed(bench)
    x, y = first["at"]
    # By its body.
    start = on_screen(bench, x + 30, y + 30)
    saved(bench, lambda: slid(bench, start, (start[0] + 40, start[1] - 20)))
    moved = placed(bench)
    assert moved["at"][0] > x + 20
    assert moved["size"] == first["size"]
    # By its ball: it turns in space, and shows more of its edges.
    front = bench.locator("#paper .prop .wire").get_attribute("d")
    start = on_screen(bench, *moved["at"])
    saved(bench, lambda: slid(bench, start, (start[0] + 30, start[1] + 20)))
    turned = placed(bench)
    assert turned["at"] == moved["at"]
    assert abs(turned["turn"][1]) > 0.05
    until(bench, f"document.querySelector('#paper .prop .wire').getAttribute('d') !== {front!r}")
    # By its round handle.
    reach = turned["size"] * 0.62 * 0.5**0.5
    start = on_screen(bench, turned["at"][0] + reach, turned["at"][1] - reach)
    saved(bench, lambda: slid(bench, start, (start[0] + 25, start[1] - 25)))
    assert placed(bench)["size"] > turned["size"] + 10
    # In the next key it comes as it is in the nearest; between them it is carried.
    bench.keyboard.press("Shift+D")
    until(bench, "schoon.current.id === schoon.data.run[2].id")
    saved(bench, lambda: bench.locator("#prop-place").click())
    assert placed(bench, 3)["at"] == placed(bench)["at"]
    bench.locator("#prop-through").click()
    expect(bench.locator("#notice")).to_contain_text("Crate is carried through 1 drawing")
    expect(bench.locator(".prop-strip .carried")).to_have_text("2")
    # A key that moves takes it along, here without a look at its rough.
    bench.locator(".prop-run [name=snap]").uncheck()
    here = placed(bench, 3)["at"]
    bench.locator(".prop-strip .key").last.click()
    start = on_screen(bench, here[0] + 20, here[1] + 20)
    before = placed(bench, 2)["at"]
    saved(bench, lambda: slid(bench, start, (start[0] + 40, start[1])))
    until(bench, "schoon.stage.lines.views.prop.placed[2][1].at[0] > " + str(before[0] + 5))
    bench.locator("#prop-away").click()
    expect(bench.locator(".prop-here b")).to_contain_text("Drawing 3: not here")


def test_without_a_prop_the_tool_says_what_to_do(shot: Page) -> None:
    shot.goto("/shots/1/line")
    until(shot, "document.getElementById('paper').dataset.drawing && globalThis.schoon")
    shot.get_by_role("tab", name="Prop").click()
    shot.locator('[data-tool="prop"]').click()
    expect(shot.locator(".prop-none")).to_be_visible()
    shot.on("dialog", lambda dialog: dialog.accept("Lantern"))
    shot.locator("#prop-new").click()
    shot.wait_for_url("**/props/1?level=1")
    expect(shot.locator(".where")).to_contain_text("Quay tests / Lantern")


def test_forms_are_drawn_over_the_sheet_changed_and_taken_back(bench: Page) -> None:
    bench.goto("/props/1?level=1")
    sheet = bench.locator("#prop-sheet")
    until(bench, "document.querySelectorAll('.prop-list [data-k]').length === 1")
    box = sheet.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    look = bench.locator("#prop-look")
    until(bench, "document.getElementById('prop-look').naturalWidth === 380")
    first = look.get_attribute("src")

    def seen_anew(before: str | None) -> str | None:
        until(bench, f"document.getElementById('prop-look').src !== {before!r}")
        return look.get_attribute("src")

    bench.get_by_role("button", name="Plate").click()
    for dx, dy in ((-60, -40), (60, -40), (0, 60)):
        bench.mouse.click(x + dx, y + dy)
    bench.keyboard.press("Enter")
    expect(bench.locator(".prop-list [data-k]")).to_have_count(2)
    second = seen_anew(first)
    bench.locator(".prop-fields [name=thick]").fill("40")
    bench.locator(".prop-fields [name=thick]").press("Tab")
    third = seen_anew(second)
    # A point is dragged.
    bench.get_by_role("button", name="Move points").click()
    slid(bench, (x, y + 60), (x + 30, y + 80))
    fourth = seen_anew(third)
    path = bench.evaluate(
        "fetch('/props/1').then((r) => r.text()).then((t) => JSON.parse(new DOMParser().parseFromString(t, 'text/html').getElementById('prop-data').textContent).made.shapes[1])"
    )
    assert path["thick"] == 40
    assert path["path"][2][0] > path["path"][0][0]
    bench.keyboard.press("Control+z")
    fifth = seen_anew(fourth)
    bench.locator(".prop-drop").click()
    expect(bench.locator(".prop-list [data-k]")).to_have_count(1)
    sixth = seen_anew(fifth)
    bench.locator("#undo").click()
    expect(bench.locator(".prop-list [data-k]")).to_have_count(2)
    # It is turned by dragging its picture, and by the arrow keys.
    seventh = seen_anew(sixth)
    slid(bench, (1100, 200), (1160, 230))
    eighth = seen_anew(seventh)
    look.press("ArrowLeft")
    seen_anew(eighth)
    for words in ("Bring the prop back", "Take the prop away"):
        bench.locator("#prop-gone").click()
        expect(bench.locator("#prop-gone")).to_have_text(words)
    bench.get_by_role("link", name="Back to Steps").click()
    bench.wait_for_url("**/shots/1/line?level=1")
