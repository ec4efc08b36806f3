"""Tones: flat shapes of shade or light on a drawing, seen inside the patches they belong to."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.measure import find_contours

from ..strokes import Points, fit_curve
from ..strokes.curves import bernstein
from ..strokes.model import new_id
from ..strokes.raster import fixed
from .doubt import UNSURE_ABOVE, doubt_of
from .light import around
from .solids import Solids

Kind = Literal["shade", "deep", "light", "rim", "blush", "reflection"]

KINDS: tuple[Kind, ...] = ("shade", "deep", "light", "rim", "blush", "reflection")
"""In the order in which they lie over each other."""

By = Literal["hand", "light", "carried"]

_BEYOND = 4
"""Px of a form's own grid by which a proposed shape reaches over the form's edge, where nothing of it is seen."""

_SMOOTH = 1.2
"""Px of that grid over which a proposed edge is smoothed."""

_TOLERANCE = 2.0
"""Px of the drawing by which a fitted edge may lie off."""

_LEAST = 12
"""Px² of that grid under which nothing is proposed."""

_NOTICED = 0.006
"""Share of the figure that has to be wrong before a person is asked about a tone."""

_BARELY = 0.06
"""Cosine by which an island has to be darker or lighter than where shade begins to be one."""

_EASE = 3.0
"""Px of a form's grid over which its values go on outside it."""

_STEP = 6.0
"""About how far apart a curve is sampled to be filled, px."""


@dataclass(frozen=True, eq=False)
class Tone:
    """A shape of one kind. rings: (3 n + 1, 2) control points of closed cubic curves, px, filled even-odd.

    takes: it takes away from what of its kind lies before it. by: who made it. doubt: 0..1.
    pots, parts, at: where it is seen: on these pots, on these parts, in the patches at these places; with none of them,
    wherever there is paint. soft: px over which its edge fades. key: the colour key in which alone it is seen, 0 for all;
    without: keys in which it is not.
    """

    kind: Kind
    rings: tuple[Points, ...]
    takes: bool = False
    by: By = "hand"
    doubt: float = 0.0
    pots: tuple[int, ...] = ()
    parts: tuple[str, ...] = ()
    at: tuple[tuple[float, float], ...] = ()
    soft: float = 0.0
    key: int = 0
    without: tuple[int, ...] = ()
    id: str = field(default_factory=new_id)

    def to_dict(self) -> dict[str, Any]:
        """A JSON-ready mapping; numbers are rounded to 1/10 px."""
        data: dict[str, Any] = {
            "id": self.id,
            "kind": self.kind,
            "by": self.by,
            "rings": [np.round(ring, 1).ravel().tolist() for ring in self.rings],
        }
        if self.takes:
            data["takes"] = True
        if self.doubt:
            data["doubt"] = round(self.doubt, 3)
        for name in ("soft", "key"):
            if getattr(self, name):
                data[name] = getattr(self, name)
        for name in ("pots", "parts", "at", "without"):
            if getattr(self, name):
                data[name] = [list(v) if name == "at" else v for v in getattr(self, name)]
        return data

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Tone:
        """The inverse of `to_dict`. Raises ValueError or KeyError on malformed data."""
        return cls(
            data["kind"],
            tuple(np.asarray(ring, float).reshape(-1, 2) for ring in data["rings"]),
            bool(data.get("takes", False)),
            data["by"],
            float(data.get("doubt", 0.0)),
            tuple(int(pot) for pot in data.get("pots", ())),
            tuple(data.get("parts", ())),
            tuple((float(x), float(y)) for x, y in data.get("at", ())),
            float(data.get("soft", 0.0)),
            int(data.get("key", 0)),
            tuple(int(key) for key in data.get("without", ())),
            str(data["id"]),
        )


def shown_in(tones: Sequence[Tone], key: int) -> list[Tone]:
    """Those that are seen in a colour key."""
    return [tone for tone in tones if tone.key in (0, key) and key not in tone.without]


def ring_of(points: Points, tolerance: float = _TOLERANCE, corners: Collection[int] = ()) -> Points:
    """Control points of a closed curve through a (k, 2) polyline whose ends meet or do not, px.

    Raises ValueError for fewer than three distinct points.
    """
    ring = np.vstack([points, points[:1]]) if np.hypot(*(points[0] - points[-1])) > 1e-6 else points
    if len(np.unique(np.round(ring, 3), axis=0)) < 3:
        raise ValueError("a shape needs three points")
    controls, _ = fit_curve(ring, tolerance, sorted(corners), closed=not corners)
    return controls


_AFFORDABLE = 16e6
"""Pixels up to which the way of a brush is drawn finer than it is."""


_DABS = 50
"""Places in a brush's width where it is set down: what lies between two of them is off by 1 / 20,000 of it."""


def _spaced(path: Points, step: float) -> Points:
    """Every point of a path that is `step` px of way beyond the one before, with the first and the last."""
    way = np.r_[0, np.hypot(*np.diff(path, axis=0).T).cumsum()] // step
    keep = np.r_[True, np.diff(way) > 0]
    keep[-1] = True
    return path[keep]


def rings_along(path: Points, width: float) -> tuple[Points, ...]:
    """Closed curves round what a round brush of a width, px, covers along a (k, 2) path.

    Raises ValueError for a brush without width.
    """
    if width <= 0:
        raise ValueError("a brush needs a width")
    path = _spaced(np.asarray(path, float), width / _DABS)
    low = path.min(axis=0) - width - 2
    span = path.max(axis=0) + width + 2 - low
    # A thin line is drawn finer, as far as that is affordable.
    finer = max(1.0, min(8 / width, 4.0, float(np.sqrt(_AFFORDABLE / span.prod()))))
    size = np.ceil(span * finer).astype(int)
    drawn = np.zeros(size[::-1], np.uint8)
    cv2.polylines(
        drawn, [fixed((path - low) * finer)], False, 255, max(1, round(width * finer)), cv2.LINE_AA, 4
    )
    rings = []
    for contour in find_contours(drawn.astype(np.float32), 127.5):
        points = (contour[:, ::-1] + 0.5) / finer + low
        if len(points) > 4 and abs(_area(points)) > 2:
            rings.append(ring_of(points, min(_TOLERANCE, width / 12)))
    return tuple(rings)


def sampled(ring: Points) -> Points:
    """(k, 2) points of a closed curve."""
    segments = ring[np.arange(0, len(ring) - 1, 3)[:, None] + np.arange(4)]
    hull = np.hypot(*np.moveaxis(np.diff(segments, axis=1), 2, 0)).sum(axis=1).max(initial=0.0)
    basis = bernstein(np.linspace(0, 1, int(np.clip(np.ceil(hull / _STEP) + 1, 4, 60))))
    return np.asarray(np.einsum("kc,ncd->nkd", basis[:-1], segments).reshape(-1, 2))


Within = Callable[[tuple[slice, slice]], NDArray[np.bool_]]
"""Gives the mask in which a tone is seen, for rows and columns of the result."""


def coverage(
    tones: Sequence[tuple[Tone, Within | None]],
    size: tuple[int, int],
    matrix: NDArray[np.float64] | None = None,
) -> NDArray[np.float32]:
    """(h, w) share 0..1 of each pixel that tones of one kind cover, in their order.

    tones: each with where it is seen, None for everywhere. size: (width, height) of the result. matrix: (2, 3) from the
    drawing to the result.
    """
    linear, shift = (np.eye(2), np.zeros(2)) if matrix is None else (matrix[:, :2], matrix[:, 2])
    scale = float(np.sqrt(abs(np.linalg.det(linear))))
    total = np.zeros(size[::-1], np.float32)
    for tone, within in tones:
        rings = [sampled(ring) @ linear.T + shift for ring in tone.rings]
        fade = tone.soft * scale
        low, high = (
            np.min([r.min(axis=0) for r in rings], axis=0),
            np.max([r.max(axis=0) for r in rings], axis=0),
        )
        left, top = np.clip(np.floor(low - 2 * fade - 1), 0, size).astype(int).tolist()
        right, bottom = np.clip(np.ceil(high + 2 * fade + 1), 0, size).astype(int).tolist()
        if right <= left or bottom <= top:
            continue
        part = slice(top, bottom), slice(left, right)
        layer = np.zeros((bottom - top, right - left), np.uint8)
        cv2.fillPoly(layer, [fixed(ring - (left, top)) for ring in rings], 255, cv2.LINE_AA, 4)
        share = layer.astype(np.float32) * np.float32(1 / 255)
        if fade:
            share = cv2.GaussianBlur(share, (0, 0), max(fade / 2, 0.1))
        if within is not None:
            share *= within(part)
        here = total[part]
        total[part] = here * (1 - share) if tone.takes else here + share * (1 - here)
    return total


def shapes_of(
    solids: Solids,
    values: Mapping[int, NDArray[np.float32]],
    anchors: Points,
    kind: Kind = "shade",
    by: By = "light",
) -> list[Tone]:
    """Shapes of a kind where values of the forms are under 0, one for each form, with few points on smooth edges.

    anchors: (count + 1, 2) a place in each patch, px. by: "light" for values of `falls_on`, "carried" for those of `carried`.
    """
    forms = solids.forms
    out = []
    figure = (forms.labels > 0).sum()
    for form, given in values.items():
        own = _without_islands(forms.labels == form, given)
        if (own < 0).sum() < _LEAST:
            continue
        at = tuple((float(x), float(y)) for x, y in anchors[np.flatnonzero(forms.of_patch == form)])
        field, begin = around(forms, form, own, _BEYOND)
        inside = np.pad(forms.labels, _BEYOND + 1)[
            begin[0] + _BEYOND + 1 : begin[0] + _BEYOND + 1 + field.shape[0],
            begin[1] + _BEYOND + 1 : begin[1] + _BEYOND + 1 + field.shape[1],
        ]
        rings = _level(_eased(field, inside == form), begin, forms.step)
        origin = np.array([forms.box[1][0], forms.box[0][0]], float)
        if rings:
            doubt = doubt_of(given, solids.surface.spread[form] if by == "light" else None)
            if doubt * (given < 0).sum() < _NOTICED * figure:
                doubt = min(doubt, UNSURE_ABOVE)
            out.append(Tone(kind, tuple(ring + origin for ring in rings), by=by, doubt=doubt, at=at))
    return out


def _without_islands(inside: NDArray[np.bool_], values: NDArray[np.float32]) -> NDArray[np.float32]:
    """Values of a form without what is barely shade in the light, or barely light in the shade."""
    field = np.zeros(inside.shape, np.float32)
    field[inside] = values
    changed = values
    for dark in (True, False):
        mask = inside & ((field < 0) if dark else (field >= 0))
        count, islands = cv2.connectedComponents(mask.astype(np.uint8))
        if count <= 2:
            continue
        of = islands[inside]
        deep = np.zeros(count, np.float32)
        np.maximum.at(deep, of, np.abs(values))
        sizes = np.bincount(of, minlength=count)
        sizes[0] = 0
        weak = deep < _BARELY
        weak[[0, int(sizes.argmax())]] = False
        changed = np.where(weak[of], np.float32(_BARELY if dark else -_BARELY), changed)
    return changed


def _eased(field: NDArray[np.float32], inside: NDArray[np.bool_]) -> NDArray[np.float32]:
    """A field of a form that goes on smoothly outside it: the nearest values alone have the steps of its rim."""
    weight = inside.astype(np.float32)
    below = cv2.GaussianBlur(weight, (0, 0), _EASE)
    mean = cv2.GaussianBlur(field * weight, (0, 0), _EASE) / np.maximum(below, 1e-6)
    return np.where(inside, field, np.where(below > 1e-3, mean, field)).astype(np.float32)


def _level(field: NDArray[np.float32], begin: tuple[int, int], step: float) -> list[Points]:
    """Closed curves round what of a field is under 0, px of the drawing from where its grid begins."""
    smooth = cv2.GaussianBlur(field, (0, 0), _SMOOTH, borderType=cv2.BORDER_REPLICATE)
    high = float(max(smooth.max(), 1e-3))
    found = find_contours(np.pad(smooth, 1, constant_values=high), 0.0)
    rings = []
    for contour in found:
        rows, columns = (contour - 1).T
        points = np.c_[columns + begin[1] + 0.5, rows + begin[0] + 0.5] * step
        if abs(_area(points)) < _LEAST * step**2:
            continue
        # Along the rim of the grid nothing is seen: there straight lines and corners will do.
        rim = (
            (rows < 0.5) | (columns < 0.5) | (rows > field.shape[0] - 1.5) | (columns > field.shape[1] - 1.5)
        )
        rings.append(_ring(points, rim))
    return rings


def _ring(points: Points, rim: NDArray[np.bool_]) -> Points:
    """A closed curve through points; stretches of the rim are few straight lines."""
    points, rim = points[:-1], rim[:-1]
    if not rim.any():
        return ring_of(points)
    shift = int(np.flatnonzero(rim & ~np.roll(rim, 1))[0]) if not rim.all() else 0
    points, rim = np.roll(points, -shift, axis=0), np.roll(rim, -shift)
    cuts = np.flatnonzero(np.diff(rim.astype(int))) + 1
    kept: list[Points] = []
    corners: list[int] = []
    count = 0
    for piece, flat in zip(np.split(points, cuts), np.split(rim, cuts), strict=True):
        if flat[0]:
            few = cv2.approxPolyDP(piece[:, None].astype(np.float32), 3.0, False)[:, 0].astype(float)
            corners += range(count, count + len(few))
            kept.append(few)
        else:
            few = piece
            kept.append(piece)
        count += len(few)
    return ring_of(np.vstack(kept), _TOLERANCE, corners)


def _area(points: Points) -> float:
    x, y = points.T
    return float((x * np.roll(y, -1) - y * np.roll(x, -1)).sum() / 2)


def side_of(path: Points, box: tuple[float, float, float, float], towards: Points) -> Points:
    """A closed curve with everything of a box (left, top, right, bottom) on one side of a line drawn across it.

    path: (k, 2) the line, which goes on straight at its ends. towards: (2,) direction of that side.
    Raises ValueError for a line without length.
    """
    path = np.asarray(path, float)
    if len(path) < 2 or np.hypot(*(path[-1] - path[0])) < 1e-6:
        raise ValueError("the line has no length")
    low, high = np.array(box[:2]) - 8.0, np.array(box[2:]) + 8.0
    reach = 3 * float(np.hypot(*(high - low))) + 10
    near = min(len(path) - 1, 6)
    ends = []
    for end, inner in ((path[0], path[near]), (path[-1], path[-1 - near])):
        way = (end - inner) / max(float(np.hypot(*(end - inner))), 1e-9)
        ends.append(end + reach * way)
    chord = ends[1] - ends[0]
    side = np.array([-chord[1], chord[0]]) / np.hypot(*chord)
    if side @ np.asarray(towards, float) < 0:
        side = -side
    far = [ends[1] + 2 * reach * side, ends[0] + 2 * reach * side]
    whole = np.vstack([ends[:1], path, ends[1:], far])
    return _clipped(whole, low, high, path)


def _clipped(whole: Points, low: Points, high: Points, path: Points) -> Points:
    """A polygon cut to a box (I. E. Sutherland and G. W. Hodgman, 1974) and fitted, with corners but on the path."""
    ring = whole
    for axis in (0, 1):
        for bound, sign in ((low[axis], 1.0), (high[axis], -1.0)):
            inside = sign * (ring[:, axis] - bound)
            kept = []
            for k in range(len(ring)):
                a, b = inside[k - 1], inside[k]
                if (a < 0) != (b < 0):
                    kept.append(ring[k - 1] + a / (a - b) * (ring[k] - ring[k - 1]))
                if b >= 0:
                    kept.append(ring[k])
            if len(kept) < 3:
                raise ValueError("the line does not cross the form")
            ring = np.array(kept)
    own = {tuple(p) for p in np.round(path[1:-1], 6).tolist()}
    corners = [k for k, p in enumerate(np.round(ring, 6).tolist()) if tuple(p) not in own]
    return ring_of(ring, _TOLERANCE, corners)
