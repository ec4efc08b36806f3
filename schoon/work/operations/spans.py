"""What is done to a span of the sheet: frames `first` to `last` of chosen levels. The shot's length stays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field, PrivateAttr

from ...core import exposure
from ...errors import NotFound, Refusal
from ...store.states import Starts, Time
from ...values import Id
from .base import many
from .time import MOST_FRAMES, Levels, TimeOperation, refuse_locked

Frame = Annotated[int, Field(ge=1, le=MOST_FRAMES)]

MOST_PIECES = 20_000


def grown(time: Time, by: int) -> int:
    """The length of a shot that grows, frames. Raises Refusal."""
    if time.frames + by > MOST_FRAMES:
        raise Refusal(f"A shot has at most {MOST_FRAMES} frames")
    return time.frames + by


class SpanOperation(TimeOperation):
    """An act on a span. levels: that it is done on. grow: the shot becomes as much longer as it pushes off its end."""

    levels: Annotated[list[Id], Field(min_length=1, max_length=100)]
    first: Frame
    last: Frame
    grow: bool = False
    _lost: dict[int, list[int]] = PrivateAttr(default_factory=dict)
    _missing: int = PrivateAttr(default=0)

    @property
    def lost(self) -> dict[int, list[int]]:
        """level -> drawings that it pushes off the end of the shot; known after it was applied."""
        return self._lost

    @property
    def missing(self) -> int:
        """How many frames the shot is too short for what is pushed off; known after it was applied."""
        return self._missing

    def changed(self, level: int, starts: Starts) -> Starts:
        """The sheet of a level after it. Raises ValueError if it cannot be so."""
        raise NotImplementedError

    def check(self, levels: Levels) -> None:
        """Raises NotFound if it names a drawing that is not there."""

    def apply(self, time: Time, levels: Levels) -> Time:
        if self.last < self.first or self.first > time.frames:
            raise Refusal(f"Choose frames of the shot, which are 1 to {time.frames}")
        self.check(levels)
        after = dict(time.levels)
        for level in dict.fromkeys(self.levels):
            if level not in after:
                raise NotFound("This level is not in the shot any more")
            refuse_locked(levels.locked, level)
            try:
                after[level] = self.changed(level, after[level])
            except ValueError as error:
                raise Refusal(f"The sheet stays as it is: {error}") from error
            if lost := exposure.pushed_off(time.levels[level], after[level], time.frames):
                self._lost[level] = lost
                more = exposure.missing(time.levels[level], after[level], time.frames)
                self._missing = max(self._missing, more)
        longer = {"frames": grown(time, self._missing)} if self.grow else {}
        return time.model_copy(update={"levels": after, **longer})

    @property
    def span(self) -> str:
        """The span in words."""
        return f"frame {self.first}" if self.first == self.last else f"frames {self.first} to {self.last}"


class OnEach(SpanOperation):
    """Holds everything in the span `hold` frames each. push: what follows moves along."""

    do: Literal["on-each"]
    hold: Annotated[int, Field(ge=1, le=1000)]
    push: bool = True

    def label(self) -> str:
        return f"hold {self.span} on {self.hold}s"

    def changed(self, level: int, starts: Starts) -> Starts:
        return exposure.on_each(starts, self.first, self.last, self.hold, self.push)


class Stretch(SpanOperation):
    """Makes the span `frames` long, every hold by its share."""

    do: Literal["stretch"]
    frames: Frame
    push: bool = True

    def label(self) -> str:
        return f"stretch {self.span} to {many(self.frames, 'frame')}"

    def changed(self, level: int, starts: Starts) -> Starts:
        return exposure.stretched(starts, self.first, self.last, self.frames, self.push)


class RepeatSpan(SpanOperation):
    """Runs the span again and again up to and with a frame, so many times in all, or to the end of the shot."""

    do: Literal["repeat-span"]
    until: Frame | None = None
    times: Annotated[int, Field(ge=2, le=MOST_FRAMES)] | None = None
    push: bool = False

    def label(self) -> str:
        return f"repeat {self.span}" + (f" {self.times} times" if self.times else "")

    def changed(self, level: int, starts: Starts) -> Starts:
        until = self.until
        if self.times is not None:
            until = self.first + self.times * (self.last - self.first + 1) - 1
        return exposure.repeated(starts, self.first, self.last, until, self.push)


class ThereAndBack(SpanOperation):
    """The span followed by itself backwards."""

    do: Literal["there-and-back"]
    push: bool = False

    def label(self) -> str:
        return f"{self.span} there and back"

    def changed(self, level: int, starts: Starts) -> Starts:
        return exposure.there_and_back(starts, self.first, self.last, self.push)


class Reverse(SpanOperation):
    """What stands in the span backwards."""

    do: Literal["reverse"]

    def label(self) -> str:
        return f"{self.span} backwards"

    def changed(self, level: int, starts: Starts) -> Starts:
        return exposure.reversed_(starts, self.first, self.last)


class Cover(SpanOperation):
    """Another drawing all through the span, or nothing."""

    do: Literal["cover"]
    drawing: Id | None

    def label(self) -> str:
        return f"{'nothing' if self.drawing is None else 'another drawing'} in {self.span}"

    def check(self, levels: Levels) -> None:
        if self.drawing is not None:
            for level in self.levels:
                levels.check(level, self.drawing)

    def changed(self, level: int, starts: Starts) -> Starts:
        return exposure.exposed_over(starts, self.first, self.last, self.drawing)


class Move(SpanOperation):
    """Moves the span later, or with a negative number earlier; what it passes takes its place."""

    do: Literal["move"]
    by: Annotated[int, Field(ge=-MOST_FRAMES, le=MOST_FRAMES)]

    def label(self) -> str:
        return f"move {self.span} {many(abs(self.by), 'frame')} {'later' if self.by > 0 else 'earlier'}"

    def changed(self, level: int, starts: Starts) -> Starts:
        return exposure.moved(starts, self.first, self.last, self.by)


class TakeAway(SpanOperation):
    """Takes the span out. push: what follows moves up; else what stood before goes on through it."""

    do: Literal["take-away"]
    push: bool = True

    def label(self) -> str:
        return f"take {self.span} away"

    def changed(self, level: int, starts: Starts) -> Starts:
        return exposure.taken_away(starts, self.first, self.last, self.push)


Piece = tuple[Id | None, Frame]
"""(drawing or None for nothing, frames)."""


class Paste(SpanOperation):
    """Puts pieces that were copied in at the span's first frame. pieces: level -> its pieces."""

    do: Literal["paste"]
    pieces: dict[Id, Annotated[list[Piece], Field(min_length=1, max_length=MOST_PIECES)]]
    push: bool = False

    def label(self) -> str:
        return f"put copied frames in at frame {self.first}"

    def check(self, levels: Levels) -> None:
        if set(self.pieces) != set(self.levels):
            raise Refusal("Frames can be put in on the levels they were copied from")
        for level, pieces in self.pieces.items():
            for drawing in {what for what, _ in pieces if what is not None}:
                levels.check(level, drawing)

    def changed(self, level: int, starts: Starts) -> Starts:
        return exposure.pasted(starts, self.first, self.pieces[level], self.push)


class Pick(SpanOperation):
    """A named entry of a level's set in the span: its run is played on and held, and with `back` played back at the end."""

    do: Literal["pick"]
    name: Annotated[str, Field(min_length=1, max_length=40)]
    back: bool = False

    def label(self) -> str:
        return f"pick {self.name} in {self.span}"

    def check(self, levels: Levels) -> None:
        for level in self.levels:
            if self.name not in levels.entries.get(level, {}):
                raise NotFound(f"There is no entry “{self.name}” in the set of this level any more")
        self._entries = {level: levels.entries[level][self.name] for level in self.levels}

    _entries: dict[int, Sequence[tuple[int, int]]] = PrivateAttr(default_factory=dict)

    def changed(self, level: int, starts: Starts) -> Starts:
        run = exposure.picked(self._entries[level], self.last - self.first + 1, self.back)
        return exposure.pasted(starts, self.first, run)


class WholeSheet(TimeOperation):
    """Whole levels by a sheet that was read from a file: level -> its entries."""

    do: Literal["whole-sheet"]
    name: str
    sheets: dict[Id, Starts]

    def label(self) -> str:
        return f"read the sheet {self.name}"

    def apply(self, time: Time, levels: Levels) -> Time:
        for level, starts in self.sheets.items():
            refuse_locked(levels.locked, level)
            for what in starts.values():
                if isinstance(what, int):
                    levels.check(level, what)
        return time.model_copy(update={"levels": {**time.levels, **self.sheets}})


AnySpan = (
    OnEach | Stretch | RepeatSpan | ThereAndBack | Reverse | Cover | Move | TakeAway | Paste | Pick
)  # fmt: skip
