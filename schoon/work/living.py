"""A drawing as it is after it was drawn once more, or bent: lines, gaps, paint and tones go together."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ..core.run import Sway, redrawn
from ..core.strokes import Points
from .documents import Sheet


def drawn_anew(sheet: Sheet, reach: float, seed: int) -> Sheet:
    """The sheet with its lines drawn once more, `reach` px off. What is kept by places survives so small a change."""
    return replace(sheet, strokes=redrawn(sheet.strokes, sheet.size, reach, seed))


def swayed(sheet: Sheet, sway: Sway, share: float) -> Sheet:
    """The sheet bent, a share of the way."""

    def move(points: Points) -> Points:
        return sway.at(np.asarray(points, float).reshape(-1, 2), share)

    return replace(
        sheet,
        strokes=sway.bent(sheet.strokes, sheet.size, share),
        behind={k: sway.bent(hidden, sheet.size, share) for k, hidden in sheet.behind.items()},
        stitches=[replace(s, points=move(s.points)) for s in sheet.stitches],
        spots=[replace(spot, at=_place(spot.at, move)) for spot in sheet.spots],
        tones=[
            replace(t, rings=tuple(map(move, t.rings)), at=tuple(_place(p, move) for p in t.at))
            for t in sheet.tones
        ],
    )


def _place(at: tuple[float, float], move: Callable[[Points], Points]) -> tuple[float, float]:
    x, y = move(np.array([at]))[0]
    return float(x), float(y)
