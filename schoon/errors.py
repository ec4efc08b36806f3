"""Errors meant for the person at the screen or the terminal."""

from __future__ import annotations


class Refusal(Exception):
    """Something that cannot be done as asked. The text names what and the remedy; nothing was changed."""


class NotFound(Refusal):
    """What was asked for is not there (any more)."""
