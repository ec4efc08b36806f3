"""Plain SQL over MariaDB: one module of functions per aggregate; no SQL stands anywhere else."""

from . import actor, counts, documents, jobs, models, once, pictures, productions, revisions
from .pool import Cursor, Row, Store
from .rows import DrawingRow, JobRow, KeyRow, LevelRow, ModelRow, PotRow, ShotRow
from .server import LocalServer

__all__ = [
    "Cursor",
    "DrawingRow",
    "JobRow",
    "KeyRow",
    "LevelRow",
    "LocalServer",
    "ModelRow",
    "PotRow",
    "Row",
    "ShotRow",
    "Store",
    "actor",
    "counts",
    "documents",
    "jobs",
    "models",
    "once",
    "pictures",
    "productions",
    "revisions",
]
