"""What is decided once for all drawings of a run: what each coloured pencil is for."""

from __future__ import annotations

from collections.abc import Sequence

from ..paper import Pencil
from .settings import SAME_HUE


def agreed(seen: Sequence[Sequence[tuple[Pencil, str]]]) -> tuple[tuple[float, str], ...]:
    """(hue in degrees, role) of the pencils of a run, as `CleanupSettings.pencils` takes them.

    seen: of each drawing its pencils and what each would be taken for by itself, as `pencils_of` gives them. Every drawing has
    one voice, however much is drawn in it with a pencil: a drawing full of construction is not worth more than six others.
    Where voices are even a pencil is drawing: line that is lost is harder to find than line too many.
    """
    groups: list[list[tuple[float, str, int]]] = []
    votes = [(p.hue, role, number) for number, own in enumerate(seen) for p, role in own]
    for hue, role, number in sorted(votes):
        near = next((g for g in groups if _apart(g[0][0], hue) < SAME_HUE), None)
        if near is None:
            groups.append([(hue, role, number)])
        else:
            near.append((hue, role, number))
    found = []
    for group in groups:
        voices: dict[int, list[str]] = {}
        for _, role, number in group:
            voices.setdefault(number, []).append(role)
        ignored = sum(roles.count("ignore") / len(roles) for roles in voices.values())
        middle = sorted(hue for hue, _, _ in group)[len(group) // 2]
        found.append((middle, "ignore" if ignored > len(voices) / 2 else "use"))
    return tuple(found)


def _apart(a: float, b: float) -> float:
    return abs((a - b + 180) % 360 - 180)
