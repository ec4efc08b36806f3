"""Which necks are shut: the rooms of a drawing are put together into forms, all necks weighed at once.

Two rooms that are joined by one open neck are one form, whatever their other necks say; so a stitch that would part nothing is
never made. Rooms are joined greedily, the surest first (M. Keuper and others, "Efficient decomposition of image and mesh
graphs by lifted multicuts", 2015).
"""

from __future__ import annotations

import heapq

import numpy as np
from numpy.typing import NDArray


def forms_of(
    rooms: NDArray[np.int64], count: int, parts: NDArray[np.float64]
) -> tuple[NDArray[np.int64], list[dict[int, float]]]:
    """The form of each of `count` rooms, and what stands between forms: per form the other one and the log odds that
    they are two.

    rooms: (necks, 2) rooms on either side of each neck. parts: (necks,) log odds that the sides are two forms.
    """
    between: list[dict[int, float]] = [{} for _ in range(count)]
    for (a, b), odds in zip(rooms.tolist(), parts.tolist(), strict=True):
        between[a][b] = between[b][a] = between[a].get(b, 0.0) + odds
    form = np.arange(count)
    waiting = [
        (odds, a, b) for a, others in enumerate(between) for b, odds in others.items() if a < b and odds < 0
    ]
    heapq.heapify(waiting)
    while waiting:
        odds, a, b = heapq.heappop(waiting)
        if between[a].get(b) != odds:
            continue
        if len(between[a]) < len(between[b]):
            a, b = b, a
        form[b] = a
        del between[a][b]
        for other, more in between[b].items():
            if other == a:
                continue
            total = between[a].get(other, 0.0) + more
            between[a][other] = between[other][a] = total
            del between[other][b]
            if total < 0:
                heapq.heappush(waiting, (total, min(a, other), max(a, other)))
        between[b] = {}
    while (form[form] != form).any():
        form = form[form]
    return form, between


def parts_alone(rooms: NDArray[np.int64], inside: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which of the necks `inside` forms would part their form if they alone were shut (the bridges of the graph; R. Tarjan, 1974)."""
    beside: dict[int, list[tuple[int, int]]] = {}
    for neck in inside.tolist():
        a, b = rooms[neck].tolist()
        beside.setdefault(a, []).append((b, neck))
        beside.setdefault(b, []).append((a, neck))
    seen: dict[int, int] = {}
    low: dict[int, int] = {}
    found: set[int] = set()
    for start in beside:
        if start in seen:
            continue
        seen[start] = low[start] = len(seen)
        path = [(start, -1, iter(beside[start]))]
        while path:
            room, through, rest = path[-1]
            for other, neck in rest:
                if neck == through:
                    continue
                if other in seen:
                    low[room] = min(low[room], seen[other])
                    continue
                seen[other] = low[other] = len(seen)
                path.append((other, neck, iter(beside[other])))
                break
            else:
                path.pop()
                if path:
                    before = path[-1][0]
                    low[before] = min(low[before], low[room])
                    if low[room] > seen[before]:
                        found.add(through)
    return np.isin(inside, list(found))
