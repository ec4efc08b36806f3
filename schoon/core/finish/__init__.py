"""The finish of a level: coloured and weighed lines, shadows, washes, textures, treatments."""

from .entries import Entry, own_pictures
from .layers import finished, of_lines
from .scene import Scene

__all__ = ["Entry", "Scene", "finished", "of_lines", "own_pictures"]
