"""A rigid prop as a solid: faces of its forms, and the lines along which they meet.

Axes: x to the right, y down, z away from the eye, as a drawing of the front shows it. The longest side of the whole is 1,
and the middle of its box lies at 0.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial.transform import Rotation

Points3 = NDArray[np.float64]
Faces = NDArray[np.int64]
Side = Literal["left", "right", "top", "bottom"]

SHARP = 20.0
"""Degrees between two faces from which on the edge between them is a line, unless something else is said."""


@dataclass(frozen=True)
class Form:
    """A part of a prop. glass: what lies behind it is seen. pot: id of the pot it is painted from, 0 for none.

    hinge: the side of its box about which it opens, "" for none. swing: degrees it opens by, towards the eye above 0.
    """

    name: str
    pot: int = 0
    glass: bool = False
    hinge: Side | Literal[""] = ""
    swing: float = 100.0


@dataclass(frozen=True, eq=False)
class Solid:
    """points: (n, 3). faces: (m, 3) indices of points. form: (m,) which of `forms` a face belongs to.

    details: lines drawn on a form: (form, (k, 3) polyline). sharp_from: degrees between two faces from which on the edge
    between them is a line. No point belongs to two forms.
    """

    points: Points3
    faces: Faces
    form: NDArray[np.int64]
    forms: tuple[Form, ...]
    details: tuple[tuple[int, Points3], ...] = field(default=())
    sharp_from: float = SHARP

    def __post_init__(self) -> None:
        if not len(self.faces):
            raise ValueError("a solid needs faces")
        if not np.isfinite(self.points).all():
            raise ValueError("the places of a solid must be finite")

    @cached_property
    def _edges(self) -> tuple[Faces, Faces]:
        """(e, 2) points of each edge, and (e, 2) its two faces, -1 where there is only one or more than two."""
        ends = np.sort(self.faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
        edges, index, counts = np.unique(ends, axis=0, return_inverse=True, return_counts=True)
        index = index.ravel()
        order = np.argsort(index, kind="stable")
        first = np.r_[0, np.cumsum(counts)[:-1]]
        pair = np.full((len(edges), 2), -1)
        pair[:, 0] = order[first] // 3
        two = counts == 2
        pair[two, 1] = order[first[two] + 1] // 3
        return edges, pair

    @cached_property
    def edge_of(self) -> Faces:
        """(m, 3) the edge after each corner of a face."""
        ends = np.sort(self.faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
        return np.unique(ends, axis=0, return_inverse=True)[1].reshape(-1, 3)

    @property
    def edges(self) -> Faces:
        """(e, 2) points of each edge."""
        return self._edges[0]

    @cached_property
    def sharp(self) -> NDArray[np.bool_]:
        """(e,) whether an edge is a line: its faces meet at an angle, or it has only one."""
        _, pair = self._edges
        normals = face_normals(self.points, self.faces)
        across = (normals[pair[:, 0]] * normals[pair[:, 1]]).sum(axis=1)
        return np.asarray((pair[:, 1] < 0) | (across < np.cos(np.radians(self.sharp_from))))

    @cached_property
    def smooth_edges(self) -> Faces:
        """(k, 4) of edges that are no line: their two points and their two faces."""
        edges, pair = self._edges
        return np.c_[edges, pair][~self.sharp]

    @cached_property
    def skin(self) -> NDArray[np.int64]:
        """(m,) which smooth piece of surface each face belongs to."""
        _, pair = self._edges
        joined = pair[~self.sharp]
        count = len(self.faces)
        graph = coo_array((np.ones(len(joined)), (joined[:, 0], joined[:, 1])), shape=(count, count))
        return np.asarray(connected_components(graph, directed=False)[1], np.int64)

    @cached_property
    def corners(self) -> tuple[Faces, int]:
        """(m, 3) number of the normal of each corner of a face, and how many there are: one for each point and skin."""
        key = self.faces * (int(self.skin.max()) + 1) + self.skin[:, None]
        found, index = np.unique(key, return_inverse=True)
        return index.reshape(-1, 3), len(found)

    @cached_property
    def ridges(self) -> list[NDArray[np.int64]]:
        """The lines along which faces meet, each as indices of points; closed ones end where they begin."""
        return chained(self.edges[self.sharp])

    @cached_property
    def form_of(self) -> NDArray[np.int64]:
        """(n,) the form of each point."""
        owner = np.zeros(len(self.points), np.int64)
        owner[self.faces.ravel()] = np.repeat(self.form, 3)
        return owner

    def posed(self, opened: float) -> Points3:
        """(n, 3) the points with its doors opened by a share, 0..1."""
        points = self.points
        if not opened:
            return points
        points = points.copy()
        for k, form in enumerate(self.forms):
            if form.hinge:
                own = self.form_of == k
                points[own] = self._swung(k, points[own], opened)
        return points

    def details_posed(self, opened: float) -> list[tuple[int, Points3]]:
        """`details` with its doors opened by a share, 0..1."""
        return [
            (k, self._swung(k, line, opened) if opened and self.forms[k].hinge else line)
            for k, line in self.details
        ]

    def _swung(self, k: int, points: Points3, opened: float) -> Points3:
        form = self.forms[k]
        own = self.points[self.form_of == k]
        low, high = own.min(axis=0), own.max(axis=0)
        along = np.array([1.0, 0, 0]) if form.hinge in ("top", "bottom") else np.array([0, 1.0, 0])
        axis = (low + high) / 2
        axis[0] = {"left": low, "right": high}.get(form.hinge, axis)[0]
        axis[1] = {"top": low, "bottom": high}.get(form.hinge, axis)[1]
        # Above 0 the free side comes towards the eye, whichever side is held.
        way = 1.0 if form.hinge in ("left", "bottom") else -1.0
        turn = Rotation.from_rotvec(way * np.radians(form.swing * opened) * along)
        return np.asarray(turn.apply(points - axis) + axis)


def face_normals(points: Points3, faces: Faces) -> Points3:
    """(m, 3) unit normals, 0 for a face without area."""
    a, b, c = points[faces[:, 0]], points[faces[:, 1]], points[faces[:, 2]]
    normals = np.cross(b - a, c - a)
    return np.asarray(normals / np.maximum(np.linalg.norm(normals, axis=1), 1e-12)[:, None])


def corner_normals(solid: Solid, points: Points3) -> Points3:
    """(c, 3) unit normals of `solid.corners` with its points at `points`, weighed by the angles of the faces."""
    index, count = solid.corners
    flat = face_normals(points, solid.faces)
    sums = np.zeros((count, 3))
    for k in range(3):
        here, after, before = (points[solid.faces[:, (k + j) % 3]] for j in (0, 1, 2))
        u, v = after - here, before - here
        cosine = (u * v).sum(axis=1) / np.maximum(
            np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1), 1e-12
        )
        np.add.at(sums, index[:, k], np.arccos(cosine.clip(-1, 1))[:, None] * flat)
    return np.asarray(sums / np.maximum(np.linalg.norm(sums, axis=1), 1e-12)[:, None])


def chained(edges: Faces) -> list[NDArray[np.int64]]:
    """Edges, (e, 2) names of their ends, as chains that end where more or fewer than two meet."""
    at: dict[int, list[int]] = {}
    for k, (a, b) in enumerate(edges.tolist()):
        at.setdefault(a, []).append(k)
        at.setdefault(b, []).append(k)
    ends = edges.tolist()
    used = [False] * len(ends)
    chains: list[NDArray[np.int64]] = []

    def walk(start: int, first: int) -> None:
        chain, edge, here = [start], first, start
        while True:
            used[edge] = True
            here = ends[edge][0] if ends[edge][1] == here else ends[edge][1]
            chain.append(here)
            onward = [k for k in at[here] if not used[k]]
            if len(at[here]) != 2 or not onward:
                break
            edge = onward[0]
        chains.append(np.array(chain))

    starts = [node for node in sorted(at) if len(at[node]) != 2]
    for node in itertools.chain(starts, sorted(at)):
        for edge in at[node]:
            if not used[edge]:
                walk(node, edge)
    return chains


def normalised(
    pieces: Sequence[tuple[Form, Points3, Faces]],
    details: Mapping[int, Sequence[Points3]] | None = None,
    sharp_from: float = SHARP,
) -> Solid:
    """One solid of forms that were made apart, brought to the size 1 about its middle. details: form -> lines on it.

    Raises ValueError without a face, or if it has no size.
    """
    kept = [(k, piece) for k, piece in enumerate(pieces) if len(piece[2])]
    if not kept:
        raise ValueError("there is no face in it")
    starts = np.cumsum([0, *(len(points) for _, (_, points, _) in kept)])
    points = np.vstack([points for _, (_, points, _) in kept]).astype(float)
    low, high = points.min(axis=0), points.max(axis=0)
    size, middle = float((high - low).max()), (low + high) / 2
    if not np.isfinite(size) or size <= 0:
        raise ValueError("it has no size")
    faces = np.vstack([faces + start for (_, (_, _, faces)), start in zip(kept, starts[:-1], strict=True)])
    form = np.repeat(np.arange(len(kept)), [len(faces) for _, (_, _, faces) in kept])
    place = {k: new for new, (k, _) in enumerate(kept)}
    lines = tuple(
        (place[k], (np.asarray(line, float) - middle) / size)
        for k, drawn in (details or {}).items() if k in place
        for line in drawn
    )  # fmt: skip
    return Solid(
        (points - middle) / size, faces, form, tuple(piece[0] for _, piece in kept), lines, sharp_from
    )
