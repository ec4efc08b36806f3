"""Drawings put into a run, copied, numbered and taken out of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Annotated, Literal

from pydantic import Field, PrivateAttr

from ...core import exposure
from ...core.between import eased
from ...core.exposure import Numbering
from ...core.run import Sway
from ...errors import NotFound, Refusal
from ...store.states import Retaken, Starts, Time
from ...values import Id, Sound, Spot
from ..documents import Sheet
from ..living import drawn_anew, swayed
from .base import many
from .spans import Frame, grown
from .time import Levels, TimeOperation, refuse_locked

MOST_DRAWINGS = 2000
MOST_ALIVE = 6
MOST_EXPOSURES = 120

Fresh = Callable[[int, int | None], int]
"""(level, drawing it is like or None) -> the id of a new drawing."""


class RunChange(TimeOperation):
    """A change of which drawings a level has. grow: the shot becomes as much longer as it pushes off its end."""

    level: Id
    grow: bool = False
    _made: dict[int, int | None] = PrivateAttr(default_factory=dict)
    _fresh: Fresh | None = PrivateAttr(default=None)
    _lost: dict[int, list[int]] = PrivateAttr(default_factory=dict)
    _missing: int = PrivateAttr(default=0)

    def use(self, fresh: Fresh) -> None:
        """What gives new drawings their ids."""
        self._fresh = fresh

    @property
    def made(self) -> dict[int, int | None]:
        """New drawing -> the one it is a copy of; known after it was applied."""
        return self._made

    def anew(self, made: int, sheet: Sheet) -> Sheet:
        """A new drawing, of which `sheet` is the one it is a copy of."""
        return sheet

    @property
    def lost(self) -> dict[int, list[int]]:
        """As `spans.SpanOperation.lost`."""
        return self._lost

    @property
    def missing(self) -> int:
        """As `spans.SpanOperation.missing`."""
        return self._missing

    def _new(self, like: int | None = None) -> int:
        assert self._fresh is not None
        made = self._fresh(self.level, like)
        self._made[made] = like
        return made

    def _run(self, time: Time, levels: Levels) -> list[int]:
        """The drawings of the level in order. Raises Refusal for a locked level."""
        refuse_locked(levels.locked, self.level)
        own = [d for d in time.marks if levels.owner.get(d) == self.level]
        return sorted(own, key=lambda d: exposure.place_of(time.numbers[d]))

    def _after(
        self, time: Time, levels: Levels, run: Sequence[int], numbers: Sequence[str], starts: Starts
    ) -> Time:
        """The time with other drawings on the level, what is written on them, and its sheet."""
        marks = {d: kind for d, kind in time.marks.items() if levels.owner.get(d) != self.level}
        marks |= {d: time.marks.get(d, "inbetween") for d in run}
        written = {d: n for d, n in time.numbers.items() if d in marks} | dict(zip(run, numbers, strict=True))
        before = time.levels.get(self.level, {})
        if lost := exposure.pushed_off(before, starts, time.frames):
            self._lost[self.level] = lost
            self._missing = exposure.missing(before, starts, time.frames)
        longer = {"frames": grown(time, self._missing)} if self.grow else {}
        levels_after = {**time.levels, self.level: starts}
        return time.model_copy(update={"marks": marks, "numbers": written, "levels": levels_after, **longer})


class Insert(RunChange):
    """Empty sheets behind what stands in a span: so many behind each, or with `between` behind all but the last.

    hold: frames each is held, and what follows moves along; none takes them from the hold before.
    """

    do: Literal["insert"]
    first: Frame
    last: Frame
    count: Annotated[int, Field(ge=1, le=20)] = 1
    between: bool = False
    hold: Annotated[int, Field(ge=1, le=1000)] | None = None

    def label(self) -> str:
        return f"put in {many(len(self._made), 'drawing')}"

    def apply(self, time: Time, levels: Levels) -> Time:
        run = self._run(time, levels)
        starts = time.levels.get(self.level, {})
        try:
            standing = exposure.pieces(starts, self.first, self.last)
            places = standing[:-1] if self.between else standing
            places = [(what, count) for what, count in places if what is not None]
            if not places:
                raise Refusal(
                    "Choose a span with two drawings at least" if self.between else "No drawing stands here"
                )
            if len(run) + self.count * len(places) > MOST_DRAWINGS:
                raise Refusal(f"A level has at most {MOST_DRAWINGS} drawings")
            numbers = [time.numbers[d] for d in run]
            new: list[list[int]] = []
            for k, (what, _) in enumerate(standing):
                here = what is not None and not (self.between and k == len(standing) - 1)
                new.append([self._new() for _ in range(self.count)] if here else [])
                if here and what is not None:
                    at = run.index(what)
                    # A drawing that stands in the span twice has some behind it already.
                    numbers = exposure.with_more(numbers, at, self.count, time.numbering)
                    run[at + 1 : at + 1] = new[-1]
            after = exposure.put_between(starts, self.first, self.last, new, self.hold)
        except ValueError as error:
            raise Refusal(f"The sheet stays as it is: {error}") from error
        return self._after(time, levels, run, numbers, after)


class Copy(RunChange):
    """A drawing of its own that is like another one, in place of it from a frame to the end of its hold; without frames it is
    only behind it in the run."""

    do: Literal["copy-drawing"]
    drawing: Id
    first: Frame | None = None
    last: Frame | None = None

    def label(self) -> str:
        return "copy a drawing"

    def apply(self, time: Time, levels: Levels) -> Time:
        levels.check(self.level, self.drawing)
        run = self._run(time, levels)
        at = run.index(self.drawing)
        try:
            numbers = exposure.with_more([time.numbers[d] for d in run], at, 1, time.numbering)
            made = self._new(self.drawing)
            run.insert(at + 1, made)
            starts = time.levels.get(self.level, {})
            if self.first is not None:
                starts = exposure.exposed_over(starts, self.first, self.last or self.first, made)
        except ValueError as error:
            raise Refusal(f"The sheet stays as it is: {error}") from error
        return self._after(time, levels, run, numbers, starts)


class Living(RunChange):
    """A pose kept alive through a span by the drawings that stand in it and by redraws of the first, each held `hold` frames.

    count: redraws that are made. reach: px that their lines lie off the first.
    """

    do: Literal["living"]
    first: Frame
    last: Frame
    hold: Annotated[int, Field(ge=1, le=24)] = 2
    count: Annotated[int, Field(ge=0, le=5)] = 0
    reach: Annotated[float, Field(ge=0, le=100)] = 1.0

    def label(self) -> str:
        return f"keep frames {self.first} to {self.last} alive on {self.hold}s"

    def anew(self, made: int, sheet: Sheet) -> Sheet:
        return drawn_anew(sheet, self.reach, made)

    def apply(self, time: Time, levels: Levels) -> Time:
        run = self._run(time, levels)
        starts = time.levels.get(self.level, {})
        try:
            standing = exposure.pieces(starts, self.first, self.last)
            own = list(dict.fromkeys(what for what, _ in standing if what is not None))
            if not own:
                raise Refusal("No drawing stands here")
            if not 2 <= len(own) + self.count <= MOST_ALIVE:
                raise Refusal(
                    f"A hold is kept alive by 2 to {MOST_ALIVE} drawings of one pose, and {many(len(own) + self.count, 'drawing')} would be in it; "
                    "choose other frames, or another number of redraws to make"
                )
            numbers = [time.numbers[d] for d in run]
            if self.count:
                at = run.index(own[-1])
                numbers = exposure.with_more(numbers, at, self.count, time.numbering)
                made = [self._new(own[0]) for _ in range(self.count)]
                run[at + 1 : at + 1] = made
                own += made
            pieces = exposure.kept_alive(own, self.last - self.first + 1, self.hold, own[0])
            after = exposure.replaced(starts, self.first, self.last, pieces, False)
        except ValueError as error:
            raise Refusal(f"The sheet stays as it is: {error}") from error
        return self._after(time, levels, run, numbers, after)


class Handle(Sound):
    """A point that goes `by` px, all of it at the end."""

    at: Spot
    by: Spot


class Bend(RunChange):
    """Bends what stands in a span slowly over time: every exposure after the first gets a drawing of its own, bent by its
    share of the time, so that it changes only when it is shown anew.

    handles: points that go somewhere. pins: points that stay. chart: how time goes. back: there, and back at the end.
    """

    do: Literal["bend-hold"]
    first: Frame
    last: Frame
    handles: Annotated[list[Handle], Field(min_length=1, max_length=30)]
    pins: Annotated[list[Spot], Field(max_length=30)] = Field(default_factory=list)
    chart: Literal["even", "ease in", "ease out", "slow both"] = "slow both"
    back: bool = False
    _shares: dict[int, float] = PrivateAttr(default_factory=dict)

    def label(self) -> str:
        return f"bend frames {self.first} to {self.last}"

    def anew(self, made: int, sheet: Sheet) -> Sheet:
        return swayed(sheet, Sway.of([(h.at, h.by) for h in self.handles], self.pins), self._shares[made])

    def apply(self, time: Time, levels: Levels) -> Time:
        run = self._run(time, levels)
        starts = time.levels.get(self.level, {})
        try:
            standing = exposure.pieces(starts, self.first, self.last)
            if sum(what is not None for what, _ in standing) < 2:
                raise Refusal(
                    "A hold is bent from one exposure to the next; keep it alive, or choose frames with two at least"
                )
            if len(standing) > MOST_EXPOSURES:
                raise Refusal(f"At most {MOST_EXPOSURES} exposures are bent at once; choose fewer frames")
            numbers = [time.numbers[d] for d in run]
            pieces: list[tuple[int | None, int]] = []
            for k, (what, frames) in enumerate(standing):
                share = self._share(k / (len(standing) - 1))
                if what is not None and share > 0:
                    numbers = exposure.with_more(numbers, run.index(what), 1, time.numbering)
                    made = self._new(what)
                    run.insert(run.index(what) + 1, made)
                    self._shares[made] = share
                    what = made
                pieces.append((what, frames))
            if len(run) > MOST_DRAWINGS:
                raise Refusal(f"A level has at most {MOST_DRAWINGS} drawings")
            after = exposure.replaced(starts, self.first, self.last, pieces, False)
        except ValueError as error:
            raise Refusal(f"The sheet stays as it is: {error}") from error
        return self._after(time, levels, run, numbers, after)

    def _share(self, time: float) -> float:
        return eased(self.chart, 1 - abs(2 * time - 1) if self.back else time)


class TakeOut(RunChange):
    """Takes drawings out of the run; what stood before them in the sheet goes on. Undo brings them back."""

    do: Literal["take-out"]
    drawings: Annotated[list[Id], Field(min_length=1, max_length=MOST_DRAWINGS)]

    def label(self) -> str:
        return f"take {many(len(self.drawings), 'drawing')} out of the run"

    def apply(self, time: Time, levels: Levels) -> Time:
        for drawing in self.drawings:
            levels.check(self.level, drawing)
        run = [d for d in self._run(time, levels) if d not in self.drawings]
        if not run:
            raise Refusal("A level keeps one drawing at least; put the level aside instead")
        starts: Starts = time.levels.get(self.level, {})
        for drawing in self.drawings:
            starts = exposure.without(starts, drawing)
        numbers = [time.numbers[d] for d in run]
        if time.numbering == "all":
            numbers = [str(k) for k in range(1, len(run) + 1)]
        return self._after(time, levels, run, numbers, starts)


class BringBack(RunChange):
    """Brings a drawing back into the run that was taken out of it, under its number if that is free. It stands nowhere in the
    sheet yet."""

    do: Literal["bring-back"]
    drawing: Id

    def label(self) -> str:
        return "bring a drawing back into the run"

    def apply(self, time: Time, levels: Levels) -> Time:
        run = self._run(time, levels)
        was = levels.out.get(self.level, {}).get(self.drawing)
        if was is None:
            raise NotFound("This drawing is not out of the run")
        if len(run) >= MOST_DRAWINGS:
            raise Refusal(f"A level has at most {MOST_DRAWINGS} drawings")
        numbers = [time.numbers[d] for d in run]
        at = sum(exposure.place_of(number) <= exposure.place_of(was) for number in numbers)
        try:
            if time.numbering == "letters" and was not in numbers:
                numbers.insert(at, was)
            else:
                numbers = exposure.with_more(numbers, at - 1, 1, time.numbering)
        except ValueError as error:
            raise Refusal(f"The drawing stays out: {error}") from error
        run.insert(at, self.drawing)
        return self._after(time, levels, run, numbers, time.levels.get(self.level, {}))


class Renumber(TimeOperation):
    """How drawings that are put in are numbered from now on; "all" numbers all levels anew at once."""

    do: Literal["numbering"]
    numbering: Numbering

    def label(self) -> str:
        return "number all drawings anew" if self.numbering == "all" else "number new drawings with letters"

    def apply(self, time: Time, levels: Levels) -> Time:
        numbers = dict(time.numbers)
        if self.numbering == "all":
            for level in time.levels:
                own = [d for d in time.marks if levels.owner.get(d) == level]
                if not own:
                    continue
                refuse_locked(levels.locked, level)
                own.sort(key=lambda d: exposure.place_of(time.numbers[d]))
                numbers |= {d: str(k) for k, d in enumerate(own, 1)}
        return time.model_copy(update={"numbers": numbers, "numbering": self.numbering})


class Retake(TimeOperation):
    """New roughs for drawings of a level; what was cleaned from the old ones stays and is marked. roughs: drawing -> hash."""

    do: Literal["retake"]
    level: Id
    roughs: dict[Id, str]

    def label(self) -> str:
        return f"take {many(len(self.roughs), 'rough')} in again"

    def apply(self, time: Time, levels: Levels) -> Time:
        refuse_locked(levels.locked, self.level)
        for drawing in self.roughs:
            levels.check(self.level, drawing)
        fresh = {
            drawing: Retaken(
                was=before.was if (before := time.roughs.get(drawing)) else self._old[drawing], now=name
            )
            for drawing, name in self.roughs.items()
        }
        return time.model_copy(update={"roughs": {**time.roughs, **fresh}})

    _old: dict[int, str] = PrivateAttr(default_factory=dict)

    def instead_of(self, old: dict[int, str]) -> None:
        """drawing -> the rough it has now."""
        self._old = old


class Look(TimeOperation):
    """Somebody has looked at a new rough."""

    do: Literal["look"]
    drawing: Id

    def label(self) -> str:
        return "look at a new rough"

    def apply(self, time: Time, levels: Levels) -> Time:
        found = time.roughs.get(self.drawing)
        if found is None:
            raise NotFound("This drawing has no new rough")
        looked = found.model_copy(update={"looked": True})
        return time.model_copy(update={"roughs": {**time.roughs, self.drawing: looked}})


class Mean(TimeOperation):
    """Says that drawings are as they are on purpose, smears and winks above all: nothing asks about them. Or that not."""

    do: Literal["mean"]
    drawings: Annotated[list[Id], Field(min_length=1, max_length=MOST_DRAWINGS)]
    meant: bool

    def label(self) -> str:
        words = "are as they are on purpose" if self.meant else "can be asked about"
        return f"say that {many(len(self.drawings), 'drawing')} {words}"

    def apply(self, time: Time, levels: Levels) -> Time:
        if any(drawing not in levels.owner for drawing in self.drawings):
            raise NotFound("A drawing is not in the shot any more")
        others = set(time.meant) - set(self.drawings)
        return time.model_copy(
            update={"meant": tuple(sorted(others | set(self.drawings) if self.meant else others))}
        )


AnyDrawings = Insert | Copy | Living | Bend | TakeOut | BringBack | Renumber | Mean | Look
