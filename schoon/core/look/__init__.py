"""What pots, lines and tones look like in a colour key."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from ..model import Rgb, Rgba

INK: Rgb = (29, 43, 58)
"""The colour of lines where no key says another."""


@dataclass(frozen=True)
class Look:
    """pots: pot -> RGBA of its base. shades, lights, lines: pot -> RGB of those somebody chose. ink: of lines that belong
    to no pot. backdrop: what the key is judged on.
    """

    pots: Mapping[int, Rgba] = field(default_factory=dict)
    shades: Mapping[int, Rgb] = field(default_factory=dict)
    lights: Mapping[int, Rgb] = field(default_factory=dict)
    lines: Mapping[int, Rgb] = field(default_factory=dict)
    ink: Rgb = INK
    backdrop: Rgb = (255, 255, 255)

    def key(self) -> tuple[object, ...]:
        """What a picture derives from, as plain values."""
        tables = (self.pots, self.shades, self.lights, self.lines)
        return (*(tuple(sorted(table.items())) for table in tables), self.ink, self.backdrop)

    def inked(self) -> Look:
        """The same without any paint: only the line is seen."""
        return Look(ink=self.ink, backdrop=self.backdrop)
