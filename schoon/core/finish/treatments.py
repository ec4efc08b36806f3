"""The whole drawing otherwise: parts of it hidden, other colours, dots, squares."""

from __future__ import annotations

import colorsys
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from ..compose import Computed, Flats, Layer, Mask, Shades, flattened
from ..compose.layers import Matrix
from ..model import Rgba
from .entries import Hide, Treatment
from .scene import Scene
from .textures import tile


def hidden(entry: Hide, layers: Sequence[Layer], scene: Scene) -> tuple[Layer, ...]:
    """Layers without what lies in an area."""
    if entry.ring:
        covered = scene.area(entry.ring)
    else:
        covered = np.zeros(scene.labels.shape, bool)
        (x0, x1), (y0, y1) = sorted((entry.x0, entry.x1)), sorted((entry.y0, entry.y1))
        covered[max(0, round(y0)) : max(0, round(y1)), max(0, round(x0)) : max(0, round(x1))] = True
    gone = ~covered if entry.outside else covered
    if entry.parts:
        # Half of a line lies on either side of it: what borders on a part goes with it.
        own = scene.mask(scene.of_parts(entry.parts)).astype(np.uint8)
        inked = (scene.labels == 0) | (cv2.dilate(own, np.ones((5, 5), np.uint8)) > 0)
        gone &= (own > 0) | (inked & (cv2.dilate(own, np.ones((9, 9), np.uint8)) > 0))
    clip = Layer("flats", Mask(~gone, (255, 255, 255)))
    # Each layer for itself: what it is for is asked for by those who take a drawing apart.
    return tuple(
        Layer(layer.role, (replace(layer, onto=False),), clip=clip, onto=layer.onto, blend=layer.blend)
        for layer in layers
    )


def recoloured(entry: Treatment, paint: Sequence[Layer], scene: Scene) -> list[Layer]:
    """Flats and tones in other colours: grey but for one pot, or as strong as they go."""
    change = _grey if entry.what == "grey" else _strong
    made = []
    for layer in paint:
        source = layer.source
        if isinstance(source, Flats):
            source = Flats(source.labels, _changed(source.colours, change, entry, scene))
        elif isinstance(source, Shades):
            colours = {k: _changed(table, change, entry, scene) for k, table in source.colours.items()}
            source = replace(source, colours=colours)
        made.append(replace(layer, source=source))
    return made


def _changed(
    table: Mapping[int, Rgba], change: Callable[[Rgba], Rgba], entry: Treatment, scene: Scene
) -> dict[int, Rgba]:
    def mixed(colour: Rgba) -> Rgba:
        red, green, blue, _ = (
            round(a + entry.amount * (b - a)) for a, b in zip(colour, change(colour), strict=True)
        )
        return red, green, blue, colour[3]

    return {
        patch: colour if entry.pot is not None and scene.pots.get(patch) == entry.pot else mixed(colour)
        for patch, colour in table.items()
    }


def _grey(colour: Rgba) -> Rgba:
    grey = round(0.2126 * colour[0] + 0.7152 * colour[1] + 0.0722 * colour[2])
    return grey, grey, grey, colour[3]


def _strong(colour: Rgba) -> Rgba:
    hue, saturation, value = colorsys.rgb_to_hsv(*(v / 255 for v in colour[:3]))
    # Grey stays grey: it has no hue to be strong in.
    full = min(1.0, 12 * saturation) if saturation < 1 / 12 else 1.0
    red, green, blue = (round(255 * v) for v in colorsys.hsv_to_rgb(hue, full, value))
    return red, green, blue, colour[3]


FILTERS = ("dots", "reversed", "squares", "grain")
"""Treatments of the pixels of a whole drawing."""


def filtered(entry: Treatment, layers: Sequence[Layer], scene: Scene) -> tuple[Layer, ...]:
    """A whole drawing with its pixels changed: as see-through as it was, but for squares."""
    ink = np.array(scene.look.ink, np.float32) / np.float32(255)
    kept = tuple(layers)

    def make(matrix: Matrix, size: tuple[int, int]) -> NDArray[np.float32]:
        whole = flattened(kept, matrix, size)
        alpha = whole[..., 3:]
        scale = float(np.sqrt(abs(np.linalg.det(matrix[:, :2]))))
        if entry.what == "reversed":
            changed = np.concatenate([alpha - whole[..., :3], alpha], axis=2)
        elif entry.what == "squares":
            changed = _in_squares(whole, max(1.0, entry.size * scale))
        elif entry.what == "grain":
            noise = _over(whole.shape, entry.size * scale, scene.number)
            changed = np.concatenate([np.clip(whole[..., :3] + 0.5 * noise * alpha, 0, alpha), alpha], axis=2)
        else:
            changed = _in_dots(whole, entry.size * scale, np.deg2rad(entry.turn), ink)
        return np.asarray(whole + np.float32(entry.amount) * (changed - whole), np.float32)

    return (Layer("flats", Computed(make)),)


def _in_squares(whole: NDArray[np.float32], side: float) -> NDArray[np.float32]:
    height, width = whole.shape[:2]
    few = (max(1, round(width / side)), max(1, round(height / side)))
    return np.asarray(
        cv2.resize(
            cv2.resize(whole, few, interpolation=cv2.INTER_AREA),
            (width, height),
            interpolation=cv2.INTER_NEAREST,
        )
    )


def _in_dots(
    whole: NDArray[np.float32], period: float, turn: float, ink: NDArray[np.float32]
) -> NDArray[np.float32]:
    """A drawing as dots of ink that are larger where it is darker, on white."""
    alpha = whole[..., 3]
    light = whole[..., :3] @ np.array([0.2126, 0.7152, 0.0722], np.float32) / np.maximum(alpha, 1e-6)
    y, x = np.mgrid[: whole.shape[0], : whole.shape[1]].astype(np.float32)
    u, v = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
    around = 2 * np.pi / max(period, 2.0)
    wave = (np.cos(around * u) + np.cos(around * v)) / 4 + 0.5
    # Ranked, so that dots cover as much as the darkness says.
    order = np.sort(wave[:: max(1, wave.shape[0] // 200), :: max(1, wave.shape[1] // 200)].ravel())
    rank = np.interp(wave, order, np.linspace(0, 1, len(order))).astype(np.float32)
    dark = np.clip((rank - light) * 6 + 0.5, 0, 1) * (light < 0.99)
    colour = (1 - dark)[..., None] + dark[..., None] * ink
    return np.concatenate([colour * alpha[..., None], alpha[..., None]], axis=2)


def _over(shape: tuple[int, ...], size: float, number: int) -> NDArray[np.float32]:
    """(h, w, 1) noise -1..1 in clumps of a size, px, another one in each drawing."""
    made = tile("grain")
    side = made.shape[0]
    fine = side / 120 / max(size, 0.5)
    y = np.floor((np.arange(shape[0]) + 173 * number) * fine).astype(int) % side
    x = np.floor((np.arange(shape[1]) + 59 * number) * fine).astype(int) % side
    return 2 * made[y[:, None], x[None]][..., None] - 1
