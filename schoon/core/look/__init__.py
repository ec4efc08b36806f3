"""What pots, lines and tones look like in a colour key."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..model import Rgb, Rgba
from .rules import PLAIN, ToneRule

INK: Rgb = (29, 43, 58)
"""The colour of lines where no key says another."""


@dataclass(frozen=True)
class Look:
    """pots: pot -> RGBA of its base. tones: kind of tone -> pot -> its RGB: the colour that was chosen, or what the key's rule
    makes of the base. lines: pot -> RGB of those somebody chose. ink: of lines that belong to no pot. backdrop: what the
    key is judged on. parts: pot -> the part it belongs to. of_key: the colour key whose tones are seen.
    """

    pots: Mapping[int, Rgba] = field(default_factory=dict)
    tones: Mapping[str, Mapping[int, Rgb]] = field(default_factory=dict)
    lines: Mapping[int, Rgb] = field(default_factory=dict)
    ink: Rgb = INK
    backdrop: Rgb = (255, 255, 255)
    parts: Mapping[int, str] = field(default_factory=dict)
    of_key: int = 0

    def key(self) -> tuple[object, ...]:
        """What a picture derives from, as plain values."""
        tables = (self.pots, *(self.tones[kind] for kind in sorted(self.tones)), self.lines)
        named = tuple(sorted(self.tones))
        parts = tuple(sorted(self.parts.items()))
        values = (tuple(sorted(table.items())) for table in tables)
        return (named, parts, *values, self.ink, self.backdrop, self.of_key)

    def inked(self) -> Look:
        """The same without any paint: only the line is seen."""
        return Look(ink=self.ink, backdrop=self.backdrop)


def mixed(first: Look, second: Look, share: float) -> Look:
    """A look on the way from one to another: share 0 is the first. In encoded values, as colours are laid on; the tones of the
    one that is nearer."""
    if share <= 0 or share >= 1:
        return second if share >= 1 else first

    def table(a: Mapping[int, tuple[int, ...]], b: Mapping[int, tuple[int, ...]]) -> dict[int, Any]:
        return {
            pot: between(a[pot], b[pot]) if pot in a and pot in b else (a.get(pot) or b[pot])
            for pot in {*a, *b}
        }

    def between(a: tuple[int, ...], b: tuple[int, ...]) -> Any:
        return tuple(round(x + share * (y - x)) for x, y in zip(a, b, strict=True))

    kinds = {*first.tones, *second.tones}
    return Look(
        table(first.pots, second.pots),
        {kind: table(first.tones.get(kind, {}), second.tones.get(kind, {})) for kind in kinds},
        table(first.lines, second.lines),
        between(first.ink, second.ink),
        between(first.backdrop, second.backdrop),
        first.parts,
        (second if share > 0.5 else first).of_key,
    )


__all__ = ["INK", "PLAIN", "Look", "ToneRule", "mixed"]
