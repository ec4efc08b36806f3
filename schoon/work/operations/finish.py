"""What is done to the finish of a level, entry by entry, so that two hands on one list keep both changes."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter

from ...core.finish import Entry
from ...errors import NotFound, Refusal
from ...store.states import Level
from .base import is_locked
from .stack import Offers, OnLevel

_ENTRY: TypeAdapter[Entry] = TypeAdapter(Entry)
_MOST = 60

Name = Annotated[str, Field(pattern="^[0-9a-f]{10}$")]


class FinishOperation(OnLevel):
    """what: the change in words, for the history."""

    what: str = Field(default="", max_length=120)

    def label(self) -> str:
        return f"{self.what or 'change the finish'} of {self._name}"

    def one(self, level: Level, offers: Offers) -> Level:
        if level.locked:
            raise is_locked(level.name)
        after = self.entries(list(level.finish))
        if len(after) > _MOST:
            raise Refusal(f"The finish holds {_MOST} entries at most; take some out first")
        return level.model_copy(update={"finish": tuple(after)})

    def entries(self, finish: list[Entry]) -> list[Entry]:
        """The entries after it. Raises NotFound."""
        raise NotImplementedError


class AddFinish(FinishOperation):
    """Entries at the end of the list."""

    do: Literal["finish-add"]
    add: Annotated[list[Entry], Field(min_length=1, max_length=_MOST)]

    def entries(self, finish: list[Entry]) -> list[Entry]:
        known = {entry.id for entry in finish}
        # One that is there already was sent before.
        return [*finish, *(entry for entry in {e.id: e for e in self.add}.values() if entry.id not in known)]


class _OfEntry(FinishOperation):
    entry: Name

    def place(self, finish: list[Entry]) -> int:
        """Where the entry stands. Raises NotFound."""
        for k, entry in enumerate(finish):
            if entry.id == self.entry:
                return k
        raise NotFound("This entry of the finish was taken out in another window")


class ChangeFinish(_OfEntry):
    """Fields of an entry, the others as they are now. Of `notches` those of the named frames, None to take one away."""

    do: Literal["finish-set"]
    fields: Annotated[dict[str, Any], Field(min_length=1, max_length=40)]

    def entries(self, finish: list[Entry]) -> list[Entry]:
        k = self.place(finish)
        if self.fields.keys() & {"id", "kind"}:
            raise Refusal("An entry keeps its name and its kind; add another one")
        before = finish[k].model_dump()
        after = {**before, **self.fields}
        notches = self.fields.get("notches")
        if isinstance(notches, dict):
            known = {str(frame): values for frame, values in before["notches"].items()}
            merged = {**known, **{str(frame): values for frame, values in notches.items()}}
            after["notches"] = {frame: values for frame, values in merged.items() if values is not None}
        finish[k] = _ENTRY.validate_python(after)
        return finish


class MoveFinish(_OfEntry):
    """Before another entry, or to the end. One that is gone is the end."""

    do: Literal["finish-move"]
    before: Name | None = None

    def entries(self, finish: list[Entry]) -> list[Entry]:
        entry = finish.pop(self.place(finish))
        k = next((k for k, other in enumerate(finish) if other.id == self.before), len(finish))
        return [*finish[:k], entry, *finish[k:]]


class DropFinish(_OfEntry):
    """Takes an entry out."""

    do: Literal["finish-out"]

    def entries(self, finish: list[Entry]) -> list[Entry]:
        finish.pop(self.place(finish))
        return finish


AnyFinish = AddFinish | ChangeFinish | MoveFinish | DropFinish
