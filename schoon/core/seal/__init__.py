"""Seal: gaps in the line and the stitches that shut them."""

from .evidence import Evidence, evidence_for
from .leak import Leak, trace_leak
from .model import Stitch
from .propose import TAKE_BELOW, line_width, propose_stitches

__all__ = [
    "TAKE_BELOW",
    "Evidence",
    "Leak",
    "Stitch",
    "evidence_for",
    "line_width",
    "propose_stitches",
    "trace_leak",
]
