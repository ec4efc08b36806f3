"""Rules of movement: a part that jumps aside and back, and feet that slide where they should stand."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..strokes import Points
from .findings import Finding
from .paint import place_of
from .run import Run
from .sights import Sight

_JUMPS, _RETURNS = 0.03, 0.012
"""How far from the middle of its neighbours a part lies that jumps, and how near they lie to each other, in heights of the
figure."""

_LARGE = 0.004
"""Share of what is painted from which on a patch is looked at."""

_SAME_SIZE = 0.9
"""Share of its size a patch keeps that is not covered by another one meanwhile."""

_GROUND, _STANDS = 0.02, 0.006
"""How near to its lowest place a patch of the figure ends that touches the ground, and how much that place may go up and down
while it stands, in heights of the figure."""

_SLIDES, _STRIDE = 0.012, 0.06
"""How far a foot slides to be seen, and from where on it is a step, in heights of the figure."""

_FOOT = 0.08
"""Share of what is painted that a foot may be."""

_STOOD = 4
"""Drawings for which a foot stands at least."""

_WITH_IT = 0.85
"""Share of the way of the figure from which on a foot goes along with all of it."""

_EVEN = 0.25
"""Spread of the steps about their mean under which a figure goes on the spot and the ground is moved."""


def pops(run: Run) -> Iterator[Finding]:
    """A part that lies elsewhere in one drawing, while before and after it lies in the same place."""
    for track in run.tracks:
        for k in range(1, len(track) - 1):
            (a, first), (n, patch), (b, last) = track[k - 1 : k + 2]
            sight = run.sights[n]
            sizes = [float(run.sights[m].areas[p]) for m, p in track[k - 1 : k + 2]]
            if sizes[1] < _LARGE * sight.painted or min(sizes) < _SAME_SIZE * max(sizes):
                continue
            before, now, after = (run.sights[m].centres[p] for m, p in ((a, first), (n, patch), (b, last)))
            height = sight.height
            aside = float(np.hypot(*(now - (before + after) / 2)))
            if aside > _JUMPS * height and float(np.hypot(*(after - before))) < _RETURNS * height:
                yield Finding(
                    "pop", (n,), place_of(sight, patch), f"a part jumps {aside:.0f} px aside and back", sizes[1],
                    "trace", 0, patch, a, place_of(run.sights[a], first),
                )  # fmt: skip


def slides(run: Run) -> Iterator[Finding]:
    """A foot that stays on the ground and moves along it, though the figure goes another way or not at all."""
    for track in run.tracks:
        feet = [_foot(run.sights[n], patch) for n, patch in track]
        begin = 0
        while begin < len(track):
            end = begin
            while end < len(track) and feet[end] is not None and _level(run, track, feet, begin, end):
                end += 1
            if end - begin >= _STOOD:
                yield from _slid(run, track[begin:end], [f for f in feet[begin:end] if f is not None])
            begin = max(end, begin + 1)


def _foot(sight: Sight, patch: int) -> Points | None:
    """The middle of the lowest rows of a patch that touches the ground, px."""
    lowest = float(sight.lowest[patch])
    if lowest < max(0.0, sight.ground - _GROUND * sight.height):
        return None
    if not _LARGE < sight.areas[patch] / max(sight.painted, 1) < _FOOT:
        return None
    places = sight.places(patch)
    sole = places[places[:, 1] > lowest - 0.02 * sight.height]
    return np.array([float((sole[:, 0].min() + sole[:, 0].max()) / 2), lowest])


def _level(run: Run, track: list[tuple[int, int]], feet: list[Points | None], begin: int, k: int) -> bool:
    first, now = feet[begin], feet[k]
    assert first is not None
    assert now is not None
    return (
        abs(float(now[1] - first[1]))
        <= _STANDS * run.sights[track[k][0]].height + run.sights[track[k][0]].step
    )


def _slid(run: Run, track: list[tuple[int, int]], feet: list[Points]) -> Iterator[Finding]:
    sights = [run.sights[n] for n, _ in track]
    height = sights[0].height
    steps = np.diff([foot[0] for foot in feet])
    way = float(steps.sum())
    if not _SLIDES * height < abs(way) < _STRIDE * height:
        return
    body = [
        float(np.average(s.centres[s.figure, 0], weights=np.maximum(s.areas[s.figure], 1))) for s in sights
    ]
    along = body[-1] - body[0]
    if abs(along) > abs(way) and way / along > _WITH_IT:
        return
    if abs(along) <= abs(way) and along / way > _WITH_IT:
        return
    if abs(along) < 0.3 * abs(way) and float(np.std(steps)) < _EVEN * abs(float(steps.mean())):
        return
    n, patch = track[0]
    yield Finding(
        "slide", tuple(m for m, _ in track), place_of(sights[0], patch),
        f"stands on the ground, but slides {abs(way):.0f} px along it", float(sights[0].areas[patch]), "trace", 0, patch, n,
    )  # fmt: skip
