"""A drawing beside its model: which pots are missing, too many or too few patches, parts too large or too small."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

What = Literal["missing", "fewer", "more", "small", "large"]

_SHARE_BAND = 1.6
"""Shares of the area may differ by this factor: a figure turns, and arms hide the coat."""

_SHARE_SLACK = 0.002
"""Shares of the area that may be missing or too much in any pot: a detail half hidden is no finding."""


@dataclass(frozen=True)
class RunLimits:
    """When a pot stands out beside the same pot in the drawings around it.

    usual: share of a run's drawings a pot is in, from which on a drawing without it is missing something.
    large, small: factors of the mean area next door beyond which its area stands out; a turn of the figure alone
    changes areas by less.
    """

    usual: float = 0.7
    large: float = 1.9
    small: float = 0.5


@dataclass(frozen=True)
class Expected:
    """What a model says of a pot in a whole figure: how many patches, and their share 0..1 of the painted area; None
    if nothing is said."""

    count: int | None = None
    share: float | None = None


@dataclass(frozen=True)
class Remark:
    """pot: whose. found and expected: patches for missing, fewer and more, shares 0..1 for small and large."""

    pot: int
    what: What
    found: float
    expected: float


def shares(found: Mapping[int, tuple[int, int]]) -> dict[int, tuple[int, float]]:
    """pot -> (patches, share 0..1 of the painted area) from pot -> (patches, px²)."""
    total = sum(area for _, area in found.values())
    return {pot: (count, area / max(total, 1)) for pot, (count, area) in found.items()}


def smallest(expected: Mapping[int, Expected]) -> tuple[int, float] | None:
    """The pot with the smallest patches that a model speaks of, and the share 0..1 of the figure one of them has."""
    parts = [(e.share / e.count, pot) for pot, e in expected.items() if e.share and e.count]
    if not parts:
        return None
    share, pot = min(parts)
    return pot, share


def compare(
    expected: Mapping[int, Expected], found: Mapping[int, tuple[int, int]], order: Sequence[int] = ()
) -> list[Remark]:
    """Where a painted drawing differs from its model, by `order` of the pots; found: pot -> (patches, px²).

    A pot of which the model says nothing is never remarked. Shares are only compared if the counts agree.
    """
    have = shares(found)
    remarks = []
    for pot in order or expected:
        wanted = expected.get(pot, Expected())
        count, share = have.get(pot, (0, 0.0))
        if wanted.count is not None and count != wanted.count:
            what: What = "missing" if not count else "fewer" if count < wanted.count else "more"
            remarks.append(Remark(pot, what, count, wanted.count))
        elif count and wanted.share:
            if share > wanted.share * _SHARE_BAND + _SHARE_SLACK:
                remarks.append(Remark(pot, "large", share, wanted.share))
            elif share < wanted.share / _SHARE_BAND - _SHARE_SLACK:
                remarks.append(Remark(pot, "small", share, wanted.share))
    return remarks
