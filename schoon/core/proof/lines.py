"""Rules of lines: weight, what trembles though it is held, what creeps."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from .findings import Finding
from .run import Run

_HEAVIER = 1.22
"""Times of the run's middle by which the lines of a drawing may be heavier, or lighter."""

_STILL = 0.6
"""px within which a line lies where it lay: it was copied."""

_HOLDS = 5.0
"""px within which a line that is held lies in the next drawing."""

_HELD = 0.55
"""Share of the lines that has to hold, or the figure moves."""

_LEAST = 5
"""Drawings from which on it is told whether what is held trembles."""

_TREMBLES = 0.8
"""px from drawing to drawing from which on it is seen."""

_GROWS = 1.8
"""Times by which lines that creep are farther from the first drawing after all of them than from one to the next."""

_CREEPS = 2.4
"""px from drawing to drawing up to which it is a creep, and not a movement."""


def weights(run: Run) -> Iterator[Finding]:
    """A drawing whose lines are heavier or lighter than those of the run."""
    known = np.array([sight.weight for sight in run.sights])
    if len(known) < 3 or not known.any():
        return
    middle = float(np.median(known[known > 0]))
    for n, weight in enumerate(known.tolist()):
        # Half a pixel is within what a raster can tell.
        if weight and not (middle / _HEAVIER - 0.5 < weight < middle * _HEAVIER + 0.5):
            times = f"{weight / middle:.2g} times as heavy as in the other drawings"
            like = min(range(len(run)), key=lambda k: (abs(known[k] - middle), abs(k - n)))
            yield Finding(
                "weight",
                (n,),
                None,
                f"lines are {times}",
                len(run.sights[n].points) * weight,
                "weigh",
                factor=middle / weight,
                like=like,
            )


def trembles_and_drifts(run: Run) -> Iterator[Finding]:
    """Stretches of drawings in which the figure is held, but its lines are redrawn unlike or creep from the first."""
    if not len(run) or not all(len(sight.points) for sight in run.sights):
        return
    unit = run.sights[0].unit
    steps = [a.steps_to(b) / unit for a, b in pairwise(run.sights)]
    holds = [float((step < _HOLDS).mean()) >= _HELD for step in steps]
    begin = 0
    while begin < len(steps):
        end = begin
        while end < len(steps) and holds[end]:
            end += 1
        if end - begin + 1 >= _LEAST:
            found = _of_stretch(run, steps[begin:end], begin, end, unit)
            if found:
                yield found
        begin = end + 1


def _of_stretch(
    run: Run, steps: list[NDArray[np.float64]], begin: int, end: int, unit: float
) -> Finding | None:
    """Of drawings begin to end, the latter included."""
    # The stillest lines of each drawing are what is held; arms that move beside them do not count.
    by_step = float(np.median([_calm(step) for step in steps]))
    still = float(np.median([(step < _STILL).mean() for step in steps]))
    if still > 0.3 or by_step < _TREMBLES / 2:
        return None
    first = run.sights[begin]
    from_first = [_calm(first.steps_to(run.sights[n]) / unit) for n in range(begin + 1, end + 1)]
    half = len(from_first) // 2
    early, late = float(np.mean(from_first[: max(1, half)])), float(np.mean(from_first[half:]))
    drawings = tuple(range(begin, end + 1))
    whole = len(drawings)
    if late > _GROWS * by_step and late > 1.25 * early and by_step <= _CREEPS:
        words = f"the pose is held, but creeps {late * unit:.0f} px from the first of {whole} drawings"
        return Finding("drift", drawings, None, words, late * len(first.points), "trace", like=begin)
    if late < _GROWS * by_step and by_step >= _TREMBLES:
        words = f"held lines are redrawn unlike, by {by_step * unit:.1f} px from drawing to drawing"
        return Finding("tremble", drawings, None, words, by_step * len(first.points), "trace", like=begin)
    return None


def _calm(step: NDArray[np.float64]) -> float:
    """How far the lines lie that hold: the middle of the stiller part of them."""
    return float(np.quantile(step, _HELD / 2))
