"""Colour keys: what pots look like in a setting, derived by light, read from a picture."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import JSONResponse, RedirectResponse
from pydantic import Field

from ...core.model import parse_colour, write_colour
from ...core.model.light import close_pairs, derived, relit
from ...errors import Refusal
from ...formats.pictures import for_storage
from ...jobs import views
from ...store import Row, models, pictures
from ...text import named
from ...work import keys
from ..deps import DeskDep, StoreDep
from ..values import Body
from .models import colour_of

router = APIRouter()


class Derive(Body):
    """A key in another light. held: pots that keep their colour. name: to keep it; without one it is only shown."""

    light: str
    strength: float = Field(ge=0, le=1)
    darkness: float = Field(ge=0, le=1)
    held: list[int] = Field(default_factory=list, max_length=500)
    name: str = Field(default="", max_length=60)


@router.post("/api/models/{model_id}/keys/{key_id}/derive")
def derive(model_id: int, key_id: int, want: Derive, store: StoreDep) -> JSONResponse:
    """The colours of a key in another light, kept as a new key if it is given a name."""
    light = parse_colour(colour_of(want.light))
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
        source = next((key for key in model["keys"] if key["id"] == key_id), None)
        if source is None:
            raise Refusal("The colour key to start from is not there any more; choose another one")
        colours = derived(
            {pot: parse_colour(c) for pot, c in source["colours"].items()},
            light, want.strength, want.darkness, frozenset(want.held),
        )  # fmt: skip
        written = {pot: write_colour(c) for pot, c in colours.items()}
        ink, backdrop = (
            write_colour(relit(parse_colour(source[part]), light, want.strength, want.darkness))
            for part in ("ink", "backdrop")
        )
        made = None
        if want.name:
            made = models.add_key(cursor, model_id, named(want.name, "colour key"), ink, backdrop, written)
    close = _close(model, colours)
    return JSONResponse({"colours": written, "ink": ink, "backdrop": backdrop, "close": close, "key": made})


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


class Colour(Body):
    """tone: the base colour, or a shade, light or line beside it; colour None takes a tone away."""

    pot: int
    colour: str | None
    tone: Literal["colour", "shade", "light", "line"] = "colour"


@router.post("/api/keys/{key_id}/colour")
def set_colour(key_id: int, change: Colour, store: StoreDep) -> JSONResponse:
    """Changes what a pot looks like in a key; every drawing follows."""
    if change.colour is None and change.tone == "colour":
        raise Refusal("A pot has a base colour in every key; choose one")
    colour = None if change.colour is None else colour_of(change.colour)
    with store.transaction() as cursor:
        models.set_colour(cursor, key_id, change.pot, colour, change.tone)
    return JSONResponse({"colour": colour})


@router.post("/api/models/{model_id}/keys/{key_id}/picture")
def read_key(model_id: int, key_id: int, store: StoreDep, desk: DeskDep, file: UploadFile) -> JSONResponse:
    """A colour key read from a picture, not kept yet. The picture is stored, so that colours can be sampled from it."""
    name = Path(file.filename or "picture").name
    body, mime, width, height, _ = for_storage(name, file.file.read())
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
        key = next((k for k in model["keys"] if k["id"] == key_id), None)
        if key is None:
            raise Refusal("The colour key to start from is not there any more; choose another one")
        drawings = keys.painted_drawings(cursor, model_id)
        sha = pictures.put(cursor, body, mime, width, height)
    read = desk.call(views.key, name, body, model, key, drawings)
    return JSONResponse(
        {
            "picture": sha,
            "colours": {pot: write_colour(c) for pot, c in read.found.colours.items()},
            "seen": sorted(read.found.seen),
            "smeared": read.found.smeared,
            "where": read.where,
            "close": _close(model, read.found.colours),
        }
    )


def _close(model: Row, colours: Mapping[int, tuple[int, int, int]]) -> list[list[object]]:
    names = {pot["id"]: pot["name"] for pot in model["pots"]}
    pairs = close_pairs({pot: c for pot, c in colours.items() if pot in names})
    return [[names[a], names[b], round(d, 1)] for a, b, d in pairs]


class NewKey(Body):
    """like: the key that ink and backdrop are taken from."""

    name: str
    like: int
    colours: dict[int, str]
    picture: str | None = Field(default=None, pattern="^[0-9a-f]{64}$")


@router.post("/api/models/{model_id}/keys")
def keep_key(model_id: int, new: NewKey, store: StoreDep) -> JSONResponse:
    """Keeps colours as a new key."""
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
        like = next((k for k in model["keys"] if k["id"] == new.like), None)
        if like is None:
            raise Refusal("The colour key to start from is not there any more; choose another one")
        known = {pot["id"] for pot in model["pots"]}
        colours = {**like["colours"], **{p: colour_of(c) for p, c in new.colours.items() if p in known}}
        key = models.add_key(
            cursor, model_id, named(new.name, "colour key"), like["ink"], like["backdrop"], colours
        )
        if new.picture:
            models.set_key_picture(cursor, key, new.picture)
    return JSONResponse({"key": key})
