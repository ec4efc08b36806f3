"""Models and colour keys: colours as artists write them."""

from __future__ import annotations

import re

Rgb = tuple[int, int, int]
Rgba = tuple[int, int, int, int]


def parse_colour(text: str) -> Rgb:
    """Red, green and blue 0..255 of "#rrggbb". Raises ValueError."""
    if not re.fullmatch(r"#[0-9a-fA-F]{6}", text):
        raise ValueError(
            f"“{text}” is not a colour; write it as # and six hexadecimal digits, such as #e8b422"
        )
    return int(text[1:3], 16), int(text[3:5], 16), int(text[5:7], 16)


def write_colour(colour: Rgb) -> str:
    """ "#rrggbb" of red, green and blue 0..255."""
    return "#{:02x}{:02x}{:02x}".format(*colour)
