"""What all edits have in common: the fields of the request, the change itself, and its name in the history.

To add an edit: a class in the module of its subject, with a `do` of its own, added to the union at the module's end.
Route, revision, undo, redo, two windows and the history come by themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Annotated

from pydantic import ConfigDict, Field

from ...core.patches import Patches
from ...core.sketch import Tiles
from ...core.strokes import LineRule, Stroke
from ...errors import NotFound, Refusal
from ...values import Id, Sound
from ..documents import NOTHING, Sheet
from ..sketches import Names, Sketch

PartName = Annotated[str, Field(min_length=1, max_length=60)]


class Operation(Sound):
    """A change of one subject."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    def label(self) -> str:
        """What it has done in words, for the history."""
        raise NotImplementedError


@dataclass(frozen=True)
class Context:
    """What an edit of a drawing knows beside it.

    size: (width, height) of the drawing, px. rule: the model's line rule. base: the strokes as they were where the hand
    saw them; None if they are as they were. pots: ids of the model's pots. parts: pot -> its part. patches: finds the patches of a sheet.
    tiles: reads the tiles of a pass by their names.
    """

    size: tuple[int, int]
    rule: LineRule = field(default_factory=LineRule)
    base: Callable[[], list[Stroke]] | None = None
    pots: frozenset[int] = frozenset()
    parts: Mapping[int, str] = field(default_factory=dict)
    patches: Callable[[Sheet], Patches] | None = None
    tiles: Callable[[Names, Mapping[str, bytes]], Tiles] | None = None

    def pixels(self, names: Names, sketch: Sketch) -> Tiles:
        """The tiles of a pass, or of what is rubbed out, of a sketch."""
        assert self.tiles is not None
        return self.tiles(names, sketch.fresh)

    def found(self, sheet: Sheet) -> Patches:
        """The patches of the drawing as it is now, or would be with other stitches: its line is that of the drawing."""
        assert self.patches is not None
        return self.patches(sheet)

    def check_pot(self, pot: int | None) -> None:
        """Raises NotFound if the model has no such pot; None and NOTHING are none and always there."""
        if pot not in (None, NOTHING) and pot not in self.pots:
            raise NotFound("This pot is not in the model any more; choose another one")


class DrawingOperation(Operation):
    """A change of one drawing."""

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        """The drawing after it. Raises NotFound if what it is about is gone, Refusal if it cannot be done."""
        raise NotImplementedError


class RunOperation(Operation):
    """A change of several drawings of a level, undone as one."""

    def drawings(self) -> set[int] | None:
        """Ids of the drawings it is about; None for all of the level."""
        return None

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        """A drawing after it, and how many things of it changed."""
        raise NotImplementedError

    def nothing(self) -> str:
        """What is said if nothing changes anywhere."""
        raise NotImplementedError


class OnMany(RunOperation):
    """Done to several drawings at once. of: their ids."""

    of: Annotated[list[Id], Field(min_length=1, max_length=2000)]

    def drawings(self) -> set[int]:
        return set(self.of)


def is_locked(level: str) -> Refusal:
    """What is said of a change to a locked level."""
    return Refusal(f"The level {level} is locked; open it under Levels to change it")


def many(count: int, what: str, more: str = "s") -> str:
    """A number of things in words."""
    return f"{count} {what}{more * (count != 1)}"
