"""Names and other short texts that people send."""

from __future__ import annotations

import unicodedata
from typing import Any

from .errors import Refusal

MOST_LETTERS = 60

_MARKS = frozenset("\u061c\u200e\u200f\u2028\u2029\ufeff") | {
    chr(c) for c in (*range(0x202A, 0x202F), *range(0x2066, 0x206A))
}
"""Letters nobody sees that turn the order of others round."""


def unsound(text: str) -> str:
    """What in a text cannot be kept, in words; "" if all can: halves of letters, control and direction marks."""
    for letter in text:
        if letter in _MARKS:
            return f"a mark nobody sees (U+{ord(letter):04X})"
        kind = unicodedata.category(letter)
        if kind == "Cs":
            return "half a letter"
        if kind == "Cc" and letter not in "\t\n\r":
            return f"a control mark (U+{ord(letter):04X})"
    return ""


def unsound_in(data: Any) -> str:
    """As `unsound`, for all texts of a JSON value, however deep they lie."""
    waiting = [data]
    while waiting:
        item = waiting.pop()
        if isinstance(item, str):
            if found := unsound(item):
                return found
        elif isinstance(item, dict):
            waiting += [*item.keys(), *item.values()]
        elif isinstance(item, list | tuple):
            waiting += item
    return ""


def named(text: str, what: str) -> str:
    """A name as it is stored. Raises Refusal if it is empty or too long, or holds what cannot be seen."""
    name = " ".join(text.split())
    if not name:
        raise Refusal(f"Give the {what} a name")
    if found := unsound(name):
        raise Refusal(f"The name of the {what} holds {found}; write it anew")
    if len(name) > MOST_LETTERS:
        raise Refusal(f"The name of the {what} has {len(name)} letters; the limit is {MOST_LETTERS}")
    return name
