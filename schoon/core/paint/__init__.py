"""Paint: which pot each patch takes, and carrying paint through a run."""

from .carry import MOST_PATCHES, carry
from .painting import NOTHING, UNSURE_ABOVE, By, Paint, Painting
from .track import track

__all__ = ["MOST_PATCHES", "NOTHING", "UNSURE_ABOVE", "By", "Paint", "Painting", "carry", "track"]
