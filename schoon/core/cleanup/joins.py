"""Ends: what stops short of the line it runs up to, and what hooks into one that it does not meet."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..strokes import Points, resample

_AHEAD = np.cos(np.deg2rad(55))
"""Cosine of the angle off its own direction within which an end looks for a line."""

_TURNS_OFF = np.cos(np.deg2rad(65))
"""Cosine of the angle off its own direction from which on an end that reaches a line over bare paper is a hook."""

_BEHIND = 8
"""Px behind a hook by which the line's own direction is told."""

_CLOSES, _LEAST = 1.5, 4
"""Px between the ends of a line that is closed, and that are left of one that a hook is taken off."""

_ROUND = 4
"""How many times as long as the gap between its ends a line is that closes itself."""

_TOUCHES = 0.75
"""Px within which an end is at a line already."""

_AT_HAND = 0.35
"""Share of the reach within which it takes one in any direction."""


def drawn_up(lines: Sequence[Points], reach: float, blunt: float = 0.0) -> list[Points]:
    """The lines, (k, 2) px, with each free end drawn on to the line that lies ahead of it within `reach` px.

    blunt: px of a free end that go straight on: thinning bends the end of a broad line into one of its corners.
    """
    runs = [resample(line, 1.0) if len(line) > 1 else line for line in lines]
    if not runs:
        return []
    body = _Body(runs)
    found = []
    for number, line in enumerate(lines):
        run = runs[number]
        gap = float(np.hypot(*(run[0] - run[-1])))
        if len(run) > _ROUND * max(gap, 4.0) and 0 < gap < _AT_HAND * reach:
            # It has come back to where it began: a small form that is closed.
            found.append(np.vstack([run, run[:1]]))
            continue
        if len(run) < 4 or gap == 0:
            found.append(line)
            continue
        for backward in (False, True):
            ahead = run[::-1] if backward else run
            if body.is_free(ahead[0], number):
                ahead = _straight(ahead, blunt)
                ahead = np.vstack([body.ahead_of(ahead, number, backward, reach), ahead])
            run = ahead[::-1] if backward else ahead
        found.append(run)
    return found


def let_go(lines: Sequence[Points], bare: NDArray[np.bool_], near: float, far: float) -> list[Points]:
    """The lines, (k, 2) px, without the hooks at their ends that reach another one over bare paper only.

    bare: (h, w) where nothing is drawn. near: px from its end within which the bare stretch of a line begins: so far the other
    one's body reaches. far: px that it is long at most.
    """
    most = np.array(bare.shape)[::-1] - 1
    found = []
    for line in lines:
        run = resample(line, 1.0) if len(line) > 1 else line
        column, row = np.clip(np.round(run).astype(int), 0, most).T
        empty = bare[row, column]
        first, last = _loose(run, empty, near, far), len(run) - _loose(run[::-1], empty[::-1], near, far)
        closed = float(np.hypot(*(run[0] - run[-1]))) < _CLOSES
        goes = (first > 0 or last < len(run)) and last - first >= _LEAST and not closed
        found.append(run[first:last] if goes else line)
    return found


def _loose(run: Points, empty: NDArray[np.bool_], near: float, far: float) -> int:
    """How many points, 1 px apart, go at the begin of a line whose bare ones are given."""
    if not empty[: round(near)].any():
        return 0
    first = int(empty.argmax())
    rest = ~empty[first:]
    last = first + int(rest.argmax()) if rest.any() else len(empty)
    if not 2 <= last - first <= far or last + _BEHIND >= len(run):
        return 0
    outward, bare = run[last] - run[last + _BEHIND], run[0] - run[last]
    ahead = outward @ bare / max(float(np.hypot(*outward) * np.hypot(*bare)), 1e-9)
    return last if ahead < _TURNS_OFF else 0


def _straight(run: Points, blunt: float) -> Points:
    """A run whose first `blunt` px go on as the line does behind them."""
    k = round(blunt)
    if k < 1 or len(run) < 4 * k:
        return run
    along = run[k] - run[3 * k]
    along = along / max(float(np.hypot(*along)), 1e-9)
    return np.vstack([run[k] + along * np.arange(k, 0, -1)[:, None], run[k:]])


class _Body:
    """All lines together, to look for what lies near an end."""

    def __init__(self, runs: Sequence[Points]) -> None:
        self.points = np.vstack(runs)
        self.owner = np.repeat(np.arange(len(runs)), [len(run) for run in runs])
        self.along = np.concatenate([np.arange(len(run)) for run in runs])
        self.sizes = np.array([len(run) for run in runs])
        self.tree = cKDTree(self.points)

    def is_free(self, tip: Points, number: int) -> bool:
        """Whether no other line is at this end already."""
        return bool((self.owner[self.tree.query_ball_point(tip, _TOUCHES)] == number).all())

    def ahead_of(self, run: Points, number: int, backward: bool, reach: float) -> Points:
        """(0 or 1, 2) where the first end of a run is drawn on to."""
        tip = run[0]
        outward = tip - run[min(6, len(run) - 1)]
        outward = outward / max(float(np.hypot(*outward)), 1e-9)
        near = np.array(self.tree.query_ball_point(tip, reach), int)
        along = self.sizes[number] - 1 - self.along[near] if backward else self.along[near]
        # Its own line is only met again after a way round.
        near = near[(self.owner[near] != number) | (along > 4 * reach)]
        if not len(near):
            return run[:0]
        gap = self.points[near] - tip
        far = np.maximum(np.hypot(*gap.T), 1e-9)
        ahead = (gap @ outward) / far
        fit = (ahead > _AHEAD) | (far < _AT_HAND * reach)
        if not fit.any():
            return run[:0]
        return np.asarray(self.points[near[fit][np.argmin(far[fit] * (2 - ahead[fit]))]][None])
