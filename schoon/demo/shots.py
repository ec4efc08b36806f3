"""The shots of the demo: how Pim moves, what is true in each drawing, and its rough."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.exposure import kept_alive
from ..core.strokes import Points
from .pim import Pose, draw
from .roughs import pencil_rough
from .shapes import Flat, ellipse, flatten, limb

SIZE = (1920, 1080)
_SCALE = 0.94
_RISE, _RUN = 92.0, 150.0
_HELD = 26


@dataclass(frozen=True)
class DemoDrawing:
    """number, kind (key, breakdown, inbetween), the pose and how loosely it is drawn."""

    number: int
    kind: str
    pose: Pose
    looseness: float

    def truth(self) -> Flat:
        """Visible lines and pots as they truly are."""
        return flatten(draw(self.pose), SIZE)

    def rough(self, truth: Flat | None = None) -> NDArray[np.uint8]:
        """(1080, 1920, 3) RGB; the same drawing always comes out the same."""
        truth = truth or self.truth()
        random = np.random.default_rng([self.number, int(self.pose.place[0])])
        return pencil_rough(truth.lines, _guides(self.pose), SIZE, self.looseness, random)


def _ease(t: float) -> float:
    t = min(max(t, 0.0), 1.0)
    return t * t * (3 - 2 * t)


def _between(a: tuple[float, float], b: tuple[float, float], t: float) -> tuple[float, float]:
    return (a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t)


def stair() -> list[DemoDrawing]:
    """Sixteen drawings on twos: Pim climbs two stairs with the lantern.

    While one boot is in the air the other one and its sole hold; at both ends of a step the trunk holds too,
    and only scarf, tail and lantern move.
    """
    drawings = []
    stairs = [(620.0 + _RUN * k, 880.0 - _RISE * k) for k in range(4)]
    for k in range(16):
        step, phase = divmod(k, 8)
        t = min(max((phase - 1) / 5.5, 0.0), 1.0)
        go = _ease(t)
        lift = np.sin(np.pi * go)
        moving = _between(stairs[step], stairs[step + 2], go)
        moving = (moving[0] - 20 * lift, moving[1] - 62 * lift)
        planted = stairs[step + 1]
        near, far = (moving, planted) if step == 0 else (planted, moving)
        start = _between(stairs[step], stairs[step + 1], 0.5)
        end = _between(stairs[step + 1], stairs[step + 2], 0.5)
        root = _between(start, end, go)
        dip = 20 * np.sin(np.pi * min(t * 2.2, 1.0)) if t < 0.46 else 0.0
        place = (root[0] + 6, root[1] - 118 + dip - 8 * lift)
        squash = 1 + 0.07 * dip / 20 - 0.05 * lift

        def local(foot: tuple[float, float], place: tuple[float, float] = place) -> tuple[float, float]:
            return ((foot[0] - place[0]) / _SCALE, (foot[1] - place[1]) / _SCALE)

        sway = np.sin(2 * np.pi * (k / 8 + 0.1))
        pose = Pose(
            place=place,
            size=_SCALE,
            lean=3 + 7 * lift,
            squash=squash,
            head=-3 * lift + 2 * (dip / 20),
            look=(7, -3 + 4 * lift),
            blink=1.0 if k == 9 else 0.45 if k in (8, 10) else 0.0,
            near_foot=local(near),
            far_foot=local(far),
            near_toe=-16 * lift if step == 0 else 0.0,
            far_toe=-16 * lift if step == 1 else 0.0,
            near_hand=(172 + 8 * lift, -118 - 10 * lift),
            far_hand=(70 + 18 * sway, -66),
            swing=11 * np.sin(2 * np.pi * (k / 8 - 0.12)),
            scarf=k / 8,
            tail=0.8 * sway,
            flame=1 + 0.07 * np.sin(2.4 * k),
        )
        kind = "key" if phase in (0, 3, 7) else "breakdown" if phase == 5 else "inbetween"
        drawings.append(
            DemoDrawing(k + 1, kind, pose, 0.85 if kind == "key" else 0.6 if kind == "breakdown" else 0.4)
        )
    return drawings


def lookout() -> list[DemoDrawing]:
    """Ten drawings: Pim lifts the lantern and looks up, and the lamp flares; the last pose is drawn three times, and held."""
    first = Pose(
        place=(900, 730), size=1.05, lean=2, near_hand=(150, -96), near_foot=(46, 150), far_foot=(-34, 150)
    )
    last = replace(
        first,
        lean=-6,
        head=-16,
        look=(8, -9),
        near_hand=(196, -236),
        squash=0.96,
        flame=1.5,
        far_hand=(30, -60),
    )
    drawings = []
    for k in range(8):
        t = _ease(k / 6.5)
        a, b = vars(first), vars(last)
        mixed: dict[str, Any] = {
            name: _between(a[name], b[name], t)
            if isinstance(a[name], tuple)
            else a[name] + (b[name] - a[name]) * t
            for name in a
        }
        pose = replace(
            Pose(**mixed),
            scarf=k / 8,
            swing=9 * np.sin(k * 0.9),
            tail=0.7 * np.sin(k * 0.8),
            far_hand=(-20 + 50 * t, -50),
        )
        kind = "key" if k in (0, 7) else "breakdown" if k == 3 else "inbetween"
        drawings.append(DemoDrawing(k + 1, kind, pose, 0.9 if kind == "key" else 0.55))
    held = drawings[-1].pose
    drawings += [DemoDrawing(number, "inbetween", held, 0.55) for number in (9, 10)]
    return drawings


def exposed(drawings: Sequence[DemoDrawing]) -> tuple[dict[int, int], int]:
    """Number of the drawing that stands from each frame, and how many frames: on twos, and a pose that was drawn several
    times at the end is kept alive by its drawings."""
    held = [d.number for d in drawings if d.pose == drawings[-1].pose]
    moving = len(drawings) - len(held)
    starts = {1 + 2 * k: d.number for k, d in enumerate(drawings[:moving])}
    pieces = kept_alive(held, _HELD, 2) if len(held) > 1 else [(held[0], 2)]
    frame = 2 * moving + 1
    for number, frames in pieces:
        assert number is not None
        starts[frame] = number
        frame += frames
    return starts, frame - 1


def _guides(pose: Pose) -> list[Points]:
    """Construction an animator leaves: ball of the head, mass of the trunk, line of action, ground."""
    x, y = pose.place
    s = pose.size
    head = (x + (20 + 2.6 * pose.lean) * s, y - 330 * s)
    trunk = ellipse((x, y - 96 * s), 122 * s, 168 * s, pose.lean)
    ball = ellipse(head, 112 * s, 108 * s, pose.lean + pose.head)
    action = limb(
        [(head[0] + 20, head[1] - 190 * s), (x + 30, y - 120 * s), (x - 20, y + 190 * s)], [1.0, 1.0]
    )
    ground = np.array([[x - 330 * s, y + 205 * s], [x + 330 * s, y + 199 * s]])
    half = action[: len(action) // 2]
    return [trunk, ball, half, np.linspace(ground[0], ground[1], 60)]
