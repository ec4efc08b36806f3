"""What was counted in drawings, by what it was counted from. It can always be counted anew."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from .pool import Cursor, named


def get(cursor: Cursor, names: Sequence[str]) -> dict[str, Any]:
    """name -> what was counted, for those that are known."""
    rows = named(cursor, "SELECT name, body FROM counts WHERE name IN", names)
    return {row["name"]: json.loads(row["body"]) for row in rows}


def put(cursor: Cursor, counted: Mapping[str, Any]) -> None:
    """Keeps what was counted; it takes the place of what was kept before, as of documents that were harmed and mended."""
    # In one order, so that two who keep the same do not wait for each other in a ring.
    rows = [(name, json.dumps(counted[name], allow_nan=False)) for name in sorted(counted)]
    cursor.executemany(
        "INSERT INTO counts (name, body) VALUES (%s, %s) ON DUPLICATE KEY UPDATE body = VALUES(body)", rows
    )
