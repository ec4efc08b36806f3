"""Rows of whole productions out of the database, and into one again under new ids."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from .pool import Cursor, Row


@dataclass(frozen=True)
class Table:
    """where: which rows belong to productions whose ids fill %s. refs: column -> table its id is of.
    later: columns that are set when all rows are in. numbered: whether rows have ids of their own. of_shot: which rows belong to
    the shot whose id fills %s; "" for what a shot shares with others.
    """

    name: str
    where: str
    refs: Mapping[str, str]
    later: tuple[str, ...] = ()
    numbered: bool = True
    of_shot: str = ""


_OF_SHOT = "level_id IN (SELECT id FROM levels WHERE shot_id = {0})"
_REVISED_OF_SHOT = f"(shot_id = {{0}} OR drawing_id IN (SELECT id FROM drawings WHERE {_OF_SHOT}))"
_MODELS = "SELECT id FROM models WHERE production_id IN ({0})"
_LEVELS = "SELECT l.id FROM levels l JOIN shots s ON s.id = l.shot_id WHERE s.production_id IN ({0})"
_DRAWINGS = f"SELECT id FROM drawings WHERE level_id IN ({_LEVELS})"
_REVISED = (
    f"(drawing_id IN ({_DRAWINGS}) OR model_id IN ({_MODELS})"
    " OR shot_id IN (SELECT id FROM shots WHERE production_id IN ({0})))"
)

TABLES = (
    Table("productions", "id IN ({0})", {}),
    Table(
        "models",
        "production_id IN ({0})",
        {"production_id": "productions", "head": "revisions"},
        later=("head",),
    ),
    Table("model_pictures", f"model_id IN ({_MODELS})", {"model_id": "models"}),
    Table("pots", f"model_id IN ({_MODELS})", {"model_id": "models"}),
    Table("props", "production_id IN ({0})", {"production_id": "productions", "model_id": "models"}),
    Table("bends", "production_id IN ({0})", {"production_id": "productions"}),
    Table("recipes", "production_id IN ({0})", {"production_id": "productions"}),
    Table("colour_keys", f"model_id IN ({_MODELS})", {"model_id": "models"}),
    Table(
        "key_colours",
        f"pot_id IN (SELECT id FROM pots WHERE model_id IN ({_MODELS}))",
        {"key_id": "colour_keys", "pot_id": "pots"},
        numbered=False,
    ),
    Table(
        "shots",
        "production_id IN ({0})",
        {"production_id": "productions", "time_head": "revisions", "stack_head": "revisions"},
        later=("time_head", "stack_head"),
        of_shot="id = {0}",
    ),
    Table(
        "levels",
        f"id IN ({_LEVELS})",
        {"shot_id": "shots", "model_id": "models", "key_id": "colour_keys"},
        of_shot="shot_id = {0}",
    ),
    Table(
        "drawings",
        f"level_id IN ({_LEVELS})",
        {"level_id": "levels", "head": "revisions", "twin": "drawings"},
        later=("head", "twin"),
        of_shot=_OF_SHOT,
    ),
    Table(
        "exposures",
        f"level_id IN ({_LEVELS})",
        {"level_id": "levels", "drawing_id": "drawings"},
        numbered=False,
        of_shot=_OF_SHOT,
    ),
    Table(
        "depths",
        f"level_id IN ({_LEVELS})",
        {"level_id": "levels", "drawing_id": "drawings"},
        numbered=False,
        of_shot=_OF_SHOT,
    ),
    Table(
        "set_entries",
        f"level_id IN ({_LEVELS})",
        {"level_id": "levels", "drawing_id": "drawings"},
        numbered=False,
        of_shot=_OF_SHOT,
    ),
    Table(
        "refs",
        f"shot_id IN (SELECT id FROM shots WHERE production_id IN ({{0}})) OR model_id IN ({_MODELS})",
        {"shot_id": "shots", "model_id": "models"},
        of_shot="shot_id = {0}",
    ),
    Table(
        "notes",
        "shot_id IN (SELECT id FROM shots WHERE production_id IN ({0}))",
        {"shot_id": "shots", "drawing_id": "drawings"},
        numbered=False,
        of_shot="shot_id = {0}",
    ),
    Table(
        "actions",
        f"id IN (SELECT action_id FROM revisions WHERE {_REVISED})",
        {},
        of_shot=f"id IN (SELECT action_id FROM revisions WHERE {_REVISED_OF_SHOT})",
    ),
    Table(
        "revisions",
        _REVISED,
        {
            "drawing_id": "drawings",
            "shot_id": "shots",
            "model_id": "models",
            "parent_id": "revisions",
            "action_id": "actions",
        },
        of_shot=_REVISED_OF_SHOT,
    ),
)
"""Everything of a production, in an order in which rows name only rows that are in already. Jobs are not kept."""

_FORGOTTEN = {"actions": {"token"}}
"""Columns that mean something in the database they come from only."""

PARTS = {"documents": (), "pictures": ("mime", "width", "height")}
"""Blobs, and what is said of each beside its bytes; documents name pictures."""


def rows_of(cursor: Cursor, table: Table, production_ids: Sequence[int]) -> list[Row]:
    """The rows of a table that belong to productions, in the order they were made."""
    return _rows(cursor, table, table.where, production_ids)


def rows_of_shot(cursor: Cursor, table: Table, shot_id: int) -> list[Row]:
    """The rows of a table that belong to a shot alone, in the order they were made."""
    return _rows(cursor, table, table.of_shot, [shot_id]) if table.of_shot else []


def _rows(cursor: Cursor, table: Table, which: str, ids: Sequence[int]) -> list[Row]:
    marks = ", ".join(["%s"] * len(ids)) or "NULL"
    where = which.format(marks)
    order = " ORDER BY id" if table.numbered else ""
    cursor.execute(f"SELECT * FROM {table.name} WHERE {where}{order}", tuple(ids) * where.count(marks))
    gone = _FORGOTTEN.get(table.name, set())
    return [{k: v for k, v in row.items() if k not in gone} for row in cursor.fetchall()]


def blob(cursor: Cursor, kind: str, name: str) -> Row | None:
    """A picture or document with what is said of it."""
    cursor.execute(f"SELECT * FROM {kind} WHERE sha256 = %s", (name,))
    return cursor.fetchone()


def put_blob(cursor: Cursor, kind: str, row: Mapping[str, Any]) -> None:
    """Keeps a picture or document, unless it is there. What the row says beside `PARTS` is left out: its names come from a file."""
    names = ("sha256", "body", *PARTS[kind])
    marks = ", ".join(["%s"] * len(names))
    cursor.execute(
        f"INSERT IGNORE INTO {kind} ({', '.join(names)}) VALUES ({marks})", [row[name] for name in names]
    )


def migrations(cursor: Cursor) -> list[str]:
    """The migrations this database has seen."""
    cursor.execute("SELECT name FROM migrations ORDER BY name")
    return [row["name"] for row in cursor.fetchall()]


class Ids:
    """Old ids to new ones, table by table. shared: tables whose rows stay what they are."""

    def __init__(self, shared: Collection[str] = ()) -> None:
        self._new: dict[str, dict[int, int]] = {table.name: {} for table in TABLES}
        self._shared = frozenset(shared)

    def of(self, table: str, old: Any) -> int | None:
        """The new id; None for one that is not among the rows."""
        if old is None or table in self._shared:
            return None if old is None else int(old)
        return self._new[table].get(int(old))

    def put(
        self,
        cursor: Cursor,
        table: Table,
        rows: Sequence[Row],
        change: Callable[[Row], Row] = lambda row: row,
    ) -> None:
        """Inserts rows under new ids, with all ids they name replaced. change: a last look at each row."""
        known = _columns(cursor, table.name)
        for old in rows:
            row = {k: v for k, v in change(dict(old)).items() if k in known and k not in table.later}
            number = row.pop("id", None) if table.numbered else None
            for column, target in table.refs.items():
                if row.get(column) is not None:
                    row[column] = self.of(target, row[column])
            marks = ", ".join(["%s"] * len(row))
            cursor.execute(
                f"INSERT INTO {table.name} ({', '.join(row)}) VALUES ({marks})", list(row.values())
            )
            if number is not None:
                self._new[table.name][int(number)] = int(cursor.lastrowid)

    def settle(self, cursor: Cursor, table: Table, rows: Sequence[Row]) -> None:
        """Sets the columns that had to wait."""
        for column in table.later:
            cursor.executemany(
                f"UPDATE {table.name} SET {column} = %s WHERE id = %s",
                [
                    (self.of(table.refs[column], row.get(column)), self.of(table.name, row["id"]))
                    for row in rows
                ],
            )


def _columns(cursor: Cursor, table: str) -> set[str]:
    cursor.execute(
        "SELECT COLUMN_NAME AS name FROM information_schema.COLUMNS"
        " WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = %s",
        (table,),
    )
    return {row["name"] for row in cursor.fetchall()}
