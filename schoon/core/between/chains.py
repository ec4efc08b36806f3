"""Lines as the eye follows them: strokes put together through junctions.

Where a form passes before another, its outline runs on and the line behind ends at it (a T-junction). So strokes that go
on smoothly through a junction are one chain, whatever pieces they were drawn in.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from ..strokes import Points, Stroke, arc_lengths
from ..strokes.edit import at, places_along

Complex = NDArray[np.complex128]
Ints = NDArray[np.int64]

STEP = 3.1
"""Spacing of a chain's points, px of a drawing 1000 px across; so are all lengths below."""

_DENSE = 0.4
_TOUCH = 3.9
"""Ends nearer than this meet."""

_NEAR, _FAR, _SKIPPED = 8.0, 16.0, 1.6
"""The direction of a line at its end is taken over these stretches, without the worn tip."""

_GOES_ON = 0.6
"""Radians that a line may turn at a junction and still be one."""

_PLAIN, _RIVAL = 0.2, 0.35
"""A turn is beyond doubt below the first and with no other way within the second, radians."""


@dataclass(frozen=True)
class Chain:
    """Points of a line through all its strokes, as complex numbers, px.

    z: (k,), about STEP apart; of a closed chain the last is not the first again. stroke, place: (k,) the stroke of the
    drawing that each lies on and where along it. stops: whether either end lies on another line. doubts: indices at which
    it may be two lines.
    """

    z: Complex
    closed: bool
    stroke: Ints
    place: NDArray[np.float64]
    stops: tuple[bool, bool] = (False, False)
    doubts: tuple[int, ...] = ()


@dataclass(frozen=True)
class _Pieces:
    """Strokes cut where the ends of others lie on them. z, place: points and places of each; stroke: whose it is."""

    z: list[Complex]
    place: list[NDArray[np.float64]]
    stroke: list[int]

    def end(self, k: int) -> complex:
        """The place of end k: piece k // 2, its first point for an even k."""
        return complex(self.z[k // 2][-(k % 2)])

    def heading(self, k: int, unit: float) -> float:
        """Direction in radians at end k into the piece, drawn on from how it bends behind the end."""
        z = self.z[k // 2] if k % 2 == 0 else self.z[k // 2][::-1]
        last = len(z) - 1
        a, b, c = (min(round(v / _DENSE), last) for v in (_SKIPPED, _NEAR, _FAR))
        if b - a < 3:
            return float(np.angle(z[-1] - z[0]))
        near = float(np.angle(z[b] - z[a]))
        if c - b < 5:
            return near
        bend = _turned(near - float(np.angle(z[c] - z[b])))
        return near + float(np.clip(bend * (a + b) / (c - a), -0.5, 0.5))


def _turned(angle: float) -> float:
    return (angle + np.pi) % (2 * np.pi) - np.pi


def chains_of(strokes: Sequence[Stroke], size: tuple[int, int]) -> list[Chain]:
    """The chains of a drawing of `size` (width, height)."""
    unit = max(size) / 1000
    pieces = _pieces(strokes, unit)
    if not pieces.z:
        return []
    mate, met, doubted = _mates(pieces, unit)
    found: list[Chain] = []
    seen: set[int] = set()
    for start in [k for k in range(2 * len(pieces.z)) if k not in mate] + list(
        range(0, 2 * len(pieces.z), 2)
    ):
        if start // 2 in seen:
            continue
        ends = [start]
        while True:
            seen.add(ends[-1] // 2)
            out = mate.get(ends[-1] ^ 1)
            if out is None or out // 2 in seen:
                break
            ends.append(out)
        closed = start in mate
        stops = (False, False) if closed else (met[start], met[ends[-1] ^ 1])
        found.append(_chain(pieces, ends, closed, stops, doubted, unit))
    return found


def _pieces(strokes: Sequence[Stroke], unit: float) -> _Pieces:
    places = [places_along(s, _DENSE * unit) for s in strokes]
    lines = [at(s, p) for s, p in zip(strokes, places, strict=True)]
    ends = np.array(
        [line[e] for s, line in zip(strokes, lines, strict=True) if not s.closed for e in (0, -1)]
    )
    pieces = _Pieces([], [], [])
    least = round(1.5 * _TOUCH / _DENSE)
    for k, (line, place) in enumerate(zip(lines, places, strict=True)):
        cuts = [0]
        if len(ends):
            gap, index = cKDTree(line).query(ends, distance_upper_bound=_TOUCH * unit)
            for where in np.unique(index[np.isfinite(gap)]).tolist():
                if where - cuts[-1] > least and where < len(line) - 1 - least:
                    cuts.append(where)
        cuts.append(len(line) - 1)
        for a, b in itertools.pairwise(cuts):
            pieces.z.append(_complex(line[a : b + 1]))
            pieces.place.append(place[a : b + 1])
            pieces.stroke.append(k)
    return pieces


def _complex(points: Points) -> Complex:
    return np.asarray(points[:, 0] + 1j * points[:, 1])


def _mates(pieces: _Pieces, unit: float) -> tuple[dict[int, int], list[bool], set[int]]:
    """End -> the end in which its line goes on; whether anything else is at each end; ends that may go on elsewhere."""
    ends = np.array([pieces.end(k) for k in range(2 * len(pieces.z))])
    near = cKDTree(np.c_[ends.real, ends.imag]).query_pairs(_TOUCH * unit, output_type="ndarray")
    graph = coo_matrix((np.ones(len(near)), (near[:, 0], near[:, 1])), (len(ends), len(ends)))
    _, node = connected_components(graph, directed=False)
    mate: dict[int, int] = {}
    doubted: set[int] = set()
    for group in np.split(np.argsort(node, kind="stable"), np.cumsum(np.bincount(node))[:-1]):
        members = group.tolist()
        if len(members) == 2:
            a, b = members
            mate[a], mate[b] = b, a
        elif len(members) > 2:
            heads = [pieces.heading(k, unit) for k in members]
            turns = sorted(
                (abs(_turned(heads[i] - heads[j] + np.pi)), i, j)
                for i in range(len(members))
                for j in range(i)
            )
            for turn, i, j in turns:
                a, b = members[i], members[j]
                if turn > _GOES_ON or a in mate or b in mate:
                    continue
                mate[a], mate[b] = b, a
                rival = min((t for t, p, q in turns if len({p, q} & {i, j}) == 1), default=np.inf)
                if turn > _PLAIN or rival < turn + _RIVAL:
                    doubted |= {a, b}
    many = np.bincount(node)[node] > 1
    return mate, many.tolist(), doubted


def _chain(
    pieces: _Pieces, ends: list[int], closed: bool, stops: tuple[bool, bool], doubted: set[int], unit: float
) -> Chain:
    parts = [k // 2 for k in ends]
    step = [1 if k % 2 == 0 else -1 for k in ends]
    z = np.concatenate([pieces.z[k][::s] for k, s in zip(parts, step, strict=True)])
    place = np.concatenate([pieces.place[k][::s] for k, s in zip(parts, step, strict=True)])
    counts = [len(pieces.z[k]) for k in parts]
    stroke = np.repeat([pieces.stroke[k] for k in parts], counts)
    along = arc_lengths(np.c_[z.real, z.imag])
    if closed:
        total = along[-1] + abs(z[-1] - z[0])
        wanted = np.linspace(0, total, max(6, round(total / (STEP * unit))) + 1)[:-1]
    else:
        wanted = np.linspace(0, along[-1], max(2, round(along[-1] / (STEP * unit))) + 1)
    index = np.clip(np.searchsorted(along, wanted - 1e-9), 0, len(z) - 1)
    joints = np.cumsum(counts)[:-1]
    doubts = {
        int(np.abs(wanted - along[joint]).argmin())
        for joint, end in zip(joints, ends[1:], strict=True)
        if end in doubted
    }
    if closed and ends[0] in doubted:
        doubts.add(0)
    return Chain(z[index], closed, stroke[index], place[index], stops, tuple(sorted(doubts)))
