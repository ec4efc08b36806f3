"""Pictures for the page: stored ones, and small renders of drawings and gaps."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from fastapi.responses import Response

from ...core import exposure
from ...errors import NotFound
from ...jobs import views
from ...jobs.pool import Pool
from ...jobs.work import size_of
from ...store import Store, pictures, productions, revisions
from ...work.derived import Files, key_of
from ...work.renders import Wanted, drawn_of, keep_patches, wanted_of
from ..deps import DeskDep, FilesDep, StoreDep

router = APIRouter()

_FOREVER = {"Cache-Control": "private, max-age=31536000, immutable"}

Look = Literal["rough", "line", "paint", "best"]


@router.get("/pictures/{name}")
def picture(name: str, store: StoreDep) -> Response:
    """A stored picture as it is."""
    if not re.fullmatch(r"[0-9a-f]{64}", name):
        raise NotFound("There is no picture of this name")
    with store.transaction() as cursor:
        row = pictures.get(cursor, name)
    return Response(row["body"], media_type=row["mime"], headers=_FOREVER)


@router.get("/drawings/{drawing_id}/view.webp")
def view(
    drawing_id: int,
    store: StoreDep,
    files: FilesDep,
    desk: DeskDep,
    w: int = Query(default=240, ge=16, le=1920),
    look: Look = "best",
    key: int | None = None,
    clear: bool = False,
    revision: int | None = None,
    v: str = "",
) -> Response:
    """A drawing at most `w` px wide: its rough, its line or its paint on white, or the farthest it has come.

    key: the colour key to see it in, by default the level's. clear: on nothing instead of white; never the rough.
    revision: one of its earlier ones, 0 for before the first. v: anything that changes with the drawing and its colours, so that a browser may keep the picture.
    """
    body = view_of(store, files, desk, drawing_id, w, look, key, clear, revision)
    return Response(body, media_type="image/webp", headers=_FOREVER if v else {"Cache-Control": "no-cache"})


def view_of(
    store: Store,
    files: Files,
    desk: Pool,
    drawing_id: int,
    width: int,
    look: Look,
    key_id: int | None,
    clear: bool = False,
    revision: int | None = None,
) -> bytes:
    """The picture behind `view`, made by a worker if need be."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        if revision is not None:
            was = revisions.parts_at(cursor, revisions.of(row), revision)
            row = {**row, **{part: was.get(part) for part in revisions.PARTS}}
        shot = productions.shot_of_level(cursor, row["level_id"])
        if look == "best":
            look = "paint" if row["paint"] else "line" if row["line"] else "rough"
        elif look != "rough" and not row["line"]:
            look = "rough"
        if look == "rough" and not clear:
            return _rough(store, files, desk, row["rough"], width)
        wanted = wanted_of(cursor, row, shot, key_id, look == "paint")
    return frame_picture(store, files, desk, [wanted], size_of(shot), width, clear)


def _rough(store: Store, files: Files, desk: Pool, name: str, width: int) -> bytes:
    def made() -> bytes:
        with store.transaction() as cursor:
            stored = pictures.get(cursor, name)
        return bytes(desk.call(views.rough, bytes(stored["body"]), width))

    return files.get(key_of("rough", name, width), ".webp", made)


def frame_picture(
    store: Store,
    files: Files,
    desk: Pool,
    drawings: Sequence[Wanted],
    size: tuple[int, int],
    width: int,
    clear: bool,
) -> bytes:
    """WebP of drawings from rear to front, made by a worker if need be."""

    def made() -> bytes:
        with store.transaction() as cursor:
            drawn = [drawn_of(cursor, files, wanted) for wanted in drawings]
        body, packed = desk.call(views.frame, [d for d, _ in drawn], size, width, clear)
        keep_patches(files, [key for _, key in drawn], packed)
        return bytes(body)

    derived = [wanted.key for wanted in drawings]
    return files.get(key_of("frame", derived, size, width, clear), ".webp", made)


@router.get("/shots/{shot_id}/frames/{frame}.webp")
def frame(
    shot_id: int,
    frame: int,
    store: StoreDep,
    files: FilesDep,
    desk: DeskDep,
    levels: Annotated[str, Query(pattern=r"^[0-9]{1,9}(,[0-9]{1,9}){0,99}$")],
    w: int = Query(default=960, ge=16, le=1920),
    look: Look = "best",
    v: str = "",
) -> Response:
    """A frame of the shot at most `w` px wide on white: the drawings its levels show there, as every export shows them.

    levels: ids of those to be seen, with commas. v: as in `view`.
    """
    wanted = {int(level) for level in levels.split(",")}
    drawings = []
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id)
        for level in productions.levels(cursor, shot_id):
            if level["id"] not in wanted or not 1 <= frame <= shot["frames"]:
                continue
            starts = productions.exposures(cursor, level["id"])
            shown = exposure.frame_by_frame(starts, shot["frames"])[frame - 1]
            if shown is None:
                continue
            row = revisions.drawing(cursor, shown)
            if row["line"]:
                seen = productions.shot_of_level(cursor, level["id"])
                drawings.append(wanted_of(cursor, row, seen, None, look in ("best", "paint")))
    body = frame_picture(store, files, desk, drawings, size_of(shot), w, clear=False)
    return Response(body, media_type="image/webp", headers=_FOREVER if v else {"Cache-Control": "no-cache"})


@router.get("/drawings/{drawing_id}/gap/{stitch_id}.png")
def gap(drawing_id: int, stitch_id: str, store: StoreDep, files: FilesDep, desk: DeskDep) -> Response:
    """A crop of the line round a proposed stitch, the stitch dashed in red, the two areas it parts tinted: 300 x 240 px."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        found = revisions.get_documents(cursor, [row["line"], row["seal"]])
        size = size_of(productions.shot_of_level(cursor, row["level_id"]))
    seal = found.get(row["seal"]) or {"stitches": []}
    if all(stitch["id"] != stitch_id for stitch in seal["stitches"]):
        raise NotFound("This gap is not in the drawing any more; look for gaps again")
    body = files.get(
        key_of("tinted gap", row["line"], row["seal"], stitch_id),
        ".png",
        lambda: desk.call(views.gap, found.get(row["line"]), seal, size, stitch_id),
    )
    return Response(body, media_type="image/png", headers=_FOREVER)
