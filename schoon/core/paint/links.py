"""What is kept of the match of two drawings: for each patch its few likeliest counterparts, by every measure."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

FOUND = (
    "likely", "mutual", "alike", "share", "looks", "inside", "rests", "rests both", "border", "within", "turned",
    "about", "moving",
)  # fmt: skip
"""Likelihood after relaxation; the same, less where the source patch has a better counterpart; borders that lie on each
other both ways, and one way; likeness in size and shape near the place; lying in the source patch after registration,
and where it is, one way and both ways; border and area under several motions (`layers`); outlines alike anywhere, and the
lines about them too (`turned`); moving as the neighbours do."""

MEASURES = (*FOUND, "same")
"""And the chance by all of them together (`same`)."""

_KEPT = 3
"""Counterparts of a patch that are kept by each measure."""

_LEAST = 0.02
"""What the best measure of a counterpart has to reach."""


@dataclass(frozen=True)
class Links:
    """Counterparts in two drawings. source, target: (k,) patches, ordered by target. worth: (k, MEASURES) 0..1, or only those
    FOUND. kin: as in `Match`."""

    source: NDArray[np.int64]
    target: NDArray[np.int64]
    worth: NDArray[np.float32]
    kin: float

    def told(self, same: NDArray[np.float32]) -> Links:
        """With the (k,) chances by all measures together."""
        return replace(self, worth=np.column_stack([self.worth, same]))

    def turned(self) -> Links:
        """From the target to the source: what is worth something one way is so the other way."""
        order = np.argsort(self.source, kind="stable")
        return Links(self.target[order], self.source[order], self.worth[order], self.kin)

    def best(self, chances: NDArray[np.floating], count: int) -> NDArray[np.float32]:
        """(count + 1, MEASURES, pots) the best that speaks for each pot. chances: (sources + 1, pots)."""
        found = np.zeros((count + 1, self.worth.shape[1], chances.shape[1]), np.float32)
        if len(self.target):
            said = self.worth[:, :, None] * chances[self.source].astype(np.float32)[:, None, :]
            starts = np.flatnonzero(np.r_[True, np.diff(self.target) > 0])
            found[self.target[starts]] = np.maximum.reduceat(said, starts, axis=0)
        return found


def links(tables: Sequence[NDArray[np.floating]], kin: float) -> Links:
    """tables: one for each FOUND, (sources + 1, targets + 1)."""
    sources, targets = tables[0].shape
    keep = np.zeros((sources, targets), bool)
    most = min(_KEPT, sources)
    column = np.arange(targets)
    for table in tables:
        keep[np.argpartition(-table, most - 1, axis=0)[:most], column] = True
    keep[0] = keep[:, 0] = False
    target, source = np.nonzero(keep.T)
    worth = np.stack([table[source, target] for table in tables], axis=1).astype(np.float32)
    worth_it = worth.max(axis=1, initial=0) > _LEAST
    return Links(source[worth_it], target[worth_it], worth[worth_it], kin)
