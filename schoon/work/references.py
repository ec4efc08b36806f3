"""Files as references: a picture, or the pictures of a clip, no larger than they are looked at."""

from __future__ import annotations

import io
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageSequence

from ..errors import Refusal
from ..formats import movie
from ..formats.pictures import for_storage, opened

MOST_FRAMES = 480
"""Pictures of a clip; what is longer has to be cut first."""

_WIDE = 960
"""px that a clip is made narrow to."""

_QUALITY = 85


@dataclass(frozen=True)
class File:
    """Pictures as (bytes, mime, width, height); fps: 0 for a single one."""

    pictures: list[tuple[bytes, str, int, int]]
    fps: float


def read(name: str, path: Path) -> File:
    """Raises Refusal naming the file if it is neither a picture nor a clip, or too large."""
    if name.lower().endswith(movie.ENDINGS):
        fps = movie.about(name, path).fps
        return File(_clip(name, (shown.pixels for shown in movie.frames(name, path))), fps)
    body = path.read_bytes()
    if (moving := _animated(name, body)) is not None:
        return moving
    stored, mime, width, height, _ = for_storage(name, body)
    return File([(stored, mime, width, height)], 0.0)


def _animated(name: str, body: bytes) -> File | None:
    """A GIF or another picture that moves; None for one that does not."""
    try:
        picture = opened(name, io.BytesIO(body), ("GIF", "PNG", "WEBP"))
    except Refusal:
        if body.startswith(b"GIF8"):
            raise
        # What is wrong with it, reading it as a picture says.
        return None
    with picture:
        try:
            if int(getattr(picture, "n_frames", 1)) < 2:
                return None
            lasts = float(picture.info.get("duration", 0) or 40)
            shown = (np.asarray(one.convert("RGB")) for one in ImageSequence.Iterator(picture))
            return File(_clip(name, shown), round(1000 / lasts, 3))
        except (OSError, SyntaxError, ValueError, EOFError, struct.error) as error:
            raise Refusal(f"{name} is broken or was not written to its end; save it again") from error


def _clip(name: str, frames: Iterator[NDArray[np.uint8]]) -> list[tuple[bytes, str, int, int]]:
    found: list[tuple[bytes, str, int, int]] = []
    for pixels in islice(frames, MOST_FRAMES + 1):
        if len(found) == MOST_FRAMES:
            raise Refusal(f"{name} has more than {MOST_FRAMES} pictures; cut it to what is looked at")
        height, width = pixels.shape[:2]
        small = pixels
        if width > _WIDE:
            size = (_WIDE, max(1, round(height * _WIDE / width)))
            small = np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))
        out = io.BytesIO()
        Image.fromarray(np.ascontiguousarray(small)).save(out, "JPEG", quality=_QUALITY)
        found.append((out.getvalue(), "image/jpeg", small.shape[1], small.shape[0]))
    if not found:
        raise Refusal(f"{name} has no picture")
    return found
