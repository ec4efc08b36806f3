"""What a shot's levels look like in a colour key."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar

from ..core.look import PLAIN, Look, ToneRule, mixed
from ..core.model import Rgb, parse_colour
from ..core.tone import KINDS
from ..store import Cursor, KeyRow, ShotRow, models

_tried: ContextVar[Mapping[int, Rgb] | None] = ContextVar("tried", default=None)


@contextmanager
def trying(colours: Mapping[int, Rgb]) -> Iterator[None]:
    """Within it pots look as they are being tuned, whatever a key says. colours: pot -> its base."""
    token = _tried.set(colours)
    try:
        yield
    finally:
        _tried.reset(token)


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
    base = {pot: parse_colour(colour) for pot, colour in key["colours"].items()} | dict(_tried.get() or {})
    alpha = {pot["id"]: round(2.55 * pot["opacity"]) for pot in model["pots"]}

    def chosen(tone: str) -> dict[int, Rgb]:
        return {pot: parse_colour(t[tone]) for pot, t in key["tones"].items() if tone in t}

    def tones(kind: str) -> dict[int, Rgb]:
        rule = rule_of(key, kind)
        return {pot: rule.of(colour) for pot, colour in base.items() if pot in alpha} | chosen(kind)

    return Look(
        {pot: (*colour, alpha[pot]) for pot, colour in base.items() if pot in alpha},
        {kind: tones(kind) for kind in KINDS},
        chosen("line"),
        parse_colour(key["ink"]),
        parse_colour(key["backdrop"]),
        models.parts_of(model),
        int(key["id"]),
    )


def look_in(cursor: Cursor, shot: ShotRow, frame: int) -> Look:
    """The look of a level in a frame, with the colour keys it takes on over time. shot: seen with the level."""
    changes = shot["key_changes"]
    frames = [1, *sorted(f for f in changes if f > 1)]
    now = bisect_right(frames, frame) - 1

    def at(k: int) -> Look:
        return look_of(cursor, shot, changes[frames[k]].key if frames[k] in changes else None)

    if now + 1 < len(frames) and changes[frames[now + 1]].eased:
        share = (frame - frames[now]) / (frames[now + 1] - frames[now])
        return mixed(at(now), at(now + 1), share)
    return at(now)


def rule_of(key: KeyRow, kind: str) -> ToneRule:
    """What a colour key makes of the base of a pot for which it says no tone of a kind."""
    said = key["rules"].get(kind)
    return ToneRule(said["how"], tuple(said["by"])) if said else PLAIN[kind]
