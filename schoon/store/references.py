"""References: pictures and clips that are looked at beside the paper, and are no part of the shot."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from ..errors import NotFound
from .pool import Cursor, Row


def listing(cursor: Cursor, shot_id: int, model_ids: Sequence[int]) -> list[Row]:
    """Those of a shot and of the models it is drawn by: `id`, `name`, `shot_id`, `model_id`, `pictures` (names of one, or of a
    clip's frames in order), `fps` (0 for a picture), `place`."""
    models = list(model_ids) or [0]
    marks = ", ".join(["%s"] * len(models))
    cursor.execute(
        "SELECT id, shot_id, model_id, name, pictures, fps, place FROM refs"
        f" WHERE shot_id = %s OR model_id IN ({marks}) ORDER BY id",
        (shot_id, *models),
    )
    return [
        {**row, "pictures": json.loads(row["pictures"]), "place": json.loads(row["place"]), "fps": float(row["fps"])}
        for row in cursor.fetchall()
    ]  # fmt: skip


def add(
    cursor: Cursor, shot_id: int | None, model_id: int | None, name: str, pictures: Sequence[str], fps: float
) -> int:
    """A reference of a shot or of a model; its id."""
    cursor.execute(
        "INSERT INTO refs (shot_id, model_id, name, pictures, fps) VALUES (%s, %s, %s, %s, %s)",
        (shot_id, model_id, name, json.dumps(list(pictures)), fps),
    )
    return int(cursor.lastrowid)


def move(cursor: Cursor, reference: int, place: dict[str, Any]) -> None:
    """Where and how it is seen. Raises NotFound."""
    cursor.execute("UPDATE refs SET place = %s WHERE id = %s", (json.dumps(place), reference))
    if not cursor.rowcount:
        cursor.execute("SELECT id FROM refs WHERE id = %s", (reference,))
        if cursor.fetchone() is None:
            raise NotFound("This reference is not there any more")


def pin(cursor: Cursor, reference: int, shot_id: int | None, model_id: int | None) -> None:
    """Whose it is. Raises NotFound."""
    cursor.execute(
        "UPDATE refs SET shot_id = %s, model_id = %s WHERE id = %s", (shot_id, model_id, reference)
    )
    if not cursor.rowcount:
        cursor.execute("SELECT id FROM refs WHERE id = %s", (reference,))
        if cursor.fetchone() is None:
            raise NotFound("This reference is not there any more")


def drop(cursor: Cursor, reference: int, gone: bool) -> None:
    """Takes a reference away, or brings it back. Raises NotFound."""
    cursor.execute("SELECT place FROM refs WHERE id = %s", (reference,))
    row = cursor.fetchone()
    if row is None:
        raise NotFound("This reference is not there any more")
    move(cursor, reference, {**json.loads(row["place"]), "gone": gone})
