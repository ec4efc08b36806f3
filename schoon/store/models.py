"""Models: their pictures, pots and colour keys."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Literal, cast

import pymysql

from ..errors import NotFound, Refusal
from .pool import Cursor, Row
from .rows import ModelRow
from .states import ColourKey, Model, Pot, Rule, SheetPicture, Tones

Tone = Literal["colour", "shade", "deep", "light", "rim", "blush", "reflection", "line"]

TONES: tuple[Tone, ...] = ("shade", "deep", "light", "rim", "blush", "reflection", "line")
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


def model(cursor: Cursor, model_id: int) -> ModelRow:
    """A model with `pictures`, `pots` and `keys`. Raises NotFound.

    pots: `id`, `name`, `part`, `opacity` 1..100 %, and what the model expects of a whole figure: `expected` patches
    and `share` 0..1 of the painted area, None if nothing is said. Each key has `colours`, pot id -> "#rrggbb", and
    `tones`, pot id -> those of `TONES` that are chosen, and `rules`, kind of tone -> `how` and `by` (`core.look.ToneRule`). line_rule: the fields of `core.strokes.LineRule`. measures: part -> what the model says of it.
    """
    cursor.execute(
        "SELECT id, production_id, name, line_width, line_rule, measures, depth FROM models WHERE id = %s",
        (model_id,),
    )
    found = cursor.fetchone()
    if found is None:
        raise NotFound("This model is not there any more")
    width = float(found["line_width"])
    plain = {
        "outline": width,
        "inner": width,
        "detail": width,
        "taper": 0.0,
        "corner": "round",
        "swell": 0.0,
        "thinnest": 0.5,
        "thickest": 1.6,
    }
    found["line_rule"] = {**plain, **json.loads(found["line_rule"] or "{}")}
    found["line_width"] = found["line_rule"]["outline"]
    found["measures"] = json.loads(found["measures"] or "{}")
    found["depth"] = tuple(json.loads(found["depth"] or "[]"))
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
        "SELECT id, name, ink, backdrop, picture, rules FROM colour_keys WHERE model_id = %s AND alive ORDER BY position, id",
        (model_id,),
    )
    found["keys"] = list(cursor.fetchall())
    for key in found["keys"]:
        key["rules"] = json.loads(key["rules"] or "{}")
        cursor.execute(
            f"SELECT c.pot_id, c.colour, {', '.join(f'c.{tone}' for tone in TONES)} FROM key_colours c"
            " JOIN pots p ON p.id = c.pot_id WHERE c.key_id = %s AND p.alive",
            (key["id"],),
        )
        rows = list(cursor.fetchall())
        key["colours"] = {int(row["pot_id"]): row["colour"] for row in rows}
        key["tones"] = {
            int(row["pot_id"]): chosen for row in rows if (chosen := {t: row[t] for t in TONES if row[t]})
        }
    return cast(ModelRow, found)


def parts_of(model: ModelRow | None) -> dict[int, str]:
    """pot -> the part it belongs to, of the pots of a model that belong to one; none without a model."""
    return {pot["id"]: pot["part"] for pot in model["pots"] if pot["part"]} if model else {}


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


def levels_of(cursor: Cursor, model_id: int) -> list[Row]:
    """The levels painted against a model: `level_id`, `shot`."""
    cursor.execute(
        "SELECT l.id AS level_id, s.name AS shot FROM levels l JOIN shots s ON s.id = l.shot_id"
        " WHERE l.model_id = %s ORDER BY s.id, l.position",
        (model_id,),
    )
    return list(cursor.fetchall())


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


def new_pot(cursor: Cursor, model_id: int) -> int:
    """The id of a pot that is in no document yet."""
    cursor.execute("INSERT INTO pots (model_id, name, position, alive) VALUES (%s, '', 0, NULL)", (model_id,))
    return int(cursor.lastrowid)


def new_key(cursor: Cursor, model_id: int) -> int:
    """The id of a colour key that is in no document yet."""
    cursor.execute(
        "INSERT INTO colour_keys (model_id, name, position, ink, backdrop, alive)"
        " VALUES (%s, '', 0, '#000000', '#ffffff', NULL)",
        (model_id,),
    )
    return int(cursor.lastrowid)


def pots_by_id(cursor: Cursor, pot_ids: Iterable[int]) -> dict[int, Row]:
    """id -> `model_id`, `name`, `alive` of pots, those that were taken out included."""
    wanted = sorted(set(pot_ids))
    if not wanted:
        return {}
    marks = ", ".join(["%s"] * len(wanted))
    cursor.execute(f"SELECT id, model_id, name, alive FROM pots WHERE id IN ({marks})", wanted)
    return {int(row["id"]): row for row in cursor.fetchall()}


def colours_of(cursor: Cursor, pot_id: int) -> dict[int, str]:
    """key -> the colour a pot has in it, or had when it was taken out."""
    cursor.execute("SELECT key_id, colour FROM key_colours WHERE pot_id = %s", (pot_id,))
    return {int(row["key_id"]): row["colour"] for row in cursor.fetchall()}


def state_of(cursor: Cursor, model_id: int) -> Model:
    """A model as a document. Raises NotFound."""
    found = model(cursor, model_id)
    return Model(
        pots=tuple(Pot(**pot) for pot in found["pots"]),
        keys=tuple(
            ColourKey(
                id=key["id"], name=key["name"], ink=key["ink"], backdrop=key["backdrop"], picture=key["picture"],
                colours=key["colours"], tones={pot: Tones(**tones) for pot, tones in key["tones"].items()},
                rules={kind: Rule(**rule) for kind, rule in key["rules"].items()},
            )
            for key in found["keys"]
        ),
        rule=found["line_rule"],
        measures=found["measures"],
        pictures=tuple(SheetPicture(caption=p["caption"], sha256=p["sha256"]) for p in found["pictures"]),
        depth=found["depth"],
    )  # fmt: skip


def set_state(cursor: Cursor, model_id: int, now: Model, then: Model) -> None:
    """Brings a model from `now` to `then`. Pots and keys `then` does not know are taken out; their colours are kept.

    Raises Refusal if a name would stand twice.
    """
    _refuse_twice([pot.name for pot in then.pots], "pot")
    _refuse_twice([key.name for key in then.keys], "colour key")
    if (then.rule, then.measures, then.depth) != (now.rule, now.measures, now.depth):
        cursor.execute(
            "UPDATE models SET line_rule = %s, measures = %s, depth = %s WHERE id = %s",
            (json.dumps(then.rule), json.dumps(then.measures), json.dumps(then.depth), model_id),
        )
    if then.pictures != now.pictures:
        cursor.execute("DELETE FROM model_pictures WHERE model_id = %s", (model_id,))
        cursor.executemany(
            "INSERT INTO model_pictures (model_id, position, caption, sha256) VALUES (%s, %s, %s, %s)",
            [(model_id, k, p.caption, p.sha256) for k, p in enumerate(then.pictures, 1)],
        )
    if then.pots != now.pots:
        cursor.execute("UPDATE pots SET alive = NULL WHERE model_id = %s", (model_id,))
        cursor.executemany(
            "UPDATE pots SET alive = TRUE, position = %s, name = %s, part = %s, opacity = %s, expected = %s, share = %s"
            " WHERE id = %s",
            [(k, p.name, p.part, p.opacity, p.expected, p.share, p.id) for k, p in enumerate(then.pots, 1)],
        )
    if then.keys != now.keys or then.pots != now.pots:
        cursor.execute("UPDATE colour_keys SET alive = NULL WHERE model_id = %s", (model_id,))
        cursor.executemany(
            "UPDATE colour_keys SET alive = TRUE, position = %s, name = %s, ink = %s, backdrop = %s, picture = %s,"
            " rules = %s WHERE id = %s",
            [
                (
                    k,
                    c.name,
                    c.ink,
                    c.backdrop,
                    c.picture,
                    json.dumps({n: r.model_dump() for n, r in c.rules.items()}),
                    c.id,
                )
                for k, c in enumerate(then.keys, 1)
            ],
        )
        none = Tones()
        cursor.executemany(
            f"INSERT INTO key_colours (key_id, pot_id, colour, {', '.join(TONES)})"
            f" VALUES (%s, %s, %s{', %s' * len(TONES)}) ON DUPLICATE KEY UPDATE colour = VALUES(colour),"
            f" {', '.join(f'{tone} = VALUES({tone})' for tone in TONES)}",
            [
                (key.id, pot, colour, *(getattr(tones, tone) for tone in TONES))
                for key in then.keys
                for pot, colour in key.colours.items()
                for tones in [key.tones.get(pot, none)]
            ],
        )


def _refuse_twice(names: Sequence[str], what: str) -> None:
    folded = [name.casefold() for name in names]
    twice = next((name for name in names if folded.count(name.casefold()) > 1), None)
    if twice is not None:
        raise Refusal(f"This model has a {what} called “{twice}” already; choose another name")
