"""Waiting for what a page says of itself."""

from __future__ import annotations

import time

from playwright.sync_api import Page

SLOW = 60.0
"""Seconds a page may take on a machine that does other things as well; what is there at once is seen at once."""


def until(page: Page, expression: str, seconds: float = SLOW) -> None:
    """Waits until an expression is true in the page. The page's policy lets nobody evaluate texts in it but us."""
    end = time.monotonic() + seconds
    # What is asked for may not be there yet.
    asked = f"(() => {{ try {{ return Boolean({expression}); }} catch {{ return false; }} }})()"
    while not page.evaluate(asked):
        if time.monotonic() > end:
            raise AssertionError(f"it was not to be: {expression}")
        page.wait_for_timeout(60)
