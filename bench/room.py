"""Counts words, controls and the share of the paper at every stop of a shot, as `interface.md` asks for them.

Usage: bench/room.py http://127.0.0.1:8023 [--shot 1] [--size 1280x800] [--names] [--dark] [--pictures FOLDER]
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from playwright.sync_api import sync_playwright

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.browser.conftest import FLAGS
from tests.browser.room import counted, faults

STOPS = ("rough", "line", "seal", "paint", "tone", "proof", "hand-off")


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("address")
    parser.add_argument("--shot", type=int, default=1)
    parser.add_argument("--size", default="1280x800")
    parser.add_argument("--names", action="store_true")
    parser.add_argument("--dark", action="store_true")
    parser.add_argument("--ledge", choices=("folded", "open", "large"), default="folded")
    parser.add_argument("--pictures", type=Path)
    given = parser.parse_args()
    width, height = (int(side) for side in given.size.split("x"))
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": width, "height": height})
        page.add_init_script(
            f"localStorage.names = '{'on' if given.names else 'off'}';"
            f"localStorage.theme = '{'dark' if given.dark else 'light'}';"
            + "".join(f"localStorage['ledge-{stop}'] = '{given.ledge}';" for stop in STOPS)
        )
        for stop in STOPS:
            page.goto(f"{given.address}/shots/{given.shot}/{stop}")
            page.wait_for_timeout(3000)
            page.keyboard.press("0")
            page.wait_for_timeout(400)
            found = counted(page)
            print(
                f"{stop:9} words {found.words:4} controls {found.controls:4} paper {found.paper:.2f} faults {len(faults(page))}"
            )
            if given.pictures:
                given.pictures.mkdir(parents=True, exist_ok=True)
                page.screenshot(path=given.pictures / f"{stop}.png")
        browser.close()


if __name__ == "__main__":
    main()
