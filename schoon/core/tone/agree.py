"""What lies before what, agreed through a run: what the other drawings say of the same two forms."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from .chains import Chain
from .edges import CREASE, FIRST, SECOND, TURNED, both_ways, forests
from .forms import Forms
from .solids import Solids

_WHOLE = 40.0
"""Px of a chain from which it counts in full."""

_FLIP = 1.0
"""What a change of what lies before what costs, in log chance."""

_AS_IT_IS = [FIRST, SECOND, CREASE]

_Sums = dict[int, NDArray[np.float64]]
"""Drawing -> chances times their weight, and the weight."""


def agreed(solids: Sequence[Solids], tracks: Sequence[Mapping[int, int]]) -> list[Solids]:
    """The drawings of a run, each line taken for what it is by what is seen of it here and in the others."""
    said = [one.chances for one in solids]
    asked = beside([one.forms for one in solids], said, tracks)
    chances = [both_ways(forests()[1], first, second) for first, second in asked]
    steady = _without_flips([one.forms for one in solids], chances, tracks)
    return [one.with_chances(rows) if len(rows) else one for one, rows in zip(solids, steady, strict=True)]


def _without_flips(
    run: Sequence[Forms], chances: Sequence[NDArray[np.float64]], tracks: Sequence[Mapping[int, int]]
) -> list[NDArray[np.float64]]:
    """Log chances with those of what would change from a drawing to the next and back raised: for each pair of tracks the
    likeliest way through the run, where every change costs (A. J. Viterbi, 1967)."""
    found = [rows.copy() for rows in chances]
    places: dict[tuple[int, int], list[tuple[int, int, list[int]]]] = {}
    for n, forms in enumerate(run):
        for k, chain in enumerate(forms.chains.between):
            pair, kinds = _pair(chain, tracks[n])
            places.setdefault(pair, []).append((n, k, kinds))
    for at in places.values():
        numbers = sorted({n for n, _, _ in at})
        row = {n: place for place, n in enumerate(numbers)}
        score = np.zeros((len(numbers), 3))
        for n, k, kinds in at:
            score[row[n]] += _weight(run[n].chains.between[k]) * chances[n][k][kinds]
        way = likeliest_way(score)
        for n, k, kinds in at:
            found[n][k, kinds[way[row[n]]]] += _FLIP
    return found


def _pair(chain: Chain, track: Mapping[int, int]) -> tuple[tuple[int, int], list[int]]:
    """The tracks that a chain parts, the smaller first, and its kinds of an edge as they are seen from there."""
    a, b = track[chain.a], track[chain.b]
    return ((a, b), _AS_IT_IS) if a < b else ((b, a), TURNED)


def _weight(chain: Chain) -> float:
    return min(1.0, len(chain.points) / _WHOLE)


def likeliest_way(score: NDArray[np.float64]) -> NDArray[np.int64]:
    """(n,) the kinds that score most in all, a change from one drawing to the next costing `_FLIP`. score: (n, kinds)."""
    best, came = score[0], np.zeros(score.shape, np.int64)
    change = _FLIP * (1 - np.eye(score.shape[1]))
    for n in range(1, len(score)):
        through = best[:, None] - change
        came[n] = through.argmax(axis=0)
        best = through.max(axis=0) + score[n]
    way = np.zeros(len(score), np.int64)
    way[-1] = best.argmax()
    for n in range(len(score) - 1, 0, -1):
        way[n - 1] = came[n, way[n]]
    return way


@dataclass
class _Evidence:
    """of_pair: two tracks, the smaller first -> chances of what lies between them. of_track: track -> how often it lies
    before what it meets, times its length, and that length."""

    of_pair: dict[tuple[int, int], _Sums] = field(default_factory=dict)
    of_track: dict[int, _Sums] = field(default_factory=dict)


def beside(
    run: Sequence[Forms], said: Sequence[NDArray[np.float64]], tracks: Sequence[Mapping[int, int]]
) -> list[tuple[NDArray[np.float64], NDArray[np.float64]]]:
    """For each drawing (chains, measures) what is asked of each chain besides, from its first form and from its second one.

    said: for each drawing (chains, 3) log chances by itself. tracks: as `tracks_of`.
    """
    chances = [np.exp(one) for one in said]
    known = _Evidence()
    for n, (forms, rows) in enumerate(zip(run, chances, strict=True)):
        for chain, row in zip(forms.chains.between, rows, strict=True):
            pair, kinds = _pair(chain, tracks[n])
            weight = _weight(chain)
            sums = known.of_pair.setdefault(pair, {})
            sums[n] = sums.get(n, np.zeros(4)) + np.r_[row[kinds] * weight, weight]
            for form, kind in ((chain.a, FIRST), (chain.b, SECOND)):
                leads = known.of_track.setdefault(tracks[n][form], {})
                length = len(chain.points)
                leads[n] = leads.get(n, np.zeros(2)) + (row[kind] * length, length)
    return [
        _of_drawing(n, forms, rows, tracks[n], known)
        for n, (forms, rows) in enumerate(zip(run, chances, strict=True))
    ]


def _of_drawing(
    n: int, forms: Forms, rows: NDArray[np.float64], track: Mapping[int, int], known: _Evidence
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    first, second = [], []
    for chain, row in zip(forms.chains.between, rows, strict=True):
        tracked, kinds = _pair(chain, track)
        pair = known.of_pair[tracked]
        others = sum((sums for m, sums in pair.items() if m != n), np.zeros(4))
        near = sum((pair[m] for m in (n - 1, n + 1) if m in pair), np.zeros(4))
        elsewhere = others[:3] / others[3] if others[3] else np.full(3, 1 / 3)
        means = [elsewhere, near[:3] / near[3] if near[3] else elsewhere, pair[n][:3] / pair[n][3]]
        means = [mean[kinds] for mean in means]
        leads = [_leads(known.of_track[track[form]], n) for form in (chain.a, chain.b)]
        first.append([*row, *np.concatenate(means), others[3], *leads[0], *leads[1]])
        turned = np.concatenate([mean[TURNED] for mean in means])
        second.append([*row[TURNED], *turned, others[3], *leads[1], *leads[0]])
    return np.array(first), np.array(second)


def _leads(sums: _Sums, n: int) -> tuple[float, float]:
    """How far a form lies before what it meets, in a drawing and in all."""
    every = sum(sums.values(), np.zeros(2))
    return float(sums[n][0] / sums[n][1]), float(every[0] / every[1])
