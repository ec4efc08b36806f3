"""A skeleton as a graph of nodes and edges, and the tidying that turns it into drawn lines."""

from __future__ import annotations

import heapq
import itertools
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from skimage.morphology import skeletonize

from .strokes import Points, arc_lengths

_NEIGHBOURS = ((0, 1), (1, -1), (1, 0), (1, 1))


@dataclass(eq=False)
class Edge:
    """A run of line: (k, 2) points from node a to node b. A loop without a node has a = b = -1."""

    points: Points
    a: int
    b: int

    @property
    def length(self) -> float:
        return float(arc_lengths(self.points)[-1]) if len(self.points) > 1 else 0.0


@dataclass(eq=False)
class Graph:
    """nodes: id -> (x, y); edges in no order. Changed in place by the functions of this module."""

    nodes: dict[int, Points] = field(default_factory=dict)
    edges: list[Edge] = field(default_factory=list)

    def incident(self) -> dict[int, list[tuple[Edge, bool]]]:
        """For each node, its edges and whether the edge starts there; a loop at a node is listed twice."""
        table: dict[int, list[tuple[Edge, bool]]] = {node: [] for node in self.nodes}
        for edge in self.edges:
            if edge.a >= 0:
                table[edge.a].append((edge, True))
                table[edge.b].append((edge, False))
        return table


def trace(mask: NDArray[np.bool_]) -> Graph:
    """The graph of the skeleton of an (h, w) mask; points are pixel centres (x, y)."""
    skeleton = np.pad(skeletonize(mask), 1)
    degree = cv2.filter2D(skeleton.astype(np.uint8), -1, np.ones((3, 3), np.uint8)) - 1
    junction = skeleton & (degree >= 3)
    path = skeleton & ~junction
    clusters, cluster_labels = cv2.connectedComponents(junction.astype(np.uint8), connectivity=8)
    graph = Graph()
    if clusters > 1:
        rows, columns = np.nonzero(junction)
        cluster = cluster_labels[rows, columns]
        size = np.bincount(cluster, minlength=clusters)[1:]
        middle = [np.bincount(cluster, at, clusters)[1:] / size - 1 for at in (columns, rows)]
        graph.nodes = dict(enumerate(np.stack(middle, axis=1)))
    next_node = clusters - 1
    for pixels, closed in _ordered_paths(path):
        points = pixels[:, ::-1].astype(float) - 1
        if closed:
            graph.edges.append(Edge(np.vstack([points, points[:1]]), -1, -1))
            continue
        ends: list[int] = []
        first, last = (_touching(cluster_labels, pixels[k]) for k in (0, -1))
        if len(pixels) == 1:
            found = ([*first, -1, -1])[:2]
        else:
            found = [first[0] if first else -1, last[0] if last else -1]
        for which, node in zip((0, -1), found, strict=True):
            if node < 0:
                graph.nodes[next_node] = points[which].copy()
                node, next_node = next_node, next_node + 1
            ends.append(node)
        run = [graph.nodes[ends[0]], *points, graph.nodes[ends[1]]]
        graph.edges.append(Edge(np.array(run), ends[0], ends[1]))
    return graph


def _touching(labels: NDArray[np.int32], pixel: NDArray[np.int64]) -> list[int]:
    row, col = pixel.tolist()
    window = labels[row - 1 : row + 2, col - 1 : col + 2].tolist()
    return [k - 1 for k in sorted({k for line in window for k in line}) if k]


def _ordered_paths(path: NDArray[np.bool_]) -> list[tuple[NDArray[np.int64], bool]]:
    """Each 8-connected chain of pixels in drawing order as (k, 2) rows and columns, and whether it closes."""
    rows, cols = np.nonzero(path)
    count = len(rows)
    if not count:
        return []
    index = np.full(path.shape, -1)
    index[rows, cols] = np.arange(count)
    pairs = []
    for down, right in _NEIGHBOURS:
        other = index[rows + down, cols + right]
        pairs.append(np.c_[np.arange(count)[other >= 0], other[other >= 0]])
    links = np.concatenate(pairs)
    # Junctions are cut out, so that no pixel has more than two neighbours.
    beside: list[list[int]] = [[] for _ in range(count)]
    for a, b in links.tolist():
        beside[a].append(b)
        beside[b].append(a)
    seen = [False] * count
    found = []
    pixels = np.c_[rows, cols]
    ends = [k for k in range(count) if len(beside[k]) <= 1]
    for start in itertools.chain(ends, range(count)):
        if seen[start]:
            continue
        order, step = [start], start
        seen[start] = True
        while True:
            onward = [n for n in beside[step] if not seen[n]]
            if not onward:
                break
            step = onward[0]
            seen[step] = True
            order.append(step)
        found.append((pixels[order], len(beside[start]) >= 2 and len(order) > 3))
    return found


def contract_short(graph: Graph, limit: float) -> None:
    """Merges junctions that an edge shorter than `limit` px joins, shortest first: one crossing, torn apart by thinning."""
    edges = list(graph.edges)
    there = [True] * len(edges)
    ends: dict[int, list[int]] = {}
    for k, edge in enumerate(edges):
        if edge.a >= 0:
            ends.setdefault(edge.a, []).append(k)
            ends.setdefault(edge.b, []).append(k)
    lengths = [edge.length for edge in edges]
    waiting = [(length, k) for k, length in enumerate(lengths) if edges[k].a >= 0 and length < limit]
    heapq.heapify(waiting)
    while waiting:
        length, shortest = heapq.heappop(waiting)
        edge = edges[shortest]
        keep, gone = edge.a, edge.b
        # An edge that has changed since waits again under its new length.
        if not there[shortest] or length != lengths[shortest] or keep == gone:
            continue
        if len(ends[keep]) <= 2 or len(ends[gone]) <= 2:
            continue
        middle = (graph.nodes[keep] + graph.nodes[gone]) / 2
        there[shortest] = False
        del graph.nodes[gone]
        graph.nodes[keep] = middle
        ends[keep] = [k for k in ends[keep] + ends.pop(gone) if k != shortest]
        for k in set(ends[keep]):
            other = edges[k]
            other.a = keep if other.a == gone else other.a
            other.b = keep if other.b == gone else other.b
            if other.a == keep:
                other.points[0] = middle
            if other.b == keep:
                other.points[-1] = middle
            lengths[k] = other.length
            if lengths[k] < limit:
                heapq.heappush(waiting, (lengths[k], k))
    graph.edges = [
        e
        for e, kept in zip(edges, there, strict=True)
        if kept and not (e.a == e.b >= 0 and e.length < 2 * limit)
    ]


def remove_spurs(graph: Graph, limit: float) -> None:
    """Takes away free-ended edges shorter than `limit` px that hang on a junction, shortest first."""
    while True:
        table = graph.incident()
        spurs = [
            e
            for e in graph.edges
            if e.a >= 0
            and (len(table[e.a]) == 1) != (len(table[e.b]) == 1)
            and max(len(table[e.a]), len(table[e.b])) > 2
            and e.length < limit
        ]
        if not spurs:
            return
        # One spur per junction and round: what is left may then be a plain line's end.
        taken: set[int] = set()
        for edge in sorted(spurs, key=lambda e: e.length):
            hub, tip = (edge.a, edge.b) if len(table[edge.a]) > 1 else (edge.b, edge.a)
            if hub in taken:
                continue
            taken.add(hub)
            graph.edges.remove(edge)
            del graph.nodes[tip]
        join_through(graph)


def join_through(graph: Graph) -> None:
    """Joins the two edges at every node that has exactly two; a lone loop loses its node."""
    # Edges by the number they came in, so that those of a node are found without a look at all of them.
    edges = dict(enumerate(graph.edges))
    starts: dict[int, set[int]] = {node: set() for node in graph.nodes}
    stops: dict[int, set[int]] = {node: set() for node in graph.nodes}

    def place(k: int, edge: Edge) -> None:
        edges[k] = edge
        if edge.a >= 0:
            starts[edge.a].add(k)
            stops[edge.b].add(k)

    for k, edge in list(edges.items()):
        place(k, edge)
    numbers = itertools.count(len(edges))
    for node in list(graph.nodes):
        ends = [(k, True) for k in sorted(starts[node])] + [(k, False) for k in sorted(stops[node])]
        if len(ends) == 0:
            del graph.nodes[node]
        if len(ends) != 2:
            continue
        (k, first_starts), (n, second_starts) = ends
        first, second = edges[k], edges[n]
        if first is second:
            first.a = first.b = -1
            del graph.nodes[node]
            continue
        for number, edge in ((k, first), (n, second)):
            starts[edge.a].discard(number)
            stops[edge.b].discard(number)
            del edges[number]
        head = first.points[::-1] if first_starts else first.points
        tail = second.points if second_starts else second.points[::-1]
        a = first.b if first_starts else first.a
        b = second.b if second_starts else second.a
        place(next(numbers), Edge(np.vstack([head, tail[1:]]), a, b))
        del graph.nodes[node]
    graph.edges = list(edges.values())


def merge_twins(graph: Graph, distance: float) -> None:
    """Of two edges between the same nodes that stay within `distance` px of each other, keeps their middle."""
    while True:
        by_ends: dict[tuple[int, int], list[Edge]] = {}
        for edge in graph.edges:
            if edge.a >= 0 and edge.a != edge.b:
                by_ends.setdefault((min(edge.a, edge.b), max(edge.a, edge.b)), []).append(edge)
        merged = False
        for edges in by_ends.values():
            if len(edges) < 2:
                continue
            first, second = sorted(edges, key=lambda e: e.length)[:2]
            apart, nearest = cKDTree(second.points).query(first.points)
            back, _ = cKDTree(first.points).query(second.points)
            if max(apart.max(), back.max()) > distance:
                continue
            first.points[1:-1] = (first.points[1:-1] + second.points[nearest[1:-1]]) / 2
            graph.edges.remove(second)
            merged = True
        if not merged:
            return
        join_through(graph)


def remove_shadows(graph: Graph, distance: float) -> None:
    """Drops edges that run along others within `distance` px for most of their length: one line drawn twice.

    The shorter goes. Edges that only cross or leave a node together stay, as does a short one between two that go on from it.
    """
    edges = sorted((e for e in graph.edges if len(e.points) >= 4), key=lambda e: e.length)
    if len(edges) < 2:
        return
    points = np.vstack([e.points for e in edges])
    tangents = np.vstack([_unit_tangents(e.points) for e in edges])
    rank = np.repeat(np.arange(len(edges)), [len(e.points) for e in edges])
    pairs = cKDTree(points).query_pairs(distance, output_type="ndarray")
    pairs = pairs[rank[pairs[:, 0]] != rank[pairs[:, 1]]]
    parallel = np.abs((tangents[pairs[:, 0]] * tangents[pairs[:, 1]]).sum(axis=1)) > 0.85
    pairs = pairs[parallel]
    # What lies ahead is the same line going on, not another beside it.
    away, along = points[pairs[:, 1]] - points[pairs[:, 0]], tangents[pairs[:, 0]]
    ahead = np.abs((away * along).sum(axis=1))
    pairs = pairs[np.abs(away[:, 0] * along[:, 1] - away[:, 1] * along[:, 0]) >= ahead]
    shorter = np.where(rank[pairs[:, 0]] < rank[pairs[:, 1]], pairs[:, 0], pairs[:, 1])
    shadowed = np.zeros(len(points), bool)
    shadowed[shorter] = True
    share = np.bincount(rank, weights=shadowed) / np.bincount(rank)
    for edge, part in zip(edges, share, strict=True):
        if part > 0.75:
            graph.edges.remove(edge)
    join_through(graph)


def _unit_tangents(points: Points) -> Points:
    wide = np.vstack([points[:1]] * 3 + [points] + [points[-1:]] * 3)
    tangent = wide[6:] - wide[:-6]
    return np.asarray(tangent / np.maximum(np.hypot(*tangent.T), 1e-9)[:, None])


def direction(points: Points, near: float, far: float) -> Points:
    """Unit direction in which a polyline leaves its first point, read between two distances along it."""
    along = arc_lengths(points)
    stop = min(far, along[-1])
    start = min(near, stop / 3)
    x, y = (np.interp((start, stop), along, points[:, axis]) for axis in (0, 1))
    vector = np.array([x[1] - x[0], y[1] - y[0]])
    return np.asarray(vector / max(np.hypot(*vector), 1e-9))


def through_pairs(
    graph: Graph, near: float, far: float, widest: float
) -> dict[tuple[int, bool], tuple[Edge, bool]]:
    """Which edge ends continue each other through a junction.

    Greedy by the angle between them, up to `widest` radians off straight.
    Returns (id(edge), starts) -> (edge, starts) both ways.
    """
    pairs: dict[tuple[int, bool], tuple[Edge, bool]] = {}
    for ends in graph.incident().values():
        if len(ends) < 2:
            continue
        directions = [direction(e.points if starts else e.points[::-1], near, far) for e, starts in ends]
        options = []
        for i in range(len(ends)):
            for j in range(i + 1, len(ends)):
                if ends[i][0] is ends[j][0]:
                    continue
                bend = float(np.arccos(np.clip(-directions[i] @ directions[j], -1, 1)))
                if bend < widest:
                    options.append((bend, i, j))
        used: set[int] = set()
        for _, i, j in sorted(options):
            if i in used or j in used:
                continue
            used |= {i, j}
            pairs[id(ends[i][0]), ends[i][1]] = ends[j]
            pairs[id(ends[j][0]), ends[j][1]] = ends[i]
    return pairs


def chains(graph: Graph, pairs: dict[tuple[int, bool], tuple[Edge, bool]], blur: float) -> list[Points]:
    """Polylines that run through junctions along `pairs`; within `blur` px of a passed node points are dropped,
    because thinning bends them towards the crossing line."""
    done: set[int] = set()
    found: list[Points] = []

    def follow(edge: Edge, forward: bool) -> tuple[list[Points], bool]:
        parts: list[Points] = []
        while True:
            done.add(id(edge))
            parts.append(edge.points if forward else edge.points[::-1])
            onward = pairs.get((id(edge), not forward))
            if onward is None:
                return parts, False
            edge, starts = onward
            if id(edge) in done:
                return parts, True
            forward = starts

    def is_start(edge: Edge, starts: bool) -> bool:
        return (id(edge), starts) not in pairs

    todo = [(e, True) for e in graph.edges if is_start(e, True)]
    todo += [(e, False) for e in graph.edges if is_start(e, False)]
    todo += [(e, True) for e in graph.edges]
    for edge, starts in todo:
        if id(edge) in done:
            continue
        parts, closes = follow(edge, starts)
        closes = closes or edge.a < 0
        found.append(_stitch(parts, closes, blur))
    return found


def _stitch(parts: list[Points], closes: bool, blur: float) -> Points:
    pieces = []
    for number, part in enumerate(parts):
        along = arc_lengths(part)
        keep = np.ones(len(part), bool)
        trim = min(blur, along[-1] / 3)
        if number > 0 or (closes and len(parts) > 1):
            keep &= along >= trim
        if number < len(parts) - 1 or (closes and len(parts) > 1):
            keep &= along <= along[-1] - trim
        pieces.append(part[keep] if keep.any() else part[len(part) // 2 : len(part) // 2 + 1])
    line = np.vstack(pieces)
    return np.vstack([line, line[:1]]) if closes and len(parts) > 1 else line
