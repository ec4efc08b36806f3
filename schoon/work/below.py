"""The paint of parts that are whole, where others cover them."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..core.compose import Flats, Layer
from ..core.look import Look
from ..core.paint import NOTHING
from ..core.patches import OpenPatches, Patches, find_patches
from ..core.run import brought_back, silhouette
from ..core.strokes import walls
from .documents import Sheet, painting_of

_SHOWS = 0.15
"""A form of which less than this share is seen as paint has no pot of its own."""


def whole_paint(
    sheet: Sheet, patches: Patches | OpenPatches | None, look: Look, told: Mapping[int, str]
) -> dict[str, list[Layer]]:
    """Part -> paint of its forms as they go on behind what covers them, to lie below all that is seen of it.

    Forms are closed by the part's own lines and those that are kept behind others; each has the pot that most of what is seen
    of it has. told: patch -> its part.
    """
    hidden = {s.part for strokes in sheet.behind.values() for s in strokes}
    if not hidden or patches is None:
        return {}
    labels = patches.labels if isinstance(patches, Patches) else patches.open_labels
    pots = np.zeros(int(labels.max()) + 1, np.int64)
    for patch, paint in painting_of(sheet.spots, patches).items():
        pots[patch] = paint.pot if paint.pot != NOTHING and paint.pot in look.pots else 0
    part_of = {int(pots[patch]): part for patch, part in told.items()}
    picture = pots[labels]
    found: dict[str, list[Layer]] = {}
    for part in sorted(hidden):
        kept = [s for strokes in sheet.behind.values() for s in strokes if s.part == part]
        own = brought_back([s for s in sheet.strokes if s.part == part], kept)
        closed = find_patches(walls(own, sheet.size), sheet.specks)
        fronts = [name for name, strokes in sheet.behind.items() if any(s.part == part for s in strokes)]
        over = [
            silhouette([s for s in sheet.strokes if s.part == name], sheet.size) for name in fronts if name
        ]
        fills: dict[str, dict[int, tuple[int, int, int, int]]] = {}
        for form in range(1, closed.count + 1):
            if form == closed.background:
                continue
            rows, columns = np.nonzero(closed.open_labels == form)
            free = np.ones(len(rows), bool)
            for covers in over:
                free &= ~covers(np.c_[columns, rows].astype(float))
            counts = np.bincount(picture[rows[free], columns[free]])
            if len(counts) < 2 or counts[1:].max() < _SHOWS * len(rows):
                continue
            pot = int(counts[1:].argmax()) + 1
            fills.setdefault(part_of.get(pot, ""), {})[form] = look.pots[pot]
        for name, table in fills.items():
            found.setdefault(name, []).append(Layer("flats", Flats(closed.labels, table)))
    return found
