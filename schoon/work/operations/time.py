"""What is done to the time of a shot: exposures, marks, length and rate."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from pydantic import Field

from ...core import exposure
from ...errors import NotFound, Refusal
from ...store.states import Kind, Starts, Time
from .base import Id, Operation, is_locked

MOST_FRAMES = 20_000


@dataclass(frozen=True)
class Levels:
    """The levels of the shot. locked: id -> name of those that are locked. owner: drawing -> its level."""

    locked: Mapping[int, str]
    owner: Mapping[int, int]

    def check(self, level: int, drawing: int) -> None:
        """Raises NotFound unless a drawing is one of a level."""
        if self.owner.get(drawing) != level:
            raise NotFound("This drawing is not on this level any more")


class TimeOperation(Operation):
    """A change of time."""

    def apply(self, time: Time, levels: Levels) -> Time:
        """The time after it. Raises NotFound and Refusal."""
        raise NotImplementedError


class _OnLevel(TimeOperation):
    level: Id

    def starts(self, starts: Starts, frames: int) -> Starts:
        """The sheet of the level after it. Raises ValueError if it cannot be so."""
        raise NotImplementedError

    def apply(self, time: Time, levels: Levels) -> Time:
        if self.level not in time.levels:
            raise NotFound("This level is not in the shot any more")
        refuse_locked(levels.locked, self.level)
        try:
            starts = self.starts(time.levels[self.level], time.frames)
        except ValueError as error:
            raise Refusal(f"The sheet stays as it is: {error}") from error
        return time.model_copy(update={"levels": {**time.levels, self.level: starts}})


class Hold(_OnLevel):
    """What starts at frame `first` is held `hold` frames; the next start moves, the shot's length stays."""

    do: Literal["hold"]
    first: int = Field(ge=1, le=MOST_FRAMES)
    hold: int = Field(ge=1, le=MOST_FRAMES)

    def label(self) -> str:
        return f"hold from frame {self.first} for {self.hold}"

    def starts(self, starts: Starts, frames: int) -> Starts:
        return exposure.held(starts, frames, self.first, self.hold)


class _AtFrame(_OnLevel):
    frame: int = Field(ge=1, le=MOST_FRAMES)


class Expose(_AtFrame):
    """A drawing stands from a frame to the next start."""

    do: Literal["expose"]
    drawing: Id

    def label(self) -> str:
        return f"expose a drawing from frame {self.frame}"

    def starts(self, starts: Starts, frames: int) -> Starts:
        return exposure.exposed(starts, frames, self.frame, self.drawing)

    def apply(self, time: Time, levels: Levels) -> Time:
        levels.check(self.level, self.drawing)
        return super().apply(time, levels)


class Blank(_AtFrame):
    """Nothing is shown from a frame to the next start."""

    do: Literal["blank"]

    def label(self) -> str:
        return f"show nothing from frame {self.frame}"

    def starts(self, starts: Starts, frames: int) -> Starts:
        return exposure.exposed(starts, frames, self.frame, None)


class Repeat(_AtFrame):
    """From a frame on, what stands from frame `first` up to there runs again and again, to the next start."""

    do: Literal["repeat"]
    first: int = Field(ge=1, le=MOST_FRAMES)

    def label(self) -> str:
        return f"repeat from frame {self.frame} what stands from frame {self.first}"

    def starts(self, starts: Starts, frames: int) -> Starts:
        return exposure.exposed(starts, frames, self.frame, exposure.Again(self.first))


class Clear(_AtFrame):
    """What starts at a frame is taken out of the sheet; what stood before it goes on."""

    do: Literal["clear"]

    def label(self) -> str:
        return f"take out what starts at frame {self.frame}"

    def starts(self, starts: Starts, frames: int) -> Starts:
        return exposure.cleared(starts, self.frame)


class Mark(TimeOperation):
    """Marks a drawing as a key, a breakdown or an in-between."""

    do: Literal["mark"]
    level: Id
    drawing: Id
    kind: Kind

    def label(self) -> str:
        return f"mark a drawing as {'an in-between' if self.kind == 'inbetween' else f'a {self.kind}'}"

    def apply(self, time: Time, levels: Levels) -> Time:
        levels.check(self.level, self.drawing)
        refuse_locked(levels.locked, self.level)
        return time.model_copy(update={"marks": {**time.marks, self.drawing: self.kind}})


class Length(TimeOperation):
    """How long the shot is. What stands beyond its end is kept, and seen again when it is made longer."""

    do: Literal["length"]
    frames: int = Field(ge=1, le=MOST_FRAMES)

    def label(self) -> str:
        return f"make the shot {self.frames} frames long"

    def apply(self, time: Time, levels: Levels) -> Time:
        return time.model_copy(update={"frames": self.frames})


class Rate(TimeOperation):
    """How many frames a second has."""

    do: Literal["rate"]
    fps: float = Field(ge=1, le=120)

    def label(self) -> str:
        return f"play at {self.fps:g} frames a second"

    def apply(self, time: Time, levels: Levels) -> Time:
        return time.model_copy(update={"fps": round(self.fps, 3)})


def refuse_locked(locked: Mapping[int, str], level: int) -> None:
    """Raises Refusal if a level is among the locked ones."""
    if level in locked:
        raise is_locked(locked[level])


AnyTime = Hold | Expose | Blank | Repeat | Clear | Mark | Length | Rate
