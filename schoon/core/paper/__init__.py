"""Paper: flatten its tone and light, and separate the pencils on it."""

from .density import densities, on_paper
from .pencils import Pencil, drawing_density, find_pencils

__all__ = ["Pencil", "densities", "drawing_density", "find_pencils", "on_paper"]
