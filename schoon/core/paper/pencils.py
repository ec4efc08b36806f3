"""Telling the drawing pencil from coloured construction."""

from __future__ import annotations

import colorsys
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.morphology import skeletonize

from .density import strongest

_NAMES = (
    (16, "red"), (42, "orange"), (68, "yellow"), (165, "green"), (200, "turquoise"), (255, "blue"),
    (292, "violet"), (335, "pink"), (361, "red"),
)  # fmt: skip

MARKED = 0.12
"""Density from which on something was drawn."""

_LEAST_SHARE = 0.02
"""Share of the marked pixels below which a hue is not taken for a pencil of its own."""


@dataclass(frozen=True)
class Pencil:
    """A coloured pencil: direction is its unit density per RGB channel, share its part of the marks."""

    direction: tuple[float, float, float]
    share: float

    @property
    def colour(self) -> tuple[int, int, int]:
        """RGB of a firm stroke of it on white."""
        return tuple(round(255 * 10 ** (-0.75 * d)) for d in self.direction)  # type: ignore[return-value]

    @property
    def hue(self) -> float:
        """Degrees on the colour circle, 0 for red."""
        return 360 * colorsys.rgb_to_hsv(*(c / 255 for c in self.colour))[0]

    @property
    def name(self) -> str:
        """What one would call it."""
        return next(name for limit, name in _NAMES if self.hue < limit)


def find_pencils(density: NDArray[np.float32]) -> list[Pencil]:
    """Coloured pencils in a (h, w, 3) density picture, the most used first.

    Marks whose three densities differ clearly are gathered by hue; each cluster of hues is one pencil.
    """
    marked = density[strongest(density) > MARKED]
    if len(marked) < 50:
        return []
    spread = 1 - marked.min(axis=1) / marked.max(axis=1)
    vivid = marked[spread > 0.4]
    found: list[Pencil] = []
    hue = np.arctan2(np.sqrt(3) * (vivid[:, 1] - vivid[:, 2]), 2 * vivid[:, 0] - vivid[:, 1] - vivid[:, 2])
    bins = 36
    where = ((hue + np.pi) / (2 * np.pi) * bins).astype(int) % bins
    counts = np.bincount(where, minlength=bins).astype(float)
    for _ in range(4):
        around = counts + np.roll(counts, 1) + np.roll(counts, -1)
        peak = int(around.argmax())
        if around[peak] < _LEAST_SHARE * len(marked):
            break
        near = np.minimum((where - peak) % bins, (peak - where) % bins) <= 2
        cluster = vivid[near]
        # The purest half: crossings with graphite are duller than the pencil itself.
        purity = cluster.min(axis=1) / cluster.max(axis=1)
        pure = cluster[purity <= np.median(purity)]
        direction = np.median(pure / np.linalg.norm(pure, axis=1, keepdims=True), axis=0)
        direction /= np.linalg.norm(direction)
        found.append(Pencil(tuple(direction.tolist()), float(near.sum()) / len(marked)))
        for away in range(-2, 3):
            counts[(peak + away) % bins] = 0
    return found


_ALL_COLOURED = 0.25
"""Share of the marks below which the neutral pencil is a detail of a drawing in colours, not the drawing."""

_RUNS_ACROSS, _ENDS = 0.5, 0.8
"""Share of a pencil's meetings with other lines at which it runs across, from which on it may be construction, and at
which it ends, from which on it is drawing: guides and axes run through forms, lines of a part end at their neighbours."""

_MEETINGS = 3
"""Meetings it takes to tell."""

_FAINTER = 0.7
"""Beside pencils that are this much firmer, one that runs across them is construction in a drawing of many colours."""


def construction(neutral: NDArray[np.float32], coloured: list[NDArray[np.float32]]) -> list[bool]:
    """Whether each coloured pencil is construction, by how it is drawn. neutral, coloured: as `separate` gives them.

    Where a neutral pencil has drawn, a coloured one is drawing only if it is seen to end at other lines; in a drawing
    all in colours each is drawing unless it is fainter and runs across the others.
    """
    layers = [neutral, *coloured]
    marks = [layer > MARKED for layer in layers]
    amounts = np.array([float(layer[m].sum()) for layer, m in zip(layers, marks, strict=True)])
    firm = [float(np.median(layer[m])) if m.any() else 0.0 for layer, m in zip(layers, marks, strict=True)]
    by_colour = amounts[0] < _ALL_COLOURED * amounts.sum()
    found = []
    for number in range(1, len(layers)):
        others = np.any(
            [m for k, m in enumerate(marks) if k not in (number, 0 if by_colour else number)], axis=0
        )
        across, ending = _meetings(marks[number], others if by_colour else marks[0])
        known = across + ending >= _MEETINGS
        if by_colour:
            firmest = max((f for k, f in enumerate(firm) if k not in (0, number)), default=0.0)
            found.append(
                known and across > _RUNS_ACROSS * (across + ending) and firm[number] < _FAINTER * firmest
            )
        else:
            found.append(not (known and ending > _ENDS * (across + ending)))
    return found


def _meetings(own: NDArray[np.bool_], others: NDArray[np.bool_]) -> tuple[int, int]:
    """At how many places lines of one mask run across those of another, and at how many they end there."""
    if not own.any() or not others.any():
        return 0, 0
    reach = np.ones((3, 3), np.uint8)
    lines = skeletonize(own)
    wide = cv2.dilate(others.astype(np.uint8), reach, iterations=2)
    # What is left of the lines outside of the others, and the places where both are.
    free = lines & (wide == 0)
    near = cv2.dilate(lines.astype(np.uint8), reach, iterations=3) & wide
    count, places, _, _ = cv2.connectedComponentsWithStats(near, connectivity=8)
    _, pieces, sizes, _ = cv2.connectedComponentsWithStats(free.astype(np.uint8), connectivity=8)
    long = sizes[:, cv2.CC_STAT_AREA] >= 6
    long[0] = False
    rim = cv2.dilate(near, reach, iterations=2)
    rows, cols = np.nonzero((pieces > 0) & (rim > 0))
    grown = cv2.dilate(places.astype(np.float32), reach, iterations=2).astype(int)
    # Ends of free pieces beside each place.
    touching = cv2.connectedComponentsWithStats(((free & (rim > 0)).astype(np.uint8)), connectivity=8)[1]
    keep = long[pieces[rows, cols]]
    pairs = np.unique(np.stack([grown[rows, cols], touching[rows, cols]], axis=1)[keep], axis=0)
    branches = np.bincount(pairs[:, 0], minlength=count) if len(pairs) else np.zeros(count, int)
    return int((branches[1:] >= 2).sum()), int((branches[1:] == 1).sum())


def separate(
    density: NDArray[np.float32], pencils: list[Pencil]
) -> tuple[NDArray[np.float32], list[NDArray[np.float32]]]:
    """The (h, w) density of the neutral pencil, and that of each coloured one.

    Densities of pencils that lie over each other add up, so each pixel is the sum of a neutral and at most
    one coloured share; solving for both leaves a dark line whole where a coloured one crosses it.
    """
    if not pencils:
        return density.mean(axis=2), []
    neutral = np.full(3, 1 / np.sqrt(3))
    marked = strongest(density) > 0.01
    flat = density[marked]
    best_rest = np.full(len(flat), np.inf, np.float32)
    found = np.zeros(len(flat), np.float32)
    coloured = np.zeros((len(pencils), len(flat)), np.float32)
    alone = np.maximum(flat @ neutral, 0)
    for number, pencil in enumerate(pencils):
        basis = np.stack([neutral, np.array(pencil.direction)], axis=1)
        shares = flat @ np.linalg.pinv(basis).T
        shares[:, 0] = np.where(shares[:, 1] < 0, alone, np.maximum(shares[:, 0], 0))
        shares[:, 1] = np.maximum(shares[:, 1], 0)
        gap = flat - shares @ basis.T
        rest = np.einsum("kc,kc->k", gap, gap)
        better = rest < best_rest
        found[better] = shares[better, 0] / np.sqrt(3)
        coloured[:, better] = 0
        coloured[number, better] = shares[better, 1] / np.sqrt(3)
        best_rest = np.minimum(rest, best_rest)

    def spread(values: NDArray[np.float32]) -> NDArray[np.float32]:
        picture = np.zeros(density.shape[:2], np.float32)
        picture[marked] = values
        return picture

    return spread(found), [spread(share) for share in coloured]
