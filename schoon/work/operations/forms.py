"""Forms that are drawn as colour: cut out with the pen and filled at once, their edge unseen or inked."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import cv2
import numpy as np
from pydantic import Field

from ...core.patches import Patches, patches_within
from ...core.patches.broad import Mask, area, covered, edges, filled
from ...core.seal import Stitch
from ...core.strokes import sample
from ...errors import Refusal
from ...values import SpotPressed, short_enough
from ..derived import patches_in
from ..documents import Sheet, painting_of, poured
from ..documents import Spot as Paint
from ..pen import MOST_POINTS, steadied, stroke_from_pen
from .base import Context, DrawingOperation
from .paint import Pot

_LEAST = 30
"""px² that a form has to have to be meant."""

LAID = "the edge of a laid form"
"""What a stitch says that is the edge of a form laid with a broad pen."""

_WHOLE = 0.9
"""Share of its former area that a patch keeps if the form's edge does not cut it."""


class CutOut(DrawingOperation):
    """A closed form from a pen path of (x, y, pressure), with a pot in it. What lies in it whole and painted keeps its paint."""

    do: Literal["cut-out"]
    path: Annotated[list[SpotPressed], Field(min_length=3, max_length=MOST_POINTS), short_enough]
    pot: Pot
    inked: bool = False
    steady: float = Field(default=2.0, ge=0, le=20)

    def label(self) -> str:
        return "cut out a form"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        context.check_pot(self.pot)
        edge = stroke_from_pen([*self.path, self.path[0]], context.rule.outline, self.steady, context.size)
        ring = sample(edge)[0]
        if area(ring) < _LEAST:
            raise Refusal(
                "This form is too small to hold paint; draw round it in one go and end where you began"
            )
        before = context.found(sheet)
        if self.inked:
            after = replace(sheet, strokes=[*sheet.strokes, replace(edge, corner=context.rule.corner)])
            patches = patches_in(after)
        else:
            stitch = Stitch(ring, 0.0, "the edge of a form", "taken", "hand")
            after = replace(sheet, stitches=[*sheet.stitches, stitch])
            patches = context.found(after)
        inside = patches_within(patches, ring)
        if not inside:
            raise Refusal("Nothing lies inside this form; draw it inside the picture")
        spots = _kept(sheet, before, patches)
        painted = painting_of(spots, patches)
        new = [p for p in inside if p not in painted or _cut(patches, p, before)]
        places = {p: (float(patches.anchors[p][0]), float(patches.anchors[p][1])) for p in new or inside}
        return replace(after, spots=poured(spots, patches, places, self.pot))


class Broad(DrawingOperation):
    """A form laid with a broad pen: what a path of (x, y, pressure) covers, width px at middling pressure.

    within: it stays in the patch it began on, in all patches of that one's pot, or of its part; or it is free. Where it
    touches forms of the same pot that were laid before, they grow together.
    """

    do: Literal["broad"]
    path: Annotated[list[SpotPressed], Field(min_length=1, max_length=MOST_POINTS), short_enough]
    pot: Pot
    width: float = Field(ge=1, le=600)
    within: Literal["patch", "pot", "part", "free"] = "patch"
    steady: float = Field(default=2.0, ge=0, le=20)

    def label(self) -> str:
        return "lay a form"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        context.check_pot(self.pot)
        before = context.found(sheet)
        mask = self._covered(context.size)
        if self.within != "free":
            mask &= self._open(sheet, context, before)
        if mask.sum() < _LEAST:
            raise Refusal("Nothing of this form lies where it may; begin it inside the form it belongs to")
        kept, mask = self._grown(sheet, before, mask)
        rings = edges(mask, _LEAST)
        if not rings:
            raise Refusal("This form is too small to hold paint; lay it broader")
        laid = [Stitch(ring, 0.0, LAID, "taken", "hand") for ring in rings]
        after = replace(sheet, stitches=[*kept, *laid])
        patches = context.found(after)
        spots = _kept(sheet, before, patches)
        inside = filled(rings, context.size)
        x, y = np.clip(patches.anchors[1:].astype(int), 0, np.array(context.size) - 1).T
        within = [p for p in range(1, patches.count + 1) if inside[y[p - 1], x[p - 1]]]
        places = {p: (float(patches.anchors[p][0]), float(patches.anchors[p][1])) for p in within}
        if not places:
            raise Refusal("This form is too narrow here to hold paint; lay it broader")
        return replace(after, spots=poured(spots, patches, places, self.pot))

    def _covered(self, size: tuple[int, int]) -> Mask:
        path = np.asarray(self.path, float)
        if np.abs(path[:, :2]).max() > 4 * max(size):
            raise Refusal("This form lies far outside the picture; draw it inside")
        # Between corners the hand's tremble is taken out, as of a line.
        points = steadied(path[:, :2], self.steady) if len(path) > 3 else path[:, :2]
        share = np.linspace(0, 1, len(points)) if len(points) > 1 else np.zeros(1)
        pressure = np.interp(share, np.linspace(0, 1, len(path)), path[:, 2]) if len(path) > 1 else path[:, 2]
        return covered(points, self.width * (0.5 + pressure), size)

    def _open(self, sheet: Sheet, context: Context, before: Patches) -> Mask:
        """Where it may lie."""
        x, y = self.path[0][:2]
        began = before.at(x, y)
        if not began:
            raise Refusal("Begin inside the picture, on the form it belongs to")
        if self.within == "patch" or began == before.background:
            # The form is what lines shut in: those that were laid in it before lie in it.
            lines = [s for s in sheet.stitches if s.reason != LAID]
            if len(lines) < len(sheet.stitches):
                before = context.found(replace(sheet, stitches=lines))
                began = before.at(x, y)
            return before.labels == began
        painted = painting_of(sheet.spots, before)
        own = painted.get(began)
        if own is None:
            return before.labels == began
        parts = {
            p: context.parts.get(paint.pot, "") if self.within == "part" else paint.pot
            for p, paint in painted.items()
        }
        return np.isin(before.labels, [p for p, what in parts.items() if what == parts[began]])

    def _grown(self, sheet: Sheet, before: Patches, mask: Mask) -> tuple[list[Stitch], Mask]:
        """The stitches that stay, and the area with the forms of the same pot that it touches."""
        painted = painting_of(sheet.spots, before)
        mine = np.isin(before.labels, [p for p, paint in painted.items() if paint.pot == self.pot])
        near = cv2.dilate(mask.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        size = (mask.shape[1], mask.shape[0])
        kept: list[Stitch] = []
        for stitch in sheet.stitches:
            form = filled([stitch.points], size) if stitch.reason == LAID else None
            if form is None or not (form & near).any() or (form & mine).sum() < _WHOLE * form.sum():
                kept.append(stitch)
            else:
                mask = mask | form
        return kept, mask


def _cut(patches: Patches, patch: int, before: Patches) -> bool:
    """Whether a patch was part of a larger one."""
    whole = before.at(*patches.anchors[patch])
    return whole == 0 or bool(patches.areas[patch] < _WHOLE * before.areas[whole])


def _kept(sheet: Sheet, before: Patches, patches: Patches) -> list[Paint]:
    """The spots, with one more in each piece of a painted patch that was cut."""
    spots = list(sheet.spots)
    painted = painting_of(spots, patches)
    of_patch = {before.at(*spot.at): spot for spot in spots if not spot.waits}
    for patch in range(1, patches.count + 1):
        x, y = (float(v) for v in patches.anchors[patch])
        spot = of_patch.get(before.at(x, y))
        if patch not in painted and spot is not None:
            spots.append(replace(spot, at=(x, y)))
    return spots
