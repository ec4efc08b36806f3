"""What is done to the levels of a shot: their order, names, locks, models and colour keys."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Annotated, Literal

from pydantic import Field, PrivateAttr

from ...errors import NotFound, Refusal
from ...store import actor
from ...store.states import (
    KeyChange,
    Label,
    Lay,
    Level,
    LevelKind,
    LightState,
    NotchState,
    SkippedStage,
    Stack,
    Waved,
)
from ...text import named
from ...values import Id, Spot
from .base import Operation, PartName, is_locked


@dataclass(frozen=True)
class Offers:
    """keys: model -> its colour keys in order, for the models of the shot's production. drawings: drawing -> its level.
    sizes: gives the sizes of the pictures of a level, px. frame: (width, height) of the shot."""

    keys: Mapping[int, tuple[int, ...]]
    drawings: Mapping[int, int] = field(default_factory=dict)
    sizes: Callable[[int], set[tuple[int, int]]] = lambda level: set()
    frame: tuple[int, int] = (0, 0)


class StackOperation(Operation):
    """A change of the levels."""

    def apply(self, stack: Stack, offers: Offers) -> Stack:
        """The levels after it. Raises NotFound and Refusal."""
        raise NotImplementedError


class Restack(StackOperation):
    """Puts one level directly before another one, towards the front; without one to the rear of all."""

    do: Literal["restack"]
    level: Id
    over: Id | None = None

    def label(self) -> str:
        return "stack the levels"

    def apply(self, stack: Stack, offers: Offers) -> Stack:
        if self.level not in stack.order or (self.over is not None and self.over not in stack.order):
            raise NotFound("One of these levels is not in the shot any more")
        if self.level == self.over:
            return stack
        others = [level for level in stack.order if level != self.level]
        k = others.index(self.over) + 1 if self.over is not None else 0
        return stack.model_copy(update={"order": (*others[:k], self.level, *others[k:])})


class OnLevel(StackOperation):
    """A change of one level."""

    level: Id
    _name: str = PrivateAttr(default="a level")

    def one(self, level: Level, offers: Offers) -> Level:
        """The level after it. Raises NotFound and Refusal."""
        raise NotImplementedError

    def own(self, stack: Stack) -> Level:
        """The level as it is. Raises NotFound."""
        found = stack.levels.get(self.level)
        if found is None:
            raise NotFound("This level is not there any more")
        self._name = found.name
        return found

    def apply(self, stack: Stack, offers: Offers) -> Stack:
        changed = self.one(self.own(stack), offers)
        return stack.model_copy(update={"levels": {**stack.levels, self.level: changed}})


class Rename(OnLevel):
    """Gives a level another name."""

    do: Literal["rename"]
    name: str = Field(max_length=500)

    def label(self) -> str:
        return f"call {self._name} {' '.join(self.name.split())}"

    def one(self, level: Level, offers: Offers) -> Level:
        return level.model_copy(update={"name": named(self.name, "level")})


class Lock(OnLevel):
    """A locked level is seen and handed off, but not changed."""

    do: Literal["lock"]
    locked: bool

    def label(self) -> str:
        return f"{'lock' if self.locked else 'open'} {self._name}"

    def one(self, level: Level, offers: Offers) -> Level:
        return level.model_copy(update={"locked": self.locked})


class PutAside(OnLevel):
    """Puts a level aside, or brings it back in front of the others."""

    do: Literal["aside"]
    aside: bool

    def label(self) -> str:
        return f"put {self._name} aside" if self.aside else f"bring {self._name} back"

    def apply(self, stack: Stack, offers: Offers) -> Stack:
        own = self.own(stack)
        if own.locked:
            raise is_locked(own.name)
        if self.aside == (self.level not in stack.order):
            return stack
        if self.aside and len(stack.order) == 1:
            raise Refusal(f"{own.name} is the only level of this shot; a shot keeps one at least")
        others = tuple(level for level in stack.order if level != self.level)
        return stack.model_copy(update={"order": others if self.aside else (*others, self.level)})


class UseModel(OnLevel):
    """Paints a level against a model."""

    do: Literal["model"]
    model: Id

    def label(self) -> str:
        return f"choose the model of {self._name}"

    def one(self, level: Level, offers: Offers) -> Level:
        if level.locked:
            raise is_locked(level.name)
        if self.model not in offers.keys:
            raise Refusal("This model belongs to another production")
        keys = offers.keys[self.model]
        return level.model_copy(update={"model": self.model, "key": keys[0] if keys else None})


class SeeIn(OnLevel):
    """Sees a level in another colour key."""

    do: Literal["key"]
    key: Id

    def label(self) -> str:
        return f"see {self._name} in another colour key"

    def one(self, level: Level, offers: Offers) -> Level:
        if level.model is None or self.key not in offers.keys.get(level.model, ()):
            raise NotFound("This colour key is not in the model any more; choose another one")
        return level.model_copy(update={"key": self.key})


class KeyFrom(OnLevel):
    """Sees a level in another colour key from a frame on; None takes the change at that frame away. eased: the colours go
    there evenly from the change before."""

    do: Literal["key-from"]
    frame: int = Field(ge=2, le=20_000)
    key: Id | None
    eased: bool = False

    def label(self) -> str:
        return f"{'change' if self.key else 'take away'} the colour key of {self._name} at frame {self.frame}"

    def one(self, level: Level, offers: Offers) -> Level:
        others = {frame: change for frame, change in level.key_changes.items() if frame != self.frame}
        if self.key is not None:
            if level.model is None or self.key not in offers.keys.get(level.model, ()):
                raise NotFound("This colour key is not in the model any more; choose another one")
            if len(others) >= _MOST_NOTCHES:
                raise Refusal("The colour key changes too often; take some changes away")
            others[self.frame] = KeyChange(key=self.key, eased=self.eased)
        return level.model_copy(update={"key_changes": dict(sorted(others.items()))})


class Depth(OnLevel):
    """Puts the parts of a level in another order of depth from a drawing on; with None it is as before it again."""

    do: Literal["depth"]
    drawing: Id
    parts: Annotated[list[PartName], Field(max_length=100)] | None

    def label(self) -> str:
        return f"{'change' if self.parts is not None else 'put back'} the depth of parts in {self._name}"

    def one(self, level: Level, offers: Offers) -> Level:
        if level.locked:
            raise is_locked(level.name)
        if offers.drawings.get(self.drawing) != self.level:
            raise NotFound("This drawing is not in the run any more")
        others = {k: parts for k, parts in level.depth.items() if k != self.drawing}
        return level.model_copy(
            update={"depth": others if self.parts is None else {**others, self.drawing: tuple(self.parts)}}
        )


class Purpose(OnLevel):
    """What a level is for."""

    do: Literal["purpose"]
    kind: LevelKind

    def label(self) -> str:
        return f"make {self._name} {_PURPOSES[self.kind]}"

    def one(self, level: Level, offers: Offers) -> Level:
        if level.locked:
            raise is_locked(level.name)
        paper = level.paper
        if self.kind == "drawings" and paper is None:
            # What is drawn on its pictures lies where they have it.
            sizes = offers.sizes(self.level)
            if len(sizes) > 1:
                raise Refusal(
                    f"The pictures of {level.name} differ in size; a level of drawings has one size. Scale them alike first"
                )
            paper = next(iter(sizes - {offers.frame}), None)
        return level.model_copy(update={"kind": self.kind, "paper": paper})


_PURPOSES = {
    "drawings": "a level of drawings",
    "pictures": "a level of pictures to trace",
    "backdrop": "a backdrop",
    "guide": "a guide",
}


class Skip(OnLevel):
    """The stages a level does without: nothing of them is open, the gate before hand-off included."""

    do: Literal["skip"]
    stages: Annotated[list[SkippedStage], Field(max_length=4)]

    def label(self) -> str:
        return (
            f"have {self._name} go without {' and '.join(self.stages)}"
            if self.stages
            else f"have {self._name} go through all stages"
        )

    def one(self, level: Level, offers: Offers) -> Level:
        return level.model_copy(update={"skips": tuple(dict.fromkeys(self.stages))})


class LabelLevel(OnLevel):
    """Writes a word of one's own on a level, or takes it off."""

    do: Literal["label-level"]
    written: Label | None = None

    def label(self) -> str:
        return (
            f"write “{self.written.word}” on {self._name}"
            if self.written
            else f"take the label off {self._name}"
        )

    def one(self, level: Level, offers: Offers) -> Level:
        return level.model_copy(update={"label": self.written})


class LabelPart(OnLevel):
    """Writes a word of one's own on a part of a level, or takes it off."""

    do: Literal["label-part"]
    part: PartName
    written: Label | None = None

    def label(self) -> str:
        return (
            f"write “{self.written.word}” on {self.part}"
            if self.written
            else f"take the label off {self.part}"
        )

    def one(self, level: Level, offers: Offers) -> Level:
        others = {part: label for part, label in level.part_labels.items() if part != self.part}
        if self.written and len(others) >= _MOST_LABELS:
            raise Refusal(f"{_MOST_LABELS} parts carry a label already; take some off")
        return level.model_copy(
            update={"part_labels": {**others, self.part: self.written} if self.written else others}
        )


_MOST_LABELS = 200


class Free(OnLevel):
    """Frees a linked level: what is done to its drawings is done to them alone from now on."""

    do: Literal["free"]

    def label(self) -> str:
        return f"free {self._name}"

    def one(self, level: Level, offers: Offers) -> Level:
        return level.model_copy(update={"linked": False})


class LayPictures(OnLevel):
    """How the pictures of a level are brought to the frame: wholly inside, over all of it, or at their own size."""

    do: Literal["lay"]
    lay: Lay

    def label(self) -> str:
        return f"lay {self._name} {_LAID[self.lay]}"

    def one(self, level: Level, offers: Offers) -> Level:
        if level.locked:
            raise is_locked(level.name)
        return level.model_copy(update={"lay": self.lay})


_LAID = {"fit": "inside the frame", "fill": "over all of the frame", "own": "at its own size"}


class Sight(OnLevel):
    """How a level is seen; what is not named stays. tint: "" for the colours it has."""

    do: Literal["sight"]
    opacity: int | None = Field(default=None, ge=1, le=100)
    visible: bool | None = None
    tint: str | None = Field(default=None, pattern="^(#[0-9a-f]{6})?$")

    def label(self) -> str:
        return f"change how {self._name} is seen"

    def one(self, level: Level, offers: Offers) -> Level:
        changed = {
            name: value for name in ("opacity", "visible") if (value := getattr(self, name)) is not None
        }
        if self.tint is not None:
            changed["tint"] = self.tint or None
        return level.model_copy(update=changed)


class NewNotch(NotchState):
    """A notch within bounds a frame can need."""

    x: float = Field(default=0.0, ge=-100_000, le=100_000, allow_inf_nan=False)
    y: float = Field(default=0.0, ge=-100_000, le=100_000, allow_inf_nan=False)
    turn: float = Field(default=0.0, ge=-36_000, le=36_000, allow_inf_nan=False)
    scale: float = Field(default=1.0, ge=0.01, le=100, allow_inf_nan=False)


class SetPlace(OnLevel):
    """Where a level lies: a notch at a frame, None takes it away; its pivot; the share of the framing's move it takes."""

    do: Literal["place-level"]
    frame: int | None = Field(default=None, ge=1, le=20_000)
    notch: NewNotch | None = None
    pivot: Spot | None = None
    follow: float | None = Field(default=None, ge=0, le=4, allow_inf_nan=False)

    def label(self) -> str:
        return f"place {self._name}" + (f" at frame {self.frame}" if self.frame else "")

    def one(self, level: Level, offers: Offers) -> Level:
        if level.locked:
            raise is_locked(level.name)
        place = level.place
        if self.frame is not None:
            place = place.model_copy(update={"notches": _notched(place.notches, self.frame, self.notch)})
        if self.pivot is not None:
            place = place.model_copy(update={"pivot": self.pivot})
        if self.follow is not None:
            place = place.model_copy(update={"follow": self.follow})
        return level.model_copy(update={"place": place})


class SetFraming(StackOperation):
    """The field that is seen: a notch at a frame, None takes it away."""

    do: Literal["framing"]
    frame: int = Field(ge=1, le=20_000)
    notch: NewNotch | None = None

    def label(self) -> str:
        return f"{'set' if self.notch else 'take away'} the framing at frame {self.frame}"

    def apply(self, stack: Stack, offers: Offers) -> Stack:
        return stack.model_copy(update={"framing": _notched(stack.framing, self.frame, self.notch)})


EntryName = Annotated[str, Field(min_length=1, max_length=40)]


class NameEntry(OnLevel):
    """A named entry of a level's set: a drawing or a short run, with the frames each is held; None takes it away."""

    do: Literal["name-entry"]
    name: EntryName
    run: (
        Annotated[list[tuple[Id, Annotated[int, Field(ge=1, le=1000)]]], Field(min_length=1, max_length=100)]
        | None
    )

    def label(self) -> str:
        return f"{'name' if self.run else 'take away'} the entry {self.name} of {self._name}"

    def one(self, level: Level, offers: Offers) -> Level:
        if self.run is None:
            left = {name: run for name, run in level.entries.items() if name != self.name}
            return level.model_copy(update={"entries": left})
        name = named(self.name, "entry")
        for drawing, _ in self.run:
            if offers.drawings.get(drawing) != self.level:
                raise NotFound("This drawing is not on this level any more")
        return level.model_copy(update={"entries": {**level.entries, name: tuple(self.run)}})


_MOST_NOTCHES = 500


def _notched(
    notches: Mapping[int, NotchState], frame: int, notch: NotchState | None
) -> dict[int, NotchState]:
    others = {k: value for k, value in notches.items() if k != frame}
    if notch is None:
        return others
    if len(others) >= _MOST_NOTCHES:
        raise Refusal(f"There are {_MOST_NOTCHES} notches already; take some away")
    plain = NotchState(**notch.model_dump())
    return dict(sorted({**others, frame: plain}.items()))


class SetLight(OnLevel):
    """Where the light of a level stands from a frame on, or with a part for that part alone; None takes it away.

    key: the colour key in which it stands so, 0 for all that have no light of their own.
    """

    do: Literal["light"]
    part: Annotated[str, Field(max_length=60)] = ""
    frame: int = Field(ge=1, le=20_000)
    light: LightState | None
    key: Annotated[int, Field(ge=0)] = 0

    def label(self) -> str:
        what = "set" if self.light else "take away"
        where = " in a colour key" if self.key else ""
        return f"{what} the light of {self.part or self._name} at frame {self.frame}{where}"

    def one(self, level: Level, offers: Offers) -> Level:
        if level.locked:
            raise is_locked(level.name)
        if self.key and (level.model is None or self.key not in offers.keys.get(level.model, ())):
            raise NotFound("This colour key is not in the model any more; choose another one")
        before = level.key_lights.get(self.key, {}) if self.key else level.lights
        own = {k: light for k, light in before.get(self.part, {}).items() if k != self.frame}
        if self.light:
            own[self.frame] = self.light
        if len(own) > _MOST_NOTCHES or len(before) > _MOST_NOTCHES:
            raise Refusal("There are too many lights already; take some away")
        lights = {part: lights for part, lights in before.items() if part != self.part}
        if own:
            lights[self.part] = dict(sorted(own.items()))
        if not self.key:
            return level.model_copy(update={"lights": lights})
        others = {key: lights for key, lights in level.key_lights.items() if key != self.key}
        return level.model_copy(update={"key_lights": {**others, self.key: lights} if lights else others})


class Wave(OnLevel):
    """Waves a finding through: it is as it is on purpose, and is not asked again. Without a reason it is asked again."""

    do: Literal["wave"]
    rule: Annotated[str, Field(max_length=20)]
    drawings: Annotated[list[Id], Field(min_length=1, max_length=5000)]
    at: Spot | None = None
    reason: str | None = Field(default=None, max_length=200)

    def label(self) -> str:
        return (
            f"{'wave through' if self.reason is not None else 'ask again about'} {self.rule} of {self._name}"
        )

    def one(self, level: Level, offers: Offers) -> Level:
        if any(offers.drawings.get(drawing) != self.level for drawing in self.drawings):
            raise NotFound("This drawing is not on this level any more")
        own = Waved(
            rule=self.rule,
            drawings=tuple(self.drawings),
            at=self.at,
            reason=self.reason or "",
            by=actor.present(),
        )
        others = tuple(old for old in level.waved if not old.about(own.rule, own.drawings, own.at))
        if len(others) >= _MOST_WAVED:
            raise Refusal("There are too many findings waved through; mend some of them")
        return level.model_copy(update={"waved": (*others, own) if self.reason is not None else others})


_MOST_WAVED = 2000


AnyStack = (
    Restack
    | Rename
    | Lock
    | PutAside
    | UseModel
    | SeeIn
    | Depth
    | Purpose
    | Sight
    | Skip
    | LabelLevel
    | LabelPart
    | LayPictures
    | Free
    | SetPlace
    | SetFraming
    | NameEntry
    | SetLight
    | KeyFrom
    | Wave
)
