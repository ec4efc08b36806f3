"""Cleanup: a rough picture to proposed clean strokes."""

from .labels import KINDS, Mark
from .propose import CleanupSettings, Proposal, pencils_of, propose_strokes, read_rough

__all__ = ["KINDS", "CleanupSettings", "Mark", "Proposal", "pencils_of", "propose_strokes", "read_rough"]
