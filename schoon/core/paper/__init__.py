"""Paper: flatten its tone and light, and separate the pencils on it."""

from .density import densities, on_paper, strongest
from .own import own_ink
from .painted import lines_of_painted
from .pencils import MARKED, Pencil, construction, find_pencils, separate

__all__ = [
    "MARKED",
    "Pencil",
    "construction",
    "densities",
    "find_pencils",
    "lines_of_painted",
    "on_paper",
    "own_ink",
    "separate",
    "strongest",
]
