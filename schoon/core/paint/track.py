"""One patch followed through the run."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ..patches import Patches
from .matching import match

_SURE = 0.5
"""Likelihood and mutual likeness a step of a track needs."""

_HIDDEN = 2
"""Drawings a patch may be out of sight for and still be found again."""


def track(
    drawings: Sequence[Patches], index: int, patch: int, progress: Callable[[int], None] | None = None
) -> dict[int, tuple[int, float]]:
    """index of drawing -> (patch, doubt 0..1) for the same thing in other drawings, from `patch` in drawing `index`.

    progress: called with each drawing looked into. It is followed forward and back until it is lost; drawings in which it is hidden are passed over.
    Raises ValueError for a patch that is not there or is the outside.
    """
    start = drawings[index]
    if not 1 <= patch <= start.count or patch == start.background:
        raise ValueError("not a patch that can be followed")
    found = {index: (patch, 0.0)}
    for way in (range(index + 1, len(drawings)), range(index - 1, -1, -1)):
        at, now = index, patch
        doubt = 0.0
        for k in way:
            if abs(k - at) > _HIDDEN + 1:
                break
            likely = match(drawings[at], drawings[k])
            if progress:
                progress(k)
            row = likely.likely[now] * likely.mutual[now]
            best = int(row.argmax())
            if likely.likely[now, best] < _SURE or likely.mutual[now, best] < _SURE:
                continue
            # Doubt grows along the way: what is found after a doubtful step is doubtful.
            doubt = 1 - (1 - doubt) * float(min(1.0, row[best] / 0.8))
            at, now = k, best
            found[k] = (best, doubt)
    return found
