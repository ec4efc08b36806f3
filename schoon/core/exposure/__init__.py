"""Exposure-sheet arithmetic: which drawing each frame shows. Frames count from 1."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from typing import TypeVar

T = TypeVar("T", bound=Hashable)


def on_holds(drawings: Sequence[T], hold: int) -> tuple[dict[int, T], int]:
    """Start frames of drawings held `hold` frames each, and the length in frames. Raises ValueError for hold < 1."""
    if hold < 1:
        raise ValueError("a drawing is held for at least one frame")
    return {1 + k * hold: drawing for k, drawing in enumerate(drawings)}, len(drawings) * hold


def from_repeats(contents: Sequence[Hashable]) -> list[int]:
    """Indices of a frame-by-frame sequence where the picture changes: equal neighbours are holds."""
    return [k for k, content in enumerate(contents) if k == 0 or content != contents[k - 1]]


def spans(starts: Mapping[int, T], frames: int) -> list[tuple[int, int, T]]:
    """(first frame, number of frames, drawing) in order, the last one held to the end of the shot; none without any
    start."""
    order = sorted(frame for frame in starts if frame <= frames)
    if not order:
        return []
    ends = [*order[1:], frames + 1]
    return [(frame, end - frame, starts[frame]) for frame, end in zip(order, ends, strict=True)]


def frame_by_frame(starts: Mapping[int, T], frames: int) -> list[T | None]:
    """The drawing of each frame, None before the first one starts."""
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


def held(starts: Mapping[int, T], frames: int, first: int, hold: int) -> dict[int, T]:
    """The sheet with the drawing that starts at `first` held `hold` frames and the next one moved up or down.

    The shot's length and the other starts stay. Raises ValueError if there is no room.
    """
    order = sorted(starts)
    if first not in starts:
        raise ValueError(f"no drawing starts at frame {first}")
    later = [frame for frame in order if frame > first]
    if not later:
        raise ValueError("the last drawing is held to the end of the shot")
    limit = later[1] if len(later) > 1 else frames + 1
    if not 1 <= hold <= limit - first - 1:
        raise ValueError(f"there is room for a hold of 1 to {limit - first - 1} frames here")
    changed = {frame: drawing for frame, drawing in starts.items() if frame != later[0]}
    changed[first + hold] = starts[later[0]]
    return dict(sorted(changed.items()))
