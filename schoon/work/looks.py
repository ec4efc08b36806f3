"""What pots and ink look like in a colour key."""

from __future__ import annotations

from ..core.model import Rgb, Rgba, parse_colour
from ..store import Cursor, Row, models

_INK: Rgb = (29, 43, 58)


def key_colours(cursor: Cursor, shot: Row, key_id: int | None = None) -> tuple[dict[int, Rgba], Rgb]:
    """pot id -> RGBA and the ink's RGB in a colour key, by default the one the shot is seen in; no pots without
    a model."""
    if shot["model_id"] is None:
        return {}, _INK
    model = models.model(cursor, shot["model_id"])
    key = next(
        (k for k in model["keys"] if k["id"] == (key_id or shot["key_id"])),
        model["keys"][0] if model["keys"] else None,
    )
    if key is None:
        return {}, _INK
    alpha = {pot["id"]: round(2.55 * pot["opacity"]) for pot in model["pots"]}
    colours = {
        pot: (*parse_colour(colour), alpha[pot]) for pot, colour in key["colours"].items() if pot in alpha
    }
    return colours, parse_colour(key["ink"])
