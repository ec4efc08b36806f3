"""What workers compute of proof: a drawing as it is looked at, and which patch of one is which of the next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from ..core.paint import NOTHING
from ..core.patches import add_stitches, unpack
from ..core.proof import pack_sight, sight_of
from ..core.tone import coverage, shown_in
from ..work.documents import painting_of, parts_told, seen_in, sheet_of

_SHADED = 2
"""Rows and columns of which one is looked at where the share of shade is asked for."""


def seen(packed: bytes, documents: Sequence[Any], size: tuple[int, int], parts: Mapping[int, str]) -> bytes:
    """A drawing as it is proofed, packed. packed: its patches. documents: line, seal, paint and tone. parts: pot -> part."""
    sheet = sheet_of(size, *documents)
    patches = unpack(packed)
    painting = painting_of(sheet.spots, patches)
    told = parts_told(sheet.spots, patches)
    pots = np.zeros(patches.count + 1, np.int64)
    for patch, paint in painting.items():
        pots[patch] = 0 if paint.pot == NOTHING else paint.pot
    # What parts patches is line but for what shuts them unseen.
    walls = patches.open_labels == 0
    stitched = walls & add_stitches(np.zeros_like(walls), sheet.taken)
    ink = walls & ~stitched
    shade = None
    # What is shaded otherwise in one colour key is not another shade in the next drawing.
    shades = [tone for tone in shown_in(sheet.tones, 0) if tone.kind == "shade"]
    placed = seen_in(shades, sheet.spots, patches, parts)
    if placed:
        tables = []
        grown = patches.labels[::_SHADED, ::_SHADED]
        for tone, within in placed:
            table = np.full(patches.count + 1, within is None)
            table[[p for p in within or () if p <= patches.count]] = True
            tables.append((tone, lambda part, table=table: table[grown[part]]))
        half = (grown.shape[1], grown.shape[0])
        own = patches.open_labels[::_SHADED, ::_SHADED].ravel()
        under = coverage(tables, half, np.array([[1 / _SHADED, 0, 0], [0, 1 / _SHADED, 0]])).ravel()
        count = patches.count + 1
        shade = np.bincount(own, under, count) / np.maximum(np.bincount(own, minlength=count), 1)
    named = {p: told.get(p) or parts.get(int(pots[p]), "") for p in painting}
    return pack_sight(
        sight_of(patches, pots, ink, stitched, None, shade, {p: n for p, n in named.items() if n})
    )
