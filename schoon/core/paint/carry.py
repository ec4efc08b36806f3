"""Carrying paint from painted drawings to the others of a run."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..patches import Patches
from .matching import Match, match
from .parting import Parting

NOTHING = -1
"""A patch that is meant to stay unpainted; None is a patch that nobody has decided."""

_MUTUAL = 0.8
"""Matches at least this good beside the source patch's best one raise no doubt."""

_RUNS_TOGETHER = 0.9
"""Doubt of a patch in which areas of unlike pots seem to run together."""

_OPEN = 0.2
"""Share of what no drawing has said about a patch that is open for any pot."""

_LEADS, _ALONE = 0.8, 0.95
"""Shares of all that speaks for any pot from which on a pot leads, and is the only one."""

_RELIEF = 0.65
"""Doubt that a pot loses by being the only one in a run."""

_ROUNDS = 3
"""Rounds in which patches take over what is thought of their neighbours."""

_OTHERS = 2
"""How many pots beside the best one are offered for a patch in doubt."""

UNSURE_ABOVE = 0.5
"""Carried patches with more doubt than this are listed as unsure."""

MOST_PATCHES = 2500
"""Patches of a drawing beyond which nothing is carried: grain or hatching was taken for areas."""

By = Literal["hand", "carried"]


@dataclass(frozen=True)
class Paint:
    """What one patch carries: pot is a number of the caller's or NOTHING.

    doubt: 0 (certain) to 1. source: (drawing index, patch) it was carried from, None if painted by hand.
    others: the pots that came next, most likely first. joined: areas of unlike pots that seem to run together in this
    patch through a gap: pot and a place (x, y) in each.
    """

    pot: int
    doubt: float = 0.0
    by: By = "hand"
    source: tuple[int, int] | None = None
    others: tuple[int, ...] = ()
    joined: tuple[tuple[int, float, float], ...] = ()

    @property
    def unsure(self) -> bool:
        return self.by == "carried" and self.doubt > UNSURE_ABOVE


Painting = dict[int, Paint]


def carry(
    drawings: Sequence[Patches],
    painted: Mapping[int, Painting],
    progress: Callable[[int, Painting], None] | None = None,
) -> dict[int, Painting]:
    """Paint for every drawing of a run.

    drawings: the patches of each drawing in order. painted: for the painted ones, patch -> Paint; what is
    missing in a drawing given here is filled in, what is given is never changed.
    progress: called with each finished drawing's index and painting.
    Drawings of more than MOST_PATCHES keep what they have and guide no others.
    Returns index -> painting for all drawings. Raises ValueError without a painted drawing.
    """
    crowded = {k for k, patches in enumerate(drawings) if patches.count > MOST_PATCHES}
    given = painted
    painted = {k: painting for k, painting in painted.items() if k not in crowded}
    shares = {k: len(painting) / max(drawings[k].count, 1) for k, painting in painted.items() if painting}
    if not shares:
        raise ValueError("at least one drawing must be painted")
    # A drawing with a few corrections is no guide for all its patches; one painted by half is.
    keys = sorted(k for k, share in shares.items() if share >= min(0.5, max(shares.values())))
    parting = Parting([(drawings[k], _known_pots(painted[k], drawings[k])) for k in keys])
    done: dict[int, Painting] = {}
    order = sorted(set(range(len(drawings))) - crowded, key=lambda k: (min(abs(k - key) for key in keys), k))
    for index in order:
        own = dict(painted.get(index, {}))
        target = drawings[index]
        missing = [p for p in range(1, target.count + 1) if p not in own]
        if missing:
            sources = _sources(index, keys, done)
            own.update(_from_sources(drawings, done, painted, sources, index, missing, parting))
        done[index] = own
        if progress:
            progress(index, own)
    for index in sorted(crowded):
        done[index] = dict(given.get(index, {}))
        if progress:
            progress(index, done[index])
    return done


def _sources(index: int, keys: Sequence[int], done: Mapping[int, Painting]) -> list[tuple[int, float]]:
    """Drawings to ask, with how much each counts: the nearest keys on both sides and the finished neighbours."""
    before = [k for k in keys if k < index][-1:]
    after = [k for k in keys if k > index][:1]
    asked: dict[int, float] = {}
    nearest = min((abs(key - index) for key in before + after), default=1)
    for key in before + after:
        far = abs(key - index)
        # Where keys disagree the nearer one is right more often.
        asked[key] = (nearest / far) ** 0.7 / (1.0 + 0.15 * (far - 1))
    for step, trust in ((1, 1.0), (2, 0.6)):
        for near in (index - step, index + step):
            if near in done:
                asked[near] = max(asked.get(near, 0.0), trust)
    return sorted(asked.items())


def _from_sources(
    drawings: Sequence[Patches],
    done: Mapping[int, Painting],
    painted: Mapping[int, Painting],
    sources: Sequence[tuple[int, float]],
    index: int,
    missing: Sequence[int],
    parting: Parting,
) -> Painting:
    target = drawings[index]
    pots: list[int] = sorted(
        {paint.pot for k, _ in sources for paint in done.get(k, painted.get(k, {})).values()}
    )
    column = {pot: k for k, pot in enumerate(pots)}
    votes = np.zeros((len(pots), target.count + 1))
    doubts = np.zeros_like(votes)
    weight = kin = 0.0
    best: dict[tuple[int, int], tuple[float, tuple[int, int]]] = {}
    joined: dict[int, tuple[tuple[int, float, float], ...]] = {}
    for k, trust in sources:
        painting = done.get(k, painted.get(k, {}))
        found = match(drawings[k], target)
        rows, doubt = _pots_of(painting, drawings[k], column)
        share = found.likely * (1.0 - 0.7 * doubt)[:, None] * trust
        # What was doubtful there does not become certain by being carried on.
        inherited = np.maximum(doubt[:, None], 1.0 - found.mutual / _MUTUAL)
        weight += trust
        kin += trust * found.kin
        if trust >= 1.0:
            for patch in missing:
                if patch not in joined and patch != target.background:
                    joined[patch] = _joined(found, drawings[k], target, patch, painting)
        for pot, row in column.items():
            members = rows == row
            if not members.any():
                continue
            part = share[members]
            votes[row] += part.sum(axis=0)
            doubts[row] += (part * np.clip(inherited[members], 0, 1)).sum(axis=0)
            labels = np.flatnonzero(members)
            strongest = part.argmax(axis=0)
            for patch in missing:
                value = float(part[strongest[patch], patch])
                if value > best.get((pot, patch), (0.0, (0, 0)))[0]:
                    best[pot, patch] = (value, (k, int(labels[strongest[patch]])))
    inherited = doubts / np.maximum(votes, 1e-9)
    votes /= max(weight, 1e-9)
    rows, _ = _pots_of(painted.get(index, {}), target, column)
    votes = _with_lines(votes, inherited, rows, target, parting)
    result = _decide(votes, inherited, kin / max(weight, 1e-9), pots, missing, best)
    return {
        patch: replace(paint, doubt=max(paint.doubt, _RUNS_TOGETHER), joined=joined[patch])
        if joined.get(patch)
        else paint
        for patch, paint in result.items()
    }


def _with_lines(
    votes: NDArray[np.float64],
    inherited: NDArray[np.float64],
    given: NDArray[np.int64],
    target: Patches,
    parting: Parting,
) -> NDArray[np.float64]:
    """`votes`, (pots, patches + 1), where a patch in doubt also listens to the lines round it.

    given: (patches + 1,) row of the pot a patch has by hand, -1 for none.
    """
    rest = np.clip(1 - votes.sum(axis=0), 0, 1)
    known = np.flatnonzero(given >= 0)
    chance = votes.copy()
    for _ in range(_ROUNDS):
        chance[:, known] = 0
        chance[given[known], known] = 1
        beside = parting.beside(target, chance / np.maximum(chance.sum(axis=0), 1e-9))
        chance = votes + _OPEN * rest * (0.5 * beside + 0.5 / len(votes))
    chance[:, known] = 0
    chance[given[known], known] = 1
    listens = np.take_along_axis(inherited, votes.argmax(axis=0)[None], 0)[0].clip(0, 1)
    listens = np.maximum(listens, rest)
    told = chance * parting.told(target, chance) ** listens
    return told * chance.sum(axis=0) / np.maximum(told.sum(axis=0), 1e-12)


def _known_pots(painting: Painting, patches: Patches) -> NDArray[np.int64]:
    """(count + 1,) a number for the pot of each patch, 0 for one meant to stay bare, -1 where nobody knows."""
    pots = np.full(patches.count + 1, -1, np.int64)
    for patch, paint in painting.items():
        if not paint.unsure:
            pots[patch] = paint.pot - NOTHING
    return pots


def _joined(
    found: Match, source: Patches, target: Patches, patch: int, painting: Painting
) -> tuple[tuple[int, float, float], ...]:
    """Areas of unlike pots that run together in a patch, as in `Paint`."""
    places = {
        painting[part].pot: (painting[part].pot, *at)
        for part, at in found.joined(source, target, patch)
        if part in painting and painting[part].pot != NOTHING and not painting[part].unsure
    }
    return tuple(places.values()) if len(places) > 1 else ()


def _pots_of(
    painting: Painting, patches: Patches, column: Mapping[int, int]
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    rows = np.full(patches.count + 1, -1, np.int64)
    doubt = np.ones(patches.count + 1)
    for patch, paint in painting.items():
        rows[patch] = column[paint.pot]
        doubt[patch] = paint.doubt
    return rows, doubt


def _decide(
    votes: NDArray[np.float64],
    inherited: NDArray[np.float64],
    kin: float,
    pots: Sequence[int],
    missing: Sequence[int],
    best: Mapping[tuple[int, int], tuple[float, tuple[int, int]]],
) -> Painting:
    result: Painting = {}
    for patch in missing:
        row = votes[:, patch]
        if not row.any():
            continue
        first = int(row.argmax())
        second = float(np.partition(row, -2)[-2]) if len(row) > 1 else 0.0
        # Unsure when another pot comes close, and when even the best has little behind it.
        margin = (row[first] - second) / row[first]
        doubt = float(np.clip(1.0 - margin * min(1.0, row[first] / 0.45), 0, 1))
        doubt = max(doubt, float(inherited[first, patch]))
        # In a run one of the few pots about is right; where place, borders and lines leave one only, that is it.
        alone = float(np.clip((row[first] / row.sum() - _LEADS) / (_ALONE - _LEADS), 0, 1))
        doubt *= 1 - _RELIEF * kin * alone
        pot = pots[first]
        _, source = best.get((pot, patch), (0.0, None))
        ranked = np.argsort(-row, kind="stable")[1 : 1 + _OTHERS]
        others = tuple(pots[k] for k in ranked if row[k] > 0.02 * row[first])
        result[patch] = Paint(pot, doubt, "carried", source, others)
    return result
