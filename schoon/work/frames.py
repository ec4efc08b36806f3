"""Documents to the layers of a frame: the one picture that pages, play and exports show.

To add something that is seen: give `layers_of` a layer for it, at its place from rear to front.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ..core.compose import Flats, Frame, Ink, Layer, Picture, Shades, render, seen_together
from ..core.finish import Entry, Scene, finished, of_lines
from ..core.look import Look
from ..core.model import Rgb
from ..core.paint import NOTHING
from ..core.patches import OpenPatches, Patches, grow, pack, unpack_open
from ..core.run import brought_back
from ..core.tone import shown_in
from ..formats.pictures import rgba
from ..store.states import Lay
from .below import whole_paint
from .derived import own_pixels, patches_in
from .documents import Own, Sheet, painting_of, parts_told, seen_in, sheet_of
from .placing import SAME, Numbers, matrix_from
from .roughs import lying

WHITE = (255, 255, 255)

NO_TEXTURES: Mapping[str, bytes] = MappingProxyType({})

ON_TOP = ("reflection",)
"""Kinds of tone that are opaque on a pot that is not."""


@dataclass(frozen=True)
class Drawn:
    """A drawing as it goes to a worker. documents: its line, seal, paint and tone documents, None for those there are not.

    packed: its patches, if somebody has found them before. picture: what is seen below its lines, where a level shows its
    pictures. paper: (width, height) px of the drawing, None for that of the frame. lies: how the picture is brought to it.
    opacity: 0..1. finish: what is done to its picture. number: of the drawing in its run. place: from its paper to the frame.
    textures: hash -> the pictures that its finish shows.
    """

    documents: tuple[Any, Any, Any, Any]
    look: Look
    finish: tuple[Entry, ...] = ()
    number: int = 0
    packed: bytes | None = None
    picture: bytes | None = None
    paper: tuple[int, int] | None = None
    lies: Lay = "fit"
    opacity: float = 1.0
    place: Numbers = SAME
    textures: Mapping[str, bytes] = field(default_factory=dict)


def layers_of(
    sheet: Sheet,
    patches: Patches | OpenPatches | None,
    look: Look,
    finish: Sequence[Entry] = (),
    number: int = 0,
    textures: Mapping[str, bytes] = NO_TEXTURES,
    apart: bool = False,
) -> tuple[Layer, ...]:
    """The layers of a drawing from rear to front. patches: None if no paint is to be seen. finish, number, textures: as
    `Drawn`. apart: flats and tones stay layers of their own, also where a colour is see-through."""
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
            layers += [Layer("tone", shades) for shades in shades_of(sheet, patches, labels, look)]
    inks = inks_of(sheet, look.ink)
    if finish and patches is not None:
        pictures = {name: rgba("a texture", body) for name, body in textures.items()}
        return finished(layers, inks, finish, scene_of(sheet, patches, labels, look, number, pictures))
    return (*(layers if apart else seen_together(layers)), *inks)


def scene_of(
    sheet: Sheet,
    patches: Patches | OpenPatches,
    labels: NDArray[np.integer],
    look: Look,
    number: int,
    pictures: Mapping[str, NDArray[np.uint8]],
) -> Scene:
    """What the finish knows of a drawing. labels: (h, w) patch of each pixel."""
    painting = painting_of(sheet.spots, patches)
    told = parts_told(sheet.spots, patches)
    pots = {p: paint.pot for p, paint in painting.items() if paint.pot != NOTHING}
    parts = {p: told.get(p) or look.parts.get(pot, "") for p, pot in pots.items()}
    return Scene(labels, pots, parts, look, sheet.inked, number, pictures)


def shades_of(
    sheet: Sheet, patches: Patches | OpenPatches, labels: NDArray[np.integer], look: Look
) -> list[Shades]:
    """The tones of a painted drawing, each pot's in its own colour, and what lies on glass above them. A pot without a
    colour keeps its base there."""
    painting = painting_of(sheet.spots, patches)
    colours = {
        kind: {
            p: (*table[paint.pot], look.pots[paint.pot][3])
            for p, paint in painting.items()
            if paint.pot in table and paint.pot in look.pots
        }
        for kind, table in look.tones.items()
    }
    placed = seen_in(shown_in(sheet.tones, look.of_key), sheet.spots, patches, look.parts)
    on_top = {
        kind: {p: (*c[:3], 255) for p, c in table.items()}
        for kind, table in colours.items()
        if kind in ON_TOP
    }
    on = [one for one in placed if one[0].kind not in ON_TOP]
    over = [one for one in placed if one[0].kind in ON_TOP]
    made = [Shades(labels, on, colours)] if on else []
    return [*made, Shades(labels, over, on_top, above=True)] if over else made


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


Pass = Literal["seen", "ink", "flats", "tones", "flats-tones", "passes", "parts"]
"""What of a drawing is handed off: all of it, or a part of it by itself. Flats and tones hold exactly the key's colours.
passes, parts: every pass, or every part, as a picture of its own."""

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
        sheet = sheet_of(drawn.paper or size, *drawn.documents)
        patches: Patches | OpenPatches | None = None
        body = drawn.packed
        if (sheet.spots or drawn.finish) and drawn.look.pots:
            if body is None:
                patches = patches_in(sheet)
                body = pack(patches)
            else:
                patches = unpack_open(body)
        packed.append(body)
        finish = drawn.finish if only == "seen" else ()
        if only == "ink":
            finish = tuple(entry for entry in drawn.finish if of_lines(entry))
        apart = only in ("flats", "tones")
        own = layers_of(sheet, patches, drawn.look, finish, drawn.number, drawn.textures, apart)
        if only != "seen":
            own = tuple(_exact(layer) for layer in own if layer.role in _ROLES[only])
        if only == "seen" and drawn.picture is not None:
            own = (_picture_of(drawn, sheet.size), *own)
        # Paper lies on the frame, wherever the level is.
        paper = [layer for layer in own if layer.role == "paper"]
        own = tuple(layer for layer in own if layer.role != "paper")
        if drawn.place != SAME or drawn.opacity < 1:
            own = (Layer("flats", own, matrix_from(drawn.place), opacity=drawn.opacity),)
        layers += (*own, *paper)
    return Frame(size, tuple(layers)), packed


def parts_within(drawn: Drawn, size: tuple[int, int]) -> dict[str, Frame]:
    """Each part of a drawing by itself on its own paper, as its lines, flats and tones; "" is what belongs to no part."""
    sheet = sheet_of(drawn.paper or size, *drawn.documents)
    patches: Patches | OpenPatches | None = None
    told: dict[int, str] = {}
    if sheet.spots and drawn.look.pots:
        patches = unpack_open(drawn.packed) if drawn.packed is not None else patches_in(sheet)
        painting = painting_of(sheet.spots, patches)
        told = {p: drawn.look.parts.get(paint.pot, "") for p, paint in painting.items()}
        told |= parts_told(sheet.spots, patches)
    finish = tuple(entry for entry in drawn.finish if of_lines(entry))
    # Parts are whole where others cover them, as far as their lines are kept there.
    kept = [s for hidden in sheet.behind.values() for s in hidden]
    below = whole_paint(sheet, patches, drawn.look, told)
    names = {s.part for s in (*sheet.strokes, *kept)} | set(told.values()) | ({""} if sheet.own else set())
    found = {}
    for name in sorted(names):
        own = replace(
            sheet,
            strokes=[s for s in brought_back(sheet.strokes, kept) if s.part == name],
            spots=[s for s in sheet.spots if patches and told.get(patches.at(*s.at)) == name],
            own=None if name else sheet.own,
        )
        layers = layers_of(own, patches, drawn.look, finish, drawn.number, drawn.textures)
        found[name] = Frame(sheet.size, (*below.get(name, ()), *layers))
    return found


def layers_within(drawn: Drawn, size: tuple[int, int]) -> list[Layer]:
    """The layers of one drawing as it is seen, from rear to front, on its own paper."""
    sheet = sheet_of(drawn.paper or size, *drawn.documents)
    patches: Patches | OpenPatches | None = None
    if (sheet.spots or drawn.finish) and drawn.look.pots:
        patches = unpack_open(drawn.packed) if drawn.packed is not None else patches_in(sheet)
    own = list(layers_of(sheet, patches, drawn.look, drawn.finish, drawn.number, drawn.textures))
    return [_picture_of(drawn, sheet.size), *own] if drawn.picture is not None else own


def _exact(layer: Layer) -> Layer:
    """A layer without mixed colours."""
    source = layer.source
    if isinstance(source, Sequence):
        return replace(layer, source=[_exact(one) for one in source])
    return replace(layer, source=replace(source, exact=True)) if isinstance(source, Shades) else layer


def _picture_of(drawn: Drawn, size: tuple[int, int]) -> Layer:
    assert drawn.picture is not None
    pixels = rgba("the picture of a level", drawn.picture)
    return Layer("backdrop", Picture(pixels), lying(pixels.shape[1::-1], size, drawn.lies))


def on_white(frame: Frame, width: int | None = None) -> NDArray[np.uint8]:
    """(h, w, 3) RGB of a frame on white, at most `width` px wide."""
    return np.ascontiguousarray(render(frame.on(WHITE), width)[..., :3])
