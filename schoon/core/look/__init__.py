"""What pots, lines and tones look like in a colour key."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from ..model import Rgb, Rgba
from .rules import GREYS, PLAIN, ToneRule

INK: Rgb = (29, 43, 58)
"""The colour of lines where no key says another."""


@dataclass(frozen=True)
class Look:
    """pots: pot -> RGBA of its base. tones: kind of tone -> pot -> its RGB: the colour that was chosen, or what the key's rule
    makes of the base. lines: pot -> RGB of those somebody chose. ink: of lines that belong to no pot. backdrop: what the
    key is judged on. parts: pot -> the part it belongs to.
    """

    pots: Mapping[int, Rgba] = field(default_factory=dict)
    tones: Mapping[str, Mapping[int, Rgb]] = field(default_factory=dict)
    lines: Mapping[int, Rgb] = field(default_factory=dict)
    ink: Rgb = INK
    backdrop: Rgb = (255, 255, 255)
    parts: Mapping[int, str] = field(default_factory=dict)

    def key(self) -> tuple[object, ...]:
        """What a picture derives from, as plain values."""
        tables = (self.pots, *(self.tones[kind] for kind in sorted(self.tones)), self.lines)
        named = tuple(sorted(self.tones))
        parts = tuple(sorted(self.parts.items()))
        return (named, parts, *(tuple(sorted(table.items())) for table in tables), self.ink, self.backdrop)

    def inked(self) -> Look:
        """The same without any paint: only the line is seen."""
        return Look(ink=self.ink, backdrop=self.backdrop)


__all__ = ["GREYS", "INK", "PLAIN", "Look", "ToneRule"]
