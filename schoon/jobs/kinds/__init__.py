"""The kinds of long work, one module each: what it plans, what workers compute for it, how results are saved.

A new kind is a class with `run(work) -> str` (or a `DrawingKind`) in a module here, and a line below.
"""

from __future__ import annotations

from typing import Protocol

from ..work import Work
from .between import InBetween
from .carry import Carry
from .clean import Clean
from .export import Export
from .fit import Fit
from .proof import Proof
from .props import Props
from .seal import Seal
from .specks import Specks
from .tone import Tone
from .track import Track


class Kind(Protocol):
    """What does a job of one kind."""

    def run(self, work: Work) -> str:
        """Does the job; returns what is to be said at its end. Raises Refusal if it cannot be done."""
        ...


KINDS: dict[str, Kind] = {
    "clean": Clean(),
    "fit": Fit(),
    "between": InBetween(),
    "seal": Seal(),
    "specks": Specks(),
    "carry": Carry(),
    "track": Track(),
    "tone": Tone(),
    "props": Props(),
    "proof": Proof(),
    "export": Export(),
}

LANES: dict[str, tuple[str, ...]] = {
    "drawings": ("clean", "fit", "between", "seal", "specks", "carry", "track", "tone", "props"),
    "proof": ("proof",),
    "hand-off": ("export",),
}
"""Kinds that wait for each other; lanes do not wait for each other, so a long export keeps no clean waiting."""
