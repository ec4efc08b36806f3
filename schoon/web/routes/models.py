"""Models: their sheet pictures and pots."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Query, Request, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from pydantic import Field

from ...core.look import PLAIN
from ...core.model import parse_colour, write_colour
from ...core.model.light import TOO_CLOSE, close_pairs, difference
from ...core.model.pictures import colour_at
from ...errors import Refusal
from ...formats import pots as pot_files
from ...formats.pictures import decode, for_storage
from ...jobs import views
from ...store import ModelRow, models, pictures, productions, revisions
from ...store.revisions import Subject
from ...text import named
from ...work import edits
from ...work.operations.model import AddPicture, AddPots, NewPot, ReadPots
from ...work.pots import as_written
from ..deps import DeskDep, StoreDep, page
from ..values import Body
from ..values import Place as Point

KIND_WORDS = {
    "shade": "Shade",
    "deep": "Deep shade",
    "light": "Light",
    "rim": "Rim",
    "blush": "Blush",
    "reflection": "Reflection",
}

router = APIRouter()


@router.get("/models/{model_id}", response_class=HTMLResponse)
def model_page(request: Request, model_id: int, store: StoreDep) -> HTMLResponse:
    """A model with everything that belongs to it."""
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
        production = productions.production(cursor, model["production_id"])
        subject = Subject("model", model_id)
        way = {
            "can_undo": revisions.can_undo(cursor, subject),
            "can_redo": revisions.can_redo(cursor, subject),
        }
    plain = {kind: {"how": rule.how, "by": rule.by} for kind, rule in PLAIN.items()}
    return page(
        request, "model.html", model=model, production=production, remarks=_remarks(model), tones=models.TONES,
        kinds=KIND_WORDS, plain_rules=plain, **way,
    )  # fmt: skip


def _remarks(model: ModelRow) -> dict[int, list[str]]:
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
        add = AddPots(do="add-pots", pots=[NewPot(name=name, colour=colour)])
        edits.change_model(cursor, model_id, add)
    return RedirectResponse(f"/models/{model_id}", status_code=303)


@router.post("/models/{model_id}/pictures")
def add_picture(model_id: int, store: StoreDep, picture: UploadFile) -> RedirectResponse:
    """A picture of the model sheet."""
    name = Path(picture.filename or "picture").name
    body, mime, width, height, _ = for_storage(name, picture.file.read())
    with store.transaction() as cursor:
        sha = pictures.put(cursor, body, mime, width, height)
        add = AddPicture(do="add-picture", caption=Path(name).stem[:60], sha256=sha)
        edits.change_model(cursor, model_id, add)
    return RedirectResponse(f"/models/{model_id}", status_code=303)


class Place(Body):
    picture: str = Field(pattern="^[0-9a-f]{64}$")
    at: Point


@router.post("/api/models/{model_id}/sample")
def sample(model_id: int, place: Place, store: StoreDep) -> JSONResponse:
    """The colour of a stored picture at a place, and the pot that comes nearest to it in each key."""
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
        body = pictures.get(cursor, place.picture)["body"]
    try:
        found = colour_at(decode("the picture", body), place.at[0], place.at[1])
    except ValueError as error:
        raise Refusal("There is no colour here; choose a painted place") from error
    return JSONResponse({"colour": write_colour(found), "near": _nearest(model, found)})


def _nearest(model: ModelRow, colour: tuple[int, int, int]) -> dict[str, object] | None:
    """The pot and key that look most like a colour, if they can hardly be told apart from it."""
    looks = [
        (difference(parse_colour(value), colour), pot["name"], key["name"])
        for key in model["keys"]
        for pot in model["pots"]
        if (value := key["colours"].get(pot["id"]))
    ]
    if not looks or min(looks)[0] >= TOO_CLOSE:
        return None
    apart, pot, key = min(looks)
    return {"pot": pot, "key": key, "apart": round(apart, 1)}


@router.get("/api/models/{model_id}/clusters")
def clusters(
    model_id: int, store: StoreDep, desk: DeskDep, picture: Annotated[str, Query(pattern="^[0-9a-f]{64}$")]
) -> JSONResponse:
    """The flat colours of a picture as pots that could be made."""
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
        body = pictures.get(cursor, picture)["body"]
    found = desk.call(views.flats, bytes(body))
    listed = [
        {
            "colour": write_colour(item.colour),
            "share": item.share,
            "at": item.at,
            "near": _nearest(model, item.colour),
        }
        for item in found.colours
    ]
    return JSONResponse({"colours": listed, "smeared": found.smeared})


@router.get("/models/{model_id}/pots.{ending}")
def write_pots(model_id: int, ending: Literal["csv", "json"], store: StoreDep) -> Response:
    """The pots with their colours as a file."""
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
    names = [key["name"] for key in model["keys"]]
    listed = as_written(model)
    text = (pot_files.write_csv if ending == "csv" else pot_files.write_json)(listed, names)
    headers = {"Content-Disposition": f'attachment; filename="pots.{ending}"'}
    return Response(
        text, media_type=f"text/{ending}" if ending == "csv" else "application/json", headers=headers
    )


@router.post("/models/{model_id}/pots/file")
def read_pots(model_id: int, store: StoreDep, file: UploadFile) -> RedirectResponse:
    """Adds the pots and colours of a file: known names change their colours, new ones are added, none is taken away."""
    wanted = pot_files.read(Path(file.filename or "pots.csv").name, file.file.read())
    with store.transaction() as cursor:
        edits.change_model(cursor, model_id, ReadPots(do="read-pots", pots=wanted))
    return RedirectResponse(f"/models/{model_id}", status_code=303)
