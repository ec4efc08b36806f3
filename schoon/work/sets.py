"""Sets of alternative drawings, mouths, blinks and hands, of a model: found in its other shots and brought into this one."""

from __future__ import annotations

from dataclasses import dataclass

from ..errors import Refusal
from ..store import Cursor, productions, revisions
from .copies import onto


@dataclass(frozen=True)
class Elsewhere:
    """A set in another shot of the production. level: that has it."""

    level: int
    name: str
    shot: str
    entries: list[str]


def sets_elsewhere(cursor: Cursor, shot_id: int, model_id: int | None) -> list[Elsewhere]:
    """Sets of levels that show a model, in the other shots of a shot's production."""
    own = productions.shot(cursor, shot_id)
    found = []
    for shot in productions.shots(cursor):
        if shot["production_id"] != own["production_id"] or shot["id"] == shot_id:
            continue
        for level_id, level in productions.stack_of(cursor, shot["id"]).levels.items():
            if level.entries and level.model == model_id:
                found.append(Elsewhere(level_id, level.name, shot["name"], list(level.entries)))
    return found


def bring(cursor: Cursor, shot_id: int, source: int) -> int:
    """A new level in front with the set of a level of another shot: its drawings with all that was done to them, its entries
    by name, and nothing exposed. Returns its id. Raises NotFound and Refusal."""
    there, here = productions.shot_of_level(cursor, source), productions.shot(cursor, shot_id)
    if there["production_id"] != here["production_id"]:
        raise Refusal("This set belongs to another production")
    if (there["width"], there["height"]) != (here["width"], here["height"]):
        raise Refusal(
            f"The set was drawn at {there['width']} × {there['height']} px and this shot is {here['width']} × {here['height']};"
            " take its drawings in at this size"
        )
    state = productions.stack_of(cursor, there["id"]).levels[source]
    if not state.entries:
        raise Refusal(f"{state.name} of {there['name']} has no set")
    taken = {level["name"].casefold() for level in productions.levels(cursor, shot_id)}
    name = state.name if state.name.casefold() not in taken else f"{state.name} of {there['name']}"
    level = productions.add_level(cursor, shot_id, name, state.model, state.key)
    named = {drawing for run in state.entries.values() for drawing, _ in run}
    rows = [row for row in productions.drawings(cursor, source) if row["id"] in named]
    new = onto(cursor, level, rows, f"bring the set {state.name} of {there['name']}", revisions.PARTS)
    now = productions.stack_of(cursor, shot_id)
    entries = {
        entry: tuple((new[drawing], frames) for drawing, frames in run)
        for entry, run in state.entries.items()
    }
    own = now.levels[level].model_copy(update={"entries": entries})
    productions.set_stack(cursor, shot_id, now, now.model_copy(update={"levels": {**now.levels, level: own}}))
    return level
