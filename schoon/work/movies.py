"""A movie becomes the pictures of a level: looked through first, so that its range can be chosen by what is seen."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import Refusal
from ..formats.movie import frames
from ..formats.sequences import Incoming, Report
from ..limits import limits

Say = Callable[[int], None]
"""Told how many pictures are done; may raise to end it."""

_SMALL = 220
"""Width of the pictures by which a range is chosen, px."""

MOST = 5000
"""Pictures that are taken from a movie at once."""


def small_name(number: int) -> str:
    """The file of a small picture in its folder."""
    return f"small-{number:06}.jpg"


def look_through(name: str, path: Path, folder: Path, say: Say) -> int:
    """Writes a small picture of every picture of a movie and counts them. Raises Refusal naming the file.

    A movie that breaks off can be taken up to there: its whole pictures are counted, unless there are none.
    """
    count = 0
    try:
        for shown in frames(name, path):
            count = shown.number
            (folder / small_name(count)).write_bytes(_jpeg(_narrowed(shown.pixels, _SMALL), 78))
            say(count)
    except Refusal:
        if not count:
            raise
    return count


def taken(
    name: str, path: Path, folder: Path, first: int, last: int, every: int, width: int | None, say: Say
) -> Report:
    """Pictures `first` to `last` of a movie, every n-th, as files for a level; their numbers are the movie's.

    width: px they are brought to, None for their own. Raises Refusal naming the file, and what was written stays in
    `folder` only.
    """
    count = (last - first) // every + 1
    if count > MOST:
        raise Refusal(
            f"{count} pictures of {name} are more than one level takes, which is {MOST}; take a shorter range or fewer of them"
        )
    report = Report()
    total = 0
    for shown in frames(name, path, first, last, every):
        pixels = _narrowed(shown.pixels, width) if width else shown.pixels
        body = _jpeg(pixels, 93)
        total += len(body)
        if total > limits().take_in_mb * 2**20:
            raise Refusal(
                f"The pictures of {name} take more than {limits().take_in_mb} MB (SCHOON_MOST_TAKE_IN_MB); take fewer of"
                " them, or smaller ones"
            )
        target = folder / f"taken-{shown.number:06}.jpg"
        target.write_bytes(body)
        height, wide = pixels.shape[:2]
        content = hashlib.sha256(body).hexdigest()
        report.pictures.append(Incoming(name, shown.number, str(target), "image/jpeg", wide, height, content))
        say(len(report.pictures))
    if len(report.pictures) < count:
        raise Refusal(f"{name} ends before picture {last}; choose a range within it")
    return report


def _narrowed(pixels: NDArray[np.uint8], width: int) -> NDArray[np.uint8]:
    """The picture `width` px wide; one that is not wider stays."""
    height, wide = pixels.shape[:2]
    if wide <= width:
        return pixels
    size = (width, max(1, round(height * width / wide)))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.uint8)


def _jpeg(pixels: NDArray[np.uint8], quality: int) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "JPEG", quality=quality, subsampling=0)
    return out.getvalue()
