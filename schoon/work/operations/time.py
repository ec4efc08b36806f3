"""What is done to the time of a shot: exposures, marks, length and rate."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Literal

from pydantic import Field, PrivateAttr

from ...core import exposure
from ...errors import NotFound, Refusal
from ...store import actor
from ...store.states import Kind, Label, Note, Starts, Time
from ...values import Id, Sound
from .base import Operation, is_locked, many

MOST_FRAMES = 20_000


@dataclass(frozen=True)
class Levels:
    """The levels of the shot. locked: id -> name of those that are locked. owner: drawing -> its level. entries: level ->
    its set, as in `states.Level`. out: level -> its drawings that are out of the run, with the numbers they had."""

    locked: Mapping[int, str]
    owner: Mapping[int, int]
    entries: Mapping[int, Mapping[str, Sequence[tuple[int, int]]]] = field(default_factory=dict)
    out: Mapping[int, Mapping[int, str]] = field(default_factory=dict)

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
    """Marks a drawing as a key, an extreme, a breakdown or an in-between."""

    do: Literal["mark"]
    level: Id
    drawing: Id
    kind: Kind

    def label(self) -> str:
        return f"mark a drawing as {_MARKS[self.kind]}"

    def apply(self, time: Time, levels: Levels) -> Time:
        levels.check(self.level, self.drawing)
        refuse_locked(levels.locked, self.level)
        return time.model_copy(update={"marks": {**time.marks, self.drawing: self.kind}})


_MARKS = {"key": "a key", "extreme": "an extreme", "breakdown": "a breakdown", "inbetween": "an in-between"}


class LabelDrawings(TimeOperation):
    """Writes a word of one's own on drawings, or takes it off."""

    do: Literal["label"]
    drawings: Annotated[list[Id], Field(min_length=1, max_length=2000)]
    written: Label | None = None

    def label(self) -> str:
        word = f"“{self.written.word}”" if self.written else "no label"
        return f"write {word} on {many(len(self.drawings), 'drawing')}"

    def apply(self, time: Time, levels: Levels) -> Time:
        for drawing in self.drawings:
            if drawing not in levels.owner:
                raise NotFound("This drawing is not in the shot any more")
        others = {d: own for d, own in time.labels.items() if d not in self.drawings}
        fresh = dict.fromkeys(self.drawings, self.written) if self.written else {}
        return time.model_copy(update={"labels": {**others, **fresh}})


class Length(TimeOperation):
    """How long the shot is. What stands beyond its end is kept, and seen again when it is made longer."""

    do: Literal["length"]
    frames: int = Field(ge=1, le=MOST_FRAMES)

    def label(self) -> str:
        return f"make the shot {self.frames} frames long"

    def apply(self, time: Time, levels: Levels) -> Time:
        return time.model_copy(update={"frames": self.frames})


class Rate(TimeOperation):
    """How many frames a second has. recount: seconds are kept and frames counted anew; else frames are kept."""

    do: Literal["rate"]
    fps: float = Field(ge=1, le=120)
    recount: bool = False
    _uneven: int = PrivateAttr(default=0)

    @property
    def uneven(self) -> int:
        """How many holds have no whole number of frames at the new rate; known after it was applied."""
        return self._uneven

    def label(self) -> str:
        return f"play at {self.fps:g} frames a second" + (", frames counted anew" if self.recount else "")

    def apply(self, time: Time, levels: Levels) -> Time:
        fps = round(self.fps, 3)
        if not self.recount or fps == time.fps:
            return time.model_copy(update={"fps": fps})
        frames = max(1, round(time.frames * fps / time.fps))
        if frames > MOST_FRAMES:
            raise Refusal(f"The shot would be {frames} frames long; the most is {MOST_FRAMES}")
        sheets = {}
        for level, starts in time.levels.items():
            try:
                sheets[level] = exposure.retimed(starts, time.fps, fps)
            except ValueError as error:
                raise Refusal(f"The sheet stays as it is: {error}") from error
            self._uneven += sum(
                what is not None and count * fps % time.fps > 1e-9
                for _, count, what in exposure.entries(starts, time.frames)
            )
        notes = {name: _renoted(note, time.fps, fps) for name, note in time.notes.items()}
        return time.model_copy(update={"fps": fps, "frames": frames, "levels": sheets, "notes": notes})


NoteName = Annotated[str, Field(pattern=r"^[0-9a-z]{6,10}$")]

Way = Annotated[tuple[Annotated[float, Field(ge=-1e5, le=1e5)], ...], Field(min_length=4, max_length=4000)]
"""A way of the pen, x and y in turn, px."""

_MOST_NOTES = 2000


class NewNote(Sound):
    """A note as `store.states.Note`."""

    name: NoteName
    drawing: Id | None = None
    first: int | None = Field(default=None, ge=1, le=MOST_FRAMES)
    last: int | None = Field(default=None, ge=1, le=MOST_FRAMES)
    words: str = Field(default="", max_length=500)
    picture: str | None = Field(default=None, pattern=r"^[0-9a-f]{64}$")
    drawn: Annotated[tuple[Way, ...], Field(max_length=200)] = ()


class AddNotes(TimeOperation):
    """Notes of drawings, of frames, or of the whole shot."""

    do: Literal["note"]
    notes: Annotated[list[NewNote], Field(min_length=1, max_length=200)]

    def label(self) -> str:
        return f"note {many(len(self.notes), 'thing')}"

    def apply(self, time: Time, levels: Levels) -> Time:
        fresh = {}
        for note in self.notes:
            if note.drawing is not None and note.drawing not in levels.owner:
                raise NotFound("This drawing is not in the shot any more")
            if not (note.words.strip() or note.picture or note.drawn):
                raise Refusal("A note needs words or a picture")
            if note.drawn and (note.drawing is None or any(len(way) % 2 for way in note.drawn)):
                raise Refusal("What is drawn needs a drawing that it lies on, and pairs of places")
            told = {
                **note.model_dump(exclude={"name"}),
                "words": note.words.strip(),
                "writer": actor.present(),
            }
            fresh[note.name] = Note(**told)
        after = {**time.notes, **fresh}
        if len(after) > _MOST_NOTES:
            raise Refusal(f"A shot has at most {_MOST_NOTES} notes; take some away")
        return time.model_copy(update={"notes": after})


class Reword(TimeOperation):
    """Other words for a note."""

    do: Literal["reword"]
    note: NoteName
    words: str = Field(max_length=500)

    def label(self) -> str:
        return "reword a note"

    def apply(self, time: Time, levels: Levels) -> Time:
        note = _note(time, self.note)
        if not (self.words.strip() or note.picture or note.drawn):
            raise Refusal("A note needs words or a picture; take it away instead")
        changed = note.model_copy(update={"words": self.words.strip()})
        return time.model_copy(update={"notes": {**time.notes, self.note: changed}})


class Settle(TimeOperation):
    """Says that a note is done, or that it is open again."""

    do: Literal["settle"]
    note: NoteName
    done: bool

    def label(self) -> str:
        return "settle a note" if self.done else "open a note again"

    def apply(self, time: Time, levels: Levels) -> Time:
        changed = _note(time, self.note).model_copy(update={"done": self.done})
        return time.model_copy(update={"notes": {**time.notes, self.note: changed}})


class TakeNote(TimeOperation):
    """A note taken away."""

    do: Literal["unnote"]
    note: NoteName

    def label(self) -> str:
        return "take a note away"

    def apply(self, time: Time, levels: Levels) -> Time:
        _note(time, self.note)
        return time.model_copy(update={"notes": {k: v for k, v in time.notes.items() if k != self.note}})


def _renoted(note: Note, old: float, new: float) -> Note:
    """A note of frames at another rate."""
    (first, last) = (
        None if frame is None else 1 + round((frame - 1) * new / old) for frame in (note.first, note.last)
    )
    return note.model_copy(update={"first": first, "last": last})


def _note(time: Time, name: str) -> Note:
    found = time.notes.get(name)
    if found is None:
        raise NotFound("This note is not there any more")
    return found


def refuse_locked(locked: Mapping[int, str], level: int) -> None:
    """Raises Refusal if a level is among the locked ones."""
    if level in locked:
        raise is_locked(locked[level])


AnyTime = (
    Hold
    | Expose
    | Blank
    | Repeat
    | Clear
    | Mark
    | Length
    | Rate
    | LabelDrawings
    | AddNotes
    | Reword
    | Settle
    | TakeNote
)
