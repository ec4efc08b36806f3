"""What lies on the paint: washes, textures, paper, glows, glass, highlights."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from ..compose import Computed, Gradient, Layer, Mask, Picture, Shades
from ..compose.layers import Matrix
from ..model import Rgba, parse_colour
from ..tone import Tone, ring_of
from .entries import Flare, Glass, Highlight, Paper, Texture, Wash
from .scene import Scene
from .textures import tile


def wash(entry: Wash, scene: Scene) -> list[Layer]:
    source = Gradient(
        parse_colour(entry.colour), (entry.x0, entry.y0), (entry.x1, entry.y1), entry.shape == "round"
    )
    clip = scene.inside(entry.parts)
    return [Layer("texture", source, blend=entry.blend, opacity=entry.opacity, clip=clip)]


def texture(entry: Texture, scene: Scene, shade: Layer | None) -> list[Layer]:
    """A picture on parts of a drawing. shade: the layer of its tones."""
    patches = scene.of_parts(entry.parts)
    figure = scene.mask(patches)
    rows, columns = np.nonzero(figure)
    if not len(rows):
        return []
    clip: Layer | None = _shaded(shade, patches) if entry.where == "shade" else scene.inside(entry.parts)
    if clip is None:
        return []
    step = scene.number % entry.cycle
    # Offsets of a cycle lie far apart, so that no two of its pictures look shifted.
    shift = np.array([step * 0.618, step * 0.382])
    begin = np.array([columns.mean(), rows.mean()]) if entry.follows else np.zeros(2)
    x, y = _places(figure)
    if entry.bend:
        y = y + np.float32(entry.bend) * cv2.distanceTransform(figure.astype(np.uint8), cv2.DIST_L2, 5)
    pixels = _laid(entry, scene, x - begin[0], y - begin[1], shift)
    return [Layer("texture", Picture(pixels), blend=entry.blend, opacity=entry.amount, clip=clip)]


def paper(entry: Paper, scene: Scene) -> list[Layer]:
    """A picture over the whole frame, turned and shifted otherwise in each picture of its cycle."""
    step = scene.number % entry.cycle
    x, y = _places(scene.labels)
    for _ in range(step % 4):
        x, y = -y, x
    pixels = _laid(entry, scene, x, y, np.array([step * 0.618, step * 0.382]))
    return [Layer("paper", Picture(pixels), blend=entry.blend, opacity=entry.amount, onto=True)]


def _places(picture: NDArray[np.generic]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(1, w) columns and (h, 1) rows of a picture."""
    height, width = picture.shape
    return np.arange(width, dtype=np.float32)[None], np.arange(height, dtype=np.float32)[:, None]


def _laid(
    entry: Texture | Paper,
    scene: Scene,
    x: NDArray[np.float32],
    y: NDArray[np.float32],
    shift: NDArray[np.float64],
) -> NDArray[np.uint8]:
    """(h, w, 4) the picture of an entry at places of itself, px, that broadcast; shift: as a share of its side."""
    picture = _picture(entry, scene)
    height, width = picture.shape[:2]
    # Its first copy is followed by a mirrored one, so that a picture that was brought along has no seam.
    over = 2 if entry.own else 1
    where = [
        np.floor(one + side * extent).astype(np.int64) % (over * extent)
        for one, side, extent in ((x, shift[0], width), (y, shift[1], height))
    ]
    column, row = (
        np.minimum(w, over * n - 1 - w) if over == 2 else w
        for w, n in zip(where, (width, height), strict=True)
    )
    return np.asarray(picture[row, column])


def _picture(entry: Texture | Paper, scene: Scene) -> NDArray[np.uint8]:
    """(h, w, 4) the picture of an entry in its scale."""
    if entry.own:
        made = scene.pictures.get(entry.own)
        if made is None:
            raise LookupError("the picture of a texture is not there")
        made = made.copy()
        share = made[..., 3].astype(np.float32) / np.float32(255)
    else:
        dark = tile(entry.picture)
        made = np.full((*dark.shape, 4), 255 if entry.blend == "screen" else 0, np.uint8)
        share = dark
    made[..., 3] = np.round(255 * share**entry.curve)
    size = tuple(max(1, round(n * entry.scale)) for n in made.shape[1::-1])
    if size == made.shape[1::-1]:
        return made
    # Colours of what is clear must not run into what is not.
    whole = made.astype(np.float32)
    whole[..., :3] *= whole[..., 3:] / 255
    whole = cv2.resize(whole, size, interpolation=cv2.INTER_AREA if entry.scale < 1 else cv2.INTER_LINEAR)
    whole[..., :3] *= 255 / np.maximum(whole[..., 3:], 1e-3)
    return np.asarray(np.clip(np.round(whole), 0, 255), np.uint8)


def _shaded(shade: Layer | None, patches: Sequence[int]) -> Layer | None:
    """What is seen only where shade lies on some patches; None if there is none."""
    if shade is None or not isinstance(shade.source, Shades):
        return None
    white: dict[int, Rgba] = dict.fromkeys(patches, (255, 255, 255, 255))
    tones = [(tone, within) for tone, within in shade.source.tones if tone.kind in ("shade", "deep")]
    return Layer("tone", Shades(shade.source.labels, tones, {"shade": white, "deep": white}))


def flare(entry: Flare, scene: Scene) -> list[Layer]:
    """A glow with rays about each patch of a pot, or at a place."""
    at = [np.array([entry.x, entry.y])]
    if entry.pot is not None:
        at = [_middle(scene.mask([p])) for p, pot in scene.pots.items() if pot == entry.pot]
        at = at if len(at) < 2 else [np.mean(at, axis=0)]

    def make(matrix: Matrix, size: tuple[int, int]) -> NDArray[np.float32]:
        share = np.zeros(size[::-1], np.float32)
        reach = entry.size * float(np.sqrt(abs(np.linalg.det(matrix[:, :2]))))
        x, y = np.arange(size[0], dtype=np.float32) + 0.5, np.arange(size[1], dtype=np.float32)[:, None] + 0.5
        for place in at:
            middle = matrix[:, :2] @ place + matrix[:, 2]
            far = np.hypot(x - middle[0], y - middle[1]) / reach
            glow = np.clip(1 - far, 0, 1) ** 2
            if entry.rays:
                turn = np.arctan2(x - middle[0], middle[1] - y) - np.deg2rad(entry.turn)
                rays = np.abs(np.cos(turn * entry.rays / 2)) ** 40
                glow = np.maximum(glow, 0.8 * rays * np.clip(1 - far / 1.6, 0, 1) ** 2)
            share = np.maximum(share, glow)
        return share

    source = Computed(make, parse_colour(entry.colour))
    return [Layer("texture", source, blend="screen", opacity=entry.opacity)] if at else []


def _middle(mask: NDArray[np.bool_]) -> NDArray[np.float64]:
    rows, columns = np.nonzero(mask)
    return np.array([columns.mean() + 0.5, rows.mean() + 0.5])


def glass(entry: Glass, scene: Scene) -> list[Layer]:
    """The colour of glass over what is drawn inside it, thinner over what stays readable."""
    every = scene.mask([p for p, pot in scene.pots.items() if pot in entry.pots])
    kept = scene.mask([p for p, pot in scene.pots.items() if pot in entry.kept])
    made = []
    for pot in entry.pots:
        red, green, blue, alpha = scene.look.pots.get(pot, (0, 0, 0, 255))
        mask = scene.mask([p for p, own in scene.pots.items() if own == pot])
        if alpha == 255 or not mask.any():
            continue
        behind = _filled(mask) & ~every
        for part, opacity in ((behind & ~kept, 1.0), (behind & kept, 1 - entry.readable)):
            if part.any() and opacity:
                made.append(
                    Layer("tone", Mask(part, (red, green, blue)), opacity=alpha / 255 * opacity, onto=True)
                )
    return made


def _filled(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A mask with all that it encloses."""
    rings, _ = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    whole = np.zeros(mask.shape, np.uint8)
    cv2.drawContours(whole, rings, -1, 1, cv2.FILLED)
    return whole > 0


def highlight(entry: Highlight, scene: Scene) -> list[Layer]:
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
