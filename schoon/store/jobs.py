"""The job table: long work on the drawings of a level, done by one process at a time.

Whoever works on a job holds a lease and renews it. A lease that has run out, or whose process has ended on this very
machine, may be taken over: unfinished drawings are done then, finished ones stay.
"""

from __future__ import annotations

import json
import os
import socket
import uuid
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any, cast

from . import actor, once
from .pool import Cursor, Row
from .rows import JobRow

LEASE = 30
"""Seconds a lease lasts unless it is renewed."""


class Lost(Exception):
    """The job was cancelled, or another process has taken it over; what is finished stays."""


def new_owner() -> str:
    """A name for this process that no other has or will have: machine, process, its start, and a token."""
    return f"{socket.gethostname()[:40]}/{os.getpid()}/{_started(os.getpid())}/{uuid.uuid4().hex[:8]}"


def _started(pid: int) -> str:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""


def _ended(owner: str) -> bool:
    """Whether an owner was a process of this machine that is no more."""
    host, pid, started, _ = owner.split("/")
    return host == socket.gethostname()[:40] and _started(int(pid)) != started


def create(
    cursor: Cursor, kind: str, level_id: int, drawing_ids: Iterable[int], settings: Mapping[str, Any]
) -> int:
    """A waiting job with one item per drawing. Raises DoneBefore for a request sent again."""
    job_id = once.insert(
        cursor,
        "INSERT INTO jobs (kind, level_id, settings, actor, token) VALUES (%s, %s, %s, %s, %s)",
        (kind, level_id, json.dumps(settings, allow_nan=False), actor.present()),
    )
    cursor.executemany(
        "INSERT INTO job_items (job_id, drawing_id) VALUES (%s, %s)", [(job_id, d) for d in drawing_ids]
    )
    return job_id


def job(cursor: Cursor, job_id: int) -> JobRow | None:
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
    return cast(JobRow, row)


def open_jobs(cursor: Cursor, level_id: int | None = None) -> list[int]:
    """Ids of waiting and running jobs, oldest first."""
    where = "" if level_id is None else " AND level_id = %s"
    cursor.execute(
        f"SELECT id FROM jobs WHERE state IN ('waiting', 'running'){where} ORDER BY id",
        () if level_id is None else (level_id,),
    )
    return [int(row["id"]) for row in cursor.fetchall()]


def ended(cursor: Cursor, level_id: int, kind: str, most: int = 40) -> list[Row]:
    """id, settings, actor and end, as "YYYY-MM-DD hh:mm", of jobs of a kind that were done on a level, newest first."""
    cursor.execute(
        "SELECT id, settings, actor, DATE_FORMAT(ended_at, '%%Y-%%m-%%d %%H:%%i') AS ended FROM jobs"
        " WHERE state = 'done' AND level_id = %s AND kind = %s ORDER BY id DESC LIMIT %s",
        (level_id, kind, most),
    )
    return [{**row, "settings": json.loads(row["settings"])} for row in cursor.fetchall()]


def open_of(cursor: Cursor, level_id: int, kind: str) -> int | None:
    """The waiting or running job of a kind on a level, if there is one."""
    cursor.execute(
        "SELECT id FROM jobs WHERE state IN ('waiting', 'running') AND level_id = %s AND kind = %s LIMIT 1",
        (level_id, kind),
    )
    row = cursor.fetchone()
    return int(row["id"]) if row else None


def claim(cursor: Cursor, owner: str, kinds: Sequence[str]) -> int | None:
    """The oldest job of these kinds that waits or was left behind, now leased to `owner`; None if there is none."""
    marks = ", ".join(["%s"] * len(kinds))
    cursor.execute(
        "SELECT id, owner, leased_until > CURRENT_TIMESTAMP(3) AS leased FROM jobs"
        f" WHERE state IN ('waiting', 'running') AND kind IN ({marks}) ORDER BY id",
        tuple(kinds),
    )
    for row in cursor.fetchall():
        if row["leased"] and row["owner"] not in (None, owner) and not _ended(row["owner"]):
            continue
        # Only if it is still as it was seen: another process may be claiming it as well.
        if cursor.execute(
            "UPDATE jobs SET state = 'running', owner = %s, started_at = CURRENT_TIMESTAMP(3),"
            " leased_until = CURRENT_TIMESTAMP(3) + INTERVAL %s SECOND"
            " WHERE id = %s AND owner <=> %s AND state IN ('waiting', 'running')",
            (owner, LEASE, row["id"], row["owner"]),
        ):
            return int(row["id"])
    return None


def renew(cursor: Cursor, job_id: int, owner: str) -> None:
    """Holds a job a while longer. Raises Lost if it was cancelled or taken over."""
    cursor.execute(
        "UPDATE jobs SET leased_until = CURRENT_TIMESTAMP(3) + INTERVAL %s SECOND"
        " WHERE id = %s AND owner = %s AND state = 'running'",
        (LEASE, job_id, owner),
    )
    hold(cursor, job_id, owner)


def hold(cursor: Cursor, job_id: int, owner: str) -> int | None:
    """Keeps a job from being cancelled or taken over until the transaction ends, so that what is saved for it is saved
    once; its action, if it has one. Raises Lost if it is not ours any more."""
    cursor.execute("SELECT state, owner, action_id FROM jobs WHERE id = %s FOR UPDATE", (job_id,))
    row = cursor.fetchone()
    if row is None or row["state"] != "running" or row["owner"] != owner:
        raise Lost
    return row["action_id"]


def release(cursor: Cursor, owner: str) -> None:
    """Gives back all jobs of an owner that stops, so that another can go on at once."""
    cursor.execute(
        "UPDATE jobs SET owner = NULL, leased_until = NULL WHERE owner = %s AND state = 'running'", (owner,)
    )


def say(cursor: Cursor, job_id: int, message: str) -> None:
    """What a running job waits for, in words."""
    cursor.execute(
        "UPDATE jobs SET message = %s WHERE id = %s AND state = 'running'", (message[:500], job_id)
    )


def set_action(cursor: Cursor, job_id: int, action_id: int) -> None:
    """Remembers under which action the job's results are saved."""
    cursor.execute("UPDATE jobs SET action_id = %s WHERE id = %s", (action_id, job_id))


def waiting_items(cursor: Cursor, job_id: int) -> list[int]:
    """Drawings the job has not finished."""
    cursor.execute(
        "SELECT i.drawing_id FROM job_items i JOIN drawings d ON d.id = i.drawing_id"
        " WHERE i.job_id = %s AND i.state = 'waiting' ORDER BY d.number + 0, d.number",
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
    """Ends a job that is still waiting or running."""
    cursor.execute(
        "UPDATE jobs SET state = %s, message = %s, ended_at = CURRENT_TIMESTAMP(3), owner = NULL, leased_until = NULL"
        " WHERE id = %s AND state IN ('waiting', 'running')",
        (state, message[:500], job_id),
    )


def failures(cursor: Cursor, job_id: int) -> list[Row]:
    """number and message of the drawings that failed."""
    cursor.execute(
        "SELECT d.number, i.message FROM job_items i JOIN drawings d ON d.id = i.drawing_id"
        " WHERE i.job_id = %s AND i.state = 'failed' ORDER BY d.number + 0, d.number",
        (job_id,),
    )
    return list(cursor.fetchall())
