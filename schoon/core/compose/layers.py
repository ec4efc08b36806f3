"""A frame as a tree of layers. What a layer shows stands in its source, how it is laid on in the layer.

To add a kind of picture: a source with `prepare`; what it draws is composed, scaled and exported with all others.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from ..model import Rgb, Rgba
from ..patches import grow
from ..pixels import box_of
from ..strokes import Stroke, ink_coverage
from ..tone import KINDS, Tone, Within, coverage

Role = Literal["backdrop", "flats", "tone", "shadow", "ink", "texture", "paper", "guide"]
Blend = Literal["normal", "multiply", "screen"]
Box = tuple[int, int, int, int]
"""Columns and rows of the result: x0, y0, x1, y1, the ends not included."""
Matrix = NDArray[np.float64]
"""(2, 3) from the pixels of a source to those of the frame."""

SAME: Matrix = np.eye(2, 3)
_THIN = 8
"""Of so many pixels less than one is touched by what is laid pixel by pixel."""

_FINER = 2
"""Flat areas are sampled this much finer than the result and averaged."""


class Prepared(Protocol):
    """A source made ready for one size of the result."""

    @property
    def box(self) -> Box:
        """Where it shows anything."""

    def read(self, box: Box) -> NDArray[np.float32]:
        """(h, w, 4) premultiplied RGBA 0..1 of a part of its box."""


class Source(Protocol):
    """Something a layer shows."""

    def prepare(self, matrix: Matrix, size: tuple[int, int]) -> Prepared:
        """matrix: from its own pixels to those of the result. size: (width, height) of the result, px."""


@dataclass(frozen=True)
class Layer:
    """role: what it is for. source: what it shows, or layers that are laid together first. transform: to the frame's
    pixels. opacity: 0..1. clip: it is seen only where that one is. onto: it lies only on what is below it among the layers
    it is laid together with, and leaves that as see-through as it is.
    """

    role: Role
    source: Source | Sequence[Layer]
    transform: Matrix = field(default_factory=lambda: SAME)
    blend: Blend = "normal"
    opacity: float = 1.0
    clip: Layer | None = None
    onto: bool = False


@dataclass(frozen=True)
class Frame:
    """size: (width, height), px. layers: from rear to front."""

    size: tuple[int, int]
    layers: tuple[Layer, ...]

    def on(self, colour: Rgb) -> Frame:
        """The same on a plain backdrop."""
        return replace(self, layers=(Layer("backdrop", Plain((*colour, 255))), *self.layers))


# ---- sources


# Pictures in float have their channels apart in memory: numpy is slow over a last axis as short as these.


def clear(height: int, width: int) -> NDArray[np.float32]:
    """(h, w, 4) of nothing."""
    return np.zeros((4, height, width), np.float32).transpose(1, 2, 0)


def apart(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    """(h, w, n) the same picture with its channels apart in memory."""
    return np.ascontiguousarray(picture.transpose(2, 0, 1)).transpose(1, 2, 0)


def shared(colours: NDArray[np.float32], share: NDArray[np.float32]) -> NDArray[np.float32]:
    """(h, w, n) colours, of every pixel or one for all, times (h, w) shares."""
    made = np.empty((colours.shape[-1], *share.shape), np.float32)
    for channel, to in enumerate(made):
        np.multiply(colours[..., channel], share, out=to)
    return made.transpose(1, 2, 0)


def _premultiplied(rgba: NDArray[np.uint8]) -> NDArray[np.float32]:
    whole = rgba.astype(np.float32) * np.float32(1 / 255)
    whole[..., :3] *= whole[..., 3:]
    return whole


def _coloured(colours: NDArray[np.float32], labels: NDArray[np.integer]) -> NDArray[np.float32]:
    """(h, w, 4) the colour (n, 4) of the label of each pixel."""
    return np.stack([channel[labels] for channel in colours.T]).transpose(1, 2, 0)


def _colour(rgba: Rgba) -> NDArray[np.float32]:
    return _premultiplied(np.array(rgba, np.uint8)[None])[0]


@dataclass(frozen=True)
class Plain:
    """One colour everywhere."""

    colour: Rgba

    def prepare(self, matrix: Matrix, size: tuple[int, int]) -> Prepared:
        return _Even((0, 0, *size), _colour(self.colour))


@dataclass(frozen=True)
class _Even:
    box: Box
    colour: NDArray[np.float32]

    def read(self, box: Box) -> NDArray[np.float32]:
        return np.broadcast_to(self.colour, (box[3] - box[1], box[2] - box[0], 4))


@dataclass(frozen=True)
class Ink:
    """Strokes in one colour."""

    strokes: Sequence[Stroke]
    colour: Rgb

    def prepare(self, matrix: Matrix, size: tuple[int, int]) -> Prepared:
        scale = _scale_of(matrix)
        if scale is not None:
            coverage = ink_coverage(self.strokes, size, scale)
        else:
            linear = matrix[:, :2]
            wider = float(np.sqrt(abs(np.linalg.det(linear))))
            moved = [
                replace(s, controls=s.controls @ linear.T + matrix[:, 2], widths=s.widths * wider)
                for s in self.strokes
            ]
            coverage = ink_coverage(moved, size)
        return Covered(_box_of(coverage), coverage, _colour((*self.colour, 255)))


@dataclass(frozen=True)
class Covered:
    """One colour. coverage: (h, w) of the result, 0..255."""

    box: Box
    coverage: NDArray[np.uint8]
    colour: NDArray[np.float32]

    def read(self, box: Box) -> NDArray[np.float32]:
        share = self.coverage[box[1] : box[3], box[0] : box[2]].astype(np.float32) * np.float32(1 / 255)
        return shared(self.colour, share)

    @cached_property
    def thin(self) -> bool:
        """Whether it touches few of the pixels of its box, as lines do."""
        x0, y0, x1, y1 = self.box
        return bool(np.count_nonzero(self.coverage[y0:y1, x0:x1]) * _THIN < (x1 - x0) * (y1 - y0))

    def lay(self, below: NDArray[np.float32], box: Box) -> None:
        """Lays it over what is in a part of its box, at the pixels it touches only."""
        here = self.coverage[box[1] : box[3], box[0] : box[2]]
        rows, columns = np.nonzero(here)
        above = (here[rows, columns].astype(np.float32) * np.float32(1 / 255))[:, None] * self.colour
        below[rows, columns] = above + below[rows, columns] * (1 - above[:, 3:])


@dataclass(frozen=True)
class Flats:
    """Patches in their colours. labels: (h, w) patch of each pixel, 0 on ink: colours meet under the line.

    colours: patch -> RGBA; the others are left clear.
    """

    labels: NDArray[np.integer]
    colours: Mapping[int, Rgba]

    def prepare(self, matrix: Matrix, size: tuple[int, int]) -> Prepared:
        most = max((*self.colours, 0), default=0)
        table = np.zeros((max(most, int(self.labels.max(initial=0))) + 1, 4), np.uint8)
        for patch, colour in self.colours.items():
            table[patch] = colour
        scale = _scale_of(matrix)
        same = scale == 1.0 and self.labels.shape[::-1] == size
        finer = 1 if same else _FINER
        if same:
            sampled = self.labels
        elif scale is not None:
            rows, columns = (
                np.minimum(((np.arange(out * finer) + 0.5) / (scale * finer)).astype(int), there - 1)
                for out, there in zip(size[::-1], self.labels.shape, strict=True)
            )
            sampled = self.labels[rows[:, None], columns]
        else:
            fine = (size[0] * finer, size[1] * finer)
            # The middle of a fine pixel is asked for its patch.
            onto = np.vstack([matrix, [0, 0, 1]])
            onto[:2] *= finer
            into = np.linalg.inv(onto)[:2]
            into[:, 2] += into[:, :2] @ (0.5, 0.5) - 0.5
            sampled = cv2.warpAffine(
                self.labels.astype(np.float32), into, fine,
                flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_CONSTANT, borderValue=-1,
            )  # fmt: skip
            sampled = sampled.astype(np.int32)
        outside = sampled < 0
        shown = grow(np.maximum(sampled, 0).astype(np.int32))
        if outside.any():
            shown[outside] = 0
        colours = _premultiplied(table)
        seen = colours[:, 3][shown] > 0
        box = _box_of(seen)
        if finer > 1:
            box = (box[0] // finer, box[1] // finer, -(-box[2] // finer), -(-box[3] // finer))
        return _Tabled(box, shown, colours, finer)


@dataclass(frozen=True)
class _Tabled:
    box: Box
    labels: NDArray[np.int32]
    colours: NDArray[np.float32]
    finer: int

    def read(self, box: Box) -> NDArray[np.float32]:
        x0, y0, x1, y1 = (side * self.finer for side in box)
        labels = self.labels[y0:y1, x0:x1]
        if self.finer == 1:
            return _coloured(self.colours, labels)
        size = (box[2] - box[0], box[3] - box[1])
        return apart(cv2.resize(self.colours[labels], size, interpolation=cv2.INTER_AREA))


@dataclass(frozen=True, eq=False)
class Shades:
    """Tones in the patches they are seen in. labels: (h, w) patch of each pixel, 0 on ink.

    tones: each with its patches, None for all that have a colour. colours: kind -> patch -> RGB. Kinds lie over each other
    in the order of `core.tone.KINDS`. exact: edges are not smoothed, so that no colour is mixed. above: they lie on what is
    see-through too, as what glass reflects.
    """

    labels: NDArray[np.integer]
    tones: Sequence[tuple[Tone, frozenset[int] | None]]
    colours: Mapping[str, Mapping[int, Rgba]]
    exact: bool = False
    above: bool = False

    def prepare(self, matrix: Matrix, size: tuple[int, int]) -> Prepared:
        shown = _patches_at(self.labels, matrix, size)
        count = int(max(shown.max(initial=0), 0)) + 1
        made = clear(*size[::-1])
        for kind in KINDS:
            table = np.zeros((count, 4), np.uint8)
            for patch, colour in self.colours.get(kind, {}).items():
                if patch < count:
                    table[patch] = colour
            own = [
                (tone, None if within is None else _among(shown, within, count))
                for tone, within in self.tones
                if tone.kind == kind
            ]
            if not own or not table.any():
                continue
            share = coverage(own, size, matrix)
            if self.exact:
                share = (share > 0.5).astype(np.float32)
            x0, y0, x1, y1 = _box_of(share)
            part = np.s_[y0:y1, x0:x1]
            laid = _coloured(_premultiplied(table), shown[part])
            # A see-through pot stays as see-through as it is: its tone takes the place of its colour.
            here = share[part]
            made[part] = shared(made[part], 1 - here * (laid[..., 3] > 0)) + shared(laid, here)
        return _Floats(_box_of(made[..., 3]), made)


def seen_together(layers: Sequence[Layer]) -> list[Layer]:
    """Flats and what lies on them as one, where a colour is see-through: a tone takes the place of the colour below it and
    is as see-through. Layers without such a colour stay as they are."""
    clear = any(
        0 < colour[3] < 255
        for layer in layers
        if isinstance(layer.source, Flats)
        for colour in layer.source.colours.values()
    )
    return [Layer("flats", [_taking_the_place(layer) for layer in layers])] if clear else list(layers)


def _taking_the_place(layer: Layer) -> Layer:
    source = layer.source
    if not isinstance(source, Shades) or source.above:
        return layer
    opaque = {
        kind: {p: (r, g, b, 255) for p, (r, g, b, alpha) in table.items() if alpha}
        for kind, table in source.colours.items()
    }
    return replace(layer, source=replace(source, colours=opaque), onto=True)


def by_kind(layer: Layer) -> list[tuple[str, Layer]]:
    """A layer of tones as one layer a kind, in the order in which they lie over each other, with that kind; any other layer
    as it is, with ""."""
    source = layer.source
    if isinstance(source, Shades):
        own = {kind: [one for one in source.tones if one[0].kind == kind] for kind in KINDS}
        return [(kind, replace(layer, source=replace(source, tones=t))) for kind, t in own.items() if t]
    if isinstance(source, Sequence) and len(source) == 1:
        return [(kind, replace(layer, source=(inner,))) for kind, inner in by_kind(source[0])]
    return [("", layer)]


def _patches_at(labels: NDArray[np.integer], matrix: Matrix, size: tuple[int, int]) -> NDArray[np.int32]:
    """(h, w) the patch at the middle of each pixel of the result, those on ink that of the nearest; 0 outside."""
    if _scale_of(matrix) == 1.0 and labels.shape[::-1] == size:
        return grow(labels.astype(np.int32, copy=False))
    into = np.linalg.inv(np.vstack([matrix, [0, 0, 1]]))[:2]
    into[:, 2] += into[:, :2] @ (0.5, 0.5) - 0.5
    whole = grow(labels.astype(np.int32, copy=False)).astype(np.float32)
    moved = cv2.warpAffine(
        whole, into, size, flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_CONSTANT
    )
    return np.asarray(moved, np.int32)


def _among(labels: NDArray[np.int32], patches: frozenset[int], count: int) -> Within:
    table = np.zeros(count, bool)
    table[[p for p in patches if p < count]] = True
    return lambda part: np.asarray(table[labels[part]])


@dataclass(frozen=True)
class Cover:
    """A drawn line as a picture: (h, w) coverage 0..255 in one colour."""

    coverage: NDArray[np.uint8]
    colour: Rgb

    def prepare(self, matrix: Matrix, size: tuple[int, int]) -> Prepared:
        coverage = _moved(self.coverage, matrix, size)
        return Covered(_box_of(coverage), coverage, _colour((*self.colour, 255)))


@dataclass(frozen=True, eq=False)
class Mask:
    """A silhouette in one colour. inside: (h, w). soft: px over which its edge fades."""

    inside: NDArray[np.bool_]
    colour: Rgb
    soft: float = 0.0

    def prepare(self, matrix: Matrix, size: tuple[int, int]) -> Prepared:
        made = _moved(np.where(self.inside, 255, 0).astype(np.uint8), matrix, size)
        if self.soft:
            scale = float(np.sqrt(abs(np.linalg.det(matrix[:, :2]))))
            made = cv2.GaussianBlur(made, (0, 0), max(self.soft * scale, 0.1))
        return Covered(_box_of(made), made, _colour((*self.colour, 255)))


@dataclass(frozen=True)
class Gradient:
    """A colour that fades from one point to another, or with `round` about the first to the distance of the second."""

    colour: Rgb
    begin: tuple[float, float]
    end: tuple[float, float]
    round: bool = False

    def prepare(self, matrix: Matrix, size: tuple[int, int]) -> Prepared:
        begin, end = (matrix[:, :2] @ point + matrix[:, 2] for point in (self.begin, self.end))
        way = end - begin
        reach = max(float(np.hypot(*way)), 1e-6)
        x, y = np.arange(size[0])[None] + 0.5 - begin[0], np.arange(size[1])[:, None] + 0.5 - begin[1]
        far = np.hypot(x, y) / reach if self.round else (x * way[0] + y * way[1]) / reach**2
        share = np.asarray(255 * np.clip(1 - far, 0, 1) + 0.5, np.uint8)
        return Covered(_box_of(share), share, _colour((*self.colour, 255)))


@dataclass(frozen=True, eq=False)
class Computed:
    """What is worked out for each size of the result. make: gives (h, w, 4) premultiplied RGBA 0..1 of a matrix and a size,
    as `Source.prepare` takes them; with a colour (h, w) how much of each pixel that covers."""

    make: Callable[[Matrix, tuple[int, int]], NDArray[np.float32]]
    colour: Rgb | None = None

    def prepare(self, matrix: Matrix, size: tuple[int, int]) -> Prepared:
        made = self.make(matrix, size)
        if self.colour is not None:
            coverage = np.asarray(255 * made + 0.5, np.uint8)
            return Covered(_box_of(coverage), coverage, _colour((*self.colour, 255)))
        return _Floats(_box_of(made[..., 3]), apart(made))


@dataclass(frozen=True)
class Picture:
    """Pixels as they are: (h, w, 4) straight-alpha RGBA."""

    pixels: NDArray[np.uint8]

    def prepare(self, matrix: Matrix, size: tuple[int, int]) -> Prepared:
        if _scale_of(matrix) == 1.0 and self.pixels.shape[1::-1] == size:
            return _Pixels(_box_of(self.pixels[..., 3]), self.pixels)
        made = apart(_moved(_premultiplied(self.pixels), matrix, size))
        return _Floats(_box_of(made[..., 3]), made)


@dataclass(frozen=True)
class _Pixels:
    box: Box
    pixels: NDArray[np.uint8]

    def read(self, box: Box) -> NDArray[np.float32]:
        return apart(_premultiplied(self.pixels[box[1] : box[3], box[0] : box[2]]))


@dataclass(frozen=True)
class _Floats:
    box: Box
    pixels: NDArray[np.float32]

    def read(self, box: Box) -> NDArray[np.float32]:
        return self.pixels[box[1] : box[3], box[0] : box[2]]


_FLICKERS = 0.75
"""Scale below which a picture is averaged before it is moved."""


def _moved(picture: Any, matrix: Matrix, size: tuple[int, int]) -> Any:
    """A picture through a matrix to a size: averaged if it only becomes smaller, else between its pixels."""
    height, width = picture.shape[:2]
    scale = _scale_of(matrix)
    if scale == 1.0 and (width, height) == size:
        return picture
    if scale is not None and scale < 1 and (round(width * scale), round(height * scale)) == size:
        return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    # Between pixels alone, much smaller pictures flicker: they are averaged first.
    smaller = float(np.sqrt(abs(np.linalg.det(matrix[:, :2]))))
    if smaller < _FLICKERS:
        few = (max(1, round(width * smaller)), max(1, round(height * smaller)))
        picture = cv2.resize(picture, few, interpolation=cv2.INTER_AREA)
        matrix = matrix @ np.diag([width / few[0], height / few[1], 1])
    shifted = matrix.copy()
    # OpenCV counts from the middle of the first pixel.
    shifted[:, 2] += matrix[:, :2] @ (0.5, 0.5) - 0.5
    return cv2.warpAffine(picture, shifted, size, flags=cv2.INTER_LINEAR)


def _scale_of(matrix: Matrix) -> float | None:
    """The factor if a matrix only scales, the same both ways; None otherwise."""
    scale = float(matrix[0, 0])
    plain = np.array([[scale, 0, 0], [0, scale, 0]])
    return scale if scale > 0 and np.allclose(matrix, plain, atol=1e-3) else None


def _box_of(mask: NDArray[np.generic]) -> Box:
    """The smallest box round everything that is not 0; an empty one if nothing is."""
    rows, columns = box_of(mask)
    return (columns.start, rows.start, columns.stop, rows.stop)
