"""What is asked of many drawings, as requests write it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from ...core.between import Pull
from ...work import between as betweens
from ..values import Body, Id, Number, Place

Also = Annotated[list[Id], Field(max_length=5000)]
"""Drawings that an act on many changes although a hand has finished them."""

Chart = Annotated[str, Field(max_length=20)] | Annotated[list[Number], Field(max_length=500)]


class PartChart(Body):
    """How a part goes its own way; see `work.between.PartChart`."""

    chart: Chart | None = None
    lag: Number = 0.0


class Bend(Body):
    """An arc bent by hand: at a place of the first drawing, by so many px half way."""

    at: Place
    by: Place


class Between(Body):
    """chart: a spacing by name, or shares of the way. The rest as `work.between.Ask`."""

    first: int
    last: int
    chart: Chart = "even"
    part: str = Field(default="", max_length=60)
    ring: list[Id] = Field(default_factory=list, max_length=2000)
    parts: dict[Annotated[str, Field(min_length=1, max_length=60)], PartChart] = Field(
        default_factory=dict, max_length=200
    )
    bends: list[Bend] = Field(default_factory=list, max_length=50)
    follow: bool = True
    also: Also = Field(default_factory=list)

    def ask(self) -> betweens.Ask:
        """As the work takes it."""
        return betweens.Ask(
            self.first, self.last, self.chart, self.part, self.ring,
            {name: betweens.PartChart(own.chart, own.lag) for name, own in self.parts.items()},
            [Pull((b.at[0], b.at[1]), (b.by[0], b.by[1])) for b in self.bends], self.follow,
            frozenset(self.also),
        )  # fmt: skip
