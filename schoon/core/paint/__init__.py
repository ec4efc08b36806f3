"""Paint: which pot each patch takes, and carrying paint through a run."""

from .carry import ENOUGH, MOST_PATCHES, Run, Step, carry, painting_for, parting_of
from .facts import Facts, facts_of
from .judging import Carried, Case, judge
from .key import Opened, parted_by_key
from .painting import NOTHING, UNSURE_ABOVE, By, Paint, Painting
from .parting import Parting
from .questions import Unsure, questions, unsure_in
from .track import Trail, follow, track
from .views import Colours, fitted, likest, painted_view

__all__ = [
    "ENOUGH",
    "MOST_PATCHES",
    "NOTHING",
    "UNSURE_ABOVE",
    "By",
    "Carried",
    "Case",
    "Colours",
    "Facts",
    "Opened",
    "Paint",
    "Painting",
    "Parting",
    "Run",
    "Step",
    "Trail",
    "Unsure",
    "carry",
    "facts_of",
    "fitted",
    "follow",
    "judge",
    "likest",
    "painted_view",
    "painting_for",
    "parted_by_key",
    "parting_of",
    "questions",
    "track",
    "unsure_in",
]
