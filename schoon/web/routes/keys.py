"""Colour keys: what pots look like in a setting, derived by light, read from a picture."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import JSONResponse, RedirectResponse
from pydantic import Field

from ...core.look import ToneRule
from ...core.model import parse_colour, write_colour
from ...core.model.light import close_pairs, derived, relit
from ...core.tone import Kind
from ...errors import NotFound, Refusal
from ...formats.pictures import for_storage
from ...jobs import views
from ...store import ModelRow, models, pictures
from ...work import edits, keys, pots
from ...work.operations.key_tones import NewRule
from ...work.operations.model import AddKey, colour_of
from ..deps import DeskDep, StoreDep
from ..values import Body

router = APIRouter()


class GatheredPot(Body):
    """name: "" to be named later."""

    name: Annotated[str, Field(max_length=60)] = ""
    colour: str


@router.post("/api/levels/{level_id}/pots")
def gather(level_id: int, want: GatheredPot, store: StoreDep) -> JSONResponse:
    """A new pot while a level is painted; a level without a model gets one that is made of these."""
    with store.transaction() as cursor:
        made, model = pots.add_at_paper(cursor, level_id, want.name, want.colour)
        pot = next(one for one in models.model(cursor, model)["pots"] if one["id"] == made)
    return JSONResponse({"pot": pot, "model": model})


class Derive(Body):
    """A key in another light. held: pots that keep their colour. name: to keep it; without one it is only shown."""

    light: str
    strength: float = Field(ge=0, le=1)
    darkness: float = Field(ge=0, le=1)
    held: list[int] = Field(default_factory=list, max_length=500)
    name: str = Field(default="", max_length=60)


class TryRule(Body):
    """The rule of a kind of tone, before it is kept."""

    kind: Kind
    rule: NewRule


@router.post("/api/models/{model_id}/keys/{key_id}/tones")
def try_rule(model_id: int, key_id: int, want: TryRule, store: StoreDep) -> JSONResponse:
    """pot -> its base, what a rule makes of it, and its own colour of the kind if it has one; nothing is changed."""
    with store.transaction() as cursor:
        model = models.model(cursor, model_id)
    key = next((k for k in model["keys"] if k["id"] == key_id), None)
    if key is None:
        raise NotFound("This colour key is not there any more")
    rule = ToneRule(want.rule.how, want.rule.by)
    made = {pot: write_colour(rule.of(parse_colour(colour))) for pot, colour in key["colours"].items()}
    own = {pot: tones[want.kind] for pot, tones in key["tones"].items() if want.kind in tones}
    return JSONResponse({"base": key["colours"], "made": made, "own": own, "backdrop": key["backdrop"]})


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
            new = AddKey(
                do="add-key", name=want.name, like=key_id, colours=written, ink=ink, backdrop=backdrop
            )
            edits.change_model(cursor, model_id, new)
            made = new.id
    close = _close(model, colours)
    return JSONResponse({"colours": written, "ink": ink, "backdrop": backdrop, "close": close, "key": made})


@router.post("/models/{model_id}/keys")
def add_key(
    model_id: int, store: StoreDep, like: Annotated[int, Form()], name: Annotated[str, Form()] = ""
) -> RedirectResponse:
    """A new colour key that starts as a copy of another."""
    with store.transaction() as cursor:
        edits.change_model(cursor, model_id, AddKey(do="add-key", name=name, like=like))
    return RedirectResponse(f"/models/{model_id}", status_code=303)


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


def _close(model: ModelRow, colours: Mapping[int, tuple[int, int, int]]) -> list[list[object]]:
    names = {pot["id"]: pot["name"] for pot in model["pots"]}
    pairs = close_pairs({pot: c for pot, c in colours.items() if pot in names})
    return [[names[a], names[b], round(d, 1)] for a, b, d in pairs]
