"""Cleanup: a rough picture to proposed clean strokes."""

from .kinds import KINDS, Kind
from .labels import Mark
from .lessons import Lesson, Said, Taught, taught
from .pen import on_rough
from .propose import Proposal, lessons_in, pencils_of, propose_strokes, read_rough
from .run import agreed
from .settings import Blacks, CleanupSettings, role_at
from .tidy import HOWS, How

__all__ = [
    "HOWS", "KINDS", "Blacks", "CleanupSettings", "How", "Kind", "Lesson", "Mark", "Proposal", "Said", "Taught",
    "agreed", "lessons_in", "on_rough", "pencils_of", "propose_strokes", "read_rough", "role_at", "taught",
]  # fmt: skip
