"""Rigid props: solids that are placed in drawings and give them their lines."""

from .build import Built, Drawn, Imported, Shape, Surface, assembled, build
from .corrections import Kept, carried, kept, without
from .fitting import snapped
from .lines import Run, runs, strokes_of
from .placing import Placed, between, turned_by
from .sight import Sight
from .solid import Form, Solid, normalised

__all__ = [
    "Built",
    "Drawn",
    "Form",
    "Imported",
    "Kept",
    "Placed",
    "Run",
    "Shape",
    "Sight",
    "Solid",
    "Surface",
    "assembled",
    "between",
    "build",
    "carried",
    "kept",
    "normalised",
    "runs",
    "snapped",
    "strokes_of",
    "turned_by",
    "without",
]
