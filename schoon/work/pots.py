"""The pots of a model as files have them."""

from __future__ import annotations

from ..formats.pots import Pot, Pots
from ..store import ModelRow


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
