"""Cleanup: a rough picture to proposed clean strokes."""

from .propose import CleanupSettings, propose_strokes

__all__ = ["CleanupSettings", "propose_strokes"]
