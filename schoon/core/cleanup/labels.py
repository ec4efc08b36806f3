"""Telling marks apart: which pieces of the traced chains are line, and what the others are."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from scipy.special import expit, logit, softmax

from ..strokes import Points
from .context import among_others
from .kinds import KINDS, Kind
from .lessons import UNKNOWN, UNNAMED, Taught
from .marks import Pieces

_ALONG = 1.0
"""Log odds that a neighbour along the same chain adds to a piece of its own kind."""

_ROUNDS = 8

_SHORT = 3
"""Pieces of another kind in a row that a chain runs over: a crossing, or a passage that was drawn lightly."""

_TOLD = 6.0
"""Log odds of what a person said."""

_SURELY = 0.97
"""Chance of being line from which on there is no other kind."""

_HARDLY = 0.15
"""Chance of being line below which even a short stretch is not run over."""

_LEAST = 1e-4
"""Chance beyond which nothing is surer."""

_BUILT_ON = np.eye(len(KINDS))[KINDS.index("construction")]

LINE = 0.3
"""Chance of being line from which on a mark is drawn."""

_MEETS = 4.0
"""Px within which an end meets a kept line."""

_PUT_BACK = 6
"""Pieces that are put back if kept lines go on at both of their ends: they shut a form."""

_ON = np.cos(np.deg2rad(40))
"""Cosine of the angle up to which one line goes on in another."""


@dataclass(frozen=True)
class Mark:
    """points: (k, 2) px. kind: "line", or one of KINDS. chance: 0..1 that it is line."""

    points: Points
    kind: Literal["line"] | Kind
    chance: float


@dataclass(frozen=True)
class Judged:
    """first: (pieces,) the chance that each piece is line by what it shows itself and what is thought of those about it. chance:
    the same after its neighbours have spoken, to decide by. shares: (pieces, KINDS) the chance of each kind if it is no line.
    kinds: what its chain would be, indices into KINDS. told: what was said of it, as `lessons.meant`."""

    first: NDArray[np.float64]
    chance: NDArray[np.float64]
    shares: NDArray[np.float64]
    kinds: NDArray[np.int64]
    told: NDArray[np.int64]


def judge(pieces: Pieces, known: Taught, told: NDArray[np.int64] | None = None) -> Judged:
    """What each piece is. known: what was learnt, beyond what is known of any drawing. told: as in `Judged`."""
    told = np.full(len(pieces.lengths), UNKNOWN) if told is None else told
    odds = _said(told, known.line.scores(pieces.features)[:, 0])
    odds = _said(told, known.among.scores(among_others(pieces, odds))[:, 0])
    line = expit(odds)
    ghost = expit(known.ghost.scores(among_others(pieces, odds))[:, 0])
    odds = _said(told, logit(np.clip(line * (1 - ghost), _LEAST, 1 - _LEAST)))
    chance = _smoothed(pieces, odds, told != UNKNOWN)
    shares = np.full((len(odds), len(KINDS)), 1 / len(KINDS))
    # Of what is surely line it does not matter what it would be otherwise.
    asked = chance < _SURELY
    shares[asked] = softmax(known.kind.scores(pieces.features[asked]), axis=1)
    # What was rubbed out is what the drawing was built on.
    other = (1 - line) * (1 - ghost)
    rubbed = (ghost / np.maximum(ghost + other, _LEAST))[:, None]
    shares = rubbed * _BUILT_ON + (1 - rubbed) * shares
    named = (told >= 0) & (told < UNNAMED)
    shares[named] = 10 * np.eye(len(KINDS))[told[named]]
    own = pieces.owners
    # A chain that is no line is one thing from end to end.
    total = np.stack([np.bincount(own, column) for column in (shares * (1 - chance)[:, None]).T], axis=1)
    return Judged(1 / (1 + np.exp(-odds)), chance, shares, total.argmax(axis=1)[own], told)


def _said(told: NDArray[np.int64], odds: NDArray[np.float64]) -> NDArray[np.float64]:
    """Log odds, and of what a person told of the same instead."""
    return np.where(told == -1, _TOLD, np.where(told >= 0, -_TOLD, odds))


def told_apart(pieces: Pieces, closed: Sequence[bool], cut: float, judged: Judged) -> list[Mark]:
    """Chains cut where line begins and ends. closed: per chain. cut: chance from which on a piece is line."""
    keep = _kept(pieces, judged.chance, cut)
    keep[judged.told == -1] = True
    keep[judged.told >= 0] = False
    marks: list[Mark] = []
    starts = np.r_[0, np.flatnonzero(np.diff(pieces.chain)) + 1, len(pieces.points)]
    for number, ring in enumerate(closed):
        points = pieces.points[starts[number] : starts[number + 1]]
        own = pieces.piece[starts[number] : starts[number + 1]]
        flags = keep[own]
        if ring and flags.any() and not flags.all():
            # A ring that is cut begins at a cut.
            turn = int(np.flatnonzero(flags & ~np.roll(flags, 1))[0])
            points, own = np.roll(points[:-1], -turn, axis=0), np.roll(own[:-1], -turn)
            flags = keep[own]
        bounds = np.r_[0, np.flatnonzero(np.diff(flags)) + 1, len(points)]
        for first, last in itertools.pairwise(bounds.tolist()):
            run = points[first : min(last + 1, len(points))]
            kind: Literal["line"] | Kind = "line" if flags[first] else KINDS[judged.kinds[own[first]]]
            marks.append(Mark(run, kind, float(judged.first[own[first:last]].mean())))
    lines = _rejoined([m for m in marks if m.kind == "line"])
    return lines + [m for m in marks if m.kind != "line"]


def _smoothed(pieces: Pieces, odds: NDArray[np.float64], certain: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Chances after neighbours along the same chain have spoken to each other (mean field). certain: not to be moved."""
    own = pieces.owners
    same = own[1:] == own[:-1]
    odds = np.where(certain, odds, np.clip(odds, -4.6, 4.6))
    chance = 1 / (1 + np.exp(-odds))
    for _ in range(_ROUNDS):
        said = np.zeros(len(odds))
        said[1:][same] += 2 * chance[:-1][same] - 1
        said[:-1][same] += 2 * chance[1:][same] - 1
        chance = 1 / (1 + np.exp(-(odds + np.where(certain, 0.0, _ALONG * said))))
    return chance


def _kept(pieces: Pieces, chance: NDArray[np.float64], cut: float) -> NDArray[np.bool_]:
    """(pieces,) which are line: likely ones, what lies between two of them, and what shuts a form."""
    keep = chance >= cut
    own = pieces.owners
    for first, last in _runs(keep, own, False):
        inner = first > 0 and last < len(keep) and own[first - 1] == own[last] == own[first]
        if inner and last - first <= _SHORT and chance[first:last].mean() > _HARDLY:
            keep[first:last] = True
    if not keep.any() or keep.all():
        return keep
    tree = cKDTree(pieces.points[keep[pieces.piece]])
    ends = np.r_[0, np.flatnonzero(np.diff(pieces.piece)) + 1, len(pieces.points)]
    for first, last in _runs(keep, own, False):
        if last - first > _PUT_BACK or chance[first:last].mean() < _HARDLY:
            continue
        tips = pieces.points[[ends[first], ends[last] - 1]]
        if (tree.query(tips)[0] < _MEETS).all():
            keep[first:last] = True
    return keep


def _runs(flags: NDArray[np.bool_], own: NDArray[np.int64], wanted: bool) -> list[tuple[int, int]]:
    """Stretches (first, after the last) of pieces of one chain that have the wanted flag."""
    breaks = np.flatnonzero((np.diff(flags) != 0) | (np.diff(own) != 0)) + 1
    bounds = np.r_[0, breaks, len(flags)].tolist()
    return [(a, b) for a, b in itertools.pairwise(bounds) if flags[a] == wanted]


def _rejoined(lines: list[Mark]) -> list[Mark]:
    """Lines that go on in each other are one again, now that what branched off between them is gone."""
    todo = list(lines)
    while True:
        pairs = _going_on(todo)
        if not pairs:
            return todo
        used: set[int] = set()
        joined = []
        for a, a_end, b, b_start in pairs:
            if a in used or b in used:
                continue
            used |= {a, b}
            first = todo[a].points if a_end else todo[a].points[::-1]
            second = todo[b].points if b_start else todo[b].points[::-1]
            share = len(first) / (len(first) + len(second))
            chance = share * todo[a].chance + (1 - share) * todo[b].chance
            joined.append(Mark(np.vstack([first, second]), "line", chance))
        todo = [m for k, m in enumerate(todo) if k not in used] + joined


def _going_on(lines: Sequence[Mark]) -> list[tuple[int, bool, int, bool]]:
    """Pairs of ends that meet where no third line is, and face each other: (line, at its end, line, at its start)."""
    tips, outward, whose = [], [], []
    for number, mark in enumerate(lines):
        p = mark.points
        if len(p) < 6 or np.hypot(*(p[0] - p[-1])) < 1.5:
            continue
        for at_end in (False, True):
            run = p[::-1] if at_end else p
            along = run[0] - run[min(8, len(run) - 1)]
            tips.append(run[0])
            outward.append(along / max(float(np.hypot(*along)), 1e-9))
            whose.append((number, at_end))
    if len(tips) < 2:
        return []
    places = np.array(tips)
    body = cKDTree(np.vstack([m.points for m in lines]))
    owner = np.repeat(np.arange(len(lines)), [len(m.points) for m in lines])
    found = []
    for i, j in cKDTree(places).query_pairs(_MEETS):
        (a, a_end), (b, b_end) = whose[i], whose[j]
        if a == b or -(outward[i] @ outward[j]) < _ON:
            continue
        around = set(owner[body.query_ball_point((places[i] + places[j]) / 2, _MEETS)].tolist())
        if around <= {a, b}:
            found.append((a, a_end, b, not b_end))
    return found
