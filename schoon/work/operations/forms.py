"""Forms that are drawn as colour: cut out with the pen and filled at once, their edge unseen or inked."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ...core.patches import Patches, patches_within
from ...core.seal import Stitch
from ...core.strokes import Points, sample
from ...errors import Refusal
from ..derived import patches_in
from ..documents import Sheet, painting_of, poured
from ..documents import Spot as Paint
from ..pen import MOST_POINTS, stroke_from_pen
from .base import Context, DrawingOperation, Number
from .paint import Pot

_LEAST = 30
"""px² that a form has to have to be meant."""

_WHOLE = 0.9
"""Share of its former area that a patch keeps if the form's edge does not cut it."""


class CutOut(DrawingOperation):
    """A closed form from a pen path of (x, y, pressure), with a pot in it. What lies in it whole and painted keeps its paint."""

    do: Literal["cut-out"]
    path: Annotated[list[tuple[Number, Number, Number]], Field(min_length=3, max_length=MOST_POINTS)]
    pot: Pot
    inked: bool = False
    steady: float = Field(default=2.0, ge=0, le=20)

    def label(self) -> str:
        return "cut out a form"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        context.check_pot(self.pot)
        edge = stroke_from_pen([*self.path, self.path[0]], context.rule.outline, self.steady, context.size)
        ring = sample(edge)[0]
        if _area(ring) < _LEAST:
            raise Refusal(
                "This form is too small to hold paint; draw round it in one go and end where you began"
            )
        if self.inked:
            after = replace(sheet, strokes=[*sheet.strokes, replace(edge, corner=context.rule.corner)])
        else:
            stitch = Stitch(ring, 0.0, "the edge of a form", "taken", "hand")
            after = replace(sheet, stitches=[*sheet.stitches, stitch])
        before, patches = context.found(sheet), patches_in(after)
        inside = patches_within(patches, ring)
        if not inside:
            raise Refusal("Nothing lies inside this form; draw it inside the picture")
        spots = _kept(sheet, before, patches)
        painted = painting_of(spots, patches)
        new = [p for p in inside if p not in painted or _cut(patches, p, before)]
        places = {p: (float(patches.anchors[p][0]), float(patches.anchors[p][1])) for p in new or inside}
        return replace(after, spots=poured(spots, patches, places, self.pot))


def _area(ring: Points) -> float:
    x, y = ring.T
    return float(abs(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2)


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
