"""Light on forms: what it falls on, and what lies in shade."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..patches import fill_nearest
from ..pixels import box_of
from .forms import Forms
from .solids import Solids


@dataclass(frozen=True)
class Light:
    """azimuth: degrees clockwise from the top of the picture, where the light stands. height: degrees towards the viewer,
    -90..90."""

    azimuth: float
    height: float

    @property
    def direction(self) -> NDArray[np.float64]:
        """Unit vector towards the light: right, down, towards the viewer."""
        around, up = np.deg2rad([self.azimuth, self.height])
        return np.array([np.cos(up) * np.sin(around), -np.cos(up) * np.cos(around), np.sin(up)])


def light_from(direction: NDArray[np.floating]) -> Light:
    """The light that stands in the direction of a unit vector."""
    right, down, near = (float(v) for v in direction)
    return Light(
        float(np.rad2deg(np.arctan2(right, -down))) % 360, float(np.rad2deg(np.arcsin(np.clip(near, -1, 1))))
    )


def falls_on(
    solids: Solids, light: Light, apart: Mapping[int, Light] | None = None
) -> dict[int, NDArray[np.float32]]:
    """Form -> (n,) how squarely light falls on its pixels, -1..1. apart: form -> another light for it."""
    found = {}
    for form, normals in solids.surface.normals.items():
        own = (apart or {}).get(form, light)
        found[form] = np.asarray(normals @ own.direction, np.float32)
    return found


def on_drawing(
    solids: Solids, values: Mapping[int, NDArray[np.float32]], patches: NDArray[np.integer]
) -> NDArray[np.float32]:
    """(h, w) values of the forms at the drawing's own size, each form's own up to its rim; what lies outside all forms, as
    paint under the ink does, has the nearest one's. patches: (h, w) patch of each pixel, as `Patches.labels`."""
    forms = solids.forms
    out = np.zeros(patches.shape, np.float32)
    whole = forms.of_patch[patches]
    height, width = (high - low for low, high in forms.box)
    cut, inside = whole[forms.part], out[forms.part]
    rows, columns = forms.labels.shape
    for form, own in values.items():
        field, (top, left) = around(forms, form, own, 3)
        # A little more than the form, so that its rim is not mixed with what lies beside it.
        y0, x0 = round(top * height / rows), round(left * width / columns)
        y1 = round((top + field.shape[0]) * height / rows)
        x1 = round((left + field.shape[1]) * width / columns)
        large = cv2.resize(field, (x1 - x0, y1 - y0), interpolation=cv2.INTER_LINEAR)
        large = large[max(0, -y0) : height - y0, max(0, -x0) : width - x0]
        part = np.s_[max(0, y0) : max(0, y0) + large.shape[0], max(0, x0) : max(0, x0) + large.shape[1]]
        mine = cut[part] == form
        inside[part][mine] = large[mine]
    return fill_nearest(out, whole > 0)


def around(
    forms: Forms, form: int, values: NDArray[np.float32], by: int
) -> tuple[NDArray[np.float32], tuple[int, int]]:
    """Values of a form on a rectangle `by` px wider than it, those outside it the nearest ones'; and the row and column of
    `forms.labels` where it begins, which may be under 0."""
    here = forms.labels == form
    part = box_of(here)
    inside = np.pad(here[part], by)
    field = np.zeros(inside.shape, np.float32)
    field[inside] = values
    return fill_nearest(field, inside), (part[0].start - by, part[1].start - by)


def amount_below(falls: Sequence[NDArray[np.floating]], share: float) -> float:
    """The light below which a share of the painted area lies in shade, in most drawings of a run.

    falls: the light on the painted places of each drawing. Raises ValueError if nothing is painted.
    """
    found = [float(np.quantile(light, share)) for light in falls if len(light)]
    if not found:
        raise ValueError("nothing is painted, so there is nothing to shade")
    return float(np.median(found))
