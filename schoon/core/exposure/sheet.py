"""A level of an exposure sheet: what starts where, and what each frame shows by it."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

T = TypeVar("T", bound=Hashable)


@dataclass(frozen=True)
class Again:
    """From the frame it stands at, what is shown from frame `first` up to there runs again and again."""

    first: int


def on_holds(drawings: Sequence[T], hold: int) -> tuple[dict[int, T], int]:
    """Start frames of drawings held `hold` frames each, and the length in frames. Raises ValueError for hold < 1."""
    if hold < 1:
        raise ValueError("a drawing is held for at least one frame")
    return {1 + k * hold: drawing for k, drawing in enumerate(drawings)}, len(drawings) * hold


def from_repeats(contents: Sequence[Hashable]) -> list[int]:
    """Indices of a frame-by-frame sequence where the picture changes: equal neighbours are holds."""
    return [k for k, content in enumerate(contents) if k == 0 or content != contents[k - 1]]


def entries(starts: Mapping[int, T | Again | None], frames: int) -> list[tuple[int, int, T | Again | None]]:
    """(first frame, number of frames, what stands there) as a sheet is written, in order.

    What stands there is a drawing, None for nothing, or Again. The last one goes to the end of the shot.
    """
    order = sorted(frame for frame in starts if frame <= frames)
    ends = [*order[1:], frames + 1] if order else []
    return [(frame, end - frame, starts[frame]) for frame, end in zip(order, ends, strict=True)]


def unrolled(starts: Mapping[int, T | Again | None], frames: int) -> dict[int, T | None]:
    """The sheet with every repeat written out. A repeat of nothing, or of what comes after it, shows nothing."""
    flat: dict[int, T | None] = {}
    for first, count, what in entries(starts, frames):
        if not isinstance(what, Again):
            flat[first] = what
            continue
        length = first - what.first
        if length < 1 or what.first < 1:
            flat[first] = None
            continue
        before = max((frame for frame in flat if frame <= what.first), default=None)
        cycle = {0: flat[before] if before is not None else None}
        cycle |= {frame - what.first: flat[frame] for frame in flat if what.first < frame < first}
        for k in range(0, count, length):
            flat |= {first + k + step: shown for step, shown in cycle.items() if k + step < count}
    return dict(sorted(flat.items()))


def spans(starts: Mapping[int, T | Again | None], frames: int) -> list[tuple[int, int, T]]:
    """(first frame, number of frames, drawing) of everything shown, in order, repeats written out and blanks left out."""
    return [
        (first, count, drawing)
        for first, count, drawing in entries(unrolled(starts, frames), frames)
        if drawing is not None and not isinstance(drawing, Again)
    ]


def frame_by_frame(starts: Mapping[int, T | Again | None], frames: int) -> list[T | None]:
    """The drawing of each frame, None where there is none."""
    shown: list[T | None] = [None] * frames
    for first, count, drawing in spans(starts, frames):
        shown[first - 1 : first - 1 + count] = [drawing] * count
    return shown


def together(levels: Sequence[Sequence[T | None]]) -> list[tuple[int, tuple[T | None, ...]]]:
    """Several levels, each frame by frame, as runs of frames that show the same: (frames, drawing of each level)."""
    runs: list[tuple[int, tuple[T | None, ...]]] = []
    for shown in zip(*levels, strict=True):
        if runs and runs[-1][1] == shown:
            runs[-1] = (runs[-1][0] + 1, shown)
        else:
            runs.append((1, shown))
    return runs


def held(
    starts: Mapping[int, T | Again | None], frames: int, first: int, hold: int
) -> dict[int, T | Again | None]:
    """The sheet with what starts at `first` held `hold` frames and the next start moved up or down.

    The shot's length and the other starts stay. Raises ValueError if there is no room.
    """
    order = sorted(starts)
    if first not in starts:
        raise ValueError(f"nothing starts at frame {first}")
    later = [frame for frame in order if frame > first]
    if not later:
        raise ValueError("the last drawing is held to the end of the shot")
    limit = later[1] if len(later) > 1 else frames + 1
    if not 1 <= hold <= limit - first - 1:
        raise ValueError(f"there is room for a hold of 1 to {limit - first - 1} frames here")
    changed = {frame: what for frame, what in starts.items() if frame != later[0]}
    changed[first + hold] = starts[later[0]]
    return dict(sorted(changed.items()))


def exposed(
    starts: Mapping[int, T | Again | None], frames: int, frame: int, what: T | Again | None
) -> dict[int, T | Again | None]:
    """The sheet with something new standing from a frame to the next start: a drawing, None for nothing, or Again.

    Raises ValueError if the frame is not in the shot, or there is nothing before it to repeat.
    """
    if not 1 <= frame <= frames:
        raise ValueError(f"the shot has frames 1 to {frames}")
    if isinstance(what, Again) and not 1 <= what.first < frame:
        raise ValueError(f"a repeat at frame {frame} begins at a frame before it")
    return dict(sorted({**starts, frame: what}.items()))


def cleared(starts: Mapping[int, T | Again | None], frame: int) -> dict[int, T | Again | None]:
    """The sheet without the start at a frame: what stood before goes on. Raises ValueError if nothing starts there."""
    if frame not in starts:
        raise ValueError(f"nothing starts at frame {frame}")
    return {start: what for start, what in starts.items() if start != frame}
