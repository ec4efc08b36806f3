"""The drawings of a run, and which patch of one is which of the next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..paint.matching import likeness
from ..patches import Patches, unpack_coarse
from ..strokes import Points
from .sights import Sight

_SURE = 0.15
"""Likelihood times mutual likeness from which on two patches are the same thing."""

_NEAREST = 8
"""Patches whose movements are tried for a place near them."""

_ABOUT, _FAR = 90.0, 400.0
"""px of a drawing of 1600 px across the corners: about a place, lines that move with it; and a movement so far
needs all lines about to lie better by it than at rest."""

_ENOUGH = 250
"""Points that say how well lines about a place lie on others."""

Links = Mapping[int, tuple[int, float]]
"""patch -> the same one in the next drawing, and how sure that is, 0..1."""


def links_of(source: Patches, target: Patches) -> dict[int, tuple[int, float]]:
    """The patches of two neighbouring drawings of one size that are each other's best counterpart, the outside left out."""
    sure = likeness(source, target)
    onto, back = sure.argmax(axis=1), sure.argmax(axis=0)
    return {
        k: (int(onto[k]), float(sure[k, onto[k]]))
        for k in range(1, source.count + 1)
        if k != source.background
        and onto[k] not in (0, target.background)
        and back[onto[k]] == k
        and sure[k, onto[k]] >= _SURE
    }


LONGEST = 1280
"""Pixels of the longer side of drawings that are compared; larger ones are compared in larger pixels."""


def packed_links(packed: Sequence[bytes]) -> list[dict[int, tuple[int, float]]]:
    """As `links_of`, of the packed patches of drawings that follow each other, large ones in larger pixels; from each but the
    last to the next."""
    found = []
    before = unpack_coarse(packed[0], LONGEST)
    for body in packed[1:]:
        here = unpack_coarse(body, LONGEST)
        found.append(links_of(before, here))
        before = here
    return found


@dataclass(frozen=True, eq=False)
class Run:
    """sights: the drawings in order. links: for each but the last, to the next."""

    sights: Sequence[Sight]
    links: Sequence[Links]
    _pairs: dict[tuple[int, int], tuple[Points, Points]] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.sights)

    @cached_property
    def back(self) -> list[dict[int, tuple[int, float]]]:
        """For each but the first drawing, patch -> the same in the one before; entry 0 is empty."""
        return [{}, *({to: (k, sure) for k, (to, sure) in own.items()} for own in self.links)]

    @cached_property
    def tracks(self) -> list[list[tuple[int, int]]]:
        """Patches followed as far as they are seen without a break: (drawing, patch) in order."""
        found = []
        for n, sight in enumerate(self.sights):
            for patch in np.flatnonzero(sight.figure).tolist():
                if patch in self.back[n]:
                    continue
                track = [(n, patch)]
                while track[-1][0] < len(self.links) and track[-1][1] in self.links[track[-1][0]]:
                    at, now = track[-1]
                    track.append((at + 1, self.links[at][now][0]))
                found.append(track)
        return found

    def goes_to(self, start: int, end: int, patch: int) -> int:
        """The same patch in another drawing, 0 if it is not seen all the way."""
        step = 1 if end > start else -1
        for n in range(start, end, step):
            own = self.links[n] if step > 0 else self.back[n]
            if patch not in own:
                return 0
            patch = own[patch][0]
        return patch

    def shift(self, start: int, end: int, place: Points) -> Points:
        """How far what lies about a place of one drawing has moved in another, px: of resting and of the movements of the
        patches near it, the one that lays the lines about it on lines."""
        a = self.sights[start]
        here, there = self._whole_in_both(start, end)
        near = np.argsort(np.hypot(*(here - place).T))[:_NEAREST]
        moves = (there - here)[near]
        tried = [np.zeros(2), *moves, *([np.median(moves, axis=0)] if len(moves) else [])]
        moves = np.array(tried)
        fits = self.fits(start, end, place, moves) - np.hypot(*moves.T) / (_FAR * a.unit)
        return np.asarray(moves[int(fits.argmax())])

    def fits(self, start: int, end: int, place: Points, moves: Points) -> NDArray[np.float64]:
        """(m,) share of the lines about a place of one drawing that lie on lines of another when moved by each of (m, 2) px."""
        sight = self.sights[start]
        # Of so few points a look at each takes less than a tree's list of those near.
        about = sight.points[((sight.points - place) ** 2).sum(axis=1) <= (_ABOUT * sight.unit) ** 2]
        if not len(about):
            return np.zeros(len(moves))
        about = about[:: max(1, len(about) // _ENOUGH)]
        moved = about[None] + np.asarray(moves)[:, None]
        return self.sights[end].on_lines(moved.reshape(-1, 2)).reshape(moved.shape[:2]).mean(axis=1)

    def _whole_in_both(self, start: int, end: int) -> tuple[Points, Points]:
        """Middles of patches that are as large in both drawings, so that the middle moves as the patch does, px."""
        key = (start, end)
        if key not in self._pairs:
            a, b = self.sights[start], self.sights[end]
            pairs = [
                (patch, to)
                for patch in np.flatnonzero(a.figure & ~_lies_on_another(a)).tolist()
                if (to := self.goes_to(start, end, patch)) and _whole(a, b, patch, to)
            ]
            here, there = (s.centres[[p[k] for p in pairs]].reshape(-1, 2) for k, s in enumerate((a, b)))
            self._pairs[key] = here, there
        return self._pairs[key]


def _lies_on_another(sight: Sight) -> NDArray[np.bool_]:
    """Which patches are small and enclosed: they are taken for each other most easily."""
    return (sight.hosted > 0.9) & (sight.areas < 0.02 * sight.painted) & (sight.host != sight.background)


def _whole(a: Sight, b: Sight, patch: int, to: int) -> bool:
    """Whether a patch is as large in both, so that its middle moves as it does."""
    return 0.9 < a.areas[patch] / max(1, b.areas[to]) < 1.1
