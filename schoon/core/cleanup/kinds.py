"""What a mark may be that is no line."""

from __future__ import annotations

from typing import Literal

Kind = Literal["construction", "hatching", "note", "dirt"]

KINDS: tuple[Kind, ...] = ("construction", "hatching", "note", "dirt")
