"""A line drawing as a list of strokes: cubic Bézier centre lines with widths."""

from __future__ import annotations

import json
import uuid
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
Maker = Literal["proposal", "between", "hand"]
"""A reading of a rough or a fitting to it, an in-between, or a hand."""
Corner = Literal["round", "sharp"]


def new_id() -> str:
    """A short name for a stroke or stitch, unique in practice within one drawing."""
    return uuid.uuid4().hex[:10]


DOUBT_BELOW = 0.8
"""Confidence under which a proposed stroke is to be looked at. On bench roughs left out of the teaching, 97 % of the
length above it was right, and 93 % of what was drawn lay above it."""


@dataclass(frozen=True, eq=False)
class Stroke:
    """One clean line.

    controls: (3 n + 1, 2) control points of n cubic Bézier segments, in px of the drawing.
    widths: (n + 1,) full width of the line at each knot, px.
    confidence: chance 0..1 that it is a line of the drawing; for fitted lines, how much of it lies on the rough.
    by: who made it; what a hand has touched is never replaced by a proposal.
    part: name of the part of the model the line belongs to, "" for none.
    track: names the same line through the run; "" while it is in one drawing only.
    link: placement (a.real, a.imag, b.real, b.imag) of z -> a z + b from the track's common line to this drawing,
    for a line that changes in all drawings of its track at once; None for a line of its own.
    corner: how the pen turns a corner.
    filled: a closed line whose inside is ink: a black.
    opened: the ends are two although they may lie on each other: the line was closed and was cut.
    """

    controls: Points
    widths: NDArray[np.float64]
    confidence: float = 1.0
    by: Maker = "proposal"
    id: str = field(default_factory=new_id)
    part: str = ""
    track: str = ""
    link: tuple[float, float, float, float] | None = None
    corner: Corner = "round"
    opened: bool = False
    filled: bool = False

    def __post_init__(self) -> None:
        count = len(self.controls)
        if count < 4 or count % 3 != 1:
            raise ValueError(f"a stroke needs 3 n + 1 control points, not {count}")
        if len(self.widths) != (count - 1) // 3 + 1:
            raise ValueError("a stroke needs one width per knot")
        if not (np.isfinite(self.controls).all() and np.isfinite(self.widths).all()):
            raise ValueError("a stroke's numbers must be finite")

    @property
    def closed(self) -> bool:
        """Whether the stroke ends where it began, and was not cut there."""
        return not self.opened and bool(np.hypot(*(self.controls[0] - self.controls[-1])) < 1e-6)

    @property
    def black(self) -> bool:
        """Whether what it encloses is ink."""
        return self.filled and self.closed

    @property
    def doubtful(self) -> bool:
        """Whether a person should look at it."""
        return self.by != "hand" and self.confidence < DOUBT_BELOW

    @property
    def segments(self) -> Points:
        """(n, 4, 2) control points segment by segment."""
        starts = np.arange(0, len(self.controls) - 1, 3)
        return self.controls[starts[:, None] + np.arange(4)]

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of the control points, between which the middle of the line lies."""
        (left, top), (right, bottom) = self.controls.min(axis=0), self.controls.max(axis=0)
        return float(left), float(top), float(right), float(bottom)

    @cached_property
    def text(self) -> str:
        """The JSON of `to_dict`, its names in order: of a drawing's thousand strokes an edit changes one."""
        return json.dumps(self.to_dict(), sort_keys=True, separators=(",", ":"), allow_nan=False)

    def moved(self, offset: tuple[float, float]) -> Stroke:
        """The same stroke shifted by offset px."""
        return replace(self, controls=self.controls + np.asarray(offset, float))

    def to_dict(self) -> dict[str, Any]:
        """A JSON-ready mapping; numbers are rounded to 1/100 px."""
        data: dict[str, Any] = {
            "id": self.id,
            "points": np.round(self.controls, 2).ravel().tolist(),
            "widths": np.round(self.widths, 2).tolist(),
            "confidence": round(self.confidence, 3),
            "by": self.by,
        }
        if self.part:
            data["part"] = self.part
        if self.track:
            data["track"] = self.track
        if self.link:
            data["link"] = [round(v, 6) for v in self.link]
        if self.corner != "round":
            data["corner"] = self.corner
        if self.opened:
            data["opened"] = True
        if self.filled:
            data["filled"] = True
        return data

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Stroke:
        """The inverse of `to_dict`. Raises ValueError or KeyError on malformed data."""
        return cls(
            controls=np.asarray(data["points"], float).reshape(-1, 2),
            widths=np.asarray(data["widths"], float),
            confidence=float(data.get("confidence", 1.0)),
            by=data.get("by", "hand"),
            id=str(data["id"]),
            part=str(data.get("part", "")),
            track=str(data.get("track", "")),
            link=tuple(map(float, data["link"])) if data.get("link") else None,  # type: ignore[arg-type]
            corner=data.get("corner", "round"),
            opened=bool(data.get("opened", False)),
            filled=bool(data.get("filled", False)),
        )


def strokes_to_dicts(strokes: Iterable[Stroke]) -> list[dict[str, Any]]:
    """JSON-ready list of strokes."""
    return [stroke.to_dict() for stroke in strokes]


def strokes_from_dicts(data: Iterable[Mapping[str, Any]]) -> list[Stroke]:
    """The inverse of `strokes_to_dicts`."""
    return [Stroke.from_dict(item) for item in data]
