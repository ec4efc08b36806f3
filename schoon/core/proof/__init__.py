"""Proof: rules over the drawings of a run, before anything leaves the house."""

from .findings import RULES, Act, Finding, Rule
from .model import counts, off_key
from .proofing import proof
from .run import Links, Run, links_of
from .sights import Sight, pack_sight, sight_of, unpack_sight
from .time import Shown, cycles, empties, rhythms

__all__ = [
    "RULES", "Act", "Finding", "Links", "Rule", "Run", "Shown", "Sight", "counts", "cycles", "empties", "links_of", "off_key",
    "pack_sight", "proof", "rhythms", "sight_of", "unpack_sight",
]  # fmt: skip
