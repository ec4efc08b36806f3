"""Stitches: unseen strokes that shut a gap for the paint."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from ..strokes import Points, new_id

State = Literal["taken", "open", "left"]


@dataclass(frozen=True, eq=False)
class Stitch:
    """points: (k, 2) polyline in px. doubt: 0 (plain) to 1. width: of the gap, px.
    state: taken shuts the gap, left keeps it open, open is not judged yet. reason: why it was proposed.
    """

    points: Points
    doubt: float
    reason: str
    state: State = "open"
    by: Literal["proposal", "hand"] = "proposal"
    id: str = field(default_factory=new_id)

    @property
    def width(self) -> float:
        return float(np.hypot(*(self.points[-1] - self.points[0])))

    def to_dict(self) -> dict[str, Any]:
        """A JSON-ready mapping; co-ordinates rounded to 1/100 px."""
        return {
            "id": self.id,
            "points": np.round(self.points, 2).tolist(),
            "doubt": round(self.doubt, 3),
            "reason": self.reason,
            "state": self.state,
            "by": self.by,
        }

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Stitch:
        """The inverse of `to_dict`. Raises ValueError or KeyError on malformed data."""
        points = np.asarray(data["points"], float).reshape(-1, 2)
        if len(points) < 2 or not np.isfinite(points).all():
            raise ValueError("a stitch needs two finite points")
        return cls(
            points, float(data["doubt"]), str(data["reason"]), data["state"], data["by"], str(data["id"])
        )
