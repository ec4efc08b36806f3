"""Documents to the layers of a frame: the one picture that pages, play and exports show.

To add something that is seen: give `layers_of` a layer for it, at its place from rear to front.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ..core.compose import Flats, Frame, Ink, Layer, Picture, Shades, render
from ..core.finish import Entry, Scene, finished
from ..core.look import Look
from ..core.model import Rgb
from ..core.paint import NOTHING
from ..core.patches import OpenPatches, Patches, grow, pack, unpack_open
from ..formats.pictures import decode
from .derived import own_pixels, patches_in
from .documents import Own, Sheet, painting_of, parts_told, seen_in, sheet_of
from .placing import SAME, Numbers, matrix_from

WHITE = (255, 255, 255)


@dataclass(frozen=True)
class Drawn:
    """A drawing as it goes to a worker. documents: its line, seal, paint and tone documents, None for those there are not.

    packed: its patches, if somebody has found them before. picture: what is seen below its lines, where a level shows its
    pictures. fits: whether that is brought to the size of the shot; else it lies at its own size about the middle.
    opacity: 0..1. finish: what is done to its picture. number: of the drawing in its run. place: from its paper to the frame.
    """

    documents: tuple[Any, Any, Any, Any]
    look: Look
    finish: tuple[Entry, ...] = ()
    number: int = 0
    packed: bytes | None = None
    picture: bytes | None = None
    fits: bool = True
    opacity: float = 1.0
    place: Numbers = SAME


def layers_of(
    sheet: Sheet,
    patches: Patches | OpenPatches | None,
    look: Look,
    finish: Sequence[Entry] = (),
    number: int = 0,
) -> tuple[Layer, ...]:
    """The layers of a drawing from rear to front. patches: None if no paint is to be seen. finish, number: as `Drawn`."""
    layers = []
    if patches is not None:
        fills = {
            p: look.pots[paint.pot]
            for p, paint in painting_of(sheet.spots, patches).items()
            if paint.pot != NOTHING and paint.pot in look.pots
        }
        labels = patches.labels if isinstance(patches, Patches) else patches.open_labels
        if sheet.tones or finish:
            # Every layer asks which patch is nearest to a place on ink: it is found once.
            labels = grow(labels.astype(np.int32))
        layers.append(Layer("flats", Flats(labels, fills)))
        if sheet.tones and look.tones:
            layers.append(Layer("tone", shades_of(sheet, patches, labels, look)))
    inks = inks_of(sheet, look.ink)
    if finish and patches is not None:
        return finished(layers, inks, finish, scene_of(sheet, patches, labels, look, number))
    return (*layers, *inks)


def scene_of(
    sheet: Sheet, patches: Patches | OpenPatches, labels: NDArray[np.integer], look: Look, number: int
) -> Scene:
    """What the finish knows of a drawing. labels: (h, w) patch of each pixel."""
    painting = painting_of(sheet.spots, patches)
    told = parts_told(sheet.spots, patches)
    pots = {p: paint.pot for p, paint in painting.items() if paint.pot != NOTHING}
    parts = {p: told.get(p) or look.parts.get(pot, "") for p, pot in pots.items()}
    return Scene(labels, pots, parts, look, sheet.inked, number)


def shades_of(
    sheet: Sheet, patches: Patches | OpenPatches, labels: NDArray[np.integer], look: Look
) -> Shades:
    """The tones of a painted drawing, each pot's in its own colour. A pot without one keeps its base there."""
    painting = painting_of(sheet.spots, patches)
    colours = {
        kind: {
            p: (*table[paint.pot], look.pots[paint.pot][3])
            for p, paint in painting.items()
            if paint.pot in table and paint.pot in look.pots
        }
        for kind, table in look.tones.items()
    }
    return Shades(labels, seen_in(sheet.tones, sheet.spots, patches, look.parts), colours)


def inks_of(sheet: Sheet, colour: Rgb) -> list[Layer]:
    """What is seen of the line of a drawing: ink of its own in its colours, or in one, and strokes."""
    strokes = Layer("ink", Ink(sheet.inked, colour))
    if sheet.own is None:
        return [strokes]
    return [Layer("ink", Picture(own_seen(sheet.own, colour))), strokes]


def own_seen(own: Own, colour: Rgb) -> NDArray[np.uint8]:
    """(h, w, 4) RGBA of ink of its own as it is seen with this line colour."""
    pixels = own_pixels(own)
    if not own.tinted:
        return pixels
    even = np.broadcast_to(np.array(colour, np.uint8), (*pixels.shape[:2], 3))
    return np.dstack([even, pixels[..., 3]])


Pass = Literal["seen", "ink", "flats", "tones", "flats-tones"]
"""What of a drawing is handed off: all of it, or a part of it by itself. Flats and tones hold exactly the key's colours."""

_ROLES: dict[Pass, tuple[str, ...]] = {
    "ink": ("ink",),
    "flats": ("flats",),
    "tones": ("tone",),
    "flats-tones": ("flats", "tone"),
}


def frame_of(
    drawings: Sequence[Drawn], size: tuple[int, int], only: Pass = "seen"
) -> tuple[Frame, list[bytes | None]]:
    """Drawings from rear to front as one frame of a size, px, and the patches of each, packed, if they were needed."""
    layers: list[Layer] = []
    packed: list[bytes | None] = []
    for drawn in drawings:
        sheet = sheet_of(size, *drawn.documents)
        patches: Patches | OpenPatches | None = None
        body = drawn.packed
        if (sheet.spots or drawn.finish) and drawn.look.pots:
            if body is None:
                patches = patches_in(sheet)
                body = pack(patches)
            else:
                patches = unpack_open(body)
        packed.append(body)
        finish = drawn.finish if only in ("seen", "ink") else ()
        own = layers_of(sheet, patches, drawn.look, finish, drawn.number)
        if only != "seen":
            own = tuple(_exact(layer) for layer in own if layer.role in _ROLES[only])
        if only == "seen" and drawn.picture is not None:
            own = (_picture_of(drawn, size), *own)
        if drawn.place != SAME or drawn.opacity < 1:
            own = (Layer("flats", own, matrix_from(drawn.place), opacity=drawn.opacity),)
        layers += own
    return Frame(size, tuple(layers)), packed


def _exact(layer: Layer) -> Layer:
    """A layer without mixed colours."""
    source = layer.source
    return replace(layer, source=replace(source, exact=True)) if isinstance(source, Shades) else layer


def _picture_of(drawn: Drawn, size: tuple[int, int]) -> Layer:
    assert drawn.picture is not None
    pixels = decode("the picture of a level", drawn.picture)
    if pixels.shape[2] == 3:
        pixels = np.dstack([pixels, np.full(pixels.shape[:2], 255, np.uint8)])
    height, width = pixels.shape[:2]
    scale = min(size[0] / width, size[1] / height) if drawn.fits else 1.0
    aside = ((size[0] - scale * width) / 2, (size[1] - scale * height) / 2)
    return Layer("backdrop", Picture(pixels), np.array([[scale, 0, aside[0]], [0, scale, aside[1]]]))


def on_white(frame: Frame, width: int | None = None) -> NDArray[np.uint8]:
    """(h, w, 3) RGB of a frame on white, at most `width` px wide."""
    return np.ascontiguousarray(render(frame.on(WHITE), width)[..., :3])
