"""What an artist changes beside drawings, as documents: a shot's time, its stack of levels, a model.

The rows of the database say how things stand now, a document says how they stood at a revision; both hold the same.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from ..core.exposure import Again, Numbering
from ..core.exposure.placing import Notch, Pose, Way
from ..core.finish.entries import Entry
from ..core.look.rules import How

Kind = Literal["key", "breakdown", "inbetween", "extreme"]

LevelKind = Literal["drawings", "pictures", "backdrop", "guide"]
"""Drawings are lined and painted. Pictures are seen and traced. A backdrop is part of the result, however large. A guide is
drawn on and never handed off."""

Starts = dict[int, int | Again | None]
"""frame -> id of the drawing that starts there, None for nothing, or Again."""


class State(BaseModel):
    """version: of the schema; a document of an older one is brought up to this one when it is read."""

    model_config = ConfigDict(frozen=True, extra="ignore")

    version: Literal[1] = 1

    def document(self) -> dict[str, Any]:
        """As JSON."""
        return self.model_dump(mode="json")


class Note(BaseModel):
    """What is noted of a drawing, of frames `first` to `last`, or with neither of the whole shot. picture: its hash. done:
    whether nothing is to do about it any more. writer: who wrote it, "" if nobody said. drawn: what was drawn on the drawing,
    ways of the pen, each x and y in turn, px."""

    model_config = ConfigDict(frozen=True)

    drawing: int | None = None
    first: int | None = None
    last: int | None = None
    words: str = ""
    picture: str | None = None
    done: bool = False
    writer: str = ""
    drawn: tuple[tuple[float, ...], ...] = ()


class Label(BaseModel):
    """A word of one's own on a drawing or a level, and its tint, "#rrggbb"."""

    model_config = ConfigDict(frozen=True)

    word: Annotated[str, Field(min_length=1, max_length=24)]
    tint: Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")] = "#b8742a"


SkippedStage = Literal["line", "seal", "paint", "tone"]
"""A stage that a level can do without."""


class Retaken(BaseModel):
    """A rough that was taken in again. was, now: hashes of the first and the newest, "" for an empty sheet. looked: whether
    somebody has looked at the newest."""

    model_config = ConfigDict(frozen=True)

    was: str
    now: str
    looked: bool = False


class Time(State):
    """frames: length of the shot. levels: id -> starts. marks: drawing -> its kind, of all that are in the run. numbers:
    drawing -> what is written on it. notes: name -> note. meant: drawings that are as they are on purpose: nothing asks
    about them. roughs: drawing -> its rough, of those that were taken in again. labels: drawing -> a word of one's own on it."""

    frames: int
    fps: float
    levels: dict[int, Starts]
    marks: dict[int, Kind]
    numbers: dict[int, str] = Field(default_factory=dict)
    numbering: Numbering = "letters"
    notes: dict[str, Note] = Field(default_factory=dict)
    meant: tuple[int, ...] = ()
    roughs: dict[int, Retaken] = Field(default_factory=dict)
    labels: dict[int, Label] = Field(default_factory=dict)


class NotchState(BaseModel):
    """As `core.exposure.placing.Notch`."""

    model_config = ConfigDict(frozen=True)

    x: float = 0.0
    y: float = 0.0
    turn: float = 0.0
    scale: float = Field(default=1.0, gt=0)
    way: Way = "smooth"

    def notch(self) -> Notch:
        """For the computation."""
        return Notch(Pose(self.x, self.y, self.turn, self.scale), self.way)


class Place(BaseModel):
    """Where a level lies over time. pivot: px of the shot it turns and scales about, None for the middle. follow: share of
    the framing's move that it takes."""

    model_config = ConfigDict(frozen=True)

    pivot: tuple[float, float] | None = None
    notches: dict[int, NotchState] = Field(default_factory=dict)
    follow: float = 1.0


class LightState(BaseModel):
    """Where light stands: azimuth in degrees clockwise from the top, height in degrees towards the viewer; and the share of
    what it falls on that lies in shade."""

    model_config = ConfigDict(frozen=True)

    azimuth: float = 315.0
    height: float = Field(default=35.0, ge=-90, le=90)
    amount: float = Field(default=0.3, ge=0, le=1)


Lights = dict[str, dict[int, LightState]]
"""part, or "" for the whole figure, -> frame -> its light."""


class KeyChange(BaseModel):
    """A colour key from a frame on. eased: it comes evenly from the change before it, instead of at once."""

    model_config = ConfigDict(frozen=True)

    key: int
    eased: bool = False


SAME_PLACE = 40.0
"""px within which a finding is about the same thing."""


class Waved(BaseModel):
    """A finding that a person has waved through. drawings, at: where it was. by: who."""

    model_config = ConfigDict(frozen=True)

    rule: str
    drawings: tuple[int, ...]
    at: tuple[float, float] | None = None
    reason: str = ""
    by: str = ""

    def about(self, rule: str, drawings: Iterable[int], at: Sequence[float] | None) -> bool:
        """Whether a finding is about the same thing: one that has moved a little is."""
        if rule != self.rule or not set(drawings) & set(self.drawings) or (at is None) != (self.at is None):
            return False
        return at is None or self.at is None or math.dist(at, self.at) <= SAME_PLACE


Lay = Literal["fit", "fill", "own"]
"""How a picture is brought to a paper: wholly inside, over all of it, or at its own size about the middle."""


def lies(kind: LevelKind, lay: Lay | None) -> Lay:
    """How pictures of a kind of level are brought to its paper; lay: as it was chosen, None if it was not."""
    return lay or ("own" if kind == "backdrop" else "fit")


class Level(BaseModel):
    """A level as it lies in the stack. depth: drawing -> parts from front to rear from it on. kind: what it is for.

    opacity: 1..100 %. visible: whether it is seen at all. tint: "#rrggbb" of a guide's lines, None for those of the key.
    lights: part, or "" for the whole figure, -> frame -> its light, which changes evenly from one to the next.
    key_lights: colour key -> the lights that take their place where the level is seen in it.
    finish: what is done to its picture, in order. waved: findings that are as they are on purpose. key_changes: frame -> the colour key from there on, instead of `key`.
    entries: name -> (drawing, frames) of its run: the set of alternatives that frames pick from by name. skips: stages it
    does without: nothing of them is open. label: a word of one's own on it; part_labels: on its parts.
    paper: (width, height) px of its drawings where that is not the frame's. lay: how its pictures are brought to its paper, None
    as its kind has it. linked: whether its drawings are those of the level it was copied from.
    """

    model_config = ConfigDict(frozen=True)

    name: str
    locked: bool = False
    model: int | None = None
    key: int | None = None
    depth: dict[int, tuple[str, ...]] = Field(default_factory=dict)
    kind: LevelKind = "drawings"
    opacity: int = Field(default=100, ge=1, le=100)
    visible: bool = True
    tint: str | None = None
    place: Place = Place()
    entries: dict[str, tuple[tuple[int, int], ...]] = Field(default_factory=dict)
    lights: Lights = Field(default_factory=dict)
    key_lights: dict[int, Lights] = Field(default_factory=dict)
    finish: tuple[Entry, ...] = ()
    key_changes: dict[int, KeyChange] = Field(default_factory=dict)
    waved: tuple[Waved, ...] = ()
    skips: tuple[SkippedStage, ...] = ()
    label: Label | None = None
    part_labels: dict[str, Label] = Field(default_factory=dict)
    paper: tuple[int, int] | None = None
    lay: Lay | None = None
    linked: bool = False

    @property
    def lies(self) -> Lay:
        """How its pictures are brought to its paper."""
        return lies(self.kind, self.lay)


class Stack(State):
    """order: ids of the levels from rear to front; those that are put aside are not in it. framing: frame -> the field that
    is seen, moved about the middle of the frame."""

    order: tuple[int, ...]
    levels: dict[int, Level]
    framing: dict[int, NotchState] = Field(default_factory=dict)


class Pot(BaseModel):
    """As in `store.models.model`."""

    model_config = ConfigDict(frozen=True)

    id: int
    name: str
    part: str = ""
    opacity: int = 100
    expected: int | None = None
    share: float | None = None


class Tones(BaseModel):
    """What a pot looks like in a key beside its base, where somebody chose it."""

    model_config = ConfigDict(frozen=True)

    shade: str | None = None
    deep: str | None = None
    light: str | None = None
    rim: str | None = None
    blush: str | None = None
    reflection: str | None = None
    line: str | None = None


class Rule(BaseModel):
    """As `core.look.ToneRule`."""

    model_config = ConfigDict(frozen=True)

    how: How
    by: tuple[float, float, float]


class ColourKey(BaseModel):
    """colours: pot -> "#rrggbb". picture: the one it was read from. rules: kind of tone -> what it makes of pots for which
    no colour of that kind is chosen."""

    model_config = ConfigDict(frozen=True)

    id: int
    name: str
    ink: str
    backdrop: str
    picture: str | None = None
    colours: dict[int, str] = Field(default_factory=dict)
    tones: dict[int, Tones] = Field(default_factory=dict)
    rules: dict[str, Rule] = Field(default_factory=dict)


class SheetPicture(BaseModel):
    model_config = ConfigDict(frozen=True)

    caption: str
    sha256: str


class Model(State):
    """pots and keys in their order. rule: as `core.strokes.LineRule`. measures: part -> what the model says of it.
    depth: parts from front to rear."""

    pots: tuple[Pot, ...]
    keys: tuple[ColourKey, ...]
    rule: dict[str, Any]
    measures: dict[str, dict[str, Any]]
    pictures: tuple[SheetPicture, ...]
    depth: tuple[str, ...] = ()

    def pot(self, pot_id: int) -> Pot | None:
        """A pot by its id."""
        return next((pot for pot in self.pots if pot.id == pot_id), None)

    def key(self, key_id: int) -> ColourKey | None:
        """A colour key by its id."""
        return next((key for key in self.keys if key.id == key_id), None)
