"""Documents of drawings, their revisions, undo and redo."""

from __future__ import annotations

import hashlib
import json
import zlib
from collections.abc import Iterable, Mapping
from typing import Any

from ..errors import Damaged, NotFound
from . import once
from .pool import Cursor, Row

PARTS = ("line", "seal", "paint")


def put_document(cursor: Cursor, content: Any) -> str:
    """Stores a JSON document once and returns the SHA-256 of its canonical text."""
    text = json.dumps(content, sort_keys=True, separators=(",", ":"), allow_nan=False).encode()
    name = hashlib.sha256(text).hexdigest()
    cursor.execute(
        "INSERT IGNORE INTO documents (sha256, body) VALUES (%s, %s)", (name, zlib.compress(text, 6))
    )
    return name


def get_documents(cursor: Cursor, names: Iterable[str | None]) -> dict[str, Any]:
    """Contents of documents by name; names that are None are left out. Raises Damaged if one is missing."""
    wanted = sorted({name for name in names if name})
    if not wanted:
        return {}
    marks = ", ".join(["%s"] * len(wanted))
    cursor.execute(f"SELECT sha256, body FROM documents WHERE sha256 IN ({marks})", wanted)
    found = {row["sha256"]: json.loads(zlib.decompress(row["body"])) for row in cursor.fetchall()}
    missing = next((name for name in wanted if name not in found), None)
    if missing:
        raise Damaged(
            f"Document {missing[:12]} of a drawing is missing from the database; restore it from a backup"
        )
    return found


_DRAWING = (
    "SELECT d.id, d.level_id, d.number, d.kind, d.rough, d.head, r.line, r.seal, r.paint, r.parent_id, r.action_id"
    " FROM drawings d LEFT JOIN revisions r ON r.id = d.head WHERE d.id"
)


def drawing(cursor: Cursor, drawing_id: int, lock: bool = False) -> Row:
    """A drawing with the document names of its present revision. Raises NotFound.

    lock: hold the drawing until the transaction ends, so that edits come one after the other.
    """
    cursor.execute(f"{_DRAWING} = %s" + (" FOR UPDATE" if lock else ""), (drawing_id,))
    row = cursor.fetchone()
    if row is None:
        raise NotFound("This drawing is not there any more")
    return row


def lock_drawings(cursor: Cursor, drawing_ids: Iterable[int]) -> dict[int, Row]:
    """Holds drawings until the transaction ends; id -> row as `drawing`. Those that are gone are left out.

    They are always taken in the order of their ids, so that two actions on many drawings wait and never block each
    other.
    """
    wanted = sorted(set(drawing_ids))
    if not wanted:
        return {}
    marks = ", ".join(["%s"] * len(wanted))
    cursor.execute(
        f"SELECT id FROM drawings FORCE INDEX (PRIMARY) WHERE id IN ({marks}) ORDER BY id FOR UPDATE", wanted
    )
    cursor.execute(f"{_DRAWING} IN ({marks}) ORDER BY d.number, d.id", wanted)
    return {int(row["id"]): row for row in cursor.fetchall()}


def begin_action(cursor: Cursor, label: str) -> int:
    """A new action: what is revised under it is undone as one. Raises DoneBefore for a request sent again."""
    return once.insert(cursor, "INSERT INTO actions (label, token) VALUES (%s, %s)", (label[:160],))


def base_line(cursor: Cursor, drawing_id: int, revision_id: int | None) -> Any:
    """The line document of a drawing's earlier revision; None if there was none, or no such revision."""
    cursor.execute("SELECT line FROM revisions WHERE id = %s AND drawing_id = %s", (revision_id, drawing_id))
    row = cursor.fetchone()
    return get_documents(cursor, [row["line"]]).get(row["line"]) if row else None


def revise(cursor: Cursor, drawing: Row, action_id: int, **changed: str | None) -> int:
    """A new revision of a locked drawing, with the named documents (line, seal, paint) replaced."""
    parts = {part: changed.get(part, drawing[part]) for part in PARTS}
    cursor.execute(
        "INSERT INTO revisions (drawing_id, parent_id, action_id, line, seal, paint) VALUES (%s, %s, %s, %s, %s, %s)",
        (drawing["id"], drawing["head"], action_id, parts["line"], parts["seal"], parts["paint"]),
    )
    revision = int(cursor.lastrowid)
    cursor.execute("UPDATE drawings SET head = %s WHERE id = %s", (revision, drawing["id"]))
    return revision


def undo(cursor: Cursor, drawing_id: int) -> tuple[str, list[int]] | None:
    """Takes back the last action on a drawing, on every drawing where it is still the last.

    Returns its label and the ids of the drawings changed, or None if there is nothing to undo. Drawings of locked
    levels stay; pots that come back into use are in the model again.
    """
    while True:
        action = drawing(cursor, drawing_id)["action_id"]
        if action is None:
            return None
        cursor.execute(
            "SELECT d.id FROM drawings d JOIN revisions r ON r.id = d.head JOIN levels l ON l.id = d.level_id"
            " WHERE r.action_id = %s AND NOT l.locked",
            (action,),
        )
        rows = lock_drawings(cursor, [drawing_id, *(int(found["id"]) for found in cursor.fetchall())])
        # What was done while the lock was waited for is the last action now.
        if drawing_id not in rows or rows[drawing_id]["action_id"] == action:
            break
    heads = {row["id"]: row["parent_id"] for row in rows.values() if row["action_id"] == action}
    return _go(cursor, heads, action)


def redo(cursor: Cursor, drawing_id: int) -> tuple[str, list[int]] | None:
    """The reverse of `undo`: brings back the newest revision made from the present one, and its action."""
    while True:
        onward = _child(cursor, drawing_id, drawing(cursor, drawing_id)["head"])
        if onward is None:
            return None
        action = onward["action_id"]
        rows = lock_drawings(cursor, [drawing_id, *_following(cursor, action)])
        now = _child(cursor, drawing_id, rows[drawing_id]["head"]) if drawing_id in rows else None
        if now is None or now["action_id"] == action:
            break
    return _go(cursor, _following(cursor, action), action)


def _following(cursor: Cursor, action_id: int) -> dict[int, int]:
    """drawing -> the child of its present revision that belongs to an action; drawings of locked levels are left."""
    cursor.execute(
        "SELECT d.id, r.id AS revision FROM drawings d JOIN levels l ON l.id = d.level_id JOIN revisions r"
        " ON r.drawing_id = d.id AND r.parent_id <=> d.head WHERE r.action_id = %s AND NOT l.locked",
        (action_id,),
    )
    return {int(row["id"]): int(row["revision"]) for row in cursor.fetchall()}


def _go(cursor: Cursor, heads: Mapping[int, int | None], action_id: int) -> tuple[str, list[int]]:
    cursor.executemany(
        "UPDATE drawings SET head = %s WHERE id = %s", [(head, drawing) for drawing, head in heads.items()]
    )
    return _label(cursor, action_id), sorted(heads)


def can_redo(cursor: Cursor, drawing: Row) -> bool:
    """Whether `redo` would do anything."""
    return _child(cursor, drawing["id"], drawing["head"]) is not None


def _child(cursor: Cursor, drawing_id: int, head: int | None) -> Row | None:
    cursor.execute(
        "SELECT id, action_id FROM revisions WHERE drawing_id = %s AND parent_id <=> %s ORDER BY id DESC LIMIT 1",
        (drawing_id, head),
    )
    return cursor.fetchone()


def _label(cursor: Cursor, action_id: int) -> str:
    cursor.execute("SELECT label FROM actions WHERE id = %s", (action_id,))
    row = cursor.fetchone()
    return str(row["label"]) if row else ""
