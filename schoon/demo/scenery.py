"""What lies under and round the drawings of the demo: the stair of the lamp room, the harbour, a toy boat, a storyboard
panel and a guide. All of it is painted by arithmetic."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from ..core.strokes import Points, Stroke, fit_curve
from .roughs import pencil_rough
from .shapes import Part, curve, flatten, limb
from .shots import SIZE, stair

ROOM = (2560, 1480)
"""Width and height of the backdrop of the stair, larger than the frame it lies about the middle of, px."""

HARBOUR = (2400, 1080)

MOVIE = (640, 360)
MOVIE_PICTURES = 72

Paint = NDArray[np.float32]


def lamp_room() -> NDArray[np.uint8]:
    """(1480, 2560, 3) RGB: plank wall, round window on the sea, the stair Pim climbs, and the lamp's warm light."""
    width, height = ROOM
    left, top = (width - SIZE[0]) // 2, (height - SIZE[1]) // 2
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    wall = _mixed((120, 132, 128), (82, 92, 98), np.asarray(y / height, np.float32))
    wall *= (0.93 + 0.07 * (np.sin(x / 74 * np.pi) > -0.96))[..., None]
    wall *= _grain((width, height), 7, (9, 60))[..., None]
    _window(wall, (left + 1120, top + 300), 190)
    # The treads lie where the boots of the drawings stand.
    for k in range(-3, 9):
        foot = (left + 560 + 150 * k, top + 906 - 92 * k)
        _step(wall, foot, height)
    _rail(wall, left, top)
    wall = _painted(wall)
    glow = np.exp(-(((x - left - 420) / 900) ** 2) - ((y - top - 700) / 620) ** 2)
    light = wall + glow[..., None] * np.array([70, 46, 12], np.float32)
    dim = 1 - 0.38 * np.clip(np.hypot((x - width / 2) / width, (y - height / 2) / height) * 1.5, 0, 1) ** 2
    return np.clip(light * dim[..., None], 0, 255).astype(np.uint8)


def _painted(picture: Paint) -> Paint:
    """Forms with the soft edge of a brush: OpenCV draws pictures of real numbers without one."""
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), 0.8), np.float32)


def _mixed(a: tuple[int, int, int], b: tuple[int, int, int], share: Paint) -> Paint:
    share = share[..., None]
    return np.asarray(np.array(a, np.float32) * (1 - share) + np.array(b, np.float32) * share, np.float32)


def _grain(size: tuple[int, int], seed: int, blur: tuple[float, float]) -> Paint:
    """Uneven brushwork: noise drawn out along one direction, about 1."""
    noise = np.random.default_rng(seed).normal(0, 1, size[::-1]).astype(np.float32)
    drawn = cv2.GaussianBlur(noise, (0, 0), blur[1], sigmaY=blur[0])
    return np.asarray(1 + 0.045 * drawn / max(float(drawn.std()), 1e-6), np.float32)


def _fill(picture: Paint, ring: Points, colour: tuple[int, int, int]) -> None:
    cv2.fillPoly(picture, [np.round(ring * 16).astype(np.int32)], colour, cv2.LINE_AA, 4)


def _window(picture: Paint, at: tuple[int, int], radius: int) -> None:
    cv2.circle(picture, at, radius + 26, (74, 60, 48), -1, cv2.LINE_AA)
    cv2.circle(picture, at, radius, (168, 196, 204), -1, cv2.LINE_AA)
    inside = np.zeros(picture.shape[:2], np.uint8)
    cv2.circle(inside, at, radius, 1, -1)
    below = inside.astype(bool)
    below[: at[1] + 40] = False
    picture[below] = (74, 118, 132)
    for k in range(4):
        y = at[1] + 66 + 26 * k
        half = int(np.sqrt(max(0, radius**2 - (y - at[1]) ** 2))) - 24
        if half > 10:
            cv2.line(picture, (at[0] - half, y), (at[0] + half - 30 * k, y), (112, 152, 162), 4, cv2.LINE_AA)
    cv2.line(picture, (at[0], at[1] - radius), (at[0], at[1] + radius), (74, 60, 48), 12, cv2.LINE_AA)
    cv2.line(picture, (at[0] - radius, at[1]), (at[0] + radius, at[1]), (74, 60, 48), 12, cv2.LINE_AA)


def _step(picture: Paint, foot: tuple[float, float], bottom: int) -> None:
    x, y = foot
    front = np.array([[x - 18, y + 30], [x + 152, y + 30], [x + 152, bottom], [x - 18, bottom]])
    _fill(picture, front, (96, 74, 56))
    tread = np.array([[x - 30, y], [x + 152, y], [x + 152, y + 32], [x - 30, y + 32]])
    _fill(picture, tread, (150, 116, 82))
    cv2.line(picture, (int(x - 30), int(y + 32)), (int(x + 152), int(y + 32)), (66, 50, 38), 5, cv2.LINE_AA)


def _rail(picture: Paint, left: int, top: int) -> None:
    for k in range(-1, 9):
        x, y = left + 634 + 150 * k, top + 922 - 92 * k
        cv2.line(picture, (x, y - 16), (x, y - 250), (58, 48, 42), 12, cv2.LINE_AA)
    start, end = (left + 430, top + 788), (left + 1990, top - 164)
    cv2.line(picture, start, end, (58, 48, 42), 26, cv2.LINE_AA)
    cv2.line(picture, (start[0], start[1] - 8), (end[0], end[1] - 8), (112, 92, 70), 6, cv2.LINE_AA)


def harbour() -> NDArray[np.uint8]:
    """(1080, 2400, 3) RGB: morning sky, far shore with a lighthouse, and water."""
    width, height = HARBOUR
    _, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    sky = _mixed((172, 200, 212), (236, 222, 196), np.clip(y / 640, 0, 1))
    sky *= _grain(HARBOUR, 3, (8, 90))[..., None]
    shore = curve(
        [(0, 600), (300, 560), (640, 590), (1000, 540), (1400, 585), (1900, 550), (2400, 590)], step=8.0
    )
    _fill(sky, np.vstack([shore, [[2400, 700], [0, 700]]]), (128, 148, 146))
    _fill(sky, np.array([[1560, 300], [1612, 300], [1626, 570], [1546, 570]], float), (232, 226, 212))
    for k in range(2):
        level = 360 + 110 * k
        _fill(
            sky, np.array([[1556 - 3 * k, level], [1616 + 3 * k, level], [1618 + 3 * k, level + 54], [1554 - 3 * k, level + 54]], float),
            (178, 66, 52),
        )  # fmt: skip
    _fill(sky, np.array([[1550, 300], [1622, 300], [1608, 252], [1564, 252]], float), (70, 76, 84))
    water = y > 640
    deep = (
        _mixed((96, 142, 152), (48, 88, 104), np.clip((y - 640) / 440, 0, 1))
        * _grain(HARBOUR, 5, (2, 70))[..., None]
    )
    sky[water] = deep[water]
    return np.clip(_painted(sky), 0, 255).astype(np.uint8)


def boat_movie() -> Iterator[NDArray[np.uint8]]:
    """Pictures of a toy boat that crosses the harbour basin, 24 a second: a film to trace over."""
    width = MOVIE[0]
    behind = cv2.resize(harbour()[:, 500:2420], MOVIE, interpolation=cv2.INTER_AREA).astype(np.float32)
    for k in range(MOVIE_PICTURES):
        t = k / MOVIE_PICTURES
        picture = behind.copy()
        x, y = 60 + 470 * t, 268 + 5 * np.sin(2 * np.pi * 3 * t)
        tilt = 0.07 * np.sin(2 * np.pi * 3 * t + 0.8)
        turn = np.array([[np.cos(tilt), -np.sin(tilt)], [np.sin(tilt), np.cos(tilt)]])

        def at(points: list[tuple[float, float]], turn: Points = turn, x: float = x, y: float = y) -> Points:
            return np.array(points) @ turn.T + (x, y)

        _fill(picture, at([(-6, -8), (6, -8), (6, -96), (0, -98)]), (92, 70, 52))
        _fill(picture, at([(8, -14), (62, -20), (10, -92)]), (238, 230, 208))
        _fill(picture, at([(-10, -14), (-46, -18), (-8, -82)]), (206, 96, 70))
        _fill(picture, at([(-66, -10), (74, -14), (52, 22), (-44, 24)]), (158, 62, 48))
        _fill(picture, at([(-66, -10), (74, -14), (70, -4), (-62, 0)]), (232, 214, 178))
        # The water hides what lies under it.
        wave = curve(
            [(float(a), 286 + 4 * np.sin(a / 17 + 9 * t)) for a in range(-10, width + 20, 12)], step=3.0
        )
        under = np.zeros(picture.shape[:2], np.uint8)
        ring = np.vstack([wave, [[width + 10, 360], [-10, 360]]])
        cv2.fillPoly(under, [np.round(ring).astype(np.int32)], 1)
        picture[under > 0] = behind[under > 0]
        foam = wave[(wave[:, 0] > x - 70) & (wave[:, 0] < x + 74)]
        cv2.polylines(
            picture, [np.round(foam * 16).astype(np.int32)], False, (216, 230, 230), 2, cv2.LINE_AA, 4
        )
        yield np.clip(picture, 0, 255).astype(np.uint8)


def storyboard() -> NDArray[np.uint8]:
    """(1080, 1920, 3) RGB: the panel the shot was planned on, quick pencil with the way of the step."""
    drawing = stair()[8]
    way = curve([(520.0, 930.0), (760.0, 760.0), (1000.0, 690.0), (1280.0, 520.0)])
    panel = limb([(90.0, 90.0), (1830.0, 90.0), (1830.0, 990.0), (90.0, 990.0), (90.0, 90.0)], [2.0] * 5)
    treads = [
        np.array(
            [
                [560.0 + 150 * k, 906.0 - 92 * k],
                [712.0 + 150 * k, 906.0 - 92 * k],
                [712.0 + 150 * k, 814.0 - 92 * k],
            ]
        )
        for k in range(5)
    ]
    lines = [*drawing.truth().lines[::2], *treads]
    return pencil_rough(lines, [way, panel], SIZE, 1.0, np.random.default_rng(41))


def guide_lines() -> list[Stroke]:
    """The arc of the head and the line of the treads, drawn on a guide."""
    arc = curve([(640.0, 560.0), (760.0, 430.0), (900.0, 430.0), (1010.0, 330.0)])
    treads = np.array([[520.0, 930.0], [1320.0, 440.0]])
    return [s for line in (arc, np.linspace(treads[0], treads[1], 60)) for s in _drawn(line)]


def _drawn(line: Points) -> list[Stroke]:
    controls = fit_curve(line, 0.6)[0]
    return [Stroke(controls, np.full((len(controls) - 1) // 3 + 1, 5.0), by="hand")]


BOW: dict[str, str] = {"Hull": "#2f4a63", "Rail": "#b98a4c"}
"""Pots of the front level of the shot Flag."""


def bow(phase: float, size: tuple[int, int]) -> tuple[list[Part], NDArray[np.uint8]]:
    """The bow of the boat that carries the flag, at phase 0..1 of its bobbing: its parts, and a rough of them."""
    lift = 10 * np.sin(2 * np.pi * phase)
    hull = curve(
        [
            (1080, 780),
            (1300, 800),
            (1700, 800),
            (1860, 740),
            (1820, 900),
            (1740, 990),
            (1200, 990),
            (1110, 900),
        ],
        closed=True,
    )
    rail = limb([(1090.0, 760.0), (1400.0, 776.0), (1840.0, 726.0)], [17, 17, 13])
    parts = [
        Part("hull", "Hull", hull + (0, lift)),
        Part("rail", "Rail", rail + (0, lift)),
    ]
    lines = flatten(parts, size).lines
    guide = np.array([[1080.0, 900 + lift], [1840.0, 880 + lift]])
    rough = pencil_rough(
        lines, [np.linspace(guide[0], guide[1], 40)], size, 0.5, np.random.default_rng(int(100 * phase) + 9)
    )
    return parts, rough
