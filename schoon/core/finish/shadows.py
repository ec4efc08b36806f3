"""Shadow that the figure casts, and that its parts cast on each other."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from ..compose import Layer, Mask, Shades
from ..model import Rgba, parse_colour
from ..tone import Tone, ring_of
from .entries import CastShadow, ContactShadow
from .scene import Scene


def cast(entry: CastShadow, scene: Scene) -> list[Layer]:
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
    laid = Layer("shadow", mask, np.column_stack([linear, shift]))
    if not entry.areas:
        return [replace(laid, opacity=entry.opacity)]
    added = [replace(mask, inside=scene.area(area.ring)) for area in entry.areas if area.adds]
    kept = np.ones(figure.shape, bool)
    for area in entry.areas:
        if not area.adds:
            kept &= ~scene.area(area.ring)
    whole = (laid, *(Layer("shadow", one) for one in added))
    return [Layer("shadow", whole, opacity=entry.opacity, clip=Layer("flats", Mask(kept, (255, 255, 255))))]


def contact(entry: ContactShadow, scene: Scene) -> list[Layer]:
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
