"""What a hand does to the paint of a drawing, or of the cells of the ledger."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, Field, PrivateAttr

from ...core.patches import Patches, patches_within
from ...errors import Refusal
from ...values import Id, Spot, short_enough
from ..documents import NOTHING, Sheet, painting_of, poured
from ..documents import Spot as Paint
from .base import Context, DrawingOperation, PartName, RunOperation, many

Pot = Annotated[int, Field(ge=NOTHING, lt=2**31)]


def _touched(patches: Patches, points: Sequence[Spot]) -> dict[int, Spot]:
    """patch -> the point in it, for those that lie in the picture."""
    return {patch: point for point in points if (patch := patches.at(*point))}


class _Pouring(DrawingOperation):
    _patches: int = PrivateAttr(default=0)

    @property
    def patches(self) -> int:
        """How many patches it changed; known after it was applied."""
        return self._patches


class Pour(_Pouring):
    """Pours a pot into the patches under points; None lifts the paint off.

    outside: the outside of all forms is meant as well. Without it paint never reaches the paper's edge by a form that is open.
    """

    do: Literal["pour"]
    points: list[Spot] = Field(min_length=1, max_length=5000)
    pot: Pot | None
    outside: bool = False

    def label(self) -> str:
        return f"{'lift paint off' if self.pot is None else 'pour into'} {many(self._patches, 'patch', 'es')}"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        context.check_pot(self.pot)
        patches = context.found(sheet)
        touched = _touched(patches, self.points)
        if not touched:
            raise Refusal("There is no patch under the pen; seal the drawing or pour inside the picture")
        floods = self.pot not in (None, NOTHING) and patches.background in touched
        if floods and (len(touched) > 1 or not self._meant(sheet, patches)):
            del touched[patches.background]
            if not touched:
                raise Refusal(
                    "This is the outside of all forms: if a form should be here, it is open somewhere; stitch it."
                    " With Shift the outside itself is poured"
                )
        self._patches = len(touched)
        return replace(sheet, spots=poured(sheet.spots, patches, touched, self.pot))

    def _meant(self, sheet: Sheet, patches: Patches) -> bool:
        """Whether the outside may be poured: it is said, or it carries paint already."""
        return self.outside or patches.background in painting_of(sheet.spots, patches)


class PourWithin(_Pouring):
    """Pours a pot into every unpainted patch that lies in a closed ring of points."""

    do: Literal["pour-within"]
    ring: Annotated[list[Spot], Field(min_length=3, max_length=5000), short_enough]
    pot: Pot

    def label(self) -> str:
        return f"pour into {many(self._patches, 'patch', 'es')} in a ring"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        context.check_pot(self.pot)
        patches = context.found(sheet)
        painting = painting_of(sheet.spots, patches)
        inside = [p for p in patches_within(patches, np.array(self.ring, float)) if p not in painting]
        if not inside:
            raise Refusal("No unpainted patch lies inside this ring")
        places = {p: (float(patches.anchors[p][0]), float(patches.anchors[p][1])) for p in inside}
        self._patches = len(inside)
        return replace(sheet, spots=poured(sheet.spots, patches, places, self.pot))


class Cell(BaseModel):
    """A drawing and a pot of the ledger."""

    drawing: Id
    pot: Pot


class Repaint(RunOperation):
    """Acts on all patches that carry a pot in a drawing, for many cells of the ledger.

    act: "pour" pours the pot `to` instead, "lift" takes the paint off, "accept" lets the unsure ones stand.
    """

    do: Literal["repaint"]
    cells: Annotated[list[Cell], Field(min_length=1, max_length=20_000)]
    act: Literal["pour", "lift", "accept"]
    to: Pot | None = None

    def label(self) -> str:
        return {
            "pour": "pour through the ledger",
            "lift": "lift paint off through the ledger",
            "accept": "accept patches",
        }[self.act]

    def drawings(self) -> set[int]:
        return {cell.drawing for cell in self.cells}

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        if self.act == "pour":
            if self.to is None:
                raise Refusal("Choose a pot to pour")
            context.check_pot(self.to)
        pots = {cell.pot for cell in self.cells if cell.drawing == drawing_id}
        spots: list[Paint] = []
        changed = 0
        for spot in sheet.spots:
            # What waits for its form is not in the cell: only another pot is poured for it as well.
            left = (self.act == "accept" and not spot.unsure) or (self.act != "pour" and spot.waits)
            if spot.pot not in pots or left:
                spots.append(spot)
                continue
            changed += 1
            if self.act != "lift":
                pot = self.to if self.act == "pour" and self.to is not None else spot.pot
                part = spot.part if self.act == "accept" else ""
                spots.append(Paint(spot.at, pot, 0.0, "hand", waits=spot.waits, part=part))
        return (replace(sheet, spots=spots), changed) if changed else (sheet, 0)

    def nothing(self) -> str:
        return "None of these cells has a patch to change"


class Place(BaseModel):
    """A place in a drawing."""

    drawing: Id
    at: Spot


class Answer(RunOperation):
    """Pours a pot into the patches of a question, which is about one thing in several drawings."""

    do: Literal["answer"]
    places: Annotated[list[Place], Field(min_length=1, max_length=20_000)]
    pot: Pot

    def label(self) -> str:
        return f"answer for {many(len(self.places), 'patch', 'es')}"

    def drawings(self) -> set[int]:
        return {place.drawing for place in self.places}

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        context.check_pot(self.pot)
        patches = context.found(sheet)
        touched = _touched(patches, [place.at for place in self.places if place.drawing == drawing_id])
        if not touched:
            return sheet, 0
        return replace(sheet, spots=poured(sheet.spots, patches, touched, self.pot)), len(touched)

    def nothing(self) -> str:
        return "None of these patches is there any more"


class Belong(DrawingOperation):
    """Says that painted patches belong to another part of the model than their pot does; None to the pot's again."""

    do: Literal["belong"]
    points: list[Spot] = Field(min_length=1, max_length=5000)
    part: PartName | None

    def label(self) -> str:
        return f"make {many(len(self.points), 'patch', 'es')} {self.part or 'of the part of their pot'}"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        patches = context.found(sheet)
        touched = _touched(patches, self.points)
        spots = [
            replace(spot, part=self.part or "")
            if patches.at(*spot.at) in touched and not spot.waits
            else spot
            for spot in sheet.spots
        ]
        if not any(patches.at(*spot.at) in touched for spot in sheet.spots):
            raise Refusal("A patch belongs to the part of its paint; paint it first")
        return replace(sheet, spots=spots) if spots != sheet.spots else sheet


AnyPaint = Pour | PourWithin | Belong
