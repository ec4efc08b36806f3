"""Whether a document can be read by what reads it, whoever wrote it."""

from __future__ import annotations

import json
import math

from pydantic import BaseModel

from ..errors import Damaged
from ..store.documents import current
from ..store.states import Model, Stack, Time
from .documents import sheet_of

MISSHAPEN = (LookupError, TypeError, ValueError, AttributeError, ArithmeticError, RecursionError, Damaged)
"""What reading something of another shape than it should have ends with."""

_STATES: dict[str, type[BaseModel]] = {"time": Time, "stack": Stack, "model": Model}


def read_once(part: str, text: bytes) -> None:
    """Reads a document of a part as the pages will; one of no part only has to be JSON. Raises one of `MISSHAPEN`."""
    content = json.loads(text, parse_constant=_finite, parse_float=_finite)
    if part in _STATES:
        _STATES[part].model_validate(current(part, content))
    elif part:
        if "own" in content:
            content = {**content, "own": {**content["own"], "body": b""}}
        sheet_of((1, 1), **{**dict.fromkeys(("line", "seal", "paint")), part: content})


def _finite(number: str) -> float:
    """A number of a document; JSON knows no others, and none that is too large to be one."""
    value = float(number)
    if not math.isfinite(value):
        raise ValueError(f"{number} is no number")
    return value
