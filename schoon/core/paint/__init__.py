"""Paint: which pot each patch takes, and carrying paint through a run."""

from .carry import MOST_PATCHES, Run, Step, carry, painting_for, parting_of
from .painting import NOTHING, UNSURE_ABOVE, By, Paint, Painting
from .parting import Parting
from .track import Trail, follow, track

__all__ = [
    "MOST_PATCHES",
    "NOTHING",
    "UNSURE_ABOVE",
    "By",
    "Paint",
    "Painting",
    "Parting",
    "Run",
    "Step",
    "Trail",
    "carry",
    "follow",
    "painting_for",
    "parting_of",
    "track",
]
