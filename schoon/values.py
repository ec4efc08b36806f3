"""What comes from outside: bounded numbers, and texts that can be kept."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, model_validator

from .text import unsound_in

Number = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
Id = Annotated[int, Field(ge=0, lt=2**31)]


class Sound(BaseModel):
    """Content whose texts hold nothing that cannot be kept."""

    model_config = ConfigDict(allow_inf_nan=False)

    @model_validator(mode="before")
    @classmethod
    def _texts_are_sound(cls, data: Any) -> Any:
        if found := unsound_in(data):
            raise ValueError(f"a text holds {found}; write it anew")
        return data
