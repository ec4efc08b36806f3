"""Strokes: cubic Bézier centre lines with widths; fitting, editing, sampling and rasterising them."""

from .curves import arc_lengths, length, outline, resample, sample
from .fit import corner_indices, fit_curve, fit_curves, smooth_hand
from .model import Points, Stroke, new_id, strokes_from_dicts, strokes_to_dicts
from .raster import ink_coverage, walls
from .rule import LineRule, ruled

__all__ = [
    "LineRule",
    "Points",
    "Stroke",
    "arc_lengths",
    "corner_indices",
    "fit_curve",
    "fit_curves",
    "ink_coverage",
    "length",
    "new_id",
    "outline",
    "resample",
    "ruled",
    "sample",
    "smooth_hand",
    "strokes_from_dicts",
    "strokes_to_dicts",
    "walls",
]
