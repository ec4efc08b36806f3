"""Rules of time: holds that stumble, frames with nothing, cycles that do not close."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np

from .findings import Finding
from .run import Run

_MOSTLY = 0.75
"""Share of the holds that are of one length, from which on another length stands out."""

_FEW = 5
"""Holds under which there is no rhythm."""

_MOVES = 4
"""Frames in a row in which the camera moves, from which on a level on twos is seen to stutter."""

_BLANK = 2
"""Frames with nothing between drawings, up to which they were forgotten."""

_CLOSES = 2.2
"""Times as far as from drawing to drawing that the last may lie from the first."""


@dataclass(frozen=True)
class Shown:
    """What of a run is seen when. frames: length of the shot. spans: (first frame, frames, index of the drawing), in order.
    moving: frames in which the camera or what lies behind has moved. cycles: runs of drawings that are repeated, by their
    index among those with a line.
    lined, painted, toned: indices of drawings that have a line, paint, tones."""

    frames: int
    spans: Sequence[tuple[int, int, int]]
    moving: Collection[int] = ()
    cycles: Sequence[tuple[int, ...]] = ()
    lined: frozenset[int] = field(default_factory=frozenset)
    painted: frozenset[int] = field(default_factory=frozenset)
    toned: frozenset[int] = field(default_factory=frozenset)


def rhythms(shown: Shown) -> Iterator[Finding]:
    """A hold that is one frame longer or shorter than all about it, and a level on twos before a camera on ones."""
    spans = shown.spans
    counts = [count for _, count, _ in spans]
    if len(counts) >= _FEW:
        values, often = np.unique(counts, return_counts=True)
        usual = int(values[often.argmax()])
        if often.max() >= _MOSTLY * len(counts):
            for k in range(1, len(spans) - 1):
                first, count, drawing = spans[k]
                if abs(count - usual) == 1 and counts[k - 1] == counts[k + 1] == usual:
                    words = f"stands for {count} frame{'s' * (count != 1)} from {first} on, all about it for {usual}"
                    yield Finding("rhythm", (drawing,), None, words, act="time")
    run: list[int] = []
    for frame in [*sorted(shown.moving), shown.frames + 2]:
        if run and frame != run[-1] + 1:
            if len(run) >= _MOVES:
                held = [
                    d
                    for first, count, d in spans
                    if count > 1 and first >= run[0] and first + count - 1 <= run[-1]
                ]
                if len(held) >= 2:
                    words = f"holds its drawings in frames {run[0]} to {run[-1]}, in which the camera moves every frame"
                    yield Finding("rhythm", tuple(dict.fromkeys(held)), None, words, act="time")
            run = []
        run.append(frame)


def empties(shown: Shown, count: int) -> Iterator[Finding]:
    """Frames with nothing, drawings that are never shown, and shown ones without line, paint or tones that others have."""
    for (a, held, before), (b, _, after) in zip(shown.spans, shown.spans[1:], strict=False):
        gap = b - (a + held)
        if 0 < gap <= _BLANK:
            frames = f"frame {a + held} shows" if gap == 1 else f"frames {a + held} and {b - 1} show"
            yield Finding("empty", (before, after), None, f"{frames} nothing", act="time")
    seen = {drawing for *_, drawing in shown.spans}
    for drawing in range(count):
        if drawing not in seen:
            yield Finding("empty", (drawing,), None, "is in no frame of the shot", act="time")
    for have, what in ((shown.lined, "no line"), (shown.painted, "no paint"), (shown.toned, "no tones")):
        without = sorted(seen - have)
        if without and len(have & seen) >= len(without):
            yield Finding("empty", tuple(without), None, f"has {what}, though others have")


def cycles(run: Run, shown: Shown) -> Iterator[Finding]:
    """A repeat whose last drawing lies farther from its first than its drawings lie from each other."""
    for cycle in shown.cycles:
        if len(cycle) < 3 or not all(len(run.sights[n].points) for n in cycle):
            continue
        steps = [
            float(run.sights[a].steps_to(run.sights[b]).mean())
            for a, b in zip(cycle, (*cycle[1:], cycle[0]), strict=True)
        ]
        usual = max(steps[:-1])
        if steps[-1] > _CLOSES * max(usual, run.sights[cycle[0]].unit):
            words = f"the repeat does not close: its last drawing lies {steps[-1] / max(usual, 1e-6):.1f} times as far from its first as others do"
            yield Finding(
                "cycle", (cycle[-1], cycle[0]), None, words, steps[-1] * len(run.sights[cycle[0]].points)
            )
