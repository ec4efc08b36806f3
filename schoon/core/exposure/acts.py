"""What is done to a span of a sheet: frames `first` to `last` of one level.

A sheet goes on beyond the end of the shot; what an act pushes there is kept and seen again when the shot is made longer.
An act makes new pieces of what stands in its span. If they are more or fewer frames than before, `push` says whether what
follows moves along, or stays where it is: then more frames lie over it, and of fewer the last piece fills what is left.

What a repeat shows is written out where a span cuts it; a repeat outside the span goes on repeating what stands there now.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Hashable, Mapping, Sequence
from itertools import accumulate
from typing import TypeAlias, TypeVar

from .sheet import Again, entries, frame_by_frame, unrolled

T = TypeVar("T", bound=Hashable)
What: TypeAlias = T | Again | None
Starts: TypeAlias = Mapping[int, T | Again | None]
Pieces: TypeAlias = list[tuple[T | None, int]]
"""(drawing or None for nothing, frames), one after the other."""

Act: TypeAlias = Callable[[Pieces[T]], Pieces[T]]
"""New pieces of the old ones. May raise ValueError."""


def pieces(starts: Starts[T], first: int, last: int) -> Pieces[T]:
    """What stands in a span, repeats written out. Raises ValueError for a span that is none."""
    _check(first, last)
    flat = unrolled(split(starts, first), last)
    found = [(what, count) for at, count, what in entries(flat, last) if at >= first]
    blank = last - first + 1 - sum(count for _, count in found)
    plain: Pieces[T] = [(what, count) for what, count in found if not isinstance(what, Again)]
    return [(None, blank), *plain] if blank else plain


def split(starts: Starts[T], frame: int) -> dict[int, What[T]]:
    """The same sheet with a start at a frame."""
    after: dict[int, What[T]] = dict(starts)
    before = max((at for at in starts if at <= frame), default=None)
    if before == frame:
        return after
    what = starts[before] if before is not None else None
    if before is None or not isinstance(what, Again):
        after[frame] = what
        return dict(sorted(after.items()))
    cycle = before - what.first
    if cycle < 1:
        after[frame] = None
        return dict(sorted(after.items()))
    # The rest of the turn that is cut is written out; whole turns go on after it.
    turn = before + math.ceil((frame - before) / cycle) * cycle
    end = min((at for at in starts if at > before), default=turn + 1)
    flat = frame_by_frame(starts, max(min(turn, end) - 1, frame))
    for at in range(frame, min(turn, end)):
        if at == frame or flat[at - 1] != flat[at - 2]:
            after[at] = flat[at - 1]
    if turn < end:
        after[turn] = what
    return dict(sorted(after.items()))


def replaced(
    starts: Starts[T], first: int, last: int, new: Sequence[tuple[What[T], int]], push: bool
) -> dict[int, What[T]]:
    """The sheet with new pieces for what stands in a span; see the module for `push`."""
    _check(first, last)
    length, wanted = last - first + 1, sum(count for _, count in new)
    if not push and wanted < length:
        new = [*new[:-1], (new[-1][0], new[-1][1] + length - wanted)] if new else [(None, length)]
        wanted = length
    rest = last + 1 if push else first + wanted
    by = wanted - length if push else 0
    whole = split(split(starts, first), rest)
    after: dict[int, What[T]] = {at: what for at, what in whole.items() if at < first}
    at = first
    for what, count in new:
        after[at] = what
        at += count
    for start, what in whole.items():
        if start >= rest:
            after[start + by] = _along(what, start, first, last, by)
    return _joined(after)


def _joined(starts: Starts[T]) -> dict[int, What[T]]:
    """The sheet with a drawing that goes on written once."""
    order = sorted(starts)
    return {
        at: starts[at]
        for before, at in zip([None, *order], order, strict=False)
        if before is None or starts[at] != starts[before] or isinstance(starts[at], Again)
    }


def _along(what: What[T], start: int, first: int, last: int, by: int) -> What[T]:
    """A repeat whose frames have moved follows them; one that has lost them shows nothing."""
    if not isinstance(what, Again) or not by:
        return what
    source = what.first + by if what.first > last else min(what.first, first)
    return Again(source) if source < start + by else None


def _act(starts: Starts[T], first: int, last: int, push: bool, act: Act[T]) -> dict[int, What[T]]:
    return replaced(starts, first, last, act(pieces(starts, first, last)), push)


def on_each(starts: Starts[T], first: int, last: int, hold: int, push: bool = True) -> dict[int, What[T]]:
    """What stands in a span held `hold` frames each. Raises ValueError for hold < 1."""
    if hold < 1:
        raise ValueError("a drawing is held for at least one frame")
    return _act(starts, first, last, push, lambda old: [(what, hold) for what, _ in old])


def stretched(starts: Starts[T], first: int, last: int, frames: int, push: bool = True) -> dict[int, What[T]]:
    """A span made to last `frames` frames, every hold by its share. Raises ValueError if there are more pieces."""
    return _act(starts, first, last, push, lambda old: _stretched(old, frames))


def _stretched(old: Pieces[T], frames: int) -> Pieces[T]:
    if frames < len(old):
        raise ValueError(f"{len(old)} drawings stand in this span; they need as many frames at least")
    ends = _shares([count for _, count in old], frames)
    return [(what, end - begin) for (what, _), begin, end in zip(old, [0, *ends], ends, strict=False)]


def _shares(counts: Sequence[int], frames: int) -> list[int]:
    """Where each of several counts ends when they are brought to `frames` in all, each at least 1."""
    whole, left = sum(counts), len(counts)
    ends: list[int] = []
    for k, end in enumerate(accumulate(counts), 1):
        least = (ends[-1] if ends else 0) + 1
        ends.append(min(max(math.floor(end * frames / whole + 0.5), least), frames - (left - k)))
    return ends


def repeated(
    starts: Starts[T], first: int, last: int, until: int | None, push: bool = False
) -> dict[int, What[T]]:
    """A span that runs again and again up to and with frame `until`, or with None to the end of the shot, however long.

    push: what follows comes after the repeats. Raises ValueError unless `until` lies behind the span.
    """
    _check(first, last)
    if until is None:
        whole = split(starts, last + 1)
        return {**{at: what for at, what in whole.items() if at <= last}, last + 1: Again(first)}
    if until <= last:
        raise ValueError(f"a repeat of frames {first} to {last} ends behind frame {last}")
    again: list[tuple[What[T], int]] = [(Again(first), until - last)]
    if not push:
        return replaced(starts, last + 1, until, again, False)
    whole = split(starts, last + 1)
    by = until - last
    after: dict[int, What[T]] = {at: what for at, what in whole.items() if at <= last}
    after[last + 1] = Again(first)
    for start, what in whole.items():
        if start > last:
            after[start + by] = _along(what, start, last + 1, last, by)
    return _joined(after)


def there_and_back(starts: Starts[T], first: int, last: int, push: bool = False) -> dict[int, What[T]]:
    """A span followed by itself backwards, without its ends a second time. Raises ValueError for fewer than 3 pieces."""

    def both(old: Pieces[T]) -> Pieces[T]:
        if len(old) < 3:
            raise ValueError("there and back needs three drawings at least")
        return [*old, *old[-2:0:-1]]

    return _act(starts, first, last, push, both)


def kept_alive(run: Sequence[T], frames: int, hold: int, seed: int = 0) -> Pieces[T]:
    """Drawings of one pose that follow each other to the end of so many frames, each held `hold` of them.

    No two neighbours are the same, and with three or more none comes back at once by turns. Raises ValueError for fewer
    than two drawings, or frames or a hold below 1.
    """
    if len(set(run)) < 2 or frames < 1 or hold < 1:
        raise ValueError("a hold is kept alive by two drawings at least")
    rng = random.Random(seed)
    chosen: list[T] = list(run)
    seen = {what: k for k, what in enumerate(run)}
    while len(chosen) * hold < frames:
        near = chosen[-2:] if len(set(run)) > 2 else chosen[-1:]
        free = [what for what in dict.fromkeys(run) if what not in near]
        # What was not seen for longest is likelier.
        free.sort(key=seen.__getitem__)
        what = free[min(int(rng.expovariate(1.2)), len(free) - 1)]
        seen[what] = len(chosen)
        chosen.append(what)
    found: Pieces[T] = [(what, hold) for what in chosen[: -(-frames // hold)]]
    over = len(found) * hold - frames
    return [*found[:-1], (found[-1][0], hold - over)]


def reversed_(starts: Starts[T], first: int, last: int) -> dict[int, What[T]]:
    """What stands in a span, backwards."""
    return _act(starts, first, last, False, lambda old: old[::-1])


def blanked(starts: Starts[T], first: int, last: int) -> dict[int, What[T]]:
    """Nothing in a span."""
    return exposed_over(starts, first, last, None)


def exposed_over(starts: Starts[T], first: int, last: int, what: T | None) -> dict[int, What[T]]:
    """A drawing all through a span, or None for nothing."""
    return replaced(starts, first, last, [(what, last - first + 1)], False)


def taken_away(starts: Starts[T], first: int, last: int, push: bool = True) -> dict[int, What[T]]:
    """A span taken out. push: what follows moves up; else what stood before goes on through it."""
    if push:
        return replaced(starts, first, last, [], True)
    before = pieces(starts, first - 1, first - 1)[0][0] if first > 1 else None
    return exposed_over(starts, first, last, before)


def pasted(
    starts: Starts[T], frame: int, new: Sequence[tuple[T | None, int]], push: bool = False
) -> dict[int, What[T]]:
    """Pieces put in at a frame. push: what stands there and follows comes after them; else they lie over it."""
    length = sum(count for _, count in new)
    if length < 1 or min(count for _, count in new) < 1:
        raise ValueError("there is nothing to put in")
    if push:
        here = pieces(starts, frame, frame)
        return replaced(starts, frame, frame, [*new, *here], True)
    return replaced(starts, frame, frame + length - 1, list(new), False)


def put_between(
    starts: Starts[T], first: int, last: int, new: Sequence[Sequence[T]], hold: int | None = None
) -> dict[int, What[T]]:
    """Drawings put in behind each piece of a span: `new` has some for each.

    hold: frames each is held, and what follows moves along; None takes their frames from the piece they stand behind,
    in even shares. Raises ValueError where a hold has too few frames for that.
    """

    def act(old: Pieces[T]) -> Pieces[T]:
        found: Pieces[T] = []
        for (what, count), more in zip(old, new, strict=True):
            if hold is not None:
                found += [(what, count), *((one, hold) for one in more)]
                continue
            if count <= len(more):
                raise ValueError(
                    f"a hold of {count} frames has no room for {len(more)} more drawings; let what follows move along"
                )
            ends = _shares([1] * (len(more) + 1), count)
            found += [
                (one, end - begin) for one, begin, end in zip([what, *more], [0, *ends], ends, strict=False)
            ]
        return found

    return _act(starts, first, last, hold is not None, act)


def picked(run: Sequence[tuple[T, int]], frames: int, back: bool = False) -> Pieces[T]:
    """A run played on and held to the end of so many frames; with `back` it is played backwards again before their end.

    Raises ValueError for a run of nothing, or frames < 1.
    """
    if not run or frames < 1:
        raise ValueError("there is nothing to pick")
    home = list(run[-2::-1]) if back else []
    on = list(run[:-1])
    while home and sum(count for _, count in (*on, *home)) >= frames:
        home.pop(0)
    pieces_on: Pieces[T] = []
    left = frames - sum(count for _, count in home)
    for what, count in on:
        taken = min(count, left - 1)
        if taken < 1:
            break
        pieces_on.append((what, taken))
        left -= taken
    last: Pieces[T] = [(run[len(pieces_on)][0], left)]
    return [*pieces_on, *last, *home]


def without(starts: Starts[T], gone: T) -> dict[int, What[T]]:
    """The sheet without a drawing: what stood before it goes on."""
    after: dict[int, What[T]] = {}
    for at, what in sorted(starts.items()):
        if what == gone:
            if not after:
                after[at] = None
        else:
            after[at] = what
    return after


def moved(starts: Starts[T], first: int, last: int, by: int) -> dict[int, What[T]]:
    """A span moved later, or with a negative number earlier; what it passes takes its place.

    Raises ValueError if it would begin before the first frame.
    """
    _check(first, last)
    if first + by < 1:
        raise ValueError("nothing stands before frame 1")
    if not by:
        return dict(starts)
    span = pieces(starts, first, last)
    if by > 0:
        passed = pieces(starts, last + 1, last + by)
        return replaced(starts, first, last + by, [*passed, *span], False)
    passed = pieces(starts, first + by, first - 1)
    return replaced(starts, first + by, last, [*span, *passed], False)


def retimed(starts: Starts[T], old: float, new: float) -> dict[int, What[T]]:
    """The sheet at another rate, every start at the same second as nearly as frames allow.

    Raises ValueError naming the frame of the first start that would have no frame left.
    """
    after: dict[int, What[T]] = {}

    def at(frame: int) -> int:
        return 1 + math.floor((frame - 1) * new / old + 0.5)

    for frame, what in sorted(starts.items()):
        then = at(frame)
        if then in after:
            raise ValueError(
                f"what starts at frame {frame} would have no frame of its own; hold it longer first"
            )
        after[then] = Again(at(what.first)) if isinstance(what, Again) else what
    return after


def pushed_off(before: Starts[T], after: Starts[T], frames: int) -> list[T]:
    """Drawings seen before an act and not after it because they stand beyond the end of the shot, in order."""
    seen = set(frame_by_frame(after, frames))
    beyond = _beyond(after, frames) - _beyond(before, frames)
    lost = (d for d in frame_by_frame(before, frames) if d is not None and d not in seen and d in beyond)
    return list(dict.fromkeys(lost))


def missing(before: Starts[T], after: Starts[T], frames: int) -> int:
    """How many frames the shot would have to be longer for what an act pushes off to be seen as long as before."""
    lost = set(pushed_off(before, after, frames))
    if not lost:
        return 0
    shown = frame_by_frame(before, frames)
    ends = (at + shown.count(what) - 1 for at, what in after.items() if at > frames and what in lost)
    return max(0, max(ends) - frames)


def _beyond(starts: Starts[T], frames: int) -> set[T | None]:
    return {what for at, what in starts.items() if at > frames and not isinstance(what, Again)}


def _check(first: int, last: int) -> None:
    if not 1 <= first <= last:
        raise ValueError(f"frames {first} to {last} are no span of a sheet")
