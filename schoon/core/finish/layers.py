"""Entries of the finish as layers of a drawing's picture."""

from __future__ import annotations

from collections.abc import Sequence

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


def finished(
    layers: Sequence[Layer], ink: Sequence[Layer], entries: Sequence[Entry], scene: Scene
) -> tuple[Layer, ...]:
    """The layers of a drawing from rear to front, with its finish. layers: flats and tones. ink: its lines.

    Raises LookupError for a picture of a texture that the scene has not.
    """
    below: list[Layer] = []
    above: list[Layer] = []
    front: list[Layer] = []
    inks = list(ink)
    paint = list(layers)
    lines = Lines(list(scene.strokes))
    for entry in entries:
        if isinstance(entry, CastShadow):
            below += cast(entry, scene)
        elif isinstance(entry, ContactShadow):
            above += contact(entry, scene)
        elif isinstance(entry, Wash):
            above += wash(entry, scene)
        elif isinstance(entry, Texture):
            above += texture(entry, scene, next((x for x in layers if isinstance(x.source, Shades)), None))
        elif isinstance(entry, Glass):
            above += glass(entry, scene)
        elif isinstance(entry, Highlight):
            above += highlight(entry, scene)
        elif isinstance(entry, Flare):
            front += flare(entry, scene)
        elif isinstance(entry, Paper):
            front += paper(entry, scene)
        elif isinstance(entry, LineWeight):
            lines.strokes = weighed(entry, lines.strokes, scene)
        elif isinstance(entry, LineColour):
            lines.colours |= coloured(entry, lines.strokes, scene)
        elif isinstance(entry, LineBody):
            lines.bodies |= {s.id: entry for s in lines.strokes if not entry.parts or s.part in entry.parts}
        elif isinstance(entry, Treatment):
            if entry.what == "no-ink":
                inks = []
            elif entry.what == "ink-only":
                paint = []
            elif entry.what not in FILTERS:
                paint = recoloured(entry, paint, scene)
    if inks and (lines.strokes != list(scene.strokes) or lines.colours or lines.bodies):
        inks = [layer for layer in inks if not isinstance(layer.source, Ink)] + lines.layers(scene)
    made = (*below, *(seen_together([*paint, *above]) if paint else []), *inks, *front)
    for entry in entries:
        if isinstance(entry, Hide):
            made = hidden(entry, made, scene)
        elif isinstance(entry, Treatment) and entry.what in FILTERS:
            made = filtered(entry, made, scene)
    return made
