"""Light on forms: what it falls on, and what lies in shade."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

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


def falls_on(
    solids: Solids, light: Light, apart: Mapping[int, Light] | None = None
) -> dict[int, NDArray[np.float32]]:
    """Form -> (n,) how squarely light falls on its pixels, -1..1. apart: form -> another light for it."""
    found = {}
    for form, normals in solids.normals.items():
        own = (apart or {}).get(form, light)
        found[form] = np.asarray(normals @ own.direction, np.float32)
    return found


def on_drawing(solids: Solids, values: Mapping[int, NDArray[np.float32]]) -> NDArray[np.float32]:
    """(h, w) values of the forms at the drawing's own size, each form's own up to its rim and beyond: what is painted
    outside all forms, under the ink, has the nearest ones."""
    forms = solids.forms
    height, width = forms.whole.shape
    out = np.zeros((height, width), np.float32)
    rows, columns = forms.box
    size = (columns.stop - columns.start, rows.stop - rows.start)
    cut = forms.whole[forms.box]
    for form, own in values.items():
        here = forms.labels == form
        boxes = ndi.find_objects(here.astype(np.uint8))
        if not boxes:
            continue
        # A little more than the form, so that its rim is not mixed with what lies beside it.
        low = [max(0, s.start - 3) for s in boxes[0]]
        high = [min(n, s.stop + 3) for s, n in zip(boxes[0], here.shape, strict=True)]
        part = np.s_[low[0] : high[0], low[1] : high[1]]
        field = np.zeros((high[0] - low[0], high[1] - low[1]), np.float32)
        field[here[part]] = own
        nearest = ndi.distance_transform_edt(~here[part], return_distances=False, return_indices=True)
        field = field[tuple(nearest)]
        top, left = (round(v * n / m) for v, n, m in zip(low, (size[1], size[0]), here.shape, strict=True))
        bottom, right = (
            round(v * n / m) for v, n, m in zip(high, (size[1], size[0]), here.shape, strict=True)
        )
        large = cv2.resize(field, (right - left, bottom - top), interpolation=cv2.INTER_LINEAR)
        mine = cut[top:bottom, left:right] == form
        out[forms.box][top:bottom, left:right][mine] = large[mine]
    outside = forms.whole == 0
    if outside.any() and not outside.all():
        reach = 12
        near = cv2.distanceTransform(outside.astype(np.uint8), cv2.DIST_L2, 3) <= reach
        index = ndi.distance_transform_edt(outside, return_distances=False, return_indices=True)
        fill = outside & near
        out[fill] = out[index[0][fill], index[1][fill]]
    return out


def amount_below(
    drawings: Sequence[tuple[Solids, Mapping[int, NDArray[np.float32]], NDArray[np.bool_]]], share: float
) -> float:
    """The light below which a share of the painted area lies in shade, in most drawings of a run.

    drawings: solids, the light that falls on them (`falls_on`), and (h, w) where they are painted. Raises ValueError if
    nothing is.
    """
    found = [
        float(np.quantile(on_drawing(solids, values)[painted], share))
        for solids, values, painted in drawings
        if values and painted.any()
    ]
    if not found:
        raise ValueError("nothing is painted, so there is nothing to shade")
    return float(np.median(found))
