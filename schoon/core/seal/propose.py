"""Gaps in a line drawing and the stitches that would shut them.

Every neck of the white is a possible gap. How likely the white on either side of it is two forms is one probability over
all kinds of line, learnt from drawings with known forms by `bench/train_seal.py`; the whole drawing is then decided at once.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.special import expit

from .. import forest
from ..strokes import Points
from .choosing import forms_of, parts_alone
from .ends import Seen, seen
from .model import Stitch
from .necks import Necks, necks_of

TAKE_BELOW = 0.5
"""Proposals under this doubt are taken without asking."""

_SHOWN, _SHOWN_ANYWAY = 0.1, 0.35
"""Chance from which a neck is shown as a gap though it is left open: where shutting it parts a form, and where it does not."""

_FORWARD = 0.8
"""Log odds added to all: a form that runs out is a greater fault than one cut in two."""

_SUREST = 5.5
"""No neck says more than this, in log odds: one wrong reading may not outweigh several right ones."""

_HOLD = 1.5
"""How far a stitch goes into the ink, px."""

_ASIDE = 6.0
"""How far the tip of a line may lie from its end of a neck for a stitch to go to it, px."""

_THIN = 3.0
"""Thinner lines than this, px, are looked at enlarged."""

_SLIVER = 2.0
"""Pens² under which an area along the edge of the picture is no form."""

_INKED = 0.6
"""A picture with more ink than this is no line drawing."""


def line_width(ink: NDArray[np.bool_]) -> float:
    """Typical full width of the lines of an (h, w) ink mask, px; 0 without ink, or without paper."""
    if not ink.any() or ink.all():
        return 0.0
    depth = cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 5)
    crest = depth[(depth >= cv2.dilate(depth, np.ones((3, 3)))) & ink]
    return float(max(2 * np.median(crest) - 1.0, 1.0))


def propose_stitches(ink: NDArray[np.bool_]) -> list[Stitch]:
    """Stitches for an (h, w) ink mask, those under `TAKE_BELOW` taken, the rest open. Doubt is the chance that the stitch parts
    what is one form."""
    pen = line_width(ink)
    if pen == 0 or ink.mean() > _INKED:
        return []
    # Outlines of a line of one or two pixels are too near to each other.
    zoom = int(np.ceil(_THIN / pen))
    if zoom > 1:
        ink, pen = ink.repeat(zoom, axis=0).repeat(zoom, axis=1), pen * zoom
    necks = necks_of(ink, pen)
    if not len(necks.ends):
        return []
    look = seen(ink, necks, pen)
    odds = odds_of(forest.learnt(__package__, "seal.npz", "gap").scores(look.measures)[:, 0])
    form, between = forms_of(necks.rooms, len(necks.areas), odds)
    sides = form[necks.rooms]
    shut = sides[:, 0] != sides[:, 1]
    chance = expit(odds)
    left = np.flatnonzero(~shut)
    shown = np.zeros(len(odds), bool)
    shown[left] = chance[left] >= np.where(parts_alone(necks.rooms, left), _SHOWN, _SHOWN_ANYWAY)
    # Between a line and the edge beside it there is no form that could be open.
    slivers = necks.at_edge.any(axis=1) & (necks.areas[necks.rooms].min(axis=1) < _SLIVER * pen**2)
    shown &= ~slivers
    found = []
    for k in np.flatnonzero(shut | shown).tolist():
        a, b = sides[k].tolist()
        sure = chance[k] if a == b else float(expit(between[a][b]))
        doubt = float(1 - sure)
        # What the whole drawing leaves open is not taken, however much it looks like a gap by itself.
        doubt = min(doubt, TAKE_BELOW - 0.001) if shut[k] else max(doubt, TAKE_BELOW)
        found.append(
            Stitch(
                _drawn(necks, look, k, ink.shape) / zoom, doubt, _reason(necks, look, k),
                "taken" if shut[k] else "open",
            )
        )  # fmt: skip
    return found


def odds_of(learnt: NDArray[np.float64]) -> NDArray[np.float64]:
    """What is gone by, log odds, for what was learnt of necks."""
    return np.clip(learnt + _FORWARD, -_SUREST, _SUREST)


def _reason(necks: Necks, look: Seen, k: int) -> str:
    free = int((look.free[k] > 0.5).sum())
    if necks.at_edge[k].any():
        return "an end at the edge of the picture"
    return (
        "a narrow passage between two lines", "an end that stops short of a line", "two ends that face each other"
    )[free]  # fmt: skip


def _drawn(necks: Necks, look: Seen, k: int, shape: tuple[int, ...]) -> Points:
    """The line that shuts a neck, px: along the curve of two ends that face each other, else straight."""
    ends, tips = necks.ends[k], look.tips[k]
    # A tip that lies far from where the neck is narrowest may leave it open.
    near = np.hypot(*(tips - ends).T) <= _ASIDE
    a, b = np.where(((look.free[k] > 0.5) & near)[:, None], tips, ends)
    gap = float(np.hypot(*(b - a)))
    way = (b - a) / max(gap, 1e-9)
    if gap > 4 and (look.free[k] > 0.6).all():
        t = np.linspace(0, 1, 9)[:, None]
        s = 1 - t
        out, back = look.outward[k] * gap / 3
        points = s**3 * a + 3 * s * s * t * (a + out) + 3 * s * t * t * (b + back) + t**3 * b
    else:
        points = np.stack([a, b])
    points = np.concatenate([[a - _HOLD * way], points, [b + _HOLD * way]])
    return np.asarray(np.clip(points, 0, [shape[1] - 1, shape[0] - 1]) + 0.5)
