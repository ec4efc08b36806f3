"""The surface of all forms of a drawing together.

Forms that are blown up one by one are right where their edges were read right, and no form is quite a balloon. A network that
has seen many figures whose solids are known (`bench/train_surface.py`) says how their surface differs, and how far off it may be.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from scipy.special import softmax

from ..network import told
from .blown import blown_up
from .edges import FIRST, SECOND, owned
from .forms import Forms, meeting

CHANNELS = 13
"""What is seen of each place, as `seen_by` gives it."""

TURNING = ((3, 4), (6, 7), (8, 9))
"""Channels that are directions, right and down."""

_DEEP, _DEEPEST = 25.0, 2.0
"""Px from its border at which a place of a form counts 1 as deep, and the most it counts."""

SPREADS = -7.0, 4.0
"""Least and most log variance that is said."""


@dataclass(frozen=True, eq=False)
class Surface:
    """For each form at its pixels, in their order: normals (n, 3) right, down, towards the viewer, shorter than 1 where it is not
    known well; spread (n,) by how much each of the three may be off (standard deviation)."""

    normals: Mapping[int, NDArray[np.float32]]
    spread: Mapping[int, NDArray[np.float32]]


def surface_of(
    forms: Forms,
    chances: NDArray[np.float64],
    edges: NDArray[np.int64],
    normals: Mapping[int, NDArray[np.float32]],
) -> Surface:
    """The surface of a drawing. chances, edges, normals: as in `Solids`."""
    if not forms.pots:
        return Surface({}, {})
    seen = seen_by(forms, chances, edges, normals)
    mirrored = seen[..., ::-1].copy()
    mirrored[[right for right, _ in TURNING]] *= -1
    # A figure and its mirror image are one to the eye.
    there, back = told(__package__, "surface", np.stack([seen, mirrored]))
    back = back[..., ::-1]
    back[0] *= -1
    # What is to be added to the normals, and the log variance of what they are off then.
    added = (there + back) / 2
    said = (seen[3:6] + added[:3]).transpose(1, 2, 0)
    field = np.asarray(said / np.maximum(np.linalg.norm(said, axis=2, keepdims=True), 1), np.float32)
    spread = np.exp(np.clip(added[3], *SPREADS) / 2).astype(np.float32)
    places = _places(forms).items()
    return Surface(
        {form: field[part][here] for form, (part, here) in places},
        {form: spread[part][here] for form, (part, here) in places},
    )


def _places(forms: Forms) -> dict[int, tuple[tuple[slice, slice], NDArray[np.bool_]]]:
    """Form -> the part of `forms.labels` that holds it, and where in it it lies."""
    parts = ndi.find_objects(forms.labels)
    return {form: (parts[form - 1], forms.labels[parts[form - 1]] == form) for form in forms.pots}


def seen_by(
    forms: Forms,
    chances: NDArray[np.float64],
    edges: NDArray[np.int64],
    normals: Mapping[int, NDArray[np.float32]],
) -> NDArray[np.float32]:
    """(CHANNELS, rows, columns) what the network is told: where forms are, their borders, lines; the normals of forms blown up
    with what is hidden of them (three), without it (two), and of the whole figure (two); along borders the chance that they are
    the form's own edge and that they are the other's; and how deep in its form each place lies."""
    labels = forms.labels
    figure = labels > 0
    out = np.zeros((CHANNELS, *labels.shape), np.float32)
    out[0], out[1], out[2] = figure, meeting(labels), forms.lines
    parts = _places(forms)
    hidden = [
        form
        for form in parts
        if ((forms.chains.sides == form).any(axis=1) & ~owned(forms, edges, form)).any()
    ]
    *alone, of_all = blown_up([*(parts[form][1] for form in hidden), figure])
    seen_only = {**normals, **dict(zip(hidden, alone, strict=True))}
    for form, (part, here) in parts.items():
        cut = out[(slice(None), *part)]
        cut[3:6, here] = normals[form].T
        cut[6:8, here] = seen_only[form].T[:2]
        deep = cv2.distanceTransform(np.pad(here.astype(np.uint8), 1), cv2.DIST_L2, 3)[1:-1, 1:-1]
        cut[12] += deep
    out[8:10, figure] = of_all.T[:2]
    chance = softmax(chances, axis=1) if len(chances) else chances
    limit = np.array(labels.shape) - 1
    for k, chain in enumerate(forms.chains.between):
        for places in (np.floor(chain.points), np.ceil(chain.points)):
            at = np.clip(places.astype(int), 0, limit)
            of = labels[at[:, 0], at[:, 1]]
            mine = np.where(of == chain.a, FIRST, SECOND)
            known = (of == chain.a) | (of == chain.b)
            out[10, at[:, 0], at[:, 1]] = np.where(known, chance[k, mine], 0)
            out[11, at[:, 0], at[:, 1]] = np.where(known, chance[k, SECOND - mine], 0)
    out[12] = np.minimum(out[12] / _DEEP, _DEEPEST)
    return out
