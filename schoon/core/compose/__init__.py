"""The picture of a frame: a tree of layers, evaluated once."""

from .evaluate import render
from .layers import (
    Blend,
    Cover,
    Flats,
    Frame,
    Gradient,
    Ink,
    Layer,
    Mask,
    Picture,
    Plain,
    Role,
    Shades,
    Source,
)

__all__ = [
    "Blend", "Cover", "Flats", "Frame", "Gradient", "Ink", "Layer", "Mask", "Picture", "Plain", "Role", "Shades", "Source",
    "render",
]  # fmt: skip
