"""Documents of drawings, their revisions, undo and redo."""

from __future__ import annotations

import hashlib
import json
import zlib
from collections.abc import Iterable
from typing import Any

from ..errors import NotFound
from .pool import Cursor, Row

PARTS = ("line", "seal", "paint")


def put_document(cursor: Cursor, content: Any) -> str:
    """Stores a JSON document once and returns the SHA-256 of its canonical text."""
    text = json.dumps(content, sort_keys=True, separators=(",", ":")).encode()
    name = hashlib.sha256(text).hexdigest()
    cursor.execute(
        "INSERT IGNORE INTO documents (sha256, body) VALUES (%s, %s)", (name, zlib.compress(text, 6))
    )
    return name


def get_documents(cursor: Cursor, names: Iterable[str | None]) -> dict[str, Any]:
    """Contents of documents by name; names that are None are left out."""
    wanted = sorted({name for name in names if name})
    if not wanted:
        return {}
    marks = ", ".join(["%s"] * len(wanted))
    cursor.execute(f"SELECT sha256, body FROM documents WHERE sha256 IN ({marks})", wanted)
    return {row["sha256"]: json.loads(zlib.decompress(row["body"])) for row in cursor.fetchall()}


def drawing(cursor: Cursor, drawing_id: int, lock: bool = False) -> Row:
    """A drawing with the document names of its present revision. Raises NotFound.

    lock: hold the drawing until the transaction ends, so that edits come one after the other.
    """
    cursor.execute(
        "SELECT d.id, d.level_id, d.number, d.kind, d.rough, d.head, r.line, r.seal, r.paint, r.parent_id, r.action_id"
        " FROM drawings d LEFT JOIN revisions r ON r.id = d.head WHERE d.id = %s"
        + (" FOR UPDATE" if lock else ""),
        (drawing_id,),
    )
    row = cursor.fetchone()
    if row is None:
        raise NotFound("This drawing is not there any more")
    return row


def begin_action(cursor: Cursor, label: str) -> int:
    """A new action: what is revised under it is undone as one."""
    cursor.execute("INSERT INTO actions (label) VALUES (%s)", (label,))
    return int(cursor.lastrowid)


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

    Returns its label and the ids of the drawings changed, or None if there is nothing to undo.
    """
    row = drawing(cursor, drawing_id, lock=True)
    if row["head"] is None:
        return None
    cursor.execute(
        "SELECT d.id FROM drawings d JOIN revisions r ON r.id = d.head WHERE r.action_id = %s FOR UPDATE",
        (row["action_id"],),
    )
    ids = [int(found["id"]) for found in cursor.fetchall()]
    cursor.execute(
        "UPDATE drawings d JOIN revisions r ON r.id = d.head SET d.head = r.parent_id WHERE r.action_id = %s",
        (row["action_id"],),
    )
    return _label(cursor, row["action_id"]), ids


def redo(cursor: Cursor, drawing_id: int) -> tuple[str, list[int]] | None:
    """The reverse of `undo`: brings back the newest revision made from the present one, and its action."""
    row = drawing(cursor, drawing_id, lock=True)
    onward = _child(cursor, drawing_id, row["head"])
    if onward is None:
        return None
    # The children of the present revisions that belong to the same action.
    cursor.execute(
        "SELECT d.id, r.id AS revision FROM drawings d JOIN revisions r"
        " ON r.drawing_id = d.id AND r.parent_id <=> d.head WHERE r.action_id = %s FOR UPDATE",
        (onward["action_id"],),
    )
    found = list(cursor.fetchall())
    cursor.executemany(
        "UPDATE drawings SET head = %s WHERE id = %s", [(item["revision"], item["id"]) for item in found]
    )
    return _label(cursor, onward["action_id"]), [int(item["id"]) for item in found]


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
