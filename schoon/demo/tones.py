"""Light on the demo: the sun over the quay, colours of shade in each key."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.finish import Entry
from ..core.finish.entries import CastShadow, ContactShadow, Glass, Highlight, LineColour, Texture, Wash
from ..core.tone import Kind
from ..store import Cursor, ShotRow, jobs, models, productions
from ..store.states import LightState
from ..work import edits
from ..work.operations.finish import AddFinish
from ..work.operations.key_tones import DeriveTones, NewRule, SetToneRule
from ..work.operations.stack import SetLight

RULES: dict[str, dict[Kind, tuple[int, int, int]]] = {
    "Noon quay": {"shade": (190, 172, 196), "deep": (128, 112, 158)},
    "Lamp room at night": {"shade": (128, 126, 178), "deep": (84, 84, 140)},
    "Storm": {"shade": (156, 170, 186), "deep": (104, 120, 146)},
}
"""Colour key -> kind of tone -> what its bases are multiplied with."""

HELD = ("Eye", "Pupil", "Flame", "Glass")
"""Pots that are as bright in shade as in light."""

SUN = LightState(azimuth=312, height=34, amount=0.3)

NIGHT = "Lamp room at night"

LAMPS: dict[str, dict[int, LightState]] = {
    "Stair": {1: LightState(azimuth=102, height=12, amount=0.42)},
    "Lookout": {
        1: LightState(azimuth=98, height=12, amount=0.42),
        24: LightState(azimuth=52, height=16, amount=0.36),
    },
}
"""Shot -> frame -> how the lantern in Pim's hand lights him at night."""


FINISH: tuple[Entry, ...] = (
    CastShadow(id="0000000001", high=0.22, shear=-1.4, opacity=0.28),
    ContactShadow(id="0000000002", parts=("Hat",), onto=("Otter",), x=4, y=12),
    Wash(id="0000000003", x0=960, y0=1000, x1=960, y1=260, colour="#d9a24a", opacity=0.35, parts=("Coat",)),
    LineColour(id="0000000004", where="inner"),
)
"""What is done to Pim on the stair."""


CLOTH = Texture(id="0000000001", picture="weave", scale=0.7, amount=0.22)
"""What is done to the flag."""


def shade(cursor: Cursor, levels: Sequence[int]) -> None:
    """What a person would do: says what shade does to colours, sets the sun, and has the runs shaded."""
    done: set[int] = set()
    for level in levels:
        shot = productions.shot_of_level(cursor, level)
        if shot["model_id"] is not None and shot["model_id"] not in done:
            done.add(shot["model_id"])
            _colours(cursor, shot["model_id"])
        edits.change_stack(cursor, shot["id"], SetLight(do="light", level=level, part="", frame=1, light=SUN))
        _lamp(cursor, shot)
        entries = _finish(cursor, shot) if (shot["name"], shot["level"]) == ("Stair", "Pim") else []
        if shot["name"] == "Flag":
            entries = [CLOTH]
        if entries:
            add = AddFinish(do="finish-add", level=level, add=list(entries), what="add the finish")
            edits.change_stack(cursor, shot["id"], add)
        drawings = [row["id"] for row in productions.drawings(cursor, level) if row["line"]]
        jobs.create(cursor, "tone", level, drawings, {})


def _lamp(cursor: Cursor, shot: ShotRow) -> None:
    """The lantern, in the key in which it burns."""
    keys = models.model(cursor, shot["model_id"])["keys"] if shot["model_id"] else []
    night = next((key["id"] for key in keys if key["name"] == NIGHT), 0)
    for frame, lamp in LAMPS.get(shot["name"], {}).items() if night else ():
        change = SetLight(do="light", level=shot["level_id"], part="", frame=frame, light=lamp, key=night)
        edits.change_stack(cursor, shot["id"], change)


def _finish(cursor: Cursor, shot: ShotRow) -> list[Entry]:
    """The finish of Pim, with a light in his eyes."""
    pots = models.model(cursor, shot["model_id"])["pots"] if shot["model_id"] else []
    ids = {pot["name"]: (pot["id"],) for pot in pots}
    return [
        *FINISH,
        Highlight(id="0000000005", pots=ids.get("Pupil", ()), turn=-45, out=0.4, size=0.34),
        Glass(id="0000000006", pots=ids.get("Glass", ()), kept=ids.get("Flame", ()), readable=0.6),
    ]


def _colours(cursor: Cursor, model_id: int) -> None:
    model = models.model(cursor, model_id)
    held = [pot["id"] for pot in model["pots"] if pot["name"] in HELD]
    for key in model["keys"]:
        for kind, by in RULES[key["name"]].items():
            rule = NewRule(how="multiply", by=by)
            edits.change_model(
                cursor, model_id, SetToneRule(do="tone-rule", key=key["id"], kind=kind, rule=rule)
            )
        edits.change_model(
            cursor, model_id, DeriveTones(do="derive-tones", key=key["id"], kind="shade", held=held)
        )
