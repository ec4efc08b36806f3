"""Rigid props of a production, and how each is made."""

from __future__ import annotations

from typing import TypedDict

from pydantic import TypeAdapter

from ..core.prop import Built, Imported
from ..errors import NotFound
from .pool import Cursor, Row

Made = Built | Imported
_MADE: TypeAdapter[Made] = TypeAdapter(Made)


class PropRow(TypedDict):
    """part: of the model, that its lines belong to. model_id: whose pots paint it. sheet: name of the picture it is built
    after. gone: taken away; drawings may still show it."""

    id: int
    production_id: int
    model_id: int | None
    name: str
    part: str
    sheet: str | None
    made: Made
    gone: bool


_COLUMNS = "id, production_id, model_id, name, part, sheet, made, gone"


def _read(row: Row) -> PropRow:
    return {**row, "made": _MADE.validate_json(row["made"]), "gone": bool(row["gone"])}  # type: ignore[typeddict-item]


def listing(cursor: Cursor, production_id: int) -> list[PropRow]:
    """All of a production by name, those taken away last."""
    cursor.execute(
        f"SELECT {_COLUMNS} FROM props WHERE production_id = %s ORDER BY gone, name, id", (production_id,)
    )
    return [_read(row) for row in cursor.fetchall()]


def get(cursor: Cursor, prop_id: int) -> PropRow:
    """One prop. Raises NotFound."""
    cursor.execute(f"SELECT {_COLUMNS} FROM props WHERE id = %s", (prop_id,))
    row = cursor.fetchone()
    if row is None:
        raise NotFound("This prop is not there any more")
    return _read(row)


def add(
    cursor: Cursor,
    production_id: int,
    model_id: int | None,
    name: str,
    part: str,
    made: Made,
    sheet: str | None = None,
) -> int:
    """A new prop; its id."""
    cursor.execute(
        "INSERT INTO props (production_id, model_id, name, part, sheet, made) VALUES (%s, %s, %s, %s, %s, %s)",
        (production_id, model_id, name, part, sheet, made.model_dump_json()),
    )
    return int(cursor.lastrowid)


def change(
    cursor: Cursor, prop_id: int, name: str, part: str, made: Made, sheet: str | None, model_id: int | None
) -> None:
    """Changes a prop; drawings it is placed in stay as they are until it is placed anew. Raises NotFound."""
    get(cursor, prop_id)
    cursor.execute(
        "UPDATE props SET name = %s, part = %s, made = %s, sheet = %s, model_id = %s WHERE id = %s",
        (name, part, made.model_dump_json(), sheet, model_id, prop_id),
    )


def drop(cursor: Cursor, prop_id: int, gone: bool) -> None:
    """Takes a prop away, or brings it back. Raises NotFound."""
    get(cursor, prop_id)
    cursor.execute("UPDATE props SET gone = %s WHERE id = %s", (gone, prop_id))
