"""The job table: long work on the drawings of a level."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from typing import Any

from .pool import Cursor, Row


def create(
    cursor: Cursor, kind: str, level_id: int, drawing_ids: Iterable[int], settings: Mapping[str, Any]
) -> int:
    """A waiting job with one item per drawing."""
    cursor.execute(
        "INSERT INTO jobs (kind, level_id, settings) VALUES (%s, %s, %s)",
        (kind, level_id, json.dumps(settings)),
    )
    job_id = int(cursor.lastrowid)
    cursor.executemany(
        "INSERT INTO job_items (job_id, drawing_id) VALUES (%s, %s)", [(job_id, d) for d in drawing_ids]
    )
    return job_id


def job(cursor: Cursor, job_id: int) -> Row | None:
    """A job with `settings` decoded and its counts `total`, `done`, `failed`."""
    cursor.execute(
        "SELECT j.*, COUNT(i.drawing_id) AS total, COALESCE(SUM(i.state = 'done'), 0) AS done,"
        " COALESCE(SUM(i.state = 'failed'), 0) AS failed,"
        " TIMESTAMPDIFF(MICROSECOND, j.started_at, CURRENT_TIMESTAMP(3)) / 1e6 AS seconds"
        " FROM jobs j LEFT JOIN job_items i ON i.job_id = j.id WHERE j.id = %s GROUP BY j.id",
        (job_id,),
    )
    row = cursor.fetchone()
    if row is None:
        return None
    row["settings"] = json.loads(row["settings"])
    for name in ("total", "done", "failed"):
        row[name] = int(row[name])
    row["seconds"] = float(row["seconds"] or 0)
    return row


def open_jobs(cursor: Cursor, level_id: int | None = None) -> list[int]:
    """Ids of waiting and running jobs, oldest first."""
    where = "" if level_id is None else " AND level_id = %s"
    cursor.execute(
        f"SELECT id FROM jobs WHERE state IN ('waiting', 'running'){where} ORDER BY id",
        () if level_id is None else (level_id,),
    )
    return [int(row["id"]) for row in cursor.fetchall()]


def start(cursor: Cursor, job_id: int) -> bool:
    """Marks a waiting or interrupted job as running; False if it was cancelled meanwhile."""
    return bool(
        cursor.execute(
            "UPDATE jobs SET state = 'running', started_at = CURRENT_TIMESTAMP(3)"
            " WHERE id = %s AND state IN ('waiting', 'running')",
            (job_id,),
        )
    )


def set_action(cursor: Cursor, job_id: int, action_id: int) -> None:
    """Remembers under which action the job's results are saved."""
    cursor.execute("UPDATE jobs SET action_id = %s WHERE id = %s", (action_id, job_id))


def waiting_items(cursor: Cursor, job_id: int) -> list[int]:
    """Drawings the job has not finished."""
    cursor.execute(
        "SELECT i.drawing_id FROM job_items i JOIN drawings d ON d.id = i.drawing_id"
        " WHERE i.job_id = %s AND i.state = 'waiting' ORDER BY d.number",
        (job_id,),
    )
    return [int(row["drawing_id"]) for row in cursor.fetchall()]


def end_item(cursor: Cursor, job_id: int, drawing_id: int, state: str, message: str = "") -> None:
    """Marks one drawing of a job as done or failed."""
    cursor.execute(
        "UPDATE job_items SET state = %s, message = %s WHERE job_id = %s AND drawing_id = %s",
        (state, message[:500], job_id, drawing_id),
    )


def end(cursor: Cursor, job_id: int, state: str, message: str = "") -> None:
    """Ends a job that is still running."""
    cursor.execute(
        "UPDATE jobs SET state = %s, message = %s, ended_at = CURRENT_TIMESTAMP(3)"
        " WHERE id = %s AND state IN ('waiting', 'running')",
        (state, message[:500], job_id),
    )


def cancelled(cursor: Cursor, job_id: int) -> bool:
    """Whether someone has cancelled the job."""
    cursor.execute("SELECT state FROM jobs WHERE id = %s", (job_id,))
    row = cursor.fetchone()
    return row is None or row["state"] == "cancelled"


def failures(cursor: Cursor, job_id: int) -> list[Row]:
    """number and message of the drawings that failed."""
    cursor.execute(
        "SELECT d.number, i.message FROM job_items i JOIN drawings d ON d.id = i.drawing_id"
        " WHERE i.job_id = %s AND i.state = 'failed' ORDER BY d.number",
        (job_id,),
    )
    return list(cursor.fetchall())
