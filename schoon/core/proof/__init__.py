"""Proof: rules over the drawings of a run, before anything leaves the house."""

from .findings import RULES, Act, Finding, Rule
from .proofing import proof
from .run import Links, Run, links_of
from .sights import Sight, sight_of

__all__ = ["RULES", "Act", "Finding", "Links", "Rule", "Run", "Sight", "links_of", "proof", "sight_of"]
