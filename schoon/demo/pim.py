"""Pim, the otter who keeps the lighthouse: one rig of drawn curves, posed by a few numbers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..core.strokes import Points, resample
from .shapes import Part, curve, ellipse, limb, rotation, two_bones

POTS: dict[str, str] = {
    "Hat": "#f2bd2b",
    "Hat band": "#c9861b",
    "Fur": "#8a5a3b",
    "Ear": "#c98b6b",
    "Muzzle": "#f0d9b5",
    "Nose": "#2b2530",
    "Eye": "#fdfaf2",
    "Pupil": "#241f2b",
    "Coat": "#edb21f",
    "Cuff": "#d18f17",
    "Button": "#a8702a",
    "Scarf": "#f5efe2",
    "Stripe": "#b8392f",
    "Brass": "#bd8a35",
    "Glass": "#cfe7e2",
    "Flame": "#ff9d2e",
    "Boot": "#2f4a63",
    "Sole": "#1b2a3a",
}
"""Pots of the model with their colours at noon on the quay."""

PARTS: dict[str, str] = {
    **dict.fromkeys(("Hat", "Hat band"), "Hat"),
    **dict.fromkeys(("Fur", "Ear", "Muzzle", "Nose", "Eye", "Pupil"), "Otter"),
    **dict.fromkeys(("Coat", "Cuff", "Button"), "Coat"),
    **dict.fromkeys(("Scarf", "Stripe"), "Scarf"),
    **dict.fromkeys(("Brass", "Glass", "Flame"), "Lantern"),
    **dict.fromkeys(("Boot", "Sole"), "Boots"),
}
"""Part of the model each pot belongs to."""


@dataclass(frozen=True)
class Pose:
    """Numbers in px of a Pim about 640 px tall and in degrees; the origin is the middle of his hips.

    near_foot and far_foot are ankles; near_hand holds the lantern. squash above 1 makes him low and wide.
    """

    place: tuple[float, float] = (960.0, 740.0)
    size: float = 1.0
    lean: float = 4.0
    squash: float = 1.0
    head: float = 0.0
    look: tuple[float, float] = (6.0, 0.0)
    blink: float = 0.0
    near_foot: tuple[float, float] = (40.0, 175.0)
    far_foot: tuple[float, float] = (-30.0, 175.0)
    near_toe: float = 0.0
    far_toe: float = 0.0
    near_hand: tuple[float, float] = (165.0, -150.0)
    far_hand: tuple[float, float] = (-60.0, -70.0)
    swing: float = 0.0
    scarf: float = 0.0
    tail: float = 0.0
    flame: float = 1.0


def draw(pose: Pose) -> list[Part]:
    """Pim's parts from the back to the front, in px of the picture, in three-quarter view to the right."""
    bend = rotation(pose.lean)
    hips = np.zeros(2)

    def up(x: float, y: float) -> tuple[float, float]:
        """A point of the trunk: squashed, then leaned about the hips."""
        point = bend @ np.array([x * (1 + 0.6 * (pose.squash - 1)), y / pose.squash])
        return float(point[0]), float(point[1])

    neck = np.array(up(14, -232))
    parts = [
        _tail(pose),
        *_arm(np.array(up(44, -205)), np.array(pose.far_hand), "far", bend=1),
        *_leg(hips + np.array([-26, 20]), np.array(pose.far_foot), pose.far_toe, "far"),
        *_leg(hips + np.array([30, 24]), np.array(pose.near_foot), pose.near_toe, "near"),
        *_scarf_ends(neck, pose),
        *_coat(up),
        *_scarf_wrap(neck, pose.lean),
        *_head(neck, pose),
        *_lantern(np.array(pose.near_hand), pose),
        *_arm(np.array(up(-34, -196)), np.array(pose.near_hand), "near", bend=1),
    ]
    return [_placed(part, pose) for part in parts]


def _placed(part: Part, pose: Pose) -> Part:
    offset = np.array(pose.place)

    def put(points: Points) -> Points:
        return points * pose.size + offset

    return Part(part.name, part.pot, put(part.outline), [put(line) for line in part.inner], part.lines_only)


def _tail(pose: Pose) -> Part:
    s = pose.tail
    way = [(-30, 20), (-120, 62 + 8 * s), (-205, 48 - 6 * s), (-262, -14 - 26 * s), (-282, -84 - 46 * s)]
    return Part("tail", "Fur", limb(way, [96, 88, 66, 44, 16]))


def _leg(hip: Points, foot: Points, toe: float, side: str) -> list[Part]:
    knee = two_bones(hip, foot, 86, 84, bend=1)
    thigh = limb([tuple(hip), tuple(knee), tuple(foot)], [84, 72, 54], round_end=False)
    turn = rotation(toe)

    def at(x: float, y: float, *corner: int) -> tuple[float, ...]:
        return (*(foot + turn @ np.array([x, y])), *corner)

    boot = curve(
        [
            at(-38, -46, 1), at(-2, -40), at(38, -48, 1), at(36, -16), at(52, 2), at(86, 12), at(100, 34),
            at(92, 44, 1), at(30, 46), at(-40, 46, 1), at(-42, 10),
        ],
        closed=True,
    )  # fmt: skip
    sole = curve(
        [at(-46, 42, 1), at(30, 42), at(97, 39, 1), at(98, 58, 1), at(20, 60), at(-46, 58, 1)], closed=True
    )
    top = curve([at(-41, -20), at(-2, -13), at(36, -21)])
    return [
        Part(f"{side} leg", "Fur", thigh),
        Part(f"{side} boot", "Boot", boot, [top]),
        Part(f"{side} sole", "Sole", sole),
    ]


def _arm(shoulder: Points, hand: Points, side: str, bend: float) -> list[Part]:
    elbow = two_bones(shoulder, hand, 108, 104, bend=-bend)
    gap = hand - elbow
    along = gap / max(np.hypot(*gap), 1e-9)
    wrist = hand - 26 * along
    sleeve = limb([tuple(shoulder), tuple(elbow), tuple(wrist)], [80, 82, 74], round_start=True)
    across = np.array([-along[1], along[0]])
    cuff = curve(
        [
            (*(wrist - 20 * along + 38 * across), 1), tuple(wrist - 14 * along), (*(wrist - 20 * along - 38 * across), 1),
            (*(wrist + 8 * along - 42 * across), 1), tuple(wrist + 15 * along), (*(wrist + 8 * along + 42 * across), 1),
        ],
        closed=True,
    )  # fmt: skip
    paw = curve(
        [
            tuple(wrist + 4 * along + 27 * across), tuple(hand + 6 * along + 31 * across), tuple(hand + 30 * along + 14 * across),
            tuple(hand + 30 * along - 14 * across), tuple(hand + 6 * along - 30 * across), tuple(wrist + 4 * along - 27 * across),
        ],
        closed=True,
    )  # fmt: skip
    toes = [
        curve([tuple(hand + 12 * along + k * across), tuple(hand + 27 * along + 0.9 * k * across)])
        for k in (-9, 9)
    ]
    return [
        Part(f"{side} paw", "Fur", paw, toes),
        Part(f"{side} sleeve", "Coat", sleeve),
        Part(f"{side} cuff", "Cuff", cuff),
    ]


def _coat(up) -> list[Part]:  # type: ignore[no-untyped-def]
    body = curve(
        [
            up(-44, -238), up(-78, -206), up(-100, -130), up(-124, -40), (*up(-146, 52), 1), up(-70, 76), up(20, 84),
            (*up(132, 66), 1), up(124, -20), up(104, -110), up(84, -196), up(58, -240), up(10, -250),
        ],
        closed=True,
    )  # fmt: skip
    front = curve([up(66, -236), up(84, -140), up(92, -40), up(88, 78)])
    pocket = curve(
        [(*up(-66, -26), 1), up(-30, -20), (*up(8, -24), 1), up(6, 12), up(-28, 30), up(-64, 16)], closed=True
    )
    flap = curve([up(-65, -6), up(-30, 1), up(7, -5)])
    fold = curve([up(-112, -16), up(-104, 22), up(-108, 58)])
    parts = [Part("coat", "Coat", body, [front, fold]), Part("pocket", "Cuff", pocket, [flap])]
    for number, (x, y) in enumerate(((62, -150), (70, -86), (72, -22)), 1):
        parts.append(Part(f"button {number}", "Button", ellipse(up(x, y), 11, 12)))
    return parts


def _scarf_wrap(neck: Points, lean: float) -> list[Part]:
    turn = rotation(lean * 0.6)

    def at(x: float, y: float, *corner: int) -> tuple[float, ...]:
        return (*(neck + turn @ np.array([x, y])), *corner)

    band = curve(
        [
            at(-78, -26),
            at(-88, 0),
            at(-66, 24),
            at(-10, 42),
            at(52, 34),
            at(86, 8),
            at(80, -20),
            at(20, -2),
            at(-40, -8),
        ],
        closed=True,
    )
    stripes = [
        Part("scarf stripe a", "Stripe", curve([at(-46, -9, 1), at(-50, 14), at(-44, 33, 1), at(-10, 42, 1), at(-16, 20), at(-12, -3, 1)], closed=True)),
        Part("scarf stripe b", "Stripe", curve([at(34, -5, 1), at(38, 18), at(34, 37, 1), at(62, 28, 1), at(66, 8), at(60, -13, 1)], closed=True)),
    ]  # fmt: skip
    return [Part("scarf", "Scarf", band), *stripes]


def _scarf_ends(neck: Points, pose: Pose) -> list[Part]:
    """Two ends that trail behind on the wind: a wave runs along them with the pose's scarf phase."""
    parts: list[Part] = []
    for name, length, drop, delay, wide in (
        ("lower", 250.0, 74.0, 0.9, 58.0),
        ("upper", 205.0, 8.0, 0.0, 54.0),
    ):
        t = np.linspace(0, 1, 7)
        wave = 34 * t * np.sin(2 * np.pi * (pose.scarf - 0.9 * t - delay / 6))
        way = np.c_[neck[0] - 40 - length * t, neck[1] + 8 + drop * t**1.2 + wave]
        ring = limb([tuple(p) for p in way], [wide * 0.8, wide, wide * 1.08], round_end=False)
        parts.append(Part(f"{name} scarf end", "Scarf", ring))
        spine = curve([tuple(p) for p in way], step=4.0)
        tangent = np.gradient(spine, axis=0)
        side = np.c_[-tangent[:, 1], tangent[:, 0]] / np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
        for number, (a, b) in enumerate(((0.28, 0.44), (0.6, 0.76)), 1):
            i, j = int(a * (len(spine) - 1)), int(b * (len(spine) - 1))
            half = (
                np.interp(np.linspace(a, b, j - i + 1), [0, 0.5, 1], [wide * 0.8, wide, wide * 1.08])[:, None]
                / 2
            )
            stripe = np.vstack(
                [spine[i : j + 1] + side[i : j + 1] * half, (spine[i : j + 1] - side[i : j + 1] * half)[::-1]]
            )
            parts.append(
                Part(f"{name} end stripe {number}", "Stripe", resample(np.vstack([stripe, stripe[:1]]), 2.0))
            )
    return parts


def _head(neck: Points, pose: Pose) -> list[Part]:
    turn = rotation(pose.lean * 0.4 + pose.head)

    def at(x: float, y: float, *corner: int) -> tuple[float, ...]:
        return (*(neck + turn @ np.array([x, y])), *corner)

    skull = curve(
        [
            at(-62, -14),
            at(-98, -62),
            at(-104, -120),
            at(-70, -176),
            at(0, -198),
            at(72, -178),
            at(110, -122),
            at(112, -62),
            at(78, -14),
            at(8, 6),
        ],
        closed=True,
    )
    ear = curve([at(-92, -96), at(-116, -112), at(-122, -84), at(-104, -62), at(-86, -70)], closed=True)
    ear_in = curve([at(-99, -93), at(-111, -99), at(-112, -82), at(-101, -72), at(-94, -77)], closed=True)
    muzzle = curve(
        [
            at(6, -62),
            at(26, -92),
            at(66, -98),
            at(112, -92),
            at(146, -72),
            at(146, -42),
            at(112, -16),
            at(62, -2),
            at(20, -14),
            at(-2, -36),
        ],
        closed=True,
    )
    nose = curve(
        [at(82, -106), at(108, -114), at(134, -104), at(130, -84), at(110, -72), at(88, -84)], closed=True
    )
    mouth = curve([at(110, -71), at(108, -52), at(88, -36), at(58, -42)])
    smile = curve([at(108, -52), at(124, -38), at(140, -46)])
    whiskers = [
        curve([at(40, -56), at(4, -52), at(-34, -40)]),
        curve([at(44, -44), at(12, -34), at(-22, -16)]),
        curve([at(132, -58), at(160, -60), at(186, -54)]),
    ]
    parts = [
        Part("ear", "Fur", ear),
        Part("ear inside", "Ear", ear_in),
        Part("head", "Fur", skull),
        Part("muzzle", "Muzzle", muzzle, [mouth, smile]),
        Part("nose", "Nose", nose),
    ]
    lx, ly = pose.look
    for name, x, rx in (("near", 26, 22.0), ("far", 88, 17.0)):
        open_ = max(0.06, 1 - pose.blink)
        centre = at(x, -106)
        if pose.blink > 0.8:
            parts.append(
                Part(
                    f"{name} lid",
                    "Fur",
                    np.zeros((1, 2)),
                    [curve([at(x - rx, -106), at(x, -97), at(x + rx, -106)])],
                    True,
                )
            )
            continue
        angle = pose.lean * 0.4 + pose.head
        parts.append(Part(f"{name} eye", "Eye", ellipse(centre[:2], rx, 24 * open_, angle)))
        parts.append(
            Part(f"{name} pupil", "Pupil", ellipse(at(x + lx, -104 + ly)[:2], rx * 0.58, 17 * open_, angle))
        )
    crown = curve(
        [
            at(-98, -162, 1),
            at(-96, -220),
            at(-64, -278),
            at(4, -300),
            at(70, -278),
            at(104, -222),
            at(110, -164, 1),
            at(8, -144),
        ],
        closed=True,
    )
    seam = curve([at(20, -299), at(38, -242), at(40, -184)])
    band = curve(
        [at(-99, -162, 1), at(-99, -194, 1), at(6, -176), at(108, -194, 1), at(110, -163, 1), at(8, -142)],
        closed=True,
    )
    brim = curve(
        [
            at(-96, -172), at(-142, -148), at(-194, -100), at(-202, -78), at(-176, -74), at(-104, -124), at(0, -144),
            at(92, -148), at(146, -138), at(166, -150), at(150, -172), at(104, -178), at(8, -158),
        ],
        closed=True,
    )  # fmt: skip
    parts += [
        Part("crown", "Hat", crown, [seam]),
        Part("hat band", "Hat band", band),
        Part("brim", "Hat", brim),
    ]
    parts.append(Part("whiskers", "Fur", np.zeros((1, 2)), whiskers, True))
    return parts


def _lantern(hand: Points, pose: Pose) -> list[Part]:
    turn = rotation(pose.swing)

    def at(x: float, y: float, *corner: int) -> tuple[float, ...]:
        return (*(hand + turn @ np.array([x, y])), *corner)

    ring = limb([at(-34, 52), at(-36, 22), at(0, -4), at(36, 22), at(34, 52)], [8, 8], round_end=False)
    cap = curve(
        [at(-20, 44, 1), at(0, 36), at(20, 44, 1), at(48, 66, 1), at(0, 72), at(-48, 66, 1)], closed=True
    )
    glass = curve(
        [
            at(-40, 66, 1),
            at(-46, 112),
            at(-40, 158, 1),
            at(0, 164),
            at(40, 158, 1),
            at(46, 112),
            at(40, 66, 1),
            at(0, 71),
        ],
        closed=True,
    )
    f = pose.flame
    flame = curve(
        [
            at(0, 152 - 64 * f, 1),
            at(13 * f, 152 - 34 * f),
            at(17 * f, 152 - 14 * f),
            at(0, 152),
            at(-17 * f, 152 - 14 * f),
            at(-12 * f, 152 - 36 * f),
        ],
        closed=True,
    )
    base = curve(
        [at(-46, 156, 1), at(0, 163), at(46, 156, 1), at(54, 184, 1), at(0, 192), at(-54, 184, 1)],
        closed=True,
    )
    knob = ellipse(at(0, 36)[:2], 10, 8, pose.swing)
    return [
        Part("lantern ring", "Brass", ring),
        Part("lantern knob", "Brass", knob),
        Part("lantern glass", "Glass", glass),
        Part("lantern flame", "Flame", flame),
        Part("lantern cap", "Brass", cap),
        Part("lantern base", "Brass", base),
    ]
