"""Plain SQL over MariaDB: one module of functions per aggregate; no SQL stands anywhere else."""

from . import actor, jobs, models, once, pictures, productions, revisions
from .pool import Cursor, Row, Store
from .server import LocalServer

__all__ = [
    "Cursor",
    "LocalServer",
    "Row",
    "Store",
    "actor",
    "jobs",
    "models",
    "once",
    "pictures",
    "productions",
    "revisions",
]
