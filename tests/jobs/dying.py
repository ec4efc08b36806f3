"""Calls for workers; nothing is imported here, so that a new worker begins at once."""

from __future__ import annotations

import os


def dies(_: int) -> None:
    os._exit(1)


def double(number: int) -> int:
    return 2 * number
