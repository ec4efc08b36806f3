"""Models: their pictures, pots and colour keys."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Literal

import pymysql

from ..errors import NotFound, Refusal
from .pool import Cursor, Row

Tone = Literal["colour", "shade", "light", "line"]

TONES: tuple[Tone, ...] = ("shade", "light", "line")
"""What a pot looks like in a key beside its base."""


def create(cursor: Cursor, production_id: int, name: str, line_width: float = 4.0) -> int:
    """A new model without pots. Raises Refusal if the name is taken."""
    try:
        cursor.execute(
            "INSERT INTO models (production_id, name, line_width) VALUES (%s, %s, %s)",
            (production_id, name, line_width),
        )
    except pymysql.IntegrityError as error:
        raise Refusal(f"There is a model called “{name}” in this production; choose another name") from error
    return int(cursor.lastrowid)


def listing(cursor: Cursor) -> list[Row]:
    """All models, with how many pots each has."""
    cursor.execute(
        "SELECT m.id, m.production_id, m.name, COUNT(p.id) AS pots FROM models m"
        " LEFT JOIN pots p ON p.model_id = m.id AND p.alive GROUP BY m.id ORDER BY m.id"
    )
    return list(cursor.fetchall())


def model(cursor: Cursor, model_id: int) -> Row:
    """A model with `pictures`, `pots` and `keys`. Raises NotFound.

    pots: `id`, `name`, `part`, `opacity` 1..100 %, and what the model expects of a whole figure: `expected` patches
    and `share` 0..1 of the painted area, None if nothing is said. Each key has `colours`, pot id -> "#rrggbb", and
    `tones`, pot id -> those of `shade`, `light` and `line` that are chosen. line_rule: the fields of `core.strokes.LineRule`. measures: part -> what the model says of it.
    """
    cursor.execute(
        "SELECT id, production_id, name, line_width, line_rule, measures FROM models WHERE id = %s",
        (model_id,),
    )
    found = cursor.fetchone()
    if found is None:
        raise NotFound("This model is not there any more")
    width = float(found["line_width"])
    plain = {"outline": width, "inner": width, "detail": width, "taper": 0.0, "corner": "round"}
    found["line_rule"] = {**plain, **json.loads(found["line_rule"] or "{}")}
    found["line_width"] = found["line_rule"]["outline"]
    found["measures"] = json.loads(found["measures"] or "{}")
    cursor.execute(
        "SELECT id, caption, sha256 FROM model_pictures WHERE model_id = %s ORDER BY position, id",
        (model_id,),
    )
    found["pictures"] = list(cursor.fetchall())
    cursor.execute(
        "SELECT id, name, part, opacity, expected, share FROM pots WHERE model_id = %s AND alive"
        " ORDER BY position, id",
        (model_id,),
    )
    found["pots"] = list(cursor.fetchall())
    cursor.execute(
        "SELECT id, name, ink, backdrop, picture FROM colour_keys WHERE model_id = %s ORDER BY position, id",
        (model_id,),
    )
    found["keys"] = list(cursor.fetchall())
    for key in found["keys"]:
        cursor.execute(
            "SELECT c.pot_id, c.colour, c.shade, c.light, c.line FROM key_colours c"
            " JOIN pots p ON p.id = c.pot_id WHERE c.key_id = %s AND p.alive",
            (key["id"],),
        )
        rows = list(cursor.fetchall())
        key["colours"] = {int(row["pot_id"]): row["colour"] for row in rows}
        key["tones"] = {
            int(row["pot_id"]): chosen for row in rows if (chosen := {t: row[t] for t in TONES if row[t]})
        }
    return found


def set_line_rule(cursor: Cursor, model_id: int, rule: Mapping[str, Any]) -> None:
    """Changes the weights lines have by the model."""
    cursor.execute("UPDATE models SET line_rule = %s WHERE id = %s", (json.dumps(dict(rule)), model_id))


def set_measures(cursor: Cursor, model_id: int, part: str, measures: Mapping[str, Any] | None) -> None:
    """Says what a part of the model measures; None forgets it. Raises NotFound."""
    known = model(cursor, model_id)["measures"]
    known.pop(part, None)
    if measures is not None:
        known[part] = dict(measures)
    cursor.execute("UPDATE models SET measures = %s WHERE id = %s", (json.dumps(known), model_id))


def add_picture(cursor: Cursor, model_id: int, caption: str, sha256: str) -> None:
    """Adds a sheet picture at the end."""
    cursor.execute(
        "INSERT INTO model_pictures (model_id, position, caption, sha256)"
        " SELECT %s, COALESCE(MAX(position), 0) + 1, %s, %s FROM model_pictures WHERE model_id = %s",
        (model_id, caption, sha256, model_id),
    )


def add_pot(cursor: Cursor, model_id: int, name: str, colour: str, part: str = "") -> int:
    """A new pot, with one colour in all keys of the model. Raises Refusal if the name is taken."""
    try:
        cursor.execute(
            "INSERT INTO pots (model_id, name, part, position)"
            " SELECT %s, %s, %s, COALESCE(MAX(position), 0) + 1 FROM pots WHERE model_id = %s",
            (model_id, name, part, model_id),
        )
    except pymysql.IntegrityError as error:
        raise Refusal(f"This model has a pot called “{name}” already; choose another name") from error
    pot_id = int(cursor.lastrowid)
    cursor.execute(
        "INSERT INTO key_colours (key_id, pot_id, colour) SELECT id, %s, %s FROM colour_keys WHERE model_id = %s",
        (pot_id, colour, model_id),
    )
    return pot_id


def rename_pot(cursor: Cursor, model_id: int, pot_id: int, name: str) -> None:
    """Raises Refusal if the name is taken, NotFound if the pot is not there."""
    try:
        cursor.execute("UPDATE pots SET name = %s WHERE id = %s AND model_id = %s", (name, pot_id, model_id))
    except pymysql.IntegrityError as error:
        raise Refusal(f"This model has a pot called “{name}” already; choose another name") from error
    _has_pot(cursor, model_id, pot_id)


def describe_pot(cursor: Cursor, model_id: int, pot_id: int, about: Mapping[str, Any]) -> None:
    """Changes some of `part`, `opacity`, `expected` and `share` of a pot. Raises NotFound."""
    _has_pot(cursor, model_id, pot_id)
    for name in sorted(about.keys() & {"part", "opacity", "expected", "share"}):
        cursor.execute(f"UPDATE pots SET {name} = %s WHERE id = %s", (about[name], pot_id))


def order_pots(cursor: Cursor, model_id: int, pot_ids: Sequence[int]) -> None:
    """Puts the pots in this order. Raises Refusal unless they are just the model's pots."""
    cursor.execute("SELECT id FROM pots WHERE model_id = %s AND alive", (model_id,))
    if sorted(int(row["id"]) for row in cursor.fetchall()) != sorted(pot_ids):
        raise Refusal("The pots have changed meanwhile; open the page again")
    cursor.executemany(
        "UPDATE pots SET position = %s WHERE id = %s", [(k, pot) for k, pot in enumerate(pot_ids, 1)]
    )


def delete_pot(cursor: Cursor, model_id: int, pot_id: int) -> None:
    """Takes a pot out of the model and its keys; its colours are kept for `bring_back`. Raises NotFound."""
    _has_pot(cursor, model_id, pot_id)
    cursor.execute("UPDATE pots SET alive = NULL WHERE id = %s", (pot_id,))


def bring_back(cursor: Cursor, pot_ids: Iterable[int]) -> list[str]:
    """Pots that were taken out are in their models again, under another name if theirs is taken. Returns the names."""
    names = []
    for pot_id in sorted(set(pot_ids)):
        cursor.execute(
            "SELECT model_id, name FROM pots WHERE id = %s AND alive IS NULL FOR UPDATE", (pot_id,)
        )
        gone = cursor.fetchone()
        if gone is None:
            continue
        cursor.execute("SELECT name FROM pots WHERE model_id = %s AND alive", (gone["model_id"],))
        taken = {row["name"].casefold() for row in cursor.fetchall()}
        name, number = gone["name"], 1
        while name.casefold() in taken:
            number += 1
            name = f"{gone['name'][:50]} ({number})"
        cursor.execute("UPDATE pots SET alive = TRUE, name = %s WHERE id = %s", (name, pot_id))
        # Keys made meanwhile do not know it yet.
        cursor.execute(
            "INSERT IGNORE INTO key_colours (key_id, pot_id, colour) SELECT k.id, %s, COALESCE((SELECT MIN(c.colour)"
            " FROM key_colours c WHERE c.pot_id = %s), '#808080') FROM colour_keys k WHERE k.model_id = %s",
            (pot_id, pot_id, gone["model_id"]),
        )
        names.append(name)
    return names


def levels_of(cursor: Cursor, model_id: int) -> list[Row]:
    """The levels painted against a model: `level_id`, `shot`."""
    cursor.execute(
        "SELECT l.id AS level_id, s.name AS shot FROM levels l JOIN shots s ON s.id = l.shot_id"
        " WHERE l.model_id = %s ORDER BY s.id, l.position",
        (model_id,),
    )
    return list(cursor.fetchall())


def _has_pot(cursor: Cursor, model_id: int, pot_id: int) -> None:
    cursor.execute("SELECT 1 FROM pots WHERE id = %s AND model_id = %s AND alive", (pot_id, model_id))
    if cursor.fetchone() is None:
        raise NotFound("This pot is not in the model any more")


def add_key(
    cursor: Cursor, model_id: int, name: str, ink: str, backdrop: str, colours: Mapping[int, str]
) -> int:
    """A new colour key. Raises Refusal if the name is taken."""
    try:
        cursor.execute(
            "INSERT INTO colour_keys (model_id, name, position, ink, backdrop)"
            " SELECT %s, %s, COALESCE(MAX(position), 0) + 1, %s, %s FROM colour_keys WHERE model_id = %s",
            (model_id, name, ink, backdrop, model_id),
        )
    except pymysql.IntegrityError as error:
        raise Refusal(f"This model has a colour key called “{name}” already; choose another name") from error
    key_id = int(cursor.lastrowid)
    cursor.executemany(
        "INSERT INTO key_colours (key_id, pot_id, colour) VALUES (%s, %s, %s)",
        [(key_id, pot, colour) for pot, colour in colours.items()],
    )
    return key_id


def set_colour(cursor: Cursor, key_id: int, pot_id: int, colour: str | None, tone: Tone = "colour") -> None:
    """Changes what a pot looks like in a key. None takes a tone away. Raises NotFound if the pot or key is not of one
    model."""
    cursor.execute(
        "SELECT 1 FROM colour_keys k JOIN pots p ON p.model_id = k.model_id WHERE k.id = %s AND p.id = %s AND p.alive",
        (key_id, pot_id),
    )
    if cursor.fetchone() is None:
        raise NotFound("This pot is not in that colour key any more")
    if tone == "colour":
        cursor.execute(
            "INSERT INTO key_colours (key_id, pot_id, colour) VALUES (%s, %s, %s)"
            " ON DUPLICATE KEY UPDATE colour = VALUES(colour)",
            (key_id, pot_id, colour),
        )
        return
    cursor.execute(
        f"INSERT INTO key_colours (key_id, pot_id, colour, {tone}) VALUES (%s, %s, '#808080', %s)"
        f" ON DUPLICATE KEY UPDATE {tone} = VALUES({tone})",
        (key_id, pot_id, colour),
    )


def set_key_picture(cursor: Cursor, key_id: int, sha256: str) -> None:
    """Remembers the picture a key was read from."""
    cursor.execute("UPDATE colour_keys SET picture = %s WHERE id = %s", (sha256, key_id))
