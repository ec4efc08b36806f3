"""Cleanup: a rough picture to proposed clean strokes."""

from .labels import KINDS, Mark
from .propose import Proposal, pencils_of, propose_strokes, read_rough
from .settings import CleanupSettings

__all__ = ["KINDS", "CleanupSettings", "Mark", "Proposal", "pencils_of", "propose_strokes", "read_rough"]
