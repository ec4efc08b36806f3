"""The picture of a frame: a tree of layers, evaluated once."""

from .evaluate import flattened, render
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
    "by_kind", "flattened", "render", "seen_together",
]  # fmt: skip
