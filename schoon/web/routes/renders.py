"""Pictures for the page: stored ones, and small renders of drawings and gaps."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response

from ...core.model import parse_colour
from ...errors import NotFound
from ...jobs import views
from ...jobs.seen import Sight
from ...store import pictures, productions, revisions
from ...work import edits
from ...work.derived import key_of
from ...work.looks import look_of, trying
from ...work.placing import Placed, paper_of, size_of
from ...work.renders import drawn_of, in_stack, wanted_of
from ...work.roughs import rough_body, rough_name
from ..deps import DeskDep, FilesDep, SeenDep, StoreDep

router = APIRouter()

_TRIED = r"^([0-9]{1,9}-[0-9a-f]{6}(,[0-9]{1,9}-[0-9a-f]{6}){0,199})?$"

_FOREVER = {"Cache-Control": "private, max-age=31536000, immutable"}
_SHUT = {"Content-Security-Policy": "default-src 'none'; sandbox", "X-Content-Type-Options": "nosniff"}
"""A file from outside opened by itself runs and loads nothing."""


@router.get("/pictures/{name}")
def picture(name: str, store: StoreDep) -> Response:
    """A stored picture as it is."""
    if not re.fullmatch(r"[0-9a-f]{64}", name):
        raise NotFound("There is no picture of this name")
    with store.transaction() as cursor:
        row = pictures.get(cursor, name)
    # Whatever came to lie here, it is a picture to a browser or nothing that it opens.
    mime = pictures.type_of(bytes(row["body"][:16]), "") or "application/octet-stream"
    return Response(row["body"], media_type=mime, headers={**_FOREVER, **_SHUT})


@router.get("/drawings/{drawing_id}/view.webp")
def view(
    drawing_id: int,
    seen: SeenDep,
    w: int = Query(default=240, ge=16, le=1920),
    look: Sight = "best",
    key: int | None = None,
    clear: bool = False,
    exact: bool = False,
    revision: int | None = None,
    without: Annotated[str, Query(max_length=12)] = "",
    tried: Annotated[str, Query(pattern=_TRIED)] = "",
    v: str = "",
) -> Response:
    """A drawing at most `w` px wide: its rough, its line or its paint on white, or the farthest it has come.

    key: the colour key to see it in, by default the level's. clear: on nothing instead of white; never the rough. exact: nothing of its colours is lost.
    revision: one of its earlier ones, 0 for before the first. tried: pots as they are being tuned, `12-a0b1c2,…`. without: a pass of the rough that is left out. v: anything that changes with the drawing and its colours, so that a browser may keep the picture.
    """
    colours = {
        int(pot): parse_colour(f"#{hex_}")
        for pot, hex_ in (one.split("-") for one in tried.split(",") if one)
    }
    with trying(colours):
        body = seen.view(drawing_id, w, look, key, clear, revision, exact, without)
    return Response(body, media_type="image/webp", headers=_FOREVER if v else {"Cache-Control": "no-cache"})


@router.get("/drawings/{drawing_id}/rough.png")
def rough(
    drawing_id: int, store: StoreDep, without: Annotated[str, Query(max_length=12)] = "", v: str = ""
) -> Response:
    """The rough of a drawing at its own size, with what was drawn on it here. without: a pass that is left out. v: as in `view`."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        if not rough_name(row):
            raise NotFound("This drawing is an empty sheet")
        size = paper_of(productions.shot_of_level(cursor, row["level_id"]))
        body = rough_body(cursor, row, size, False, without)
    return Response(body, media_type="image/png", headers=_FOREVER if v else {"Cache-Control": "no-cache"})


@router.get("/drawings/{drawing_id}/difference.webp")
def difference(drawing_id: int, store: StoreDep, files: FilesDep, desk: DeskDep, v: str = "") -> Response:
    """What differs between the first rough of a drawing and the one that was taken in again. v: as in `view`."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        if not row["was"] or not row["rough"]:
            raise NotFound("This drawing has no new rough")
        old, new = (bytes(pictures.get(cursor, name)["body"]) for name in (row["was"], row["rough"]))
    key = key_of("difference", row["was"], row["rough"])
    body = files.get(key, ".webp", lambda: desk.call(views.difference, old, new, 1920))
    return Response(body, media_type="image/webp", headers=_FOREVER if v else {"Cache-Control": "no-cache"})


@router.get("/drawings/{drawing_id}/against.webp")
def against(
    drawing_id: int, other: int, store: StoreDep, files: FilesDep, desk: DeskDep, v: str = ""
) -> Response:
    """What differs between a drawing and another one of its shot, once that lies over it. v: as in `view`."""
    with store.transaction() as cursor:
        rows = [revisions.drawing(cursor, one) for one in (drawing_id, other)]
        shots = [productions.shot_of_level(cursor, row["level_id"]) for row in rows]
        if shots[0]["id"] != shots[1]["id"] or not all(row["line"] for row in rows):
            raise NotFound("These two drawings cannot be compared: both need a line, and one shot")
        wanted = [wanted_of(cursor, row, shot) for row, shot in zip(rows, shots, strict=True)]
        drawn = [drawn_of(cursor, files, one)[0] for one in wanted]
        size = paper_of(shots[0])
    body = files.get(
        key_of("against", *(one.key for one in wanted)),
        ".webp",
        lambda: desk.call(views.against, *drawn, size, 1280),
    )
    return Response(body, media_type="image/webp", headers=_FOREVER if v else {"Cache-Control": "no-cache"})


@router.get("/drawings/{drawing_id}/own.png")
def own(
    drawing_id: int, store: StoreDep, files: FilesDep, desk: DeskDep, key: int | None = None, v: str = ""
) -> Response:
    """The ink that was drawn, where a drawing keeps it, at its own size on nothing. key, v: as in `view`."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        ink = edits.line_named(cursor, row["line"])[1]
        colour = look_of(cursor, productions.shot_of_level(cursor, row["level_id"]), key).ink
    if ink is None:
        raise NotFound("This drawing shows its strokes, not ink of its own")
    body = files.get(
        key_of("own ink", ink.picture, ink.tinted and colour),
        ".png",
        lambda: desk.call(views.own, ink, colour),
    )
    return Response(body, media_type="image/png", headers=_FOREVER if v else {"Cache-Control": "no-cache"})


@router.get("/shots/{shot_id}/frames/together.webp")
def together(
    shot_id: int,
    store: StoreDep,
    seen: SeenDep,
    drawings: Annotated[str, Query(pattern=r"^[0-9]{1,9}(,[0-9]{1,9}){0,99}$")],
    w: int = Query(default=960, ge=16, le=1920),
    frame: int | None = Query(default=None, ge=1, le=20_000),
    framed: bool = True,
    clear: bool = False,
    look: Sight = "best",
    v: str = "",
) -> Response:
    """Drawings of a shot's levels laid together, at most `w` px wide on white, as every export shows them.

    drawings: ids from rear to front, with commas; of those without a line nothing is seen. frame: that by whose placement
    and, if framed, framing they lie; without one they lie as they were drawn. clear, v: as in `view`.
    """
    wanted = []
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id)
        placed = Placed(size_of(shot), productions.stack_of(cursor, shot_id)) if frame else None
        for drawing_id in map(int, drawings.split(",")):
            row = revisions.drawing(cursor, drawing_id)
            own = productions.shot_of_level(cursor, row["level_id"])
            if own["id"] != shot_id:
                raise NotFound("This drawing belongs to another shot")
            one = in_stack(cursor, row, own, look in ("best", "paint"))
            if placed and frame:
                one = replace(one, place=(placed.seen if framed else placed.place)(row["level_id"], frame))
            if not one.empty:
                wanted.append(one)
    body = seen.frame(wanted, size_of(shot), w, clear)
    return Response(body, media_type="image/webp", headers=_FOREVER if v else {"Cache-Control": "no-cache"})


@router.get("/drawings/{drawing_id}/gap/{stitch_id}.png")
def gap(drawing_id: int, stitch_id: str, store: StoreDep, files: FilesDep, desk: DeskDep) -> Response:
    """A crop of the line round a proposed stitch, the stitch dashed in red, the two areas it parts tinted: 300 x 240 px."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        found = revisions.get_documents(cursor, [row["line"], row["seal"]])
        size = paper_of(productions.shot_of_level(cursor, row["level_id"]))
    seal = found.get(row["seal"]) or {"stitches": []}
    if all(stitch["id"] != stitch_id for stitch in seal["stitches"]):
        raise NotFound("This gap is not in the drawing any more; look for gaps again")
    body = files.get(
        key_of("tinted gap", row["line"], row["seal"], stitch_id),
        ".png",
        lambda: desk.call(views.gap, found.get(row["line"]), seal, size, stitch_id),
    )
    return Response(body, media_type="image/png", headers=_FOREVER)
