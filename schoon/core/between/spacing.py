"""Where on the way the drawings between two lie."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

_WAYS: dict[str, Callable[[float], float]] = {
    "even": lambda t: t,
    "ease in": lambda t: 1 - (1 - t) ** 2,
    "ease out": lambda t: t * t,
    "slow both": lambda t: t * t * (3 - 2 * t),
}
CHARTS = tuple(_WAYS)

LEAST, MOST = -0.5, 1.5
"""Shares may lie before the first drawing (a wind-up) and beyond the last (an over-shoot), so far."""


def spacing(chart: str | Sequence[float], drawings: int, lag: float = 0.0) -> list[float]:
    """How far on the way from the first drawing, 0, to the last, 1, each of the drawings between lies.

    chart: one of CHARTS, or the shares themselves, LEAST to MOST. "ease in" gathers drawings at the last one, "ease out"
    at the first. lag: how many drawings later a part sets out that arrives with the others; below 0 it arrives so much
    earlier. Raises ValueError for what is none of these.
    """
    if not abs(lag) < drawings + 1:
        raise ValueError(f"a part can lag behind by at most {drawings} drawings here")
    late = lag / (drawings + 1)
    even = np.arange(1, drawings + 1) / (drawings + 1)
    even = np.clip((even - late) / (1 - late) if late > 0 else even / (1 + late), 0, 1)
    if not isinstance(chart, str):
        shares = [float(v) for v in chart]
        if len(shares) != drawings or any(not LEAST <= v <= MOST for v in shares):
            raise ValueError(f"a spacing of your own needs {drawings} shares between {LEAST} and {MOST}")
        steps = np.linspace(0, 1, drawings + 2)
        return np.interp(even, steps, [0.0, *shares, 1.0]).tolist()
    return [eased(chart, float(v)) for v in even]


def eased(chart: str, time: float) -> float:
    """How far on the way one is when a share of the time has passed, both 0..1. Raises ValueError for an unknown chart."""
    if chart not in _WAYS:
        raise ValueError(f"“{chart}” is not a spacing chart; choose one of {', '.join(CHARTS)}")
    return _WAYS[chart](time)
