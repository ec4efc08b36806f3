"""What tells a gap from an opening that is meant: measures of a neck, free of the brush and of the picture's size."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from .necks import Necks

_LOOK = 2.5
"""How far about an end is looked, in thicknesses of its line."""

_LEAST_LOOK, _MOST_LOOK = 9, 90
"""The same in px."""

MEASURES = (
    "width in pens", "width in thicknesses", "width in rooms", "width in smaller areas", "width in pictures",
    "straight on, worse", "straight on, better", "filled near, less", "filled near, more", "filled about, less",
    "filled about, more", "drawn out, less", "drawn out, more", "tapered, less", "tapered, more", "turn",
    "unlike thickness", "same ink", "at the edge", "smaller area", "larger area", "share of the picture", "reaches the edge",
    "rival", "rivals", "rank", "pen in pictures", "one room's neck", "smaller room in pens", "smaller room",
)  # fmt: skip


@dataclass(frozen=True)
class _Look:
    """What the ink about an end looks like. outward: (2,) unit. tip: (2,) px, the end moved into the middle of its line.
    thick: px. near, about: share of discs that is ink. drawn_out: how far the ink's middle lies behind the end, 0 (a side
    or nothing) to 1. taper: thickness at the tip beside that behind it."""

    outward: NDArray[np.float64]
    tip: NDArray[np.float64]
    thick: float
    near: float
    about: float
    drawn_out: float
    taper: float


def _look(
    depth: NDArray[np.float32], end: Any, other: Any, pen: float, offsets: dict[int, tuple[Any, Any]]
) -> _Look:
    """depth: (h, w) distance of ink to the white, px, 0 in the white, with a margin of _MOST_LOOK."""
    toward = (other - end) / max(float(np.hypot(*(other - end))), 1e-9)
    # Half a pixel into the ink; where the outline was smoothed away, the next ink there is.
    x, y = np.rint(end - 0.7 * toward).astype(int) + _MOST_LOOK
    small = depth[y - 2 : y + 3, x - 2 : x + 3]
    if not small.any():
        return _Look(toward, end, pen, 0.0, 0.0, 0.0, 1.0)
    if depth[y, x] == 0:
        row, column = np.unravel_index(int(small.argmax()), small.shape)
        y, x = y - 2 + int(row), x - 2 + int(column)
    reach = int(np.clip(2 * pen, _LEAST_LOOK, _MOST_LOOK))
    thick = 2 * float(_own(depth, x, y, reach, offsets)[0].max()) - 1
    reach = int(np.clip(_LOOK * thick, _LEAST_LOOK, _MOST_LOOK))
    own, dx, dy, distance = _own(depth, x, y, reach, offsets)
    inked = own > 0
    middle = np.array([dx[inked].mean(), dy[inked].mean()])
    close = inked & (distance <= max(0.75 * thick, 3))
    back = np.array([dx[close].mean(), dy[close].mean()])
    size = float(np.hypot(*back))
    spread = np.stack([dx[inked], dy[inked]]) - middle[:, None]
    axis = np.linalg.eigh(spread @ spread.T)[1][:, 1]
    on_axis = np.array([x, y]) - _MOST_LOOK + middle - (middle @ axis) * axis
    at_tip = float(own[close].max())
    return _Look(
        -back / size if size > 0.3 else toward, on_axis, thick,
        float(inked[distance <= max(0.75 * thick, 3)].mean()), float(inked.mean()),
        float(np.hypot(*middle)) / reach, (2 * at_tip - 1) / max(2 * float(own.max()) - 1, 1),
    )  # fmt: skip


def _own(
    depth: NDArray[np.float32], x: int, y: int, reach: int, offsets: dict[int, tuple[Any, Any]]
) -> tuple[Any, Any, Any, Any]:
    """Depth of the ink that hangs together with a place within a disc, and where (dx, dy, distance) each pixel lies."""
    if reach not in offsets:
        dy, dx = np.mgrid[-reach : reach + 1, -reach : reach + 1]
        disc = np.hypot(dx, dy) <= reach
        offsets[reach] = disc, (dx[disc], dy[disc], np.hypot(dx, dy)[disc])
    disc, (dx, dy, distance) = offsets[reach]
    window = depth[y - reach : y + reach + 1, x - reach : x + reach + 1]
    _, labels = cv2.connectedComponents(((window > 0) & disc).astype(np.uint8), connectivity=8)
    own = np.where(labels == labels[reach, reach], window, 0) if labels[reach, reach] else window
    return own[disc], dx, dy, distance


@dataclass(frozen=True)
class Seen:
    """measures: (necks, MEASURES). outward: (necks, 2, 2) where each end points. free: (necks, 2) 0..1, how much each end is the free
    end of a line; tips: (necks, 2, 2) px, the ends moved into the middle of their line."""

    measures: NDArray[np.float32]
    outward: NDArray[np.float64]
    free: NDArray[np.float64]
    tips: NDArray[np.float64]


def seen(ink: NDArray[np.bool_], necks: Necks, pen: float) -> Seen:
    """Measures of all necks of an (h, w) ink mask that is drawn with a pen of so many px."""
    count = len(necks.ends)
    height, width = ink.shape
    depth = cv2.distanceTransform(
        np.pad(ink, _MOST_LOOK + 3).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE
    )[3:-3, 3:-3]
    _, components = cv2.connectedComponents(np.pad(ink, 2).astype(np.uint8), connectivity=8)
    offsets: dict[int, tuple[Any, Any]] = {}
    looks: list[tuple[_Look, _Look]] = []
    for ends, edge in zip(necks.ends, necks.at_edge, strict=True):
        pair = []
        for k in (0, 1):
            toward = ends[1 - k] - ends[k]
            if edge[k]:
                unit = toward / max(float(np.hypot(*toward)), 1e-9)
                pair.append(_Look(unit, ends[k], pen, 0.5, 0.5, 0.2, 1.0))
            else:
                pair.append(_look(depth, ends[k], ends[1 - k], pen, offsets))
        looks.append((pair[0], pair[1]))
    if not looks:
        nothing = np.zeros((0, 2))
        return Seen(
            np.zeros((0, len(MEASURES)), np.float32), np.zeros((0, 2, 2)), nothing, np.zeros((0, 2, 2))
        )
    table = {
        name: np.array([[getattr(look, name) for look in pair] for pair in looks])
        for name in ("outward", "tip", "thick", "near", "about", "drawn_out", "taper")
    }
    widths = np.maximum(necks.widths - 1, 0.5)
    way = necks.ends[:, 1] - necks.ends[:, 0]
    way = way / np.maximum(np.hypot(*way.T), 1e-9)[:, None]
    straight = np.stack(
        [(table["outward"][:, 0] * way).sum(1), -(table["outward"][:, 1] * way).sum(1)], axis=1
    )
    turn = -(table["outward"][:, 0] * table["outward"][:, 1]).sum(1)
    areas = np.sort(necks.areas[necks.rooms], axis=1)
    radius = necks.radii[necks.rooms].min(axis=1)
    side = float(min(height, width))
    same_ink = _component(components, necks)
    rival, rivals = _rivals(necks, widths, table["thick"])
    order = np.argsort(np.argsort(widths)) / max(count - 1, 1)
    bridge = np.bincount(necks.rooms.ravel(), minlength=len(necks.areas))[necks.rooms].min(axis=1)

    def both(name: str) -> tuple[Any, Any]:
        return table[name].min(axis=1), table[name].max(axis=1)

    log = np.log
    measures = np.stack([
        log(widths / pen), log(widths / table["thick"].min(axis=1).clip(1)), widths / (2 * radius + 1),
        log(widths**2 / areas[:, 0].clip(1)), log(widths / side),
        straight.min(axis=1), straight.max(axis=1), *both("near"), *both("about"), *both("drawn_out"), *both("taper"), turn,
        np.abs(log(table["thick"][:, 0].clip(1) / table["thick"][:, 1].clip(1))), same_ink, necks.at_edge.any(axis=1),
        log(areas[:, 0].clip(1) / pen**2), log(areas[:, 1].clip(1) / pen**2), areas[:, 0] / (height * width),
        necks.touching[necks.rooms].sum(axis=1), log(rival), rivals, order, np.full(count, log(pen / side)), bridge,
        log(radius.clip(0.5) / pen), log(areas[:, 0].clip(1)),
    ], axis=1).astype(np.float32)  # fmt: skip
    free = np.clip((table["drawn_out"] - 0.25) / 0.2, 0, 1) * np.clip(straight, 0, 1)
    free[necks.at_edge] = 0
    return Seen(measures, table["outward"], free, table["tip"])


def _component(components: NDArray[np.int32], necks: Necks) -> NDArray[np.bool_]:
    """Which necks lie between two places of one and the same ink."""
    found = []
    for k in (0, 1):
        toward = necks.ends[:, 1 - k] - necks.ends[:, k]
        unit = toward / np.maximum(np.hypot(*toward.T), 1e-9)[:, None]
        x, y = np.rint(necks.ends[:, k] - 0.7 * unit).astype(int).T + 2
        found.append(
            components[y.clip(0, components.shape[0] - 1), x.clip(0, components.shape[1] - 1)].astype(int)
        )
    return np.asarray((found[0] == found[1]) & (found[0] > 0))


def _rivals(necks: Necks, widths: Any, thick: Any) -> tuple[Any, Any]:
    """Width beside that of the narrowest other neck at either end, and how many others there are that are no wider."""
    places, owner = necks.ends.reshape(-1, 2), np.repeat(np.arange(len(widths)), 2)
    reach = np.where(necks.at_edge, 0, 1.5 * thick + 2).ravel()
    tree = cKDTree(places)
    pairs = tree.sparse_distance_matrix(tree, float(reach.max()), output_type="coo_matrix")
    near = (pairs.data <= reach[pairs.row]) & (owner[pairs.row] != owner[pairs.col])
    own, other = owner[pairs.row[near]], owner[pairs.col[near]]
    narrowest = np.full(len(widths), np.inf)
    np.minimum.at(narrowest, own, widths[other])
    rivals = np.bincount(own[widths[other] <= widths[own]], minlength=len(widths))
    return widths / np.minimum(narrowest, 20 * widths), rivals
