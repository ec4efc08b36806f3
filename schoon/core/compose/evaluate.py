"""A frame to pixels: in float, without rounding between layers, only where a layer shows something."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..model import Rgb
from .layers import Blend, Box, Covered, Frame, Layer, Matrix, Prepared, clear, shared

_BAND = 1 << 20
"""Pixels that are composed at once: the float pictures of one band are all that is in memory beside the result."""


def render(frame: Frame, width: int | None = None) -> NDArray[np.uint8]:
    """(h, w, 4) straight-alpha RGBA of a frame, at most `width` px wide; at its own size without one.

    Compositing is source-over in premultiplied alpha (Porter and Duff 1984), in the encoded values of the colours, as
    browsers do.
    """
    ready, size = _sized(frame, width)
    result = np.zeros((size[1], size[0], 4), np.uint8)
    left, top, right, bottom = _joined([layer.box for layer in ready])
    for y0, y1 in _bands(top, bottom, right - left):
        band = (left, y0, right, y1)
        result[y0:y1, left:right] = _straight(_composed(ready, band))
    return result


def render_both(
    frame: Frame, ground: Rgb, width: int | None = None
) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """(h, w, 4) as `render`, and (h, w, 3) RGB of the frame on a plain ground, composed once.

    A layer that looks at what is below it sees the ground as well; then both are composed.
    """
    if any(layer.onto or layer.blend == "screen" for layer in frame.layers):
        return render(frame, width), np.ascontiguousarray(render(frame.on(ground), width)[..., :3])
    colour = np.array(ground, np.float32) / 255
    ready, size = _sized(frame, width)
    clear_ = np.zeros((size[1], size[0], 4), np.uint8)
    solid = np.full((size[1], size[0], 3), ground, np.uint8)
    left, top, right, bottom = _joined([layer.box for layer in ready])
    for y0, y1 in _bands(top, bottom, right - left):
        made = _composed(ready, (left, y0, right, y1))
        solid[y0:y1, left:right] = _levels(
            np.asarray(made[..., :3] + (1 - made[..., 3:]) * colour, np.float32)
        )
        clear_[y0:y1, left:right] = _straight(made)
    return clear_, solid


def _sized(frame: Frame, width: int | None) -> tuple[list[_Ready], tuple[int, int]]:
    """Layers made ready for a picture at most `width` px wide, and its size."""
    full_width, full_height = frame.size
    scale = min(1.0, (width or full_width) / full_width)
    size = (max(1, round(full_width * scale)), max(1, round(full_height * scale)))
    matrix = np.array([[scale, 0, 0], [0, scale, 0]])
    return [_ready(layer, matrix, size) for layer in frame.layers], size


def flattened(layers: Sequence[Layer], matrix: Matrix, size: tuple[int, int]) -> NDArray[np.float32]:
    """(h, w, 4) premultiplied RGBA of layers, rear to front, for a source that works on the whole of them.

    matrix: from their pixels to those of the result. size: (width, height) of the result, px.
    """
    return _composed([_ready(layer, matrix, size) for layer in layers], (0, 0, *size))


@dataclass(frozen=True)
class _Ready:
    """A layer with its sources made ready; `inner` for layers laid together first."""

    box: Box
    source: Prepared | None
    inner: Sequence[_Ready]
    blend: Blend
    opacity: float
    clip: _Ready | None
    onto: bool

    @property
    def plain(self) -> bool:
        """Whether it is laid over what is below it, and no more."""
        return self.blend == "normal" and self.opacity == 1 and self.clip is None and not self.onto


def _ready(layer: Layer, matrix: Matrix, size: tuple[int, int]) -> _Ready:
    onto = np.vstack([matrix, [0, 0, 1]]) @ np.vstack([layer.transform, [0, 0, 1]])
    source: Prepared | None = None
    inner: list[_Ready] = []
    if isinstance(layer.source, Sequence):
        inner = [_ready(part, onto[:2], size) for part in layer.source]
        box = _joined([part.box for part in inner])
    else:
        source = layer.source.prepare(onto[:2], size)
        box = source.box
    # What clips lies in the frame as the layer does, and is moved by its own transform only.
    clip = _ready(layer.clip, matrix, size) if layer.clip else None
    return _Ready(
        _both(box, clip.box) if clip else box, source, inner, layer.blend, layer.opacity, clip, layer.onto
    )


def _composed(layers: Sequence[_Ready], band: Box) -> NDArray[np.float32]:
    """(h, w, 4) premultiplied RGBA of layers, rear to front, in a band."""
    below = clear(band[3] - band[1], band[2] - band[0])
    for layer in layers:
        box = _both(layer.box, band)
        if box[2] <= box[0] or box[3] <= box[1]:
            continue
        here = below[box[1] - band[1] : box[3] - band[1], box[0] - band[0] : box[2] - band[0]]
        if isinstance(layer.source, Covered) and layer.plain and layer.source.thin:
            layer.source.lay(here, box)
        else:
            _lay(here, _read(layer, box), layer.blend, layer.onto)
    return below


def _read(layer: _Ready, box: Box) -> NDArray[np.float32]:
    above = layer.source.read(box) if layer.source else _composed(layer.inner, box)
    share: NDArray[np.float32] | float = layer.opacity
    if layer.clip:
        share = layer.opacity * _composed([layer.clip], box)[..., 3]
    if isinstance(share, float):
        return above if share == 1.0 else above * np.float32(share)
    return shared(above, share)


def _lay(below: NDArray[np.float32], above: NDArray[np.float32], blend: Blend, onto: bool) -> None:
    """Lays a picture on another, in its place."""
    if onto:
        below[...] = _laid_onto(below, above, blend)
        return
    through = 1 - above[..., 3]
    laid = above + shared(below, through)
    if blend == "multiply":
        laid[..., :3] = (
            above[..., :3] * below[..., :3]
            + shared(above[..., :3], 1 - below[..., 3])
            + shared(below[..., :3], through)
        )
    elif blend == "screen":
        laid[..., :3] = above[..., :3] + below[..., :3] - above[..., :3] * below[..., :3]
    below[...] = laid


def _laid_onto(below: NDArray[np.float32], above: NDArray[np.float32], blend: Blend) -> NDArray[np.float32]:
    """Source atop: nothing where nothing is below (Porter and Duff 1984)."""
    laid = below.copy()
    kept = shared(below[..., :3], 1 - above[..., 3])
    if blend == "multiply":
        laid[..., :3] = above[..., :3] * below[..., :3] + kept
    elif blend == "screen":
        product = above[..., :3] * below[..., :3]
        laid[..., :3] = shared(above[..., :3], below[..., 3]) + below[..., :3] - product
    else:
        laid[..., :3] = shared(above[..., :3], below[..., 3]) + kept
    return laid


def _straight(picture: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Of premultiplied values, which are overwritten."""
    if picture[..., 3].min(initial=1.0) < 1:
        alpha = np.maximum(picture[..., 3], 1e-6)
        for channel in range(3):
            picture[..., channel] /= alpha
    return _levels(picture)


def _levels(picture: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Of values 0..1, which are overwritten."""
    picture.clip(0, 1, out=picture)
    picture *= 255
    picture += 0.5
    return picture.astype(np.uint8)


def _joined(boxes: Sequence[Box]) -> Box:
    full = [box for box in boxes if box[2] > box[0] and box[3] > box[1]]
    if not full:
        return (0, 0, 0, 0)
    return (
        min(b[0] for b in full), min(b[1] for b in full), max(b[2] for b in full), max(b[3] for b in full),
    )  # fmt: skip


def _both(a: Box, b: Box) -> Box:
    return (max(a[0], b[0]), max(a[1], b[1]), min(a[2], b[2]), min(a[3], b[3]))


def _bands(top: int, bottom: int, width: int) -> Iterator[tuple[int, int]]:
    rows = max(1, _BAND // max(1, width))
    for y in range(top, bottom, rows):
        yield y, min(bottom, y + rows)
