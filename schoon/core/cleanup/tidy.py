"""A spot read again: three readings of what lies in a lasso, and one of them put in the place of the lines there."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..paper import on_paper
from ..strokes import Points, Stroke, edit
from .kinds import KINDS
from .propose import pencils_of, propose_strokes, scale_of, working
from .settings import CleanupSettings

How = Literal["looser", "tighter", "finer"]

HOWS: tuple[How, ...] = ("looser", "tighter", "finer")
"""Looser takes more of a bundle for one line, tighter less; finer sees the paper twice as large."""

_STEP = 0.25
"""How much more, or less, searching a looser or tighter reading takes the rough to be."""

_ROUND = 72
"""Px round the lasso that are read with it, for lines that run on."""

_FOLLOW = 0.8
"""How closely a finer reading follows the pencil."""

_JOIN = 12.0
"""Px within which a new line goes on in one that was cut at the lasso."""


def readings(
    picture: NDArray[np.uint8], lasso: Points, settings: CleanupSettings | None = None
) -> dict[How, list[Stroke]]:
    """What lies within a lasso, (k, 2) px of the picture, read in each way; cut at the lasso."""
    settings = settings or CleanupSettings()
    # What a pencil is taken for is seen in the whole drawing.
    known = [(p.hue, role) for p, role in pencils_of(picture) if not settings.role_of(p)]
    settings = replace(settings, pencils=(*settings.pencils, *known))
    paper = on_paper(picture)
    shrink = working(paper)[1]
    low = np.maximum(np.floor(lasso.min(axis=0)).astype(int) - _ROUND, 0)
    high = np.ceil(lasso.max(axis=0)).astype(int) + _ROUND
    crop = paper[low[1] : high[1], low[0] : high[0]]
    if min(crop.shape[:2]) < 8:
        return {how: [] for how in HOWS}
    usual = settings.searching if settings.searching is not None else scale_of(_seen(crop, 1 / shrink))
    ways: dict[How, tuple[CleanupSettings, float]] = {
        "looser": (replace(settings, searching=min(1.0, usual + _STEP)), 1 / shrink),
        "tighter": (replace(settings, searching=max(0.0, usual - _STEP)), 1 / shrink),
        "finer": (replace(settings, searching=None, detail=1.0, follow=_FOLLOW), 2 / shrink),
    }
    found: dict[How, list[Stroke]] = {}
    for how, (own, zoom) in ways.items():
        own = replace(own, line_width=settings.line_width * zoom)
        near = _seen(crop, zoom)
        # A spot is pointed at because there is line in it.
        strokes = propose_strokes(near, own) or propose_strokes(near, replace(own, keep=KINDS))
        placed = [replace(s, controls=s.controls / zoom + low, widths=s.widths / zoom) for s in strokes]
        found[how] = [piece for s in placed for piece in _pieces(s, lasso)[0]]
    return found


def _seen(crop: NDArray[np.uint8], zoom: float) -> NDArray[np.uint8]:
    if zoom == 1:
        return crop
    size = (max(8, round(crop.shape[1] * zoom)), max(8, round(crop.shape[0] * zoom)))
    how = cv2.INTER_AREA if zoom < 1 else cv2.INTER_CUBIC
    return np.asarray(cv2.resize(crop, size, interpolation=how))


def tidied(strokes: Sequence[Stroke], lasso: Points, fresh: Sequence[Stroke]) -> list[Stroke]:
    """Strokes with fresh ones in the place of what lies within a lasso.

    Lines a hand made stay whole. Fresh lines that end where a line was cut go on in it.
    """
    names = {s.id for s in strokes}
    kept: list[Stroke] = []
    cut: list[Stroke] = []
    for stroke in strokes:
        inside, outside = ([], [stroke]) if stroke.by == "hand" else _pieces(stroke, lasso)
        if not inside:
            kept.append(stroke)
        else:
            cut += _named(stroke, outside)
    for stroke in fresh:
        whole = stroke
        for tip in (0, -1):
            if whole.closed:
                break
            ends = [
                (float(np.hypot(*(c.controls[k] - stroke.controls[tip]))), n)
                for n, c in enumerate(cut)
                for k in (0, -1)
                if not c.closed
            ]
            gap, nearest = min(ends, default=(np.inf, -1))
            if gap < _JOIN:
                before = cut.pop(nearest)
                same = whole if whole.id in names else before
                joined = edit.joined(before, whole)
                whole = replace(joined, id=same.id, track=same.track, part=same.part)
        (kept if whole is stroke else cut).append(whole)
    return kept + cut


def _named(stroke: Stroke, pieces: Sequence[Stroke]) -> list[Stroke]:
    """The longest piece is still the stroke it was."""
    longest = max(pieces, key=lambda p: len(p.controls), default=None)
    return [replace(p, id=stroke.id) if p is longest else replace(p, track="", link=None) for p in pieces]


def _pieces(stroke: Stroke, lasso: Points) -> tuple[list[Stroke], list[Stroke]]:
    """What of a stroke lies within a lasso, and what without."""
    places = edit.places_along(stroke, 2.0)
    points = edit.at(stroke, places)
    ring = lasso.astype(np.float32)[:, None]
    within = np.array([cv2.pointPolygonTest(ring, (float(x), float(y)), False) >= 0 for x, y in points])
    if within.all() or not within.any():
        return ([stroke], []) if within.all() else ([], [stroke])
    if stroke.closed and within[0] == within[-1]:
        # A ring begins where it is cut, or a piece of it would be two.
        start = float(places[1:][np.diff(within.astype(int)) != 0][0])
        return _pieces(replace(edit.begun_at(stroke, start), opened=True), lasso)
    bounds = [0.0, *places[1:][np.diff(within.astype(int)) != 0].tolist(), float(edit.count(stroke))]
    inside: list[Stroke] = []
    outside: list[Stroke] = []
    side = bool(within[0])
    for first, last in itertools.pairwise(bounds):
        if last - first > 1e-3:
            (inside if side else outside).append(edit.cut(stroke, first, last))
        side = not side
    return inside, outside
