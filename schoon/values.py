"""What comes from outside: bounded numbers, and texts that can be kept."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Annotated, Any

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from .text import unsound_in

Number = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
Id = Annotated[int, Field(ge=0, lt=2**31)]


class Sound(BaseModel):
    """Content whose texts hold nothing that cannot be kept."""

    model_config = ConfigDict(allow_inf_nan=False)

    @model_validator(mode="before")
    @classmethod
    def _texts_are_sound(cls, data: Any) -> Any:
        if found := unsound_in(data):
            raise ValueError(f"a text holds {found}; write it anew")
        return data


FAR = 65_536.0
"""Px from the corner of a picture within which places lie: eight times its largest side."""

LONGEST = 400_000.0
"""Px of the longest way of a pen: more than a stroke may be in the largest picture."""

Near = Annotated[float, Field(allow_inf_nan=False, ge=-FAR, le=FAR)]
"""A coordinate of a place on a picture or beside it, px."""

Spot = tuple[Near, Near]
"""(x, y), px of the drawing."""

SpotPressed = tuple[Near, Near, Number]
"""(x, y, pressure)."""


def _not_too_long(way: list[Any]) -> list[Any]:
    """Raises ValueError for a way that nothing could follow in reasonable time."""
    long = sum(math.dist(a[:2], b[:2]) for a, b in pairwise(way))
    if long > LONGEST:
        raise ValueError(f"this is drawn over {long:.0f} px, the limit is {LONGEST:.0f}; draw it in parts")
    return way


short_enough = AfterValidator(_not_too_long)
"""For a field of places that follow each other."""


def _ring_not_too_long(ring: list[float]) -> list[float]:
    _not_too_long(list(zip(ring[::2], ring[1::2], strict=False)))
    return ring


Ring = Annotated[list[Near], Field(min_length=8, max_length=4000), AfterValidator(_ring_not_too_long)]
"""Control points of a closed curve, x and y in turn."""
