"""Pictures, named by the SHA-256 of their bytes."""

from __future__ import annotations

import hashlib

from ..errors import NotFound
from .pool import Cursor, Row


def name_of(body: bytes) -> str:
    """What a picture of these bytes is called."""
    return hashlib.sha256(body).hexdigest()


_BEGINS = (
    (b"\x89PNG\r\n\x1a\n", "image/png"), (b"\xff\xd8\xff", "image/jpeg"), (b"GIF8", "image/gif"), (b"II*\0", "image/tiff"),
    (b"MM\0*", "image/tiff"), (b"II+\0", "image/tiff"), (b"MM\0+", "image/tiff"),
)  # fmt: skip
_SOLIDS = ("model/obj", "model/gltf-binary", "model/gltf+json")
"""Files of props, which are kept beside pictures and are never shown as they are."""


def type_of(body: bytes, said: str) -> str | None:
    """What a file is: a type of picture by its first bytes, or what is said of it if that is a solid; None for anything else."""
    if body[:4] == b"RIFF" and body[8:12] == b"WEBP":
        return "image/webp"
    found = next((mime for begin, mime in _BEGINS if body.startswith(begin)), None)
    return found or (said if said in _SOLIDS else None)


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
