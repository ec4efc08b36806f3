"""Shade from lines and pots: forms are read as solids, and light falls on them."""

from .agree import agreed
from .carry import Key, carried, key_of, light_in
from .doubt import UNSURE_ABOVE
from .forms import Forms, forms_of
from .light import Light, amount_below, falls_on, on_drawing
from .order import reordered
from .solids import Solids, solids_of
from .steady import steadied, tracks_of
from .tones import KINDS, Kind, Tone, Within, coverage, ring_of, rings_along, shapes_of, shown_in, side_of

__all__ = [
    "KINDS",
    "UNSURE_ABOVE",
    "Forms",
    "Key",
    "Kind",
    "Light",
    "Solids",
    "Tone",
    "Within",
    "agreed",
    "amount_below",
    "carried",
    "coverage",
    "falls_on",
    "forms_of",
    "key_of",
    "light_in",
    "on_drawing",
    "reordered",
    "ring_of",
    "rings_along",
    "shapes_of",
    "shown_in",
    "side_of",
    "solids_of",
    "steadied",
    "tracks_of",
]
