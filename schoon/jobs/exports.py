"""Where the files of exports lie."""

from __future__ import annotations

from pathlib import Path


def export_path(cache: Path, job_id: int, what: str) -> Path:
    """The file of an export job."""
    return cache / "exports" / f"{job_id}.{'gif' if what == 'gif' else 'zip'}"
