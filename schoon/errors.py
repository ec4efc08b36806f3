"""Errors meant for the person at the screen or the terminal."""

from __future__ import annotations


class Refusal(Exception):
    """Something that cannot be done as asked. The text names what and the remedy; nothing was changed."""


class NotFound(Refusal):
    """What was asked for is not there (any more)."""


class Away(Exception):
    """The database does not answer, or two changes waited for each other. Nothing was changed; it may be tried again."""


class Full(Exception):
    """The database can answer but not write: its disk is full or read-only. Nothing was changed."""


class Damaged(Exception):
    """Something the database names is not in it: it was harmed from outside. Nothing was changed."""
