"""All rules over a run."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from .details import missing_and_extra
from .findings import Finding
from .lines import trembles_and_drifts, weights
from .paint import flashes_and_holes, halos, shade_flashes, specks_and_spills
from .run import Run

RUN_RULES: tuple[Callable[[Run], Iterable[Finding]], ...] = (
    flashes_and_holes, shade_flashes, specks_and_spills, halos, missing_and_extra, weights, trembles_and_drifts,
)  # fmt: skip


def proof(run: Run) -> list[Finding]:
    """What is wrong in a run, by what of it is seen most."""
    found = [finding for rule in RUN_RULES for finding in rule(run)]
    return sorted(found, key=lambda f: -f.area * len(f.drawings))
