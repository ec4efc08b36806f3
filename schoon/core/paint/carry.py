"""Carrying paint from painted drawings to the others of a run."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from ..patches import Patches
from .deciding import Source, decide, pots_known
from .facts import Facts, facts_of
from .judging import Carried, Case, judge
from .painting import Painting
from .parting import Parting

ENOUGH = 0.5
"""A drawing of which more than this share of patches is painted guides others by itself."""

_MODEL_TRUST = 0.7
"""How much a painted drawing of the model counts that is none of the run."""

_UNLIKE_POSE = 0.5
"""Kinship of a drawing with all it was carried from under which the model is asked as well."""

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
    model: Sequence[tuple[Patches, Painting]] = (),
) -> dict[int, Painting]:
    """Paint for every drawing of a run.

    drawings: the patches of each drawing in order. painted: for the painted ones, patch -> Paint; what is
    missing in a drawing given here is filled in, what is given is never changed.
    progress: called with each finished drawing's index and painting. model: painted drawings of the same model that are
    none of the run, as in `Run`.
    Drawings of more than MOST_PATCHES keep what they have and guide no others.
    Returns index -> painting for all drawings. Raises ValueError without a painted drawing.
    """
    run = Run([patches.count for patches in drawings], painted, [painting for _, painting in model])
    drawings = [*drawings, *(patches for patches, _ in model)]
    teach = run.painted if run.keys else run.painted | run.model
    parting = parting_of([(drawings[k], painting) for k, painting in teach.items()])
    stepped: set[int] = set()
    for step in itertools.chain(run.steps(), run.steps_alone()):
        stepped.add(step.index)
        run.take(step, painting_for(step, {k: drawings[k] for k in step.needs()}, parting))
        if progress:
            progress(step.index, run.done[step.index])
    result = run.result(judge(run.case({k: facts_of(drawings[k]) for k in run.guides()})))
    if progress:
        for index in sorted(result.keys() - stepped):
            progress(index, result[index])
    return result


class Run:
    """The order in which the drawings of a run take their paint, and what each asks; one step after the other.

    counts: patches of each drawing. painted: as in `carry`. model: painted drawings of the same model that are none of the
    run, numbered on from its last; they are asked where no drawing of the run is painted, and in `steps_alone`.
    Raises ValueError without a painted drawing.
    Whoever works the steps off gives what came of each to `take` before asking for the next, and in the end has the
    `case` judged.
    """

    def __init__(
        self,
        counts: Sequence[int],
        painted: Mapping[int, Painting],
        model: Sequence[Painting] = (),
    ) -> None:
        self._counts = counts
        self._given = painted
        self.crowded = {k for k, count in enumerate(counts) if count > MOST_PATCHES}
        self.painted = {k: painting for k, painting in painted.items() if k not in self.crowded}
        shares = {k: len(painting) / max(counts[k], 1) for k, painting in self.painted.items() if painting}
        if not shares and not model:
            raise ValueError("at least one drawing must be painted")
        # A drawing with a few corrections is no guide for all its patches; one painted by half is.
        self.keys = sorted(k for k, share in shares.items() if share > ENOUGH)
        if not self.keys and not model:
            self.keys = sorted(k for k, share in shares.items() if share == max(shares.values()))
        self.know(model)
        self.done: dict[int, Painting] = {}
        self._carried: dict[int, Carried] = {}

    def steps(self) -> Iterator[Step]:
        """What is to be done for each drawing that is not complete, the nearest to the keys first."""
        order = sorted(
            set(range(len(self._counts))) - self.crowded,
            key=lambda k: (min((abs(k - key) for key in self.keys), default=0), k),
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
            yield Step(index, dict(own), asked if self.keys else asked + self._of_model())

    def alone(self) -> set[int]:
        """Drawings in a pose unlike all they were carried from."""
        return {
            k
            for k, carried in self._carried.items()
            if max((found.kin for found in carried.links.values()), default=0.0) < _UNLIKE_POSE
        }

    def know(self, model: Sequence[Painting]) -> None:
        """Takes painted drawings of the model."""
        self.model = dict(enumerate(model, len(self._counts)))

    def steps_alone(self) -> Iterator[Step]:
        """When all `steps` are done: those of drawings that stand `alone` once more, with what the model knows."""
        alone = self.alone() if self.model and self.keys else set()
        for step in self.steps() if alone else ():
            if step.index in alone:
                yield Step(step.index, step.given, step.asked + self._of_model())

    def _of_model(self) -> tuple[Asked, ...]:
        return tuple(Asked(k, painting, _MODEL_TRUST, False) for k, painting in self.model.items())

    def take(self, step: Step, carried: Carried) -> None:
        """What came of a step."""
        self._carried[step.index] = carried
        self.done[step.index] = {**step.given, **carried.painting}

    def case(self, facts: Mapping[int, Facts]) -> Case:
        """The run as it is judged when all steps are done. facts: index -> facts of the `guides`."""
        keys = {k: (painting, facts[k]) for k, painting in self.guides().items()}
        given = {k: self.painted.get(k, {}) for k in self._carried}
        return Case(keys, self._carried, given, frozenset(self.model))

    def guides(self) -> dict[int, Painting]:
        """The painted drawings that all others are judged by, those of the model if any was asked."""
        own = {k: self.painted[k] for k in self.keys}
        asked = {k for carried in self._carried.values() for k in carried.links} & self.model.keys()
        return own | {k: self.model[k] for k in asked}

    def anew(self, case: Case) -> Case:
        """A case that was made of this run before more of it was painted, with what is painted now."""
        keys = {k: (self.painted.get(k, painting), facts) for k, (painting, facts) in case.keys.items()}
        given = {k: self.painted.get(k, {}) for k in case.carried}
        return Case(keys, case.carried, given, case.model)

    def result(self, judged: Mapping[int, Painting]) -> dict[int, Painting]:
        """index -> painting for all drawings, those with too many patches as they were. judged: as `judge` returns it."""
        found = {k: {**self.painted.get(k, {}), **painting} for k, painting in judged.items()}
        as_is = {k: dict(painting) for k, painting in self._given.items()}
        return {**as_is, **self.done, **found, **{k: as_is.get(k, {}) for k in self.crowded}}


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
