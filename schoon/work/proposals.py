"""Proposed strokes, and how they go together with what is in a drawing already."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..core.cleanup import CleanupSettings, propose_strokes
from ..core.strokes import Stroke, sample, strokes_to_dicts
from ..formats.pictures import decode


def find_lines(name: str, body: bytes, reading: Mapping[str, Any]) -> list[dict[str, Any]]:
    """Strokes found in a rough, as documents keep them. reading: as `CleanupSettings`.

    Raises Refusal if the picture cannot be read.
    """
    return strokes_to_dicts(find_in(decode(name, body), reading))


def find_in(picture: NDArray[np.uint8], reading: Mapping[str, Any]) -> list[Stroke]:
    """Strokes found in a rough. reading: as `CleanupSettings`, from JSON."""
    return propose_strokes(picture, settings_of(reading))


def settings_of(reading: Mapping[str, Any]) -> CleanupSettings:
    """The settings that a reading from JSON names."""
    pencils = tuple((float(hue), str(role)) for hue, role in reading.get("pencils", ()))
    return CleanupSettings(**{**reading, "pencils": pencils, "keep": tuple(reading.get("keep", ()))})


def keep_hand(present: Sequence[Stroke], proposed: Sequence[Stroke]) -> list[Stroke]:
    """The strokes a hand has made, and the proposals that do not run along them."""
    hand = [s for s in present if s.by == "hand"]
    return hand + besides(proposed, hand)


def besides(proposed: Sequence[Stroke], others: Sequence[Stroke]) -> list[Stroke]:
    """The proposals that do not run along any of the others for most of their length."""
    if not others:
        return list(proposed)
    drawn = cKDTree(np.vstack([sample(stroke)[0] for stroke in others]))
    return [s for s in proposed if (drawn.query(sample(s)[0])[0] < 1.5 * s.widths.max()).mean() < 0.6]


def taking_place(present: Sequence[Stroke], new: Sequence[Stroke], part: str = "") -> list[Stroke]:
    """The present strokes with new ones in the place of those they stand for: the same track, lines that run along
    them, or with `part` that whole part. Strokes a hand made only give way to their own track or part."""
    tracks = {s.track for s in new if s.track}
    kept = [s for s in present if (s.track or s.id) not in tracks and not (part and s.part == part)]
    hand = [s for s in kept if s.by == "hand"]
    return hand + besides([s for s in kept if s.by != "hand"], new) + list(new)
