"""Models: their sheet pictures, pots and colour keys."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Query, Request, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from pydantic import BaseModel, Field

from ...core.model import parse_colour, write_colour
from ...core.model.light import TOO_CLOSE, close_pairs, derived, difference, relit
from ...core.model.pictures import colour_at, flat_colours
from ...errors import Refusal
from ...formats import pots as pot_files
from ...formats.pictures import decode, for_storage
from ...store import Row, models, pictures, productions
from ...work import edits, keys
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
    close = _close(model, colours)
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
    """tone: the base colour, or a shade, light or line beside it; colour None takes a tone away."""

    pot: int
    colour: str | None
    tone: Literal["colour", "shade", "light", "line"] = "colour"


@router.post("/api/keys/{key_id}/colour")
def set_colour(key_id: int, change: Colour, store: StoreDep) -> JSONResponse:
    """Changes what a pot looks like in a key; every drawing follows."""
    if change.colour is None and change.tone == "colour":
        raise Refusal("A pot has a base colour in every key; choose one")
    colour = None if change.colour is None else _colour(change.colour)
    with store.transaction() as cursor:
        models.set_colour(cursor, key_id, change.pot, colour, change.tone)
    return JSONResponse({"colour": colour})


class PotAbout(BaseModel):
    """What is said of a pot; what is not named stays."""

    part: str | None = Field(default=None, max_length=60)
    opacity: int | None = Field(default=None, ge=1, le=100)
    expected: int | None = Field(default=None, ge=0, le=9999)
    share: float | None = Field(default=None, ge=0, le=1)


@router.post("/api/models/{model_id}/pots/{pot_id}/about")
def describe_pot(model_id: int, pot_id: int, about: PotAbout, store: StoreDep) -> JSONResponse:
    """Says to which part a pot belongs, how see-through it is, and what a whole figure has of it."""
    said = {name: getattr(about, name) for name in about.model_fields_set}
    for name, plain in (("part", ""), ("opacity", 100)):
        if name in said and said[name] is None:
            said[name] = plain
    if "part" in said:
        said["part"] = " ".join(said["part"].split())
    with store.transaction() as cursor:
        models.describe_pot(cursor, model_id, pot_id, said)
    return JSONResponse(said)


class Place(BaseModel):
    picture: str = Field(pattern="^[0-9a-f]{64}$")
    at: Annotated[list[float], Field(min_length=2, max_length=2)]


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


def _nearest(model: Row, colour: tuple[int, int, int]) -> dict[str, object] | None:
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
    model_id: int, store: StoreDep, picture: Annotated[str, Query(pattern="^[0-9a-f]{64}$")]
) -> JSONResponse:
    """The flat colours of a picture as pots that could be made."""
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
        body = pictures.get(cursor, picture)["body"]
    found = flat_colours(decode("the picture", body))
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


class NewPot(BaseModel):
    name: str
    colour: str
    part: str = Field(default="", max_length=60)


class NewPots(BaseModel):
    pots: Annotated[list[NewPot], Field(min_length=1, max_length=200)]


@router.post("/api/models/{model_id}/pots")
def add_pots(model_id: int, new: NewPots, store: StoreDep) -> JSONResponse:
    """Several new pots at once: all of them or, if one is refused, none."""
    with store.transaction() as cursor:
        models.model(cursor, model_id)
        ids = [
            models.add_pot(
                cursor, model_id, named(p.name, "pot"), _colour(p.colour), " ".join(p.part.split())
            )
            for p in new.pots
        ]
    return JSONResponse({"pots": ids})


@router.post("/api/models/{model_id}/keys/{key_id}/picture")
def read_key(model_id: int, key_id: int, store: StoreDep, file: UploadFile) -> JSONResponse:
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
    read = keys.read_key(name, decode(name, body), model, key, drawings)
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


class NewKey(BaseModel):
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
        colours = {**like["colours"], **{p: _colour(c) for p, c in new.colours.items() if p in known}}
        key = models.add_key(
            cursor, model_id, named(new.name, "colour key"), like["ink"], like["backdrop"], colours
        )
        if new.picture:
            models.set_key_picture(cursor, key, new.picture)
    return JSONResponse({"key": key})


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
    names = [key["name"] for key in model["keys"]]
    listed = {
        pot["name"]: pot_files.Pot(
            {k["name"]: k["colours"][pot["id"]] for k in model["keys"] if pot["id"] in k["colours"]},
            pot["part"], pot["opacity"], pot["expected"], pot["share"],
            {k["name"]: k["tones"][pot["id"]] for k in model["keys"] if pot["id"] in k["tones"]},
        )
        for pot in model["pots"]
    }  # fmt: skip
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
        model = models.model(cursor, model_id)
        known = {pot["name"]: pot["id"] for pot in model["pots"]}
        ids = {key["name"]: key["id"] for key in model["keys"]}
        unknown = sorted({key for pot in wanted.values() for key in (*pot.colours, *pot.tones)} - ids.keys())
        if unknown:
            raise Refusal(
                f"This model has no colour key called “{unknown[0]}”; add the key first or change the file"
            )
        for name, read in wanted.items():
            pot = known.get(name) or models.add_pot(
                cursor, model_id, name, next(iter(read.colours.values()), "#808080")
            )
            said = {"part": read.part, "opacity": read.opacity, "expected": read.count, "share": read.share}
            plain = vars(pot_files.Pot())
            models.describe_pot(
                cursor, model_id, pot,
                {k: v for k, v in said.items() if v != plain["count" if k == "expected" else k]},
            )  # fmt: skip
            for key, colour in read.colours.items():
                models.set_colour(cursor, ids[key], pot, colour)
            for key, tones in read.tones.items():
                for tone, colour in tones.items():
                    models.set_colour(cursor, ids[key], pot, colour, tone)  # type: ignore[arg-type]
    return RedirectResponse(f"/models/{model_id}", status_code=303)
