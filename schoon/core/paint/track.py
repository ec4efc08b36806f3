"""One patch followed through the run."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

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
    trail = Trail(len(drawings), index, patch)
    for at, now, k in trail.steps():
        trail.found_here = follow(drawings[at], drawings[k], now)
        if progress:
            progress(k)
    return trail.found


def follow(here: Patches, there: Patches, patch: int) -> tuple[int, float] | None:
    """The same patch in another drawing and how sure it is, 0..1; None if it is not to be seen there."""
    likely = match(here, there)
    row = likely.likely[patch] * likely.mutual[patch]
    best = int(row.argmax())
    if likely.likely[patch, best] < _SURE or likely.mutual[patch, best] < _SURE:
        return None
    return best, float(row[best])


class Trail:
    """The way a patch is followed through a run, one step after the other.

    Whoever works the steps off puts what `follow` said into `found_here` before asking for the next.
    found: as `track` returns it.
    """

    def __init__(self, count: int, index: int, patch: int) -> None:
        self._count = count
        self._index = index
        self.found: dict[int, tuple[int, float]] = {index: (patch, 0.0)}
        self.found_here: tuple[int, float] | None = None

    def steps(self) -> Iterator[tuple[int, int, int]]:
        """(drawing it was last seen in, patch there, drawing to look into)."""
        patch = self.found[self._index][0]
        for way in (range(self._index + 1, self._count), range(self._index - 1, -1, -1)):
            at, now = self._index, patch
            doubt = 0.0
            for k in way:
                if abs(k - at) > _HIDDEN + 1:
                    break
                yield at, now, k
                if self.found_here is None:
                    continue
                best, sure = self.found_here
                # Doubt grows along the way: what is found after a doubtful step is doubtful.
                doubt = 1 - (1 - doubt) * min(1.0, sure / 0.8)
                at, now = k, best
                self.found[k] = (best, doubt)
