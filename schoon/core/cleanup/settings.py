"""What an artist sets before roughs are read."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from ..paper import Pencil

Blacks = Literal["found", "outline", "filled"]

SAME_HUE = 32.0
"""Pencils whose hues differ by less, in degrees, are one pencil in different drawings."""


@dataclass(frozen=True)
class CleanupSettings:
    """What an artist sets before a run.

    searching: how searching the rough is, 0 (tied down) to 1 (very loose); None finds it from the drawing.
    detail: 0 drops small marks, 1 keeps the smallest.
    follow: 0 gives the calmest curves, 1 follows every turn of the pencil.
    line_width: width of the proposed line, px.
    pressure: 0 for even lines, 1 for lines as heavy as the pencil was pressed.
    pencils: (hue in degrees, role) of coloured pencils; the role is "ignore", "use" or "part:" and a part's name.
    Colours it does not name are taken as they are drawn, see `paper.construction`.
    blacks: whether filled areas are "filled" with ink or only their "outline" is drawn; "found" fills them where a
    drawing is inked, not pencilled.
    keep: kinds of marks, of `labels.KINDS`, that are drawn as if they were lines.
    """

    searching: float | None = None
    detail: float = 0.5
    follow: float = 0.5
    line_width: float = 4.0
    pressure: float = 0.0
    pencils: tuple[tuple[float, str], ...] = ()
    keep: tuple[str, ...] = ()
    blacks: Blacks = "found"

    def role_of(self, pencil: Pencil) -> str:
        """What a coloured pencil is taken for; "" if nothing was said of it."""
        return role_at(pencil.hue, self.pencils)


def role_at(hue: float, pencils: Iterable[tuple[float, str]]) -> str:
    """The role of the first pencil of nearly this hue, in degrees; "" for none. pencils: (hue, role)."""
    return next((role for other, role in pencils if abs((hue - other + 180) % 360 - 180) < SAME_HUE), "")
