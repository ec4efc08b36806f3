"""Lines in other colours and weights, and with a body."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from zlib import crc32

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..compose import Computed, Ink, Layer
from ..compose.layers import Matrix
from ..look import Look
from ..model import Rgb, parse_colour
from ..strokes import Stroke, sample
from ..strokes.raster import fixed
from .entries import LineBody, LineColour, LineWeight, Where
from .scene import Scene
from .textures import tile

_BESIDE = 2.5
"""Px beside a line at which it is seen what it parts."""

_DARKER = 0.45
"""What a line without a colour of its own keeps of its pot's base."""


@dataclass
class Lines:
    """The strokes of a drawing while entries change them: their colours and bodies by id, where they have any."""

    strokes: list[Stroke]
    colours: dict[str, Rgb] = field(default_factory=dict)
    bodies: dict[str, LineBody] = field(default_factory=dict)

    def layers(self, scene: Scene) -> list[Layer]:
        """Lines of each colour and body by themselves; dark ones last, so that ends where colours meet are clean."""
        groups: dict[tuple[Rgb, str], list[Stroke]] = {}
        for stroke in self.strokes:
            body = self.bodies.get(stroke.id)
            colour = self.colours.get(stroke.id, scene.look.ink)
            groups.setdefault((colour, body.id if body else ""), []).append(stroke)
        made = []
        for colour, name in sorted(groups, key=lambda c: (-sum(c[0]), c[1])):
            strokes = groups[colour, name]
            if name:
                made.append(Layer("ink", bodied(strokes, colour, self.bodies[strokes[0].id], scene.number)))
            else:
                made.append(Layer("ink", Ink(strokes, colour)))
        return made


def _sides(stroke: Stroke, scene: Scene) -> list[tuple[int, int]]:
    """Pots at the two sides of a line, place by place; -1 for paper."""
    points, widths = sample(stroke, 6.0)
    along = np.gradient(points, axis=0)
    along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    off = np.c_[-along[:, 1], along[:, 0]] * (widths / 2 + _BESIDE)[:, None]
    height, width = scene.grown.shape
    sides = []
    for places in (points + off, points - off):
        x, y = np.floor(places).astype(int).T
        patches = scene.grown[np.clip(y, 0, height - 1), np.clip(x, 0, width - 1)]
        sides.append([scene.pots.get(int(p), -1) for p in patches])
    return list(zip(*sides, strict=True))


def lies(where: Where, sides: Sequence[tuple[int, int]]) -> bool:
    """Whether most of a line lies there."""
    if where == "all" or not sides:
        return where == "all"
    outside = sum(-1 in pair for pair in sides)
    if where == "outline":
        return outside > len(sides) / 2
    return sum(a == b != -1 for a, b in sides) > len(sides) / 2


def weighed(entry: LineWeight, strokes: Sequence[Stroke], scene: Scene) -> list[Stroke]:
    return [
        replace(s, widths=s.widths * entry.factor) if lies(entry.where, _sides(s, scene)) else s
        for s in strokes
    ]


def coloured(entry: LineColour, strokes: Sequence[Stroke], scene: Scene) -> dict[str, Rgb]:
    found: dict[str, Rgb] = {}
    for stroke in strokes:
        sides = _sides(stroke, scene)
        if (entry.parts and stroke.part not in entry.parts) or not lies(entry.where, sides):
            continue
        if entry.how == "one":
            found[stroke.id] = parse_colour(entry.colour)
            continue
        pots = [pot for pair in sides for pot in pair if pot in scene.look.pots]
        if pots:
            # The darker of the two it parts along most of its way.
            often = sorted(set(pots), key=lambda p: -pots.count(p))[:2]
            found[stroke.id] = min((_line_of(pot, scene.look) for pot in often), key=sum)
    return found


def _line_of(pot: int, look: Look) -> Rgb:
    if pot in look.lines:
        return look.lines[pot]
    red, green, blue = (round(_DARKER * v) for v in look.pots[pot][:3])
    return red, green, blue


def bodied(strokes: Sequence[Stroke], colour: Rgb, entry: LineBody, number: int) -> Computed:
    """Lines with grain along them and an uneven edge. number: of the drawing, which its cycle goes by."""
    step = number % entry.cycle

    def make(matrix: Matrix, size: tuple[int, int]) -> NDArray[np.float32]:
        cover = np.zeros(size[::-1], np.float32)
        for stroke in strokes:
            _stroke_body(cover, stroke, entry, matrix, step)
        return cover

    return Computed(make, colour)


def _stroke_body(
    cover: NDArray[np.float32], stroke: Stroke, entry: LineBody, matrix: Matrix, step: int
) -> None:
    """Lays one stroke on (h, w) coverage 0..1."""
    scale = float(np.sqrt(abs(np.linalg.det(matrix[:, :2]))))
    points, widths = sample(stroke, 1.5 / max(scale, 1e-6))
    along = np.r_[0.0, np.hypot(*np.diff(points, axis=0).T).cumsum()]
    points = points @ matrix[:, :2].T + matrix[:, 2]
    half = np.maximum(widths * scale / 2, 0.4)
    reach = float(half.max()) * (1 + entry.rough) + 1.5
    low = np.maximum(np.floor(points.min(axis=0) - reach), 0).astype(int)
    high = np.minimum(np.ceil(points.max(axis=0) + reach) + 1, cover.shape[::-1]).astype(int)
    if (high <= low).any():
        return
    near = np.zeros((high[1] - low[1], high[0] - low[0]), np.uint8)
    cv2.polylines(near, [fixed(points - low)], False, 1, max(1, int(np.ceil(2 * reach))), cv2.LINE_8, 4)
    rows, columns = np.nonzero(near)
    if not len(rows):
        return
    places = np.c_[columns, rows] + low + 0.5
    off, nearest = cKDTree(points).query(places)
    way = np.gradient(points, axis=0)
    way /= np.maximum(np.hypot(*way.T), 1e-9)[:, None]
    apart = places - points[nearest]
    side = np.sign(apart[:, 0] * -way[nearest, 1] + apart[:, 1] * way[nearest, 0])
    # Each stroke begins elsewhere in the grain, and elsewhere again in each picture of the cycle.
    begin = crc32(stroke.id.encode()) % 4093 + 1621 * step
    u = along[nearest] + begin
    v = side * off / max(scale, 1e-6)
    edge = half[nearest] * (1 - entry.rough * _noise(u, np.where(side > 0, 37.0, 211.0), 2.2 * entry.size))
    share = np.clip(edge - off + 0.5, 0, 1)
    inwards = np.clip(off / half[nearest], 0, 1)
    if entry.tool == "lead":
        body = 1 - entry.grain * (1.1 * _noise(u, v, entry.size) + 0.35 * inwards**2)
    elif entry.tool == "dry":
        # Hairs of the brush: long along the stroke, thin across it.
        body = 1 - entry.grain * 2.6 * np.maximum(_noise(u / 9, v, entry.size / 2.5) - 0.45, 0)
    else:
        body = 1 - entry.grain * (0.55 * (1 - inwards**3) + 0.25 * _noise(u, v, 3 * entry.size))
    part = cover[low[1] : high[1], low[0] : high[0]]
    part[rows, columns] = np.maximum(part[rows, columns], share * np.clip(body, 0, 1))


def _noise(u: NDArray[np.floating], v: NDArray[np.floating], size: float) -> NDArray[np.float32]:
    """Grain 0..1 at places, px, in clumps of about a size."""
    made = tile("grain")
    side = made.shape[0]
    # The tile holds about 120 clumps on a side.
    fine = side / 120 / max(size, 1e-6)
    x, y = (np.floor(fine * w).astype(int) % side for w in (u, v))
    return made[y, x]
