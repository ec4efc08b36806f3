"""Movies, picture by picture. Frame N is the N-th picture that plays, counted from 1, whatever the times between them.

Pictures are decoded from the first on and counted: containers lie about where frames are, decoders do not. Nothing but the
picture in hand is held.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from av.container import InputContainer
from av.stream import Disposition
from av.video.frame import VideoFrame
from av.video.stream import VideoStream
from numpy.typing import NDArray

from ..errors import Refusal

ENDINGS = (".mp4", ".m4v", ".mov", ".avi", ".mkv", ".webm", ".mpg", ".mpeg", ".ts")
"""Of files that are taken for movies."""

_MOST_SIDE = 8192
_SQUARE = 0.01
"""How far pixels may be from square before the picture is made wider or narrower."""


@dataclass(frozen=True)
class About:
    """What a movie's head says; only its pictures are sure. fps: pictures a second on the average. frames: 0 if unknown.
    seconds: None if unknown."""

    width: int
    height: int
    fps: float
    frames: int
    seconds: float | None


@dataclass(frozen=True)
class Shown:
    """number: from 1. seconds: when it is shown, None if the movie does not say. pixels: (h, w, 3) RGB."""

    number: int
    seconds: float | None
    pixels: NDArray[np.uint8]


def about(name: str, path: Path) -> About:
    """Raises Refusal naming the file if it is no movie with pictures."""
    with _opened(name, path) as (container, stream):
        width, height = _size(name, stream)
        rate = stream.average_rate or stream.guessed_rate or Fraction(24)
        seconds = float(stream.duration * stream.time_base) if stream.duration and stream.time_base else None
        if seconds is None and container.duration:
            seconds = container.duration / av.time_base
        return About(width, height, float(rate), int(stream.frames), seconds)


def frames(name: str, path: Path, first: int = 1, last: int | None = None, every: int = 1) -> Iterator[Shown]:
    """Pictures `first` to `last`, every n-th of them, turned upright and with square pixels.

    Raises Refusal naming the file if it is no movie, is cut off within what is asked for, or ends before `first`; the
    pictures that were whole have come by then.
    """
    count = 0
    with _opened(name, path) as (container, stream):
        _size(name, stream)
        # What the head says of pictures that do not play, before a cut, is no sign of harm; places beyond the end are.
        cut_off = any(entry.pos + entry.size > path.stat().st_size for entry in stream.index_entries)
        try:
            for frame in container.decode(stream):
                count += 1
                if last is not None and count > last:
                    return
                if count < first or (count - first) % every:
                    continue
                seconds = (
                    float(frame.pts * frame.time_base) if frame.pts is not None and frame.time_base else None
                )
                yield Shown(count, seconds, _upright(frame, stream.sample_aspect_ratio))
        except av.FFmpegError as error:
            raise Refusal(
                f"{name} is broken after picture {count} ({error.strerror or 'unreadable'}); take the part before it, or"
                " make the file anew"
            ) from error
    if cut_off:
        raise Refusal(
            f"{name} is cut off after {count} picture{'s' * (count != 1)}; copy it again, or take the part that is there"
        )
    if count < first:
        raise Refusal(f"{name} has {count} picture{'s' * (count != 1)}; picture {first} is not in it")


@contextmanager
def _opened(name: str, path: Path) -> Iterator[tuple[InputContainer, VideoStream]]:
    try:
        # Nothing but the file itself is read: a play list could name others, or addresses.
        container = av.open(str(path), options={"protocol_whitelist": "file"}, metadata_errors="ignore")
    except (av.FFmpegError, OSError, ValueError) as error:
        raise Refusal(
            f"{name} is no movie that can be read; save it as MP4, MOV, MKV, WebM, AVI or MPEG"
        ) from error
    with container:
        if container.format.name in _LISTS:
            raise Refusal(f"{name} is a list of other files and no movie; choose the movie itself")
        stream = next((s for s in container.streams.video if not _is_cover(s)), None)
        if stream is None:
            raise Refusal(f"{name} has sound but no pictures; choose another file")
        if stream.codec_context is None or not stream.codec_context.width:
            raise Refusal(
                f"{name} has pictures that cannot be read: it is broken, or its coding is not known here"
            )
        stream.codec_context.thread_type = "AUTO"
        yield container, stream


_LISTS = ("hls", "concat", "dash", "sdp", "rtsp")


def _is_cover(stream: VideoStream) -> bool:
    """Whether a stream is the picture on the cover of a sound file."""
    return bool(stream.disposition & Disposition.attached_pic)


def _size(name: str, stream: VideoStream) -> tuple[int, int]:
    width, height = stream.codec_context.width, stream.codec_context.height
    if not 0 < width <= _MOST_SIDE or not 0 < height <= _MOST_SIDE:
        raise Refusal(
            f"{name} has pictures of {width} x {height} px; the most is {_MOST_SIDE} a side, so scale it down"
        )
    return width, height


def _upright(frame: VideoFrame, shape: Fraction | None) -> NDArray[np.uint8]:
    """shape: width of a pixel over its height."""
    pixels = np.asarray(frame.to_ndarray(format="rgb24"), np.uint8)
    if shape and abs(float(shape) - 1) > _SQUARE:
        width = max(1, min(_MOST_SIDE, round(pixels.shape[1] * float(shape))))
        pixels = cv2.resize(pixels, (width, pixels.shape[0]), interpolation=cv2.INTER_AREA)
    turns = round((frame.rotation or 0) / 90) % 4
    return np.ascontiguousarray(np.rot90(pixels, turns))
