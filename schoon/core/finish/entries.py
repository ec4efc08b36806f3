"""What is done to the picture of a level beside its paint and tones: an ordered list of entries, each with a range."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

Colour = Annotated[str, Field(pattern="^#[0-9a-f]{6}$")]
Where = Literal["all", "inner", "outline"]
"""Lines inside one pot, or with paper on one side, or all."""

Blend = Literal["normal", "multiply", "screen"]
PartNames = Annotated[tuple[Annotated[str, Field(max_length=60)], ...], Field(max_length=100)]
Px = Annotated[float, Field(ge=-20_000, le=20_000, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class _Entry(BaseModel):
    """id: its name in the list. on: switched off nothing is lost. first, last: frames whose drawings it is for, None for
    all."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: str = Field(pattern="^[0-9a-f]{10}$")
    on: bool = True
    first: int | None = Field(default=None, ge=1, le=20_000)
    last: int | None = Field(default=None, ge=1, le=20_000)

    def holds(self, frame: int) -> bool:
        """Whether it is for a drawing that is first seen in a frame."""
        return self.on and (self.first or 1) <= frame <= (self.last or 20_000)


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


class CastShadow(_Entry):
    """The silhouette laid on the ground about the lowest point of the figure: px, degrees, shares of its size. parts: those
    that cast it, none for all."""

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


class Texture(_Entry):
    """A picture inside parts. cycle: drawings after which its offsets repeat, 1 for standing still. follows: it moves with
    the figure. where: on all of them, or only where shade lies: dots and hatching instead of a flat tone."""

    kind: Literal["texture"] = "texture"
    picture: Literal["wash", "weave", "grain", "dots", "hatch"] = "weave"
    scale: float = Field(default=1.0, ge=0.1, le=10)
    amount: Share = 0.35
    blend: Blend = "multiply"
    cycle: int = Field(default=1, ge=1, le=12)
    follows: bool = True
    where: Literal["all", "shade"] = "all"
    parts: PartNames = ()


class Highlight(_Entry):
    """A small round light on each patch of some pots, on the same side of all of them in all drawings: in an eye, on a
    button. turn: degrees clockwise from the top; out, size: shares of the largest circle in the patch."""

    kind: Literal["highlight"] = "highlight"
    pots: Annotated[tuple[int, ...], Field(max_length=200)] = ()
    turn: float = Field(default=-40.0, ge=-360, le=360)
    out: Share = 0.45
    size: Share = 0.3
    colour: Colour = "#ffffff"


class Hide(_Entry):
    """Hides what of the level lies in a box, px; or with `outside` all but that."""

    kind: Literal["hide"] = "hide"
    x0: Px = 0.0
    y0: Px = 0.0
    x1: Px = 0.0
    y1: Px = 0.0
    outside: bool = False


class Treatment(_Entry):
    """The whole drawing otherwise: without ink, ink alone, or grey but for one pot."""

    kind: Literal["treatment"] = "treatment"
    what: Literal["no-ink", "ink-only", "grey"] = "no-ink"
    pot: int | None = Field(default=None, ge=0, lt=2**31)


Entry = Annotated[
    LineColour | LineWeight | CastShadow | ContactShadow | Wash | Texture | Highlight | Hide | Treatment,
    Field(discriminator="kind"),
]
