"""Where the light of a level stands in each of its drawings."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..core import exposure
from ..core.tone import Light
from ..store import Cursor, productions
from ..store.states import Lights, LightState


@dataclass(frozen=True)
class Lit:
    """Light for a figure, and for parts with one of their own: light and the share that lies in shade."""

    whole: tuple[Light, float] | None
    parts: Mapping[str, tuple[Light, float]]

    def of(self, part: str) -> tuple[Light, float] | None:
        """The light that falls on a part."""
        return self.parts.get(part, self.whole)


def light_at(lights: Mapping[int, LightState], frame: int) -> LightState | None:
    """The light at a frame: between two it goes the short way round, evenly; before the first and after the last it stands.
    None if there is none."""
    if not lights:
        return None
    frames = sorted(lights)
    after = bisect_right(frames, frame)
    if after == 0 or after == len(frames):
        return lights[frames[max(0, after - 1)]]
    a, b = lights[frames[after - 1]], lights[frames[after]]
    share = (frame - frames[after - 1]) / (frames[after] - frames[after - 1])
    turn = (b.azimuth - a.azimuth + 180) % 360 - 180
    return LightState(
        azimuth=(a.azimuth + share * turn) % 360,
        height=float(np.interp(share, [0, 1], [a.height, b.height])),
        amount=float(np.interp(share, [0, 1], [a.amount, b.amount])),
    )


def lights_of(cursor: Cursor, shot_id: int, level_id: int, drawings: Sequence[int]) -> dict[int, list[Lit]]:
    """Colour key, 0 for all that have no light of their own, -> the light on each drawing of a level, in the frame where it is
    first seen; one never seen has that of frame 1."""
    level = productions.stack_of(cursor, shot_id).levels[level_id]
    time = productions.time_of(cursor, shot_id)
    first: dict[int, int] = {}
    for start, _, drawing in exposure.spans(time.levels[level_id], time.frames):
        first.setdefault(drawing, start)
    frames = [first.get(drawing, 1) for drawing in drawings]
    return {key: _through(lights, frames) for key, lights in {0: level.lights, **level.key_lights}.items()}


def _through(lights: Lights, frames: Sequence[int]) -> list[Lit]:
    """Lights at each of some frames."""
    return [
        lit_of({part: light for part, own in lights.items() if (light := light_at(own, frame))})
        for frame in frames
    ]


def lit_of(at: Mapping[str, LightState]) -> Lit:
    """part, or "" for the whole figure, -> light, as it is computed with."""
    own = {part: (Light(state.azimuth, state.height), state.amount) for part, state in at.items()}
    return Lit(own.get(""), {part: light for part, light in own.items() if part})
