"""Figures of solid forms put together at random, with what lies before what known: for teaching how forms are read."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from schoon.core.patches import Patches, most_of, patches_of
from schoon.core.tone.blown import poisson
from schoon.demo.shapes import curve, ellipse, limb, rotation, two_bones

SIZE = (900, 760)
DRAWINGS = 5

Place = np.ndarray


@dataclass(frozen=True)
class Drawn:
    """A drawing. patches and pots as `forms_of` takes them. solid: (h, w) solid of each pixel of SIZE, 0 for paper; whole:
    (solids + 1) mask of each, with what is hidden of it."""

    patches: Patches
    pots: np.ndarray
    solid: np.ndarray
    whole: list[np.ndarray]


@dataclass(frozen=True)
class Shape:
    """A closed outline. on: the solid it is a mark of, "" for one of its own. depth: what is higher lies before."""

    name: str
    pot: int
    outline: np.ndarray
    depth: float
    on: str = ""


def blob(centre: Place, rx: float, ry: float, turn: float, wave: float, phase: float) -> np.ndarray:
    """A round form that is not quite an ellipse."""
    t = np.linspace(0, 2 * np.pi, 16, endpoint=False)
    r = 1 + wave * np.cos(phase + 2 * t) + 0.6 * wave * np.cos(2 * phase + 3 * t)
    ring = np.c_[rx * r * np.cos(t), ry * r * np.sin(t)] @ rotation(turn).T + centre
    return curve([tuple(p) for p in ring], closed=True)


def egg(centre: Place, rx: float, ry: float, turn: float, pear: float) -> np.ndarray:
    """An ellipse that is wider at one end."""
    t = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    wide = 1 + pear * np.sin(t)
    return np.c_[rx * wide * np.cos(t), ry * np.sin(t)] @ rotation(turn).T + centre


def tube(way: list[Place], widths: list[float], ends: tuple[bool, bool] = (True, True)) -> np.ndarray:
    return limb([tuple(p) for p in way], widths, round_start=ends[0], round_end=ends[1])


class Figure:
    """A figure whose measures, colours and order in depth are drawn once; its pose comes from the time."""

    def __init__(self, random: np.random.Generator, tag: str, pots: int) -> None:
        self.random, self.tag, self.first = random, tag, pots
        u = random.uniform
        self.h = u(330, 560)
        self.head, self.wide, self.tall = u(0.1, 0.19) * self.h, u(0.1, 0.17) * self.h, u(0.15, 0.22) * self.h
        self.thick, self.leg = u(0.055, 0.1) * self.h, u(0.24, 0.4) * self.h
        self.arm = u(0.26, 0.4) * self.h
        self.taper = u(0.5, 1.1, 3)
        self.pear, self.wave, self.phase = u(-0.3, 0.3), u(0, 0.07), u(0, 6.28, 24)
        self.far, self.often = u(0.2, 1, 24), u(0.5, 1.6, 24)
        self.side = 1 if random.random() < 0.5 else -1
        self.has = {
            name: bool(random.random() < often)
            for name, often in {
                "ears": 0.6, "hat": 0.5, "tail": 0.55, "prop": 0.6, "pocket": 0.6, "eyes": 0.95, "hands": 0.85,
                "shoes": 0.85, "hair": 0.25, "skirt": 0.2, "cuffs": 0.25, "scarf": 0.25, "neck": 0.25, "nose": 0.4,
            }.items()
        }  # fmt: skip
        self.buttons = int(random.integers(0, 4))
        self.squat = u(0.8, 1.3)
        self.depth = {
            "tail": -3.0, "arm0": u(-2.5, -0.5), "leg0": -1.2, "leg1": random.choice([-1.0, 0.8]), "torso": 0.0,
            "head": random.choice([0.5, 0.5, -0.2]), "arm1": random.choice([1.5, 1.5, -0.6]), "skirt": random.choice([0.3, 0.9]),
        }  # fmt: skip
        self.hand_before, self.shoe_before = random.random() < 0.6, random.random() < 0.7
        self.ear_before = random.random() < 0.15
        self.brim_before = random.random() < 0.75
        self.one_colour = random.random() < 0.5
        self.colours: dict[str, int] = {}

    def swing(self, k: int, t: float) -> float:
        return float(self.far[k] * np.sin(self.phase[k] + 2 * np.pi * t * self.often[k]))

    def pot(self, name: str) -> int:
        return self.colours.setdefault(name, self.first + len(self.colours))

    def at(self, root: Place, t: float, number: int) -> list[Shape]:
        """Its forms with the hips at a place."""
        out: list[Shape] = []
        tag, w, h = self.tag, self.thick, self.h

        def add(name: str, pot: str, outline: np.ndarray, depth: float, on: str = "") -> None:
            out.append(Shape(tag + name, self.pot(pot), outline, depth, tag + on if on else ""))

        lean = 10 * self.swing(0, t)
        turn = rotation(lean)
        hip = root
        neck = hip + turn @ np.array([0, -1.75 * self.tall])
        middle = (hip + neck) / 2
        limbs = "sleeve" if self.one_colour else "coat"
        if self.has["tail"]:
            way = [hip + np.array([-self.side * 0.5 * self.wide, -0.1 * self.tall])]
            for k in range(3):
                way.append(
                    way[-1]
                    + h
                    * np.array(
                        [
                            -self.side * (0.1 - 0.03 * k),
                            0.05 * (1 - 1.3 * k) + 0.03 * self.swing(3, t + 0.1 * k),
                        ]
                    )
                )
            add("tail", "tail", tube(way, [w, 0.8 * w, 0.4 * w]), self.depth["tail"])
            line = curve([tuple(p) for p in way])
            for k in range(int(self.phase[20]) % 5):
                at = int((0.25 + 0.15 * k) * (len(line) - 1))
                along = (line[min(at + 6, len(line) - 1)] - line[at - 6]) / 12
                along /= max(float(np.hypot(*along)), 1e-6)
                across = np.array([-along[1], along[0]]) * 0.6 * w
                box = [line[at] + s * 5 * along + c * across for s, c in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
                add(f"stripe{k}", "stripe", np.array(box), self.depth["tail"] + 0.01, "tail")
        for k in (0, 1):
            self._limb_pair(add, k, hip, neck, turn, t, limbs)
        if abs(self.pear) > 0.12:
            add("torso", "coat", egg(middle, self.wide, self.tall * 1.1, lean, self.pear), 0.0)
        else:
            add(
                "torso",
                "coat",
                blob(middle, self.wide, self.tall * 1.1, lean, self.wave, self.phase[21]),
                0.0,
            )
        if self.has["skirt"]:
            low = hip + np.array([0, 0.4 * self.leg])
            add("skirt", "skirt", tube([hip - np.array([0, 0.3 * self.tall]), low], [1.7 * self.wide, 2.6 * self.wide], (False, False)), self.depth["skirt"])  # fmt: skip
        for k in range(self.buttons):
            up = 0.25 + 0.18 * k
            place = hip * (1 - up) + neck * up + turn @ np.array([self.side * 0.2 * self.wide, 0])
            add(f"button{k}", "button", ellipse(place, 0.14 * w + 3, 0.14 * w + 4), 0.05, "torso")
        if self.has["pocket"]:
            place = middle + turn @ np.array([-self.side * 0.45 * self.wide, 0.3 * self.tall])
            add("pocket", "pocket", ellipse(place, 0.3 * w + 4, 0.3 * w + 5), 0.04, "torso")
        self._head(add, neck, turn, lean, t, number)
        return out

    def _limb_pair(self, add, k: int, hip: Place, neck: Place, turn: Place, t: float, limbs: str) -> None:  # type: ignore[no-untyped-def]
        w, side = self.thick, self.side
        deep = self.depth[f"leg{k}"]
        at = self.phase[1] + np.pi * k + 2 * np.pi * t * self.often[1]
        top = hip + np.array([(0.35 if k else -0.35) * self.wide * side, -0.15 * self.tall])
        foot = hip + np.array(
            [0.4 * self.leg * self.far[1] * np.sin(at) * side, self.leg * (1 - 0.1 * max(0.0, np.cos(at)))]
        )
        knee = (
            two_bones(top, foot, self.leg * 0.6, self.leg * 0.6, -side)
            if self.far[2] > 0.6
            else (top + foot) / 2
        )
        add(
            f"leg{k}",
            "leg",
            tube([top, knee, foot], [1.7 * w, 1.4 * w, (0.7 + 0.4 * self.taper[0]) * w]),
            deep,
        )
        if self.has["shoes"]:
            shoe = foot + np.array([side * 0.5 * w, 0.25 * w])
            before = 0.05 if self.shoe_before else -0.05
            add(
                f"shoe{k}",
                "shoe",
                blob(shoe, 1.1 * w, 0.6 * w, 5 * self.swing(8 + k, t), 0.05, 1.0),
                deep + before,
            )
        deep = self.depth[f"arm{k}"]
        shoulder = neck + turn @ np.array([(0.8 if k else -0.8) * self.wide * side, 0.35 * self.tall])
        angle = np.deg2rad(
            90
            + (35 if k else -35) * self.far[5] * side
            + 65 * self.far[3] * np.sin(self.phase[3] + 1.7 * k + 2 * np.pi * t * self.often[3])
        )
        reach = self.arm * (0.72 + 0.25 * np.cos(self.phase[6] + k + 2 * np.pi * t * self.often[6]))
        hand = shoulder + reach * np.array([np.cos(angle), np.sin(angle)])
        elbow = two_bones(shoulder, hand, self.arm * 0.52, self.arm * 0.52, side)
        widths = [1.5 * w, 1.2 * w, (0.6 + 0.3 * self.taper[1]) * w]
        add(f"arm{k}", limbs, tube([shoulder, elbow, hand], widths), deep)
        along = (hand - elbow) / max(float(np.hypot(*(hand - elbow))), 1.0)
        near = 0.05 if self.hand_before else -0.05
        if self.has["cuffs"]:
            add(
                f"cuff{k}",
                "cuff",
                tube([hand - 0.4 * w * along, hand + 0.3 * w * along], [1.15 * w, 1.2 * w], (False, False)),
                deep + 0.02,
            )
        if self.has["hands"]:
            add(
                f"hand{k}",
                "skin",
                blob(
                    hand + 0.35 * w * along,
                    0.6 * w,
                    0.52 * w,
                    float(np.rad2deg(np.arctan2(along[1], along[0]))),
                    0.06,
                    2.0,
                ),
                deep + near,
            )
        if self.has["prop"] and k == 1:
            held = hand + 0.5 * w * along + np.array([0, 0.9 * w])
            size = (0.9 + 0.5 * self.taper[2]) * w
            before = deep + (0.08 if self.phase[22] < 4 else -0.08)
            add("prop", "prop", ellipse(held, 0.8 * size, size, 20 * self.swing(9, t)), before)
            add(
                "glass",
                "glass",
                ellipse(held, 0.45 * size, 0.55 * size, 20 * self.swing(9, t)),
                before + 0.005,
                "prop",
            )

    def _head(self, add, neck: Place, turn: Place, lean: float, t: float, number: int) -> None:  # type: ignore[no-untyped-def]
        r, side = self.head, self.side
        rx, ry = r * self.squat**0.5, r / self.squat**0.5
        middle = neck + turn @ np.array([0, -0.75 * ry]) + np.array([5 * self.swing(11, t), 0])
        tilt = lean + 8 * self.swing(12, t)
        tilted = rotation(tilt)
        deep = self.depth["head"]

        def on(x: float, y: float) -> np.ndarray:
            return np.asarray(middle + tilted @ np.array([x * rx, y * ry]))

        if self.has["neck"]:
            add(
                "neck",
                "skin",
                tube([neck + turn @ np.array([0, 0.2 * self.tall]), middle], [0.8 * r, 0.8 * r]),
                deep - 0.2,
            )
        if self.has["hair"]:
            add(
                "hair",
                "hair",
                blob(on(-0.1 * side, -0.15), 1.15 * rx, 1.15 * ry, tilt, 0.06, self.phase[7]),
                deep - 0.1,
            )
        if self.has["ears"]:
            up = -0.85 if self.phase[13] < 3.5 else -0.1
            for e in (-1, 1):
                add(
                    f"ear{e}",
                    "ear",
                    ellipse(on(0.75 * e if up < -0.5 else e, up), 0.3 * r, 0.34 * r),
                    deep + (0.1 if self.ear_before else -0.1),
                )
        add("head", "skin", blob(middle, rx, ry, tilt, 0.02, self.phase[14]), deep)
        if self.has["eyes"]:
            look = 0.3 * side * self.far[13] + 0.15 * self.swing(13, t)
            for e in (-1, 1):
                eye = (look + 0.36 * e, -0.05)
                if (number + int(self.phase[15])) % 7 == 0:
                    add(
                        f"lid{e}", "white", ellipse(on(*eye), 0.18 * rx, 0.05 * ry, tilt), deep + 0.02, "head"
                    )
                else:
                    add(f"eye{e}", "white", ellipse(on(*eye), 0.19 * r, 0.23 * r, tilt), deep + 0.02, "head")
                    seen = on(eye[0] + 0.1 * self.swing(16, t), eye[1] + 0.08 * self.swing(17, t))
                    add(f"pupil{e}", "pupil", ellipse(seen, 0.08 * r, 0.11 * r, tilt), deep + 0.03, "head")
            add(
                "mouth",
                "mouth",
                ellipse(on(look, 0.5), 0.26 * rx, (0.06 + 0.08 * self.far[18]) * ry, tilt),
                deep + 0.02,
                "head",
            )
        if self.has["nose"]:
            add("nose", "nose", ellipse(on(0.3 * side, 0.2), 0.16 * r, 0.13 * r, tilt), deep + 0.04, "head")
        if self.has["scarf"]:
            add("scarf", "scarf", ellipse(on(0, 0.95), 0.8 * rx, 0.24 * r, tilt), deep + 0.2)
        if self.has["hat"]:
            up = -0.55 - 0.25 * self.far[19]
            crown = [on(0, up), on(0, up - 0.3), on(0, up - 0.75 - 0.3 * self.far[20])]
            over = deep + (0.3 if self.brim_before else 0.15)
            if self.phase[19] < 3.5:
                add("crown", "hat", blob(on(0, up - 0.35), 0.75 * rx, 0.75 * r, tilt, 0.02, 1.0), deep + 0.2)
            else:
                add("crown", "hat", tube(crown, [1.5 * rx, 1.45 * rx, 1.2 * rx], (False, True)), deep + 0.2)
            add(
                "brim",
                "brim" if self.phase[18] < 3 else "hat",
                ellipse(on(0, up), 1.25 * rx, (0.15 + 0.12 * self.far[21]) * r, tilt),
                over,
            )


def heap(random: np.random.Generator) -> list[tuple[int, np.ndarray, np.ndarray, float]]:
    """Loose things: pot, outline about 0, where it goes, depth."""
    out = []
    for k in range(int(random.integers(3, 9))):
        u = random.uniform
        kind = random.integers(0, 4)
        zero = np.zeros(2)
        size = u(35, 110)
        if kind == 0:
            ring = ellipse(zero, size, size * u(0.3, 1.0), u(0, 180))
        elif kind == 1:
            ring = blob(zero, size, size * u(0.5, 1.0), u(0, 180), u(0, 0.1), u(0, 6))
        elif kind == 2:
            ring = egg(zero, size, size * u(0.7, 1.6), u(0, 360), u(-0.4, 0.4))
        else:
            way = [zero, u(-1, 1, 2) * size, u(-1.6, 1.6, 2) * size]
            ring = tube(way, [size * u(0.4, 0.9), size * u(0.4, 0.8), size * u(0.3, 0.7)])
        out.append((k, ring, np.c_[u(150, 750, 2), u(150, 600, 2)], float(k)))
    return out


def made(seed: int) -> list[Drawn]:
    """A run of drawings, from a seed."""
    random = np.random.default_rng(seed)
    u = random.uniform
    width = int(random.integers(3, 8))
    loose = heap(random) if random.random() < 0.3 else []
    figures = (
        []
        if loose
        else [Figure(random, tag, 1 + 40 * k) for k, tag in enumerate("AB"[: 1 + int(random.random() < 0.3)])]
    )
    places = [np.array([u(250, 650), u(400, 470)]) for _ in figures]
    paths = [np.array([u(-200, 200), 0]) for _ in figures]
    speed, far, reach = u(0.2, 0.9), u(15, 45), bool(random.random() < 0.5)
    drawings = []
    for n in range(DRAWINGS):
        gone = n / (DRAWINGS - 1)
        shapes = [
            Shape(
                f"{k}",
                1 + k,
                ring @ rotation(40 * gone * (k % 3 - 1)).T + way[:, 0] * (1 - gone) + way[:, 1] * gone,
                deep,
            )
            for k, ring, way, deep in loose
        ]
        for k, figure in enumerate(figures):
            own = figure.at(places[k] + paths[k] * (gone - 0.5), speed * gone, n)
            shapes += [Shape(s.name, s.pot, s.outline, s.depth + 20 * k, s.on) for s in own]
        drawings.append(_drawn(sorted(shapes, key=lambda s: s.depth), width, far, reach))
    return drawings


def _drawn(shapes: list[Shape], width: int, far: float, reach: bool) -> Drawn:
    """far: px towards the viewer that a step of depth stands for. reach: solids reach into each other, and meet where they do."""
    size = SIZE[::-1]
    masks = []
    for shape in shapes:
        mask = np.zeros(size, np.uint8)
        cv2.fillPoly(mask, [np.round(shape.outline * 16).astype(np.int32)], 1, cv2.LINE_8, 4)
        # An outline that crosses itself leaves holes.
        rings, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        cv2.drawContours(mask, rings, -1, 1, cv2.FILLED)
        masks.append(mask > 0)
    names = [s.name for s in shapes if not s.on]
    whole = [np.zeros(size, bool)] + [m for s, m in zip(shapes, masks, strict=True) if not s.on]
    top, solid, code = np.zeros(size, np.int32), np.zeros(size, np.int32), np.zeros(size, np.int64)
    front = np.full(size, -np.inf, np.float32)
    for k, (shape, mask) in enumerate(zip(shapes, masks, strict=True), 1):
        if shape.on:
            # A mark is seen only where its solid is.
            own = names.index(shape.on) + 1
            where = mask & (solid == own)
        else:
            own = names.index(shape.name) + 1
            # A brim is a disc, and hair lies on a head.
            swells = (
                3.0 if shape.name.endswith(("brim", "scarf")) else 0.3 if shape.name.endswith("hair") else 1.0
            )
            surface = far * shape.depth + (swells * _height(mask) if reach else np.zeros(size, np.float32))
            where = mask & (surface >= front)
            front[where] = surface[where]
        top[where], solid[where], code[where] = k, own, shape.pot
    edge = np.zeros(size, np.uint8)
    edge[:, 1:] |= (top[:, 1:] != top[:, :-1]).astype(np.uint8)
    edge[1:] |= (top[1:] != top[:-1]).astype(np.uint8)
    ink = cv2.dilate(edge, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (width, width))) > 0
    patches = patches_of(ink, code)
    return Drawn(patches, most_of(patches, code)[0], solid, whole)


def _height(mask: np.ndarray) -> np.ndarray:
    """(h, w) how far a solid bulges towards the viewer, px."""
    small = cv2.resize(mask.astype(np.uint8), None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA) > 0
    if small.sum() < 4:
        return np.zeros(mask.shape, np.float32)
    inside = np.pad(small, 1)
    u = np.zeros(inside.shape)
    (u[inside],) = poisson([inside])
    deep = float(cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5).max())
    height = 4 * deep * np.sqrt(u / u.max())
    return cv2.resize(height[1:-1, 1:-1].astype(np.float32), mask.shape[::-1], interpolation=cv2.INTER_LINEAR)
