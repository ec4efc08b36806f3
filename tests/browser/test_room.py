"""The paper has the room: nothing is covered, cut or out of sight at any size, and the words keep to their measure."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from schoon.store import Store, productions

from .conftest import PATIENCE, REACH
from .room import counted, faults
from .test_line import lined_shot
from .waiting import until

pytestmark = pytest.mark.browser

SIZES = {
    "laptop": (1280, 720),
    "small": (1280, 800),
    "wide laptop": (1366, 768),
    "screen": (1600, 900),
    "large": (1920, 1080),
    "very large": (2560, 1440),
    "tablet": (1180, 820),
    "small at 125 %": (1024, 640),
    "large at 200 %": (960, 540),
}
STOPS = ("rough", "line", "seal", "paint", "tone", "proof", "hand-off")
BOXES = ("see-looks", "see-levels", "see-beside")


@pytest.fixture(params=["mouse", "touch"])
def room(request: pytest.FixtureRequest, browser: Browser, address: str, store: Store) -> Iterator[Page]:
    """A shot of three lined drawings with pots, by mouse or by touch."""
    pots = {"Coat": "#edb21f", "Fur": "#8a5a3b", "Lantern glass": "#cfe6e2", "Brass": "#b0803a"}
    shot = lined_shot(store, ("key", "breakdown", "key"), pots)
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, base_url=address, has_touch=request.param == "touch"
    )
    context.set_default_timeout(PATIENCE)
    context.add_init_script(REACH)
    page = context.new_page()
    page.goto(f"/shots/{shot}/line")
    until(page, "document.querySelectorAll('#paper .ink path').length > 0")
    yield page
    context.close()


def light(page: Page, stop: str) -> None:
    page.evaluate(f"schoon.stops.light({stop!r})")
    until(page, f"schoon.stage.name === {stop!r}")


def test_nothing_is_covered_cut_or_out_of_sight(room: Page) -> None:
    wrong: dict[str, list[str]] = {}

    def look(*where: str) -> None:
        found = faults(room)
        if found:
            wrong[" · ".join(where)] = found

    touch = bool(room.evaluate("matchMedia('(pointer: coarse)').matches"))
    sizes = {"tablet": SIZES["tablet"]} if touch else SIZES
    for size, (width, height) in sizes.items():
        room.set_viewport_size({"width": width, "height": height})
        for names in (True, False):
            room.evaluate(f"schoon.tools.rail.names({str(names).lower()})")
            for stop in STOPS:
                light(room, stop)
                for state in ("folded", "open", "large"):
                    room.evaluate(f"schoon.room.ledge({state!r})")
                    views = room.locator("#views .tabs-of:not([hidden]) [role=tab]").all()
                    for view in views if state == "open" and not names else [None]:
                        if view:
                            view.click()
                        look(size, stop, state, view.inner_text() if view else "", "names" if names else "")
        room.evaluate("schoon.room.ledge('folded')")
        light(room, "paint")
        for which in ("paper", "near", "seen", "room"):
            room.locator(f'[data-sights="{which}"]').click()
            look(size, which)
            room.locator(f'[data-sights="{which}"]').click()
        for box in BOXES:
            room.locator('[data-sights="seen"]').click()
            room.locator(f"#{box}").click()
            look(size, box)
            room.locator('[data-sights="seen"]').click()
            room.locator('[data-sights="seen"]').click()
        for turns in ("#play-how", "#see-history", "#sheet-wide", "#dock-open", "#time summary"):
            room.locator(turns).click()
            look(size, turns)
            room.locator("#history-close" if turns == "#see-history" else turns).click()
    assert not wrong, "\n".join(f"{where}: {'; '.join(found[:4])}" for where, found in wrong.items())


def test_the_paper_comes_first_and_words_keep_to_their_measure(room: Page) -> None:
    room.evaluate("schoon.tools.rail.names(false)")
    # A shot as wide as most are, seen whole.
    least = {(1280, 800, "folded"): 0.44, (1280, 800, "open"): 0.28, (1920, 1080, "folded"): 0.55}
    for (width, height, state), share in least.items():
        room.set_viewport_size({"width": width, "height": height})
        for stop in STOPS:
            light(room, stop)
            room.evaluate(f"schoon.room.ledge({state!r})")
            table = room.evaluate(
                "(() => { const box = document.getElementById('table').getBoundingClientRect();"
                " const high = Math.min(box.height - 8, (box.width - 8) * 9 / 16);"
                " return (high * high * 16 / 9) / (innerWidth * innerHeight); })()"
            )
            assert table >= share, (stop, width, state)
            if state == "folded" and width == 1280:
                words = counted(room).words
                assert words <= (150 if stop == "line" else 120), (stop, words)


def test_a_first_shot_says_points_and_sees(room: Page) -> None:
    shot = room.evaluate("schoon.data.shot.id")
    room.goto(f"/shots/{shot}/rough?first")
    card = room.locator("#first")
    expect(card).to_contain_text("1 of 10")
    expect(room.locator("#near")).to_have_class("near pointed")
    for _ in range(2):
        room.keyboard.press("d")
    expect(card).to_contain_text("2 of 10")
    card.get_by_role("button", name="Skip").click()
    # All are lined already, and no gap waits: what is done falls away.
    expect(card).to_contain_text("5 of 10")
    expect(room.locator('.track [data-stage="paint"]')).to_have_class("pointed")
    card.get_by_role("button", name="Take me there").click()
    expect(room.locator("#pots")).to_have_class("pots pointed")
    # It is left, stays away, and is taken up where it was.
    card.get_by_role("button", name="Leave").click()
    expect(card).to_be_hidden()
    expect(room.locator(".pointed")).to_have_count(0)
    room.reload()
    until(room, "schoon.stage.name === 'paint'")
    expect(card).to_be_hidden()
    room.goto(f"/shots/{shot}/paint?first")
    expect(card).to_contain_text("5 of 10")


def test_the_guide_of_the_stop_is_read_beside_the_table(room: Page) -> None:
    light(room, "seal")
    room.keyboard.press("?")
    expect(room.locator("#help-page h1")).to_have_text("Seal")
    expect(room.locator("#help-keys dt").first).to_be_attached()
    light(room, "paint")
    expect(room.locator("#help-page h1")).to_have_text("Paint")
    room.locator("#help-close").click()
    expect(room.locator("#help")).to_be_hidden()


def test_the_run_under_the_paper_goes_by_as_it_is_dragged(room: Page) -> None:
    strip = room.locator("#near button")
    expect(strip).to_have_count(3)
    boxes = [strip.nth(k).bounding_box() for k in range(3)]
    middles = [(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2) for box in boxes if box]
    room.mouse.move(*middles[0])
    room.mouse.down()
    for middle in middles[1:]:
        room.mouse.move(*middle, steps=3)
    room.mouse.up()
    until(room, "schoon.current.number === '3'")
    expect(strip.nth(2)).to_have_attribute("aria-current", "")
    strip.nth(1).click()
    until(room, "schoon.current.number === '2'")
    # Put away, the paper has its room.
    high = room.evaluate("document.getElementById('table').clientHeight")
    room.keyboard.press("8")
    until(room, f"document.getElementById('table').clientHeight > {high} + 60")
    room.keyboard.press("8")
    until(room, f"document.getElementById('table').clientHeight === {high}")


def test_rare_tools_lie_in_a_fold_and_stay_in_sight_while_in_the_hand(room: Page) -> None:
    rail = room.locator("#tray .tray-of:not([hidden])")
    bend = rail.locator('[data-tool="bend"]')
    expect(bend).to_be_hidden()
    rail.get_by_role("button", name="More: correct").click()
    room.locator(".rail-fold").get_by_role("button", name="Bend").click()
    expect(bend).to_have_attribute("aria-pressed", "true")
    expect(bend).to_be_visible()
    expect(room.locator(".rail-fold")).to_have_count(0)
    room.keyboard.press("s")
    expect(bend).to_be_hidden()
    # Those of a view come with it.
    arc = rail.locator('[data-tool="arc"]')
    expect(arc).to_be_hidden()
    room.get_by_role("tab", name="In-betweens").click()
    expect(arc).to_be_visible()
    # Its name and what it does stand beside the pointer at once.
    arc.hover()
    expect(room.locator("#tip")).to_contain_text("bends the way of a line")


def test_a_tool_with_many_settings_keeps_them_folded(room: Page) -> None:
    room.keyboard.press("s")
    steady = room.locator('.slip [aria-label="steady hand"]')
    expect(steady).to_be_hidden()
    room.locator("#slip-more").click()
    expect(steady).to_be_visible()
    room.keyboard.press("v")
    expect(steady).to_be_hidden()
    expect(room.locator('.slip [aria-label="rubs this far"]')).to_be_visible()
    room.keyboard.press("s")
    expect(steady).to_be_visible()


def test_the_dock_folds_to_swatches_and_pots_stand_in_rows(room: Page) -> None:
    light(room, "paint")
    names = room.locator("#pots [data-pot] > span:nth-child(2)")
    expect(names.first).to_be_visible()
    room.locator("#dock-open").click()
    expect(names.first).to_be_hidden()
    room.locator("#pots [data-pot]").nth(1).click()
    expect(room.locator("#pen-now")).to_contain_text("Pour fur")
    room.reload()
    until(room, "schoon.stage.name === 'paint'")
    expect(names.first).to_be_hidden()
    room.locator("#dock-open").click()
    # What is done with the pot in the hand stands above the pots.
    room.locator('#pots-lately [data-now="lock"]').click()
    expect(room.locator('#pots-lately [data-now="lock"]')).to_have_attribute("aria-pressed", "true")
    until(room, "schoon.stage.lockedPots.length === 1")


def test_shots_are_found_and_put_in_order_on_the_shelf(room: Page, store: Store) -> None:
    with store.transaction() as cursor:
        productions.create_shot(cursor, 1, "Attic", 24, "Pim", None, None)
    room.goto("/")
    names = room.locator(".shot-row:not([hidden]) h2 > a")
    expect(names).to_have_text(["Sign", "Attic"])
    room.locator("#sort-shots").select_option("name")
    expect(names).to_have_text(["Attic", "Sign"])
    room.locator("#find-shot").fill("quay sig")
    expect(names).to_have_text(["Sign"])
    expect(room.locator("#found-shots")).to_have_text("1 of 2 shots")
    room.reload()
    expect(names).to_have_text(["Attic", "Sign"])
