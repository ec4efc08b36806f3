"""Forms that are open to the outside: what would be closed if the gaps were shut that nobody has judged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..patches import Patches
from .model import Stitch

LEAST = 150
"""px² of an area that is worth a question."""

_ASIDE = 5.0
"""px to both sides of a gap at which is looked what it parts."""


@dataclass(frozen=True)
class OpenForm:
    """at: (x, y) px in the form. area: px². stitches: ids of the proposed ones that would close it."""

    at: tuple[float, float]
    area: int
    stitches: tuple[str, ...]


def open_forms(now: Patches, shut: Patches, proposed: Sequence[Stitch]) -> list[OpenForm]:
    """The forms through whose gaps the outside comes in, the largest first.

    now: the patches as they are. shut: those with all `proposed` stitches taken. Both of one size.
    """
    if not now.background:
        return []
    out = np.bincount(shut.open_labels.ravel(), now.open_labels.ravel() == now.background, shut.count + 1)
    found: list[OpenForm] = []
    for patch in range(1, shut.count + 1):
        area = int(shut.areas[patch])
        if patch == shut.background or area < LEAST or out[patch] < 0.5 * area:
            continue
        beside = tuple(s.id for s in proposed if patch in _parts(shut, s))
        if beside:
            x, y = (float(v) for v in shut.anchors[patch])
            found.append(OpenForm((x, y), area, beside))
    return sorted(found, key=lambda form: -form.area)


def _parts(patches: Patches, stitch: Stitch) -> set[int]:
    """The patches to both sides of a stitch."""
    points = np.asarray(stitch.points, float)
    along = points[-1] - points[0]
    far = float(np.hypot(*along))
    if far == 0:
        return set()
    across = np.array([-along[1], along[0]]) / far
    middle = points[len(points) // 2] if len(points) > 2 else points.mean(axis=0)
    return {patches.at(*(middle + by * _ASIDE * across)) for by in (-1, 1)} - {0}
