"""Rules of details: a button that is there before and after, or in one drawing alone."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from ..strokes import Points
from .findings import Finding
from .paint import place_of
from .run import Run
from .sights import Sight

_ENCLOSED = 0.9
"""Share of its surroundings that is one patch, from which on a patch lies on that as a detail."""

_LARGEST = 0.03
"""Share of what is painted that a detail may be."""

_SMALLEST = 12.0
"""px² of a drawing of 1600 px across the corners."""

_SIZES = 1.7
"""Times by which the same detail may be larger in another drawing."""

_ASTRAY = 0.6
"""How far from its place among its like the same detail may lie, in its own diameters; and at least, px."""
_AT_LEAST = 6.0

_ASIDE, _TOO_FAR, _LINES = 25.0, 3.0, 3.0
"""px of a drawing of 1600 px across the corners by which a shift may differ from what the lines about it say, for one detail
that it finds again; how often as far nothing is found again; and what all lines that lie on lines count in details."""

_LOOKED_INTO = 3
"""Drawings that are looked into for a detail which is gone."""

_OPEN = 0.9
"""Share of its place that has to lie open, or it is hidden and not missing."""


@dataclass(frozen=True)
class _Detail:
    patch: int
    pot: int
    area: float
    host: int

    @property
    def diameter(self) -> float:
        return float(2 * np.sqrt(self.area / np.pi))


Places = dict[int, tuple[int, Points]]
"""Detail -> the same one in another drawing, 0 for none, and where it lies or would lie there, px."""


def missing_and_extra(run: Run) -> Iterator[Finding]:
    """A detail that neighbours on both sides have and a drawing has not, where it would be seen; and the other way round."""
    details = [_details(sight) for sight in run.sights]
    onward = _Onward(run, details)
    for n, own in enumerate(details):
        for detail in own.values():
            yield from _missing(run, onward, n, detail)
            yield from _extra(run, details, onward, n, detail)


class _Onward:
    """The details of a drawing in later ones, looked for once when they are asked for."""

    def __init__(self, run: Run, details: list[dict[int, _Detail]]) -> None:
        self._run, self._details = run, details
        self._found: dict[tuple[int, int], Places] = {}

    def of(self, n: int, m: int) -> Places:
        """Those of drawing n in drawing m."""
        if (n, m) not in self._found:
            self._found[n, m] = _found_again(self._run, self._details, n, m)
        return self._found[n, m]


def _details(sight: Sight) -> dict[int, _Detail]:
    """Patch -> detail, of those that lie whole on another painted patch with a line round them."""
    on = sight.figure & (sight.hosted >= _ENCLOSED) & (sight.lined > 0.6) & (sight.pots != 0)
    on &= (sight.areas <= _LARGEST * sight.painted) & (sight.areas >= _SMALLEST * sight.unit**2)
    on &= (sight.host != 0) & (sight.host != sight.background)
    return {
        patch: _Detail(patch, int(sight.pots[patch]), float(sight.areas[patch]), int(sight.host[patch]))
        for patch in np.flatnonzero(on).tolist()
    }


def _found_again(run: Run, details: list[dict[int, _Detail]], n: int, m: int) -> Places:
    """The details of a drawing in another one. Details of one pot on one patch, such as a row of buttons, go together: by
    the shift that finds most of them again, and of such shifts by the one that goes with what lies about them."""
    a, b = run.sights[n], run.sights[m]
    found: Places = {}
    groups: dict[tuple[int, int], list[_Detail]] = {}
    for detail in details[n].values():
        groups.setdefault((detail.host, detail.pot), []).append(detail)
    for (_, pot), group in groups.items():
        others = [d for d in details[m].values() if d.pot == pot]
        here = a.centres[[d.patch for d in group]]
        if m == n + 1 and (sure := _linked(run, details, n, group)):
            found |= sure
            continue
        there = b.centres[[d.patch for d in others]] if others else np.zeros((0, 2))
        middle = here.mean(axis=0)
        expected = run.shift(n, m, middle)
        shifts = [expected] + [
            there[k] - at
            for at, detail in zip(here, group, strict=True)
            for k, other in enumerate(others)
            if _alike(detail, other) and np.hypot(*(there[k] - at - expected)) <= _TOO_FAR * _ASIDE * a.unit
        ]
        fits = run.fits(n, m, middle, np.array(shifts)).tolist()
        best: tuple[float, Points, dict[int, int]] = (_LINES * fits[0], expected, {})
        for shift, fit in zip(shifts[1:], fits[1:], strict=True):
            pairs = _pairs(group, here + shift, others, there, a.unit)
            off = float(np.hypot(*(shift - expected))) / (_ASIDE * a.unit)
            score = _LINES * fit + len(pairs) - off
            if score > best[0]:
                best = (score, shift, pairs)
        _, shift, pairs = best
        found |= {d.patch: (pairs.get(d.patch, 0), at + shift) for d, at in zip(group, here, strict=True)}
    return found


def _linked(run: Run, details: list[dict[int, _Detail]], n: int, group: list[_Detail]) -> Places:
    """The details of a group in the next drawing, if every one of them is known there and they have moved together, by less
    than would take one of them for another; else none."""
    a, b = run.sights[n], run.sights[n + 1]
    to = [run.links[n].get(d.patch, (0, 0.0))[0] for d in group]
    if not all(k in details[n + 1] and _alike(d, details[n + 1][k]) for d, k in zip(group, to, strict=True)):
        return {}
    here, there = a.centres[[d.patch for d in group]], b.centres[to]
    moves = there - here
    largest = float(np.hypot(*moves.T).max())
    apart = np.hypot(*(here[:, None] - here[None]).transpose(2, 0, 1)) if len(group) > 1 else np.zeros((1, 1))
    spacing = float(apart[apart > 0].min()) if len(group) > 1 else 4 * group[0].diameter
    together = float(np.hypot(*(moves - np.median(moves, axis=0)).T).max())
    if largest > 0.4 * spacing or together > _AT_LEAST * a.unit:
        return {}
    return {d.patch: (k, place) for d, k, place in zip(group, to, there, strict=True)}


def _pairs(
    group: list[_Detail], places: Points, others: list[_Detail], there: Points, unit: float
) -> dict[int, int]:
    """Details and those that lie in their places, each taken once."""
    pairs: dict[int, int] = {}
    taken: set[int] = set()
    for detail, place in zip(group, places, strict=True):
        far = np.hypot(*(there - place).T)
        reach = max(_ASTRAY * detail.diameter, _AT_LEAST * unit)
        for k in np.argsort(far).tolist():
            if far[k] > reach:
                break
            if k not in taken and _alike(detail, others[k]):
                pairs[detail.patch] = others[k].patch
                taken.add(k)
                break
    return pairs


def _alike(a: _Detail, b: _Detail) -> bool:
    return a.pot == b.pot and 1 / _SIZES < a.area / b.area < _SIZES


def _missing(run: Run, onward: _Onward, n: int, detail: _Detail) -> Iterator[Finding]:
    for end in range(n + 1, min(len(run), n + 1 + _LOOKED_INTO)):
        other, _ = onward.of(n, end)[detail.patch]
        if not other:
            continue
        gone = range(n + 1, end)
        if not gone or any(to == other for m in gone for to, _ in onward.of(m, end).values()):
            return
        if all(_lies_open(run, n, m, detail, onward.of(n, m)[detail.patch][1]) for m in gone):
            x, y = onward.of(n, gone[0])[detail.patch][1].tolist()
            several = f" in {len(gone)} drawings" if len(gone) > 1 else ""
            yield Finding(
                "missing", tuple(gone), (x, y), f"a detail is missing{several} that is there before and after",
                detail.area, "trace", detail.pot, 0, n, place_of(run.sights[n], detail.patch),
            )  # fmt: skip
        return


def _lies_open(run: Run, n: int, m: int, detail: _Detail, place: Points) -> bool:
    """Whether the place of a detail of drawing n is bare in drawing m: all of it on what it lies on."""
    host = run.goes_to(n, m, detail.host)
    sight = run.sights[m]
    if not host or sight.pots[host] != run.sights[n].pots[detail.host]:
        return False
    middle = run.sights[n].centres[detail.patch]
    own = run.sights[n].places(detail.patch)
    own = own if len(own) else middle[None]
    under = sight.at((own - middle) * 1.3 + place)
    return float((under == host).mean()) >= _OPEN


def _extra(
    run: Run, details: list[dict[int, _Detail]], onward: _Onward, n: int, detail: _Detail
) -> Iterator[Finding]:
    """A detail of one or two drawings, with its place bare in the drawings before and after."""
    if n == 0 or any(to == detail.patch for to, _ in onward.of(n - 1, n).values()):
        return
    track = [(n, detail)]
    while track[-1][0] + 1 < len(run) and len(track) < 3:
        m, now = track[-1]
        to = onward.of(m, m + 1)[now.patch][0]
        if not to:
            break
        track.append((m + 1, details[m + 1][to]))
    last, own = track[-1]
    if len(track) > 2 or last + 1 >= len(run):
        return
    at = run.sights[n].centres[detail.patch]
    before = at + run.shift(n, n - 1, at)
    after = onward.of(last, last + 1)[own.patch][1]
    if not (_lies_open(run, n, n - 1, detail, before) and _lies_open(run, last, last + 1, own, after)):
        return
    # A detail that lies close by in a neighbour was moved, and is not another one.
    for m, place in ((n - 1, before), (last + 1, after)):
        alike = [o for o in details[m].values() if _alike(detail, o)]
        near = [o for o in alike if np.hypot(*(run.sights[m].centres[o.patch] - place)) < 3 * detail.diameter]
        if len(near) > sum(_beside(run, n, detail, o) for o in details[n].values()):
            return
    several = f"{len(track)} drawings" if len(track) > 1 else "one drawing"
    yield Finding(
        "extra", tuple(m for m, _ in track), place_of(run.sights[n], detail.patch),
        f"a detail is there in {several} alone", detail.area, "look", 0, detail.patch, n - 1,
    )  # fmt: skip


def _beside(run: Run, n: int, detail: _Detail, other: _Detail) -> bool:
    """Whether another detail of its kind lies close by in its own drawing."""
    centres = run.sights[n].centres
    far = float(np.hypot(*(centres[detail.patch] - centres[other.patch])))
    return other.patch != detail.patch and _alike(detail, other) and far < 3 * detail.diameter
