"""Rules of the model and the key: how many of a thing there are, and pots that are not the model's."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

import numpy as np

from .findings import Finding
from .paint import place_of
from .run import Run


def counts(run: Run, expected: Mapping[int, int], names: Mapping[int, str]) -> Iterator[Finding]:
    """More patches of a pot than the model says. expected: pot -> patches of a whole figure. names: of pots."""
    for n, sight in enumerate(run.sights):
        for pot, most in expected.items():
            own = np.flatnonzero(sight.figure & (sight.pots == pot) & (sight.lined > 0.5)).tolist()
            # What is cut by a line in front of it is one thing.
            own = [p for p in own if sight.hosted[p] > 0.9]
            if len(own) > most:
                smallest = min(own, key=lambda p: sight.areas[p])
                words = f"has {len(own)} patches of {names.get(pot, 'a pot')}, the model says {most}"
                yield Finding("model", (n,), place_of(sight, smallest), words, float(sight.areas[smallest]))


_LARGER = 1.8
"""Times its share of the figure by which a pot may be larger: a figure turns and hides parts of itself."""

_SMALLER = 0.5
"""The same the other way, of what lies whole on another form."""

_SLACK = 0.004
"""Share of the figure by which any pot may differ."""


def areas(run: Run, expected: Mapping[int, float], names: Mapping[int, str]) -> Iterator[Finding]:
    """A pot that is larger or smaller than the model says, beside the whole figure, though other drawings have it right.

    expected: pot -> its share 0..1 of the painted area.
    """
    for pot, share in expected.items():
        wrong: dict[int, tuple[float, int]] = {}
        right = 0
        for n, sight in enumerate(run.sights):
            own = np.flatnonzero(sight.figure & (sight.pots == pot))
            if not len(own) or not sight.painted:
                continue
            found = float(sight.areas[own].sum()) / sight.painted
            largest = int(own[sight.areas[own].argmax()])
            whole = bool((sight.hosted[own] > 0.9).all())
            large = found > _LARGER * share
            small = whole and found < _SMALLER * share
            if (large or small) and abs(found - share) > _SLACK:
                wrong[n] = found, largest
            else:
                right += 1
        # Where most drawings differ, it is the model that says something else.
        if len(wrong) >= right:
            continue
        for n, (found, patch) in wrong.items():
            sight = run.sights[n]
            what = "larger" if found > share else "smaller"
            words = f"{names.get(pot, 'a pot')} is {what} than in the model: {found:.1%} of the figure, not {share:.2%}"
            yield Finding(
                "model", (n,), place_of(sight, patch), words, abs(found - share) * sight.painted, patch=patch
            )


def off_key(run: Run, pots: Collection[int]) -> Iterator[Finding]:
    """Paint of a pot that the model has no more. pots: those it has."""
    known = np.array([0, *pots])
    for n, sight in enumerate(run.sights):
        for patch in np.flatnonzero(sight.figure & ~np.isin(sight.pots, known)).tolist():
            yield Finding(
                "off-key", (n,), place_of(sight, patch), "carries a colour that is not in the key",
                float(sight.areas[patch]), "wipe", 0, patch,
            )  # fmt: skip
