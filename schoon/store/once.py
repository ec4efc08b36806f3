"""A change that is sent again because its answer was lost is done once.

The browser names every change by a token. The first action or job a request makes keeps it; a second one of the same
token is refused by the database, and the whole request with it.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from contextvars import ContextVar
from typing import Any

import pymysql

from .pool import Cursor, Row

DUPLICATE = 1062

_KEPT_DAYS = 30
"""For so long what was answered to a step is kept; a browser that is away for longer asks anew."""

_token: ContextVar[list[str] | None] = ContextVar("token", default=None)
_named: ContextVar[str] = ContextVar("named", default="")


class DoneBefore(Exception):
    """What this request asks for was done when it was sent before."""


def name(token: str) -> None:
    """What is changed from now on in this context goes by this token, "" for none."""
    _token.set([token] if token else [])
    _named.set(token)


def insert(cursor: Cursor, statement: str, values: tuple[object, ...]) -> int:
    """Runs an INSERT whose last value is the token, and returns the new id. Raises DoneBefore."""
    waiting = _token.get() or []
    token = waiting[0] if waiting else None
    try:
        cursor.execute(statement, (*values, token))
    except pymysql.IntegrityError as error:
        if token and error.args[0] == DUPLICATE:
            raise DoneBefore from error
        raise
    # Only the first row of a request is named: the others stand or fall with it.
    waiting[:] = []
    return int(cursor.lastrowid)


def keep(cursor: Cursor, answer: Mapping[str, Any]) -> None:
    """Keeps what is answered to a change that makes no action of its own. Raises DoneBefore."""
    token = _named.get()
    if not token:
        return
    cursor.execute("DELETE FROM answers WHERE at < NOW(3) - INTERVAL %s DAY LIMIT 100", (_KEPT_DAYS,))
    try:
        cursor.execute(
            "INSERT INTO answers (token, answer) VALUES (%s, %s)", (token, json.dumps(dict(answer)))
        )
    except pymysql.IntegrityError as error:
        if error.args[0] == DUPLICATE:
            raise DoneBefore from error
        raise


def found(cursor: Cursor, token: str) -> Row | None:
    """What was done under a token: `action` with the ids of its `drawings`, or `job`, or what was kept as its answer;
    None if nothing was."""
    cursor.execute("SELECT answer FROM answers WHERE token = %s", (token,))
    row = cursor.fetchone()
    if row:
        return dict(json.loads(row["answer"]))
    cursor.execute("SELECT id FROM jobs WHERE token = %s", (token,))
    row = cursor.fetchone()
    if row:
        return {"job": int(row["id"])}
    cursor.execute("SELECT id FROM actions WHERE token = %s", (token,))
    row = cursor.fetchone()
    if row is None:
        return None
    cursor.execute(
        "SELECT DISTINCT drawing_id FROM revisions WHERE action_id = %s AND drawing_id IS NOT NULL",
        (row["id"],),
    )
    return {"action": int(row["id"]), "drawings": [int(r["drawing_id"]) for r in cursor.fetchall()]}
