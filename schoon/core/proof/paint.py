"""Rules of paint: what changes its colour for a moment, is left out, left over, or runs out of its form."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import groupby, pairwise

import numpy as np

from .findings import Act, Finding
from .run import Run
from .sights import Sight

_MOMENT = 2
"""Drawings for which a colour may be another one to be a fault; longer it is meant."""

_AS_LARGE = 0.4
"""Share of its size that a patch keeps between neighbours, or it is not the same thing."""

_AT_ENDS = 0.75
"""The same where a patch comes or goes and has one neighbour only, and how sure each step has to be."""

_OWN = 3
"""Drawings for which such a patch has to have its own colour on."""

_ASTRAY = 0.5
"""How far off the way between its neighbours a patch may lie, in roots of its area."""

_LEAST_SPECK = 2
"""px of the picture; a single one is left by every raster."""

_SPECK = 40.0
"""px² of a drawing of 1600 px across the corners under which what has no line round it is a speck."""

_NO_LINE = 0.5
"""Share of a rim with a line under which a patch was not drawn."""

_OUT = 0.15
"""Share of a rim that is open to the outside, from which on paint has run out of the figure."""

_BARE = 0.02
"""Share of a patch that is paper along its lines from which on a pale edge is seen."""

_BAND = 8.0
"""Width, px of a drawing of 1600 px across the corners, up to which paper beside a line is an edge left out."""

_OUT_MEANT = 0.5
"""Share of the drawings above which a painted outside is meant."""

_HALF_LINED = (0.25, 0.85)
"""Share of its rim with a line between which an unpainted patch has a line on one side and paint on the other."""

_JUMP = 0.5
"""Change of the shaded share of a patch that is seen as a flash."""


def flashes_and_holes(run: Run) -> Iterator[Finding]:
    """A tracked patch that has another pot, or none, for a drawing or two, and the one before again.

    Eyes that close together are one finding. Patches that change places, such as stripes that were taken for each other, are
    none.
    """
    found = list(_changes(run))
    for k, finding in enumerate(found):
        same = [
            f for f in found if f is not finding and f.drawings == finding.drawings and _near(run, f, finding)
        ]
        now = _pot_now(run, finding)
        if any(_pot_now(run, f) == finding.pot and f.pot == now for f in same):
            continue
        pair = [f for f in same if (f.pot, _pot_now(run, f)) == (finding.pot, now) and _alike(f, finding)]
        # Two are eyes; of three buttons each is a finding of its own.
        if len(pair) != 1:
            yield finding
        elif found.index(pair[0]) > k:
            both = "two that are alike change for a moment and back, as eyes do that close"
            yield replace(finding, words=both, area=finding.area + pair[0].area)


def _pot_now(run: Run, finding: Finding) -> int:
    return int(run.sights[finding.drawings[0]].pots[finding.patch])


def _near(run: Run, a: Finding, b: Finding) -> bool:
    reach = 4 * np.sqrt(max(a.area, b.area)) + 40 * run.sights[a.drawings[0]].unit
    return bool(a.at and b.at and np.hypot(a.at[0] - b.at[0], a.at[1] - b.at[1]) < reach)


def _alike(a: Finding, b: Finding) -> bool:
    return 0.5 < a.area / max(b.area, 1) < 2


def _changes(run: Run) -> Iterator[Finding]:
    for track in run.tracks:
        pots = [int(run.sights[n].pots[patch]) for n, patch in track]
        yield from _within(run, track, pots)
        yield from _at_end(run, track, pots)
        yield from _at_end(run, track[::-1], pots[::-1])


def _within(run: Run, track: list[tuple[int, int]], pots: list[int]) -> Iterator[Finding]:
    """Where a track has one pot, others or none for a moment, and the first one again."""
    for first in range(1, len(track)):
        right = pots[first - 1]
        if not right or pots[first] == right:
            continue
        end = next((k for k in range(first, len(track)) if pots[k] == right), len(track))
        before = next((k for k in range(first) if pots[first - 1 - k] != right), first)
        after = next((k for k in range(len(track) - end) if pots[end + k] != right), len(track) - end)
        if end == len(track) or end - first > min(_MOMENT, before + after - 1):
            continue
        own = range(first, end)
        if all(_as_large(run, track, k) and _on_its_way(run, track, k) for k in own):
            for pot, same in groupby(own, lambda k: pots[k]):
                where = list(same)
                yield _changed(run, [track[k] for k in where], pot, right, track[first - 1])


def _at_end(run: Run, track: list[tuple[int, int]], pots: list[int]) -> Iterator[Finding]:
    """The first patch of a track, which has a neighbour on one side only: that has to be sure. Another colour is told in the
    first and last drawing of the run alone: elsewhere it is more often something else that comes into sight."""
    n, patch = track[0]
    sight = run.sights[n]
    right = pots[1] if len(track) > 1 else 0
    if not right or pots[0] == right or not sight.painted or sight.areas[patch] <= _SPECK * sight.unit**2:
        return
    if pots[0] and n not in (0, len(run) - 1):
        return
    enough = _OWN if pots[0] else 1
    sure = min(run.links[m][own][1] for m, own in map(min, pairwise(track[: enough + 1])))
    if pots[1 : 1 + enough] == [right] * enough and sure > _AT_ENDS and _as_large(run, track, 0, _AT_ENDS):
        yield _changed(run, [track[0]], pots[0], right, track[1], once=True)


def _on_its_way(run: Run, track: list[tuple[int, int]], k: int) -> bool:
    """Whether a patch lies between where it is before and after."""
    (n, patch), (before, first), (after, last) = track[k], track[k - 1], track[min(k + 1, len(track) - 1)]
    centres = [run.sights[m].centres[p] for m, p in ((before, first), (n, patch), (after, last))]
    off = float(np.hypot(*(centres[1] - (centres[0] + centres[2]) / 2)))
    return off < _ASTRAY * float(np.sqrt(run.sights[n].areas[patch])) + 4 * run.sights[n].unit


def _as_large(run: Run, track: list[tuple[int, int]], k: int, least: float = _AS_LARGE) -> bool:
    """Whether a patch keeps its size: to both its neighbours, and for a hole, which nobody means, to one."""
    n, patch = track[k]
    own = run.sights[n].areas[patch]
    beside = [track[j] for j in (k - 1, k + 1) if 0 <= j < len(track)]
    keeps = [least < own / max(1, run.sights[m].areas[p]) < 1 / least for m, p in beside]
    return all(keeps) if run.sights[n].pots[patch] else any(keeps)


def _changed(
    run: Run, own: list[tuple[int, int]], pot: int, right: int, beside: tuple[int, int], once: bool = False
) -> Finding:
    """once: whether it is known from one side only."""
    first, patch = own[0]
    sight = run.sights[first]
    several = f" for {len(own)} drawings" if len(own) > 1 else ""
    if once:
        words = "has another colour than beside it" if pot else "is not painted, but in the drawing beside it"
    else:
        words = (
            f"takes another colour{several} and back"
            if pot
            else f"is not painted{several}, but before and after"
        )
    return Finding(
        "flash" if pot else "hole",
        tuple(at for at, _ in own),
        place_of(sight, patch),
        words,
        float(sight.areas[patch]),
        "pour",
        right,
        patch,
        beside[0],
        place_of(run.sights[beside[0]], beside[1]),
    )


def shade_flashes(run: Run) -> Iterator[Finding]:
    """A tracked patch whose shade comes or goes for one drawing."""
    for track in run.tracks:
        for k in range(1, len(track) - 1):
            before, now, after = (
                float(run.sights[n].shade[patch]) for n, patch in (track[k - 1], track[k], track[k + 1])
            )
            n, patch = track[k]
            sight = run.sights[n]
            enough = sight.areas[patch] > 400 * sight.unit**2
            if (
                enough
                and min(abs(now - before), abs(now - after)) > _JUMP
                and abs(before - after) < _JUMP / 2
            ):
                words = "is in shade" if now > before else "is out of the shade"
                yield Finding(
                    "flash", (n,), place_of(sight, patch), f"{words} for one drawing",
                    float(sight.areas[patch]) * abs(now - before), "shade", patch=patch, like=track[k - 1][0],
                )  # fmt: skip


def specks_and_spills(run: Run) -> Iterator[Finding]:
    """Dots of paint or paper without a line round them, and paint that begins where the figure ends."""
    for n, sight in enumerate(run.sights):
        for patch in np.flatnonzero(sight.figure & (sight.lined < 1 - _OUT)).tolist():
            area = float(sight.areas[patch])
            host = int(sight.host[patch])
            pot = int(sight.pots[patch])
            if area <= _SPECK * sight.unit**2:
                other = int(sight.pots[host]) if host != sight.background else 0
                if sight.lined[patch] < _NO_LINE and pot != other and area >= _LEAST_SPECK:
                    what = "paint of another colour" if pot else "paper"
                    act: Act = "pour" if other else "wipe"
                    yield Finding(
                        "speck", (n,), place_of(sight, patch), f"a dot of {what} is left over", area,
                        act, other, patch,
                    )  # fmt: skip
            elif pot and sight.open_out[patch] > _OUT:
                yield Finding(
                    "spill", (n,), place_of(sight, patch), "paint lies outside the figure", area, "wipe", 0, patch
                )  # fmt: skip


def outside_painted(run: Run) -> Iterator[Finding]:
    """Paint that reaches the paper's edge in a few drawings: a form that is open has let it out."""
    painted = [
        n for n, sight in enumerate(run.sights) if sight.background and sight.pots[sight.background] > 0
    ]
    # What is outside in most drawings is meant: a silhouette, a fill that is taken away.
    if len(painted) > _OUT_MEANT * len(run.sights):
        return
    for n in painted:
        sight = run.sights[n]
        patch = int(sight.background)
        yield Finding(
            "spill", (n,), place_of(sight, patch), "the outside of all forms is painted, to the paper's edge",
            float(sight.areas[patch]), "wipe", 0, patch,
        )  # fmt: skip


def halos(run: Run) -> Iterator[Finding]:
    """Paper that shows between the paint of a form and its line: left out of a patch, or a narrow patch of its own."""
    for n, sight in enumerate(run.sights):
        narrow = sight.figure & (sight.pots == 0) & (sight.wide < _BAND * sight.unit)
        beside = (sight.lined > _HALF_LINED[0]) & (sight.lined < _HALF_LINED[1]) & (sight.open_out < _OUT)
        for patch in np.flatnonzero(narrow & beside & (sight.areas > _SPECK * sight.unit**2)).tolist():
            pot = int(sight.pots[sight.host[patch]])
            yield Finding(
                "halo", (n,), place_of(sight, patch), "paper shows between paint and line",
                float(sight.areas[patch]), "pour" if pot else "look", pot, patch,
            )  # fmt: skip
        for patch in np.flatnonzero(sight.figure & (sight.pots != 0)).tolist():
            bare, area = float(sight.bare[patch]), float(sight.areas[patch])
            if bare > _SPECK * sight.unit**2 and bare > _BARE * area:
                yield Finding(
                    "halo", (n,), place_of(sight, patch), "paper shows between paint and line", bare, "pour",
                    int(sight.pots[patch]), patch,
                )  # fmt: skip


def place_of(sight: Sight, patch: int) -> tuple[float, float]:
    """A place inside a patch, as near its middle as there is one, px."""
    middle = sight.centres[patch]
    places = sight.places(patch)
    if len(places):
        middle = places[int(np.hypot(*(places - middle).T).argmin())]
    return float(middle[0]), float(middle[1])
