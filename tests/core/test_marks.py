"""Marks of every kind with known truth: lines are drawn, the others are named and left out."""

from __future__ import annotations

from typing import get_args

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from schoon.core.cleanup import KINDS, CleanupSettings, Proposal, read_rough
from schoon.core.cleanup.joins import drawn_up, let_go
from schoon.core.cleanup.labels import Kind
from schoon.core.cleanup.lessons import learnt
from schoon.core.forest import Forest
from schoon.core.paper import construction, densities, find_pencils, separate
from schoon.core.strokes import Points, arc_lengths, sample
from schoon.demo.marks import KINDS as DRAWN
from schoon.demo.marks import Manner, Marked, marked_rough
from schoon.demo.shapes import curve, ellipse

SIZE = (1000, 900)


def figure() -> list[Points]:
    """A head with a face, a collar and shoulders."""
    head = ellipse((480, 330), 170, 210)
    eyes = [ellipse((480 + side * 70, 300), 26, 18) for side in (-1, 1)]
    nose = curve([(480, 310), (496, 370), (470, 380)])
    mouth = curve([(400, 440), (480, 470), (560, 436)])
    shoulders = [
        curve([(430, 540), (380, 620), (240, 680), (200, 860)]),
        curve([(540, 538), (600, 620), (720, 680), (770, 860)]),
    ]
    collar = curve([(388, 612), (480, 680), (594, 612)])
    return [np.vstack([ring, ring[:1]]) for ring in (head, *eyes)] + [nose, mouth, *shoulders, collar]


def rough(seed: int, **look: object) -> Marked:
    made = {"construction": 0, "hatching": 0, "notes": 0, "dirt": 0, "fading": 0.2, "grain": 0.8, **look}
    return marked_rough(figure(), SIZE, Manner(**made), np.random.default_rng(seed))  # type: ignore[arg-type]


def drawn_length(found: Proposal) -> float:
    return float(sum(arc_lengths(sample(s)[0])[-1] for s in found.strokes))


def scores(found: Proposal, truth: list[Points]) -> tuple[float, float]:
    """(precision, recall) of the drawn length within 6 px."""
    true = np.vstack(truth)
    drawn = np.vstack([sample(s)[0] for s in found.strokes])
    precision = (cKDTree(true).query(drawn)[0] < 6).mean()
    return float(precision), float((cKDTree(drawn).query(true)[0] < 6).mean())


@pytest.mark.parametrize(
    ("look", "kind"),
    [({"construction": 5}, "construction"), ({"hatching": 3}, "hatching"), ({"notes": 4}, "note")],
)
def test_marks_beside_the_line_are_left_out_and_named(look: dict[str, int], kind: Kind) -> None:
    """Of the wrong length much goes, of the lines hardly any, and most of what goes is called what it is.

    A head that is as round as the balls beside it and was drawn no darker may be taken for one, so lines are counted over all."""
    wrong = before = named = length = 0.0
    stays = []
    for seed in range(5):
        made = rough(seed, **look)
        found = read_rough(made.picture)
        precision, recall = scores(found, made.lines)
        all_of_it = read_rough(made.picture, CleanupSettings(keep=KINDS))
        wrong += (1 - precision) * drawn_length(found)
        before += (1 - scores(all_of_it, made.lines)[0]) * drawn_length(all_of_it)
        stays.append(recall)
        own = cv2.dilate((made.kinds == DRAWN.index(kind)).astype(np.uint8), np.ones((7, 7)))
        for mark in found.others:
            x, y = np.clip(np.round(mark.points).astype(int), 0, np.array(SIZE) - 1).T
            if own[y, x].mean() > 0.6:
                length += arc_lengths(mark.points)[-1]
                named += arc_lengths(mark.points)[-1] * (mark.kind == kind)
    assert np.mean(stays) > 0.93
    assert wrong < 0.55 * before
    assert length > 100
    assert named / length > 0.5


@pytest.mark.parametrize("look", [{}, {"grain": 0.0}, {"dark": True}, {"fading": 0.7}, {"width": 5.5}])
def test_a_drawing_without_other_marks_stays_whole(look: dict[str, object]) -> None:
    made = rough(5, **look)
    precision, recall = scores(read_rough(made.picture), made.lines)
    assert precision > 0.95
    assert recall > 0.93


def test_what_was_rubbed_out_is_left_out_and_the_line_over_it_stays() -> None:
    told: list[tuple[float, float]] = []
    named: list[str] = []
    for seed in (1, 3, 6):
        sheet = rough(seed, ghosts=1, left=0.3)
        assert sheet.ghosts.any()
        found = read_rough(sheet.picture)
        told.append(scores(found, sheet.lines))
        named += [m.kind for m in found.others if len(m.points) > 20]
    assert np.mean([precision for precision, _ in told]) > 0.93
    assert min(recall for _, recall in told) > 0.95
    assert named.count("construction") > len(named) / 2


def test_a_sheet_without_ghosts_is_made_as_before() -> None:
    plain, over = rough(4), rough(4, ghosts=1)
    assert not plain.ghosts.any()
    assert over.ghosts.any()
    assert len(plain.lines) == len(over.lines)


def test_kinds_can_be_taken_in() -> None:
    made = rough(1, hatching=3)
    plain, taken = read_rough(made.picture), read_rough(made.picture, CleanupSettings(keep=KINDS))
    assert len(taken.strokes) > len(plain.strokes)
    assert not taken.others
    assert plain.others


def test_what_is_sure_is_right_more_often_than_what_is_in_doubt() -> None:
    # One drawing says little: what is in doubt is the few strokes that are hardest to tell.
    right, length = np.zeros(2), np.zeros(2)
    for seed in range(8):
        made = rough(10 + seed, construction=4, hatching=2, notes=2)
        true = cKDTree(np.vstack(made.lines))
        for stroke in read_rough(made.picture).strokes:
            points = sample(stroke)[0]
            right[int(stroke.doubtful)] += (true.query(points)[0] < 6).sum()
            length[int(stroke.doubtful)] += len(points)
    sure, doubtful = right / length
    assert sure > 0.55
    assert sure - doubtful > 0.2


def test_forests_go_down_their_trees() -> None:
    """One tree of two levels and one of a leaf, by hand."""
    forest = Forest(
        np.array([[0, 1, 0, 0, 0], [0, 0, 0, 0, 0]], np.int16),
        np.array([[0.5, 2.0, 0, 0, 0], [0] * 5], np.float32),
        np.array([[1, 3, 0, 0, 0], [0] * 5], np.int16),
        np.array([[2, 4, 0, 0, 0], [0] * 5], np.int16),
        np.array([[0, 0, 7, 1, 2], [10] + [0] * 4], np.float32),
        np.array([100.0]),
    )
    samples = np.array([[0.2, 1.0], [0.2, 3.0], [0.9, 1.0]], np.float32)
    assert forest.scores(samples)[:, 0].tolist() == [111, 112, 117]


def test_what_was_learnt_names_the_kinds_there_are() -> None:
    assert get_args(Kind) == KINDS
    assert len(learnt("kind").start) == len(KINDS)
    assert len(learnt("line").start) == 1


def test_an_end_is_drawn_on_to_the_line_before_it() -> None:
    line = np.array([[0.0, 0], [100, 0]])
    short = np.array([[50.0, 60], [50, 6]])
    aside = np.array([[80.0, 60], [80, 30]])
    found = drawn_up([line, short, aside], 10)
    assert np.allclose(found[1][-1], [50, 0], atol=1)
    assert np.allclose(found[1][0], [50, 60])
    assert np.allclose(found[2][[0, -1]], aside)
    assert np.allclose(found[0][[0, -1]], line)


def test_a_hook_into_another_line_is_let_go_and_what_runs_up_to_it_is_not() -> None:
    bare = np.ones((100, 100), bool)
    mouth = np.c_[np.arange(10.0, 90.0), np.full(80, 60.0)]
    whisker = np.c_[np.arange(10.0, 50.0), np.full(40, 50.0)]
    hook = np.c_[np.full(9, 50.0), np.arange(51.0, 60.0)]
    for line in (mouth, whisker):
        column, row = line.astype(int).T
        for by in (-1, 0, 1):
            bare[row + by, column] = False
    free, other = let_go([np.vstack([whisker, hook]), mouth], bare, 5, 12)
    assert np.abs(free[-1] - whisker[-1]).max() <= 2
    assert other is mouth
    upright = np.c_[np.full(30, 30.0), np.arange(20.0, 50.0)]
    bare[20:44, 29:32] = False
    (kept,) = let_go([upright], bare, 5, 12)
    assert kept is upright


def test_rings_and_lone_lines_stay_as_they_are() -> None:
    ring = ellipse((50, 50), 20, 20)
    ring = np.vstack([ring, ring[:1]])
    (found,) = drawn_up([ring], 10)
    assert np.array_equal(found, ring)
    assert drawn_up([], 10) == []


def coloured(lines: list[tuple[Points, tuple[int, int, int]]], width: int = 4) -> NDArray[np.uint8]:
    picture = np.full((SIZE[1], SIZE[0], 3), 255, np.uint8)
    for points, colour in lines:
        cv2.polylines(picture, [np.round(points).astype(np.int32)], False, colour, width, cv2.LINE_AA)
    return picture


RED, BLUE, GREEN, BLACK = (200, 40, 60), (40, 120, 210), (40, 160, 70), (30, 30, 30)


def roles(picture: NDArray[np.uint8]) -> list[bool]:
    density = densities(picture)
    return construction(*separate(density, find_pencils(density)))


def test_a_colour_for_every_part_is_drawing() -> None:
    lines = figure()
    colours = [RED, BLUE, BLUE, RED, RED, GREEN, GREEN, BLUE]
    assert roles(coloured(list(zip(lines, colours, strict=True)))) == [False, False, False]


def test_a_colour_that_runs_across_is_construction_and_one_that_ends_at_lines_is_not() -> None:
    black = [(line, BLACK) for line in figure()]
    guides = [
        (ellipse((480, 330), 230, 90), RED),
        (np.array([[480.0, 40], [480, 800]]), RED),
        (np.array([[150.0, 330], [820, 330]]), RED),
    ]
    assert roles(coloured(black + guides)) == [True]
    # Stripes between the edges of a form: they end at its lines.
    frame = [(np.array([[200.0, 200], [800, 200], [800, 700], [200, 700], [200, 200]]), BLACK)]
    stripes = [(np.array([[200.0, y], [800, y]]), BLUE) for y in range(260, 700, 70)]
    assert roles(coloured(frame + stripes)) == [False]
