"""Pictures for the page: stored ones, and small renders of drawings and gaps."""

from __future__ import annotations

import re
from typing import Literal

from fastapi import APIRouter, Query
from fastapi.responses import Response

from ...errors import NotFound
from ...jobs import views
from ...jobs.pool import Pool
from ...jobs.work import size_of
from ...store import Store, pictures, productions, revisions
from ...work.derived import Files, key_of
from ...work.looks import key_colours
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
        colours, ink = key_colours(cursor, shot, key_id)
    if look == "best":
        look = "paint" if row["paint"] else "line" if row["line"] else "rough"
    elif look != "rough" and not row["line"]:
        look = "rough"
    if look == "rough" and not clear:

        def rough() -> bytes:
            with store.transaction() as cursor:
                stored = pictures.get(cursor, row["rough"])
            return desk.call(views.rough, bytes(stored["body"]), width)

        return files.get(key_of("rough", row["rough"], width), ".webp", rough)
    size = size_of(shot)
    painted = look == "paint"
    key = key_of(
        look, row["line"], row["seal"] if painted else "", row["paint"] if painted else "",
        sorted(colours.items()) if painted else (), ink, size, width, clear,
    )  # fmt: skip

    def drawn() -> bytes:
        with store.transaction() as cursor:
            found = revisions.get_documents(cursor, [row[part] for part in revisions.PARTS])
        documents = tuple(found.get(row[part]) for part in revisions.PARTS)
        if look == "line" and not clear:
            return desk.call(views.line, documents[0], size, ink, width)
        return desk.call(views.painted, documents, size, colours if painted else {}, ink, width, clear)

    return files.get(key, ".webp", drawn)


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
