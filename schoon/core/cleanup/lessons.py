"""What a person said of marks, and what follows from it for marks that are like them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from scipy.special import expit

from ..forest import Forest
from ..forest import learnt as read_forest
from ..strokes import Points, Stroke, resample, sample
from .kinds import KINDS, Kind
from .marks import Pieces

Chances = NDArray[np.float64]

_MEANT = 0.6
"""Share of a piece that a scribble has to cover."""

_RUNS_ALONG = 4.5
"""Reaches of a scribble that a mark runs on under it to be meant; one that crosses it has two to three."""

_ALONG = 5.0
"""Px within which a mark lies on a line that was drawn of it."""

_LOOSE = 2.0
"""How far lessons may move the judgement of a mark, standard deviation in log odds."""

_SCRIBBLE, _DRAWING, _REST = 20.0, 400.0, 30.0
"""What one scribble, a drawing whose lines are finished, and the marks of which nothing was said count for, in pieces."""

_MOST = 1500
"""Pieces of a drawing that are looked at again at most."""


def learnt(name: str) -> Forest:
    """The forest of that name: "line", log odds of being a line, "among", the same among the others (`context.in_context`), "ghost",
    of being left of an earlier drawing that was rubbed out, or "kind", logits of `labels.KINDS`."""
    return read_forest(__package__, "marks.npz", name)


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
    weight: (n,) what each counts for, in pieces. told: (n,) whether it was told of.
    """

    features: NDArray[np.float32]
    line: NDArray[np.float64]
    kinds: NDArray[np.float64]
    weight: NDArray[np.float64]
    told: NDArray[np.bool_]


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
        kinds[_meant(pieces, under, scribble.reach / _step(places))] = (
            -1 if scribble.kind == "line" else KINDS.index(scribble.kind)
        )
    return kinds


def _step(places: Points) -> float:
    """Px of the drawing between two points of the pieces."""
    return max(1.0, float(np.median(np.hypot(*np.diff(places, axis=0).T)))) if len(places) > 1 else 1.0


def _meant(pieces: Pieces, under: NDArray[np.bool_], reach: float) -> NDArray[np.bool_]:
    """(pieces,) which are meant by a scribble. under: (points,) which lie under it. reach: in points.

    What only crosses the scribble is not: a mark is meant where it runs along under it, or mostly lies there.
    """
    covered = np.bincount(pieces.piece, under) / pieces.lengths >= _MEANT
    count = np.bincount(pieces.chain)
    mostly = np.bincount(pieces.chain, under) >= 0.5 * count
    begins = under & (np.r_[True, pieces.chain[1:] != pieces.chain[:-1]] | ~np.r_[False, under[:-1]])
    run = np.cumsum(begins) - 1
    long = np.bincount(run[under], minlength=max(1, int(begins.sum()))) >= _RUNS_ALONG * reach
    along = np.zeros(len(under), bool)
    along[under] = long[run[under]]
    kept = np.bincount(pieces.piece, along) > 0
    chain_of = pieces.chain[np.r_[0, np.flatnonzero(np.diff(pieces.piece)) + 1]]
    return np.asarray(covered & (kept | mostly[chain_of]))


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
    # Of many alike, every so-manieth speaks for all.
    many = weight > 0 if finished else ~known
    step = -(-int(many.sum()) // _MOST) or 1
    weight[many] *= step
    thin = np.flatnonzero((weight > 0) & (~many | (np.cumsum(many) % step == 0)))
    return Lesson(pieces.features[thin], line[thin], kinds[thin], weight[thin], known[thin])


@dataclass(frozen=True)
class Taught:
    """The forests after all lessons of a run. among: what is line among what is thought of the others, and ghost: what was rubbed out,
    which lessons do not change."""

    line: Forest
    among: Forest
    ghost: Forest
    kind: Forest


def taught(lessons: Sequence[Lesson]) -> Taught:
    """What is learnt from lessons; what was known before without any."""
    line, among, ghost, kind = (learnt(name) for name in ("line", "among", "ghost", "kind"))
    if not lessons:
        return Taught(line, among, ghost, kind)
    features = np.concatenate([x.features for x in lessons])
    chance = np.concatenate([x.line for x in lessons])
    weight = np.concatenate([x.weight for x in lessons])
    kinds = np.concatenate([x.kinds for x in lessons])
    after = line.taught(features, chance, weight, _LOOSE)
    if not any(x.told.all() for x in lessons):
        # A finished drawing does say how many lines there are.
        after = _as_many(line, after, features[~np.concatenate([x.told for x in lessons])])
    # Of a line nothing is learnt of what it would be otherwise.
    return Taught(after, among, ghost, kind.taught(features, kinds, weight * (1 - chance), _LOOSE))


def _as_many(before: Forest, after: Forest, features: NDArray[np.float32]) -> Forest:
    """The forest after lessons, by which as much of what nothing was said of is line as before: a scribble tells kinds
    of marks apart, and says nothing of how many lines there are."""
    odds = after.scores(features)[:, 0]
    share = float(expit(before.scores(features)[:, 0]).mean())
    low, high = -6.0, 6.0
    for _ in range(30):
        middle = (low + high) / 2
        low, high = (middle, high) if expit(odds + middle).mean() < share else (low, middle)
    return replace(after, start=after.start + low)
