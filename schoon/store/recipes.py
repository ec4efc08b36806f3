"""Lists of the finish that a production keeps under names."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import TypedDict

from pydantic import TypeAdapter

from ..core.finish import Entry
from ..errors import NotFound
from .pool import Cursor

_ENTRIES: TypeAdapter[tuple[Entry, ...]] = TypeAdapter(tuple[Entry, ...])


class RecipeRow(TypedDict):
    id: int
    name: str
    finish: tuple[Entry, ...]


def listing(cursor: Cursor, production_id: int) -> list[RecipeRow]:
    """All of a production, by name."""
    cursor.execute(
        "SELECT id, name, finish FROM recipes WHERE production_id = %s ORDER BY name", (production_id,)
    )
    return [
        {"id": row["id"], "name": row["name"], "finish": _ENTRIES.validate_json(row["finish"])}
        for row in cursor.fetchall()
    ]


def keep(cursor: Cursor, production_id: int, name: str, finish: Sequence[Entry]) -> None:
    """Keeps a list under a name; one that is there already is replaced."""
    cursor.execute(
        "INSERT INTO recipes (production_id, name, finish) VALUES (%s, %s, %s)"
        " ON DUPLICATE KEY UPDATE finish = VALUES(finish)",
        (production_id, name, json.dumps([entry.model_dump() for entry in finish])),
    )


def drop(cursor: Cursor, production_id: int, recipe_id: int) -> None:
    """Forgets a list. Raises NotFound."""
    if not cursor.execute(
        "DELETE FROM recipes WHERE id = %s AND production_id = %s", (recipe_id, production_id)
    ):
        raise NotFound("This recipe is not there any more")
