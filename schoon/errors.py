"""Errors meant for the person at the screen or the terminal."""

from __future__ import annotations

from traceback import walk_tb


class Refusal(Exception):
    """Something that cannot be done as asked. The text names what and the remedy; nothing was changed.

    modules: those it went through in another process, the innermost last.
    """

    modules: tuple[str, ...] = ()


class NotFound(Refusal):
    """What was asked for is not there (any more)."""


class Away(Exception):
    """The database does not answer, or two changes waited for each other. Nothing was changed; it may be tried again."""


class Full(Exception):
    """The database can answer but not write: its disk is full or read-only. Nothing was changed."""


class Damaged(Exception):
    """Something the database names is not in it: it was harmed from outside. Nothing was changed."""


def modules_of(error: BaseException) -> tuple[str, ...]:
    """Names of the modules an error went through, the innermost last."""
    return tuple(str(frame.f_globals.get("__name__", "")) for frame, _ in walk_tb(error.__traceback__))
