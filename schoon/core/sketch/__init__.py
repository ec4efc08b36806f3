"""Roughs that are drawn here: passes of pencil over a picture, rubbed out in places, kept as tiles."""

from .acts import lined, pasted, rubbed, rubbed_within, within
from .passes import FAINT, Pass, State, rough
from .tiles import SIDE, At, Tiles, cut, whole

__all__ = [
    "FAINT", "SIDE", "At", "Pass", "State", "Tiles", "cut", "lined", "pasted", "rough", "rubbed", "rubbed_within", "whole", "within",
]  # fmt: skip
