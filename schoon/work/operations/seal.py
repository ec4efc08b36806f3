"""What a hand decides about the gaps of a drawing."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ...core.seal import Stitch
from ...core.seal.model import State
from ...core.strokes import arc_lengths
from ...errors import NotFound, Refusal
from ...values import Spot, short_enough
from ..documents import Sheet
from .base import Context, DrawingOperation, RunOperation


class Judge(DrawingOperation):
    """Takes a stitch, leaves the gap open, or puts the decision off."""

    do: Literal["judge"]
    stitch: str
    state: State

    def label(self) -> str:
        return {"taken": "take a stitch", "left": "leave a gap open", "open": "decide a gap later"}[
            self.state
        ]

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        if all(stitch.id != self.stitch for stitch in sheet.stitches):
            raise NotFound("This gap is not in the drawing any more; look for gaps again")
        by: Literal["proposal", "hand"] = "proposal" if self.state == "open" else "hand"
        stitches = [replace(s, state=self.state, by=by) if s.id == self.stitch else s for s in sheet.stitches]
        return replace(sheet, stitches=stitches)


class Draw(DrawingOperation):
    """Adds a stitch drawn by hand."""

    do: Literal["stitch"]
    points: Annotated[list[Spot], Field(min_length=2, max_length=2000), short_enough]

    def label(self) -> str:
        return "draw a stitch"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        points = np.array(self.points, float)
        if arc_lengths(points)[-1] < 1:
            raise Refusal("A stitch needs two points; drag from one side of the gap to the other")
        stitch = Stitch(points, 0.0, "drawn by hand", "taken", "hand")
        return replace(sheet, stitches=[*sheet.stitches, stitch])


class Unstitch(DrawingOperation):
    """Takes a stitch away altogether."""

    do: Literal["unstitch"]
    stitch: str

    def label(self) -> str:
        return "delete a stitch"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        kept = [stitch for stitch in sheet.stitches if stitch.id != self.stitch]
        if len(kept) == len(sheet.stitches):
            raise NotFound("This stitch is not in the drawing any more")
        return replace(sheet, stitches=kept)


class TakeUnder(RunOperation):
    """Takes every stitch of a level that waits with a doubt below `under`."""

    do: Literal["take-under"]
    under: float = Field(gt=0, le=1)

    def label(self) -> str:
        return f"take stitches under a doubt of {self.under:g}"

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        # A person has taken them: they stay taken when gaps are looked for again.
        changed: list[Stitch] = [
            replace(s, state="taken", by="hand") if s.state == "open" and s.doubt < self.under else s
            for s in sheet.stitches
        ]
        count = sum(new is not old for new, old in zip(changed, sheet.stitches, strict=True))
        return (replace(sheet, stitches=changed), count) if count else (sheet, 0)

    def nothing(self) -> str:
        return f"No gap that waits has a doubt under {self.under:g}"


AnySeal = Judge | Draw | Unstitch
