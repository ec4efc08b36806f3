"""What a shot's levels look like in a colour key."""

from __future__ import annotations

from ..core.look import Look
from ..core.model import Rgb, parse_colour
from ..store import Cursor, ShotRow, models


def look_of(cursor: Cursor, shot: ShotRow, key_id: int | None = None) -> Look:
    """The look of a level in a colour key, by default the one it is seen in; no pots without a model.

    shot: seen with the level.
    """
    if shot["model_id"] is None:
        return Look()
    model = models.model(cursor, shot["model_id"])
    key = next(
        (k for k in model["keys"] if k["id"] == (key_id or shot["key_id"])),
        model["keys"][0] if model["keys"] else None,
    )
    if key is None:
        return Look()
    alpha = {pot["id"]: round(2.55 * pot["opacity"]) for pot in model["pots"]}

    def chosen(tone: str) -> dict[int, Rgb]:
        return {pot: parse_colour(t[tone]) for pot, t in key["tones"].items() if tone in t}

    return Look(
        {pot: (*parse_colour(colour), alpha[pot]) for pot, colour in key["colours"].items() if pot in alpha},
        chosen("shade"),
        chosen("light"),
        chosen("line"),
        parse_colour(key["ink"]),
        parse_colour(key["backdrop"]),
    )
