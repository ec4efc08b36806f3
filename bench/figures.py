"""Figures put together at random that move, pass and hide each other, with the pot of every pixel known."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np

from schoon.core.paint import NOTHING
from schoon.core.patches import Patches, find_patches
from schoon.demo.shapes import Part, curve, ellipse, flatten, limb, rotation, two_bones

SIZE = (1100, 820)
DRAWINGS = 9
HAS = {
    "hair": 0.7, "hat": 0.4, "scarf": 0.5, "belt": 0.6, "pocket": 0.4, "cuff": 0.6, "sole": 0.6, "tail": 0.3, "ears": 0.5,
    "prop": 0.5, "mouth": 0.8, "brow": 0.4, "skirt": 0.3, "stripes": 0.4,
}  # fmt: skip
"""How often a figure has each thing."""

Place = Any


def blob(centre: Place, rx: float, ry: float, turn: float, wave: float, phase: Sequence[float]) -> np.ndarray:
    """A closed round form that is not quite an ellipse."""
    t = np.linspace(0, 2 * np.pi, 14, endpoint=False)
    r = 1 + wave * np.cos(phase[0] + 2 * t) + 0.6 * wave * np.cos(phase[1] + 3 * t)
    return curve(
        [tuple(p) for p in np.c_[rx * r * np.cos(t), ry * r * np.sin(t)] @ rotation(turn).T + centre],
        closed=True,
    )


def bar(a: Place, b: Place, widths: Sequence[float], round_end: bool = False) -> np.ndarray:
    return limb([tuple(a), tuple(b)], widths, round_end=round_end)


def box(centre: Place, corners: Sequence[tuple[float, float]], turn: np.ndarray) -> np.ndarray:
    return curve([(*(centre + turn @ np.array(c)), 1) for c in corners], closed=True)


class Figure:
    """One figure: its measures, colours and what it wears are drawn once, its pose comes from the time."""

    def __init__(self, random: np.random.Generator, tag: str) -> None:
        self.tag, u = tag, random.uniform
        self.height = h = u(230, 420)
        self.head, self.torso, self.wide = u(0.11, 0.2) * h, u(0.26, 0.36) * h, u(0.1, 0.2) * h
        self.leg, self.arm, self.thick = u(0.3, 0.42) * h, u(0.26, 0.36) * h, u(0.05, 0.09) * h
        self.has = {name: bool(random.random() < often) for name, often in HAS.items()}
        self.buttons = int(random.integers(0, 4))
        self.pot_of = {
            "sleeve": "top" if random.random() < 0.7 else "sleeve",
            "leg1": "leg0" if random.random() < 0.8 else "leg1",
            "cuff": "cuff" if random.random() < 0.5 else "skin",
            "ear": "tail" if self.has["tail"] else "skin",
        }
        self.phase, self.far, self.often = u(0, 6.28, 20), u(0.2, 1.0, 20), u(0.6, 1.6, 20)
        self.shape, self.wave = u(0, 6.28, 2), u(0, 0.08)
        self.side = 1 if random.random() < 0.5 else -1
        self.blinks = int(random.integers(0, 7))
        self.order = random.permutation(2)
        self.parts: list[Part] = []

    def swing(self, k: int, t: float) -> float:
        return float(self.far[k] * np.sin(self.phase[k] + 2 * np.pi * t * self.often[k]))

    def add(self, name: str, pot: str, outline: np.ndarray) -> None:
        self.parts.append(Part(self.tag + name, self.tag + self.pot_of.get(pot, pot), outline))

    def at(self, root: Place, t: float, number: int) -> list[Part]:
        """Its forms from the back to the front, with the hips at a place."""
        self.parts = []
        lean = 12 * self.swing(0, t)
        turn = rotation(lean)
        hip = np.array(root)
        neck = hip + turn @ np.array([0, -self.torso])
        far, near = self.order
        if self.has["tail"]:
            self._tail(hip, t)
        self._arm(far, neck, turn, t)
        self._leg(far, hip, t)
        self._leg(near, hip, t)
        self._body(hip, neck, turn, lean)
        self._head(neck, turn, lean, t, number)
        self._arm(near, neck, turn, t)
        return self.parts

    def _tail(self, hip: np.ndarray, t: float) -> None:
        way = [hip + np.array([-self.side * self.wide * 0.7, -0.05 * self.height])]
        for k in range(3):
            bend = 0.05 * np.sin(self.phase[10] + 2 * np.pi * t * self.often[10] + k)
            way.append(way[-1] + self.height * np.array([-self.side * 0.1, bend]))
        self.add(
            "tail", "tail", limb([tuple(p) for p in way], [self.thick, 0.9 * self.thick, 0.4 * self.thick])
        )
        self._striped(way, (0.25, 0.5, 0.75), 5, self.thick)

    def _striped(self, way: Sequence[np.ndarray], places: Sequence[float], half: float, width: float) -> None:
        if self.has["stripes"]:
            line = curve([tuple(p) for p in way])
            for place in places:
                k = int(place * (len(line) - 1))
                along = line[min(k + 5, len(line) - 1)] - line[max(k - 5, 0)]
                along = along / max(float(np.hypot(*along)), 1.0)
                self.add(
                    f"stripe{k}", "stripe", bar(line[k] - half * along, line[k] + half * along, [width] * 2)
                )

    def _leg(self, k: int, hip: np.ndarray, t: float) -> None:
        w = self.thick
        at = self.phase[1] + np.pi * k + 2 * np.pi * t * self.often[1]
        foot = hip + np.array([
            0.35 * self.leg * self.far[1] * np.sin(at) * self.side, self.leg * (1 - 0.12 * max(0.0, np.cos(at)))
        ])  # fmt: skip
        top = hip + np.array([(0.3 if k else -0.3) * self.wide, 0])
        knee = two_bones(top, foot, self.leg * 0.52, self.leg * 0.52, -self.side)
        self.add(f"leg{k}", f"leg{k}", limb([tuple(top), tuple(knee), tuple(foot)], [1.6 * w, 1.3 * w, w]))
        if self.has["cuff"]:
            along = (foot - knee) / max(float(np.hypot(*(foot - knee))), 1.0)
            self.add(
                f"legcuff{k}", "cuff", bar(foot - 1.1 * w * along, foot - 0.1 * w * along, [1.35 * w] * 2)
            )
        shoe = foot + np.array([self.side * 0.9 * w, 0.25 * w])
        if self.has["sole"]:
            self.add(f"sole{k}", "sole", ellipse(shoe + np.array([0, 0.45 * w]), 1.5 * w, 0.45 * w))
        self.add(
            f"shoe{k}", "shoe", blob(shoe, 1.45 * w, 0.7 * w, 4 * self.swing(8 + k, t), 0.05, self.shape)
        )

    def _arm(self, k: int, neck: np.ndarray, turn: np.ndarray, t: float) -> None:
        w = self.thick
        shoulder = neck + turn @ np.array([(0.67 if k else -0.67) * self.wide, 0.14 * self.torso])
        swing = 70 * self.far[3] * np.sin(self.phase[3] + 0.9 * np.pi * k + 2 * np.pi * t * self.often[3])
        angle = np.deg2rad(90 - (2 * k - 1) * 25 * self.far[5] + swing)
        reach = self.arm * (0.75 + 0.25 * np.cos(self.phase[6] + 2 * np.pi * t * self.often[6]))
        hand = shoulder + reach * np.array([np.cos(angle), np.sin(angle)])
        elbow = two_bones(shoulder, hand, self.arm * 0.52, self.arm * 0.52, self.side)
        if self.has["prop"] and k == 1:
            half, held = 2.2 * w, hand + np.array([self.side * 1.76 * w, 0])
            corners = [(-half, -0.7 * half), (half, -0.7 * half), (half, 0.9 * half), (-half, 0.9 * half)]
            self.add("prop", "prop", box(held, corners, rotation(25 * self.swing(9, t))))
            self.add("knob", "knob", ellipse(held, 0.5 * half, 0.4 * half))
        self.add(
            f"arm{k}",
            "sleeve",
            limb([tuple(shoulder), tuple(elbow), tuple(hand)], [1.4 * w, 1.2 * w, 0.95 * w]),
        )
        along = (hand - elbow) / max(float(np.hypot(*(hand - elbow))), 1.0)
        if self.has["cuff"]:
            self.add(
                f"armcuff{k}", "cuff", bar(hand - 0.5 * w * along, hand + 0.2 * w * along, [1.2 * w] * 2)
            )
        turned = float(np.rad2deg(np.arctan2(along[1], along[0])))
        self.add(
            f"hand{k}", "skin", blob(hand + 0.6 * w * along, 0.75 * w, 0.6 * w, turned, 0.08, self.shape)
        )

    def _body(self, hip: np.ndarray, neck: np.ndarray, turn: np.ndarray, lean: float) -> None:
        w = self.thick
        self.add(
            "torso", "top", blob((hip + neck) / 2, self.wide, 0.58 * self.torso, lean, self.wave, self.shape)
        )
        if self.has["skirt"]:
            waist = hip + turn @ np.array([0, -0.2 * self.torso])
            self.add(
                "skirt",
                "skirt",
                bar(waist, hip + np.array([0, 0.35 * self.leg]), [1.7 * self.wide, 2.4 * self.wide]),
            )
        if self.has["belt"]:
            ends = [hip + turn @ np.array([s * 0.95 * self.wide, -0.12 * self.torso]) for s in (-1, 1)]
            self.add("belt", "belt", bar(*ends, [0.5 * w] * 2))
        for k in range(self.buttons):
            up = 0.3 + 0.2 * k
            place = hip * (1 - up) + neck * up + turn @ np.array([self.side * 0.25 * self.wide, 0])
            self.add(f"button{k}", "button", ellipse(place, 0.22 * w, 0.22 * w))
        if self.has["pocket"]:
            place = 0.65 * hip + 0.35 * neck + turn @ np.array([-self.side * 0.45 * self.wide, 0])
            self.add("pocket", "pocket", box(place, [(-12, -12), (12, -12), (12, 12), (-12, 12)], turn))

    def _head(self, neck: np.ndarray, turn: np.ndarray, lean: float, t: float, number: int) -> None:
        r, side = self.head, self.side
        middle = neck + turn @ np.array([0, -0.85 * r]) + np.array([6 * self.swing(11, t), 0])
        tilt = lean + 10 * self.swing(12, t)
        tilted = rotation(tilt)

        def on(x: float, y: float) -> np.ndarray:
            return np.asarray(middle + r * (tilted @ np.array([x, y])))

        look = side * 0.35 + 0.2 * self.swing(13, t)
        if self.has["hair"]:
            self.add(
                "hair", "hair", blob(on(-side * 0.15, -0.12), 1.12 * r, 1.12 * r, tilt, 0.06, self.shape)
            )
        if self.has["ears"]:
            for e in (-1, 1):
                place = on(0.85 * e, -0.75 if self.has["tail"] else -0.1)
                self.add(f"ear{e}", "ear", ellipse(place, 0.26 * r, 0.3 * r))
        self.add("neck", "skin", bar(neck + turn @ np.array([0, 6]), middle, [1.1 * self.thick] * 2))
        self.add("head", "skin", blob(middle, 0.92 * r, r, tilt, 0.04, self.shape))
        for e in (-1, 1):
            eye = (look + 0.33 * e, -0.12)
            if (number + self.blinks) % 7 == 0:
                self.add(f"lid{e}", "skin", ellipse(on(*eye), 0.17 * r, 0.06 * r, tilt))
            else:
                self.add(f"eye{e}", "eye", ellipse(on(*eye), 0.17 * r, 0.2 * r, tilt))
                seen = on(eye[0] + 0.05 * side + 0.04 * self.swing(14, t), eye[1])
                self.add(f"pupil{e}", "pupil", ellipse(seen, 0.085 * r, 0.1 * r, tilt))
            if self.has["brow"]:
                self.add(
                    f"brow{e}", "hair", bar(on(eye[0] - 0.18, -0.45), on(eye[0] + 0.18, -0.48), [6, 8], True)
                )
        self.add("nose", "skin", ellipse(on(look + side * 0.1, 0.18), 0.1 * r, 0.09 * r, tilt))
        if self.has["mouth"]:
            opens = 0.5 + 0.5 * np.sin(self.phase[15] + 4 * np.pi * t * self.often[15])
            self.add("mouth", "mouth", ellipse(on(look, 0.5), 0.25 * r, (0.05 + 0.14 * opens) * r, tilt))
        if self.has["hair"]:
            self.add(
                "fringe",
                "hair",
                blob(on(-side * 0.1, -0.72), 0.8 * r, 0.3 * r, tilt - 8 * side, 0.08, self.shape),
            )
        if self.has["hat"]:
            self.add("hat", "hat", bar(on(0, -0.6), on(0, -1.5), [1.3 * r, r], True))
            self.add("band", "band", bar(on(-0.66, -0.75), on(0.66, -0.75), [0.22 * r] * 2))
            self.add("brim", "hat", ellipse(on(side * 0.1, -0.6), 1.25 * r, 0.16 * r, tilt))
        if self.has["scarf"]:
            knot = on(0, 0.95)
            half = knot + self.height * np.array([-side * 0.1, 0.03 * self.swing(16, t)])
            flies = 0.08 * np.sin(self.phase[17] + 2 * np.pi * t * self.often[17])
            way = [knot, half, half + self.height * np.array([-side * 0.13, flies])]
            w = self.thick
            self.add(
                "scarf end", "scarf", limb([tuple(p) for p in way], [0.8 * w, w, 1.1 * w], round_end=False)
            )
            self._striped(way, (0.5, 0.75), 6, w)
            self.add("scarf", "scarf", ellipse(knot, 0.75 * r, 0.26 * r, tilt))


@dataclass(frozen=True)
class Thing:
    """A thing that lies about or flies by: a ball, a house or a tub."""

    kind: int
    tag: str
    size: float
    spin: float
    start: np.ndarray
    path: np.ndarray
    in_front: bool

    def at(self, gone: float, t: float) -> list[Part]:
        """Its forms after a share of its path."""
        c, z, straight = self.start + gone * self.path, self.size, np.eye(2)

        def part(name: str, outline: np.ndarray) -> Part:
            return Part(self.tag + name, self.tag + name, outline)

        if self.kind == 0:
            across = rotation(360 * self.spin * t) @ np.array([0.97 * z, 0])
            return [
                part("ball", ellipse(c, z, z)),
                part("stripe", bar(c - across, c + across, [0.5 * z] * 2)),
            ]
        if self.kind == 1:
            wall = [(-2 * z, -1.2 * z), (0, -2.6 * z), (2 * z, -1.2 * z), (2 * z, 1.5 * z), (-2 * z, 1.5 * z)]
            door = [(-0.5 * z, 0), (0.4 * z, 0), (0.4 * z, 1.5 * z), (-0.5 * z, 1.5 * z)]
            window = ellipse(c + np.array([z, -0.3 * z]), 0.4 * z, 0.4 * z)
            return [
                part("wall", box(c, wall, straight)),
                part("door", box(c, door, straight)),
                part("window", window),
            ]
        tub = [(-1.5 * z, -z), (1.5 * z, -z), (1.2 * z, z), (-1.2 * z, z)]
        lid = [(-1.7 * z, -1.3 * z), (1.7 * z, -1.3 * z), (1.7 * z, -0.8 * z), (-1.7 * z, -0.8 * z)]
        spot = ellipse(c + np.array([0, 0.1 * z]), 0.35 * z, 0.35 * z)
        return [part("tub", box(c, tub, straight)), part("lid", box(c, lid, straight)), part("spot", spot)]


def lines_of(seed: int) -> list[np.ndarray]:
    """The true lines of a figure with something round beside it."""
    random = np.random.default_rng(seed)
    u = random.uniform
    figure = Figure(random, "A")
    parts = figure.at(np.array([u(450, 650), u(400, 480)]), u(0, 3), 0)
    for k in range(random.integers(0, 3)):
        middle = np.array([u(150, 950), u(150, 700)])
        rings = [ellipse(tuple(middle), size, size * u(0.6, 1)) for size in (u(40, 120), u(12, 30))]
        parts[:0] = [Part(f"ring {k} {n}", "ring", ring) for n, ring in enumerate(rings)]
    return [np.asarray(line, float) for line in flatten(parts, SIZE).lines if len(line) > 3]


def made(seed: int) -> tuple[list[Patches], list[np.ndarray]]:
    """A run of drawings: their patches, and (h, w) the pot of each pixel, NOTHING for paper. A quarter of the seeds give
    unlike poses with nothing between, in several sizes and looking either way."""
    random = np.random.default_rng(seed)
    u = random.uniform
    unlike = random.random() < 0.25
    figures = [Figure(random, tag) for tag in "AB"[: 1 + int(random.random() < 0.5)]]
    things = [
        Thing(
            int(random.integers(0, 3)), f"{k}", u(28, 60), u(-1.5, 1.5), np.array([u(150, 950), u(300, 650)]),
            np.array([u(-500, 500), u(-150, 150)]) * (random.random() < 0.5), bool(random.random() < 0.4),
        )
        for k in range(random.integers(0, 3))
    ]  # fmt: skip
    starts = [np.array([u(200, 900), u(400, 520)]) for _ in figures]
    paths = [np.array([u(-450, 450) * (random.random() < 0.6), u(-60, 60)]) for _ in figures]
    jumps = [u(0, 150) * (random.random() < 0.4) for _ in figures]
    speed, width = u(0.25, 1.1), int(random.integers(3, 7))
    numbers: dict[str, int] = {}
    drawings, pots = [], []
    for k in range(DRAWINGS):
        gone = u(0, 1) if unlike else k / (DRAWINGS - 1)
        t = u(0, 3) if unlike else speed * gone
        parts = [p for thing in things if not thing.in_front for p in thing.at(gone, t)]
        for figure, start, path, jump in zip(figures, starts, paths, jumps, strict=True):
            parts += figure.at(start + path * (gone - 0.5) - np.array([0, jump * np.sin(np.pi * gone)]), t, k)
        parts += [p for thing in things if thing.in_front for p in thing.at(gone, t)]
        if unlike:
            middle, larger = np.array(SIZE) / 2, u(0.65, 1.4)
            scale = larger * np.array([-1 if random.random() < 0.4 else 1, 1])
            parts = [replace(p, outline=middle + (p.outline - middle) * scale) for p in parts]
        flat = flatten(parts, SIZE)
        wall = np.zeros(SIZE[::-1], np.uint8)
        cv2.polylines(
            wall, [np.round(p * 8).astype(np.int32) for p in flat.lines], False, 1, width, cv2.LINE_8, 3
        )
        drawings.append(find_patches(wall > 0))
        table = [
            NOTHING if name == "paper" else numbers.setdefault(name, 1 + len(numbers)) for name in flat.names
        ]
        pots.append(np.array(table)[flat.pots])
    return drawings, pots
