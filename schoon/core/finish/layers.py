"""Entries of the finish as layers of a drawing's picture."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..compose import Ink, Layer, Shades, seen_together
from .entries import (
    CastShadow,
    ContactShadow,
    Entry,
    Flare,
    Glass,
    Hide,
    Highlight,
    LineBody,
    LineColour,
    LineWeight,
    Paper,
    Texture,
    Treatment,
    Wash,
)
from .lines import Lines, coloured, weighed
from .scene import Scene
from .shadows import cast, contact
from .surfaces import flare, glass, highlight, paper, texture, wash
from .treatments import FILTERS, filtered, hidden, recoloured


def of_lines(entry: Entry) -> bool:
    """Whether an entry is about what is seen of the lines by themselves."""
    if isinstance(entry, Treatment):
        return entry.what in ("no-ink", "ink-only")
    return isinstance(entry, LineColour | LineWeight | LineBody | Hide)


@dataclass
class _Making:
    """A drawing while entries are laid on it: what lies below its paint, over it, before its lines, and these themselves."""

    scene: Scene
    shades: Layer | None
    paint: list[Layer]
    inks: list[Layer]
    lines: Lines
    below: list[Layer] = field(default_factory=list)
    above: list[Layer] = field(default_factory=list)
    front: list[Layer] = field(default_factory=list)


def _weighed(entry: LineWeight, making: _Making) -> None:
    making.lines.strokes = weighed(entry, making.lines.strokes, making.scene)


def _coloured(entry: LineColour, making: _Making) -> None:
    making.lines.colours |= coloured(entry, making.lines.strokes, making.scene)


def _bodied(entry: LineBody, making: _Making) -> None:
    own = (s.id for s in making.lines.strokes if not entry.parts or s.part in entry.parts)
    making.lines.bodies |= dict.fromkeys(own, entry)


def _treated(entry: Treatment, making: _Making) -> None:
    if entry.what == "no-ink":
        making.inks = []
    elif entry.what == "ink-only":
        making.paint = []
    elif entry.what not in FILTERS:
        making.paint = recoloured(entry, making.paint, making.scene)


_LAID: Mapping[type, Callable[[Any, _Making], None]] = {
    CastShadow: lambda entry, making: making.below.extend(cast(entry, making.scene)),
    ContactShadow: lambda entry, making: making.above.extend(contact(entry, making.scene)),
    Wash: lambda entry, making: making.above.extend(wash(entry, making.scene)),
    Texture: lambda entry, making: making.above.extend(texture(entry, making.scene, making.shades)),
    Glass: lambda entry, making: making.above.extend(glass(entry, making.scene)),
    Highlight: lambda entry, making: making.above.extend(highlight(entry, making.scene)),
    Flare: lambda entry, making: making.front.extend(flare(entry, making.scene)),
    Paper: lambda entry, making: making.front.extend(paper(entry, making.scene)),
    LineWeight: _weighed,
    LineColour: _coloured,
    LineBody: _bodied,
    Treatment: _treated,
}
"""kind of entry -> what lays it on. Those that change all that was made follow after."""


def finished(
    layers: Sequence[Layer], ink: Sequence[Layer], entries: Sequence[Entry], scene: Scene
) -> tuple[Layer, ...]:
    """The layers of a drawing from rear to front, with its finish. layers: flats and tones. ink: its lines.

    Raises LookupError for a picture of a texture that the scene has not.
    """
    shades = next((layer for layer in layers if isinstance(layer.source, Shades)), None)
    making = _Making(scene, shades, list(layers), list(ink), Lines(list(scene.strokes)))
    for entry in entries:
        if lay := _LAID.get(type(entry)):
            lay(entry, making)
    inks, lines = making.inks, making.lines
    if inks and (lines.strokes != list(scene.strokes) or lines.colours or lines.bodies):
        inks = [layer for layer in inks if not isinstance(layer.source, Ink)] + lines.layers(scene)
    painted = seen_together([*making.paint, *making.above]) if making.paint else []
    made = (*making.below, *painted, *inks, *making.front)
    for entry in entries:
        if isinstance(entry, Hide):
            made = hidden(entry, made, scene)
        elif isinstance(entry, Treatment) and entry.what in FILTERS:
            made = filtered(entry, made, scene)
    return made
