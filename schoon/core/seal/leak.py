"""Where paint would run out: the narrowest passage between two places, even where no line ends."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.graph import route_through_array

from ..strokes import Points


@dataclass(frozen=True)
class Leak:
    """points: (2, 2) the stitch that would shut the passage, px. width: of the passage, px."""

    points: Points
    width: float


def trace_leak(
    wall: NDArray[np.bool_], inside: tuple[float, float], outside: tuple[float, float] | None = None
) -> Leak | None:
    """The narrowest passage paint poured at `inside` runs through on its widest way to `outside`, or to the border of
    the picture; None if there is no way.

    wall: (h, w) mask of what parts paint. Points are (x, y) px. Raises ValueError for points outside the picture.
    """
    height, width = wall.shape
    for x, y in (inside, *([outside] if outside else [])):
        if not (0 <= x < width and 0 <= y < height):
            raise ValueError("the point lies outside the picture")
    if not wall.any():
        # Nothing parts the paint, so nothing lets it through; and no distance to a wall is known.
        return None
    clear = cv2.distanceTransform((~wall).astype(np.uint8), cv2.DIST_L2, 5)
    start = _open_near(clear, inside)
    end = _open_near(clear, outside) if outside else None
    if start is None or (outside and end is None):
        return None

    def labels_above(least: float) -> NDArray[np.int32]:
        return np.asarray(cv2.connectedComponents((clear > least).astype(np.uint8), connectivity=4)[1])

    def meets(least: float) -> bool:
        labels = labels_above(least)
        here = labels[start]
        if not here:
            return False
        if end is not None:
            return bool(labels[end] == here)
        rim = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
        return bool((rim == here).any())

    if not meets(0.0):
        return None
    # The widest way: raise the least clearance until the two sides part.
    low, high = 0.0, float(clear[start])
    while high - low > 0.2:
        middle = (low + high) / 2
        low, high = (middle, high) if meets(middle) else (low, middle)
    parted = labels_above(high)
    own = parted == parted[start] if parted[start] else _disc(clear.shape, start)
    goal = _beyond(labels_above(low), start, own, end)
    if goal is None:
        return None
    # Dear where it is narrow, so that the way runs through the middle of the passage.
    cost = np.where(clear > low, 1.0 + 20.0 / np.maximum(clear, 0.5), -1.0)
    way, _ = route_through_array(cost, start, goal, fully_connected=True)
    path = np.array(way)
    beyond = ~own[path[:, 0], path[:, 1]]
    narrow = np.where(beyond, clear[path[:, 0], path[:, 1]], np.inf)
    row, column = path[int(narrow.argmin())]
    return _across(wall, float(column) + 0.5, float(row) + 0.5, float(clear[row, column]))


def _open_near(clear: NDArray[np.float32], point: tuple[float, float]) -> tuple[int, int] | None:
    """The roomiest pixel (row, column) near a point: a pen does not hit the middle of a form."""
    x, y = int(point[0]), int(point[1])
    top, left = max(0, y - 12), max(0, x - 12)
    here = cv2.connectedComponents((clear[top : y + 13, left : x + 13] > 0).astype(np.uint8), connectivity=4)[
        1
    ]
    own = here[y - top, x - left]
    if not own:
        return None
    window = np.where(here == own, clear[top : y + 13, left : x + 13], -1)
    row, column = np.unravel_index(int(window.argmax()), window.shape)
    return int(row) + top, int(column) + left


def _disc(shape: tuple[int, ...], at: tuple[int, int]) -> NDArray[np.bool_]:
    canvas = np.zeros(shape, np.uint8)
    cv2.circle(canvas, (at[1], at[0]), 3, 1, -1)
    return canvas.astype(bool)


def _beyond(
    labels: NDArray[np.int32], start: tuple[int, int], own: NDArray[np.bool_], end: tuple[int, int] | None
) -> tuple[int, int] | None:
    """A pixel on the far side of the passage."""
    if end is not None:
        return end
    reach = (labels == labels[start]) & ~own
    frame = np.zeros_like(reach)
    frame[[0, -1], :] = frame[:, [0, -1]] = True
    rows, columns = np.nonzero(reach & frame)
    if not len(rows):
        return None
    nearest = int(np.hypot(rows - start[0], columns - start[1]).argmin())
    return int(rows[nearest]), int(columns[nearest])


def _across(wall: NDArray[np.bool_], x: float, y: float, clearance: float) -> Leak | None:
    """The shortest line through a point from wall to wall."""
    reach = np.arange(0.0, 4 * clearance + 12, 0.5)
    best: Leak | None = None
    for angle in np.linspace(0, np.pi, 36, endpoint=False):
        way = np.array([np.cos(angle), np.sin(angle)])
        ends = []
        for sign in (1, -1):
            at = np.array([x, y]) + sign * reach[:, None] * way
            column, row = np.floor(at).astype(int).T
            inside = (row >= 0) & (row < wall.shape[0]) & (column >= 0) & (column < wall.shape[1])
            hit = np.zeros(len(at), bool)
            hit[inside] = wall[row[inside], column[inside]]
            if not hit.any():
                break
            # A little into the line, so that the stitch holds.
            ends.append(at[min(int(hit.argmax()) + 2, len(at) - 1)])
        if len(ends) == 2:
            width = float(np.hypot(*(ends[0] - ends[1]))) - 2
            if best is None or width < best.width:
                best = Leak(np.array(ends), max(width, 0.0))
    return best
