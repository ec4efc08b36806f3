"""Where the lines of a rough run: orientation-coherent ridge detection.

Curvilinear structure detection (C. Steger, 1998) with smoothing that is long along the line and short across
it (after H. Kang, S. Lee and C. K. Chui, 2007), so that the searching strokes of one line fuse while
neighbouring contours stay apart.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

ORIENTATIONS = 16


@dataclass(frozen=True)
class Ridges:
    """strength: (h, w) ridge response, about the mean density of a line as wide as the scale.
    angle: (h, w) direction of the line in radians, 0..pi. scale: sigma across the line, px.
    """

    strength: NDArray[np.float32]
    angle: NDArray[np.float32]
    scale: float


def _kernel(scale: float, elongation: float, angle: float) -> NDArray[np.float32]:
    along, across = scale * elongation, scale
    reach = int(np.ceil(3 * along))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float64)
    u = x * np.cos(angle) + y * np.sin(angle)
    v = -x * np.sin(angle) + y * np.cos(angle)
    bell = np.exp(-0.5 * (u / along) ** 2 - 0.5 * (v / across) ** 2)
    kernel = (1 - (v / across) ** 2) * bell
    kernel -= kernel.mean()
    # A long line of half-width `scale` and density 1 answers 1.
    line = np.abs(v) <= scale
    return (kernel / kernel[line].sum()).astype(np.float32)


def detect(density: NDArray[np.float32], scale: float, elongation: float = 2.5) -> Ridges:
    """Ridges of an (h, w) density picture at one scale (sigma across the line, px)."""
    strength = np.full(density.shape, -np.inf, np.float32)
    angle = np.zeros(density.shape, np.float32)
    for number in range(ORIENTATIONS):
        turn = np.pi * number / ORIENTATIONS
        answer = cv2.filter2D(
            density, cv2.CV_32F, _kernel(scale, elongation, turn), borderType=cv2.BORDER_REPLICATE
        )
        better = answer > strength
        np.copyto(strength, answer, where=better)
        angle[better] = turn
    return Ridges(np.maximum(strength, 0), angle, scale)


def centre_mask(ridges: Ridges, low: float, high: float) -> NDArray[np.bool_]:
    """(h, w) mask of ridge bodies: above `low`, and connected to a place above `high` or long.

    Grain makes short ridges only, so a long one is a line however lightly it was drawn.
    """
    body = (ridges.strength > low).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(body, connectivity=8)
    extent = stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(axis=1)
    strong = extent > 16 * ridges.scale
    strong[np.unique(labels[ridges.strength > high])] = True
    strong[0] = False
    return np.asarray(strong[labels])


def settle(points: NDArray[np.float64], density: NDArray[np.float32], window: float) -> NDArray[np.float64]:
    """Moves the (k, 2) points of a polyline across it into the middle of the strokes that search for it.

    window: sigma in px of how far to the sides strokes still belong to the line. Each point goes to the weighted
    mean of the density across the line (mean shift); the shifts are smoothed along the line, so that one stroke
    of the bundle that ends does not make a step.
    """
    if len(points) < 5:
        return points
    # A light stroke says as much about where the line runs as a dark one.
    present = np.minimum(density, 0.3)
    for _ in range(2):
        tangent = np.gradient(points, axis=0)
        tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
        normal = np.c_[-tangent[:, 1], tangent[:, 0]]
        offsets = np.arange(-2.0 * window, 2.0 * window + 0.01, 0.5)
        at = (points[:, None, :] + offsets[None, :, None] * normal[:, None, :]).astype(np.float32)
        profile = cv2.remap(present, at, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        weights = profile * np.exp(-0.5 * (offsets / window) ** 2)
        total = weights.sum(axis=1)
        shift = np.where(total > 0.05, (weights * offsets).sum(axis=1) / np.maximum(total, 0.05), 0.0)
        shift = ndi.gaussian_filter1d(shift, 2.0 * window, mode="nearest")
        points = points + np.clip(shift, -window, window)[:, None] * normal
    return points
