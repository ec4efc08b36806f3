"""A prop built from its model sheet: outlines of one view, and how deep each is, made into solid forms."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Annotated, Literal

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field
from scipy.interpolate import CubicSpline
from scipy.spatial.transform import Rotation

from .placing import Placed
from .sight import Sight
from .solid import Faces, Form, Points3, Side, Solid, normalised

Points = NDArray[np.float64]
Piece = tuple[Points3, Faces]
Px = Annotated[float, Field(ge=-100_000, le=100_000, allow_inf_nan=False)]

ROUND = 60
"""Faces round a turned form."""

_TUBE = 24
_STEP = 1 / 36
"""Length of a piece of a rounded outline, in shares of the whole outline."""

_CORNER = np.radians(72)
_BENDS = np.radians(10)
_MOST = 400
"""Radians that a rounded outline turns from point to point at the most, as long as it has fewer points than this."""

_LIFT = 1e-3


class Surface(BaseModel):
    """What is said of a form beside its shape; as `solid.Form`."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Annotated[str, Field(min_length=1, max_length=60)]
    pot: Annotated[int, Field(ge=0)] = 0
    glass: bool = False
    hinge: Side | Literal[""] = ""
    swing: Annotated[float, Field(ge=-270, le=270)] = 100.0

    def form(self) -> Form:
        return Form(self.name, self.pot, self.glass, self.hinge, self.swing)


class Shape(Surface):
    """A form of the sheet. path: px of the picture.

    turned: a profile, one side of the axis from end to end, turned about it. plate: a closed outline, `thick` deep. box:
    two opposite corners, `thick` deep. tube: a line down the middle, `thick` across. near: px its middle lies nearer to
    the eye than the axis. around: so often, evenly about the axis. rounded: the outline runs smoothly through its points,
    but for sharp corners.
    """

    kind: Literal["turned", "plate", "box", "tube"]
    path: Annotated[list[tuple[Px, Px]], Field(min_length=2, max_length=500)]
    thick: Annotated[float, Field(gt=0, le=100_000)] = 10.0
    near: Px = 0.0
    around: Annotated[int, Field(ge=1, le=24)] = 1
    rounded: bool = False


class Drawn(BaseModel):
    """A line on the front of a form, or `ring`: round a turned form at the height of its first point."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    form: Annotated[int, Field(ge=0)]
    path: Annotated[list[tuple[Px, Px]], Field(min_length=1, max_length=500)]
    ring: bool = False


class Built(BaseModel):
    """A prop made of forms. axis: px from the left of the picture about which turned forms are turned."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Literal["built"] = "built"
    axis: Px = 0.0
    shapes: Annotated[list[Shape], Field(max_length=200)] = []
    details: Annotated[list[Drawn], Field(max_length=200)] = []


class Imported(BaseModel):
    """A prop from a file. file: name of the stored file. called: what it was called. surfaces: what is said of its parts, in
    order. sharp: degrees between two faces from which on the edge between them is a line."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Literal["file"] = "file"
    file: Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
    called: Annotated[str, Field(max_length=120)]
    surfaces: Annotated[list[Surface], Field(max_length=2000)] = []
    sharp: Annotated[float, Field(ge=5, le=90)] = 35.0


def assembled(made: Imported, parts: Sequence[tuple[Points3, Faces]]) -> Solid:
    """The solid of a prop from a file. parts: points and faces of each. Raises ValueError if it has no size."""
    return normalised(
        [(said.form(), *part) for said, part in zip(made.surfaces, parts, strict=True)], sharp_from=made.sharp
    )


def build(made: Built) -> Solid:
    """The solid of a prop. Raises ValueError naming the form that has no body."""
    pieces: list[tuple[Form, Points3, Faces]] = []
    rings: dict[int, list[Points3]] = {}
    for k, shape in enumerate(made.shapes):
        try:
            pieces.append((shape.form(), *_whole(shape, made.axis)))
        except ValueError as error:
            raise ValueError(f"{shape.name}: {error}") from error
        rings[k] = [
            _circle(made.axis, shape, line.path[0][1])
            for line in made.details
            if line.ring and line.form == k and shape.kind == "turned"
        ]
    plain = normalised(pieces)
    fronts = [line for line in made.details if not line.ring and line.form < len(pieces)]
    for line in fronts:
        rings[line.form] += _on_front(pieces[line.form], np.array(line.path, float))
    return normalised(pieces, rings) if any(rings.values()) else plain


def _whole(shape: Shape, axis: float) -> Piece:
    path = np.array(shape.path, float)
    if shape.rounded and shape.kind != "box":
        path = smooth(path, closed=shape.kind == "plate")
    if shape.kind == "turned":
        points, faces = turned(np.c_[np.abs(path[:, 0] - axis), path[:, 1]])
        points = points + np.array([axis, 0, -shape.near])
    else:
        if shape.kind == "tube":
            points, faces = tube(path, shape.thick / 2)
        else:
            points, faces = plate(_corners(path) if shape.kind == "box" else path, shape.thick)
        points = points - np.array([0, 0, shape.near])
    if shape.around == 1:
        return points, faces
    middle = np.array([axis, 0, 0])
    copies = [
        Rotation.from_rotvec([0, 2 * np.pi * k / shape.around, 0]).apply(points - middle) + middle
        for k in range(shape.around)
    ]
    return np.vstack(copies), np.vstack([faces + k * len(points) for k in range(shape.around)])


def _corners(path: Points) -> Points:
    (left, top), (right, bottom) = path.min(axis=0), path.max(axis=0)
    return np.array([[left, top], [right, top], [right, bottom], [left, bottom]])


def turned(profile: Points) -> Piece:
    """A (k, 2) profile of distances from the axis and heights, turned about the axis x = 0.

    Raises ValueError if all of it lies on the axis.
    """
    if profile[:, 0].max() < 1e-6 or len(profile) < 2:
        raise ValueError("the profile lies on the axis; draw it beside it")
    angle = np.arange(ROUND) * 2 * np.pi / ROUND
    rings = np.stack(
        [profile[:, :1] * np.sin(angle), np.repeat(profile[:, 1:], ROUND, axis=1), -profile[:, :1] * np.cos(angle)],
        axis=2,
    )  # fmt: skip
    index = np.arange(len(profile) * ROUND).reshape(len(profile), ROUND)
    # On the axis a ring is one point.
    index[profile[:, 0] < 1e-6] = index[profile[:, 0] < 1e-6][:, :1]
    after = np.roll(index, -1, axis=1)
    a, b, c, d = index[:-1], after[:-1], after[1:], index[1:]
    faces = np.concatenate([np.stack([a, b, c], 2).reshape(-1, 3), np.stack([a, c, d], 2).reshape(-1, 3)])
    return _tidy(rings.reshape(-1, 3), faces)


def plate(outline: Points, thick: float) -> Piece:
    """A closed (k, 2) outline, `thick` deep about 0. Raises ValueError for fewer than three points or no area."""
    if np.allclose(outline[0], outline[-1]):
        outline = outline[:-1]
    area = outline[:, 0] @ np.roll(outline[:, 1], -1) - outline[:, 1] @ np.roll(outline[:, 0], -1)
    if len(outline) < 3 or abs(area) < 1e-6:
        raise ValueError("the outline has no inside; draw three points at least")
    if area < 0:
        outline = outline[::-1]
    flat = np.ascontiguousarray(outline, np.float64)
    front = (
        mapbox_earcut.triangulate_float64(flat, np.array([len(flat)], np.uint32))
        .reshape(-1, 3)
        .astype(np.int64)
    )
    count = len(outline)
    points = np.vstack([np.c_[outline, np.full(count, z)] for z in (-thick / 2, thick / 2)])
    k = np.arange(count)
    after = np.roll(k, -1)
    sides = np.concatenate([np.c_[k, after, after + count], np.c_[k, after + count, k + count]])
    return points, np.concatenate([front[:, ::-1], front + count, sides])


def tube(path: Points, radius: float) -> Piece:
    """A round tube along a (k, 2) line in the plane of the picture; closed if it ends where it begins.

    Raises ValueError for a line without length.
    """
    path = path[np.r_[True, np.hypot(*np.diff(path, axis=0).T) > 1e-6]]
    if len(path) < 2:
        raise ValueError("the line has no length; draw two points at least")
    closed = len(path) > 3 and bool(np.allclose(path[0], path[-1]))
    if closed:
        path = path[:-1]
    before = np.roll(path, 1, axis=0) if closed else np.vstack([path[:1], path[:-1]])
    after = np.roll(path, -1, axis=0) if closed else np.vstack([path[1:], path[-1:]])
    along = after - before
    across = np.c_[along[:, 1], -along[:, 0]] / np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    angle = np.arange(_TUBE) * 2 * np.pi / _TUBE
    rings = np.zeros((len(path), _TUBE, 3))
    rings[..., :2] = path[:, None] + radius * across[:, None] * np.cos(angle)[:, None]
    rings[..., 2] = radius * np.sin(angle)
    index = np.arange(len(path) * _TUBE).reshape(len(path), _TUBE)
    one, two = (index, np.roll(index, -1, axis=0)) if closed else (index[:-1], index[1:])
    a, b, c, d = one, np.roll(one, -1, axis=1), np.roll(two, -1, axis=1), two
    faces = [np.stack([a, b, c], 2).reshape(-1, 3), np.stack([a, c, d], 2).reshape(-1, 3)]
    points = rings.reshape(-1, 3)
    if not closed:
        ends = np.c_[path[[0, -1]], [0, 0]]
        for k, ring in enumerate((index[0], index[-1][::-1])):
            faces.append(np.c_[np.full(_TUBE, len(points) + k), np.roll(ring, -1), ring])
        points = np.vstack([points, ends])
    return _tidy(points, np.concatenate(faces))


def _tidy(points: Points3, faces: Faces) -> Piece:
    """Without faces that have shrunk to a line, and points that none uses."""
    whole = (faces != np.roll(faces, 1, axis=1)).all(axis=1)
    used, index = np.unique(faces[whole], return_inverse=True)
    return points[used], index.reshape(-1, 3)


def smooth(path: Points, closed: bool = False) -> Points:
    """A (k, 2) polyline as a smooth curve through its points, with free corners where it turns sharply; both ends stay."""
    if len(path) < 3:
        return path
    if closed and not np.allclose(path[0], path[-1]):
        path = np.vstack([path, path[:1]])
    step = np.diff(path, axis=0)
    cuts = [0, *(np.flatnonzero(_turns(path) > _CORNER) + 1).tolist(), len(path) - 1]
    seam = float(_turns(np.array([path[-2], path[0], path[1]]))[0])
    least = _STEP * float(np.hypot(*step.T).sum())
    found = [path[:1]]
    for a, b in itertools.pairwise(cuts):
        run = path[a : b + 1]
        along = np.r_[0, np.cumsum(np.sqrt(np.hypot(*np.diff(run, axis=0).T)))]
        if len(run) < 3 or along[-1] <= 0:
            found.append(run[1:])
            continue
        periodic = closed and len(cuts) == 2 and seam <= _CORNER
        curve = CubicSpline(along, run, bc_type="periodic" if periodic else "natural")
        count = max(len(run), round(float(np.hypot(*np.diff(run, axis=0).T).sum()) / least))
        fine = curve(np.linspace(0, along[-1], count))
        # Tight bends are divided until none of them looks like a corner.
        while len(fine) < _MOST and _turns(fine).max(initial=0) > _BENDS:
            count *= 2
            fine = curve(np.linspace(0, along[-1], count))
        found.append(fine[1:])
    return np.vstack(found)


def _turns(path: Points) -> NDArray[np.float64]:
    """(k - 2,) radians by which a (k, 2) polyline turns at each of its inner points."""
    heading = np.arctan2(*np.diff(path, axis=0).T[::-1])
    return np.abs((np.diff(heading) + np.pi) % (2 * np.pi) - np.pi)


def _circle(axis: float, shape: Shape, height: float) -> Points3:
    """Round a turned form at a height, where it is widest."""
    path = np.array(shape.path, float)
    if shape.rounded:
        path = smooth(path)
    radius = np.abs(path[:, 0] - axis)
    widest = 0.0
    for (r, y), (s, z) in itertools.pairwise(np.c_[radius, path[:, 1]].tolist()):
        if min(y, z) <= height <= max(y, z):
            widest = max(widest, r + (s - r) * (height - y) / (z - y) if abs(z - y) > 1e-9 else max(r, s))
    angle = np.linspace(0, 2 * np.pi, ROUND + 1)
    widest *= 1 + _LIFT
    ring = np.c_[
        axis + widest * np.sin(angle), np.full(len(angle), height), -widest * np.cos(angle) - shape.near
    ]
    ring[-1] = ring[0]
    return ring


def _on_front(piece: tuple[Form, Points3, Faces], line: Points) -> list[Points3]:
    """A line of the picture laid on what of a form faces the eye; in pieces where it leaves it."""
    form, points, faces = piece
    only = normalised([(Form(form.name), points, faces)])
    low, high = points.min(axis=0), points.max(axis=0)
    size, middle = float((high - low).max()), (low + high) / 2
    sight = Sight.of(only, Placed((float(middle[0]), float(middle[1])), size))
    steps = (
        np.maximum(1, np.ceil(np.hypot(*np.diff(line, axis=0).T) / (size / 100))).astype(int)
        if len(line) > 1
        else []
    )
    dense = [line[:1]]
    for (a, b), n in zip(itertools.pairwise(line), steps, strict=True):
        dense.append(a + (b - a) * (np.arange(1, n + 1) / n)[:, None])
    flat = np.vstack(dense)
    cells = sight.cells(flat)
    depth = sight.solid_depth[cells[:, 0], cells[:, 1]].astype(float)
    on = np.isfinite(depth)
    places = np.c_[flat, middle[2] + size * (np.where(on, depth, 0) - _LIFT)]
    bounds = [0, *(np.flatnonzero(on[1:] != on[:-1]) + 1).tolist(), len(on)]
    return [places[a:b] for a, b in itertools.pairwise(bounds) if on[a] and b - a > 1]
