"""The whole path in a real browser: from roughs to a painted, saved shot."""

from __future__ import annotations

import io
import json
import os
import re
import zipfile
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from .conftest import drawn_roughs
from .waiting import act, until

pytestmark = pytest.mark.browser


def demo_roughs(folder: Path) -> list[Path]:
    """Them as files."""
    for name, body in drawn_roughs().items():
        (folder / name).write_bytes(body)
    return [folder / name for name in drawn_roughs()]


def bench_roughs(folder: Path) -> list[Path]:
    """Two pencil roughs of the bench, if SCHOON_BENCH says where it lies."""
    source = Path(os.environ.get("SCHOON_BENCH", "nowhere")) / "data" / "clean" / "in"
    found = sorted(source.glob("*_rough.png"))[:2]
    if not found:
        pytest.skip("SCHOON_BENCH does not name the bench folder")
    paths = []
    for number, path in enumerate(found, 1):
        paths.append(folder / f"bench_{number}.png")
        paths[-1].write_bytes(path.read_bytes())
    return paths


def set_up(page: Page) -> None:
    """A production with a model of three pots and two colour keys."""
    page.goto("/")
    page.get_by_placeholder("New production").fill("Quay tests")
    page.get_by_placeholder("New production").press("Enter")
    page.get_by_placeholder("New model").fill("Pim")
    page.get_by_placeholder("New model").press("Enter")
    for name, colour in (("Coat", "#edb21f"), ("Fur", "#8a5a3b"), ("Boot", "#2f4a63")):
        page.get_by_placeholder("New pot").fill(name)
        page.get_by_label("Colour of the new pot").fill(colour)
        page.get_by_role("button", name="Add pot").click()
        expect(page.get_by_role("rowheader", name=name)).to_be_visible()
    page.get_by_placeholder("New colour key").fill("Night")
    page.get_by_role("button", name="Add key").click()
    page.get_by_label("Coat in Night", exact=True).fill("#554422")
    expect(
        page.locator(".well", has=page.get_by_label("Coat in Night", exact=True)).locator(".number")
    ).to_have_text("#554422")


def take_in(page: Page, roughs: list[Path], broken: Path) -> None:
    page.goto("/")
    page.get_by_role("link", name="New shot from roughs").click()
    broken.write_bytes(b"no picture")
    page.locator("#chosen").set_input_files([*roughs, broken])
    expect(page.locator("#report")).to_contain_text("broken_99.png is not a readable picture")
    expect(page.get_by_role("button", name="Take in")).to_be_disabled()
    page.locator("#chosen").set_input_files(list(reversed(roughs)))
    expect(page.locator("#report")).to_contain_text(f"{len(roughs)} picture")
    page.get_by_role("textbox", name="Shot").fill("Steps")
    page.get_by_role("button", name="Take in").click()
    expect(page).to_have_url(re.compile(r"/rough"), timeout=20_000)


def revision(page: Page) -> int:
    return int(page.locator("#paper").get_attribute("data-revision") or 0)


def on_screen(page: Page, x: float, y: float) -> tuple[float, float]:
    """Where a point of the drawing lies on the screen, once there is a table to ask."""
    until(page, "schoon.table.view")
    return tuple(
        page.evaluate(
            "([x, y]) => { const [a, b, c, d, e, f] = schoon.table.view.matrix();"
            " const box = document.getElementById('table').getBoundingClientRect();"
            " return [a * x + c * y + e + box.left, b * x + d * y + f + box.top]; }",
            [x, y],
        )
    )


def drag(page: Page, points: list[tuple[float, float]]) -> None:
    page.mouse.move(*on_screen(page, *points[0]))
    page.mouse.down()
    for point in points[1:]:
        page.mouse.move(*on_screen(page, *point), steps=6)
    page.mouse.up()


def stage(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Stages").get_by_role("link", name=name).click()
    expect(page.locator(".track [aria-current]")).to_contain_text(name)
    until(page, "document.getElementById('paper').dataset.drawing")


def took(page: Page) -> dict[str, float]:
    """What the page has measured, ms."""
    measured = "Object.fromEntries(performance.getEntriesByType('measure').map((m) => [m.name, m.duration]))"
    return dict(page.evaluate(measured))


def strokes(page: Page) -> int:
    return page.locator("#paper .ink path").count()


@pytest.mark.parametrize("roughs_of", [demo_roughs, bench_roughs])
def test_from_roughs_to_painted_frames(page: Page, tmp_path: Path, roughs_of) -> None:  # type: ignore[no-untyped-def]
    roughs = roughs_of(tmp_path)
    set_up(page)
    take_in(page, roughs, tmp_path / "broken_99.png")

    # Rough: step and flip by keyboard, play and stop.
    until(page, "document.getElementById('paper').dataset.drawing")
    first = page.locator("#paper").get_attribute("data-drawing")
    page.keyboard.press("d")
    expect(page.locator("#paper")).not_to_have_attribute("data-drawing", first or "")
    page.keyboard.down("1")
    expect(page.locator("#paper")).to_have_attribute("data-drawing", first or "")
    page.keyboard.up("1")
    expect(page.locator("#paper")).not_to_have_attribute("data-drawing", first or "")
    page.keyboard.press("a")
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("aria-label", "Stop")
    until(page, "Number(document.getElementById('screen').dataset.frame) > 1")
    page.keyboard.press("Space")
    expect(page.locator("#screen")).to_be_hidden()

    # Line: clean the run, trace a stroke with the mouse, undo, redo, delete it.
    stage(page, "Line")
    act(page, "clean-all").click()
    expect(page.locator("#job-state")).to_have_text("no jobs", timeout=60_000)
    until(page, "document.querySelectorAll('#paper .ink path').length > 3")
    before = strokes(page)
    page.keyboard.press("s")
    drag(page, [(30, 30), (120, 60), (220, 40), (300, 90)])
    expect(page.locator("#paper .ink path")).to_have_count(before + 1)
    expect(page.locator("#saved")).to_contain_text("saved")
    page.wait_for_timeout(900)
    page.keyboard.press("Control+z")
    expect(page.locator("#paper .ink path")).to_have_count(before)
    page.keyboard.press("Control+Shift+Z")
    expect(page.locator("#paper .ink path")).to_have_count(before + 1)
    print("\npen-up to final line, ms:", round(took(page)["trace"]))
    page.keyboard.press("c")
    drag(page, [(118, 40), (118, 80)])
    expect(page.locator("#paper .ink path.chosen")).to_have_count(1)
    page.keyboard.press("Delete")
    expect(page.locator("#paper .ink path")).to_have_count(before)
    page.reload()
    until(page, "document.querySelectorAll('#paper .ink path').length > 3")
    assert strokes(page) == before

    # Seal: judge every gap by keyboard.
    stage(page, "Seal")
    until(page, "document.querySelectorAll('#paper .patches path').length > 0")
    page.wait_for_timeout(500)
    for _ in range(80):
        if not page.locator(".gap-card").count():
            break
        left = page.locator("#ledge-head .ask").inner_text()
        page.keyboard.press("k")
        until(page, f"document.querySelector('#ledge-head .ask')?.innerText !== {json.dumps(left)}")
    expect(page.locator("#ledge-body .empty")).to_be_visible()
    # What the last judgements still bring has arrived, and the paper lies still.
    page.wait_for_load_state("networkidle")
    page.keyboard.press("0")
    until(page, "schoon.table.view.fitted")
    drag(page, [(20, 20), (60, 20)])
    expect(page.locator("#paper .stitches .taken").last).to_be_attached()

    # Paint: pour by click and by drag, sample, carry, change the key.
    stage(page, "Paint")
    until(page, "document.querySelectorAll('#paper .patches path').length > 0")
    shapes = page.evaluate("fetch(`/api/drawings/${schoon.current.id}/patches`).then((r) => r.json())")
    inside = sorted(
        (p for p in shapes["patches"] if p["n"] != shapes["background"]), key=lambda p: -p["area"]
    )
    coat, fur = inside[0], inside[1]
    page.locator("#pots [data-pot]", has_text="Coat").click()
    was = revision(page)
    page.mouse.click(*on_screen(page, *coat["at"]))
    until(page, f"Number(document.getElementById('paper').dataset.revision) > {was}")
    page.keyboard.press("w")
    expect(page.locator("#pots [aria-selected=true]")).to_contain_text("Fur")
    was = revision(page)
    drag(page, [tuple(fur["at"]), (fur["at"][0] + 1, fur["at"][1] + 1)])
    until(page, f"Number(document.getElementById('paper').dataset.revision) > {was}")
    page.keyboard.press("i")
    page.mouse.click(*on_screen(page, *coat["at"]))
    expect(page.locator("#pots [aria-selected=true]")).to_contain_text("Coat")
    fill = f"getComputedStyle(document.querySelector('#paper .patches [data-n=\"{coat['n']}\"]')).fill"
    assert page.evaluate(fill) == "rgb(237, 178, 31)"
    page.locator("#key").select_option(label="Night")
    assert page.evaluate(fill) == "rgb(85, 68, 34)"
    act(page, "carry").click()
    expect(page.locator("#job-state")).to_have_text("no jobs", timeout=60_000)
    until(page, "schoon.data.run.every((d) => d.painted)")
    print("\nms:", {k: round(v) for k, v in took(page).items()})

    # Hand off: the saved frames carry what was painted, in the chosen key.
    stage(page, "Hand off")
    expect(page.locator("#gif-size")).to_contain_text("about", timeout=30_000)
    # What is open holds the files back until a person waves it through.
    page.locator("#save-png").click()
    expect(page.locator("#notice")).to_contain_text("still open")
    page.locator("#gate-cleared").check()
    with page.expect_download(timeout=60_000) as saved:
        page.locator("#save-png").click()
    with zipfile.ZipFile(io.BytesIO(Path(saved.value.path()).read_bytes())) as archive:
        assert len(archive.namelist()) == 2 * len(roughs)
        shown = page.evaluate("schoon.data.spans.find((span) => span[2] === schoon.current.id)[0]")
        frame = np.asarray(Image.open(archive.open(archive.namelist()[shown - 1])))
    x, y = (int(v) for v in coat["at"])
    assert frame[y, x].tolist() == [85, 68, 34, 255]
    assert frame[int(fur["at"][1]), int(fur["at"][0])].tolist() == [0x8A, 0x5A, 0x3B, 255]
    assert frame[2, 2, 3] == 0
    with page.expect_download(timeout=60_000) as saved:
        page.locator("#save-gif").click()
    with Image.open(saved.value.path()) as picture:
        assert picture.n_frames == len(roughs)


def test_work_waits_in_the_browser_while_the_server_is_away(shot: Page) -> None:
    page = shot
    stage(page, "Line")
    until(page, "document.getElementById('paper').dataset.drawing")
    page.wait_for_timeout(300)
    page.route("**/do", lambda route: route.abort())
    drag(page, [(100, 100), (200, 150), (300, 120)])
    expect(page.locator("#notice")).to_contain_text("waits here")
    assert strokes(page) == 0
    page.unroute("**/do")
    expect(page.locator("#paper .ink path")).to_have_count(1, timeout=8000)
    page.reload()
    expect(page.locator("#paper .ink path")).to_have_count(1)


def test_two_windows_on_one_drawing_keep_both_strokes(shot: Page) -> None:
    page = shot
    stage(page, "Line")
    other = page.context.new_page()
    other.goto(page.url)
    for window in (page, other):
        until(window, "document.getElementById('paper').dataset.drawing")
        window.wait_for_timeout(300)
    drag(page, [(100, 100), (200, 150), (300, 120)])
    expect(page.locator("#saved")).to_contain_text("saved")
    drag(other, [(100, 300), (200, 350), (300, 320)])
    expect(other.locator("#notice")).to_contain_text("both changes are kept")
    page.reload()
    expect(page.locator("#paper .ink path")).to_have_count(2)


def test_the_pen_has_pressure(shot: Page) -> None:
    page = shot
    stage(page, "Line")
    page.wait_for_timeout(300)
    heights = []
    for pressure, y in ((0.1, 120), (1.0, 260)):
        points = [on_screen(page, x, y) for x in range(100, 420, 8)]
        page.evaluate(
            """([points, pressure]) => {
              const paper = document.getElementById('paper');
              document.getElementById('surface').setPointerCapture = () => {};
              const send = (kind, [x, y], last) => paper.dispatchEvent(new PointerEvent(kind, { pointerId: 5,
                pointerType: 'pen', pressure: last ? 0 : pressure, clientX: x, clientY: y, bubbles: true, button: 0 }));
              send('pointerdown', points[0]);
              for (const point of points) send('pointermove', point);
              send('pointerup', points.at(-1), true);
            }""",
            [points, pressure],
        )
        expect(page.locator("#paper .ink path")).to_have_count(len(heights) + 1)
        heights.append(
            page.evaluate("[...document.querySelectorAll('#paper .ink path')].at(-1).getBBox().height")
        )
    assert heights[1] > 2 * heights[0]


def test_the_frame_is_reachable_by_keyboard_and_named(shot: Page) -> None:
    page = shot
    for name in ("Line", "Seal", "Paint", "Hand off"):
        stage(page, name)
        nameless = page.evaluate(
            """[...document.querySelectorAll('button, a, select, input')].filter((n) => n.checkVisibility({ visibilityProperty: true })
              && !(n.innerText || n.ariaLabel || n.title || n.labels?.length || n.querySelector('img[alt]'))).map((n) => n.outerHTML)"""
        )
        assert nameless == []
        small = page.evaluate(
            """[...document.querySelectorAll('body *')].filter((n) => n.offsetParent && [...n.childNodes].some((c) => c.nodeType === 3
              && c.textContent.trim()) && parseFloat(getComputedStyle(n).fontSize) < 13).map((n) => n.outerHTML.slice(0, 90))"""
        )
        assert small == []
        page.keyboard.press("?")
        expect(page.locator("#help-page h1")).to_be_visible()
        page.keyboard.press("Escape")
