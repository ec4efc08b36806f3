"""Paper: flatten its tone and light, and separate the pencils on it."""

from .density import densities, on_paper, strongest
from .pencils import MARKED, Pencil, construction, find_pencils, separate

__all__ = [
    "MARKED",
    "Pencil",
    "construction",
    "densities",
    "find_pencils",
    "on_paper",
    "separate",
    "strongest",
]
