"""Small round forms that touch others."""

import cv2
import numpy as np
from scipy.spatial import cKDTree

from schoon.core.cleanup import propose_strokes
from schoon.core.strokes import Stroke, resample, sample

RIM, PUPIL = ((400, 300), 34), ((414, 300), 18)
"""A circle, and a smaller one that nearly touches it from within: middle and radius, px."""


def circle(middle: tuple[int, int], radius: int) -> np.ndarray:
    turn = np.linspace(0, 2 * np.pi, 200)
    return np.array(middle) + radius * np.c_[np.cos(turn), np.sin(turn)]


def paper(*lines: np.ndarray) -> np.ndarray:
    picture = np.full((600, 800), 250, np.uint8)
    for line in [np.array([[60.0, 500.0], [740.0, 520.0]]), *lines]:
        cv2.polylines(picture, [np.round(line * 16).astype(np.int32)], False, 40, 4, cv2.LINE_AA, 4)
    return picture


def is_closed(stroke: Stroke) -> bool:
    path = sample(stroke)[0]
    return float(np.hypot(*(path[0] - path[-1]))) < 1.0


def nearest(strokes: list[Stroke], truth: np.ndarray) -> tuple[Stroke, float]:
    """The closed stroke that lies nearest to a true line, and the farthest it is off it, px."""
    off = [
        (float(cKDTree(truth).query(resample(sample(s)[0], 1.0))[0].max()), s)
        for s in strokes
        if is_closed(s)
    ]
    far, stroke = min(off, key=lambda pair: pair[0])
    return stroke, far


def test_a_pupil_that_touches_its_eye_is_round_and_so_is_the_eye() -> None:
    strokes = propose_strokes(paper(circle(*RIM), circle(*PUPIL)))
    pupil, off = nearest(strokes, circle(*PUPIL))
    assert off < 2.0
    rim, off = nearest(strokes, circle(*RIM))
    assert off < 2.0
    assert pupil is not rim
    assert len(strokes) == 3, "the two, and the line below them"


def test_a_pupil_at_the_same_side_of_a_turned_drawing() -> None:
    picture = paper(circle(*RIM), circle(*PUPIL)).T.copy()
    strokes = propose_strokes(picture)
    _, off = nearest(strokes, circle(*PUPIL)[:, ::-1])
    assert off < 2.0


def test_a_line_that_runs_on_from_a_round_form_stays() -> None:
    away = np.array([[434.0, 300.0], [520.0, 330.0]])
    strokes = propose_strokes(paper(circle(*RIM), circle(*PUPIL), away))
    drawn = cKDTree(np.vstack([sample(s)[0] for s in strokes]))
    assert drawn.query(resample(away, 2.0))[0].max() < 4.0


def test_a_small_square_is_not_made_round() -> None:
    square = np.array([[300, 200], [340, 200], [340, 240], [300, 240], [300, 200]], float)
    beside = np.array([[340.0, 200.0], [420.0, 205.0]])
    strokes = propose_strokes(paper(square, beside))
    drawn = cKDTree(np.vstack([resample(sample(s)[0], 0.5) for s in strokes]))
    assert drawn.query(square)[0].max() < 3.0


def test_two_rings_that_touch_from_outside_stay_two() -> None:
    left, right = circle((300, 300), 24), circle((346, 300), 24)
    strokes = propose_strokes(paper(left, right))
    drawn = cKDTree(np.vstack([resample(sample(s)[0], 0.5) for s in strokes]))
    assert drawn.query(np.vstack([left, right]))[0].max() < 4.0


def test_a_nose_that_the_pupil_touches_is_not_the_eye() -> None:
    """The larger form beside the eye has the pupil at its edge as well."""
    nose = circle((478, 312), 46)
    strokes = propose_strokes(paper(circle(*RIM), circle(*PUPIL), nose))
    for line in (circle(*RIM), circle(*PUPIL)):
        assert nearest(strokes, line)[1] < 2.5
    drawn = cKDTree(np.vstack([resample(sample(s)[0], 0.5) for s in strokes]))
    assert drawn.query(nose)[0].max() < 5.0


def test_an_eye_that_is_half_shut_is_an_oval_with_its_pupil_in_it() -> None:
    """The white beside the pupil does not go about it."""
    flat = (circle((400, 300), 26) - (400, 300)) * (1, 0.5) + (400, 300)
    pupil = circle((411, 300), 11)
    strokes = propose_strokes(paper(flat, pupil))
    for line in (flat, pupil):
        assert nearest(strokes, line)[1] < 3.0


def test_two_cells_side_by_side_keep_their_corners() -> None:
    cells = np.array([[300, 200], [370, 200], [370, 236], [300, 236], [300, 200]], float)
    between = np.array([[336.0, 200.0], [336.0, 236.0]])
    strokes = propose_strokes(paper(cells, between))
    drawn = cKDTree(np.vstack([resample(sample(s)[0], 0.5) for s in strokes]))
    assert drawn.query(np.vstack([cells, between]))[0].max() < 3.5


def test_the_white_between_lines_that_cross_is_no_form() -> None:
    lines = [
        np.array(line, float)
        for line in ([[411, 210], [406, 390]], [[476, 252], [327, 353]], [[487, 322], [311, 284]], [[451, 374], [342, 231]])
    ]  # fmt: skip
    strokes = propose_strokes(paper(*lines))
    assert not any(is_closed(s) for s in strokes)
    drawn = cKDTree(np.vstack([resample(sample(s)[0], 0.5) for s in strokes]))
    for line in lines:
        assert drawn.query(resample(line, 2.0))[0].max() < 6.0
