"""Entries of the finish as layers of a drawing's picture."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from ..compose import Flats, Gradient, Ink, Layer, Mask, Picture, Shades
from ..look import Look
from ..model import Rgb, Rgba, parse_colour
from ..patches import grow
from ..strokes import Stroke, sample
from ..tone import Tone, ring_of
from .entries import (
    CastShadow,
    ContactShadow,
    Entry,
    Hide,
    Highlight,
    LineColour,
    LineWeight,
    Texture,
    Treatment,
    Wash,
    Where,
)
from .textures import tile

_BESIDE = 2.5
"""Px beside a line at which it is seen what it parts."""

_DARKER = 0.45
"""What a line without a colour of its own keeps of its pot's base."""


@dataclass(frozen=True, eq=False)
class Scene:
    """A painted drawing. labels: (h, w) patch of each pixel, 0 on ink. pots, parts: patch -> its pot and part. number: of the
    drawing in its run. strokes: those that are seen."""

    labels: NDArray[np.integer]
    pots: Mapping[int, int]
    parts: Mapping[int, str]
    look: Look
    strokes: Sequence[Stroke]
    number: int = 0
    _grown: list[NDArray[np.int32]] = field(default_factory=list)

    @property
    def grown(self) -> NDArray[np.int32]:
        """`labels` with each pixel of ink belonging to the patch that is nearest."""
        if not self._grown:
            self._grown.append(grow(self.labels.astype(np.int32, copy=False)))
        return self._grown[0]

    def of_parts(self, names: Collection[str]) -> list[int]:
        """The painted patches of some parts; of all without names."""
        return [p for p in self.pots if not names or self.parts.get(p, "") in names]

    def mask(self, patches: Collection[int]) -> NDArray[np.bool_]:
        """(h, w) where some patches lie."""
        table = np.zeros(int(self.grown.max(initial=0)) + 1, bool)
        table[[p for p in patches if p < len(table)]] = True
        return np.asarray(table[self.grown])


def finished(
    layers: Sequence[Layer], ink: Sequence[Layer], entries: Sequence[Entry], scene: Scene
) -> tuple[Layer, ...]:
    """The layers of a drawing from rear to front, with its finish. layers: flats and tones. ink: its lines."""
    below: list[Layer] = []
    above: list[Layer] = []
    lines = list(ink)
    paint = list(layers)
    strokes = list(scene.strokes)
    colours: dict[str, Rgb] = {}
    for entry in entries:
        if isinstance(entry, CastShadow):
            below += _cast(entry, scene)
        elif isinstance(entry, ContactShadow):
            above += _contact(entry, scene)
        elif isinstance(entry, Wash):
            above += _wash(entry, scene)
        elif isinstance(entry, Texture):
            above += _texture(entry, scene, next((x for x in layers if isinstance(x.source, Shades)), None))
        elif isinstance(entry, Highlight):
            above += _highlight(entry, scene)
        elif isinstance(entry, LineWeight):
            strokes = _weighed(entry, strokes, scene)
        elif isinstance(entry, LineColour):
            colours |= _coloured(entry, strokes, scene)
        elif isinstance(entry, Treatment):
            paint, lines, strokes = _treated(entry, paint, lines, strokes, scene)
    if strokes != list(scene.strokes) or colours:
        kept = [layer for layer in lines if not isinstance(layer.source, Ink)]
        lines = kept + _inked(strokes, colours, scene.look.ink) if lines else []
    made = (*below, *paint, *(above if paint else []), *lines)
    for entry in entries:
        if isinstance(entry, Hide):
            made = _hidden(entry, made, scene)
    return made


def _inked(strokes: Sequence[Stroke], colours: Mapping[str, Rgb], ink: Rgb) -> list[Layer]:
    """Lines of each colour by themselves; dark ones last, so that ends where colours meet are clean."""
    groups: dict[Rgb, list[Stroke]] = {}
    for stroke in strokes:
        groups.setdefault(colours.get(stroke.id, ink), []).append(stroke)
    return [Layer("ink", Ink(groups[colour], colour)) for colour in sorted(groups, key=lambda c: -sum(c))]


def _sides(stroke: Stroke, scene: Scene) -> list[tuple[int, int]]:
    """Pots at the two sides of a line, place by place; -1 for paper."""
    points, widths = sample(stroke, 6.0)
    along = np.gradient(points, axis=0)
    along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    off = np.c_[-along[:, 1], along[:, 0]] * (widths / 2 + _BESIDE)[:, None]
    height, width = scene.grown.shape
    sides = []
    for places in (points + off, points - off):
        x, y = np.floor(places).astype(int).T
        patches = scene.grown[np.clip(y, 0, height - 1), np.clip(x, 0, width - 1)]
        sides.append([scene.pots.get(int(p), -1) for p in patches])
    return list(zip(*sides, strict=True))


def _is(where: Where, sides: Sequence[tuple[int, int]]) -> bool:
    """Whether most of a line lies there."""
    if where == "all" or not sides:
        return where == "all"
    outside = sum(-1 in pair for pair in sides)
    if where == "outline":
        return outside > len(sides) / 2
    return sum(a == b != -1 for a, b in sides) > len(sides) / 2


def _weighed(entry: LineWeight, strokes: Sequence[Stroke], scene: Scene) -> list[Stroke]:
    return [
        replace(s, widths=s.widths * entry.factor) if _is(entry.where, _sides(s, scene)) else s
        for s in strokes
    ]


def _coloured(entry: LineColour, strokes: Sequence[Stroke], scene: Scene) -> dict[str, Rgb]:
    found: dict[str, Rgb] = {}
    for stroke in strokes:
        sides = _sides(stroke, scene)
        if (entry.parts and stroke.part not in entry.parts) or not _is(entry.where, sides):
            continue
        if entry.how == "one":
            found[stroke.id] = parse_colour(entry.colour)
            continue
        pots = [pot for pair in sides for pot in pair if pot in scene.look.pots]
        if pots:
            # The darker of the two it parts along most of its way.
            often = sorted(set(pots), key=lambda p: -pots.count(p))[:2]
            found[stroke.id] = min((_line_of(pot, scene.look) for pot in often), key=sum)
    return found


def _line_of(pot: int, look: Look) -> Rgb:
    if pot in look.lines:
        return look.lines[pot]
    red, green, blue = (round(_DARKER * v) for v in look.pots[pot][:3])
    return red, green, blue


def _cast(entry: CastShadow, scene: Scene) -> list[Layer]:
    figure = scene.mask(scene.of_parts(entry.parts))
    rows, columns = np.nonzero(figure)
    if not len(rows):
        return []
    # The feet: the middle of the lowest few rows.
    lowest = rows.max()
    foot = np.array([columns[rows > lowest - 6].mean(), lowest + 1.0])
    turn = np.deg2rad(entry.turn)
    about = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    linear = about @ np.array([[entry.wide, -entry.shear * entry.high], [0, entry.high]])
    shift = foot - linear @ foot + (entry.x, entry.y)
    mask = Mask(figure, parse_colour(entry.colour), entry.soft)
    return [Layer("shadow", mask, np.column_stack([linear, shift]), opacity=entry.opacity)]


def _contact(entry: ContactShadow, scene: Scene) -> list[Layer]:
    above = scene.mask(scene.of_parts(entry.parts)) if entry.parts else None
    if above is None or not above.any():
        return []
    below = [p for p in scene.of_parts(entry.onto) if scene.parts.get(p, "") not in entry.parts]
    rings, _ = cv2.findContours(above.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    moved = [ring[:, 0] + (entry.x + 0.5, entry.y + 0.5) for ring in rings if len(ring) > 8]
    if not moved or not below:
        return []
    tone = Tone(entry.tone, tuple(ring_of(ring) for ring in moved))
    table = scene.look.tones.get(entry.tone, {})
    colours: dict[int, Rgba] = {
        p: (*table[scene.pots[p]], scene.look.pots[scene.pots[p]][3])
        for p in below
        if scene.pots[p] in table and scene.pots[p] in scene.look.pots
    }
    return [Layer("tone", Shades(scene.labels, [(tone, frozenset(below))], {entry.tone: colours}))]


def _inside(names: Collection[str], scene: Scene) -> Layer:
    """What is seen only where some parts are."""
    white: Rgba = (255, 255, 255, 255)
    return Layer("flats", Flats(scene.labels, dict.fromkeys(scene.of_parts(names), white)))


def _wash(entry: Wash, scene: Scene) -> list[Layer]:
    source = Gradient(
        parse_colour(entry.colour), (entry.x0, entry.y0), (entry.x1, entry.y1), entry.shape == "round"
    )
    clip = _inside(entry.parts, scene)
    return [Layer("texture", source, blend=entry.blend, opacity=entry.opacity, clip=clip)]


def _texture(entry: Texture, scene: Scene, shade: Layer | None) -> list[Layer]:
    figure = scene.mask(scene.of_parts(entry.parts))
    rows, columns = np.nonzero(figure)
    if not len(rows):
        return []
    made = tile(entry.picture)
    side = max(8, round(made.shape[0] * entry.scale))
    made = cv2.resize(
        made, (side, side), interpolation=cv2.INTER_AREA if entry.scale < 1 else cv2.INTER_LINEAR
    )
    step = scene.number % entry.cycle
    # Offsets of a cycle lie far apart, so that no two of its pictures look shifted.
    shift = np.array([step * 0.618, step * 0.382]) % 1 * side
    if entry.follows:
        shift = shift + (columns.mean(), rows.mean())
    height, width = figure.shape
    y = (np.arange(height)[:, None] - round(float(shift[1]))) % side
    x = (np.arange(width)[None] - round(float(shift[0]))) % side
    dark = made[y, x]
    ink = 255 if entry.blend == "screen" else 0
    pixels = np.full((height, width, 4), ink, np.uint8)
    pixels[..., 3] = np.round(255 * dark)
    clip: Layer | None = _inside(entry.parts, scene)
    if entry.where == "shade":
        clip = _shaded(shade, scene.of_parts(entry.parts))
    if clip is None:
        return []
    return [Layer("texture", Picture(pixels), blend=entry.blend, opacity=entry.amount, clip=clip)]


def _shaded(shade: Layer | None, patches: Sequence[int]) -> Layer | None:
    """What is seen only where shade lies on some patches; None if there is none."""
    if shade is None or not isinstance(shade.source, Shades):
        return None
    white: dict[int, Rgba] = dict.fromkeys(patches, (255, 255, 255, 255))
    tones = [(tone, within) for tone, within in shade.source.tones if tone.kind in ("shade", "deep")]
    return Layer("tone", Shades(shade.source.labels, tones, {"shade": white, "deep": white}))


def _highlight(entry: Highlight, scene: Scene) -> list[Layer]:
    colour: Rgba = (*parse_colour(entry.colour), 255)
    turn = np.deg2rad(entry.turn)
    way = np.array([np.sin(turn), -np.cos(turn)])
    tones: list[tuple[Tone, frozenset[int] | None]] = []
    for patch, pot in scene.pots.items():
        if pot not in entry.pots:
            continue
        inside = (scene.labels == patch).astype(np.uint8)
        depth = cv2.distanceTransform(np.pad(inside, 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
        radius = float(depth.max())
        if radius < 1:
            continue
        row, column = np.unravel_index(int(depth.argmax()), depth.shape)
        middle = np.array([column + 0.5, row + 0.5]) + entry.out * radius * way
        around = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        ring = middle + max(entry.size * radius, 0.5) * np.c_[np.cos(around), np.sin(around)]
        tones.append((Tone("rim", (ring_of(ring, 0.2),)), frozenset([patch])))
    colours = {"rim": dict.fromkeys((p for _, within in tones for p in within or ()), colour)}
    return [Layer("tone", Shades(scene.labels, tones, colours))] if tones else []


def _hidden(entry: Hide, layers: tuple[Layer, ...], scene: Scene) -> tuple[Layer, ...]:
    shown = np.full(scene.labels.shape, not entry.outside)
    (x0, x1), (y0, y1) = sorted((entry.x0, entry.x1)), sorted((entry.y0, entry.y1))
    part = np.s_[max(0, round(y0)) : max(0, round(y1)), max(0, round(x0)) : max(0, round(x1))]
    shown[part] = entry.outside
    return (Layer("flats", layers, clip=Layer("flats", Mask(shown, (255, 255, 255)))),)


def _treated(
    entry: Treatment, paint: list[Layer], lines: list[Layer], strokes: list[Stroke], scene: Scene
) -> tuple[list[Layer], list[Layer], list[Stroke]]:
    if entry.what == "no-ink":
        return paint, [], strokes
    if entry.what == "ink-only":
        return [], lines, strokes
    greyed = []
    for layer in paint:
        source = layer.source
        if isinstance(source, Flats):
            source = Flats(source.labels, _greyed(source.colours, entry.pot, scene))
        elif isinstance(source, Shades):
            colours = {kind: _greyed(table, entry.pot, scene) for kind, table in source.colours.items()}
            source = replace(source, colours=colours)
        greyed.append(replace(layer, source=source))
    return greyed, lines, strokes


def _greyed(table: Mapping[int, Rgba], kept: int | None, scene: Scene) -> dict[int, Rgba]:
    out: dict[int, Rgba] = {}
    for patch, (red, green, blue, alpha) in table.items():
        if scene.pots.get(patch) == kept:
            out[patch] = (red, green, blue, alpha)
        else:
            grey = round(0.2126 * red + 0.7152 * green + 0.0722 * blue)
            out[patch] = (grey, grey, grey, alpha)
    return out
