"""What workers compute: plain functions of bytes and documents, safe to run in another process or machine."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..core.cleanup import CleanupSettings, propose_strokes
from ..core.model import Rgb
from ..core.patches import Patches, find_patches, wall_of
from ..core.seal import Stitch, propose_stitches
from ..core.strokes import Stroke, centre_lines, ink_coverage, sample, strokes_from_dicts
from ..formats.pictures import decode, encode_png
from ..work.derived import SPECK, on_paper, render, scaled
from ..work.documents import Sheet, line_document, seal_document, sheet_of


def single_threaded() -> None:
    """Start-up of a worker process: drawings are spread over processes, so each keeps to one core."""
    cv2.setNumThreads(1)


def clean(
    name: str, body: bytes, line: Any, settings: Mapping[str, Any]
) -> tuple[dict[str, Any], dict[str, Any]]:
    """Line and seal documents of a rough. line: the present line document or None; its hand-made strokes stay.

    Raises Refusal if the picture cannot be read.
    """
    picture = decode(name, body)
    proposed = propose_strokes(picture, CleanupSettings(**settings))
    hand = [s for s in strokes_from_dicts(line["strokes"]) if s.by == "hand"] if line else []
    strokes = hand + _besides(proposed, hand)
    size = (picture.shape[1], picture.shape[0])
    return line_document(strokes), seal_document(gaps(strokes, size))


def _besides(proposed: list[Stroke], hand: list[Stroke]) -> list[Stroke]:
    """The proposals that do not run along a hand-made stroke for most of their length."""
    if not hand:
        return proposed
    drawn = cKDTree(np.vstack([sample(stroke)[0] for stroke in hand]))
    return [s for s in proposed if (drawn.query(sample(s)[0])[0] < 1.5 * s.widths.max()).mean() < 0.6]


def gaps(strokes: list[Stroke], size: tuple[int, int]) -> list[Stitch]:
    """Proposed stitches of a drawing of `size` (width, height)."""
    ink = (ink_coverage(strokes, size) > 127) | (centre_lines(strokes, size) > 0)
    return propose_stitches(ink)


def seal(line: Any, previous: Any, size: tuple[int, int]) -> dict[str, Any]:
    """Seal document of a line document. Stitches drawn by hand and gaps judged before stay as they were judged."""
    sheet = sheet_of(size, line, previous, None)
    judged = [s for s in sheet.stitches if s.by == "hand" or s.state == "left"]
    fresh = gaps(sheet.strokes, size)
    kept = [s for s in fresh if all(np.hypot(*(s.points.mean(0) - j.points.mean(0))) > 6 for j in judged)]
    return seal_document(judged + kept)


def _patches(sheet: Sheet) -> Patches:
    return find_patches(wall_of(sheet.strokes, sheet.taken, sheet.size), SPECK)


def find(line: Any, stitches: Any, size: tuple[int, int]) -> Patches:
    """Patches of a line and a seal document."""
    return _patches(sheet_of(size, line, stitches, None))


def picture(
    documents: tuple[Any, Any, Any], size: tuple[int, int], colours: Mapping[int, Rgb], ink: Rgb, width: int
) -> NDArray[np.uint8]:
    """(h, w, 4) RGBA of a drawing at most `width` px wide."""
    sheet = sheet_of(size, *documents)
    return scaled(render(sheet, _patches(sheet), colours, ink), width)


def png(
    documents: tuple[Any, Any, Any], size: tuple[int, int], colours: Mapping[int, Rgb], ink: Rgb, width: int
) -> bytes:
    """PNG with alpha of a drawing at most `width` px wide."""
    return encode_png(picture(documents, size, colours, ink, width))


def paper(
    documents: tuple[Any, Any, Any], size: tuple[int, int], colours: Mapping[int, Rgb], ink: Rgb, width: int
) -> NDArray[np.uint8]:
    """(h, w, 3) RGB of a drawing on white at most `width` px wide."""
    return on_paper(picture(documents, size, colours, ink, width))
