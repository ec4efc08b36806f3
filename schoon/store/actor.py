"""Who is at work: the name that stands beside what is changed."""

from __future__ import annotations

from contextvars import ContextVar

MOST = 60
"""Letters of a name."""

_actor: ContextVar[str] = ContextVar("actor", default="")


def name(who: str) -> None:
    """What is changed from now on in this context was done by `who`; "" if nobody said."""
    _actor.set(who[:MOST])


def present() -> str:
    """Who is at work here, "" if nobody said."""
    return _actor.get()
