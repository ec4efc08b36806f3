"""Where the network sees lines, and what hatching and dirt of made roughs are."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from schoon.core.cleanup.evidence import line_chance
from schoon.core.cleanup.propose import at_pen, layers_of
from schoon.core.strokes import Points, resample
from schoon.demo.marks import KINDS, Manner, Marked, marked_rough
from schoon.demo.shapes import curve, ellipse

SIZE = (900, 800)


def figure() -> list[Points]:
    """A ball with a face, on a stalk."""
    rings = [ellipse((430, 340), 200, 180), ellipse((370, 300), 30, 22), ellipse((500, 300), 30, 22)]
    stalk = [
        curve([(420 + side * 30, 515), (425 + side * 36, 640), (420 + side * 60, 760)]) for side in (-1, 1)
    ]
    return [np.vstack([ring, ring[:1]]) for ring in rings] + [
        curve([(360, 420), (430, 450), (510, 415)]),
        *stalk,
    ]


def made(seed: int, **look: object) -> Marked:
    quiet = {"construction": 0, "hatching": 0, "notes": 0, "dirt": 0, "fading": 0.2, "grain": 0.8, **look}
    return marked_rough(figure(), SIZE, Manner(**quiet), np.random.default_rng(seed))  # type: ignore[arg-type]


def chance_of(picture: NDArray[np.uint8]) -> tuple[NDArray[np.float32], float]:
    """What is said of a rough, and px of it one px there is."""
    layers, shrink = layers_of(picture)
    near = at_pen(layers[0][0], shrink)
    assert near is not None
    return line_chance(*near[:2]), near[2]


def along(chance: NDArray[np.float32], line: Points, scale: float) -> NDArray[np.float32]:
    x, y = (resample(line, 2.0) / scale - 0.5).astype(np.float32).T
    broad = cv2.dilate(chance, np.ones((3, 3), np.uint8))
    return cv2.remap(broad, x, y, cv2.INTER_LINEAR).ravel()


@pytest.mark.parametrize("look", [{}, {"looseness": 0.4, "doubled": 0.5}, {"grain": 0.0, "dark": True}])
def test_lines_are_seen_where_they_run(look: dict[str, object]) -> None:
    rough = made(4, **look)
    chance, scale = chance_of(rough.picture)
    seen = np.concatenate([along(chance, line, scale) for line in rough.lines])
    assert (seen > 0.5).mean() > 0.95
    # And nowhere else: as much as the lines are wide there.
    length = sum(len(resample(line, 2.0)) * 2.0 for line in rough.lines) / scale
    assert (chance > 0.5).sum() < 4 * length


def test_hatching_is_not() -> None:
    """Of what is hatched little is seen as line, although it is drawn as dark as half of the lines."""
    wrong = []
    for seed in range(3):
        rough = made(seed, shaded=3)
        chance, _ = chance_of(rough.picture)
        apart = cv2.resize(rough.kinds + 1, chance.shape[::-1], interpolation=cv2.INTER_NEAREST) - 1
        beside = cv2.dilate((apart == 0).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        marks = (apart == KINDS.index("hatching")) & ~beside
        assert marks.sum() > 300
        wrong.append(float((chance[marks] > 0.5).mean()))
    assert np.mean(wrong) < 0.1


def test_bare_paper_has_no_line() -> None:
    bare = np.zeros((90, 70), np.float32)
    assert not line_chance(bare, bare).any()


def test_any_size_is_seen_whole() -> None:
    """What is filled up to whole blocks is cut off again."""
    layer = np.zeros((160, 200), np.float32)
    cv2.circle(layer, (80, 70), 30, 0.8, 2, cv2.LINE_AA)
    for corner in ((3, 2), (194, 155)):
        cv2.circle(layer, corner, 2, 0.8, -1)
    cut = layer[:151, :173]
    whole, part = line_chance(layer, layer), line_chance(cut, cut)
    assert part.shape == cut.shape
    assert np.abs(whole[:110, :130] - part[:110, :130]).max() < 0.1


def test_a_drawing_is_seen_alike_wherever_it_lies() -> None:
    small = np.zeros((130, 150), np.float32)
    cv2.circle(small, (70, 60), 30, 0.8, 2, cv2.LINE_AA)
    large = np.zeros((900, 1000), np.float32)
    large[333:463, 512:662] = small
    there = line_chance(large, large)
    assert there[333:463, 512:662] == pytest.approx(line_chance(small, small), abs=1e-4)
    assert not there[:250].any()
    assert there.max() > 0.9


def test_hatching_fills_forms_up_to_their_lines() -> None:
    rough = made(2, shaded=2)
    hatched = rough.kinds == KINDS.index("hatching")
    assert hatched.sum() > 400
    inside = np.zeros(hatched.shape, np.uint8)
    for line in rough.lines[:3]:
        cv2.fillPoly(inside, [np.round(line).astype(np.int32)], 1)
    inside = cv2.dilate(inside, np.ones((15, 15), np.uint8))
    assert (inside[hatched] > 0).mean() > 0.97
