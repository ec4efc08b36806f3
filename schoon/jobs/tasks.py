"""What workers compute: plain functions of bytes and documents, safe to run in another process or machine."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..core.model import Rgb, Rgba
from ..core.patches import Patches
from ..core.run import cut_at_doubt, fit_to
from ..core.seal import Stitch, propose_stitches
from ..core.strokes import (
    LineRule,
    Stroke,
    centre_lines,
    ink_coverage,
    ruled,
    strokes_from_dicts,
    strokes_to_dicts,
)
from ..formats.pictures import decode, encode_png
from ..work.derived import on_paper, patches_in, render, scaled
from ..work.documents import line_document, seal_document, sheet_of
from ..work.proposals import find_in, keep_hand, taking_place


def single_threaded() -> None:
    """Start-up of a worker process: drawings are spread over processes, so each keeps to one core."""
    cv2.setNumThreads(1)


def clean(
    name: str,
    body: bytes,
    reading: Mapping[str, Any],
    found: Sequence[Mapping[str, Any]] | None,
    line: Any,
    rule: Mapping[str, Any],
) -> tuple[dict[str, Any], dict[str, Any], list[dict[str, Any]]]:
    """Line and seal documents of a rough, and the strokes found in it.

    found: those strokes if they are known already. line: the present line document or None; what a hand made in it
    stays and the proposals go round it. rule: as `LineRule`. Raises Refusal if the picture cannot be read.
    """
    picture = decode(name, body)
    size = (picture.shape[1], picture.shape[0])
    strokes = find_in(picture, reading) if found is None else strokes_from_dicts(found)
    present = strokes_from_dicts(line["strokes"]) if line else []
    kept = keep_hand(present, ruled(strokes, size, LineRule(**rule)))
    return line_document(kept), seal_document(gaps(kept, size)), strokes_to_dicts(strokes)


def fit(
    strokes: Sequence[Mapping[str, Any]],
    context: Sequence[Mapping[str, Any]],
    found: Sequence[Mapping[str, Any]],
    line: Any,
    previous: Any,
    size: tuple[int, int],
    whole: bool,
) -> tuple[dict[str, Any], dict[str, Any], list[dict[str, Any]]]:
    """Fits strokes of the drawing before to the lines found in this one's rough.

    context: all strokes of the drawing before. line, previous: the present line and seal documents. whole: the strokes
    are all of the drawing's, so other proposals go and what is new in the rough is added.
    Returns the line document, the seal document and the fitted strokes in one piece, for the next drawing.
    """
    source, target = strokes_from_dicts(strokes), strokes_from_dicts(found)
    result = fit_to(source, target, size, strokes_from_dicts(context))
    pieces = cut_at_doubt(result.strokes, target, size)
    present = strokes_from_dicts(line["strokes"]) if line else []
    if whole:
        weight = float(np.median([s.widths.mean() for s in source]))
        new = [replace(s, widths=np.full(len(s.widths), weight)) for s in result.new]
        after = keep_hand(present, [*pieces, *new])
    else:
        after = taking_place(present, pieces)
    document = line_document(after)
    return document, seal(document, previous, size), strokes_to_dicts(result.strokes)


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
    return seal_document(judged + kept, sheet.specks)


def find(line: Any, stitches: Any, size: tuple[int, int]) -> Patches:
    """Patches of a line and a seal document."""
    return patches_in(sheet_of(size, line, stitches, None))


def picture(
    documents: tuple[Any, Any, Any], size: tuple[int, int], colours: Mapping[int, Rgba], ink: Rgb, width: int
) -> NDArray[np.uint8]:
    """(h, w, 4) RGBA of a drawing at most `width` px wide."""
    sheet = sheet_of(size, *documents)
    return scaled(render(sheet, patches_in(sheet), colours, ink), width)


def png(
    documents: tuple[Any, Any, Any], size: tuple[int, int], colours: Mapping[int, Rgba], ink: Rgb, width: int
) -> bytes:
    """PNG with alpha of a drawing at most `width` px wide."""
    return encode_png(picture(documents, size, colours, ink, width))


def paper(
    documents: tuple[Any, Any, Any], size: tuple[int, int], colours: Mapping[int, Rgba], ink: Rgb, width: int
) -> NDArray[np.uint8]:
    """(h, w, 3) RGB of a drawing on white at most `width` px wide."""
    return on_paper(picture(documents, size, colours, ink, width))
