"""Pictures for the page: stored ones, and small renders of drawings and gaps."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Literal

import cv2
import numpy as np
from fastapi import APIRouter, Query
from fastapi.responses import FileResponse, Response
from numpy.typing import NDArray
from PIL import Image

from ...core.patches import add_stitches, find_patches
from ...core.strokes import ink_coverage
from ...errors import NotFound
from ...formats.pictures import decode, encode_png
from ...jobs.runner import key_colours
from ...store import Store, pictures, productions
from ...work import edits
from ...work.derived import Files, key_of, on_paper, render, scaled, sheet_patches
from ..deps import FilesDep, StoreDep

router = APIRouter()

_FOREVER = {"Cache-Control": "private, max-age=31536000, immutable"}

Look = Literal["rough", "line", "paint", "best"]


@router.get("/pictures/{name}")
def picture(name: str, store: StoreDep) -> Response:
    """A stored picture as it is."""
    with store.transaction() as cursor:
        row = pictures.get(cursor, name)
    return Response(row["body"], media_type=row["mime"], headers=_FOREVER)


@router.get("/drawings/{drawing_id}/view.webp")
def view(
    drawing_id: int,
    store: StoreDep,
    files: FilesDep,
    w: int = Query(default=240, ge=16, le=1920),
    look: Look = "best",
    key: int | None = None,
    clear: bool = False,
    v: str = "",
) -> FileResponse:
    """A drawing at most `w` px wide: its rough, its line or its paint on white, or the farthest it has come.

    key: the colour key to see it in, by default the level's. clear: on nothing instead of white; never the rough. v: anything that changes with the drawing and its colours, so that a browser may keep the picture.
    """
    path = view_file(store, files, drawing_id, w, look, key, clear)
    return FileResponse(
        path, media_type="image/webp", headers=_FOREVER if v else {"Cache-Control": "no-cache"}
    )


def view_file(
    store: Store,
    files: Files,
    drawing_id: int,
    width: int,
    look: Look,
    key_id: int | None,
    clear: bool = False,
) -> Path:
    """The file behind `view`, made if need be."""
    with store.transaction() as cursor:
        row, sheet = edits.load(cursor, drawing_id)
        shot = productions.shot_of_level(cursor, row["level_id"])
        colours, ink = key_colours(cursor, shot, key_id)
    if look == "best":
        look = "paint" if row["paint"] else "line" if row["line"] else "rough"
    elif look != "rough" and not row["line"]:
        look = "rough"
    if look == "rough" and not clear:

        def make() -> bytes:
            with store.transaction() as cursor:
                stored = pictures.get(cursor, row["rough"])
            return _webp(scaled(on_paper(decode("rough", stored["body"])), width))

        return files.get(key_of("rough", row["rough"], width), ".webp", make)

    def drawn() -> bytes:
        if clear:
            picture = render(
                sheet, sheet_patches(row["line"], sheet), colours if look == "paint" else {}, ink
            )
            return _webp(scaled(picture, width))
        if look == "line":
            scale = min(1.0, width / sheet.size[0])
            size = (round(sheet.size[0] * scale), round(sheet.size[1] * scale))
            coverage = ink_coverage(sheet.strokes, size, scale)
            return _webp(_inked(coverage, ink))
        return _webp(scaled(on_paper(render(sheet, sheet_patches(row["line"], sheet), colours, ink)), width))

    seen = sorted(colours.items()) if look == "paint" else ()
    key = key_of(
        look,
        row["line"],
        row["seal"] if look == "paint" else "",
        row["paint"] if look == "paint" else "",
        seen,
        ink,
        width,
        clear,
    )
    return files.get(key, ".webp", drawn)


@router.get("/drawings/{drawing_id}/gap/{stitch_id}.png")
def gap(drawing_id: int, stitch_id: str, store: StoreDep, files: FilesDep) -> FileResponse:
    """A crop of the line round a proposed stitch, the stitch dashed in red, the two areas it parts tinted: 300 x 240 px."""
    with store.transaction() as cursor:
        row, sheet = edits.load(cursor, drawing_id)
    stitch = next((s for s in sheet.stitches if s.id == stitch_id), None)
    if stitch is None:
        raise NotFound("This gap is not in the drawing any more; look for gaps again")

    def make() -> bytes:
        half = max(48.0, 1.6 * stitch.width)
        scale = 120 / half
        centre = stitch.points.mean(axis=0)
        moved = [s.moved((half * 1.25 - centre[0], half - centre[1])) for s in sheet.strokes]
        coverage = ink_coverage(moved, (300, 240), scale)
        path, *others = (
            (points - centre + (half * 1.25, half)) * scale
            for points in [stitch.points, *(p for p in sheet.taken if p is not stitch.points)]
        )
        crop = _inked(coverage, (29, 43, 58), _parted(coverage > 127, path, others))
        _dashes(crop, path)
        return encode_png(crop)

    path = files.get(key_of("tinted gap", row["line"], row["seal"], stitch.id), ".png", make)
    return FileResponse(path, media_type="image/png", headers=_FOREVER)


_TINTS = ((214, 236, 231), (247, 229, 196))


def _parted(
    wall: NDArray[np.bool_], path: NDArray[np.float64], others: list[NDArray[np.float64]]
) -> NDArray[np.uint8]:
    """(h, w, 3) paper with the areas on both sides of a stitch in two tints; in one if they are one area all the same."""
    labels = find_patches(add_stitches(wall, [path, *others])).open_labels
    paper = np.full((*labels.shape, 3), 255, np.uint8)
    middle = path[len(path) // 2] if len(path) > 2 else path.mean(axis=0)
    along = path[-1] - path[0]
    aside = np.array([-along[1], along[0]]) / max(float(np.hypot(*along)), 1e-6)
    for side, tint in zip((1, -1), _TINTS, strict=True):
        for far in (3, 5, 8):
            col, row = np.floor(middle + side * far * aside).astype(int)
            if 0 <= row < labels.shape[0] and 0 <= col < labels.shape[1] and labels[row, col]:
                paper[labels == labels[row, col]] = tint
                break
    return paper


def _dashes(picture: NDArray[np.uint8], path: NDArray[np.float64]) -> None:
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(path, axis=0).T))]
    for start in np.arange(0, along[-1], 11.0):
        at = np.linspace(start, min(start + 6.5, along[-1]), 4)
        dash = np.stack([np.interp(at, along, path[:, k]) for k in (0, 1)], axis=1)
        cv2.polylines(
            picture, [np.round(dash * 16).astype(np.int32)], False, (178, 58, 46), 4, cv2.LINE_AA, 4
        )


def _inked(
    coverage: NDArray[np.uint8], ink: tuple[int, int, int], paper: NDArray[np.uint8] | int = 255
) -> NDArray[np.uint8]:
    share = coverage[..., None].astype(np.float32) / 255
    return np.ascontiguousarray(
        (paper * (1 - share) + np.array(ink, np.float32) * share).round().astype(np.uint8)
    )


def _webp(pixels: NDArray[np.uint8]) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "WEBP", quality=90, method=2)
    return out.getvalue()
