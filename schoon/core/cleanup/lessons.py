"""What a person said of marks, and what follows from it for marks that are like them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..strokes import Points, Stroke, resample, sample
from .forest import Forest, learnt
from .kinds import KINDS, Kind
from .marks import Pieces

Chances = NDArray[np.float64]

_MEANT = 0.6
"""Share of a piece that a scribble has to cover."""

_ALONG = 5.0
"""Px within which a mark lies on a line that was drawn of it."""

_LOOSE = 2.0
"""How far lessons may move the judgement of a mark, standard deviation in log odds."""

_SCRIBBLE, _DRAWING, _REST = 20.0, 400.0, 60.0
"""What one scribble, a drawing whose lines are finished, and the marks of which nothing was said count for, in pieces."""

_MOST = 1500
"""Pieces of a drawing that are looked at again at most."""


@dataclass(frozen=True)
class Said:
    """A scribble of the pen over marks. kind: what they are. path: (k, 2) px of the drawing. reach: px to its sides."""

    kind: Literal["line"] | Kind
    path: Points
    reach: float


@dataclass(frozen=True)
class Lesson:
    """Marks of a drawing, told of or not: of what nothing was said the judgement stays, so that a lesson is about what
    the marks it names do not share with the others.

    features: (n, FEATURES). line: (n,) chance of being line. kinds: (n, KINDS) chances of each kind otherwise.
    weight: (n,) what each counts for, in pieces.
    """

    features: NDArray[np.float32]
    line: NDArray[np.float64]
    kinds: NDArray[np.float64]
    weight: NDArray[np.float64]


UNNAMED = len(KINDS)
"""No line, of no kind that was named."""

UNKNOWN = -2
"""Kind of a piece of which nothing was said."""


def meant(places: Points, pieces: Pieces, said: Sequence[Said]) -> NDArray[np.int64]:
    """(pieces,) what was said of each: -1 line, an index into KINDS, or UNKNOWN. What was said last counts.

    places: the points of the pieces, px of the drawing.
    """
    kinds = np.full(len(pieces.lengths), UNKNOWN)
    for scribble in said:
        path = np.atleast_2d(scribble.path)
        tree = cKDTree(resample(path, 2.0) if len(path) > 1 else path)
        under = tree.query(places, distance_upper_bound=scribble.reach)[0] <= scribble.reach
        covered = np.bincount(pieces.piece, under) / pieces.lengths
        kinds[covered >= _MEANT] = -1 if scribble.kind == "line" else KINDS.index(scribble.kind)
    return kinds


def told_by(places: Points, pieces: Pieces, strokes: Sequence[Stroke]) -> NDArray[np.int64]:
    """(pieces,) what finished lines of the drawing say of each: -1 where one runs along it, UNNAMED where none is
    near, else UNKNOWN."""
    kinds = np.full(len(pieces.lengths), UNKNOWN)
    if not strokes:
        return kinds
    drawn = cKDTree(np.vstack([sample(s)[0] for s in strokes]))
    along = np.bincount(pieces.piece, drawn.query(places)[0] <= _ALONG) / pieces.lengths
    kinds[along > 0.75] = -1
    kinds[along < 0.25] = UNNAMED
    return kinds


def lesson_of(
    pieces: Pieces, told: NDArray[np.int64], finished: bool, scribbles: int, judged: tuple[Chances, Chances]
) -> Lesson:
    """told: (pieces,) as `meant` or, if the drawing is finished, as `told_by`. judged: (pieces,) and (pieces, KINDS)
    what was thought of them."""
    known = told != UNKNOWN
    line = np.where(told == -1, 1.0, np.where(known, 0.0, judged[0]))
    kinds = judged[1].copy()
    named = known & (told >= 0) & (told < UNNAMED)
    kinds[named] = np.eye(len(KINDS))[told[named]]
    weight = np.zeros(len(told))
    most = _DRAWING if finished else _SCRIBBLE * scribbles
    if known.any():
        weight[known] = min(1.0, most / known.sum())
    if not finished and (~known).any():
        weight[~known] = min(1.0, _REST / (~known).sum())
    keep = np.flatnonzero(weight > 0)
    step = -(-len(keep) // _MOST)
    thin = keep[(np.arange(len(keep)) % step == 0) | (known[keep] & (not finished))]
    return Lesson(
        pieces.features[thin],
        line[thin],
        kinds[thin],
        weight[thin] * weight.sum() / max(weight[thin].sum(), 1e-9),
    )


@dataclass(frozen=True)
class Taught:
    """The forests after all lessons of a run."""

    line: Forest
    kind: Forest


def taught(lessons: Sequence[Lesson]) -> Taught:
    """What is learnt from lessons; what was known before without any."""
    line, kind = learnt("line"), learnt("kind")
    if not lessons:
        return Taught(line, kind)
    features = np.concatenate([x.features for x in lessons])
    chance = np.concatenate([x.line for x in lessons])
    weight = np.concatenate([x.weight for x in lessons])
    kinds = np.concatenate([x.kinds for x in lessons])
    # Of a line nothing is learnt of what it would be otherwise.
    return Taught(
        line.taught(features, chance, weight, _LOOSE),
        kind.taught(features, kinds, weight * (1 - chance), _LOOSE),
    )
