"""In-betweens: the drawings between two lined ones, whole forms moved on arcs and hidden again."""

from .drawing import Between, Pull, Share
from .following import followed
from .spacing import CHARTS, LEAST, MOST, eased, spacing

__all__ = ["CHARTS", "LEAST", "MOST", "Between", "Pull", "Share", "eased", "followed", "spacing"]
