"""What lies before what, agreed through a run: what the other drawings say of the same two forms."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from .edges import FIRST, SECOND, TURNED, both_ways, forests
from .forms import Forms
from .solids import Solids

_WHOLE = 40.0
"""Px of a chain from which it counts in full."""

_UNKNOWN = -1

_Sums = dict[int, NDArray[np.float64]]
"""Drawing -> chances times their weight, and the weight."""


def agreed(solids: Sequence[Solids], tracks: Sequence[Mapping[int, int]]) -> list[Solids]:
    """The drawings of a run, each line taken for what it is by what is seen of it here and in the others."""
    said = [one.chances for one in solids]
    asked = beside([one.forms for one in solids], said, tracks)
    out = []
    for one, (first, second) in zip(solids, asked, strict=True):
        if len(first):
            chances = both_ways(forests()[1], first, second)
            out.append(one.with_chances(chances))
        else:
            out.append(one)
    return out


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
            a, b = (tracks[n].get(form, _UNKNOWN) for form in (chain.a, chain.b))
            weight = min(1.0, len(chain.points) / _WHOLE)
            turned = row if a < b else row[TURNED]
            pair = known.of_pair.setdefault((min(a, b), max(a, b)), {})
            pair[n] = pair.get(n, np.zeros(4)) + np.r_[turned * weight, weight]
            for track, kind in ((a, FIRST), (b, SECOND)):
                leads = known.of_track.setdefault(track, {})
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
        a, b = (track.get(form, _UNKNOWN) for form in (chain.a, chain.b))
        pair = known.of_pair[min(a, b), max(a, b)]
        others = sum((sums for m, sums in pair.items() if m != n), np.zeros(4))
        near = sum((pair[m] for m in (n - 1, n + 1) if m in pair), np.zeros(4))
        elsewhere = others[:3] / others[3] if others[3] else np.full(3, 1 / 3)
        means = [elsewhere, near[:3] / near[3] if near[3] else elsewhere, pair[n][:3] / pair[n][3]]
        if a >= b:
            means = [mean[TURNED] for mean in means]
        leads = [_leads(known.of_track[form], n) for form in (a, b)]
        first.append([*row, *np.concatenate(means), others[3], *leads[0], *leads[1]])
        turned = np.concatenate([mean[TURNED] for mean in means])
        second.append([*row[TURNED], *turned, others[3], *leads[1], *leads[0]])
    return np.array(first), np.array(second)


def _leads(sums: _Sums, n: int) -> tuple[float, float]:
    """How far a form lies before what it meets, in a drawing and in all."""
    every = sum(sums.values(), np.zeros(2))
    return float(sums[n][0] / sums[n][1]), float(every[0] / every[1])
