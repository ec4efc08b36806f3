"""Calls for workers; nothing is imported here, so that a new worker begins at once."""

from __future__ import annotations

import os
import time


def dies(_: int) -> None:
    os._exit(1)


def double(number: int) -> int:
    return 2 * number


def never_ends(_: int) -> None:
    while True:
        time.sleep(0.01)


def notices_nothing(_: int) -> None:
    while True:
        try:
            time.sleep(10)
        except Exception:
            continue
