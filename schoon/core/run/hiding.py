"""Lines that a form hides: taken out of sight at its outline, kept, and brought back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from ..strokes import Points, Stroke, arc_lengths, sample
from ..strokes.edit import turned_round
from .follow import stretches

_CELL = 1.5
"""Px of a drawing 1000 px across to a cell of a silhouette."""

_SHUT = 8.0
"""Openings of an outline up to so many px of a drawing 1000 px across are no way in."""

_LEAST = 4.0
_MEET = 0.05


def silhouette(front: Sequence[Stroke], size: tuple[int, int]) -> Callable[[Points], NDArray[np.bool_]]:
    """Tells which of (k, 2) points lie inside a form, by its lines in a drawing of `size` (width, height); its own outline
    is not inside."""
    unit = max(size) / 1000
    cell = max(1.0, _CELL * unit)
    shut = max(1, round(_SHUT * unit / cell / 2))
    lines = [sample(s, 2.0)[0] for s in front]
    if not lines:
        return lambda points: np.zeros(len(points), bool)
    everything = np.vstack(lines)
    low = everything.min(axis=0) - (2 * shut + 4) * cell
    count = np.ceil((everything.max(axis=0) - low) / cell).astype(int) + 2 * shut + 6
    canvas = np.zeros((count[1], count[0]), np.uint8)
    for line in lines:
        cv2.polylines(
            canvas, [np.round((line - low) / cell * 16).astype(np.int32)], False, 1, 1, cv2.LINE_8, 4
        )
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * shut + 1, 2 * shut + 1))
    wall = cv2.dilate(canvas, disc)
    cv2.floodFill(wall, None, (0, 0), 2)
    # What cannot be reached from outside; the wall's thickness is given back.
    form = cv2.erode((wall != 2).astype(np.uint8), disc)
    form = cv2.erode(form, np.ones((3, 3), np.uint8)) > 0

    def inside(points: Points) -> NDArray[np.bool_]:
        at = np.round((points - low) / cell).astype(int)
        fits = (at >= 0).all(axis=1) & (at < count).all(axis=1)
        at = np.clip(at, 0, count - 1)
        return np.asarray(form[at[:, 1], at[:, 0]] & fits)

    return inside


def hidden_by(
    strokes: Sequence[Stroke], front: Sequence[Stroke], size: tuple[int, int]
) -> tuple[list[Stroke], list[Stroke]]:
    """What is seen and what is hidden of strokes that lie behind a form, as `hidden_within` its silhouette."""
    return hidden_within(strokes, silhouette(front, size), size)


def hidden_within(
    strokes: Sequence[Stroke], inside: Callable[[Points], NDArray[np.bool_]], size: tuple[int, int]
) -> tuple[list[Stroke], list[Stroke]]:
    """What of strokes lies outside an area and what inside, cut at its edge. inside: tells which of (k, 2) points lie in it.

    The longest piece outside keeps the stroke's id; all keep its track.
    """
    least = _LEAST * max(size) / 1000
    seen: list[Stroke] = []
    hidden: list[Stroke] = []
    for stroke in strokes:
        pieces = stretches(stroke, inside, least)
        if len(pieces) == 1:
            (hidden if pieces[0][1] else seen).append(stroke)
            continue
        track = stroke.track or stroke.id
        lengths = [float(arc_lengths(sample(p)[0])[-1]) if not under else -1.0 for p, under in pieces]
        for k, (piece, under) in enumerate(pieces):
            name = stroke.id if k == int(np.argmax(lengths)) and not under else piece.id
            kept = replace(piece, id=name, track=track, link=None, opened=True, filled=False, by=stroke.by)
            (hidden if under else seen).append(kept)
    return seen, hidden


def brought_back(seen: Sequence[Stroke], hidden: Sequence[Stroke]) -> list[Stroke]:
    """All strokes again: a hidden piece is joined with the pieces of its track that end where it begins."""
    whole = list(seen)
    for piece in hidden:
        rest: list[Stroke] = []
        for other in whole:
            met = None
            if (other.track or other.id) == (piece.track or piece.id) and not (other.closed or piece.closed):
                met = _met(other, piece)
            if met is None:
                rest.append(other)
            else:
                piece = met
        whole = [*rest, piece]
    order = {s.id: k for k, s in enumerate(seen)}
    return sorted(whole, key=lambda s: order.get(s.id, len(order)))


def _met(a: Stroke, b: Stroke) -> Stroke | None:
    """Two strokes that end at one place as one; None if they do not. It keeps the first one's name."""
    for one in (a, turned_round(a)):
        for two in (b, turned_round(b)):
            if np.hypot(*(one.controls[-1] - two.controls[0])) < _MEET:
                controls = np.vstack([one.controls, two.controls[1:]])
                widths = np.r_[one.widths, two.widths[1:]]
                ends = bool(np.hypot(*(controls[0] - controls[-1])) < _MEET)
                if ends:
                    controls[-1] = controls[0]
                return replace(a, controls=controls, widths=widths, opened=not ends)
    return None
