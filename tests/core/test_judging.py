"""The run judged as one, and what is asked of it."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from schoon.core.paint import NOTHING, UNSURE_ABOVE, Paint, Unsure, carry, questions
from schoon.core.paint.judging import SURE_FROM, doubt_of
from schoon.core.paint.questions import things
from schoon.core.patches import Patches, find_patches

RED, BLUE, GREEN = 1, 2, 3


def face(shift: int, mouth: bool = False) -> Patches:
    """A head with two eyes, and a mouth that opens."""
    picture = np.zeros((400, 560), np.uint8)
    cv2.circle(picture, (200 + shift, 200), 120, 255, 3)
    for x in (150, 240):
        cv2.circle(picture, (x + shift, 170), 22, 255, 3)
    if mouth:
        cv2.ellipse(picture, (200 + shift, 255), (40, 18), 0, 0, 360, 255, 3)
    return find_patches(picture > 127)


def key(patches: Patches) -> dict[int, Paint]:
    places = {(200, 120): RED, (150, 170): BLUE, (240, 170): GREEN, (5, 5): NOTHING}
    return {patches.at(*at): Paint(pot) for at, pot in places.items()}


def test_doubt_is_a_chance_of_being_wrong() -> None:
    assert doubt_of(1.0) == 0
    assert doubt_of(SURE_FROM) == pytest.approx(UNSURE_ABOVE)
    assert doubt_of(0.0) == 1
    every = [doubt_of(c) for c in np.linspace(0, 1, 50)]
    assert every == sorted(every, reverse=True)


def test_what_is_new_in_one_drawing_is_asked_and_the_rest_is_not() -> None:
    drawings = [face(8 * k, mouth=k == 2) for k in range(4)]
    result = carry(drawings, {0: key(drawings[0])})
    for k, patches in enumerate(drawings):
        assert result[k][patches.at(200 + 8 * k, 120)].pot == RED
        assert result[k][patches.at(150 + 8 * k, 170)].pot == BLUE
    mouth = result[2].get(drawings[2].at(216, 255))
    assert mouth is None or mouth.unsure


def test_what_a_hand_painted_is_never_judged() -> None:
    drawings = [face(8 * k, mouth=True) for k in range(3)]
    painted = key(drawings[0])
    painted[drawings[0].at(200, 255)] = Paint(GREEN)
    wrong = {drawings[1].at(158, 170): Paint(RED)}
    result = carry(drawings, {0: painted, 1: wrong})
    assert result[1][drawings[1].at(158, 170)] == Paint(RED)
    assert result[1][drawings[1].at(248, 170)].pot == GREEN
    assert result[2][drawings[2].at(216, 255)].pot == GREEN


def test_the_background_stays_bare_and_certain() -> None:
    drawings = [face(8 * k) for k in range(3)]
    for painting, patches in zip(carry(drawings, {0: key(drawings[0])}).values(), drawings, strict=True):
        paint = painting[patches.background]
        assert (paint.pot, paint.unsure) == (NOTHING, False)


def test_one_thing_is_asked_once_through_all_its_drawings() -> None:
    chain = [Unsure((k, 7), (k - 1, 7), RED) for k in range(3, 7)]
    other_pot = Unsure((7, 7), (6, 7), BLUE)
    alone = Unsure((4, 2), (3, 2), RED)
    asked = [*chain, other_pot, alone]
    groups = sorted(sorted(group) for group in things(asked))
    assert groups == [[0, 1, 2, 3], [4], [5]]
    assert sorted(questions(asked)) == [[group] for group in groups]


def test_things_that_are_likely_of_one_pot_are_asked_about_together() -> None:
    two = [Unsure((k, 1), None, RED, asked_with=(0, 1)) for k in range(2)]
    chain = [Unsure((9, 4), None, BLUE, asked_with=(0, 1)), Unsure((10, 4), (9, 4), BLUE, asked_with=(0, 1))]
    other = Unsure((11, 4), (10, 4), BLUE, asked_with=(11, 4))
    alone = Unsure((3, 2), None, RED)
    asked = [*two, *chain, other, alone]
    groups = sorted(questions(asked))
    assert groups == [[[0], [1], [2, 3]], [[4]], [[5]]]
    assert sorted(k for group in groups for thing in group for k in thing) == list(range(len(asked)))


def test_a_leak_is_a_question_of_its_own() -> None:
    asked = [Unsure((1, 1), None, RED), Unsure((2, 1), (1, 1), RED, leaks=True), Unsure((3, 1), (2, 1), RED)]
    assert len(questions(asked)) == 3
    assert questions([]) == []


def large(shift: int, speck: bool = False, light: bool = True) -> Patches:
    """A head with an eye and a light in it, 1200 x 1000 px; a speck between two lines."""
    picture = np.zeros((1000, 1200), np.uint8)
    cv2.rectangle(picture, (300 + shift, 200), (800 + shift, 800), 255, 4)
    cv2.circle(picture, (450 + shift, 400), 70, 255, 4)
    if light:
        cv2.circle(picture, (470 + shift, 380), 6, 255, 3)
    if speck:
        cv2.rectangle(picture, (600 + shift, 600), (606 + shift, 606), 255, 2)
    return find_patches(picture > 127)


def test_a_speck_too_small_to_be_any_form_takes_what_is_round_it_and_nobody_is_asked() -> None:
    first, second = large(0), large(9, speck=True)
    places = {(600, 700): RED, (430, 430): BLUE, (470, 380): GREEN, (5, 5): NOTHING}
    known = {first.at(*at): Paint(pot) for at, pot in places.items()}
    speck = second.at(612, 603)
    assert 0 < second.areas[speck] < 24
    result = carry([first, second], {0: known})[1]
    assert (result[speck].pot, result[speck].unsure) == (RED, False)
    assert result[speck].doubt > 0.4
    # A small form that the model has stays one.
    assert result[second.at(479, 380)].pot == GREEN


def test_a_pot_that_only_an_answer_has_brought_makes_no_question_of_a_speck() -> None:
    drawings = [large(0), large(9, speck=True), large(14, speck=True)]
    places = {(600, 700): RED, (430, 430): BLUE, (470, 380): GREEN, (5, 5): NOTHING}
    known = {drawings[0].at(*at): Paint(pot) for at, pot in places.items()}
    answer = {drawings[2].at(617, 603): Paint(4)}
    speck = drawings[1].at(612, 603)
    assert not carry(drawings, {0: known, 2: answer})[1][speck].unsure
