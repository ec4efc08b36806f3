"""The finish of a level: coloured and weighed lines, shadows, washes, textures, treatments."""

from .entries import Entry
from .layers import Scene, finished

__all__ = ["Entry", "Scene", "finished"]
