"""Names of the files that are handed off, by a pattern."""

from __future__ import annotations

import re
from collections.abc import Mapping

PATTERN = "{shot}_{level}_{number}"

TOKENS = ("production", "shot", "level", "pass", "number")
"""What a pattern may name; `pass` is left out with the mark before it where all is seen."""

_UNFIT = re.compile(r'[\x00-\x1f<>:"/\\|?*\s]+')


def file_name(pattern: str, values: Mapping[str, str]) -> str:
    """A name without ending. values: token -> text. Raises ValueError for a pattern that names something else, or leaves the
    numbers out, so that one file would be written over another."""
    unknown = sorted(set(re.findall(r"{([^{}]*)}", pattern)) - set(TOKENS))
    if unknown or "{" in re.sub(r"{[^{}]*}", "", pattern):
        raise ValueError(
            f"a pattern may name {', '.join(TOKENS)}; {unknown[0] if unknown else '{'} is none of them"
        )
    if "{number}" not in pattern:
        raise ValueError("the pattern needs {number}, or one file would take another's place")
    text = pattern
    for token in TOKENS:
        value = _UNFIT.sub("_", values.get(token, "")).strip("._")
        if not value:
            text = re.sub(r"[-_. ]?{" + token + "}", "", text)
        text = text.replace("{" + token + "}", value)
    return _UNFIT.sub("_", text).strip("._") or "drawing"


def counted(number: int, padding: int) -> str:
    """A number with leading zeros."""
    return f"{number:0{padding}}"
