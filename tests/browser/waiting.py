"""Waiting for what a page says of itself."""

from __future__ import annotations

import time

from playwright.sync_api import Locator, Page

SLOW = 60.0
"""Seconds a page may take on a machine that does other things as well; what is there at once is seen at once."""


def sight(page: Page, name: str) -> Locator:
    """A switch of the sights, its box opened: `see-levels`, `see-onion`, …"""
    switch = page.locator(f"#{name}")
    if not switch.is_visible():
        box = page.locator(f".sights-box:has(#{name})").get_attribute("id") or ""
        page.locator(f'[data-sights="{box.removeprefix("sights-")}"]').click()
    return switch


def act(page: Page, name: str) -> Locator:
    """A control in the ledge of the stop that is lit, the ledge opened."""
    page.evaluate("schoon.room.ledge('open')")
    return page.locator(f"#{name}")


def options(page: Page) -> None:
    """Opens the slip, which holds what the tool in the hand can be set to."""
    if page.locator("#slip-more").get_attribute("aria-expanded") == "false":
        page.locator("#slip-more").click()


def until(page: Page, expression: str, seconds: float = SLOW) -> None:
    """Waits until an expression is true in the page. The page's policy lets nobody evaluate texts in it but us."""
    end = time.monotonic() + seconds
    # What is asked for may not be there yet.
    asked = f"(() => {{ try {{ return Boolean({expression}); }} catch {{ return false; }} }})()"
    while not page.evaluate(asked):
        if time.monotonic() > end:
            raise AssertionError(f"it was not to be: {expression}")
        page.wait_for_timeout(60)
