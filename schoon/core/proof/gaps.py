"""Rules of gaps: open ones, and those that are judged unlike the same gap in the drawings about it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from .findings import Finding
from .run import Run

_SAME = 14.0
"""px of a drawing of 1600 px across the corners within which two gaps are the same one."""

_WORTH = 100.0
"""px² that a gap counts for."""


@dataclass(frozen=True)
class Gap:
    """at: (x, y) px."""

    at: tuple[float, float]
    state: Literal["open", "taken", "left"]


def gaps(run: Run, found: Sequence[Sequence[Gap]]) -> Iterator[Finding]:
    """Gaps that nobody has judged, a finding a drawing, and a gap that is shut though it is left open before and after, or the
    other way round. found: of each drawing of the run."""
    for n, own in enumerate(found):
        waiting = [gap for gap in own if gap.state == "open"]
        if waiting:
            what = f"{len(waiting)} openings" if len(waiting) > 1 else "an opening"
            words = f"{what} that nobody has judged"
            yield Finding("gap", (n,), waiting[0].at, words, _WORTH * len(waiting), "close")
        if 0 < n < len(found) - 1:
            yield from _unlike(run, found, n)


def _unlike(run: Run, found: Sequence[Sequence[Gap]], n: int) -> Iterator[Finding]:
    for gap in found[n]:
        if gap.state == "open":
            continue
        others = [_same(run, found, n, m, gap) for m in (n - 1, n + 1)]
        if all(other is not None and other.state not in (gap.state, "open") for other in others):
            words = (
                "is shut, but left open in the drawings before and after"
                if gap.state == "taken"
                else "is left open, but shut in the drawings before and after"
            )
            there = others[0].at if others[0] else None
            yield Finding("gap", (n,), gap.at, words, _WORTH, "close", like=n - 1, there=there)


def _same(run: Run, found: Sequence[Sequence[Gap]], n: int, m: int, gap: Gap) -> Gap | None:
    """The same gap in another drawing."""
    if not found[m]:
        return None
    sight = run.sights[n]
    place = np.array(gap.at) + run.shift(n, m, np.array(gap.at))
    far = [float(np.hypot(*(np.array(other.at) - place))) for other in found[m]]
    nearest = int(np.argmin(far))
    return found[m][nearest] if far[nearest] < _SAME * sight.unit else None
