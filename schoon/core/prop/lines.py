"""The lines of a placed prop: ridges, outlines of what is round and details, seen and hidden, as clean strokes.

Outlines of smooth surfaces are where the normals, blended over the faces, stand square to the eye (Hertzmann & Zorin 2000);
what hides them is told by a raster of depths.
"""

from __future__ import annotations

import hashlib
import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter
from scipy.spatial import cKDTree

from ..strokes import Points, Stroke, corner_indices, fit_curve
from .placing import Placed
from .sight import Sight
from .solid import Points3, Solid, chained, corner_normals

_STEP = 1.5
"""Px between two places of a line at which it is asked what hides it."""

_BIAS = 0.006
"""Lines so much behind a surface still lie on it; share of the prop's size."""

_LEAST = 3.0
"""Shorter stretches, px, are neither seen nor hidden for themselves."""

_TWICE = 1.2
"""Lines nearer than so many px to one that is drawn are not drawn again."""

_MEETS = 3.0
"""Ends so many px off another line are drawn up to it."""

_TOLERANCE = 0.3
_CORNER = np.radians(28)


@dataclass(frozen=True, eq=False)
class Run:
    """A stretch of a line. name: of the line on the solid. flat: (k, 2) px. solid: (k, 3) places as it stands, size 1."""

    name: str
    flat: Points
    solid: Points3
    seen: bool
    closed: bool = False

    @property
    def length(self) -> float:
        return float(np.hypot(*np.diff(self.flat, axis=0).T).sum())


def curves(solid: Solid, placed: Placed) -> list[tuple[str, Points3]]:
    """All lines of a solid that stands so, seen or not: the name of each and its (k, 3) places, turned."""
    points = solid.posed(placed.opened)
    turned = placed.turned(points)
    found = [(f"r{k}", turned[chain]) for k, chain in enumerate(solid.ridges)]
    details = solid.details_posed(placed.opened)
    found += [(f"d{k}", placed.turned(line)) for k, (_, line) in enumerate(details)]
    normals = corner_normals(solid, points)
    normals = placed.turned(normals)
    index, _ = solid.corners
    towards = placed.towards(turned)
    facing = (normals[index] * towards[solid.faces]).sum(axis=2)
    # A place that is just square to the eye lies on one side all the same.
    facing = np.where(np.abs(facing) < 1e-9, 1e-9, facing)
    crosses = (facing > 0) != np.roll(facing > 0, -1, axis=1)
    faces = np.flatnonzero(crosses.sum(axis=1) == 2)
    if not len(faces):
        return found
    corner = np.nonzero(crosses[faces])[1].reshape(-1, 2)
    rows = faces[:, None]
    one, two = facing[rows, corner], facing[rows, (corner + 1) % 3]
    share = (one / (one - two))[..., None]
    a, b = turned[solid.faces[rows, corner]], turned[solid.faces[rows, (corner + 1) % 3]]
    places = a + share * (b - a)
    # Both faces at an edge name the place on it alike, unless it is a ridge.
    node = solid.edge_of[rows, corner]
    own = node.max(initial=0) + 1
    keys = np.where(solid.sharp[node], node + own * (1 + solid.skin[faces][:, None]), node)
    names, inverse = np.unique(keys, return_inverse=True)
    at = np.zeros((len(names), 3))
    at[inverse.ravel()] = places.reshape(-1, 3)
    skin = {int(key): int(s) for key, s in zip(keys.ravel(), np.repeat(solid.skin[faces], 2), strict=True)}
    counts: dict[int, int] = {}
    outlines = []
    for chain in chained(inverse.reshape(-1, 2)):
        outlines.append((skin[int(names[chain[0]])], at[chain]))
    # Named from left to right, so that names go on from one placement to the next.
    outlines.sort(key=lambda line: (line[0], float(line[1][:, 0].mean())))
    for surface, line in outlines:
        k = counts[surface] = counts.get(surface, -1) + 1
        found.append((f"o{surface}.{k}", line))
    return found


def runs(sight: Sight, least: float = _LEAST) -> list[Run]:
    """The lines of a prop cut where they come out from behind it and go under it, those seen first, the longest first."""
    placed = sight.placed
    far = maximum_filter(sight.solid_depth, 3)
    found: list[Run] = []
    for name, line in curves(sight.solid, placed):
        solid, flat = _spaced(line, placed)
        if len(flat) < 2:
            continue
        cells = sight.cells(flat)
        seen = solid[:, 2] <= far[cells[:, 0], cells[:, 1]] + _BIAS
        closed = bool(np.linalg.norm(solid[0] - solid[-1]) < 1e-9) and len(solid) > 3
        found += _cut(name, flat, solid, seen, closed, least)
    found.sort(key=lambda run: (not run.seen, -run.length))
    return _once(found, sight)


def _spaced(line: Points3, placed: Placed) -> tuple[Points3, Points]:
    """A polyline at even spacing in the picture; its own corners stay."""
    flat = placed.seen(line)
    steps = np.hypot(*np.diff(flat, axis=0).T)
    if steps.sum() < 0.5:
        return line[:0], flat[:0]
    parts = np.maximum(1, np.ceil(steps / _STEP)).astype(int)
    share = np.concatenate([np.arange(n) / n for n in parts])
    index = np.repeat(np.arange(len(parts)), parts)
    solid = line[index] + share[:, None] * (line[index + 1] - line[index])
    solid = np.vstack([solid, line[-1:]])
    return solid, placed.seen(solid)


def _cut(
    name: str, flat: Points, solid: Points3, seen: NDArray[np.bool_], closed: bool, least: float
) -> list[Run]:
    if closed and not (seen.all() or not seen.any()):
        # A ring begins where something ends, so that no stretch is cut in two at its seam.
        start = int(np.flatnonzero(seen[:-1] != np.roll(seen[:-1], 1))[0])
        flat, solid, seen = (np.concatenate([v[start:-1], v[: start + 1]]) for v in (flat, solid, seen))
        closed = False
    seen = _steady(flat, seen, least)
    bounds = [0, *(np.flatnonzero(seen[1:] != seen[:-1]) + 1).tolist(), len(seen)]
    found = []
    for a, b in itertools.pairwise(bounds):
        # What is seen goes up to where it is hidden.
        low, high = (max(a - 1, 0), min(b + 1, len(seen))) if not seen[a] else (a, b)
        if high - low > 1:
            whole = closed and high - low == len(seen)
            found.append(Run(name, flat[low:high], solid[low:high], bool(seen[a]), whole))
    return found


def _steady(flat: Points, seen: NDArray[np.bool_], least: float) -> NDArray[np.bool_]:
    """Stretches too short to mean something go with their neighbours, the shortest first."""
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(flat, axis=0).T))]
    seen = seen.copy()
    while True:
        bounds = np.r_[0, np.flatnonzero(seen[1:] != seen[:-1]) + 1, len(seen)]
        if len(bounds) < 3:
            return seen
        spans = along[bounds[1:] - 1] - along[bounds[:-1]]
        k = int(np.argmin(spans))
        if spans[k] >= least:
            return seen
        seen[bounds[k] : bounds[k + 1]] ^= True


def _once(found: Sequence[Run], sight: Sight) -> list[Run]:
    """Without seen stretches that run along longer ones."""
    drawn = np.zeros(sight.shape, bool)
    reach = int(np.ceil(_TWICE / sight.cell))
    about = np.arange(-reach, reach + 1)
    disc = np.stack(np.meshgrid(about, about), axis=-1).reshape(-1, 2)
    disc = disc[np.hypot(*disc.T) * sight.cell <= _TWICE]
    limits = np.array(sight.shape) - 1
    kept: list[Run] = []
    for run in found:
        if run.seen:
            cells = sight.cells(run.flat)
            if drawn[cells[:, 0], cells[:, 1]].mean() > 0.8:
                continue
            marked = (cells[:, None] + disc).reshape(-1, 2).clip(0, limits)
            drawn[marked[:, 0], marked[:, 1]] = True
        kept.append(run)
    return kept


def strokes_of(found: Sequence[Run], width: float, part: str, prop: str) -> list[Stroke]:
    """Seen stretches as strokes of a part, each with a name of its own that is the same for the same lines of a prop.

    Ends that stop just short of another line are drawn up to it.
    """
    shown = [run for run in found if run.seen]
    paths = _met([run.flat for run in shown], [run.closed for run in shown])
    counts: dict[str, int] = {}
    strokes = []
    for run, path in zip(shown, paths, strict=True):
        corners = corner_indices(path, 3, float(_CORNER))
        try:
            controls, knots = fit_curve(path, _TOLERANCE, corners, closed=run.closed)
        except ValueError:
            continue
        if run.closed:
            controls[-1] = controls[0]
        k = counts[run.name] = counts.get(run.name, -1) + 1
        track = hashlib.sha256(f"{prop} {run.name}".encode()).hexdigest()[:10]
        name = hashlib.sha256(f"{prop} {run.name} {k}".encode()).hexdigest()[:10]
        strokes.append(
            Stroke(controls, np.full(len(knots), width), 1.0, "hand", id=name, part=part, track=track)
        )
    return strokes


def _met(paths: Sequence[Points], closed: Sequence[bool]) -> list[Points]:
    """Polylines whose free ends reach the line beside them."""
    if len(paths) < 2:
        return list(paths)
    tree = cKDTree(np.vstack(paths))
    owner = np.repeat(np.arange(len(paths)), [len(p) for p in paths])
    places = np.vstack(paths)
    found = []
    for k, path in enumerate(paths):
        path = path.copy()
        for end in () if closed[k] else (0, -1):
            near = [n for n in tree.query_ball_point(path[end], _MEETS) if owner[n] != k]
            if near:
                path[end] = places[min(near, key=lambda n: float(np.hypot(*(places[n] - path[end]))))]
        found.append(path)
    return found
