"""Pim's model sheet: side, front and details, and the three colour keys."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..core.model import Rgb, parse_colour, write_colour
from .pim import POTS, Pose, draw
from .shapes import Part, curve, ellipse, flatten, limb

INK = "#1d2b3a"

KEYS: dict[str, tuple[str, str]] = {
    "Noon quay": ("#1d2b3a", "#dfeaf0"),
    "Lamp room at night": ("#0f1622", "#2a2f3d"),
    "Storm": ("#18222b", "#7f8b90"),
}
"""Name of each colour key, with the colours of its line and backdrop."""

_LIGHT: dict[str, tuple[tuple[float, float, float], float]] = {
    "Noon quay": ((1.0, 1.0, 1.0), 1.0),
    "Lamp room at night": ((0.42, 0.36, 0.46), 0.85),
    "Storm": ((0.52, 0.62, 0.68), 0.62),
}
DETAILS_AT, DETAILS_SIZE = (240, 180), 2.1
"""Where on its page the lantern hangs by its ring, px, and how much larger than in the drawings."""

_OWN_LIGHT = {"Flame", "Eye", "Glass"}


def key_colours(name: str) -> dict[str, str]:
    """pot -> "#rrggbb" in one setting: the noon colours seen in its light, worked out in linear light.

    What shines by itself, and the whites of the eyes, keep most of their brightness.
    """
    tint, saturation = _LIGHT[name]
    return {
        pot: write_colour(_lit(parse_colour(c), tint, saturation, pot in _OWN_LIGHT))
        for pot, c in POTS.items()
    }


def _lit(colour: Rgb, tint: tuple[float, float, float], saturation: float, shines: bool) -> Rgb:
    linear = (np.array(colour) / 255) ** 2.2
    light = np.array(tint) ** (0.35 if shines else 2.2 * 0.75)
    linear = linear * light
    grey = linear @ np.array([0.2126, 0.7152, 0.0722])
    linear = grey + (linear - grey) * (1.0 if shines else saturation)
    rgb = np.clip(linear, 0, 1) ** (1 / 2.2) * 255
    return round(rgb[0]), round(rgb[1]), round(rgb[2])


def picture(parts: list[Part], size: tuple[int, int], line: int = 4) -> NDArray[np.uint8]:
    """(h, w, 3) RGB of painted and inked parts on white."""
    flat = flatten(parts, size)
    colours = [(255, 255, 255), *(parse_colour(POTS[name]) for name in flat.names[1:])]
    canvas = np.array(colours, np.uint8)[flat.pots]
    runs = [np.round((run - 0.5) * 16).astype(np.int32) for run in flat.lines]
    cv2.polylines(canvas, runs, False, parse_colour(INK), line, cv2.LINE_AA, 4)
    return canvas


def sheet_pictures() -> list[tuple[str, NDArray[np.uint8]]]:
    """(caption, picture) of each page of the model sheet."""
    side = Pose(place=(440, 620), size=1.12, scarf=0.12, swing=4)
    turn = picture(draw(side), (900, 900))
    return [
        ("side", turn),
        ("front", picture(front(), (900, 900))),
        ("details", _details()),
    ]


def _mirrored(way: list[tuple[float, ...]]) -> list[tuple[float, ...]]:
    return [(-p[0], *p[1:]) for p in way]


def front() -> list[Part]:
    """Pim from the front with his arms down, about 780 px tall on a page of 900 x 900."""
    parts: list[Part] = [
        Part("tail", "Fur", limb([(60, 40), (170, 70), (236, 10), (246, -70)], [80, 72, 50, 16]))
    ]
    for side, flip in (("left", -1), ("right", 1)):
        x = 46.0 * flip
        boot = [(-36, -40, 1), (0, -34), (36, -40, 1), (42, 30), (48, 62), (0, 72), (-48, 62), (-42, 30)]
        parts.append(Part(f"{side} leg", "Fur", limb([(x, 40), (x, 160)], [72, 62], round_end=False)))
        parts.append(
            Part(f"{side} boot", "Boot", curve([(p[0] + x, p[1] + 190, *p[2:]) for p in boot], closed=True))
        )
        sole = [(-46, 60, 1), (0, 70), (46, 60, 1), (46, 76, 1), (0, 86), (-46, 76, 1)]
        parts.append(
            Part(f"{side} sole", "Sole", curve([(p[0] + x, p[1] + 190, *p[2:]) for p in sole], closed=True))
        )
    coat = [
        (-60, -212),
        (-92, -150),
        (-112, -40),
        (-138, 88, 1),
        (0, 112),
        (138, 88, 1),
        (112, -40),
        (92, -150),
        (60, -212),
        (0, -226),
    ]
    parts.append(Part("coat", "Coat", curve(coat, closed=True), [curve([(0, -200), (4, -60), (2, 110)])]))
    for side, flip in (("left", -1), ("right", 1)):
        pocket: list[tuple[float, ...]] = [(34, 10, 1), (66, 4), (98, 8, 1), (100, 48), (68, 62), (38, 50)]
        if flip < 0:
            pocket = _mirrored(pocket)
        parts.append(Part(f"{side} pocket", "Cuff", curve(pocket, closed=True)))
        way = [(84 * flip, -180), (134 * flip, -90), (150 * flip, -4)]
        parts.append(Part(f"{side} paw", "Fur", ellipse((153 * flip, 34), 30, 34)))
        parts.append(
            Part(f"{side} sleeve", "Coat", limb(way, [72, 78, 72], round_start=True, round_end=False))
        )
        cuff = [(112, -16, 1), (150, -8), (190, -18, 1), (194, 12, 1), (152, 22), (116, 12, 1)]
        parts.append(Part(f"{side} cuff", "Cuff", curve(_mirrored(cuff) if flip < 0 else cuff, closed=True)))  # type: ignore[arg-type]
    parts += [Part(f"button {k}", "Button", ellipse((26, -128 + 66 * k), 12, 12)) for k in range(3)]
    band = [(-88, -236), (-98, -206), (-60, -182), (0, -172), (60, -182), (98, -206), (88, -236), (0, -218)]
    parts.append(
        Part(
            "scarf end", "Scarf", limb([(-44, -196), (-56, -110), (-50, -30)], [46, 54, 58], round_end=False)
        )
    )
    for k, y in enumerate((-120, -70)):
        stripe = [(-83, y, 1), (-55, y + 5), (-27, y, 1), (-25, y + 26, 1), (-54, y + 31), (-82, y + 26, 1)]
        parts.append(Part(f"end stripe {k}", "Stripe", curve(stripe, closed=True)))
    parts.append(Part("scarf", "Scarf", curve(band, closed=True)))
    stripe = [(-30, -221, 1), (-34, -198), (-30, -177, 1), (12, -173, 1), (16, -196), (12, -218, 1)]
    parts.append(Part("scarf stripe", "Stripe", curve(stripe, closed=True)))
    for flip in (-1, 1):
        parts.append(Part("ear", "Fur", ellipse((110 * flip, -330), 22, 26)))
        parts.append(Part("ear inside", "Ear", ellipse((111 * flip, -329), 11, 14)))
    head = [
        (-76, -228),
        (-114, -286),
        (-112, -350),
        (-70, -400),
        (0, -416),
        (70, -400),
        (112, -350),
        (114, -286),
        (76, -228),
        (0, -208),
    ]
    parts.append(Part("head", "Fur", curve(head, closed=True)))
    muzzle = [
        (0, -300),
        (38, -312),
        (78, -290),
        (82, -252),
        (46, -226),
        (0, -220),
        (-46, -226),
        (-82, -252),
        (-78, -290),
        (-38, -312),
    ]
    mouth = [curve([(0, -262), (-4, -244), (-34, -240)]), curve([(0, -262), (4, -244), (34, -240)])]
    parts.append(Part("muzzle", "Muzzle", curve(muzzle, closed=True), mouth))
    for flip in (-1, 1):
        parts.append(Part("eye", "Eye", ellipse((46 * flip, -328), 20, 25)))
        parts.append(Part("pupil", "Pupil", ellipse((44 * flip, -325), 12, 16)))
    nose = [(0, -310), (26, -302), (22, -280), (0, -264), (-22, -280), (-26, -302)]
    parts.append(Part("nose", "Nose", curve(nose, closed=True)))
    crown = [
        (-108, -372, 1),
        (-100, -446),
        (-56, -492),
        (0, -502),
        (56, -492),
        (100, -446),
        (108, -372, 1),
        (0, -350),
    ]
    hat_band = [(-109, -368, 1), (-108, -404, 1), (0, -384), (108, -404, 1), (109, -368, 1), (0, -346)]
    brim = [
        (-106, -378),
        (-160, -352),
        (-186, -318),
        (-160, -312),
        (-96, -346),
        (0, -358),
        (96, -346),
        (160, -312),
        (186, -318),
        (160, -352),
        (106, -378),
        (0, -362),
    ]
    parts.append(Part("crown", "Hat", curve(crown, closed=True), [curve([(0, -502), (3, -440), (0, -386)])]))
    parts.append(Part("hat band", "Hat band", curve(hat_band, closed=True)))
    parts.append(Part("brim", "Hat", curve(brim, closed=True)))
    lines = []
    for flip in (-1, 1):
        lines += [
            curve([(50 * flip, -262), (96 * flip, -266), (140 * flip, -258)]),
            curve([(50 * flip, -250), (92 * flip, -244), (132 * flip, -226)]),
        ]
    parts.append(Part("whiskers", "Fur", np.zeros((1, 2)), lines, True))
    offset = np.array([450.0, 560.0])
    return [
        Part(p.name, p.pot, p.outline * 1.1 + offset, [line * 1.1 + offset for line in p.inner], p.lines_only)
        for p in parts
    ]


def _details() -> NDArray[np.uint8]:
    """The lantern, a boot and a button, enlarged on one page."""
    pose = Pose(place=(0, 0), size=DETAILS_SIZE, near_hand=(0, 0))
    page: list[Part] = []
    for part in draw(pose):
        if part.name.startswith("lantern"):
            page.append(_moved(part, DETAILS_AT))
        if part.name in ("near boot", "near sole"):
            page.append(_moved(part, (560, 240)))
        if part.name == "button 2":
            page.append(_moved(part, (520, 320)))
    return picture(page, (900, 900), 5)


def _moved(part: Part, by: tuple[float, float]) -> Part:
    shift = np.array(by)
    return Part(
        part.name, part.pot, part.outline + shift, [line + shift for line in part.inner], part.lines_only
    )
