"""Roughs with marks of every kind whose truth is known: lines, construction, hatching, notes and dirt, in lead or with a
digital brush. For tests, and for training what tells marks apart; the demo's own roughs are in `roughs`."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from ..core.cleanup.kinds import KINDS as OTHERS
from ..core.cleanup.kinds import Kind as Other
from ..core.strokes import Points, resample
from .roughs import GRAPHITE, Random, _overshoot, _paper, _pieces, _tooth, _wander
from .shapes import ellipse

Kind = Literal["line"] | Other

KINDS: tuple[Kind, ...] = ("line", *OTHERS)

_NOTES = ("SC 7", "hair drags", "see model", "12B", "slow in", "hold 4", "Pim 03", "to sc 8", "lag", "x 2")
_COLOURS = ((1.0, 0.5, 0.15), (0.2, 0.85, 0.9), (0.15, 0.5, 1.0), (0.75, 0.2, 0.9))


@dataclass(frozen=True)
class Marked:
    """picture: (h, w, 3) RGB. kinds: (h, w) the kind each drawn pixel belongs to, an index into KINDS, -1 for paper;
    where a line lies over others it is the line's. lines: the true centre lines, px. ghosts: (h, w) what is left of an earlier
    drawing that was rubbed out; its kind is construction."""

    picture: NDArray[np.uint8]
    kinds: NDArray[np.int8]
    lines: list[Points]
    ghosts: NDArray[np.bool_]


@dataclass(frozen=True)
class Manner:
    """How a rough is made. width: of lines, px. grain: 0 for a digital brush, 1 for lead on tooth. fading: how far
    pressure falls within a line, 0..1. looseness: as in `pencil_rough`. dark: light line on a dark ground.
    construction, hatching, notes, dirt: how much of each, 0 for none. coloured: construction has a colour of its own.
    shaded: forms that are hatched up to their lines. uneven: how far the pressure of strokes differs and how long they
    fade, 0..1. doubled: chance of a line to be drawn once more beside itself. swung: px by which guides miss themselves.
    ghosts: earlier drawings of the same that were rubbed out. left: how much of their pressure the rubber has left, 0..1."""

    width: float = 3.0
    grain: float = 1.0
    fading: float = 0.3
    looseness: float = 0.1
    dark: bool = False
    coloured: bool = False
    construction: int = 4
    hatching: int = 1
    notes: int = 2
    dirt: int = 1
    blur: float = 0.6
    shaded: int = 0
    uneven: float = 0.0
    doubled: float = 0.0
    swung: float = 0.42
    ghosts: int = 0
    left: float = 0.3

    @staticmethod
    def any(random: Random) -> Manner:
        """A look of any kind."""
        digital = random.random() < 0.25
        return Manner(
            width=float(random.uniform(2.2, 6.5)),
            grain=0.0 if digital else float(random.uniform(0.5, 1.3)),
            fading=float(random.uniform(0, 0.8)),
            looseness=float(random.choice([0.0, 0.0, 0.05, 0.15, 0.4, 0.8, 1.2])),
            dark=bool(random.random() < 0.15),
            coloured=bool(random.random() < 0.3),
            construction=int(random.choice([0, 0, 0, 3, 6, 9])),
            hatching=int(random.choice([0, 0, 0, 1, 2, 3])),
            notes=int(random.choice([0, 0, 1, 3])),
            dirt=int(random.choice([0, 0, 1, 2])),
            blur=float(random.uniform(0.3, 1.3)),
            shaded=int(random.choice([0, 0, 2, 4])),
            uneven=float(random.choice([0.0, 0.0, 0.3, 0.7])),
            doubled=float(random.choice([0.0, 0.0, 0.3, 0.8])),
            swung=float(np.exp(random.uniform(-1.2, 1.4))),
        )

    def rubbed(self, random: Random) -> Manner:
        """The same hand, that has drawn the figure once or twice before and rubbed that out."""
        return replace(
            self, ghosts=int(random.choice([1, 1, 2])), left=float(random.uniform(0.15, 0.55)), dark=False
        )

    @staticmethod
    def even(random: Random) -> Manner:
        """A hand that draws the balls and axes it builds on as steadily as its lines, with the same lead."""
        return replace(
            Manner.any(random),
            construction=int(random.choice([3, 5, 6, 9])) if random.random() < 0.8 else 0,
            coloured=False,
            uneven=float(random.choice([0, 0, 0.3])),
            doubled=0.0,
            swung=float(random.uniform(0.3, 1)),
            looseness=float(random.choice([0, 0.05, 0.1, 0.2])),
            hatching=int(random.choice([0, 0, 0, 2])),
            shaded=int(random.choice([0, 0, 0, 2])),
            fading=float(random.uniform(0, 0.7)),
        )


def marked_rough(lines: Sequence[Points], size: tuple[int, int], look: Manner, random: Random) -> Marked:
    """A rough of `lines`, (k, 2) px, on a sheet of `size` (width, height) px."""
    sheet = _Sheet(size, look, random)
    everything = np.vstack(lines)
    box = np.r_[everything.min(axis=0), everything.max(axis=0)]
    for number in range(look.construction):
        sheet.add(
            "construction", _guide(box, number, random), look.width * random.uniform(0.5, 0.9), look.swung
        )
    for _ in range(look.ghosts):
        sheet.ghost(lines, box)
    for line in lines:
        sheet.line(line)
    for _ in range(look.hatching):
        for path in _hatches(everything, box, random):
            sheet.add("hatching", [path], look.width * 0.7, 0.5)
    if look.shaded:
        for path in _shading(lines, size, look.shaded, random):
            sheet.add("hatching", [path], look.width * random.uniform(0.5, 0.9), 0.6)
    for _ in range(look.notes):
        sheet.note()
    picture, kinds = sheet.finished(look.dirt)
    return Marked(picture, kinds, [np.asarray(line, float) for line in lines], sheet.rubbed_out(kinds))


class _Sheet:
    """Densities of what is drawn, and whose each pixel is."""

    def __init__(self, size: tuple[int, int], look: Manner, random: Random) -> None:
        self.size, self.look, self.random = size, look, random
        self.lead = np.zeros((size[1], size[0]), np.float32)
        self.colour = np.zeros_like(self.lead)
        self.kinds = np.full(self.lead.shape, -1, np.int8)
        self.ghosts = np.zeros(self.lead.shape, bool)
        self.firm = float(random.uniform(0.55, 1.0))
        # One hand hatches and guides with about one pressure, lighter than it draws.
        self.lighter = {
            "construction": float(0.2 + 0.7 * random.random() ** 2), "hatching": float(random.uniform(0.25, 0.85))
        }  # fmt: skip

    def line(self, line: Points) -> None:
        """A true line: one stroke, or several that search for it, with pressure that fades here and there."""
        look, random = self.look, self.random
        fade = random.uniform(1 - look.fading, 1)
        if look.uneven:
            fade *= random.uniform(1 - look.uneven, 1)
        for piece in _pieces(line) if look.looseness else [np.asarray(line, float)]:
            count = 1 if not look.looseness else int(random.integers(1, 2 + round(4 * look.looseness)))
            if look.doubled and random.random() < look.doubled:
                count += 1
            for _ in range(count):
                away = 0.8 if look.doubled else 0.0
                path = _wander(piece, 0.4 + 3.0 * look.looseness + away, random)
                if look.looseness and len(path) > 20:
                    path = _overshoot(path, 10 * look.looseness, 10 * look.looseness)
                self._draw("line", path, look.width, self.firm * fade)

    def ghost(self, lines: Sequence[Points], box: NDArray[np.float64]) -> None:
        """An earlier drawing of the figure, here or there another one, with what the rubber has left of it and has smeared."""
        random, look = self.random, self.look
        middle, span = (box[:2] + box[2:]) / 2, float((box[2:] - box[:2]).max())
        turn = np.deg2rad(random.normal(0, 2.0))
        grown = (1 + random.normal(0, 0.03)) * np.array(
            [[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]
        )
        angle, far = random.uniform(0, 2 * np.pi), random.uniform(0.006, 0.035) * span
        shift = far * np.array([np.cos(angle), np.sin(angle)])
        sways, phase = random.normal(0, 0.006, (2, 2)) * span, random.uniform(0, 2 * np.pi, 2)
        whole = random.random() < 0.6
        before, under = self.kinds.copy(), self.lead.copy()
        for line in lines:
            if not whole and random.random() < 0.5:
                continue
            points = np.asarray(line, float)
            wave = np.sin(2 * np.pi * (points - middle) / span + phase)
            path = (points - middle) @ grown.T + middle + shift + wave @ sways
            path = resample(_wander(path, 0.8, random), 4.0)
            if len(path) < 4:
                continue
            # The rubber takes more here than there, and some of it all.
            rubbed = ndi.gaussian_filter1d(random.normal(0, 1, len(path)), 15, mode="nearest")
            kept = rubbed / max(float(np.abs(rubbed).max()), 1e-6) > random.uniform(-1, -0.3)
            bounds = np.r_[0, np.flatnonzero(np.diff(kept)) + 1, len(path)]
            for first, last in itertools.pairwise(bounds.tolist()):
                if kept[first] and last - first > 3:
                    force = self.firm * look.left * random.uniform(0.7, 1.3)
                    self._draw("construction", path[first:last], look.width, force, self.lead)
        drawn = (self.kinds != before) | (self.lead > under + 0.02)
        self.ghosts |= drawn
        smear = cv2.GaussianBlur(drawn.astype(np.float32), (0, 0), random.uniform(5, 14))
        self.lead += np.float32(self.firm * look.left * random.uniform(0, 0.25)) * smear

    def rubbed_out(self, kinds: NDArray[np.int8]) -> NDArray[np.bool_]:
        """(h, w) what is a ghost and lies under nothing else. kinds: as of the finished sheet."""
        return np.asarray(self.ghosts & (kinds == KINDS.index("construction")))

    def add(self, kind: Kind, paths: Sequence[Points], width: float, wander: float) -> None:
        """Marks of another kind, lighter than the lines."""
        for path in paths:
            force = self.firm * self.lighter[kind] * self.random.uniform(0.7, 1.2)
            self._draw(kind, _wander(path, wander, self.random), max(1.0, width), force)

    def _draw(
        self, kind: Kind, path: Points, width: float, force: float, on: NDArray[np.float32] | None = None
    ) -> None:
        random, look = self.random, self.look
        path = resample(np.asarray(path, float), 4.0)
        if len(path) < 2:
            return
        wave = ndi.gaussian_filter1d(random.normal(0, 1, len(path)), 12, mode="nearest")
        wave = wave / max(float(np.abs(wave).max()), 1e-6)
        tail = 6.0
        if look.uneven:
            force *= random.uniform(1 - look.uneven, 1)
            tail = max(tail, random.uniform(0, look.uneven) * len(path))
        ends = np.minimum(1, 0.55 + np.minimum(np.arange(len(path)), np.arange(len(path))[::-1]) / tail)
        if look.uneven:
            ends *= np.minimum(1, 0.3 + np.arange(len(path))[::-1] / tail)
        press = np.clip(force * ends * (1 - 0.5 * look.fading * (1 - wave) / 2), 0.05, 1)
        limits = np.array(self.size)
        corner = np.clip(np.floor(path.min(axis=0)) - width - 4, 0, limits).astype(int)
        beyond = np.clip(np.ceil(path.max(axis=0)) + width + 4, 0, limits).astype(int)
        part = slice(corner[1], beyond[1]), slice(corner[0], beyond[0])
        layer = np.zeros(self.lead[part].shape, np.uint8)
        if not layer.size:
            return
        points = np.round((path - 0.5 - corner) * 16).astype(np.int32)
        for k in range(len(path) - 1):
            thick = max(1, round(float(width * (0.75 + 0.35 * press[k] / max(force, 1e-6)))))
            cv2.line(
                layer, points[k].tolist(), points[k + 1].tolist(), int(255 * press[k]), thick, cv2.LINE_AA, 4
            )
        kinds = self.kinds[part]
        kinds[(layer > 25) & ((kinds == -1) | (kind == "line"))] = KINDS.index(kind)
        if on is None:
            on = self.colour if kind == "construction" and look.coloured else self.lead
        canvas = on[part]
        canvas += layer.astype(np.float32) / 255 * (1 - 0.5 * np.minimum(canvas, 1))

    def note(self) -> None:
        """Words, or a timing chart, beside the figure or at the rim."""
        random = self.random
        width, height = self.size
        layer = np.zeros(self.lead.shape, np.uint8)
        x, y = int(random.uniform(0.02, 0.8) * width), int(random.choice([0.05, 0.1, 0.93]) * height)
        if random.random() < 0.35:
            x = int(random.choice([0.04, 0.96]) * width)
            top, long = int(random.uniform(0.1, 0.5) * height), int(random.uniform(0.12, 0.3) * height)
            cv2.line(layer, (x, top), (x, top + long), 255, 2, cv2.LINE_AA)
            for share in np.unique(np.r_[0, np.sort(random.random(4)), 1]):
                half = int(random.uniform(8, 20))
                row = int(top + share * long)
                cv2.line(layer, (x - half, row), (x + half, row), 255, 2, cv2.LINE_AA)
        else:
            font = int(random.choice([0, 2, 3, 4, 6, 7])) | (16 if random.random() < 0.5 else 0)
            size = float(random.uniform(0.7, 1.7))
            cv2.putText(
                layer, str(random.choice(_NOTES)), (x, y), font, size, 255, int(1 + size), cv2.LINE_AA
            )
        self.kinds[(layer > 60) & (self.kinds == -1)] = KINDS.index("note")
        self.lead += layer.astype(np.float32) / 255 * self.firm * self.random.uniform(0.5, 1.0)

    def finished(self, dirt: int) -> tuple[NDArray[np.uint8], NDArray[np.int8]]:
        """The picture, with its paper, grain and blur, and the kinds."""
        look, random = self.look, self.random
        tooth = _tooth(self.size, random) if look.grain else np.zeros(self.lead.shape, np.float32)
        rough = (1 + look.grain * (1.3 * (tooth - 0.55) - 0.12 * (tooth < 0.42))).clip(0.15, 1.6)
        tint = np.asarray(random.choice(np.array(_COLOURS)), np.float32)
        lead = cv2.GaussianBlur(self.lead * rough, (0, 0), look.blur)
        colour = cv2.GaussianBlur(self.colour * rough, (0, 0), look.blur)
        density = lead[..., None] * GRAPHITE.astype(np.float32) + colour[..., None] * tint
        paper = _paper(self.size, random)
        if not look.grain:
            paper = np.full_like(paper, 255)
        elif random.random() < 0.4:
            paper *= np.float32(random.uniform(0.6, 0.95))
            paper += random.normal(0, random.uniform(1, 4), paper.shape[:2])[..., None].astype(np.float32)
        paper = self._soiled(paper, dirt)
        picture = np.clip(paper * 10 ** (-0.95 * density), 0, 255)
        if look.dark:
            picture = 255 - picture * 0.85
        return picture.astype(np.uint8), self.kinds

    def _soiled(self, paper: NDArray[np.float32], dirt: int) -> NDArray[np.float32]:
        """A scanner's dark edge, punched holes, a cast shadow, specks."""
        random = self.random
        width, height = self.size
        dark = np.zeros(self.lead.shape, np.float32)
        for _ in range(dirt):
            what = random.integers(4)
            if what == 0:
                band = np.exp(-np.arange(width) / random.uniform(3, 12)).astype(np.float32)
                dark = np.maximum(dark, 0.9 * (band if random.random() < 0.5 else band[::-1])[None])
            elif what == 1:
                for share in (0.4, 0.5, 0.6):
                    centre = (int(share * width), int(0.965 * height))
                    cv2.ellipse(
                        dark, centre, (int(random.uniform(9, 22)), 10), 0, 0, 360, 0.8, -1, cv2.LINE_AA
                    )
            elif what == 2:
                shadow = np.zeros_like(dark)
                place = (int(random.uniform(0.6, 1) * width), int(random.uniform(0.6, 1) * height))
                cv2.circle(shadow, place, int(0.35 * width), 0.5, -1)
                dark = np.maximum(dark, cv2.GaussianBlur(shadow, (0, 0), random.uniform(8, 40)))
            else:
                for x, y in random.uniform((0, 0), (width, height), (12, 2)).astype(int).tolist():
                    cv2.circle(dark, (x, y), int(random.integers(1, 4)), 0.6, -1, cv2.LINE_AA)
        self.kinds[(dark > 0.25) & (self.kinds == -1)] = KINDS.index("dirt")
        return paper * (1 - dark)[..., None]


def _guide(box: NDArray[np.float64], number: int, random: Random) -> list[Points]:
    """Balls, axes and boxes as a figure is built up, drawn round once or twice."""
    low, high = box[:2], box[2:]
    span = high - low
    if number % 3 == 2:
        a = low + span * random.uniform(-0.1, 1.1, 2)
        b = a + random.normal(0, 1, 2) * span * 0.5
        return [np.linspace(a, b, 40)]
    centre = low + span * random.uniform(0.15, 0.85, 2)
    rx, ry = random.uniform(0.1, 0.4, 2) * span.max()
    ring = ellipse(centre.tolist(), rx, ry if random.random() < 0.5 else rx, float(random.uniform(0, 180)))
    start = int(random.integers(len(ring)))
    turned = np.roll(ring, start, axis=0)
    return [np.vstack([turned, turned[: len(turned) // int(random.integers(3, 9))]])] * int(
        random.integers(1, 3)
    )


def _hatches(points: Points, box: NDArray[np.float64], random: Random) -> list[Points]:
    """Parallel strokes that fill a patch of the figure."""
    span = float((box[2:] - box[:2]).max())
    centre = points[random.integers(len(points))] + random.normal(0, 0.04 * span, 2)
    turn = random.uniform(0, np.pi)
    along, across = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
    reach, wide = random.uniform(0.04, 0.14) * span, random.uniform(0.06, 0.25) * span
    step = random.uniform(6, 22)
    found = []
    for offset in np.arange(-wide, wide, step):
        half = reach * np.sqrt(max(0.05, 1 - (offset / wide) ** 2)) * random.uniform(0.8, 1.15)
        slip = random.normal(0, 3, 2)
        middle = centre + across * (offset + random.normal(0, 0.12 * step))
        found.append(np.linspace(middle - along * half + slip, middle + along * half, 12))
    return found


def _shading(lines: Sequence[Points], size: tuple[int, int], count: int, random: Random) -> list[Points]:
    """Strokes that fill one side of closed forms up to their lines, as a hand shades: in one direction all over."""
    open_paper = np.full((size[1], size[0]), 255, np.uint8)
    for line in lines:
        cv2.polylines(open_paper, [np.round(np.asarray(line) - 0.5).astype(np.int32)], False, 0, 3)
    _, forms, stats, _ = cv2.connectedComponentsWithStats(open_paper, connectivity=4)
    area = stats[:, cv2.CC_STAT_AREA] / open_paper.size
    area[[0, *forms[[0, -1]].ravel(), *forms[:, [0, -1]].ravel()]] = 0
    fit = np.flatnonzero((area > 0.0015) & (area < 0.3))
    turn, step = random.uniform(0, np.pi), random.uniform(4, 11)
    along, across = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
    found = []
    for form in random.permutation(fit)[:count]:
        y, x = np.nonzero(forms == form)
        places = np.stack([x, y], axis=1) + 0.5
        side = random.normal(0, 1, 2)
        far = places @ side
        places = places[far >= np.quantile(far, random.uniform(0, 0.75))]
        row = np.floor((places @ across) / step).astype(int)
        for number in np.unique(row):
            run = np.sort((places[row == number]) @ along)
            if random.random() < 0.06:
                continue
            for stretch in np.split(run, np.flatnonzero(np.diff(run) > 6) + 1):
                ends = stretch[[0, -1]] + random.normal(0, 3, 2)
                offset = (number + 0.5) * step + random.normal(0, 0.15 * step, 2)
                if ends[1] - ends[0] > 5:
                    share = np.linspace(0, 1, 12)[:, None]
                    a, b = along * ends[0] + across * offset[0], along * ends[1] + across * offset[1]
                    found.append(a + share * (b - a))
    return found
