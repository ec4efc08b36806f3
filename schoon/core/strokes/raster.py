"""Strokes to pixels."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from .curves import pieces, sample
from .model import Points, Stroke

_SHIFT = 4

_SPINE = 4
"""The middle of a folded stroke is filled this much finer and averaged down."""


_WALL = 100
"""Coverage of 255 from which a pixel parts what lies at its sides. Chosen on cleaned roughs, between 20 and 127: forms
that close stay as they are from 40 to 110."""


def fixed(points: Points, scale: float = 1.0) -> NDArray[np.int32]:
    """Pixel-centre co-ordinates in OpenCV's fixed-point format.

    In a drawing, (0, 0) is the corner of the first pixel; OpenCV counts from its centre.
    """
    return np.round((points * scale - 0.5) * (1 << _SHIFT)).astype(np.int32)


def ink_coverage(strokes: Sequence[Stroke], size: tuple[int, int], scale: float = 1.0) -> NDArray[np.uint8]:
    """(height, width) coverage 0..255 of the inked strokes: the exact share of each pixel that a stroke lies on.

    Strokes are laid over one another as pictures are. size: (width, height) in px of the result; scale: result px per
    drawing px.
    """
    width, height = size
    result = np.zeros((height, width), np.uint8)
    outlines = [[_turned(piece * scale) for piece in _covered(stroke)] for stroke in strokes]
    windows = [_window(np.concatenate(shapes), size) for shapes in outlines]
    seen = [w for w in windows if w[0] < w[2] and w[1] < w[3]]
    if not seen:
        return result
    # Only what a stroke reaches is touched.
    x0, y0 = (min(w[k] for w in seen) for k in (0, 1))
    x1, y1 = (max(w[k] for w in seen) for k in (2, 3))
    # What shows through all strokes.
    bare = np.ones((y1 - y0, x1 - x0), np.float32)
    for stroke, shapes, cells, window in zip(strokes, outlines, _cells(outlines), windows, strict=True):
        left, top, right, bottom = window
        if left >= right or top >= bottom:
            continue
        covered = _shares(cells, window)
        if len(shapes) > 1:
            np.maximum(covered, _spine(stroke, window, scale), out=covered)
        bare[top - y0 : bottom - y0, left - x0 : right - x0] *= 1 - covered
    result[y0:y1, x0:x1] = 255 * (1 - bare) + 0.5
    return result


def _window(points: Points, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """Left, top, right and bottom of the pixels that points reach."""
    left, top = np.maximum(np.floor(points.min(axis=0)).astype(int), 0).tolist()
    right, bottom = np.minimum(np.ceil(points.max(axis=0)).astype(int), size).tolist()
    return left, top, right, bottom


def _covered(stroke: Stroke) -> list[Points]:
    return [*pieces(stroke), sample(stroke)[0]] if stroke.black else pieces(stroke)


def _turned(polygon: Points) -> Points:
    """The polygon with its corners in the one order: areas of several add up."""
    x, y = polygon.T
    twice = np.dot(x[:-1], y[1:]) - np.dot(y[:-1], x[1:]) + x[-1] * y[0] - y[-1] * x[0]
    return polygon if twice >= 0 else polygon[::-1]


_Cells = tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]
"""Pieces of edges that lie in one pixel each: its column and row, the way down, and how far right of the column's left
side, 0..1."""


def _cells(outlines: Sequence[Sequence[Points]]) -> list[_Cells]:
    """Per outline the pieces of its edges, cut at the pixel grid."""
    polygons = [polygon for shapes in outlines for polygon in shapes]
    if not polygons:
        return []
    start = np.concatenate(polygons)
    end = np.concatenate([part for p in polygons for part in (p[1:], p[:1])])
    owner = np.repeat(np.arange(len(outlines)), [sum(map(len, shapes)) for shapes in outlines])
    level = start[:, 1] == end[:, 1]
    start, end, owner = start[~level], end[~level], owner[~level]
    edge, along = _cut(start, end)
    points = start[edge] + along[:, None] * (end - start)[edge]
    same = edge[1:] == edge[:-1]
    a, b = points[:-1][same], points[1:][same]
    middle = (a + b) / 2
    column, row = np.floor(middle).astype(np.int64).T
    down, right = b[:, 1] - a[:, 1], middle[:, 0] - column
    bounds = np.searchsorted(owner[edge[:-1][same]], np.arange(len(outlines) + 1))
    return [(column[i:j], row[i:j], down[i:j], right[i:j]) for i, j in itertools.pairwise(bounds.tolist())]


def _cut(start: Points, end: Points) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Where edges meet the grid: index of the edge and share of the way along it, in order, both ends included."""
    edges = np.arange(len(start))
    found = [edges, edges]
    shares = [np.zeros(len(start)), np.ones(len(start))]
    for axis in (0, 1):
        a, b = start[:, axis], end[:, axis]
        first = np.floor(np.minimum(a, b)).astype(np.int64) + 1
        count = np.maximum(np.ceil(np.maximum(a, b)).astype(np.int64) - first, 0)
        which = np.repeat(edges, count)
        step = np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count)
        found.append(which)
        shares.append((first[which] + step - a[which]) / (b - a)[which])
    edge, share = np.concatenate(found), np.concatenate(shares)
    order = np.argsort(edge + 0.5 * share)
    return edge[order], share[order]


def _shares(cells: _Cells, window: tuple[int, int, int, int]) -> NDArray[np.float32]:
    """(h, w) share 0..1 of each pixel of a window (x0, y0, x1, y1) that lies in polygons that turn the same way.

    Shares are exact areas: each piece of an edge adds the area at its right, and sums along the rows give the rest (as
    in font rasterisers; R. Levien, 2015). Where polygons overlap their shares are added, up to 1.
    """
    x0, y0, x1, y1 = window
    width, height = x1 - x0, y1 - y0
    column, row, down, right = cells
    # What lies left of the window covers its rows from their first pixel on.
    column, row = np.maximum(column - x0, -1), row - y0
    inside = (row >= 0) & (row < height) & (column < width)
    if not inside.all():
        column, row, down, right = column[inside], row[inside], down[inside], right[inside]
    right = np.where(column < 0, 1.0, right)
    at = row * (width + 2) + column + 1
    most = (width + 2) * height
    sums = np.bincount(at, down * (1 - right), most) + np.bincount(at + 1, down * right, most)[:most]
    shares = np.abs(np.cumsum(sums.reshape(height, width + 2), axis=1)[:, 1:-1])
    return np.minimum(shares, 1).astype(np.float32)


def _spine(stroke: Stroke, window: tuple[int, int, int, int], scale: float) -> NDArray[np.float32] | float:
    """Where a line turns within its own width its sides fold; its middle fills what they leave out."""
    x0, y0, x1, y1 = window
    fine = scale * _SPINE
    # Thinner than the line by a pixel: its edges are the outline's alone.
    thin = int(stroke.widths.min() * fine) - _SPINE
    if thin <= _SPINE:
        return 0.0
    mask = np.zeros(((y1 - y0) * _SPINE, (x1 - x0) * _SPINE), np.uint8)
    middle = fixed(sample(stroke, 3.0)[0] - np.array([x0, y0]) / scale, fine)
    cv2.polylines(mask, [middle], False, 255, thin, cv2.LINE_8, _SHIFT)
    small = cv2.resize(mask, (x1 - x0, y1 - y0), interpolation=cv2.INTER_AREA)
    return small.astype(np.float32) * np.float32(1 / 255)


def walls(
    strokes: Sequence[Stroke], size: tuple[int, int], coverage: NDArray[np.uint8] | None = None
) -> NDArray[np.bool_]:
    """(height, width) mask of the pixels that strokes part paint at: those they cover enough, and their centre lines.

    coverage: (height, width) 0..255 of the ink that is seen, where that is not what the strokes cover.
    """
    seen = ink_coverage(strokes, size) if coverage is None else coverage
    return (seen > _WALL) | (_centre_lines(strokes, size) > 0)


def _centre_lines(strokes: Sequence[Stroke], size: tuple[int, int]) -> NDArray[np.uint8]:
    """(height, width) mask (0 or 1) of the centre lines, one pixel wide and 8-connected."""
    width, height = size
    canvas = np.zeros((height, width), np.uint8)
    runs = [fixed(sample(stroke, 2.0)[0]) for stroke in strokes]
    cv2.polylines(canvas, runs, False, 1, 1, cv2.LINE_8, _SHIFT)
    return canvas
