"""The finish of a level: pictures that are brought along as textures, and lists that a production keeps as recipes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from fastapi import APIRouter, UploadFile
from fastapi.responses import JSONResponse
from pydantic import Field

from ...core.finish import Entry
from ...formats.pictures import for_storage
from ...store import Cursor, pictures, productions, recipes
from ...text import named
from ..deps import StoreDep
from ..values import Body

router = APIRouter(prefix="/api")


@router.post("/shots/{shot_id}/textures")
def bring(shot_id: int, store: StoreDep, picture: UploadFile) -> JSONResponse:
    """Stores a picture that entries of the finish may show."""
    name = Path(picture.filename or "picture").name
    body, mime, width, height, _ = for_storage(name, picture.file.read())
    with store.transaction() as cursor:
        productions.shot(cursor, shot_id)
        sha = pictures.put(cursor, body, mime, width, height)
    return JSONResponse({"own": sha, "width": width, "height": height})


@router.get("/shots/{shot_id}/recipes")
def listing(shot_id: int, store: StoreDep) -> JSONResponse:
    """The recipes of a shot's production."""
    with store.transaction() as cursor:
        return _listed(cursor, productions.shot(cursor, shot_id)["production_id"])


class Recipe(Body):
    name: str = Field(max_length=500)
    entries: list[Entry] = Field(min_length=1, max_length=60)


@router.post("/shots/{shot_id}/recipes")
def keep(shot_id: int, want: Recipe, store: StoreDep) -> JSONResponse:
    """Keeps entries under a name for the whole production; the name's old ones go."""
    with store.transaction() as cursor:
        production = productions.shot(cursor, shot_id)["production_id"]
        recipes.keep(cursor, production, named(want.name, "recipe"), want.entries)
        return _listed(cursor, production)


@router.post("/shots/{shot_id}/recipes/{recipe_id}/drop")
def drop(shot_id: int, recipe_id: int, store: StoreDep) -> JSONResponse:
    """Forgets a recipe; what was made by it stays."""
    with store.transaction() as cursor:
        production = productions.shot(cursor, shot_id)["production_id"]
        recipes.drop(cursor, production, recipe_id)
        return _listed(cursor, production)


def _listed(cursor: Cursor, production_id: int) -> JSONResponse:
    found: list[dict[str, Any]] = [
        {"id": row["id"], "name": row["name"], "entries": [entry.model_dump() for entry in row["finish"]]}
        for row in recipes.listing(cursor, production_id)
    ]
    return JSONResponse({"recipes": found})
