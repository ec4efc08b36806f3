"""Strokes through the run: registration, fitting to other roughs, held parts, redraws and measures."""

from .follow import Fitted, cut_at_doubt, fit_to
from .hiding import brought_back, hidden_by, hidden_within, silhouette
from .linked import followed
from .measure import (
    ODD,
    OFF,
    Held,
    Measures,
    drift_and_tremble,
    held_parts,
    measure,
    odd_ones,
    register_parts,
)
from .placement import Placement
from .redraw import AS_DRAWN, redrawn, tremble
from .register import Lines, Target, register, search
from .smear import smeared
from .sway import Sway
from .whole import completed

__all__ = [
    "AS_DRAWN",
    "ODD",
    "OFF",
    "Fitted",
    "Held",
    "Lines",
    "Measures",
    "Placement",
    "Sway",
    "Target",
    "brought_back",
    "completed",
    "cut_at_doubt",
    "drift_and_tremble",
    "fit_to",
    "followed",
    "held_parts",
    "hidden_by",
    "hidden_within",
    "measure",
    "odd_ones",
    "redrawn",
    "register",
    "register_parts",
    "search",
    "silhouette",
    "smeared",
    "tremble",
]
