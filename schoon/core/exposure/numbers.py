"""What is written on drawings: 7, and 7a, 7b for those that were put in before 8."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

Numbering = Literal["letters", "all"]

_LETTERS = "abcdefghijklmnopqrstuvwxyz"


def place_of(number: str) -> tuple[int, str]:
    """What numbers are ordered by. Raises ValueError for what is none."""
    found = re.fullmatch(r"([0-9]{1,9})([a-z]?)", number)
    if not found:
        raise ValueError(f"“{number}” is no number of a drawing; a number is digits, then a letter at most")
    return int(found[1]), found[2]


def with_more(numbers: Sequence[str], after: int, more: int, numbering: Numbering) -> list[str]:
    """Numbers of a run in which `more` drawings are put behind the one at index `after`, -1 for before the first.

    letters: the new ones take letters, and others of the same number the letters that follow. all: everything is
    numbered anew, from 1. Raises ValueError if letters run out.
    """
    count = len(numbers) + more
    if numbering == "all":
        return [str(k) for k in range(1, count + 1)]
    number = place_of(numbers[after])[0] if after >= 0 else 0
    split = after + 1
    same = sum(place_of(n)[0] == number for n in numbers[split:])
    begun = sum(place_of(n)[0] == number and place_of(n)[1] != "" for n in numbers[:split])
    if begun + more + same > len(_LETTERS):
        raise ValueError(f"there is no letter left behind drawing {number}; number the whole run anew")
    lettered = [f"{number}{_LETTERS[begun + k]}" for k in range(more + same)]
    return [*numbers[:split], *lettered, *numbers[split + same :]]
