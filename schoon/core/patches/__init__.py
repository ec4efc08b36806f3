"""Patches: closed areas that meet under the line."""

from .regions import (
    Patches,
    add_stitches,
    find_patches,
    grow,
    outlines,
    pack,
    patches_within,
    unpack,
    wall_of,
)

__all__ = [
    "Patches",
    "add_stitches",
    "find_patches",
    "grow",
    "outlines",
    "pack",
    "patches_within",
    "unpack",
    "wall_of",
]
