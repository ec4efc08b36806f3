"""Productions with their shots, levels, drawings and exposures."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any, cast

import pymysql
from pydantic import TypeAdapter

from ..core.exposure import Again
from ..core.finish import Entry
from ..errors import NotFound, Refusal
from .documents import with_parts
from .pool import Cursor, Row
from .rows import DrawingRow, LevelRow, ShotRow
from .states import KeyChange, Label, Level, LevelKind, Note, Place, Retaken, Stack, Starts, Time, lies

DUPLICATE = 1062


_ENTRIES: TypeAdapter[tuple[Entry, ...]] = TypeAdapter(tuple[Entry, ...])
"""Reads the finish of a level."""


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
    drawings: Sequence[tuple[int | str, str, str | None]],
    starts: Mapping[int, int | str],
    frames: int,
) -> None:
    """Puts the drawings of its first level into a new shot, which takes its size and length from them."""
    set_size(cursor, shot_id, size, frames)
    fill_level(cursor, level_id, drawings, starts)


def fill_level(
    cursor: Cursor,
    level_id: int,
    drawings: Sequence[tuple[int | str, str, str | None]],
    starts: Mapping[int, int | str],
) -> None:
    """Puts drawings (number, kind, picture) into an empty level; starts: frame -> number of its drawing."""
    cursor.executemany(
        "INSERT INTO drawings (level_id, number, kind, rough) VALUES (%s, %s, %s, %s)",
        [(level_id, *drawing) for drawing in drawings],
    )
    cursor.executemany(
        "INSERT INTO exposures (level_id, frame, drawing_id)"
        " SELECT %s, %s, id FROM drawings WHERE level_id = %s AND number = %s AND alive",
        [(level_id, frame, level_id, str(number)) for frame, number in starts.items()],
    )


def shots(cursor: Cursor) -> list[Row]:
    """All shots with their first level, for the shelf; colour_tag changes with the colours they are seen in."""
    cursor.execute(
        "SELECT s.id, s.production_id, s.name, s.fps, s.width, s.height, s.frames, s.away, l.id AS level_id, l.model_id,"
        " (SELECT COALESCE(BIT_XOR(CRC32(CONCAT(k.key_id, k.pot_id, k.colour))), 0) FROM key_colours k"
        " WHERE k.key_id = l.key_id) AS colour_tag"
        " FROM shots s JOIN levels l ON l.id = (SELECT f.id FROM levels f WHERE f.shot_id = s.id"
        " AND NOT f.aside ORDER BY f.id LIMIT 1) ORDER BY s.id"
    )
    return list(cursor.fetchall())


_TOLD = {
    "levels": "SELECT shot_id, CONCAT_WS('|', id, name, position, COALESCE(model_id, '-'), COALESCE(key_id, '-'), kind, locked,"
    " aside, COALESCE(seen, '-'), COALESCE(place, '-'), COALESCE(light, '-'), COALESCE(key_light, '-'), COALESCE(finish, '-'),"
    " COALESCE(key_changes, '-'), COALESCE(waved, '-')) AS told FROM levels",
    "drawings": "SELECT l.shot_id, CONCAT_WS('|', d.id, d.level_id, d.number, d.kind, COALESCE(d.rough, '-'), COALESCE(d.head, '-'),"
    " COALESCE(d.alive, '-')) AS told FROM drawings d JOIN levels l ON l.id = d.level_id",
    "exposures": "SELECT l.shot_id, CONCAT_WS('|', e.level_id, e.frame, COALESCE(e.drawing_id, '-'), COALESCE(e.again, '-')) AS told"
    " FROM exposures e JOIN levels l ON l.id = e.level_id",
    "depths": "SELECT l.shot_id, CONCAT_WS('|', d.level_id, d.drawing_id, d.parts) AS told FROM depths d JOIN levels l ON l.id = d.level_id",
    "findings": "SELECT l.shot_id, CONCAT_WS('|', f.level_id, f.made_from, f.found) AS told"
    " FROM findings f JOIN levels l ON l.id = f.level_id",
    "shots": "SELECT id AS shot_id, CONCAT_WS('|', fps, width, height, frames, COALESCE(framing, '-')) AS told FROM shots",
}
"""What the card of a shot on the shelf is made from, table by table."""


def stamps(cursor: Cursor) -> dict[int, str]:
    """shot -> a text that changes with everything its card on the shelf shows but the colours of its key."""
    found: dict[int, str] = {}
    for told in _TOLD.values():
        cursor.execute(
            f"SELECT shot_id, COUNT(*) AS many, SUM(CRC32(told)) AS one, BIT_XOR(CRC32(REVERSE(told))) AS other"
            f" FROM ({told}) AS told GROUP BY shot_id"
        )
        for row in cursor.fetchall():
            own = f"{row['many']}.{row['one']}.{row['other']}"
            found[row["shot_id"]] = f"{found.get(row['shot_id'], '')} {own}"
        # A table with nothing of a shot counts as well.
        found = {shot_id: f"{stamp}/" for shot_id, stamp in found.items()}
    return found


def rename_shot(cursor: Cursor, shot_id: int, name: str) -> None:
    """Another name for a shot. Raises Refusal if it is taken, NotFound."""
    shot(cursor, shot_id)
    try:
        cursor.execute("UPDATE shots SET name = %s WHERE id = %s", (name, shot_id))
    except pymysql.IntegrityError as error:
        raise Refusal(f"This production has a shot called “{name}” already; choose another name") from error


def put_shot_away(cursor: Cursor, shot_id: int, away: bool) -> None:
    """Puts a shot away with all it holds, or brings it back. Raises NotFound."""
    shot(cursor, shot_id)
    cursor.execute("UPDATE shots SET away = %s WHERE id = %s", (away, shot_id))


def shot(cursor: Cursor, shot_id: int, level_id: int | None = None) -> ShotRow:
    """A shot with its production's name and one of its levels, by default the first made that is not put aside,
    of those with drawings if there are any.

    Raises NotFound.
    """
    cursor.execute(
        "SELECT s.*, p.name AS production, l.id AS level_id, l.name AS level, l.model_id, l.key_id, l.reading, l.locked, l.kind, l.seen, l.finish, l.key_changes,"
        " l.aside FROM shots s JOIN productions p ON p.id = s.production_id JOIN levels l ON l.shot_id = s.id"
        " WHERE s.id = %s AND (l.id = %s OR %s IS NULL AND NOT l.aside)"
        " ORDER BY l.kind <> 'drawings', l.id LIMIT 1",
        (shot_id, level_id, level_id),
    )
    row = _one(cursor, "This shot or its level is not there any more")
    row["fps"] = float(row["fps"])
    row["reading"] = json.loads(row["reading"] or "{}")
    row["locked"], row["aside"] = bool(row["locked"]), bool(row["aside"])
    row["finish"] = _ENTRIES.validate_json(row["finish"] or "[]")
    changes = json.loads(row["key_changes"] or "{}")
    row["key_changes"] = {int(frame): KeyChange(**change) for frame, change in changes.items()}
    row |= {"opacity": 100, "visible": True, "tint": None, **json.loads(row.pop("seen") or "{}")}
    row["paper"] = tuple(row.get("paper") or (int(row["width"]), int(row["height"])))
    row["lies"] = lies(row["kind"], row.pop("lay", None))
    return cast(ShotRow, row)


def shot_of_level(cursor: Cursor, level_id: int) -> ShotRow:
    """The shot a level belongs to, seen with that level. Raises NotFound."""
    cursor.execute("SELECT shot_id FROM levels WHERE id = %s", (level_id,))
    return shot(cursor, int(_one(cursor, "This level is not there any more")["shot_id"]), level_id)


def link(cursor: Cursor, level_id: int, linked: bool, copies: Mapping[int, int]) -> None:
    """Makes copies of a level's drawings the same as these: drawing -> its copy. linked: whether the level is a copy itself."""
    if not linked:
        cursor.execute("UPDATE drawings SET twin = id WHERE level_id = %s", (level_id,))
    cursor.executemany(
        "UPDATE drawings c JOIN drawings d ON d.id = %s SET c.twin = d.twin WHERE c.id = %s",
        list(copies.items()),
    )


def picture_sizes(cursor: Cursor, level_id: int) -> set[tuple[int, int]]:
    """Sizes (width, height) of the pictures of a level's drawings, px."""
    cursor.execute(
        "SELECT DISTINCT p.width, p.height FROM drawings d JOIN pictures p ON p.sha256 = d.rough WHERE d.level_id = %s",
        (level_id,),
    )
    return {(int(row["width"]), int(row["height"])) for row in cursor.fetchall()}


def levels(cursor: Cursor, shot_id: int, aside: bool = False) -> list[LevelRow]:
    """The levels of a shot from rear to front: `id`, `name`, `model_id`, `key_id`, `locked`.

    aside: those that were put aside instead.
    """
    cursor.execute(
        "SELECT id, name, model_id, key_id, locked, kind FROM levels WHERE shot_id = %s AND aside = %s"
        " ORDER BY position, id",
        (shot_id, aside),
    )
    found = list(cursor.fetchall())
    for row in found:
        row["locked"] = bool(row["locked"])
    return cast(list[LevelRow], found)


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


def drawings(cursor: Cursor, level_id: int) -> list[DrawingRow]:
    """The drawings of a level in order, with the documents of their present revision."""
    cursor.execute(
        "SELECT d.id, d.level_id, d.number, d.kind, COALESCE(d.rough, '') AS rough, d.head, d.meant, d.was, d.looked, r.parts"
        " FROM drawings d LEFT JOIN revisions r ON r.id = d.head WHERE d.level_id = %s AND d.alive"
        " ORDER BY d.number + 0, d.number",
        (level_id,),
    )
    return [with_parts(row) for row in cursor.fetchall()]


def out_of_run(cursor: Cursor, level_id: int) -> dict[int, str]:
    """Drawings of a level that were taken out of its run with something on them: id -> the number they had."""
    cursor.execute(
        "SELECT id, number FROM drawings WHERE level_id = %s AND alive IS NULL AND (rough IS NOT NULL OR head IS NOT NULL)"
        " ORDER BY number + 0, number, id",
        (level_id,),
    )
    return {int(row["id"]): row["number"] for row in cursor.fetchall()}


def painted_elsewhere(cursor: Cursor, model_id: int, level_id: int, most: int) -> list[DrawingRow]:
    """Key drawings with paint in other levels that show a model, the newest of each level first, at most so many."""
    cursor.execute(
        "SELECT d.id, d.level_id, d.number, d.kind, COALESCE(d.rough, '') AS rough, d.head, d.meant, d.was, d.looked, r.parts,"
        " ROW_NUMBER() OVER (PARTITION BY d.level_id ORDER BY d.id DESC) AS place"
        " FROM drawings d JOIN revisions r ON r.id = d.head JOIN levels l ON l.id = d.level_id"
        " WHERE l.model_id = %s AND l.id <> %s AND NOT l.aside AND d.kind = 'key' AND d.alive"
        " AND JSON_VALUE(r.parts, '$.paint') IS NOT NULL ORDER BY place, d.id DESC LIMIT %s",
        (model_id, level_id, most),
    )
    return [with_parts(row) for row in cursor.fetchall()]


def exposures(cursor: Cursor, level_id: int) -> Starts:
    """frame -> id of the drawing that starts there, None for nothing, or Again."""
    cursor.execute(
        "SELECT frame, drawing_id, again FROM exposures WHERE level_id = %s ORDER BY frame", (level_id,)
    )
    return {
        int(row["frame"]): Again(int(row["again"])) if row["again"] is not None else row["drawing_id"]
        for row in cursor.fetchall()
    }


def time_of(cursor: Cursor, shot_id: int) -> Time:
    """The time of a shot: its length, its rate, the sheets of all its levels and the marks of their drawings."""
    own = shot(cursor, shot_id)
    cursor.execute("SELECT id FROM levels WHERE shot_id = %s ORDER BY id", (shot_id,))
    levels = [int(row["id"]) for row in cursor.fetchall()]
    cursor.execute(
        "SELECT d.id, d.kind, d.number, d.meant, d.label, d.was, COALESCE(d.rough, '') AS rough, d.looked FROM drawings d JOIN levels l ON l.id = d.level_id"
        " WHERE l.shot_id = %s AND d.alive ORDER BY d.id",
        (shot_id,),
    )
    rows = list(cursor.fetchall())
    return Time(
        frames=own["frames"],
        fps=own["fps"],
        levels={level: exposures(cursor, level) for level in levels},
        marks={int(row["id"]): row["kind"] for row in rows},
        numbers={int(row["id"]): row["number"] for row in rows},
        numbering=own["numbering"],
        meant=tuple(int(row["id"]) for row in rows if row["meant"]),
        roughs={
            int(row["id"]): Retaken(was=row["was"], now=row["rough"], looked=bool(row["looked"]))
            for row in rows
            if row["was"]
        },
        notes=_notes(cursor, shot_id),
        labels={int(row["id"]): Label(**json.loads(row["label"])) for row in rows if row["label"]},
    )


def _notes(cursor: Cursor, shot_id: int) -> dict[str, Note]:
    cursor.execute(
        "SELECT id, drawing_id AS drawing, first, last, words, picture, done, writer, drawn FROM notes WHERE shot_id = %s ORDER BY id",
        (shot_id,),
    )
    return {
        str(row.pop("id")): Note(**{**row, "drawn": json.loads(row["drawn"] or "[]")})
        for row in cursor.fetchall()
    }


def set_time(cursor: Cursor, shot_id: int, now: Time, then: Time) -> None:
    """Brings the time of a shot from `now` to `then`. Levels `then` does not name stay as they are; drawings of the others
    it does not name are taken out of the run."""
    cursor.execute(
        "UPDATE shots SET frames = %s, fps = %s, numbering = %s WHERE id = %s",
        (then.frames, then.fps, then.numbering, shot_id),
    )
    _set_run(cursor, now, then)
    for drawing in {*now.meant} ^ {*then.meant}:
        cursor.execute("UPDATE drawings SET meant = %s WHERE id = %s", (drawing in then.meant, drawing))
    for drawing in {*now.labels, *then.labels}:
        label = then.labels.get(drawing)
        if label != now.labels.get(drawing):
            written = label.model_dump_json() if label else None
            cursor.execute("UPDATE drawings SET label = %s WHERE id = %s", (written, drawing))
    for drawing in {*now.roughs, *then.roughs}:
        found = then.roughs.get(drawing)
        if found is None:
            cursor.execute(
                "UPDATE drawings SET rough = was, was = NULL, looked = TRUE WHERE id = %s", (drawing,)
            )
        elif found != now.roughs.get(drawing):
            cursor.execute(
                "UPDATE drawings SET rough = %s, was = %s, looked = %s WHERE id = %s",
                (found.now, found.was, found.looked, drawing),
            )
    for level, starts in then.levels.items():
        if starts == now.levels.get(level):
            continue
        cursor.execute("DELETE FROM exposures WHERE level_id = %s", (level,))
        cursor.executemany(
            "INSERT INTO exposures (level_id, frame, drawing_id, again) VALUES (%s, %s, %s, %s)",
            [
                (level, frame, None, what.first) if isinstance(what, Again) else (level, frame, what, None)
                for frame, what in starts.items()
            ],
        )
    cursor.executemany(
        "UPDATE drawings SET kind = %s WHERE id = %s",
        [(kind, drawing) for drawing, kind in then.marks.items() if kind != now.marks.get(drawing)],
    )
    gone = [name for name, note in now.notes.items() if then.notes.get(name) != note]
    cursor.executemany("DELETE FROM notes WHERE shot_id = %s AND id = %s", [(shot_id, name) for name in gone])
    cursor.executemany(
        "INSERT INTO notes (shot_id, id, drawing_id, first, last, words, picture, done, writer, drawn)"
        " VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
        [
            (
                shot_id,
                name,
                note.drawing,
                note.first,
                note.last,
                note.words,
                note.picture,
                note.done,
                note.writer,
                json.dumps(note.drawn) if note.drawn else None,
            )
            for name, note in then.notes.items()
            if now.notes.get(name) != note
        ],
    )


def stack_of(cursor: Cursor, shot_id: int) -> Stack:
    """The levels of a shot, those that lie aside included."""
    cursor.execute(
        "SELECT id, name, locked, aside, model_id, key_id, kind, seen, place, light, key_light, finish, key_changes, waved FROM levels"
        " WHERE shot_id = %s ORDER BY position, id",
        (shot_id,),
    )
    rows = list(cursor.fetchall())
    depths, entries = _depths(cursor, shot_id), _entries(cursor, shot_id)
    cursor.execute("SELECT framing FROM shots WHERE id = %s", (shot_id,))
    framing = json.loads(_one(cursor, "This shot is not there any more")["framing"] or "{}")
    return Stack(
        framing=framing,
        order=tuple(int(row["id"]) for row in rows if not row["aside"]),
        levels={
            int(row["id"]): Level(
                name=row["name"],
                locked=bool(row["locked"]),
                model=row["model_id"],
                key=row["key_id"],
                depth=depths.get(row["id"], {}),
                entries=entries.get(row["id"], {}),
                kind=row["kind"],
                place=Place(**json.loads(row["place"] or "{}")),
                lights=json.loads(row["light"] or "{}"),
                key_lights=json.loads(row["key_light"] or "{}"),
                finish=json.loads(row["finish"] or "[]"),
                key_changes=json.loads(row["key_changes"] or "{}"),
                waved=json.loads(row["waved"] or "[]"),
                **json.loads(row["seen"] or "{}"),
            )
            for row in rows
        },
    )


def _depths(cursor: Cursor, shot_id: int) -> dict[int, dict[int, tuple[str, ...]]]:
    """level -> drawing -> parts from front to rear from it on."""
    cursor.execute(
        "SELECT d.level_id, d.drawing_id, d.parts FROM depths d JOIN levels l ON l.id = d.level_id WHERE l.shot_id = %s",
        (shot_id,),
    )
    found: dict[int, dict[int, tuple[str, ...]]] = {}
    for row in cursor.fetchall():
        found.setdefault(row["level_id"], {})[row["drawing_id"]] = tuple(json.loads(row["parts"]))
    return found


def _entries(cursor: Cursor, shot_id: int) -> dict[int, dict[str, tuple[tuple[int, int], ...]]]:
    """level -> name -> (drawing, frames) of its run."""
    cursor.execute(
        "SELECT e.level_id, e.name, e.drawing_id, e.frames FROM set_entries e JOIN levels l ON l.id = e.level_id"
        " WHERE l.shot_id = %s ORDER BY e.level_id, e.place, e.position",
        (shot_id,),
    )
    found: dict[int, dict[str, tuple[tuple[int, int], ...]]] = {}
    for row in cursor.fetchall():
        entry = found.setdefault(row["level_id"], {})
        entry[row["name"]] = (*entry.get(row["name"], ()), (row["drawing_id"], row["frames"]))
    return found


_SEEN = {"opacity", "visible", "tint", "skips", "label", "part_labels", "paper", "lay", "linked"}
"""What of a level is kept together as how it is seen."""


def set_stack(cursor: Cursor, shot_id: int, now: Stack, then: Stack) -> None:
    """Brings the levels of a shot from `now` to `then`. A level `then` does not know is put aside.

    Raises Refusal if a name would stand twice.
    """
    names = [level.name.casefold() for level in {**now.levels, **then.levels}.values()]
    twice = next((level.name for level in then.levels.values() if names.count(level.name.casefold()) > 1), "")
    if twice:
        raise Refusal(f"This shot has a level called “{twice}” already; choose another name")
    if then.framing != now.framing:
        framing = {frame: notch.model_dump() for frame, notch in then.framing.items()}
        cursor.execute("UPDATE shots SET framing = %s WHERE id = %s", (json.dumps(framing), shot_id))
    # Out of each other's way first, so that two levels may change their names.
    renamed = [k for k, level in then.levels.items() if k in now.levels and level.name != now.levels[k].name]
    cursor.executemany("UPDATE levels SET name = CONCAT('#', id) WHERE id = %s", [(k,) for k in renamed])
    place = {level: k for k, level in enumerate(then.order, 1)}
    for k in now.levels:
        level = then.levels.get(k, now.levels[k])
        cursor.execute(
            "UPDATE levels SET name = %s, locked = %s, model_id = %s, key_id = %s, aside = %s, kind = %s, seen = %s,"
            " place = %s, light = %s, key_light = %s, finish = %s, key_changes = %s, waved = %s, position = COALESCE(%s, position) WHERE id = %s AND shot_id = %s",
            (
                level.name,
                level.locked,
                level.model,
                level.key,
                k not in place,
                level.kind,
                json.dumps(level.model_dump(include=_SEEN)),
                json.dumps(level.place.model_dump()),
                json.dumps(level.model_dump()["lights"]),
                json.dumps(level.model_dump()["key_lights"]),
                json.dumps([entry.model_dump() for entry in level.finish]),
                json.dumps(level.model_dump()["key_changes"]),
                json.dumps(level.model_dump()["waved"]),
                place.get(k),
                k,
                shot_id,
            ),
        )
        if level.entries != now.levels[k].entries or list(level.entries) != list(now.levels[k].entries):
            cursor.execute("DELETE FROM set_entries WHERE level_id = %s", (k,))
            cursor.executemany(
                "INSERT INTO set_entries (level_id, name, place, position, drawing_id, frames)"
                " VALUES (%s, %s, %s, %s, %s, %s)",
                [
                    (k, name, place_of_entry, position, drawing, frames)
                    for place_of_entry, (name, run) in enumerate(level.entries.items())
                    for position, (drawing, frames) in enumerate(run)
                ],
            )
        if level.depth != now.levels[k].depth:
            cursor.execute("DELETE FROM depths WHERE level_id = %s", (k,))
            cursor.executemany(
                "INSERT INTO depths (level_id, drawing_id, parts) VALUES (%s, %s, %s)",
                [(k, drawing, json.dumps(parts)) for drawing, parts in level.depth.items()],
            )


def _set_run(cursor: Cursor, now: Time, then: Time) -> None:
    """Which drawings are in the run, and what is written on them."""
    numbers = {**{d: now.numbers[d] for d in then.marks if d in now.numbers}, **then.numbers}
    gone = [d for d in now.marks if d not in then.marks]
    if gone and then.levels:
        marks = ", ".join(["%s"] * len(then.levels))
        cursor.executemany(
            f"UPDATE drawings SET alive = NULL WHERE id = %s AND level_id IN ({marks})",
            [(d, *then.levels) for d in gone],
        )
    changed = [d for d in then.marks if d not in now.marks or numbers.get(d) != now.numbers.get(d)]
    # Out of each other's way first, so that two may change their numbers.
    cursor.executemany("UPDATE drawings SET alive = NULL WHERE id = %s", [(d,) for d in changed])
    cursor.executemany(
        "UPDATE drawings SET alive = TRUE, number = COALESCE(%s, number) WHERE id = %s",
        [(numbers.get(d), d) for d in changed],
    )


def new_drawing(cursor: Cursor, level_id: int, like: int | None = None) -> int:
    """The id of a drawing that is in no document yet. like: one whose rough it has; none for an empty sheet."""
    cursor.execute(
        "INSERT INTO drawings (level_id, number, kind, rough, alive)"
        " VALUES (%s, '0', 'inbetween', (SELECT s.rough FROM drawings s WHERE s.id = %s), NULL)",
        (level_id, like),
    )
    return int(cursor.lastrowid)


def step_done(cursor: Cursor, name: str) -> bool:
    """Whether a step that is done once was done."""
    cursor.execute("SELECT 1 FROM steps WHERE name = %s", (name,))
    return cursor.fetchone() is not None


def mark_step(cursor: Cursor, name: str) -> None:
    """Remembers a step that is done once, with whatever else its transaction does."""
    cursor.execute("INSERT IGNORE INTO steps (name) VALUES (%s)", (name,))


def set_size(cursor: Cursor, shot_id: int, size: tuple[int, int], frames: int) -> None:
    """The size in px and the length of a new shot."""
    cursor.execute(
        "UPDATE shots SET width = %s, height = %s, frames = %s WHERE id = %s", (*size, frames, shot_id)
    )


def set_purpose(
    cursor: Cursor, level_id: int, kind: LevelKind, locked: bool, seen: Mapping[str, Any]
) -> None:
    """What a new level is for, and how it is seen."""
    cursor.execute(
        "UPDATE levels SET kind = %s, locked = %s, seen = %s WHERE id = %s",
        (kind, locked, json.dumps(dict(seen)), level_id),
    )


def set_reading(cursor: Cursor, level_id: int, reading: Mapping[str, Any]) -> None:
    """Keeps how the roughs of a level are to be read."""
    cursor.execute("UPDATE levels SET reading = %s WHERE id = %s", (json.dumps(dict(reading)), level_id))


def _one(cursor: Cursor, missing: str) -> Row:
    row = cursor.fetchone()
    if row is None:
        raise NotFound(missing)
    return row
