"""The picture of a frame: a tree of layers, evaluated once."""

from .evaluate import flattened, render, render_both
from .layers import (
    Blend,
    Computed,
    Cover,
    Flats,
    Frame,
    Gradient,
    Ink,
    Layer,
    Mask,
    Matrix,
    Picture,
    Plain,
    Role,
    Shades,
    Source,
    by_kind,
    seen_together,
)

__all__ = [
    "Blend", "Computed", "Cover", "Flats", "Frame", "Gradient", "Ink", "Layer", "Mask", "Matrix", "Picture", "Plain", "Role", "Shades", "Source",
    "by_kind", "flattened", "render", "render_both", "seen_together",
]  # fmt: skip
