"""All rules over a run."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from .details import missing_and_extra
from .findings import Finding
from .lines import trembles_and_drifts, weights
from .moves import pops, slides
from .paint import flashes_and_holes, halos, outside_painted, shade_flashes, specks_and_spills
from .run import Run

PICTURE_RULES: tuple[Callable[[Run], Iterable[Finding]], ...] = (
    flashes_and_holes, specks_and_spills, outside_painted, halos, missing_and_extra, weights, trembles_and_drifts,
)  # fmt: skip
"""What can be told of pictures alone."""

RUN_RULES = (*PICTURE_RULES, shade_flashes, pops, slides)
"""What can be told where it is known how a figure lies in its shot, and what its tones are."""


def proof(run: Run, pictures: bool = False) -> list[Finding]:
    """What is wrong in a run, by what of it is seen most. pictures: whether nothing is known but pictures."""
    rules = PICTURE_RULES if pictures else RUN_RULES
    found = [finding for rule in rules for finding in rule(run)]
    return sorted(found, key=lambda f: -f.area * len(f.drawings))
