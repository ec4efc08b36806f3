"""Models: their sheet pictures, pots and colour keys."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from pydantic import BaseModel, Field

from ...core.model import parse_colour, write_colour
from ...core.model.light import TOO_CLOSE, close_pairs, derived, difference, relit
from ...errors import Refusal
from ...formats import pots as pot_files
from ...formats.pictures import for_storage
from ...store import Row, models, pictures, productions
from ...work import edits
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
    return page(request, "model.html", model=model, production=production, remarks=_remarks(model))


def _remarks(model: Row) -> dict[int, list[str]]:
    """Per colour key what to look at: pots too close to tell apart, and pots that vanish on the backdrop."""
    names = {pot["id"]: pot["name"] for pot in model["pots"]}
    remarks: dict[int, list[str]] = {}
    for key in model["keys"]:
        colours = {pot: parse_colour(c) for pot, c in key["colours"].items() if pot in names}
        close = [f"{names[a]} and {names[b]} differ by {apart:.1f}" for a, b, apart in close_pairs(colours)]
        backdrop = parse_colour(key["backdrop"])
        lost = [
            f"{names[pot]} is {apart:.1f} from the backdrop"
            for pot, colour in colours.items()
            if (apart := difference(colour, backdrop)) < TOO_CLOSE
        ]
        remarks[key["id"]] = close + lost
    return remarks


class Derive(BaseModel):
    """A key in another light. held: pots that keep their colour. name: to keep it; without one it is only shown."""

    light: str
    strength: float = Field(ge=0, le=1)
    darkness: float = Field(ge=0, le=1)
    held: list[int] = Field(default_factory=list, max_length=500)
    name: str = Field(default="", max_length=60)


@router.post("/api/models/{model_id}/keys/{key_id}/derive")
def derive(model_id: int, key_id: int, want: Derive, store: StoreDep) -> JSONResponse:
    """The colours of a key in another light, kept as a new key if it is given a name."""
    light = parse_colour(_colour(want.light))
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
    names = {pot["id"]: pot["name"] for pot in model["pots"]}
    close = [
        [names[a], names[b], round(d, 1)] for a, b, d in close_pairs(colours) if a in names and b in names
    ]
    return JSONResponse({"colours": written, "ink": ink, "backdrop": backdrop, "close": close, "key": made})


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


class PotName(BaseModel):
    name: str


@router.post("/api/models/{model_id}/pots/{pot_id}/name")
def rename_pot(model_id: int, pot_id: int, change: PotName, store: StoreDep) -> JSONResponse:
    """Gives a pot another name."""
    name = named(change.name, "pot")
    with store.transaction() as cursor:
        models.rename_pot(cursor, model_id, pot_id, name)
    return JSONResponse({"name": name})


class PotOrder(BaseModel):
    pots: list[int] = Field(max_length=1000)


@router.post("/api/models/{model_id}/pots/order")
def order_pots(model_id: int, change: PotOrder, store: StoreDep) -> JSONResponse:
    """Puts the pots in order."""
    with store.transaction() as cursor:
        models.order_pots(cursor, model_id, change.pots)
    return JSONResponse({"pots": change.pots})


class PotEnd(BaseModel):
    """instead: the pot poured where this one is in use."""

    instead: int | None = None


@router.post("/api/models/{model_id}/pots/{pot_id}/delete")
def delete_pot(model_id: int, pot_id: int, end: PotEnd, store: StoreDep) -> JSONResponse:
    """Takes a pot out of the model; where it is in use another one has to take its place."""
    with store.transaction() as cursor:
        patches = edits.delete_pot(cursor, model_id, pot_id, end.instead)
    return JSONResponse({"patches": patches})


@router.get("/models/{model_id}/pots.{ending}")
def write_pots(model_id: int, ending: Literal["csv", "json"], store: StoreDep) -> Response:
    """The pots with their colours as a file."""
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
    keys = [key["name"] for key in model["keys"]]
    listed = {
        pot["name"]: {
            key["name"]: key["colours"][pot["id"]] for key in model["keys"] if pot["id"] in key["colours"]
        }
        for pot in model["pots"]
    }
    text = (pot_files.write_csv if ending == "csv" else pot_files.write_json)(listed, keys)
    headers = {"Content-Disposition": f'attachment; filename="pots.{ending}"'}
    return Response(
        text, media_type=f"text/{ending}" if ending == "csv" else "application/json", headers=headers
    )


@router.post("/models/{model_id}/pots/file")
def read_pots(model_id: int, store: StoreDep, file: UploadFile) -> RedirectResponse:
    """Adds the pots and colours of a file: known names change their colours, new ones are added, none is taken away."""
    wanted = pot_files.read(Path(file.filename or "pots.csv").name, file.file.read())
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
        known = {pot["name"]: pot["id"] for pot in model["pots"]}
        keys = {key["name"]: key["id"] for key in model["keys"]}
        unknown = sorted({key for colours in wanted.values() for key in colours} - keys.keys())
        if unknown:
            raise Refusal(
                f"This model has no colour key called “{unknown[0]}”; add the key first or change the file"
            )
        for name, colours in wanted.items():
            pot = known.get(name) or models.add_pot(
                cursor, model_id, name, next(iter(colours.values()), "#808080")
            )
            for key, colour in colours.items():
                models.set_colour(cursor, keys[key], pot, colour)
    return RedirectResponse(f"/models/{model_id}", status_code=303)
