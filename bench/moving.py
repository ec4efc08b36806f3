"""Makes the moving pictures that stand beside a tool of the rail: each tool is used on the demo, as a hand would, and the
paper is filmed.

Usage: bench/moving.py http://127.0.0.1:8023 [STOP-TOOL …]

Edits of drawings are undone again; where the prop was placed and what was poured through the whole run stays: use a demo of its
own.
"""

from __future__ import annotations

import argparse
import io
import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image, ImageDraw
from playwright.sync_api import Page, sync_playwright
from scipy.interpolate import CubicSpline

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.browser.conftest import FLAGS, REACH
from tests.browser.waiting import until

FOLDER = Path(__file__).parents[1] / "schoon" / "web" / "static" / "moving"
SHOT = 1
SEEN = (336, 210)
"""Px of the screen that are filmed, about the middle of the table."""
SIZE = (240, 150)
STEPS = 16
"""Pictures of a drag."""
MOVES, RESTS = 60, 1100
"""Milliseconds a picture is seen: while the pen moves, and when it is done."""

Point = tuple[float, float]


@dataclass(frozen=True)
class Scene:
    """What is done with a tool on a drawing of *Stair*. box: left, top, right, bottom of what is seen, px of the drawing.
    acts: ("drag", points), ("click", point), ("on", point) for a click on the line that is nearest, ("key", key),
    ("wait", ms), each seen; first: done before, unseen. taken: whether the tool is taken before."""

    drawing: str
    box: tuple[float, float, float, float]
    acts: Sequence[tuple[str, object]]
    first: Callable[[Page], object] = field(default=lambda page: None)
    taken: bool = True


def view(name: str) -> Callable[[Page], object]:
    """Opens a view of the run."""
    return lambda page: page.evaluate(f"schoon.stage.openView('{name}')")


def seen(layer: str, view: str = "") -> Callable[[Page], object]:
    """Shows a layer that is hidden otherwise, and opens a view of the run."""

    def do(page: Page) -> None:
        if view:
            page.evaluate(f"schoon.stage.openView('{view}')")
        page.evaluate(f"schoon.table.paper.layers['{layer}'].style.visibility = ''")

    return do


def potted(name: str) -> Callable[[Page], object]:
    """Takes a pot."""
    return lambda page: page.locator("#pots [data-pot]", has_text=name).first.click()


def using(tool: str, *acts: tuple[str, object], then: str = "") -> Callable[[Page], object]:
    """Does something with another tool; then takes a pot."""

    def do(page: Page) -> None:
        page.evaluate(f"schoon.tools.use('{tool}')")
        for what, how in acts:
            _act(page, what, how)
            page.wait_for_timeout(2500)
        if then:
            potted(then)(page)

    return do


def ring(x: float, y: float, wide: float, high: float | None = None) -> list[Point]:
    """Once round a place."""
    turns = np.linspace(0, 2 * np.pi, 13)
    return [(x + wide * np.cos(t), y + (high or wide) * np.sin(t)) for t in turns]


HEAD = (700.0, 100.0, 1060.0, 325.0)
COAT = (730.0, 470.0, 1034.0, 660.0)
TAIL = (540.0, 540.0, 812.0, 710.0)
LANTERN = (820.0, 440.0, 1140.0, 640.0)

SCENES = {
    "rough-pencil": Scene("7", COAT, [("drag", [(850, 520), (876, 580), (866, 650)]), ("drag", [(866, 530), (892, 600), (880, 655)])]),
    "rough-rub": Scene("7", HEAD, [("drag", [(800, 180), (880, 150), (960, 190), (880, 230), (810, 220)])]),
    "rough-piece": Scene("7", TAIL, [("drag", ring(606, 620, 55, 70)), ("drag", [(600, 620), (650, 600)])]),
    "line-trace": Scene("7", COAT, [("drag", [(866, 490), (886, 560), (876, 640)])]),
    "line-redraw": Scene("7", HEAD, [("drag", [(788, 222), (812, 150), (880, 136), (950, 150), (978, 215)])]),
    "line-plot": Scene("7", COAT, [("click", (866, 490)), ("click", (890, 560)), ("click", (870, 640)), ("key", "Enter")]),
    "line-rub": Scene("7", HEAD, [("drag", [(900, 120), (908, 160), (916, 236)])]),
    "line-choose": Scene("7", COAT, [("on", (823, 645)), ("drag", [(823, 645), (846, 622)])]),
    "line-points": Scene("7", TAIL, [("on", (620, 655)), ("dot", ((620, 655), (590, 690)))]),
    "line-trim": Scene("7", HEAD, [("on", (768, 190))], using("trace", ("drag", [(752, 196), (850, 172), (910, 168)]))),
    "line-bend": Scene("7", TAIL, [("drag", [(584, 574), (560, 620)])]),
    "line-cut": Scene("7", TAIL, [("on", (640, 690)), ("key", "c"), ("drag", [(625, 676), (610, 700)])]),
    "line-weigh": Scene("7", HEAD, [("drag", [(786, 220), (806, 150), (880, 122), (960, 160), (978, 220)])] * 3),
    "line-lay-over": Scene("7", HEAD, [("drag", [(900, 210), (850, 240), (912, 204)])], seen("onion")),
    "line-say": Scene("7", HEAD, [("drag", [(770, 200), (810, 260), (770, 270), (810, 310)])], seen("rough", "read")),
    "line-tidy": Scene("7", (840, 420, 1060, 557), [("drag", ring(960, 480, 50, 36)), ("wait", 3000)], view("read")),
    "line-arc": Scene("4", (430, 560, 750, 760), [("on", (480, 640)), ("wait", 8000), ("wait", 300)], view("between")),
    "line-sway": Scene("7", TAIL, [("dot", ((584, 574), (620, 560)))], view("hold")),
    "line-prop": Scene("7", LANTERN, [("drag", [(1020, 560), (975, 552)])], view("prop")),
    "seal-stitch": Scene("7", HEAD, [("drag", [(797, 185), (908, 165)])]),
    "seal-delete": Scene("7", HEAD, [("click", (850, 176))], using("stitch", ("drag", [(797, 185), (908, 165)]))),
    "seal-leak": Scene("8", (880, 600, 1104, 740), [("drag", [(980, 672), (1040, 716)]), ("wait", 1500), ("key", "j"), ("wait", 1500)]),
    "seal-choose": Scene("7", HEAD, [("click", (850, 176))], using("stitch", ("drag", [(797, 185), (908, 165)]))),
    "paint-pour": Scene("7", HEAD, [("click", (840, 180)), ("click", (940, 200))], using("lift", ("click", (840, 180)), ("click", (940, 200)), then="Hat")),
    "paint-ring": Scene("7", HEAD, [("drag", ring(882, 180, 130, 75))], using("lift", ("click", (840, 180)), ("click", (940, 200)), then="Hat")),
    "paint-cut-out": Scene("7", COAT, [("drag", ring(860, 560, 26, 34))], potted("Stripe")),
    "paint-broad": Scene("7", COAT, [("drag", [(790, 540), (840, 550), (860, 600)])], potted("Stripe")),
    "paint-lift": Scene("7", HEAD, [("click", (840, 180)), ("click", (940, 200))]),
    "paint-sample": Scene("7", HEAD, [("click", (830, 290)), ("key", "f"), ("click", (840, 180))]),
    "paint-part": Scene("7", HEAD, [("click", (840, 180))], lambda page: page.evaluate("schoon.stage.part.part = 'scarf'")),
    "paint-whole-run": Scene("11", (730, 60, 1090, 285), [("click", (860, 160)), ("wait", 9000)], potted("Glass")),
    "paint-base": Scene("7", HEAD, [("key", "Shift+F"), ("wait", 1500)], using("lift", ("click", (840, 180)), ("click", (940, 200)), then="Hat"), taken=False),
    "tone-sun": Scene("7", (560, 100, 1110, 444), [("drag", [(900, 160), (640, 200)])]),
    "tone-block": Scene("7", COAT, [("drag", ring(820, 560, 50, 40))]),
    "tone-edge": Scene("7", COAT, [("drag", [(820, 490), (845, 580), (835, 665)])]),
    "tone-brush": Scene("7", COAT, [("drag", [(790, 520), (830, 560), (820, 600)])]),
    "tone-take": Scene("7", COAT, [("drag", ring(850, 585, 30, 40))], using("block", ("drag", ring(820, 560, 50, 40)))),
    "tone-choose": Scene("7", COAT, [("click", (820, 560)), ("drag", [(820, 560), (850, 540)])], using("block", ("drag", ring(820, 560, 40, 34)))),
}  # fmt: skip
"""STOP-TOOL -> what is done with it."""


def _at(page: Page, point: Point) -> Point:
    x, y = page.evaluate(f"onScreen({[float(v) for v in point]})")
    return x, y


def _act(
    page: Page, what: str, how: Any, seen: Callable[[Point, bool, int], object] = lambda *_: None
) -> None:
    """Does one thing as a hand would; seen is told where the pen is, whether it presses, and for how long that is seen."""
    if what in ("drag", "dot"):
        if what == "dot":
            x, y = page.evaluate(f"onDot({list(how[0])})")
            path = [(x, y), _at(page, how[1])]
        else:
            path = [_at(page, point) for point in smooth(how)]
        path = along(path)
        page.mouse.move(*path[0])
        page.mouse.down()
        for place in path:
            page.mouse.move(*place)
            page.wait_for_timeout(30)
            seen(place, True, MOVES)
        page.mouse.up()
        seen(path[-1], False, 200)
    elif what in ("click", "on"):
        x, y = page.evaluate(f"onLine({list(how)})") if what == "on" else _at(page, how)
        page.mouse.move(x, y)
        seen((x, y), False, 300)
        page.mouse.click(x, y)
        seen((x, y), True, 200)
        page.wait_for_timeout(400)
        seen((x, y), False, 300)
    elif what == "key":
        page.keyboard.press(how)
    else:
        page.wait_for_timeout(how)


def smooth(points: Sequence[Point]) -> list[Point]:
    """The points as a curve."""
    if len(points) < 3:
        return list(points)
    curve = CubicSpline(range(len(points)), np.array(points, float))
    return [(float(x), float(y)) for x, y in curve(np.linspace(0, len(points) - 1, 8 * len(points)))]


def along(points: Sequence[Point]) -> list[Point]:
    """A path in even steps."""
    path = np.array(points, float)
    way = np.r_[0, np.cumsum(np.hypot(*np.diff(path, axis=0).T))]
    steps = np.linspace(0, way[-1], STEPS)
    return [
        (float(x), float(y))
        for x, y in zip(*(np.interp(steps, way, path[:, k]) for k in (0, 1)), strict=True)
    ]


class Film:
    """Pictures of the table with the pen over it."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.pictures: list[Image.Image] = []
        self.times: list[int] = []
        table = page.evaluate("document.getElementById('table').getBoundingClientRect().toJSON()")
        # `View.frame` keeps room above the paper.
        x, y = table["x"] + table["width"] / 2, table["y"] + table["height"] / 2 + 21
        self.clip = {"x": x - SEEN[0] / 2, "y": y - SEEN[1] / 2, "width": SEEN[0], "height": SEEN[1]}

    def take(self, at: Point, held: bool, ms: int = MOVES) -> None:
        picture = Image.open(io.BytesIO(self.page.screenshot(clip=self.clip))).convert("RGB")  # type: ignore[arg-type]
        large = picture.resize((2 * SEEN[0], 2 * SEEN[1]))
        x, y = 2 * (at[0] - self.clip["x"]), 2 * (at[1] - self.clip["y"])
        lift = 0 if held else 8
        x, y = x + lift, y - lift
        pen = ImageDraw.Draw(large)
        body = [(x, y), (x + 12, y - 28), (x + 44, y - 62), (x + 60, y - 46), (x + 28, y - 12)]
        pen.polygon(body, fill="#fffdf8", outline="#1d2b3a", width=3)
        pen.polygon([(x, y), (x + 7, y - 16), (x + 16, y - 7)], fill="#0b7a75" if held else "#1d2b3a")
        self.pictures.append(large.resize(SIZE, Image.Resampling.LANCZOS))
        self.times.append(ms)

    def write(self, path: Path) -> None:
        first, *others = self.pictures
        first.save(
            path, save_all=True, append_images=others, duration=self.times, loop=0, quality=62, method=6
        )


def played(page: Page, scene: Scene) -> Film:
    """Does what a scene says, and films it."""
    page.evaluate(f"looked({list(scene.box)})")
    page.wait_for_timeout(700)
    film = Film(page)
    here = _at(page, (scene.box[2] - 60, scene.box[3] - 30))

    def seen(at: Point, held: bool, ms: int) -> None:
        nonlocal here
        here = at
        film.take(at, held, ms)

    seen(here, False, 400)
    for what, how in scene.acts:
        _act(page, what, how, seen)
        film.take(here, False, 250)
    until(page, "!document.querySelector('#notice').classList.contains('on')")
    page.wait_for_timeout(900)
    film.take(here, False, RESTS)
    return film


HELPERS = """
globalThis.onScreen = (p) => {
  const q = new DOMPoint(...p).matrixTransform(schoon.table.paper.root.getScreenCTM());
  return [q.x, q.y];
};
globalThis.looked = ([x0, y0, x1, y1]) => {
  const { view } = schoon.table;
  const box = view.element.getBoundingClientRect();
  view.frame([x0, y0, x1, y1], 1);
  const zoom = Math.min(SEENX / (x1 - x0), SEENY / (y1 - y0));
  view.around(box.left + box.width / 2, box.top + box.height / 2 + 21, zoom / view.zoom, 0);
};
const nearest = (places, p) => {
  const [x, y] = onScreen(p);
  return places.sort((a, b) => Math.hypot(a[0] - x, a[1] - y) - Math.hypot(b[0] - x, b[1] - y))[0];
};
globalThis.onLine = (p) => {
  const paths = [...document.querySelectorAll('#paper .ink path[data-id]')];
  const points = paths.flatMap((d) => d.getAttribute('d').match(/-?[\\d.]+,-?[\\d.]+/g).map((q) => q.split(',').map(Number)));
  const [x, y] = onScreen(nearest(points.map((q) => [...onScreen(q), q]), p)[2]);
  const steps = [0, -1, 1, -2, 2].flatMap((dx) => [0, -1, 1, -2, 2].map((dy) => [x + dx, y + dy]));
  return steps.find((at) => document.elementFromPoint(...at)?.closest('.ink [data-id]')) ?? [x, y];
};
globalThis.onDot = (p) => {
  const { layers } = schoon.table.paper;
  const marks = ['frame', 'sway', 'pen-layer', 'arcs'].flatMap((name) => [...layers[name].querySelectorAll('circle, rect')]);
  const places = marks.map((d) => d.getBoundingClientRect()).map((b) => [b.x + b.width / 2, b.y + b.height / 2]);
  return places.length ? nearest(places, p) : onLine(p);
};
for (const name of ['behind', 'rough', 'onion', 'field', 'doubts']) {
  const layer = schoon.table.paper.layers[name];
  if (!(name === 'rough' && schoon.stage.name === 'rough')) layer.style.visibility = 'hidden';
}
document.getElementById('table').style.background = '#fff';
0;
""".replace("SEENX", str(SEEN[0])).replace("SEENY", str(SEEN[1]))


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("address")
    parser.add_argument("names", nargs="*")
    given = parser.parse_args()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=given.address)
        page.add_init_script(REACH)
        page.add_init_script("localStorage.names = 'off'; localStorage.see = 'line'")
        sent: list[str] = []
        page.on("request", lambda asked: sent.append(asked.url) if asked.url.endswith("/do") else None)
        for name in given.names or SCENES:
            sent.clear()
            stop, tool = name.split("-", 1)
            scene = SCENES[name]
            page.goto(f"/shots/{SHOT}/{stop}#d={scene.drawing}")
            until(page, "schoon.current && document.getElementById('paper').dataset.drawing")
            page.evaluate(HELPERS)
            page.evaluate(f"looked({list(scene.box)})")
            scene.first(page)
            if scene.taken:
                page.evaluate(f"schoon.tools.use('{tool}')")
            page.wait_for_timeout(1200)
            film = played(page, scene)
            FOLDER.mkdir(exist_ok=True)
            film.write(FOLDER / f"{name}.webp")
            page.keyboard.press("Escape")
            page.wait_for_timeout(400)
            for _ in sent:
                page.evaluate("document.getElementById('undo').click()")
                page.wait_for_timeout(900)
            print(
                f"{name:18} {len(film.pictures):3} pictures {(FOLDER / f'{name}.webp').stat().st_size / 1000:5.1f} kB, {len(sent)} undone"
            )
        browser.close()


if __name__ == "__main__":
    main()
