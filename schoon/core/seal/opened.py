"""Forms that are open to the outside: what would be closed if the gaps were shut that nobody has judged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..patches import Patches
from .model import Stitch

LEAST = 150
"""px² of an area that is worth a question."""

_LIKELY = 0.75
"""Doubt up to which a gap may let the outside in; those beyond are most likely meant to be open."""

_ASIDE = 5.0
"""px to both sides of a gap at which is looked what it parts."""

_THERE = 0.6
"""Share of a form that is inside the figure, in a drawing beside it, where it is no piece of the outside."""

_SAMPLED = 400
"""Places of a form that are looked up in other drawings."""

Box = tuple[float, float, float, float]
"""Left, top, right, bottom of what is drawn, px."""


@dataclass(frozen=True)
class Beside:
    """A drawing near in the run. inside: (h, w) where the figure is: what is closed, and painted if anything is. box: of its
    lines."""

    inside: NDArray[np.bool_]
    box: Box


@dataclass(frozen=True)
class OpenForm:
    """at: (x, y) px in the form. area: px². stitches: ids of the proposed ones that would close it."""

    at: tuple[float, float]
    area: int
    stitches: tuple[str, ...]


def open_forms(
    now: Patches,
    shut: Patches,
    proposed: Sequence[Stitch],
    box: Box | None = None,
    beside: Sequence[Beside] = (),
) -> list[OpenForm]:
    """The forms through whose gaps the outside comes in, the largest first.

    now: the patches as they are. shut: those with all `proposed` stitches taken. Both of one size. box: of the lines.
    beside: drawings near in the run: what is outside in most of them, as between an arm and the body, is no form.
    """
    if not now.background:
        return []
    out = np.bincount(shut.open_labels.ravel(), now.open_labels.ravel() == now.background, shut.count + 1)
    found: list[OpenForm] = []
    for patch in range(1, shut.count + 1):
        area = int(shut.areas[patch])
        if patch == shut.background or area < LEAST or out[patch] < 0.5 * area:
            continue
        stitches = tuple(s.id for s in proposed if s.doubt <= _LIKELY and patch in _parts(shut, s))
        if stitches and (box is None or not beside or _is_form(shut, patch, box, beside)):
            x, y = (float(v) for v in shut.anchors[patch])
            found.append(OpenForm((x, y), area, stitches))
    return sorted(found, key=lambda form: -form.area)


def _is_form(patches: Patches, patch: int, box: Box, beside: Sequence[Beside]) -> bool:
    """Whether a patch lies in the figure in at least half of the drawings beside it, figure laid on figure."""
    rows, columns = np.nonzero(patches.open_labels == patch)
    step = max(1, len(rows) // _SAMPLED)
    places = np.stack([columns[::step], rows[::step]], axis=1).astype(np.float64) + 0.5
    there = sum(_share(places, box, other) >= _THERE for other in beside)
    return 2 * there >= len(beside)


def _share(places: NDArray[np.float64], box: Box, other: Beside) -> float:
    size = np.array([max(box[2] - box[0], 1.0), max(box[3] - box[1], 1.0)])
    there = np.array([other.box[2] - other.box[0], other.box[3] - other.box[1]])
    onto = (places - box[:2]) / size * there + other.box[:2]
    height, width = other.inside.shape
    column, row = np.clip(onto.astype(int), 0, [width - 1, height - 1]).T
    return float(other.inside[row, column].mean())


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
