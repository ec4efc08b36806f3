"""Patches: closed areas that meet under the line."""

from .regions import (
    OpenPatches,
    Patches,
    add_stitches,
    fill_nearest,
    find_patches,
    grow,
    most_of,
    outlines,
    pack,
    patches_of,
    patches_within,
    unpack,
    unpack_coarse,
    unpack_open,
    wall_of,
)

__all__ = [
    "OpenPatches",
    "Patches",
    "add_stitches",
    "fill_nearest",
    "find_patches",
    "grow",
    "most_of",
    "outlines",
    "pack",
    "patches_of",
    "patches_within",
    "unpack",
    "unpack_coarse",
    "unpack_open",
    "wall_of",
]
