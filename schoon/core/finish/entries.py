"""What is done to the picture of a level beside its paint and tones: an ordered list of entries, each with a range."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

Colour = Annotated[str, Field(pattern="^#[0-9a-f]{6}$")]
Where = Literal["all", "inner", "outline"]
"""Lines inside one pot, or with paper on one side, or all."""

Blend = Literal["normal", "multiply", "screen"]
PartNames = Annotated[tuple[Annotated[str, Field(max_length=60)], ...], Field(max_length=100)]
Px = Annotated[float, Field(ge=-20_000, le=20_000, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Pots = Annotated[tuple[int, ...], Field(max_length=200)]
Frame = Annotated[int, Field(ge=1, le=20_000)]
Ring = Annotated[tuple[Px, ...], Field(min_length=6, max_length=4000)]
"""Corners of an area, x and y in turn, px."""

TexturePicture = Literal["wash", "weave", "grain", "dots", "hatch"]
Own = Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
"""Hash of a picture that was brought along."""


class _Entry(BaseModel):
    """id: its name in the list. on: switched off nothing is lost. first, last: frames whose drawings it is for, None for
    all. notches: frame -> numbers of it there, which change evenly from one notch to the next."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: str = Field(pattern="^[0-9a-f]{10}$")
    on: bool = True
    first: Frame | None = None
    last: Frame | None = None
    notches: Annotated[dict[Frame, dict[str, float]], Field(max_length=200)] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _notches_are_numbers_of_it(self) -> Self:
        for values in self.notches.values():
            for name in values:
                if not isinstance(getattr(self, name, None), float):
                    raise ValueError(f"{name} cannot change over time")
            type(self).model_validate({**self.model_dump(exclude={"notches"}), **values})
        return self

    def holds(self, frame: int) -> bool:
        """Whether it is for a drawing that is first seen in a frame."""
        return self.on and (self.first or 1) <= frame <= (self.last or 20_000)

    def at(self, frame: int) -> Self:
        """As it is at a frame, without notches: before the first and after the last it stands."""
        names = sorted({name for values in self.notches.values() for name in values})
        now: dict[str, Any] = {"notches": {}}
        for name in names:
            frames = sorted(k for k, values in self.notches.items() if name in values)
            now[name] = float(np.interp(frame, frames, [self.notches[k][name] for k in frames]))
        return self.model_copy(update=now) if self.notches else self


class Area(BaseModel):
    """A part of the paper, drawn round. first, last: frames whose drawings it holds for."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    ring: Ring
    adds: bool = False
    first: Frame | None = None
    last: Frame | None = None


class LineColour(_Entry):
    """Lines in the line colour of their pot, else a darker tone of the darker side; or all in one colour. parts: those
    lines, by the part they are assigned to; none for all."""

    kind: Literal["line-colour"] = "line-colour"
    how: Literal["pot", "one"] = "pot"
    colour: Colour = "#5b3a29"
    where: Where = "all"
    parts: PartNames = ()


class LineWeight(_Entry):
    """Lines heavier or lighter by a factor."""

    kind: Literal["line-weight"] = "line-weight"
    factor: float = Field(default=1.4, ge=0.1, le=6)
    where: Where = "outline"


class LineBody(_Entry):
    """Lines with a body: grain that runs along them and an edge that is not even; the strokes stay as they are. tool: soft
    lead, a dry brush, or a felt pen that pools at its edges. size: px of its grain. cycle: drawings after which its grain
    repeats."""

    kind: Literal["line-body"] = "line-body"
    tool: Literal["lead", "dry", "felt"] = "lead"
    rough: Share = 0.4
    grain: Share = 0.5
    size: float = Field(default=3.0, ge=0.5, le=40)
    cycle: int = Field(default=3, ge=1, le=12)
    parts: PartNames = ()


class CastShadow(_Entry):
    """The silhouette laid on the ground about the lowest point of the figure: px, degrees, shares of its size. parts: those
    that cast it, none for all. areas: where it is taken away, or added, whatever the figure does."""

    kind: Literal["cast"] = "cast"
    x: Px = 0.0
    y: Px = 0.0
    wide: float = Field(default=1.0, ge=0.02, le=6)
    high: float = Field(default=0.32, ge=-3, le=3)
    shear: float = Field(default=-0.9, ge=-6, le=6)
    turn: float = Field(default=0.0, ge=-180, le=180)
    soft: float = Field(default=3.0, ge=0, le=200)
    colour: Colour = "#1d2b3a"
    opacity: Share = 0.35
    parts: PartNames = ()
    areas: Annotated[tuple[Area, ...], Field(max_length=100)] = ()

    def at(self, frame: int) -> Self:
        """As it is at a frame, with the areas that hold there for all frames."""
        now = tuple(
            area.model_copy(update={"first": None, "last": None})
            for area in self.areas
            if (area.first or 1) <= frame <= (area.last or 20_000)
        )
        return super().at(frame).model_copy(update={"areas": now})


class ContactShadow(_Entry):
    """The shape of parts, shifted by px, as a tone inside the parts below them."""

    kind: Literal["contact"] = "contact"
    parts: PartNames = ()
    onto: PartNames = ()
    x: Px = 6.0
    y: Px = 14.0
    tone: Literal["shade", "deep"] = "shade"


class Wash(_Entry):
    """A gradient of colour that fades, straight from one point to another or round about the first."""

    kind: Literal["wash"] = "wash"
    shape: Literal["straight", "round"] = "straight"
    x0: Px = 0.0
    y0: Px = 0.0
    x1: Px = 0.0
    y1: Px = 600.0
    colour: Colour = "#ffd27a"
    blend: Blend = "multiply"
    opacity: Share = 0.6
    parts: PartNames = ()


class _Surface(_Entry):
    """picture: of the project's own making; own: a picture that was brought along, instead. curve: under 1 more of it is
    seen, over 1 only its darkest. cycle: drawings after which its offsets repeat, 1 for standing still."""

    picture: TexturePicture = "weave"
    own: Own | None = None
    scale: float = Field(default=1.0, ge=0.1, le=10)
    amount: Share = 0.35
    curve: float = Field(default=1.0, ge=0.1, le=10)
    blend: Blend = "multiply"
    cycle: int = Field(default=1, ge=1, le=12)


class Texture(_Surface):
    """A picture inside parts. follows: it moves with the figure. bend: how far it bows with the form, as on a round solid.
    where: on all of them, or only where shade lies: dots and hatching instead of a flat tone."""

    kind: Literal["texture"] = "texture"
    follows: bool = True
    bend: Share = 0.0
    where: Literal["all", "shade"] = "all"
    parts: PartNames = ()


class Paper(_Surface):
    """A picture over the whole frame: over this level and all below it. Its cycle shifts it and turns it."""

    kind: Literal["paper"] = "paper"
    picture: TexturePicture = "grain"


class Flare(_Entry):
    """A glow where a lamp stands: about the patches of a pot, or a place. size: px to where it has faded. rays: how many."""

    kind: Literal["flare"] = "flare"
    pot: int | None = Field(default=None, ge=0, lt=2**31)
    x: Px = 0.0
    y: Px = 0.0
    size: float = Field(default=260.0, ge=2, le=20_000)
    rays: int = Field(default=6, ge=0, le=24)
    turn: float = Field(default=15.0, ge=-360, le=360)
    colour: Colour = "#ffd98a"
    opacity: Share = 0.7


class Glass(_Entry):
    """What is drawn inside pots of glass is seen through them: in their colour, as far as they are not clear. kept: pots
    that stay readable, by a share of what the glass takes from them."""

    kind: Literal["glass"] = "glass"
    pots: Pots = ()
    kept: Pots = ()
    readable: Share = 0.7


class Highlight(_Entry):
    """A small round light on each patch of some pots, on the same side of all of them in all drawings: in an eye, on a
    button. turn: degrees clockwise from the top; out, size: shares of the largest circle in the patch."""

    kind: Literal["highlight"] = "highlight"
    pots: Pots = ()
    turn: float = Field(default=-40.0, ge=-360, le=360)
    out: Share = 0.45
    size: Share = 0.3
    colour: Colour = "#ffffff"


class Hide(_Entry):
    """Hides what of the level, or of some parts of it, lies in an area; or with `outside` all but that. ring: the area as it
    was drawn round, instead of a box, px."""

    kind: Literal["hide"] = "hide"
    x0: Px = 0.0
    y0: Px = 0.0
    x1: Px = 0.0
    y1: Px = 0.0
    ring: Ring | None = None
    outside: bool = False
    parts: PartNames = ()


class Treatment(_Entry):
    """The whole drawing otherwise: without ink, ink alone, grey but for one pot, its flats as strong as they go, in dots by
    darkness, and last and least reversed, in squares, grainy. size: px of dots, squares and grain. turn: degrees of the
    rows of dots. amount: how far it goes."""

    kind: Literal["treatment"] = "treatment"
    what: Literal["no-ink", "ink-only", "grey", "strong", "dots", "reversed", "squares", "grain"] = "no-ink"
    pot: int | None = Field(default=None, ge=0, lt=2**31)
    size: float = Field(default=12.0, ge=1, le=400)
    turn: float = Field(default=30.0, ge=-360, le=360)
    amount: Share = 1.0


Entry = Annotated[
    LineColour
    | LineWeight
    | LineBody
    | CastShadow
    | ContactShadow
    | Wash
    | Texture
    | Paper
    | Flare
    | Glass
    | Highlight
    | Hide
    | Treatment,
    Field(discriminator="kind"),
]


def own_pictures(entries: Iterable[_Entry]) -> set[str]:
    """Hashes of the pictures that entries show."""
    return {entry.own for entry in entries if isinstance(entry, _Surface) and entry.own}
