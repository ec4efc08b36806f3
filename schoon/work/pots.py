"""The pots of a model as files have them, and pots that are gathered while painting."""

from __future__ import annotations

from ..formats.pots import Pot, Pots
from ..store import Cursor, ModelRow, models, productions
from . import edits
from .operations.model import AddPots, NewPot
from .operations.stack import UseModel


def as_written(model: ModelRow) -> Pots:
    """name -> pot, with its colours in every key by the key's name."""
    keys = model["keys"]
    return {
        pot["name"]: Pot(
            {key["name"]: key["colours"][pot["id"]] for key in keys if pot["id"] in key["colours"]},
            pot["part"],
            pot["opacity"],
            pot["expected"],
            pot["share"],
            {key["name"]: key["tones"][pot["id"]] for key in keys if pot["id"] in key["tones"]},
        )
        for pot in model["pots"]
    }


def add_at_paper(cursor: Cursor, level_id: int, name: str, colour: str) -> tuple[int, int]:
    """A new pot while a level is painted, and its model: a level without one gets a model of its own first, which is made of
    the pots that are gathered so. name: "" to be named later. Raises Refusal for what is no colour."""
    shot = productions.shot_of_level(cursor, level_id)
    model = shot["model_id"]
    if model is None:
        taken = {m["name"].casefold() for m in models.listing(cursor)}
        tried = [shot["level"], *(f"{shot['level']} {k}" for k in range(2, 100))]
        free = next(
            (one for one in tried if one.casefold() not in taken), f"{shot['level']} of {shot['name']}"
        )
        model = models.create(cursor, shot["production_id"], free)
        models.add_key(cursor, model, "Day", "#1d2b3a", "#ffffff", {})
        edits.change_stack(cursor, shot["id"], UseModel(do="model", level=level_id, model=model))
    known = {pot["name"] for pot in models.model(cursor, model)["pots"]}
    said = " ".join(name.split()) or next(one for k in range(1, 10_000) if (one := f"pot {k}") not in known)
    operation = AddPots(do="add-pots", pots=[NewPot(name=said, colour=colour)])
    edits.change_model(cursor, model, operation)
    return operation.ids[0], model
