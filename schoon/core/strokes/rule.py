"""The line rule of a model: which weight a line has by what it does in the drawing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from .curves import arc_lengths, sample
from .edit import tapered
from .model import Corner, Stroke
from .raster import ink_coverage

Kind = Literal["outline", "inner", "detail"]


@dataclass(frozen=True)
class LineRule:
    """outline, inner, detail: full width in px of lines against the outside, lines inside, and short accents.

    taper: px over which a free end runs out thin, 0 for blunt ends. corner: how the pen turns a corner.
    swell: how far lines are thick and thin as the pencil pressed, 0 for even lines, 1 for all of it. thinnest, thickest:
    bounds of that, in shares of the line's weight. detail_below: length in px under which an inner line is a detail.
    """

    outline: float = 4.0
    inner: float = 4.0
    detail: float = 4.0
    taper: float = 0.0
    corner: Corner = "round"
    swell: float = 0.0
    thinnest: float = 0.5
    thickest: float = 1.6
    detail_below: float = 60.0

    def width(self, kind: Kind) -> float:
        return {"outline": self.outline, "inner": self.inner, "detail": self.detail}[kind]


def kinds_of(strokes: Sequence[Stroke], size: tuple[int, int], rule: LineRule) -> list[Kind]:
    """What each stroke is in a drawing of `size` (width, height): at least half of an outline's length lies
    against the outside."""
    if not strokes:
        return []
    outside = _outside(ink_coverage(strokes, size) > 100)
    reach = 2 + round(max(float(s.widths.max()) for s in strokes))
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    beside = cv2.dilate(outside, kernel)
    kinds: list[Kind] = []
    for stroke in strokes:
        points = sample(stroke, 3.0)[0]
        column = np.clip(points[:, 0].astype(int), 0, size[0] - 1)
        row = np.clip(points[:, 1].astype(int), 0, size[1] - 1)
        if beside[row, column].mean() >= 0.5:
            kinds.append("outline")
        elif arc_lengths(points)[-1] < rule.detail_below:
            kinds.append("detail")
        else:
            kinds.append("inner")
    return kinds


def _outside(ink: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Mask of what paper reaches from the border."""
    height, width = ink.shape
    framed = np.zeros((height + 2, width + 2), np.uint8)
    framed[1:-1, 1:-1] = ink
    cv2.floodFill(framed, None, (0, 0), 2)
    return np.ascontiguousarray((framed[1:-1, 1:-1] == 2).astype(np.uint8))


def ruled(strokes: Sequence[Stroke], size: tuple[int, int], rule: LineRule) -> list[Stroke]:
    """The strokes in the weights of the rule; where it swells, thick and thin against the middling width of lines of
    their kind in the drawing. A black has no line of its own and stays as it is. An empty drawing stays empty."""
    kinds = kinds_of(strokes, size, rule)
    usual = {
        kind: _middling([s for s, k in zip(strokes, kinds, strict=True) if k == kind]) for kind in set(kinds)
    }
    weighed = [
        s
        if s.black
        else replace(s, widths=rule.width(kind) * _pressed(s, usual[kind], rule), corner=rule.corner)
        for s, kind in zip(strokes, kinds, strict=True)
    ]
    if rule.taper <= 0 or not weighed:
        return weighed
    free = _free_ends(weighed)
    return [
        s if s.black else tapered(s, rule.taper * first, rule.taper * last)
        for s, (first, last) in zip(weighed, free, strict=True)
    ]


def _middling(strokes: Sequence[Stroke]) -> float:
    return float(np.median(np.concatenate([s.widths for s in strokes])))


def _pressed(stroke: Stroke, usual: float, rule: LineRule) -> NDArray[np.float64]:
    """Shares of the rule's weight at each knot."""
    if rule.swell <= 0:
        return np.ones(len(stroke.widths))
    share = 1 + rule.swell * (stroke.widths / max(usual, 1e-6) - 1)
    return np.asarray(share.clip(rule.thinnest, rule.thickest))


def _free_ends(strokes: Sequence[Stroke]) -> list[tuple[bool, bool]]:
    """Whether each stroke's beginning and end touch no other stroke."""
    lines = [sample(s, 2.0)[0] for s in strokes]
    owner = np.repeat(np.arange(len(lines)), [len(line) for line in lines])
    tree = cKDTree(np.vstack(lines))

    def free(k: int, end: NDArray[np.float64]) -> bool:
        near = tree.query_ball_point(end, 1.5 * float(strokes[k].widths.max()))
        return bool((owner[near] == k).all())

    return [(free(k, line[0]), free(k, line[-1])) for k, line in enumerate(lines)]
