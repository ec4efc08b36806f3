"""Lines whose weight parts unlike pots in painted drawings; drawings of a run and unlike poses."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from schoon.core.paint import NOTHING, Paint, carry
from schoon.core.paint.deciding import pots_known
from schoon.core.paint.matching import match
from schoon.core.paint.parting import Parting, meetings_of
from schoon.core.patches import Patches, find_patches

COAT, TRIM = 1, 2
FOLD, SEAM = 4, 9
"""Weights of the lines inside the coat and of those where the trim begins, px."""


def coat(widths: tuple[int, ...], shift: int = 0) -> Patches:
    """A coat from left to right in bands, parted by upright lines of these widths."""
    picture = np.zeros((300, 700), np.uint8)
    right = 60 + 110 * (len(widths) + 1)
    cv2.rectangle(picture, (60 + shift, 60), (right + shift, 240), 255, 5)
    for k, width in enumerate(widths, 1):
        cv2.line(picture, (60 + 110 * k + shift, 60), (60 + 110 * k + shift, 240), 255, width)
    return find_patches(picture > 127)


def bands(patches: Patches, pots: list[int], shift: int = 0) -> dict[int, Paint]:
    painting = {patches.at(115 + 110 * k + shift, 150): Paint(pot) for k, pot in enumerate(pots)}
    return painting | {patches.background: Paint(NOTHING)}


def test_where_patches_meet_the_width_of_the_line_is_known() -> None:
    patches = coat((FOLD, SEAM))
    met = meetings_of(patches)
    one, two, three = (patches.at(115 + 110 * k, 150) for k in range(3))
    width = {
        (a, b): w for a, b, w in zip(met.patch.tolist(), met.other.tolist(), met.width.tolist(), strict=True)
    }
    assert width[two, three] - width[one, two] == pytest.approx(SEAM - FOLD, abs=1.5)
    assert width[one, two] == pytest.approx(width[two, one], abs=0.5)
    assert (one, three) not in width


def test_painted_drawings_teach_which_lines_part_pots() -> None:
    patches = coat((FOLD, SEAM, FOLD))
    learnt = Parting([(patches, pots_known(bands(patches, [COAT, COAT, TRIM, TRIM]), patches))])
    met = meetings_of(patches)
    inner = (met.patch != patches.background) & (met.other != patches.background)
    thin, heavy = met.width[inner].min(), met.width[inner].max()
    chance, usual = learnt.same(np.array([thin, heavy]), outer=False)
    assert chance[0] > usual > chance[1]


def test_lines_of_one_weight_say_nothing() -> None:
    patches = coat((FOLD, FOLD, FOLD))
    learnt = Parting([(patches, pots_known(bands(patches, [COAT, COAT, TRIM, TRIM]), patches))])
    met = meetings_of(patches)
    outer = (met.patch == patches.background) | (met.other == patches.background)
    for kind in (False, True):
        chance, usual = learnt.same(met.width[outer == kind], kind)
        assert chance == pytest.approx(np.full(len(chance), usual), abs=0.03)


def test_a_band_nobody_knows_goes_with_the_side_its_lines_say() -> None:
    """Two more bands than the key has: neither place nor size tells what the middle ones are."""
    key = coat((FOLD, SEAM, FOLD))
    learnt = Parting([(key, pots_known(bands(key, [COAT, COAT, TRIM, TRIM]), key))])
    for widths, expected in (((SEAM, FOLD), TRIM), ((FOLD, SEAM), COAT)):
        target = coat(widths)
        left, middle, right = (target.at(115 + 110 * k, 150) for k in range(3))
        chance = np.zeros((3, target.count + 1))
        chance[0, target.background] = chance[COAT, left] = chance[TRIM, right] = 1
        chance[1:, middle] = 0.4
        told = chance[:, middle] * learnt.told(target, chance)[:, middle]
        assert int(told.argmax()) == expected


def test_without_painted_lines_nothing_is_said() -> None:
    patches = coat((FOLD, SEAM))
    chance = np.full((2, patches.count + 1), 0.5)
    assert Parting([]).told(patches, chance) == pytest.approx(np.ones_like(chance))


def pose(arms: bool) -> Patches:
    picture = np.zeros((500, 500), np.uint8)
    if arms:
        cv2.ellipse(picture, (250, 250), (200, 60), 30, 0, 360, 255, 4)
        cv2.circle(picture, (130, 120), 30, 255, 4)
        cv2.circle(picture, (380, 330), 14, 255, 4)
    else:
        cv2.rectangle(picture, (180, 80), (320, 430), 255, 4)
        cv2.line(picture, (180, 200), (320, 260), 255, 4)
        cv2.line(picture, (180, 330), (320, 300), 255, 4)
    return find_patches(picture > 127)


def test_a_run_is_kin_and_unlike_poses_are_not() -> None:
    assert match(coat((FOLD, SEAM)), coat((FOLD, SEAM), 12)).kin == 1
    assert match(pose(False), pose(True)).kin < 0.3


def test_what_a_pose_takes_from_an_unlike_one_is_in_doubt() -> None:
    drawings = [pose(False), pose(True)]
    key = {
        n: Paint(COAT if n != drawings[0].background else NOTHING) for n in range(1, drawings[0].count + 1)
    }
    result = carry(drawings, {0: key})[1]
    inside = [paint for n, paint in result.items() if n != drawings[1].background]
    assert inside
    assert all(paint.unsure for paint in inside)
