"""Cleanup: a rough picture to proposed clean strokes."""

from .propose import CleanupSettings, pencils_of, propose_strokes

__all__ = ["CleanupSettings", "pencils_of", "propose_strokes"]
