"""Bends of a pose that a production keeps under names, to be used in other shots."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import TypedDict

from ..errors import NotFound
from .pool import Cursor


class BendPoint(TypedDict):
    """at: a place of the figure, by: where it goes from there, both (x, y) in shares of its box. A pin goes nowhere."""

    at: list[float]
    by: list[float]


class BendRow(TypedDict):
    id: int
    name: str
    points: list[BendPoint]


def listing(cursor: Cursor, production_id: int) -> list[BendRow]:
    """All of a production, by name."""
    cursor.execute(
        "SELECT id, name, points FROM bends WHERE production_id = %s ORDER BY name", (production_id,)
    )
    return [
        {"id": row["id"], "name": row["name"], "points": json.loads(row["points"])}
        for row in cursor.fetchall()
    ]


def keep(cursor: Cursor, production_id: int, name: str, points: Sequence[BendPoint]) -> None:
    """Keeps a bend under a name; one that is there already is replaced."""
    cursor.execute(
        "INSERT INTO bends (production_id, name, points) VALUES (%s, %s, %s)"
        " ON DUPLICATE KEY UPDATE points = VALUES(points)",
        (production_id, name, json.dumps(list(points))),
    )


def drop(cursor: Cursor, production_id: int, bend_id: int) -> None:
    """Forgets a bend. Raises NotFound."""
    if not cursor.execute("DELETE FROM bends WHERE id = %s AND production_id = %s", (bend_id, production_id)):
        raise NotFound("This bend is not there any more")
