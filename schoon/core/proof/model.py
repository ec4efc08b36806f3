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


def off_key(run: Run, pots: Collection[int]) -> Iterator[Finding]:
    """Paint of a pot that the model has no more. pots: those it has."""
    known = np.array([0, *pots])
    for n, sight in enumerate(run.sights):
        for patch in np.flatnonzero(sight.figure & ~np.isin(sight.pots, known)).tolist():
            yield Finding(
                "off-key", (n,), place_of(sight, patch), "carries a colour that is not in the key",
                float(sight.areas[patch]), "wipe", 0, patch,
            )  # fmt: skip
