"""Proof: rules over the drawings of a run, before anything leaves the house."""

from .findings import RULES, Act, Finding, Rule
from .gaps import Gap, gaps
from .model import areas, counts, off_key
from .proofing import proof
from .run import LONGEST, Links, Run, links_of, packed_links
from .sights import Sight, pack_sight, sight_of, unpack_sight
from .time import Shown, cycles, empties, rhythms

__all__ = [
    "LONGEST", "RULES", "Act", "Finding", "Gap", "Links", "Rule", "Run", "Shown", "Sight", "areas", "counts", "cycles", "empties", "gaps",
    "links_of", "off_key", "pack_sight", "packed_links", "proof", "rhythms", "sight_of", "unpack_sight",
]  # fmt: skip
