"""Lines that follow the ones they were taken from, but where a hand has changed them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from scipy.spatial import cKDTree

from ..strokes import Stroke, sample

_SAME = 0.5
"""Px within which two lines go the same way."""

_WEIGHED = 0.05

_Group = list[Stroke]


def followed(own: Sequence[Stroke], was: Sequence[Stroke], then: Sequence[Stroke]) -> list[Stroke]:
    """The lines of a copy after those it was taken from have changed.

    own: the copy as it is now. was, then: what it would be of the lines before and after. Lines go together by their track. Those that
    lie where they were laid follow; what a hand has moved, taken away or added in the copy stays so.
    """
    here, before, after = _tracks(own), _tracks(was), _tracks(then)
    found: list[Stroke] = []
    for track, group in here.items():
        if track not in before or not _alike(group, before[track]):
            found += group
        elif track in after:
            found += _renewed(group, before[track], after[track])
    for track, group in after.items():
        if track not in before and track not in here:
            found += group
    return found


def _tracks(strokes: Sequence[Stroke]) -> dict[str, _Group]:
    groups: dict[str, _Group] = {}
    for stroke in strokes:
        groups.setdefault(stroke.track or stroke.id, []).append(stroke)
    return groups


def _alike(one: _Group, other: _Group) -> bool:
    """Whether lines, in one piece or several, go the same way."""
    a, b = (np.vstack([sample(s, 1.0)[0] for s in group]) for group in (one, other))
    # Points lie up to a step apart along lines that are the same.
    reach = np.hypot(_SAME, 0.5)
    return bool((cKDTree(a).query(b)[0] < reach).all() and (cKDTree(b).query(a)[0] < reach).all())


def _renewed(group: _Group, was: _Group, then: _Group) -> _Group:
    """The new lines under the names of the old ones; the weight that a hand gave a line in one piece stays."""
    one_by_one = len(group) == len(was) == len(then)
    if one_by_one and all(_equal(a, b) for a, b in zip(was, then, strict=True)):
        return group
    made = []
    for k, stroke in enumerate(then):
        if k < len(group):
            stroke = replace(stroke, id=group[k].id)
        if one_by_one and len(group[k].widths) == len(was[k].widths) == len(stroke.widths):
            weighed = not np.allclose(group[k].widths, was[k].widths, atol=_WEIGHED)
            stroke = replace(stroke, widths=group[k].widths) if weighed else stroke
        made.append(stroke)
    return made


def _equal(a: Stroke, b: Stroke) -> bool:
    return (
        np.array_equal(a.controls, b.controls)
        and np.array_equal(a.widths, b.widths)
        and (a.corner, a.opened, a.filled) == (b.corner, b.opened, b.filled)
    )
