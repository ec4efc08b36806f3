"""Where the files of exports lie."""

from __future__ import annotations

from pathlib import Path

ENDINGS = {"gif": "gif", "mp4": "mp4", "openraster": "ora", "keys": "ora"}
"""what is exported -> ending of its file, "zip" for all others."""


def export_path(cache: Path, job_id: int, what: str) -> Path:
    """The file of an export job."""
    return cache / "exports" / f"{job_id}.{ENDINGS.get(what, 'zip')}"
