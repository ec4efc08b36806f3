"""What a person says of marks: it holds where it was said, and teaches what is like it."""

from __future__ import annotations

import numpy as np
import pytest

from schoon.core.cleanup import Kind, Said, lessons_in, read_rough
from schoon.core.cleanup.labels import Mark
from schoon.core.cleanup.lessons import learnt
from schoon.core.cleanup.marks import FEATURES
from schoon.core.forest import Forest
from schoon.core.strokes import Points, Stroke, fit_curve, sample
from schoon.demo.marks import Manner, Marked, marked_rough

from .test_marks import SIZE, figure, scores


def rough(seed: int, moved: float = 0.0, **look: object) -> Marked:
    """One hand a seed."""
    made = {"construction": 0, "hatching": 4, "notes": 0, "dirt": 0, "fading": 0.2, "grain": 0.8, **look}
    lines = [np.asarray(line) + (moved, 0.3 * moved) for line in figure()]
    return marked_rough(lines, SIZE, Manner(**made), np.random.default_rng(seed))  # type: ignore[arg-type]


def near(marks: list[Points], place: Points) -> bool:
    return any(float(np.hypot(*(m - place).T).min()) < 4 for m in marks)


def middle(mark: Mark) -> Points:
    return np.asarray(mark.points[len(mark.points) // 2])


@pytest.mark.parametrize("kind", ["hatching", "construction"])
def test_a_scribble_holds_where_it_was_made(kind: Kind) -> None:
    made = rough(1)
    found = read_rough(made.picture)
    line = max((sample(s)[0] for s in found.strokes), key=len)
    part = line[len(line) // 4 : len(line) // 2]
    after = read_rough(made.picture, said=[Said(kind, part, 10.0)])
    place = part[len(part) // 2]
    assert near([sample(s)[0] for s in found.strokes], place)
    assert not near([sample(s)[0] for s in after.strokes], place)
    assert any(m.kind == kind and near([m.points], place) for m in after.others)
    # And the other way about: what was left out is a line if somebody says so, the last word counts.
    other = max((m for m in found.others), key=lambda m: len(m.points))
    said = [Said("dirt", other.points, 10.0), Said("line", other.points, 10.0)]
    taken = read_rough(made.picture, said=said)
    assert near([sample(s)[0] for s in taken.strokes], middle(other))


def test_a_finished_drawing_teaches_another_of_the_same_hand() -> None:
    """Construction nearly as dark as the line: with one drawing's lines known, the next comes out better."""
    before, after = [], []
    for seed in (3, 8, 11):
        first = rough(seed, hatching=0, construction=9, looseness=0.05)
        second = rough(seed, 40.0, hatching=0, construction=9, looseness=0.05)
        lessons = lessons_in(first.picture, strokes=[drawn(line) for line in first.lines])
        before.append(scores(read_rough(second.picture), second.lines))
        after.append(scores(read_rough(second.picture, lessons=lessons), second.lines))
    wrong, right = (float(np.mean([2 * p * r / (p + r) for p, r in x])) for x in (before, after))
    assert right > wrong + 0.02


def drawn(line: Points) -> Stroke:
    controls, knots = fit_curve(np.asarray(line), 0.5)
    return Stroke(controls, np.full(len(knots), 4.0))


def test_leaves_move_towards_what_was_said_and_no_farther_than_they_may() -> None:
    forest = learnt("line")
    samples = np.random.default_rng(5).normal(0, 1, (40, FEATURES)).astype(np.float32)
    truth = (samples[:, 0] > 0).astype(float)
    weight = np.ones(40)

    def loss(found: Forest) -> float:
        odds = found.scores(samples)[:, 0]
        return float((np.logaddexp(0, odds) - truth * odds).mean())

    held = forest.taught(samples, truth, weight, 0.01)
    moved = forest.taught(samples, truth, weight, 2.0)
    assert loss(moved) < 0.5 * loss(forest)
    assert np.abs(held.value - forest.value).max() < 0.001
    # Nothing said, nothing learnt.
    same = forest.taught(samples[:0], truth[:0], weight[:0], 2.0)
    assert np.array_equal(same.value, forest.value)
