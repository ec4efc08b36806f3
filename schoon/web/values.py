"""What a request may hold."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from ..values import Id, Near, Number, Sound

Place = Annotated[list[Near], Field(min_length=2, max_length=2)]
"""(x, y), px of a drawing or picture."""


class Body(Sound):
    """The content of a request."""


__all__ = ["Body", "Id", "Number", "Place"]
