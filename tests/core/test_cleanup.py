"""Rough to strokes on drawings with known truth."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from scipy.spatial import cKDTree

from schoon.core.cleanup import CleanupSettings, agreed, pencils_of, propose_strokes
from schoon.core.paper import Pencil, densities, find_pencils, on_paper, separate
from schoon.core.strokes import Points, ink_coverage, length, resample, sample
from schoon.demo.roughs import pencil_rough
from schoon.formats.svg import drawing_svg, read_drawing_svg

SIZE = (640, 480)


def ring(cx: float, cy: float, r: float) -> Points:
    t = np.linspace(0, 2 * np.pi, 200)
    return np.c_[cx + r * np.cos(t), cy + r * np.sin(t)]


BOX = resample(np.array([[80.0, 80], [260, 80], [260, 240], [80, 240], [80, 80]]), 2.0)
LINES = [BOX, ring(440, 240, 110), np.c_[np.linspace(90, 250, 80), 350 + 30 * np.sin(np.linspace(0, 5, 80))]]


def scores(strokes: list, lines: list[Points], reach: float = 5.0) -> tuple[float, float, float]:
    drawn = np.vstack([sample(s, 2.0)[0] for s in strokes])
    true = np.vstack([resample(line, 2.0) for line in lines])
    precision = float((cKDTree(true).query(drawn)[0] <= reach).mean())
    recall = float((cKDTree(drawn).query(true)[0] <= reach).mean())
    return precision, recall, sum(map(length, strokes)) / (2 * len(true))


@pytest.mark.parametrize("looseness", [0.0, 0.5, 1.0])
def test_searching_strokes_become_one_line_each(looseness: float, random: np.random.Generator) -> None:
    rough = pencil_rough(LINES, [ring(300, 200, 150)], SIZE, looseness, random)
    strokes = propose_strokes(rough)
    precision, recall, ratio = scores(strokes, LINES)
    assert precision > 0.88
    assert recall > 0.9
    assert 0.85 < ratio < 1.15
    assert len(strokes) <= 9


def test_construction_leaves_no_trace_and_cuts_nothing(random: np.random.Generator) -> None:
    line = np.c_[np.linspace(60, 580, 300), np.full(300, 240.0)]
    guides = [np.c_[np.full(200, x), np.linspace(60, 420, 200)] for x in (200.0, 320.0, 440.0)]
    strokes = propose_strokes(pencil_rough([line], guides, SIZE, 0.2, random))
    precision, recall, _ = scores(strokes, [line])
    assert precision > 0.97
    assert recall > 0.97


def test_coloured_pencil_counts_when_asked_for(random: np.random.Generator) -> None:
    guide = np.c_[np.linspace(60, 580, 300), np.full(300, 240.0)]
    rough = pencil_rough([ring(500, 120, 60)], [guide], SIZE, 0.0, random)
    strokes = propose_strokes(rough, CleanupSettings(pencils=((0.0, "use"), (220.0, "use"))))
    assert scores(strokes, [guide, ring(500, 120, 60)])[1] > 0.9


def test_a_box_keeps_its_corners() -> None:
    away = []
    for turn in (0.0, 0.2, 0.5, 0.9):
        about = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
        corners = np.array([[-90.0, -80], [90, -80], [90, 80], [-90, 80]]) @ about + [240, 220]
        picture = np.full((480, 640, 3), 250, np.uint8)
        cv2.polylines(
            picture, [np.round(corners * 16).astype(np.int32)], True, (40, 40, 40), 4, cv2.LINE_AA, 4
        )
        drawn = np.vstack([sample(s, 1.0)[0] for s in propose_strokes(picture)])
        away.append(cKDTree(drawn).query(corners)[0])
    assert np.mean(away) < 2
    assert np.max(away) < 4.5


def test_light_line_on_dark_and_on_transparent_paper() -> None:
    dark = np.full((480, 640, 3), 20, np.uint8)
    cv2.polylines(dark, [LINES[1].round().astype(np.int32)], True, (235, 235, 235), 4, cv2.LINE_AA)
    assert scores(propose_strokes(dark), [LINES[1]])[1] > 0.97
    clear = np.zeros((480, 640, 4), np.uint8)
    cv2.polylines(clear, [LINES[1].round().astype(np.int32)], True, (250, 250, 250, 255), 4, cv2.LINE_AA)
    assert scores(propose_strokes(clear), [LINES[1]])[1] > 0.97


@pytest.mark.parametrize("tone", [0, 120, 255])
@pytest.mark.parametrize("shape", [(480, 640, 3), (1, 1, 3), (3, 900, 4), (50, 50)])
def test_empty_paper_of_any_tone_gives_no_strokes(tone: int, shape: tuple[int, ...]) -> None:
    assert propose_strokes(np.full(shape, tone, np.uint8)) == []


def test_a_page_of_ruled_lines_is_read() -> None:
    """More line than 32,767 px of it, which the library does not look up at once."""
    page = np.full((1000, 1000, 3), 255, np.uint8)
    rows = range(20, 980, 22)
    for row in rows:
        cv2.line(page, (20, row), (980, row), (60, 60, 60), 2, cv2.LINE_AA)
    strokes = propose_strokes(page)
    assert abs(len(strokes) - len(rows)) <= 2
    assert sum(map(length, strokes)) == pytest.approx(960 * len(rows), rel=0.03)


@pytest.mark.parametrize("by", [(0, 0), (300, 90), (640, 0)])
def test_where_on_a_large_paper_a_drawing_lies_does_not_matter(
    by: tuple[int, int], random: np.random.Generator
) -> None:
    rough = pencil_rough(LINES, [], SIZE, 0.3, random)
    paper = np.full((600, 1280, 3), rough[0, 0], np.uint8)
    paper[by[1] : by[1] + SIZE[1], by[0] : by[0] + SIZE[0]] = rough
    precision, recall, _ = scores(propose_strokes(paper), [line + by for line in LINES])
    assert precision > 0.93
    assert recall > 0.95


def test_other_shapes_are_refused() -> None:
    with pytest.raises(ValueError, match="channels"):
        on_paper(np.zeros((4, 4, 2), np.uint8))


def test_pencils_are_told_apart_where_they_cross() -> None:
    picture = np.full((300, 300, 3), 240, np.uint8)
    cv2.line(picture, (20, 150), (280, 150), (60, 60, 60), 6)
    blue = np.full((300, 300, 3), 255, np.uint8)
    cv2.line(blue, (150, 20), (150, 280), (70, 130, 220), 6)
    picture = (picture.astype(int) * blue // 255).astype(np.uint8)
    density = densities(picture)
    pencils = find_pencils(density)
    assert len(pencils) == 1
    neutral, _ = separate(density, pencils)
    assert neutral[80, 150] < 0.1 * neutral[150, 60]
    assert neutral[150, 150] == pytest.approx(neutral[150, 60], rel=0.25)


def test_a_filled_black_is_an_area_with_an_outline() -> None:
    rough = np.full((600, 600, 3), 245, np.uint8)
    cv2.ellipse(rough, (300, 300), (110, 70), 20, 0, 360, (40, 40, 40), -1, cv2.LINE_AA)
    cv2.line(rough, (40, 520), (560, 540), (60, 60, 60), 4, cv2.LINE_AA)
    strokes = propose_strokes(rough)
    rings = [s for s in strokes if s.closed]
    assert len(rings) == 1
    assert len(strokes) == 2
    true = cv2.ellipse2Poly((300, 300), (110, 70), 20, 0, 360, 2).astype(float)
    gap = cKDTree(true).query(sample(rings[0])[0])[0]
    assert gap.max() < 7


def test_a_drawing_all_in_colour_is_the_drawing() -> None:
    rough = np.full((400, 400, 3), 246, np.uint8)
    cv2.circle(rough, (200, 200), 120, (70, 110, 220), 4, cv2.LINE_AA)
    (ring,) = propose_strokes(rough)
    assert ring.closed


def test_a_pencil_can_be_a_part_and_is_named_by_its_colour() -> None:
    rough = np.full((400, 400, 3), 246, np.uint8)
    cv2.circle(rough, (200, 200), 120, (60, 60, 60), 4, cv2.LINE_AA)
    cv2.line(rough, (20, 200), (380, 210), (220, 60, 60), 4, cv2.LINE_AA)
    ((pencil, role),) = pencils_of(rough)
    assert role == "ignore"
    assert pencil.name == "red"
    assert [s.closed for s in propose_strokes(rough)] == [True]
    both = propose_strokes(rough, CleanupSettings(pencils=((pencil.hue, "part:table"),)))
    assert sorted((s.part, s.closed) for s in both) == [("", True), ("table", False)]


def test_pressure_makes_the_weight() -> None:
    rough = np.full((300, 600, 3), 250, np.uint8)
    for x in range(40, 560):
        cv2.circle(rough, (x, 150), 2, (int(225 - 200 * (x - 40) / 520),) * 3, -1, cv2.LINE_AA)
    (line,) = propose_strokes(rough, CleanupSettings(pressure=1.0))
    a, b = line.widths[[0, -1]] if line.controls[0, 0] < line.controls[-1, 0] else line.widths[[-1, 0]]
    assert b > 1.4 * a
    (even,) = propose_strokes(rough)
    assert set(even.widths.tolist()) == {4.0}


@pytest.mark.parametrize("hole", [False, True])
def test_blacks_stay_filled_where_it_is_said_and_in_inked_line(hole: bool) -> None:
    """A pencilled black is outlined, one that is to be kept is ink to its rim, and its hole stays open."""
    ink = np.full((500, 600), 255, np.uint8)
    cv2.circle(ink, (300, 250), 190, 0, 4, cv2.LINE_AA)
    cv2.ellipse(ink, (300, 250), (70, 32), 20, 0, 360, 0, -1, cv2.LINE_AA)
    if hole:
        cv2.circle(ink, (300, 250), 16, 255, -1, cv2.LINE_AA)
    inked = propose_strokes(ink)
    drawn = 255 - ink_coverage(inked, (600, 500))
    assert sum(s.black for s in inked) == 1
    wrong = np.abs(drawn.astype(int) - ink)[150:350, 180:420] > 128
    assert wrong.mean() < 0.01
    assert drawn[250, 300] == (255 if hole else 0)
    grain = np.random.default_rng(2).normal(0, 12, ink.shape)
    pencilled = np.clip(np.where(ink < 128, 70 + grain, 244), 0, 255).astype(np.uint8)
    assert not any(s.black for s in propose_strokes(pencilled))
    kept = propose_strokes(pencilled, CleanupSettings(blacks="filled"))
    assert sum(s.black for s in kept) == 1
    assert not any(s.black for s in propose_strokes(ink, CleanupSettings(blacks="outline")))
    # As a file and back.
    again, _ = read_drawing_svg("here.svg", drawing_svg(inked, (600, 500)))
    assert sum(s.black for s in again) == 1


@pytest.mark.parametrize("width", [1, 2, 4, 7])
@pytest.mark.parametrize("upright", [False, True])
def test_a_single_straight_line_along_the_paper_is_found(width: int, upright: bool) -> None:
    """Its bounding box is no broader than the line itself."""
    picture = np.full((240, 320), 245, np.uint8)
    picture[120 : 120 + width, 40:280] = 40
    (stroke,) = propose_strokes(np.repeat((picture.T if upright else picture)[..., None], 3, axis=2))
    points = sample(stroke)[0]
    along, across = (points[:, 1], points[:, 0]) if upright else (points[:, 0], points[:, 1])
    off = np.abs(across - (120 + width / 2))
    assert off[(along > 56) & (along < 264)].max() < 1 + width / 7
    assert off.max() < 4
    assert along.min() == pytest.approx(40, abs=6)
    assert along.max() == pytest.approx(280, abs=6)


def test_a_run_agrees_on_its_pencils_with_one_voice_a_drawing() -> None:
    blue, red = Pencil((0.9, 0.4, 0.1), 0.2), Pencil((0.1, 0.7, 0.7), 0.3)
    near = Pencil((0.88, 0.45, 0.12), 0.9)
    seen = [[(blue, "ignore"), (red, "use")], [(near, "use")], [(blue, "ignore")], [(red, "use")], []]
    roles = agreed(seen)
    assert len(roles) == 2
    settings = CleanupSettings(pencils=roles)
    assert (settings.role_of(blue), settings.role_of(near), settings.role_of(red)) == (
        "ignore",
        "ignore",
        "use",
    )
    # Even voices: line that is lost is harder to find than line too many.
    assert [role for _, role in agreed([[(blue, "ignore")], [(near, "use")]])] == ["use"]
    assert agreed([]) == ()
    # What an artist says comes first.
    own = CleanupSettings(pencils=((blue.hue, "part:sky"), *roles))
    assert own.role_of(near) == "part:sky"
