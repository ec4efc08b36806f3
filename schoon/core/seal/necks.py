"""Rooms of the white and the necks between them: where paint runs from one into another.

The white between the outlines of the ink is triangulated. Its distance to the ink has a peak in every room and a saddle in
every neck between two rooms (flow over Delaunay triangles: H. Edelsbrunner, M. Facello and J. Liang, "On the definition and
the construction of pockets in macromolecules", 1998), whatever the brush. A neck that is hardly narrower than the rooms
beside it is none (persistence).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import Delaunay
from skimage.measure import find_contours

from ..strokes import Points

_STEP = 2.0
"""Distance between two points of an outline, px."""

_FRAME_STEP = 6
"""The same along the edge of the picture."""

_WIDER = 1.2
"""A room is at least this much wider than a neck that parts it, and half a pixel."""

_TIP, _LEAST_TIP = 1.5, 8
"""Length of outline to either side that shows whether it turns about an end, in pens; at least, px."""

_TIP_FROM = 0.9
"""Length of the sum of the two directions along the outline from which it does: 0 straight on, 2 right back."""

_STRAIGHT = 0.75
"""How straight two ends have to face each other (cosine)."""

_JITTER = 0.05
"""Points of the pixel grid lie on common circles; moved by so little, px, they do not."""


@dataclass(frozen=True)
class Necks:
    """ends: (necks, 2, 2) px, centre of pixel (0, 0) at (0, 0), the place on either outline. rooms: (necks, 2) rooms on either side.
    at_edge: (necks, 2) whether an end lies on the edge of the picture. areas: (rooms,) px². radii: (rooms,) of the
    largest circle in each room, px. touching: (rooms,) whether a room reaches the edge of the picture.
    triangles: (t, 3, 2) of the white, px, and room_of: (t,) the room of each.
    """

    ends: Points
    rooms: NDArray[np.int64]
    at_edge: NDArray[np.bool_]
    areas: NDArray[np.float64]
    radii: NDArray[np.float64]
    touching: NDArray[np.bool_]
    triangles: Points
    room_of: NDArray[np.int64]

    @property
    def widths(self) -> NDArray[np.float64]:
        """(necks,) white between the ends, px."""
        return np.hypot(*(self.ends[:, 1] - self.ends[:, 0]).T)


def _outlines(ink: NDArray[np.bool_]) -> tuple[Points, NDArray[np.int64], int]:
    """Points (n, 2) along all outlines and then along the edge of the picture, the one that follows each, and how many
    are outline."""
    height, width = ink.shape
    points: list[Points] = []
    follow: list[NDArray[np.int64]] = []
    count = 0

    def add(ring: Points) -> None:
        nonlocal count
        points.append(ring)
        follow.append(np.r_[np.arange(count + 1, count + len(ring)), count])
        count += len(ring)

    for found in find_contours(np.pad(ink, 1).astype(float), 0.5, fully_connected="high"):
        ring = found[:-1, ::-1] - 1
        if len(ring) > 6:
            # The steps of the pixels are no shape.
            ring = (np.roll(ring, 1, 0) + 2 * ring + np.roll(ring, -1, 0)) / 4
            some = np.linspace(0, len(ring), max(6, round(len(ring) / _STEP)), endpoint=False)
            ring = ring[np.unique(some.astype(int))]
        add(ring)
    inked = count
    x, y = np.arange(-1.0, width, _FRAME_STEP), np.arange(-1.0, height, _FRAME_STEP)
    sides = (
        np.c_[x, np.full(len(x), -1.0)], np.c_[np.full(len(y), width), y],
        np.c_[width - 1 - x, np.full(len(x), height)], np.c_[np.full(len(y), -1.0), height - 1 - y],
    )  # fmt: skip
    add(np.concatenate(sides))
    return np.concatenate(points), np.concatenate(follow), inked


class _Joined:
    """Union-find over triangles."""

    def __init__(self, count: int) -> None:
        self.parent = list(range(count))

    def root(self, k: int) -> int:
        parent = self.parent
        while parent[k] != k:
            parent[k] = parent[parent[k]]
            k = parent[k]
        return k

    def join(self, a: int, b: int) -> int:
        """Puts b to a."""
        a, b = self.root(a), self.root(b)
        self.parent[b] = a
        return a

    def roots(self) -> NDArray[np.int64]:
        return np.array([self.root(k) for k in range(len(self.parent))], np.int64)


def necks_of(ink: NDArray[np.bool_], pen: float) -> Necks:
    """All necks of the white of an (h, w) ink mask that is drawn with a pen of so many px."""
    points, follow, inked = _outlines(ink)
    moved = points + np.random.default_rng(0).uniform(-_JITTER, _JITTER, points.shape)
    triangulated = Delaunay(moved)
    corners = triangulated.simplices.astype(np.int64)
    beside = triangulated.neighbors.astype(np.int64)
    # Edge k of a triangle lies opposite its corner k.
    start, end = corners[:, [1, 2, 0]], corners[:, [2, 0, 1]]
    length = np.linalg.norm(points[end] - points[start], axis=2)
    white = _white(ink, points[corners])
    wall = (follow[start] == end) | (follow[end] == start)
    passable = ~wall & white[:, None] & (beside >= 0) & white[beside]
    tips = _tips(points, follow, inked, max(_TIP * pen, _LEAST_TIP))
    once = passable & (np.arange(len(corners))[:, None] < beside)
    barred = _both_ways(_facing(points, tips, start, end, length, once), beside)
    area = _area(points[corners])
    mesh = _Mesh(beside, length, white, passable, barred, area)
    root, t, k = mesh.parted()

    _, room = np.unique(np.where(white, root, -1), return_inverse=True)
    room = room - int(not white.all())
    ends = np.stack([start[t, k], end[t, k]], axis=1)
    inside = np.flatnonzero(white)
    rooms = int(room.max()) + 1 if len(inside) else 0
    radii = np.zeros(rooms)
    np.maximum.at(radii, room[inside], mesh.radius[inside])
    touching = np.zeros(rooms, bool)
    touching[room[inside[(corners[inside] >= inked).any(axis=1)]]] = True
    return Necks(
        points[ends], np.stack([room[t], room[beside[t, k]]], axis=1), ends >= inked,
        np.bincount(room[inside], area[inside], rooms).astype(float), radii, touching, points[corners[inside]], room[inside],
    )  # fmt: skip


@dataclass(frozen=True)
class _Mesh:
    """Triangles and their edges, (t,) and (t, 3). beside: the triangle beyond each edge. length: of each edge, px. white: triangles of
    the white. passable: edges between two of these. barred: edges that part in any case. area: px²."""

    beside: NDArray[np.int64]
    length: NDArray[np.float64]
    white: NDArray[np.bool_]
    passable: NDArray[np.bool_]
    barred: NDArray[np.bool_]
    area: NDArray[np.float64]

    @cached_property
    def obtuse(self) -> NDArray[np.bool_]:
        square = self.length**2
        return np.asarray((square.sum(axis=1, keepdims=True) <= 2 * square).any(axis=1))

    @cached_property
    def radius(self) -> NDArray[np.float64]:
        """(t,) how far the ink is away where it is farthest in each triangle."""
        round_it = self.length.prod(axis=1) / np.maximum(4 * self.area, 1e-9)
        return np.where(self.obtuse, self.length.max(axis=1) / 2, round_it)

    def parted(self) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
        """(t,) a triangle that names the room of each, and the triangles and edges of the necks."""
        rows, longest = np.arange(len(self.length)), self.length.argmax(axis=1)
        joined = _Joined(len(rows))
        # Where a triangle is obtuse it gets wider beyond its longest edge: it belongs to the room over there.
        flows = self.white & self.obtuse & self.passable[rows, longest] & ~self.barred[rows, longest]
        for n in np.flatnonzero(flows).tolist():
            joined.join(int(self.beside[n, longest[n]]), n)
        root = joined.roots()
        widest = np.zeros(len(rows))
        np.maximum.at(widest, root, np.where(self.white, self.radius, 0))
        t, k = np.nonzero(self.passable & (rows[:, None] < self.beside))
        parting = root[t] != root[self.beside[t, k]]
        t, k = t[parting], k[parting]
        u, half, always = self.beside[t, k], self.length[t, k] / 2, self.barred[t, k]
        kept = []
        for n in np.argsort(-half, kind="stable").tolist():
            a, b = joined.root(int(t[n])), joined.root(int(u[n]))
            if a == b:
                continue
            if not always[n] and min(widest[a], widest[b]) < _WIDER * half[n] + 0.5:
                widest[joined.join(a, b)] = max(widest[a], widest[b])
            else:
                kept.append(n)
        e = np.array(kept, np.int64)
        root = joined.roots()
        e = e[root[t[e]] != root[u[e]]]
        return root, t[e], k[e]


def _tips(points: Points, follow: NDArray[np.int64], inked: int, reach: float) -> Points:
    """(n, 2) where each point of an outline points to if it is the tip of a line, unit; 0 where it is none.

    inked: how many of the points are outline. reach: of the outline that is looked at to either side, px.
    """
    before = np.empty_like(follow)
    before[follow] = np.arange(len(follow))
    ahead, behind = follow, before
    for _ in range(round(reach / _STEP) - 1):
        ahead, behind = follow[ahead], before[behind]
    # The outline turns back at a tip; the bisector points out of the line.
    arms = np.stack([points[ahead] - points, points[behind] - points], axis=1)
    arms /= np.maximum(np.linalg.norm(arms, axis=2, keepdims=True), 1e-9)
    outward = -arms.sum(axis=1)
    turned = np.asarray(np.linalg.norm(outward, axis=1))
    turned[inked:] = 0
    return np.where(turned[:, None] > _TIP_FROM, outward / np.maximum(turned, 1e-9)[:, None], 0.0)


def _facing(
    points: Points, tips: Points, start: Any, end: Any, length: Any, passable: Any
) -> NDArray[np.int64]:
    """(k, 2) triangles and edges that lie between two tips that face each other: a gap, even where the white beside it
    is no wider."""
    tip = np.asarray(tips.any(axis=1))
    t, k = np.nonzero(passable & tip[start] & tip[end])
    way = (points[end[t, k]] - points[start[t, k]]) / np.maximum(length[t, k], 1e-9)[:, None]
    straight = np.minimum((tips[start[t, k]] * way).sum(axis=1), -(tips[end[t, k]] * way).sum(axis=1))
    t, k = t[straight > _STRAIGHT], k[straight > _STRAIGHT]
    # One edge for each two tips: the shortest of all between them.
    _, place = np.unique(np.cumsum(~tip), return_inverse=True)
    shortest: dict[tuple[int, int], tuple[float, int, int]] = {}
    for a, b in zip(t.tolist(), k.tolist(), strict=True):
        i, j = sorted((int(place[start[a, b]]), int(place[end[a, b]])))
        if i != j and (float(length[a, b]), a, b) < shortest.get((i, j), (np.inf, 0, 0)):
            shortest[i, j] = float(length[a, b]), a, b
    return np.array([(a, b) for _, a, b in shortest.values()], np.int64).reshape(-1, 2)


def _both_ways(edges: NDArray[np.int64], beside: Any) -> NDArray[np.bool_]:
    """(t, 3) mask of edges, given from one side, on both sides."""
    mask = np.zeros(beside.shape, bool)
    t, k = edges.T
    mask[t, k] = True
    u = beside[t, k]
    mask[u, (beside[u] == t[:, None]).argmax(axis=1)] = True
    return mask


def _white(ink: NDArray[np.bool_], corners: Any) -> NDArray[np.bool_]:
    """Which of (t, 3, 2) triangles lie in the white."""
    height, width = ink.shape
    on = np.zeros(len(corners), int)
    for shares in ((1, 1, 1), (2, 1, 1), (1, 2, 1), (1, 1, 2)):
        x, y = np.rint(np.tensordot(corners, np.array(shares) / sum(shares), axes=(1, 0))).astype(int).T
        inside = (x >= 0) & (y >= 0) & (x < width) & (y < height)
        on[inside] += ink[y[inside], x[inside]]
    return on < 3


def _area(corners: Any) -> NDArray[np.float64]:
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    return np.asarray(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2)
