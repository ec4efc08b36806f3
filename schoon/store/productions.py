"""Productions with their shots, levels, drawings and exposures."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

import pymysql

from ..errors import NotFound, Refusal
from .pool import Cursor, Row

DUPLICATE = 1062


def create(cursor: Cursor, name: str) -> int:
    """A new production. Raises Refusal if the name is taken."""
    try:
        cursor.execute("INSERT INTO productions (name) VALUES (%s)", (name,))
    except pymysql.IntegrityError as error:
        raise Refusal(f"There is a production called “{name}” already; choose another name") from error
    return int(cursor.lastrowid)


def listing(cursor: Cursor) -> list[Row]:
    """All productions, oldest first."""
    cursor.execute("SELECT id, name FROM productions ORDER BY id")
    return list(cursor.fetchall())


def production(cursor: Cursor, production_id: int) -> Row:
    """One production. Raises NotFound."""
    cursor.execute("SELECT id, name FROM productions WHERE id = %s", (production_id,))
    return _one(cursor, "This production is not there any more")


def create_shot(
    cursor: Cursor,
    production_id: int,
    name: str,
    fps: float,
    level: str,
    model_id: int | None,
    key_id: int | None,
) -> tuple[int, int]:
    """A new shot with one level and no drawings; returns the ids of both. Raises Refusal if the name is taken."""
    try:
        cursor.execute(
            "INSERT INTO shots (production_id, name, fps) VALUES (%s, %s, %s)", (production_id, name, fps)
        )
    except pymysql.IntegrityError as error:
        if error.args[0] == DUPLICATE:
            raise Refusal(
                f"There is a shot called “{name}” in this production; choose another name"
            ) from error
        raise NotFound("This production is not there any more") from error
    shot_id = int(cursor.lastrowid)
    cursor.execute(
        "INSERT INTO levels (shot_id, name, model_id, key_id) VALUES (%s, %s, %s, %s)",
        (shot_id, level, model_id, key_id),
    )
    return shot_id, int(cursor.lastrowid)


def fill_shot(
    cursor: Cursor,
    shot_id: int,
    level_id: int,
    size: tuple[int, int],
    drawings: Sequence[tuple[int, str, str]],
    starts: Mapping[int, int],
    frames: int,
) -> None:
    """Puts the drawings of its first level into a new shot, which takes its size and length from them."""
    cursor.execute(
        "UPDATE shots SET width = %s, height = %s, frames = %s WHERE id = %s", (*size, frames, shot_id)
    )
    fill_level(cursor, level_id, drawings, starts)


def fill_level(
    cursor: Cursor, level_id: int, drawings: Sequence[tuple[int, str, str]], starts: Mapping[int, int]
) -> None:
    """Puts drawings (number, kind, picture) into an empty level; starts: frame -> number of its drawing."""
    cursor.executemany(
        "INSERT INTO drawings (level_id, number, kind, rough) VALUES (%s, %s, %s, %s)",
        [(level_id, *drawing) for drawing in drawings],
    )
    cursor.executemany(
        "INSERT INTO exposures (level_id, frame, drawing_id)"
        " SELECT %s, %s, id FROM drawings WHERE level_id = %s AND number = %s",
        [(level_id, frame, level_id, number) for frame, number in starts.items()],
    )


def shots(cursor: Cursor) -> list[Row]:
    """All shots with their first level, for the shelf; colour_tag changes with the colours they are seen in."""
    cursor.execute(
        "SELECT s.id, s.production_id, s.name, s.fps, s.width, s.height, s.frames, l.id AS level_id, l.model_id,"
        " (SELECT COALESCE(BIT_XOR(CRC32(CONCAT(k.key_id, k.pot_id, k.colour))), 0) FROM key_colours k"
        " WHERE k.key_id = l.key_id) AS colour_tag"
        " FROM shots s JOIN levels l ON l.id = (SELECT f.id FROM levels f WHERE f.shot_id = s.id"
        " AND NOT f.aside ORDER BY f.id LIMIT 1) ORDER BY s.id"
    )
    return list(cursor.fetchall())


def shot(cursor: Cursor, shot_id: int, level_id: int | None = None) -> Row:
    """A shot with its production's name and one of its levels, by default the first made that is not put aside.

    Raises NotFound.
    """
    cursor.execute(
        "SELECT s.*, p.name AS production, l.id AS level_id, l.name AS level, l.model_id, l.key_id, l.reading, l.locked,"
        " l.aside FROM shots s JOIN productions p ON p.id = s.production_id JOIN levels l ON l.shot_id = s.id"
        " WHERE s.id = %s AND (l.id = %s OR %s IS NULL AND NOT l.aside) ORDER BY l.id LIMIT 1",
        (shot_id, level_id, level_id),
    )
    row = _one(cursor, "This shot or its level is not there any more")
    row["fps"] = float(row["fps"])
    row["reading"] = json.loads(row["reading"] or "{}")
    row["locked"], row["aside"] = bool(row["locked"]), bool(row["aside"])
    return row


def shot_of_level(cursor: Cursor, level_id: int) -> Row:
    """The shot a level belongs to, seen with that level. Raises NotFound."""
    cursor.execute("SELECT shot_id FROM levels WHERE id = %s", (level_id,))
    return shot(cursor, int(_one(cursor, "This level is not there any more")["shot_id"]), level_id)


def levels(cursor: Cursor, shot_id: int, aside: bool = False) -> list[Row]:
    """The levels of a shot from rear to front: `id`, `name`, `model_id`, `key_id`, `locked`.

    aside: those that were put aside instead.
    """
    cursor.execute(
        "SELECT id, name, model_id, key_id, locked FROM levels WHERE shot_id = %s AND aside = %s"
        " ORDER BY position, id",
        (shot_id, aside),
    )
    found = list(cursor.fetchall())
    for row in found:
        row["locked"] = bool(row["locked"])
    return found


def add_level(cursor: Cursor, shot_id: int, name: str, model_id: int | None, key_id: int | None) -> int:
    """A new level in front of the others, without drawings. Raises Refusal if the name is taken."""
    try:
        cursor.execute(
            "INSERT INTO levels (shot_id, name, position, model_id, key_id)"
            " SELECT %s, %s, COALESCE(MAX(position), 0) + 1, %s, %s FROM levels WHERE shot_id = %s",
            (shot_id, name, model_id, key_id, shot_id),
        )
    except pymysql.IntegrityError as error:
        raise Refusal(f"This shot has a level called “{name}” already; choose another name") from error
    return int(cursor.lastrowid)


def rename_level(cursor: Cursor, level_id: int, name: str) -> None:
    """Raises Refusal if the name is taken."""
    try:
        cursor.execute("UPDATE levels SET name = %s WHERE id = %s", (name, level_id))
    except pymysql.IntegrityError as error:
        raise Refusal(f"This shot has a level called “{name}” already; choose another name") from error


def lock_level(cursor: Cursor, level_id: int, locked: bool) -> None:
    """Locks a level or opens it."""
    cursor.execute("UPDATE levels SET locked = %s WHERE id = %s", (locked, level_id))


def put_aside(cursor: Cursor, level_id: int, aside: bool) -> None:
    """Puts a level aside, or brings it back in front of the others. Raises Refusal for the last one of its shot."""
    own = shot_of_level(cursor, level_id)
    if aside == own["aside"]:
        return
    # A locking read sees what another window has just done: the last two are not put aside at once.
    cursor.execute("SELECT id FROM levels WHERE shot_id = %s AND NOT aside FOR UPDATE", (own["id"],))
    if aside and len(cursor.fetchall()) == 1:
        raise Refusal(f"{own['level']} is the only level of this shot; a shot keeps one at least")
    cursor.execute("SELECT MAX(position) AS front FROM levels WHERE shot_id = %s", (own["id"],))
    front = int(_one(cursor, "This shot is not there any more")["front"])
    cursor.execute("UPDATE levels SET aside = %s, position = %s WHERE id = %s", (aside, front + 1, level_id))


def order_levels(cursor: Cursor, shot_id: int, level_ids: Sequence[int]) -> None:
    """Stacks the levels from rear to front. Raises Refusal unless they are just the shot's levels."""
    if sorted(row["id"] for row in levels(cursor, shot_id)) != sorted(level_ids):
        raise Refusal("The levels have changed meanwhile; open the page again")
    cursor.executemany(
        "UPDATE levels SET position = %s WHERE id = %s", [(k, level) for k, level in enumerate(level_ids, 1)]
    )


def drawings(cursor: Cursor, level_id: int) -> list[Row]:
    """The drawings of a level in order, with the documents of their present revision."""
    cursor.execute(
        "SELECT d.id, d.level_id, d.number, d.kind, d.rough, d.head, r.line, r.seal, r.paint"
        " FROM drawings d LEFT JOIN revisions r ON r.id = d.head WHERE d.level_id = %s ORDER BY d.number",
        (level_id,),
    )
    return list(cursor.fetchall())


def exposures(cursor: Cursor, level_id: int) -> dict[int, int]:
    """frame -> drawing id where a drawing starts."""
    cursor.execute("SELECT frame, drawing_id FROM exposures WHERE level_id = %s ORDER BY frame", (level_id,))
    return {int(row["frame"]): int(row["drawing_id"]) for row in cursor.fetchall()}


def set_exposures(cursor: Cursor, level_id: int, starts: Mapping[int, int]) -> None:
    """Replaces the exposures of a level: frame -> drawing id."""
    cursor.execute("DELETE FROM exposures WHERE level_id = %s", (level_id,))
    cursor.executemany(
        "INSERT INTO exposures (level_id, frame, drawing_id) VALUES (%s, %s, %s)",
        [(level_id, frame, drawing) for frame, drawing in starts.items()],
    )


def set_kind(cursor: Cursor, drawing_id: int, kind: str) -> None:
    """Marks a drawing as key, breakdown or inbetween."""
    cursor.execute("UPDATE drawings SET kind = %s WHERE id = %s", (kind, drawing_id))


def step_done(cursor: Cursor, name: str) -> bool:
    """Whether a step that is done once was done."""
    cursor.execute("SELECT 1 FROM steps WHERE name = %s", (name,))
    return cursor.fetchone() is not None


def mark_step(cursor: Cursor, name: str) -> None:
    """Remembers a step that is done once, with whatever else its transaction does."""
    cursor.execute("INSERT IGNORE INTO steps (name) VALUES (%s)", (name,))


def set_reading(cursor: Cursor, level_id: int, reading: Mapping[str, Any]) -> None:
    """Keeps how the roughs of a level are to be read."""
    cursor.execute("UPDATE levels SET reading = %s WHERE id = %s", (json.dumps(dict(reading)), level_id))


def set_key(cursor: Cursor, level_id: int, key_id: int | None) -> None:
    """Chooses the colour key a level is seen in."""
    cursor.execute("UPDATE levels SET key_id = %s WHERE id = %s", (key_id, level_id))


def set_model(cursor: Cursor, level_id: int, model_id: int, key_id: int | None) -> None:
    """Gives a level its model and colour key."""
    cursor.execute("UPDATE levels SET model_id = %s, key_id = %s WHERE id = %s", (model_id, key_id, level_id))


def _one(cursor: Cursor, missing: str) -> Row:
    row = cursor.fetchone()
    if row is None:
        raise NotFound(missing)
    return row
