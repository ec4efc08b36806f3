"""Carrying paint from painted drawings to the others of a run."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from ..patches import Patches
from .deciding import Source, decide, pots_known
from .judging import Carried, Case, Facts, facts_of, judge
from .painting import Painting
from .parting import Parting

MOST_PATCHES = 2500
"""Patches of a drawing beyond which nothing is carried: grain or hatching was taken for areas."""


@dataclass(frozen=True)
class Asked:
    """A drawing that is asked what another carries. As `Source`, without its patches."""

    index: int
    painting: Painting
    trust: float
    finished: bool


@dataclass(frozen=True)
class Step:
    """What it takes to paint one drawing. given: what it carries already, which never changes."""

    index: int
    given: Painting
    asked: tuple[Asked, ...]

    def needs(self) -> list[int]:
        """Indices of the drawings whose patches it takes."""
        return [self.index, *(a.index for a in self.asked)]


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
    run = Run([patches.count for patches in drawings], painted)
    parting = parting_of([(drawings[k], painting) for k, painting in run.painted.items()])
    stepped: set[int] = set()
    for step in run.steps():
        stepped.add(step.index)
        run.take(step, painting_for(step, {k: drawings[k] for k in step.needs()}, parting))
        if progress:
            progress(step.index, run.done[step.index])
    result = run.result(judge(run.case({k: facts_of(drawings[k]) for k in run.keys})))
    if progress:
        for index in sorted(result.keys() - stepped):
            progress(index, result[index])
    return result


class Run:
    """The order in which the drawings of a run take their paint, and what each asks; one step after the other.

    counts: patches of each drawing. painted: as in `carry`. Raises ValueError without a painted drawing.
    Whoever works the steps off gives what came of each to `take` before asking for the next, and in the end has the
    `case` judged.
    """

    def __init__(self, counts: Sequence[int], painted: Mapping[int, Painting]) -> None:
        self._counts = counts
        self._given = painted
        self.crowded = {k for k, count in enumerate(counts) if count > MOST_PATCHES}
        self.painted = {k: painting for k, painting in painted.items() if k not in self.crowded}
        shares = {k: len(painting) / max(counts[k], 1) for k, painting in self.painted.items() if painting}
        if not shares:
            raise ValueError("at least one drawing must be painted")
        # A drawing with a few corrections is no guide for all its patches; one painted by half is.
        self.keys = sorted(k for k, share in shares.items() if share >= min(0.5, max(shares.values())))
        self.done: dict[int, Painting] = {}
        self._carried: dict[int, Carried] = {}

    def steps(self) -> Iterator[Step]:
        """What is to be done for each drawing that is not complete, the nearest to the keys first."""
        order = sorted(
            set(range(len(self._counts))) - self.crowded,
            key=lambda k: (min(abs(k - key) for key in self.keys), k),
        )
        for index in order:
            own = self.painted.get(index, {})
            if len(own) >= self._counts[index]:
                self.done[index] = dict(own)
                continue
            asked = tuple(
                Asked(k, self.done.get(k, self.painted.get(k, {})), trust, k not in self.keys)
                for k, trust in _sources(index, self.keys, self.done)
            )
            yield Step(index, dict(own), asked)

    def take(self, step: Step, carried: Carried) -> None:
        """What came of a step."""
        self._carried[step.index] = carried
        self.done[step.index] = {**step.given, **carried.painting}

    def case(self, facts: Mapping[int, Facts]) -> Case:
        """The run as it is judged when all steps are done. facts: index -> facts of the keys."""
        keys = {k: (self.painted[k], facts[k]) for k in self.keys}
        return Case(keys, self._carried, {k: self.painted.get(k, {}) for k in self._carried})

    def result(self, judged: Mapping[int, Painting]) -> dict[int, Painting]:
        """index -> painting for all drawings, those with too many patches as they were. judged: as `judge` returns it."""
        found = {k: {**self.painted.get(k, {}), **painting} for k, painting in judged.items()}
        return {**self.done, **found, **{k: dict(self._given.get(k, {})) for k in self.crowded}}


def parting_of(painted: Iterable[tuple[Patches, Painting]]) -> Parting:
    """What the lines of painted drawings teach. They are looked at one after the other, never held together."""
    return Parting((patches, pots_known(painting, patches)) for patches, painting in painted)


def painting_for(step: Step, drawings: Mapping[int, Patches], parting: Parting) -> Carried:
    """What comes to a step's drawing. drawings: index -> patches of those the step needs."""
    sources = [Source(a.index, drawings[a.index], a.painting, a.trust, a.finished) for a in step.asked]
    return decide(drawings[step.index], step.given, sources, parting)


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
