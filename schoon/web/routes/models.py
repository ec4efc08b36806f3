"""Models: their sheet pictures, pots and colour keys."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse
from pydantic import BaseModel

from ...core.model import parse_colour
from ...errors import Refusal
from ...formats.pictures import for_storage
from ...store import models, pictures, productions
from ..deps import StoreDep, page
from .shelf import named

router = APIRouter()


def _colour(text: str) -> str:
    try:
        parse_colour(text)
    except ValueError as error:
        raise Refusal(str(error)) from error
    return text.lower()


@router.get("/models/{model_id}", response_class=HTMLResponse)
def model_page(request: Request, model_id: int, store: StoreDep) -> HTMLResponse:
    """A model with everything that belongs to it."""
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
        production = productions.production(cursor, model["production_id"])
    return page(request, "model.html", model=model, production=production)


@router.post("/productions/{production_id}/models")
def create_model(production_id: int, store: StoreDep, name: Annotated[str, Form()] = "") -> RedirectResponse:
    """A new model, with one colour key to begin with."""
    with store.transaction() as cursor:
        productions.production(cursor, production_id)
        model_id = models.create(cursor, production_id, named(name, "model"))
        models.add_key(cursor, model_id, "Day", "#1d2b3a", "#ffffff", {})
    return RedirectResponse(f"/models/{model_id}", status_code=303)


@router.post("/models/{model_id}/pots")
def add_pot(
    model_id: int,
    store: StoreDep,
    name: Annotated[str, Form()] = "",
    colour: Annotated[str, Form()] = "#8a5a3b",
) -> RedirectResponse:
    """A new pot; it starts with the same colour in every key."""
    with store.transaction() as cursor:
        models.model(cursor, model_id)
        models.add_pot(cursor, model_id, named(name, "pot"), _colour(colour))
    return RedirectResponse(f"/models/{model_id}", status_code=303)


@router.post("/models/{model_id}/keys")
def add_key(
    model_id: int, store: StoreDep, like: Annotated[int, Form()], name: Annotated[str, Form()] = ""
) -> RedirectResponse:
    """A new colour key that starts as a copy of another."""
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
        source = next((key for key in model["keys"] if key["id"] == like), None)
        if source is None:
            raise Refusal("The colour key to start from is not there any more; choose another one")
        models.add_key(
            cursor, model_id, named(name, "colour key"), source["ink"], source["backdrop"], source["colours"]
        )
    return RedirectResponse(f"/models/{model_id}", status_code=303)


@router.post("/models/{model_id}/pictures")
def add_picture(model_id: int, store: StoreDep, picture: UploadFile) -> RedirectResponse:
    """A picture of the model sheet."""
    name = Path(picture.filename or "picture").name
    body, mime, width, height, _ = for_storage(name, picture.file.read())
    with store.transaction() as cursor:
        models.model(cursor, model_id)
        models.add_picture(
            cursor, model_id, Path(name).stem[:60], pictures.put(cursor, body, mime, width, height)
        )
    return RedirectResponse(f"/models/{model_id}", status_code=303)


class Colour(BaseModel):
    pot: int
    colour: str


@router.post("/api/keys/{key_id}/colour")
def set_colour(key_id: int, change: Colour, store: StoreDep) -> JSONResponse:
    """Changes what a pot looks like in a key; every drawing follows."""
    colour = _colour(change.colour)
    with store.transaction() as cursor:
        models.set_colour(cursor, key_id, change.pot, colour)
    return JSONResponse({"colour": colour})
