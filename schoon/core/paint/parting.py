"""Which lines part unlike pots: the painted drawings tell it by the weight of their lines.

A contour is drawn heavier or lighter than a fold inside a form, and a line that only parts two colours is thinner than
either. Whatever the hand does, it does in the whole run. Where nothing in a painted drawing corresponds to a patch,
its lines still say which of its neighbours it goes with. A run with lines of one weight says nothing.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from ..patches import Patches
from .movement import borders_of

_LIKE = 0.05
"""Standard deviation within which two widths count as the same, as a share of the width."""

_BLUR = 0.3
"""The same in px: how well a width is known."""

_LINE = 120.0
"""Px of border beyond which a line counts no more: it is one thing however long."""

_BEFORE = 200.0
"""Px of border that count for the mean of all lines before any was seen."""

_STEP = 0.1
_WIDTHS = np.arange(0, 60, _STEP)
"""Widths that are told apart, px."""

_SHORT = 6
"""Border points with a neighbour below which its line is not asked."""

_MOST = 0.98
"""How sure a kind of line may be at most."""

_STRENGTH = 3.0
"""How much the lines round a patch count beside what was carried to it."""

_ROUNDS = 3
"""Rounds in which what lines say of one patch is told to the next."""


@dataclass(frozen=True)
class Meetings:
    """Where patches of a drawing meet, one row for each ordered pair.

    patch, other: (k,) patches. length: (k,) border points. width: (k,) mean px of ink between them.
    """

    patch: NDArray[np.int64]
    other: NDArray[np.int64]
    length: NDArray[np.float64]
    width: NDArray[np.float64]


_known: WeakKeyDictionary[Patches, Meetings] = WeakKeyDictionary()


def meetings_of(patches: Patches) -> Meetings:
    """Where the patches of a drawing meet, found once."""
    if patches not in _known:
        borders = borders_of(patches)
        other, begins = borders.across
        own = np.repeat(np.arange(patches.count + 1), np.diff(borders.starts))
        width = np.hypot(*(begins - borders.points).T)
        seen = (other > 0) & (other != own)
        code, row = np.unique(own[seen] * (patches.count + 1) + other[seen], return_inverse=True)
        length = np.bincount(row, minlength=len(code)).astype(float)
        mean = np.bincount(row, width[seen], len(code)) / np.maximum(length, 1)
        keep = length >= _SHORT
        patch, other = np.divmod(code[keep], patches.count + 1)
        _known[patches] = Meetings(patch, other, length[keep], mean[keep])
    return _known[patches]


class Parting:
    """How often lines of a width have the same pot on both sides, learnt from painted drawings.

    painted: drawings with the pot of each patch, (count + 1,), -1 where it is not known.
    """

    def __init__(self, painted: Iterable[tuple[Patches, NDArray[np.int64]]]) -> None:
        same, every = np.zeros((2, len(_WIDTHS))), np.zeros((2, len(_WIDTHS)))
        for patches, pots in painted:
            met = meetings_of(patches)
            a, b = pots[met.patch], pots[met.other]
            known = (a >= 0) & (b >= 0)
            outer = _outer(patches, met).astype(int)
            place = np.clip(np.rint(met.width / _STEP).astype(int), 0, len(_WIDTHS) - 1)
            length = np.minimum(met.length, _LINE)
            np.add.at(every, (outer[known], place[known]), length[known])
            np.add.at(same, (outer[known], place[known]), (length * (a == b))[known])
        scale = np.hypot(_LIKE * _WIDTHS, _BLUR)[:, None]
        near = np.exp(-0.5 * ((_WIDTHS - _WIDTHS[:, None]) / scale) ** 2)
        self._usual = [0.5, 0.5]
        self._chance = np.full((2, len(_WIDTHS)), 0.5)
        for kind in (0, 1):
            if every[kind].any():
                usual = float(np.clip(same[kind].sum() / every[kind].sum(), 1 - _MOST, _MOST))
                share = (near @ same[kind] + _BEFORE * usual) / (near @ every[kind] + _BEFORE)
                self._usual[kind] = usual
                self._chance[kind] = np.clip(share, 1 - _MOST, _MOST)

    def same(self, width: NDArray[np.float64], outer: bool) -> tuple[NDArray[np.float64], float]:
        """(k,) chance that lines of these widths have the same pot on both sides, and the chance of all lines.

        outer: lines along the outside, against lines within the figure.
        """
        return np.interp(width, _WIDTHS, self._chance[int(outer)]), self._usual[int(outer)]

    def beside(self, patches: Patches, chance: NDArray[np.float64]) -> NDArray[np.float64]:
        """(pots, count + 1) shares of the lines within the figure round each patch that have each pot beyond them."""
        met = meetings_of(patches)
        inner = ~_outer(patches, met)
        patch, other, length = met.patch[inner], met.other[inner], met.length[inner]
        total = np.bincount(patch, length, patches.count + 1)
        found = np.zeros_like(chance)
        np.add.at(found.T, patch, (chance[:, other] * length / total[patch]).T)
        return found

    def told(self, patches: Patches, chance: NDArray[np.float64]) -> NDArray[np.float64]:
        """(pots, count + 1) factors by which the lines round each patch make a pot likelier.

        chance: (pots, count + 1) of each pot, columns sum to at most 1.
        """
        met = meetings_of(patches)
        outer = _outer(patches, met)
        gain, loss = np.zeros(len(met.patch)), np.zeros(len(met.patch))
        for kind in (False, True):
            of = outer == kind
            same, usual = self.same(met.width[of], kind)
            gain[of] = np.log(same / usual)
            loss[of] = np.log((1 - same) / (1 - usual))
        share = met.length / np.bincount(met.patch, met.length, patches.count + 1)[met.patch]
        factor = np.ones_like(chance)
        for _ in range(_ROUNDS):
            now = chance * factor
            now = now / np.maximum(now.sum(axis=0), 1e-9) * np.minimum(chance.sum(axis=0), 1)
            there = now[:, met.other]
            said = there * gain + (there.sum(axis=0) - there) * loss
            total = np.zeros_like(chance)
            np.add.at(total.T, met.patch, (said * share).T)
            factor = np.exp(_STRENGTH * total)
        return factor


def _outer(patches: Patches, met: Meetings) -> NDArray[np.bool_]:
    return np.asarray((met.patch == patches.background) | (met.other == patches.background))
