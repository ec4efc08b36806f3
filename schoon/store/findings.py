"""What proofing found in a level when it was computed last. It can always be computed anew."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from .pool import Cursor


def put(cursor: Cursor, level_id: int, made_from: str, found: Sequence[Any]) -> None:
    """Keeps findings, as JSON. made_from: name of everything they derive from."""
    cursor.execute(
        "REPLACE INTO findings (level_id, made_from, found) VALUES (%s, %s, %s)",
        (level_id, made_from, json.dumps(found, allow_nan=False)),
    )


def get(cursor: Cursor, level_id: int) -> tuple[str, list[Any]]:
    """What findings were made from, and the findings; "" and none if it was never looked."""
    cursor.execute("SELECT made_from, found FROM findings WHERE level_id = %s", (level_id,))
    row = cursor.fetchone()
    return (row["made_from"], json.loads(row["found"])) if row else ("", [])
