"""What a hand says of the marks on a rough: what they are, whether they were read so or not."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ...core.cleanup import Kind, Said
from ...errors import Refusal
from ...values import Spot, short_enough
from ..documents import Sheet
from ..pen import MOST_POINTS
from .base import Context, DrawingOperation

_MOST = 500
"""Scribbles on one drawing."""

_WORDS = {"line": "lines", "note": "a note"}


class Say(DrawingOperation):
    """A scribble of the pen over marks: this is … . reach: px to both sides of the path."""

    do: Literal["say"]
    kind: Literal["line"] | Kind
    path: Annotated[list[Spot], Field(min_length=1, max_length=MOST_POINTS), short_enough]
    reach: float = Field(default=12.0, gt=0, le=200)

    def label(self) -> str:
        return f"say that marks are {_WORDS.get(self.kind, self.kind)}"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        if len(sheet.said) >= _MOST:
            raise Refusal(f"{_MOST} scribbles lie on this drawing; take them off and say it anew with fewer")
        return replace(sheet, said=[*sheet.said, Said(self.kind, np.array(self.path, float), self.reach)])


class Unsay(DrawingOperation):
    """Everything that was said of marks taken back."""

    do: Literal["unsay"]

    def label(self) -> str:
        return "take scribbles off"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        if not sheet.said:
            raise Refusal("No scribble lies on this drawing")
        return replace(sheet, said=[])


AnyMarks = Say | Unsay
