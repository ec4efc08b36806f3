"""The shelf: productions and shots, and what to do next in each."""

from __future__ import annotations

import contextlib
import logging
import shutil
import tempfile
from functools import partial
from pathlib import Path
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse
from pydantic import Field

from ...errors import Away, Full, Refusal
from ...formats.pictures import LARGEST_SIDE
from ...store import Cursor, Row, counts, models, productions, revisions
from ...text import named
from ...work import backup, copies, edits, proofing
from ...work.derived import Memory
from ...work.mending import HARMED, mend
from ...work.operations.drawings import BringBack, Copy, TakeOut
from ...work.operations.stack import PutAside, Rename
from ...work.strips import strip
from ...work.summaries import summaries, without
from ..deps import SettingsDep, StoreDep, page
from ..stages import STAGES, progress
from ..values import Body

router = APIRouter()
log = logging.getLogger(__name__)

STRIP = 6
"""Frames shown per shot."""


class LevelChange(Body):
    """name: of a level that is renamed, or of the copy. drawing: which is copied, taken out of the run or brought back."""

    do: Literal["rename", "copy", "aside", "back", "copy-drawing", "take-out", "bring-back"]
    name: Annotated[str, Field(max_length=500)] = ""
    drawing: int = 0


FIRST = "Lookout"
"""The shot of the demo with which people begin."""


@router.get("/keys", response_class=HTMLResponse)
def keys(request: Request) -> HTMLResponse:
    """What every key does, and how a person changes that."""
    return page(request, "keys.html")


@router.get("/", response_class=HTMLResponse)
def shelf(request: Request, store: StoreDep) -> HTMLResponse:
    """All productions with their shots."""
    cards: Memory[Row] = request.app.state.cards
    fresh: dict[str, Any] = {}
    # A card belongs to the stamp it was read with.
    with store.transaction(snapshot=True) as cursor:
        found = productions.listing(cursor)
        shots = productions.shots(cursor)
        worked_on = revisions.last_worked(cursor)
        stamps = productions.stamps(cursor)
        for shot in shots:
            last = worked_on.get(shot["id"])
            shot["worked"] = last and {**last, "at": last["created_at"].isoformat(" ", "minutes")}
            try:
                stamp = f"{shot['id']} {stamps[shot['id']]}"
                shot |= cards.get(stamp, partial(_card, cursor, shot["id"], fresh))
            except HARMED:
                # One that was harmed shuts off itself alone; the log says where, should it be a mistake of ours.
                log.exception("shot %s cannot be read", shot["id"])
                shot |= {"damaged": True, "progress": progress([], None), "count": 0, "strip": []}
            shot["fps"] = float(shot["fps"])
        all_models = models.listing(cursor)
    if fresh:
        # Where it cannot be kept it is counted again next time.
        with contextlib.suppress(Away, Full), store.transaction() as cursor:
            counts.put(cursor, fresh)
    lookout = next((shot["id"] for shot in shots if shot["name"] == FIRST), None)
    return page(
        request,
        "shelf.html",
        productions=found,
        shots=shots,
        models=all_models,
        stages=STAGES,
        lookout=lookout,
    )


def _card(cursor: Cursor, shot_id: int, fresh: dict[str, Any]) -> Row:
    """How far a shot is, and frames of it: what its card shows. fresh: as in `summaries`. Raises Damaged and what reading harmed
    rows ends with."""
    levels = productions.levels(cursor, shot_id)
    worked = [level for level in levels if level["kind"] == "drawings"] or levels
    stack = productions.stack_of(cursor, shot_id)
    of = {level["id"]: productions.drawings(cursor, level["id"]) for level in worked}
    counted = [
        without(own, stack.levels[level].skips)
        for level, own_rows in of.items()
        for own in summaries(cursor, own_rows, fresh).values()
    ]
    found_in = [proofing.open_count(cursor, level["id"], stack.levels[level["id"]]) for level in worked]
    known = [found for found in found_in if found is not None]
    left = sum(known) if len(known) == len(worked) or any(known) else None
    return {
        "progress": progress(counted, left),
        "count": len(counted),
        "strip": strip(cursor, shot_id, productions.time_of(cursor, shot_id), stack, STRIP),
    }


@router.post("/productions")
def create_production(store: StoreDep, name: Annotated[str, Form()] = "") -> RedirectResponse:
    """A new production."""
    with store.transaction() as cursor:
        production = productions.create(cursor, named(name, "production"))
    return RedirectResponse(f"/#p{production}", status_code=303)


@router.post("/shots/{shot_id}/name")
def rename_shot(shot_id: int, store: StoreDep, name: Annotated[str, Form()] = "") -> RedirectResponse:
    """Another name for a shot."""
    with store.transaction() as cursor:
        productions.rename_shot(cursor, shot_id, named(name, "shot"))
    return RedirectResponse(f"/#s{shot_id}", status_code=303)


@router.post("/shots/{shot_id}/away")
def put_away(shot_id: int, store: StoreDep, away: Annotated[bool, Form()]) -> RedirectResponse:
    """Puts a shot away, or brings it back."""
    with store.transaction() as cursor:
        productions.put_shot_away(cursor, shot_id, away)
        production = productions.shot(cursor, shot_id)["production_id"]
    return RedirectResponse(f"/#p{production}" if away else f"/#s{shot_id}", status_code=303)


@router.post("/shots/{shot_id}/mend")
def mend_shot(shot_id: int, store: StoreDep) -> RedirectResponse:
    """Brings back what of a harmed shot can be read. Raises Refusal saying what of it is lost."""
    with store.transaction() as cursor:
        found = mend(cursor, shot_id)
    if found.lost:
        raise Refusal(f"This shot: {found}")
    return RedirectResponse(f"/#s{shot_id}", status_code=303)


@router.post("/shots/{shot_id}/copy")
def copy_shot(shot_id: int, store: StoreDep) -> RedirectResponse:
    """A shot once more, with all it holds."""
    with store.transaction() as cursor:
        made = backup.copy_shot(cursor, shot_id)
    return RedirectResponse(f"/#s{made}", status_code=303)


@router.get("/shots/{shot_id}/levels", response_class=HTMLResponse)
def levels(request: Request, shot_id: int, store: StoreDep) -> HTMLResponse:
    """What a shot holds: its levels from front to rear with their drawings, and those put aside."""
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id)
        found = [
            {
                **level,
                "aside": aside,
                "drawings": productions.drawings(cursor, level["id"]),
                "out": productions.out_of_run(cursor, level["id"]),
            }
            for aside in (False, True)
            for level in reversed(productions.levels(cursor, shot_id, aside))
        ]
    return page(request, "shelf_levels.html", shot=shot, levels=found)


@router.post("/shots/{shot_id}/levels/{level_id}", response_class=HTMLResponse)
def change_level(
    request: Request, shot_id: int, level_id: int, store: StoreDep, asked: Annotated[LevelChange, Form()]
) -> HTMLResponse:
    """Renames, copies, puts aside or brings back a level, or does so with one of its drawings; answers with what the shot holds
    then."""
    with store.transaction() as cursor:
        if asked.do == "copy":
            copies.duplicate(cursor, level_id, named(asked.name, "level"), "all")
        elif asked.do == "rename":
            edits.change_stack(cursor, shot_id, Rename(do="rename", level=level_id, name=asked.name))
        elif asked.do == "copy-drawing":
            of = Copy(do="copy-drawing", level=level_id, drawing=asked.drawing)
            edits.change_time(cursor, shot_id, of)
        elif asked.do == "take-out":
            edits.change_time(
                cursor, shot_id, TakeOut(do="take-out", level=level_id, drawings=[asked.drawing])
            )
        elif asked.do == "bring-back":
            edits.change_time(
                cursor, shot_id, BringBack(do="bring-back", level=level_id, drawing=asked.drawing)
            )
        else:
            aside = PutAside(do="aside", level=level_id, aside=asked.do == "aside")
            edits.change_stack(cursor, shot_id, aside)
    return levels(request, shot_id, store)


@router.post("/productions/restored")
def restore(
    store: StoreDep, settings: SettingsDep, file: UploadFile, name: Annotated[str, Form()] = ""
) -> RedirectResponse:
    """Takes in a package that was handed off, or a backup. name: for its production, if its own is taken. Raises Refusal."""
    said = Path(file.filename or "the file").name[-100:]
    settings.cache.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=settings.cache) as folder:
        path = Path(folder) / "file"
        with open(path, "wb") as out:
            shutil.copyfileobj(file.file, out, 2**20)
        try:
            backup.restore(store, path, named(name, "production") if name.strip() else None)
        except Refusal as error:
            raise Refusal(str(error).replace(str(path), said)) from error
    return RedirectResponse("/", status_code=303)


class EmptySheets(Body):
    """name: of the shot. level: of its level. width, height: px. sheets: how many, each held `hold` frames."""

    name: Annotated[str, Field(max_length=500)] = ""
    level: Annotated[str, Field(max_length=60)] = ""
    width: int = Field(default=1920, ge=64, le=LARGEST_SIDE)
    height: int = Field(default=1080, ge=64, le=LARGEST_SIDE)
    fps: float = Field(default=24, ge=1, le=120)
    sheets: int = Field(default=12, ge=1, le=500)
    hold: int = Field(default=2, ge=1, le=24)
    model: int = Field(default=0, ge=0)


@router.post("/productions/{production_id}/shots")
def begin(production_id: int, store: StoreDep, asked: Annotated[EmptySheets, Form()]) -> RedirectResponse:
    """A shot that begins on empty sheets."""
    with store.transaction() as cursor:
        productions.production(cursor, production_id)
        model = models.model(cursor, asked.model) if asked.model else None
        if model and model["production_id"] != production_id:
            raise Refusal("This model belongs to another production")
        key = model["keys"][0]["id"] if model and model["keys"] else None
        level = " ".join(asked.level.split()) or (model["name"] if model else "Drawings")
        shot, made = productions.create_shot(
            cursor, production_id, named(asked.name, "shot"), asked.fps, level, asked.model or None, key
        )
        rows: list[tuple[int | str, str, str | None]] = [
            (k, "key" if k == 1 else "inbetween", None) for k in range(1, asked.sheets + 1)
        ]
        starts: dict[int, int | str] = {1 + asked.hold * (k - 1): k for k in range(1, asked.sheets + 1)}
        size = (asked.width, asked.height)
        productions.fill_shot(cursor, shot, made, size, rows, starts, asked.hold * asked.sheets)
    return RedirectResponse(f"/shots/{shot}/rough", status_code=303)
