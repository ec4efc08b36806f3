"""Documents by the hash of what they say, and the parts of a revision that name them."""

from __future__ import annotations

import hashlib
import json
import re
import zlib
from collections.abc import Callable, Iterable
from typing import Any, Literal, cast

from ..errors import Damaged
from . import pictures
from .pool import Cursor, Row, named
from .rows import DrawingRow

_LARGE = 200_000
"""Bytes of a document from which a hand would feel that it is pressed hard."""

Part = Literal["line", "seal", "paint", "tone", "said", "sketch", "props", "again"]

PAINTED: tuple[Part, ...] = ("line", "seal", "paint")
"""The documents of a drawing that say what is painted."""

SHOWN: tuple[Part, ...] = (*PAINTED, "tone")
"""The documents of a drawing that its picture derives from."""

PARTS: tuple[Part, ...] = (*SHOWN, "said", "sketch", "props", "again")
"""The documents of a drawing; `said` is what a person said of the marks on its rough, `sketch` what was drawn and rubbed out on
that, `props` how rigid props are placed, `again` which parts follow others."""


def put_document(cursor: Cursor, content: Any) -> str:
    """Stores a JSON document once and returns the SHA-256 of its canonical text: names in order, no spaces.

    content: a JSON value, or its canonical text as bytes. The bytes of a picture it names are not stored again.
    """
    if isinstance(content, bytes):
        text = content
    else:
        if "own" in content:
            content = {**content, "own": {k: v for k, v in content["own"].items() if k != "body"}}
        text = json.dumps(content, sort_keys=True, separators=(",", ":"), allow_nan=False).encode()
    name = hashlib.sha256(text).hexdigest()
    level = 6 if len(text) < _LARGE else 1
    cursor.execute(
        "INSERT IGNORE INTO documents (sha256, body) VALUES (%s, %s)", (name, zlib.compress(text, level))
    )
    return name


def text_of(body: bytes) -> bytes:
    """The canonical text of a stored document. Raises Damaged if it was harmed."""
    try:
        return zlib.decompress(body)
    except zlib.error as error:
        raise Damaged("A document in the database was harmed; restore it from a backup") from error


def get_documents(cursor: Cursor, names: Iterable[str | None]) -> dict[str | None, Any]:
    """Contents of documents by name; names that are None have none. Raises Damaged if one is missing.

    With the ink of its own that a line names comes its picture, as bytes in `body`.
    """
    wanted = sorted({name for name in names if name})
    if not wanted:
        return {}
    marks = ", ".join(["%s"] * len(wanted))
    cursor.execute(f"SELECT sha256, body FROM documents WHERE sha256 IN ({marks})", wanted)
    found: dict[str | None, Any] = {
        row["sha256"]: json.loads(text_of(row["body"])) for row in cursor.fetchall()
    }
    missing = next((name for name in wanted if name not in found), None)
    if missing:
        raise Damaged(
            f"Document {missing[:12]} of a drawing is missing from the database; restore it from a backup"
        )
    for content in found.values():
        if "own" in content:
            content["own"]["body"] = bytes(pictures.get(cursor, content["own"]["picture"])["body"])
    return found


def sums(cursor: Cursor, names: Iterable[str | None]) -> dict[str | None, int]:
    """Checksums (CRC-32) of documents as they lie in the database, by name; those that are missing are left out."""
    wanted = sorted({name for name in names if name})
    rows = named(cursor, "SELECT sha256, CRC32(body) AS sum FROM documents WHERE sha256 IN", wanted)
    return {row["sha256"]: int(row["sum"]) for row in rows}


def picture_in(body: bytes) -> str | None:
    """The name of the picture whose ink a stored line document keeps; None for any other document."""
    found = re.search(rb'[{,]"own":{"picture":"([0-9a-f]{64})"', text_of(body))
    return found[1].decode() if found else None


def textures_in(text: str) -> set[str]:
    """The names of the pictures that the finish of a level shows, in the text of a stored list or of a stack document."""
    return set(re.findall(r'"own":\s*"([0-9a-f]{64})"', text))


def tiles_in(text: str) -> set[str]:
    """The names of the tiles in the text of a sketch document."""
    return set(re.findall(r'"([0-9a-f]{64})"', text))


VERSIONS = {
    "line": 1,
    "seal": 1,
    "paint": 1,
    "tone": 1,
    "said": 1,
    "sketch": 1,
    "props": 1,
    "again": 1,
    "time": 1,
    "stack": 1,
    "model": 1,
}
"""part -> version of its documents' schema. A part that changes gets the next number and a function in `_ONWARD`."""

_ONWARD: dict[tuple[str, int], Callable[[Any], Any]] = {}
"""(part, version) -> what makes a document of that version one of the next."""


def current(part: str, content: Any) -> Any:
    """A document of any version as one of the present version; None stays None. One without a version is of the first.

    Raises Damaged if a newer Schoon wrote it.
    """
    if content is None:
        return None
    version = int(content.get("version", 1))
    if version > VERSIONS[part]:
        raise Damaged(f"A {part} document was written by a newer Schoon; open this production with that one")
    for older in range(version, VERSIONS[part]):
        content = _ONWARD[part, older](content)
    return content


def parts_of(text: str | None) -> dict[str, str]:
    """part -> name of its document, from a revision's `parts`; those it has not are left out."""
    return {part: name for part, name in json.loads(text or "{}").items() if name}


def with_parts(row: Row) -> DrawingRow:
    """A drawing's row with one name for each of PARTS instead of `parts`; None for what there is not yet."""
    found = parts_of(row.pop("parts"))
    return cast(DrawingRow, {**row, **{part: found.get(part) for part in PARTS}})
