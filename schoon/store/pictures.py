"""Pictures, named by the SHA-256 of their bytes."""

from __future__ import annotations

import hashlib

from ..errors import NotFound
from .pool import Cursor, Row


def name_of(body: bytes) -> str:
    """What a picture of these bytes is called."""
    return hashlib.sha256(body).hexdigest()


def put(cursor: Cursor, body: bytes, mime: str, width: int, height: int) -> str:
    """Stores a picture's bytes once and returns their name."""
    name = name_of(body)
    cursor.execute(
        "INSERT IGNORE INTO pictures (sha256, mime, width, height, body) VALUES (%s, %s, %s, %s, %s)",
        (name, mime, width, height, body),
    )
    return name


def get(cursor: Cursor, name: str) -> Row:
    """mime, width, height and body of a picture. Raises NotFound."""
    cursor.execute("SELECT mime, width, height, body FROM pictures WHERE sha256 = %s", (name,))
    row = cursor.fetchone()
    if row is None:
        raise NotFound("This picture is not in the database")
    return row
