"""Gaps in a line drawing and the stitches that would shut them.

Ends with their tangents are matched to ends and to lines (after S. Fourey, D. Tschumperlé and D. Revoy,
"A Fast and Efficient Semi-guided Algorithm for Flat Coloring Line-arts", 2018); the choice is then judged by
what each stitch closes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from .. import skeleton as graphs
from ..strokes import Points, corner_indices
from .model import Stitch

TAKE_BELOW = 0.6
"""Proposals under this doubt are taken without asking."""

DROP_ABOVE = 0.9
"""Proposals over this doubt are not worth a look."""

_SHIFT = 4

# What a stitch costs is its doubt: 0 sure to 1. The shares below were chosen by trial on the drawings of the demo and on
# development subjects of the bench, so that gaps a person would shut come under TAKE_BELOW and ends that are meant to
# stay free over it; they are no probabilities. Angles are in radians, distances in shares of the reach.

_FAR, _CLOSE = 0.45, 0.25
"""Two facing ends: cost of the whole reach between them, and how much of the cost of bends counts at no distance."""

_BEND, _KINK = 0.32, 0.12
"""Two facing ends: cost of a turn off the line between them, and of turning unlike at both, each by one radian."""

_AT_LINE, _SHORT, _ASIDE = 0.12, 0.4, 0.55
"""An end before a line: cost of it at all, of the whole reach, and of looking one radian past it (to the power 1.5)."""

_CORNER, _CORNER_FAR, _CORNER_ASIDE = 0.2, 0.3, 0.2
"""The same for a corner that almost meets a line; fewer of them are meant."""

_AT_EDGE = 0.2
"""An end at the edge of the picture."""

_SLIVER, _SLIVER_LEAST = 0.4, 0.3
"""Added to a stitch that cuts off less than a sliver, and what such a stitch costs at least before."""


@dataclass(frozen=True)
class _End:
    place: Points
    outward: Points
    edge: graphs.Edge
    node: int


def line_width(ink: NDArray[np.bool_]) -> float:
    """Typical full width of the lines of an (h, w) ink mask, px; 0 without ink."""
    if not ink.any():
        return 0.0
    depth = cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 5)
    crest = depth[(depth >= cv2.dilate(depth, np.ones((3, 3)))) & ink]
    return float(max(2 * np.median(crest) - 1.0, 1.0))


def propose_stitches(ink: NDArray[np.bool_], reach: float | None = None) -> list[Stitch]:
    """Stitches for an (h, w) ink mask, those under `TAKE_BELOW` taken, the rest open.

    reach: widest gap looked for, px; by default from the picture's size and the line's width.
    """
    height, width = ink.shape
    if ink.mean() > 0.6:
        return []
    pen = line_width(ink)
    if pen == 0:
        return []
    reach = reach if reach is not None else max(7 * pen, 0.03 * min(height, width), 16.0)
    graph = graphs.trace(ink)
    graphs.contract_short(graph, pen)
    graphs.remove_spurs(graph, 1.5 * pen)
    ends = _free_ends(graph, pen, ink.shape)
    candidates = _corner_to_line(graph, pen) if graph.edges else []
    if ends:
        candidates += _end_to_end(ends, reach, pen)
        candidates += _end_to_line(ends, graph, reach, pen)
        candidates += _to_border(ends, ink.shape, pen)
    chosen = _consistent(candidates, ink)
    return _judge_by_effect(chosen, ink, pen)


def _free_ends(graph: graphs.Graph, pen: float, shape: tuple[int, int]) -> list[_End]:
    ends = []
    for node, found in graph.incident().items():
        if len(found) != 1:
            continue
        edge, starts = found[0]
        run = edge.points if starts else edge.points[::-1]
        x, y = graph.nodes[node]
        if min(x, y, shape[1] - 1 - x, shape[0] - 1 - y) < 1.0:
            continue
        if edge.length < pen:
            continue
        ends.append(_End(graph.nodes[node], -graphs.direction(run, 0.5 * pen, 4 * pen), edge, node))
    return ends


@dataclass(frozen=True)
class _Candidate:
    cost: float
    points: Points
    uses: tuple[int, ...]
    reason: str


def _hermite(a: Points, along_a: Points, b: Points, along_b: Points) -> Points:
    """A curve from a to b that leaves along `along_a` and arrives against `along_b`."""
    third = np.hypot(*(b - a)) / 3
    t = np.linspace(0, 1, 9)[:, None]
    p = [a, a + third * along_a, b + third * along_b, b]
    s = 1 - t
    return np.asarray(s**3 * p[0] + 3 * s * s * t * p[1] + 3 * s * t * t * p[2] + t**3 * p[3])


def _turn(a: Points, b: Points) -> float:
    return float(np.arctan2(a[0] * b[1] - a[1] * b[0], a @ b))


def _end_to_end(ends: Sequence[_End], reach: float, pen: float) -> list[_Candidate]:
    found = []
    places = np.array([end.place for end in ends])
    for i, j in cKDTree(places).query_pairs(reach * 1.15):
        a, b = ends[i], ends[j]
        gap = b.place - a.place
        distance = float(np.hypot(*gap))
        if a.edge is b.edge and a.edge.length < 3 * max(distance, pen):
            continue
        # On one arc both ends turn the same way off the chord, so the turns add up to its bend;
        # an S shows as turns that differ.
        off_a, off_b = _turn(a.outward, gap), _turn(-b.outward, gap)
        bend = abs(off_a) + abs(off_b)
        kink = abs(off_a + off_b)
        near = float(np.clip((distance - pen) / reach, 0, 1))
        cost = _FAR * near + (_CLOSE + (1 - _CLOSE) * near) * (_BEND * bend + _KINK * kink)
        if max(abs(off_a), abs(off_b)) > 2.2 and distance > 2 * pen:
            continue
        if cost < 1:
            straight = max(abs(off_a), abs(off_b)) > 1.1
            points = (
                np.array([a.place, b.place]) if straight else _hermite(a.place, a.outward, b.place, b.outward)
            )
            found.append(_Candidate(cost, points, (i, j), "two ends that face each other"))
    return found


def _end_to_line(ends: Sequence[_End], graph: graphs.Graph, reach: float, pen: float) -> list[_Candidate]:
    found = []
    owners = np.concatenate([np.full(len(edge.points), k) for k, edge in enumerate(graph.edges)])
    points = np.concatenate([edge.points for edge in graph.edges])
    tree = cKDTree(points)
    index_of = {id(edge): k for k, edge in enumerate(graph.edges)}
    for number, end in enumerate(ends):
        near = np.array(tree.query_ball_point(end.place, reach), int)
        if not near.size:
            continue
        gap = points[near] - end.place
        distance = np.hypot(*gap.T)
        own = owners[near] == index_of[id(end.edge)]
        # Along its own line a point is only a target when the way round is much longer than the gap.
        if own.any():
            run = end.edge.points if end.edge.a == end.node else end.edge.points[::-1]
            along = np.zeros(len(points))
            own_all = np.flatnonzero(owners == index_of[id(end.edge)])
            walked = graphs.arc_lengths(run)
            along[own_all] = walked if end.edge.a == end.node else walked[::-1]
            own &= along[near] < 3 * distance + 4 * pen
        ahead = np.arccos(np.clip((gap @ end.outward) / np.maximum(distance, 1e-9), -1, 1))
        cost = _AT_LINE + _SHORT * distance / reach + _ASIDE * ahead**1.5
        cost[own | (distance < 1e-6) | (ahead > 1.3)] = np.inf
        best = int(cost.argmin())
        if cost[best] < 1:
            found.append(
                _Candidate(
                    float(cost[best]),
                    np.array([end.place, points[near[best]]]),
                    (number,),
                    "an end that stops short of a line",
                )
            )
    return found


def _corner_to_line(graph: graphs.Graph, pen: float) -> list[_Candidate]:
    """Near misses: a corner that almost touches another line. No line ends there, yet paint runs through."""
    found = []
    reach = 3.5 * pen
    owners = np.repeat(np.arange(len(graph.edges)), [len(edge.points) for edge in graph.edges])
    points = np.concatenate([edge.points for edge in graph.edges])
    along = np.concatenate([graphs.arc_lengths(edge.points) for edge in graph.edges])
    tree = cKDTree(points)
    span = max(4, round(2.5 * pen))
    for number, edge in enumerate(graph.edges):
        first = int(np.searchsorted(owners, number))
        for corner in corner_indices(edge.points, span, np.deg2rad(50)):
            tip = edge.points[corner]
            arms = edge.points[[corner - span, corner + span]] - tip
            inward = (arms / np.maximum(np.hypot(*arms.T), 1e-9)[:, None]).sum(axis=0)
            near = np.array(tree.query_ball_point(tip, reach), int)
            near = near[(owners[near] != number) | (np.abs(along[near] - along[first + corner]) > 4 * reach)]
            if not near.size:
                continue
            gap = points[near] - tip
            distance = np.hypot(*gap.T)
            ahead = np.arccos(
                np.clip(-(gap @ inward) / np.maximum(distance * np.hypot(*inward), 1e-9), -1, 1)
            )
            cost = _CORNER + _CORNER_FAR * distance / reach + _CORNER_ASIDE * ahead
            cost[(ahead > 1.3) | (distance < 1e-6)] = np.inf
            best = int(cost.argmin())
            if cost[best] < 1:
                ends = np.array([tip, points[near[best]]])
                # A corner may be used beside the ends, so it has a number of its own.
                found.append(
                    _Candidate(
                        float(cost[best]), ends, (-1 - first - corner,), "a corner that almost meets a line"
                    )
                )
    return found


def _to_border(ends: Sequence[_End], shape: tuple[int, int], pen: float) -> list[_Candidate]:
    found = []
    height, width = shape
    for number, end in enumerate(ends):
        x, y = end.place
        feet = np.array([[0, y], [width - 1, y], [x, 0], [x, height - 1]], float)
        distance = np.hypot(*(feet - end.place).T)
        k = int(distance.argmin())
        if distance[k] < 3 * pen and (feet[k] - end.place) @ end.outward > 0:
            found.append(
                _Candidate(
                    _AT_EDGE, np.array([end.place, feet[k]]), (number,), "an end at the edge of the picture"
                )
            )
    return found


def _consistent(candidates: list[_Candidate], ink: NDArray[np.bool_]) -> list[_Candidate]:
    """Each end used once, cheapest first, no stitch across a line or another stitch."""
    used: set[int] = set()
    taken: list[_Candidate] = []
    blocked = np.zeros(ink.shape, np.uint8)
    for candidate in sorted(candidates, key=lambda c: c.cost):
        if used & set(candidate.uses) or _crosses(candidate.points, ink, blocked):
            continue
        used |= set(candidate.uses)
        taken.append(candidate)
        _draw(blocked, candidate.points, 1)
    return taken


def _draw(canvas: NDArray[np.uint8], points: Points, value: int) -> None:
    fixed = np.round(points * (1 << _SHIFT)).astype(np.int32)
    cv2.polylines(canvas, [fixed], False, value, 1, cv2.LINE_8, _SHIFT)


def _crosses(points: Points, ink: NDArray[np.bool_], blocked: NDArray[np.uint8]) -> bool:
    steps = max(8, int(np.hypot(*(points[-1] - points[0])) * 2))
    at = np.linspace(0, len(points) - 1, steps)
    x = np.interp(at, np.arange(len(points)), points[:, 0]).round().astype(int)
    y = np.interp(at, np.arange(len(points)), points[:, 1]).round().astype(int)
    inside = (x >= 0) & (y >= 0) & (x < ink.shape[1]) & (y < ink.shape[0])
    if blocked[y[inside], x[inside]].any():
        return True
    on = ink[y[inside], x[inside]].astype(int)
    return bool((np.diff(on) == 1).sum() > 1)


def _judge_by_effect(chosen: list[_Candidate], ink: NDArray[np.bool_], pen: float) -> list[Stitch]:
    """Drops stitches that part nothing and doubts those that only cut off a sliver."""
    if not chosen:
        return []
    wall = ink.astype(np.uint8)
    for candidate in chosen:
        _draw(wall, candidate.points, 1)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(1 - wall, connectivity=4)
    areas = stats[:, cv2.CC_STAT_AREA]
    found = []
    for candidate in chosen:
        mark = np.zeros(ink.shape, np.uint8)
        _draw(mark, candidate.points, 1)
        x0, y0 = np.maximum(np.floor(candidate.points.min(axis=0)).astype(int) - 3, 0)
        x1, y1 = np.ceil(candidate.points.max(axis=0)).astype(int) + 4
        box = np.s_[y0:y1, x0:x1]
        ring = cv2.dilate(mark[box] & ~ink[box].astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
        sides = [int(k) for k in np.unique(labels[box][ring]) if k]
        if len(sides) < 2:
            continue
        cost = candidate.cost
        smallest = min(int(areas[k]) for k in sides)
        if smallest < 6 * pen * pen:
            cost = max(cost, _SLIVER_LEAST) + _SLIVER
        if cost < DROP_ABOVE:
            found.append(Stitch(candidate.points + 0.5, float(cost), candidate.reason))
    return [replace(s, state="taken") if s.doubt < TAKE_BELOW else s for s in found]
