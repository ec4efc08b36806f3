"""From what painted drawings say about the patches of another to its paint."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..patches import Patches
from .facts import facts_of
from .judging import Carried
from .links import Links
from .matching import Match, match
from .painting import NOTHING, Paint, Painting
from .parting import Parting

_MUTUAL = 0.8
"""Matches at least this good beside the source patch's best one raise no doubt."""

_RUNS_TOGETHER = 0.9
"""Doubt of a patch in which areas of unlike pots seem to run together."""

_POSE_TRUST = 0.3
"""How much a drawing that was carried to counts for another pose, beside a drawing of the same run."""

_BARE = 0.3
"""The same for paper that a figure encloses: it is seldom there in another pose."""

_OPEN, _OPEN_IN_POSES = 0.15, 0.5
"""Share of what no drawing has said about a patch that is open for the pots round it and for any other."""

_LEADS, _ALONE = 0.85, 0.97
"""Shares of all that speaks for any pot from which on a pot leads, and is the only one."""

_RELIEF = 0.65
"""Doubt that a pot loses by being the only one in a run."""

_OTHERS = 2
"""How many pots beside the best one are offered for a patch in doubt."""


@dataclass(frozen=True)
class Source:
    """A drawing that is asked. index: its place in the run. trust: how much it counts, 0..1.
    finished: it was itself carried to."""

    index: int
    patches: Patches
    painting: Painting
    trust: float
    finished: bool


def decide(target: Patches, given: Painting, sources: Sequence[Source], parting: Parting) -> Carried:
    """Paint for the patches of a drawing that `given` leaves open, as far as anything speaks for a pot.

    parting: what the lines of painted drawings have taught.
    """
    missing = [patch for patch in range(1, target.count + 1) if patch not in given]
    pots = sorted({paint.pot for source in sources for paint in source.painting.values()})
    votes = _Votes(target, pots, missing)
    for source in sources:
        votes.ask(source)
    painting = votes.paint(given, parting) if pots else {}
    return Carried(painting, tuple(pots), votes.chances, votes.heard, votes.links, facts_of(target))


class _Votes:
    """What speaks for each pot in each patch of the target; tables are (pots, patches + 1)."""

    def __init__(self, target: Patches, pots: Sequence[int], missing: Sequence[int]) -> None:
        self.target, self.pots, self.missing = target, pots, missing
        self.row = {pot: k for k, pot in enumerate(pots)}
        self.votes = np.zeros((len(pots), target.count + 1))
        self.doubts, self.unlike = np.zeros_like(self.votes), np.zeros_like(self.votes)
        self.undecided = np.zeros(target.count + 1)
        self.weight = self.kin = 0.0
        self.best: dict[tuple[int, int], tuple[float, tuple[int, int]]] = {}
        self.joined: dict[int, tuple[tuple[int, float, float], ...]] = {}
        self.spilled: tuple[tuple[int, float, float], ...] = ()
        self.links: dict[int, Links] = {}
        self.chances = np.zeros_like(self.votes)
        self.heard = np.zeros(target.count + 1)

    def ask(self, source: Source) -> None:
        """Adds what a drawing says."""
        found = match(source.patches, self.target)
        self.links[source.index] = found.links
        trust = source.trust
        if source.finished:
            trust *= _POSE_TRUST + (1 - _POSE_TRUST) * found.kin
        self.weight += trust
        self.kin += trust * found.kin
        rows, doubt = self._rows(source.painting, source.patches.count)
        share = found.one_pot * (1.0 - 0.7 * doubt)[:, None] * trust
        unlike = np.clip(np.maximum(doubt[:, None], 1.0 - found.mutual / _MUTUAL), 0, 1)
        # Nobody has decided what lies there: no pot may win because it is the only one heard.
        nobody = rows < 0
        nobody[0] = False
        self.undecided += found.one_pot[nobody].sum(axis=0) * trust
        if source.trust >= 1.0:
            self.spilled = self.spilled or _spilled(found, source, self.target)
            for patch in self.missing:
                if patch not in self.joined and patch != self.target.background:
                    self.joined[patch] = _joined(found, source, self.target, patch)
        for row in range(len(self.pots)):
            members = np.flatnonzero(rows == row)
            if not len(members):
                continue
            part = share[members]
            self.votes[row] += part.sum(axis=0)
            self.doubts[row] += doubt[members] @ part
            self.unlike[row] += (part * unlike[members]).sum(axis=0)
            strongest = part.argmax(axis=0)
            for patch in self.missing:
                value = float(part[strongest[patch], patch])
                if value > self.best.get((row, patch), (0.0, (0, 0)))[0]:
                    self.best[row, patch] = (value, (source.index, int(members[strongest[patch]])))

    def paint(self, given: Painting, parting: Parting) -> Painting:
        """The pot that most speaks for, with its doubt, for each missing patch that anything is said of."""
        kin = self.kin / max(self.weight, 1e-9)
        inherited = self.doubts / np.maximum(self.votes, 1e-9)
        unlike = self.unlike / np.maximum(self.votes, 1e-9)
        votes = self.votes / max(self.weight, 1e-9)
        undecided = self.undecided / max(self.weight, 1e-9)
        if NOTHING in self.row:
            inside = np.arange(self.target.count + 1) != self.target.background
            votes[self.row[NOTHING], inside] *= _BARE + (1 - _BARE) * kin
        votes = self._with_lines(votes, unlike, kin, given, parting)
        self.heard = votes.sum(axis=0)
        self.chances = votes / np.maximum(self.heard + undecided, 1e-9)
        result: Painting = {}
        for patch in self.missing:
            if votes[:, patch].any():
                paint = self._decided(
                    patch, votes[:, patch], inherited[:, patch], unlike[:, patch], undecided[patch], kin
                )
                if self.joined.get(patch):
                    paint = replace(paint, doubt=max(paint.doubt, _RUNS_TOGETHER), joined=self.joined[patch])
                result[patch] = paint
        outside = self.target.background
        if self.spilled and outside in result:
            result[outside] = replace(result[outside], doubt=_RUNS_TOGETHER, joined=self.spilled)
        return result

    def _with_lines(
        self,
        votes: NDArray[np.float64],
        unlike: NDArray[np.float64],
        kin: float,
        given: Painting,
        parting: Parting,
    ) -> NDArray[np.float64]:
        """`votes` where a patch in doubt also listens to its neighbours and to the lines between."""
        rest = np.clip(1 - votes.sum(axis=0), 0, 1)
        rows, _ = self._rows(given, self.target.count)
        known = np.flatnonzero(rows >= 0)
        certain = np.zeros_like(votes)
        certain[rows[known], known] = 1
        open_share = kin * _OPEN + (1 - kin) * _OPEN_IN_POSES
        now = np.where(rows >= 0, certain, votes)
        beside = parting.beside(self.target, now / np.maximum(now.sum(axis=0), 1e-9))
        chance = votes + open_share * rest * (0.5 * beside + 0.5 / len(votes))
        chance = np.where(rows >= 0, certain, chance)
        listens = np.take_along_axis(unlike, votes.argmax(axis=0)[None], 0)[0]
        told = chance * parting.told(self.target, chance) ** np.maximum(listens, rest)
        return np.asarray(told * chance.sum(axis=0) / np.maximum(told.sum(axis=0), 1e-12))

    def _decided(
        self,
        patch: int,
        votes: NDArray[np.float64],
        inherited: NDArray[np.float64],
        unlike: NDArray[np.float64],
        undecided: float,
        kin: float,
    ) -> Paint:
        """One patch; arrays are (pots,). inherited: doubt of the paint it comes from. unlike: the greater of that and
        of the matches. undecided: how much speaks for patches that nobody has decided."""
        first = int(votes.argmax())
        second = float(np.partition(votes, -2)[-2]) if len(votes) > 1 else 0.0
        # Unsure when another pot comes close, and when even the best has little behind it.
        margin = (votes[first] - second) / votes[first]
        doubt = float(np.clip(1.0 - margin * min(1.0, votes[first] / 0.45), 0, 1))
        doubt = max(doubt, float(unlike[first]))
        # In a run one of the few pots about is right: where place, borders and lines leave one only, that is it.
        share = votes[first] / (votes.sum() + undecided)
        only = float(np.clip((share - _LEADS) / (_ALONE - _LEADS), 0, 1))
        # What was doubtful there does not become certain by being carried on.
        doubt = max(doubt * (1 - _RELIEF * kin * only), float(inherited[first]))
        _, source = self.best.get((first, patch), (0.0, None))
        ranked = np.argsort(-votes, kind="stable")[1 : 1 + _OTHERS]
        others = tuple(self.pots[k] for k in ranked if votes[k] > 0.02 * votes[first])
        return Paint(self.pots[first], doubt, "carried", source, others)

    def _rows(self, painting: Painting, count: int) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """(count + 1,) the row of each patch's pot, -1 for none that is known here, and its doubt."""
        rows = np.full(count + 1, -1, np.int64)
        doubt = np.ones(count + 1)
        for patch, paint in painting.items():
            rows[patch] = self.row.get(paint.pot, -1)
            doubt[patch] = paint.doubt
        return rows, doubt


def pots_known(painting: Painting, patches: Patches) -> NDArray[np.int64]:
    """(count + 1,) a number for the pot of each patch, 0 for one meant to stay bare, -1 where nobody is sure."""
    pots = np.full(patches.count + 1, -1, np.int64)
    for patch, paint in painting.items():
        if not paint.unsure:
            pots[patch] = paint.pot - NOTHING
    return pots


def _joined(
    found: Match, source: Source, target: Patches, patch: int
) -> tuple[tuple[int, float, float], ...]:
    """Areas of unlike pots that run together in a patch, as in `Paint`."""
    painting = source.painting
    places = _sure_pots(found.joined(source.patches, target, patch), painting)
    return tuple(places.values()) if len(places) > 1 else ()


def _spilled(found: Match, source: Source, target: Patches) -> tuple[tuple[int, float, float], ...]:
    """An area that has run out into the background, and a place far outside, as in `Paint`; nothing if none has."""
    places = list(_sure_pots(found.run_out(source.patches, target), source.painting).values())
    if not places:
        return ()
    x, y = (float(v) for v in target.anchors[target.background])
    return (places[0], (NOTHING, x, y))


def _sure_pots(
    parts: Sequence[tuple[int, tuple[float, float]]], painting: Painting
) -> dict[int, tuple[int, float, float]]:
    """pot -> (pot, x, y) of the parts whose pot is sure."""
    return {
        painting[part].pot: (painting[part].pot, *at)
        for part, at in parts
        if part in painting and painting[part].pot != NOTHING and not painting[part].unsure
    }
