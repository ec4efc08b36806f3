"""What was made of a drawing, laid round what a hand did to it meanwhile."""

from __future__ import annotations

from typing import Any


def laid_round(was: Any, made: Any, now: Any) -> Any:
    """A document of three: made of `was`, which has become `now` in the meantime.

    What the hand drew, changed or took away since stays so; all else is as it was made. Entries of lists are the same by their
    id, or by their place. None is a document that is not there.
    """
    if now == was:
        return made
    if made in (was, now):
        return now
    if isinstance(made, dict) and isinstance(now, dict):
        before = was if isinstance(was, dict) else {}
        found = {key: laid_round(before.get(key), made.get(key), now.get(key)) for key in made | now}
        return {key: value for key, value in found.items() if value is not None}
    if isinstance(made, list) and isinstance(now, list):
        ours, hers, old = _named(made), _named(now), _named(was if isinstance(was, list) else [])
        if ours is not None and hers is not None and old is not None:
            return _entries(ours, hers, old)
    return now


def _entries(made: dict[Any, Any], now: dict[Any, Any], was: dict[Any, Any]) -> list[Any]:
    hers = {name for name, entry in now.items() if entry != was.get(name)}
    gone = was.keys() - now.keys()
    return [
        *(now[name] if name in hers else entry for name, entry in made.items() if name not in gone),
        *(now[name] for name in now if name in hers and name not in made),
    ]


def _named(entries: list[Any]) -> dict[Any, Any] | None:
    """Entries by what tells them apart, None where nothing does."""
    if not all(isinstance(entry, dict) and ("id" in entry or "at" in entry) for entry in entries):
        return None
    found = {entry["id"] if "id" in entry else tuple(entry["at"]): entry for entry in entries}
    return found if len(found) == len(entries) else None
