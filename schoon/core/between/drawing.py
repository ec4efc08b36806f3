"""The drawings between two: lines matched, moved whole along arcs, and hidden again where something lies before them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..strokes import Stroke, new_id
from ..strokes.edit import count, cut
from .chains import Chain, Complex, Ints, chains_of
from .depth import Hiding, Said, Surfaces, hiding
from .matching import Match, matches, runs_of
from .springs import Springs, tangents

Floats = NDArray[np.float64]
Share = float | Mapping[str, float]

_LIES, _LIES_MATCHED = 3.9, 8.0
"""A point lies on a line of the other drawing that is no farther off, px of a drawing 1000 px across; one that is matched
may be farther from the line that was drawn there anew."""

_BY_DIRECTION = 6.2
_FEW = 5
"""Stretches of fewer points are neither hidden nor shown by themselves."""

_REACHES = (11.0, 8.0, 5.5, 4.0, 3.1, 3.1)
_SURE, _UNEXPLAINED = 0.9, 0.35


@dataclass(frozen=True)
class Pull:
    """An arc bent by hand: the line at a place of the first drawing goes `by` px aside half way."""

    at: tuple[float, float]
    by: tuple[float, float]


@dataclass
class _Side:
    """One of the two drawings. target: where its points lie in the other; seen: which of them are seen there; near: the
    point of the other that each of those lies by. trust: (n,) 0..1, how well what is said of a point is founded. stroke,
    place, width: the stroke of a point, where on it, how wide it is there.
    """

    strokes: Sequence[Stroke]
    chains: list[Chain]
    lines: Springs
    target: Complex
    seen: NDArray[np.bool_]
    near: Ints
    trust: Floats
    stroke: Ints
    place: Floats
    width: Floats

    @property
    def runs(self) -> list[Ints]:
        """Stretches seen in this drawing only."""
        starts = self.lines.starts
        return [
            run
            for k, chain in enumerate(self.chains)
            for run in runs_of(~self.seen, np.arange(starts[k], starts[k + 1]), chain.closed)
        ]


@dataclass
class Between:
    """Two drawings of a run, matched. matched, lost: how many strokes of both were found again, and how many were not."""

    first: _Side
    last: _Side
    surfaces: tuple[Surfaces, Surfaces]
    partners: tuple[list[set[int]], list[set[int]]]
    matched: int
    lost: int
    hides: dict[tuple[str, ...], tuple[Hiding, Hiding]] = field(default_factory=dict)

    @classmethod
    def of(cls, a: Sequence[Stroke], b: Sequence[Stroke], size: tuple[int, int]) -> Between:
        """Matches two drawings of `size` (width, height). Raises ValueError where nothing of one is found in the other."""
        unit = max(size) / 1000
        chains = chains_of(a, size), chains_of(b, size)
        if not chains[0] or not chains[1]:
            raise ValueError("there is no line in one of the drawings")
        names = [s.track or s.id for s in a], [s.track or s.id for s in b]
        lines = Springs.of(chains[0], unit), Springs.of(chains[1], unit)
        found = matches(*chains, lines, names, ([s.part for s in a], [s.part for s in b]))
        if not found:
            raise ValueError("no line of one drawing was found again in the other")
        back = [match.turned(lines[0].z, lines[1].z) for match in found]
        first = _side(a, chains[0], lines[0], found, lines[1], chains[1])
        last = _side(b, chains[1], lines[1], back, lines[0], chains[0])
        # What is drawn from the first is not drawn from the last again.
        matched = _matched(back, len(last.seen))
        drawn, _, _ = _lying(lines[1].z, lines[1].tangent, matched, first.target, lines[0], chains[0], unit)
        last.seen = _smoothed(drawn, last)
        surfaces = Surfaces.of(lines[0], size), Surfaces.of(lines[1], size)
        strokes = [
            set(np.unique(side.stroke[np.concatenate([m.a for m in of])]).tolist())
            for side, of in ((first, found), (last, back))
        ]
        lost = len(a) + len(b) - len(strokes[0]) - len(strokes[1])
        pairs = _partners(first, last, found), _partners(last, first, back)
        return cls(first, last, surfaces, pairs, len(strokes[0]), lost)

    def at(self, share: Share, order: Sequence[str] = (), pulls: Sequence[Pull] = ()) -> list[Stroke]:
        """The strokes of the drawing at `share` of the way: 0 is the first drawing, 1 the last, beyond them further on.

        share: one number, or one a part with that of all other lines under "". order: parts from front to rear, as far as
        a person said. pulls: where arcs are bent.
        """
        first, last = self.first, self.last
        own, other = _shares(first, share), _shares(last, share)
        hides = self._hides(tuple(order))
        now, then = self._now(own, pulls), self._then(other, pulls)
        shown = []
        for side, here, there, hide, surfaces, gone in (
            (first, now, then, hides[0], self.surfaces, own),
            (last, then, now, hides[1], self.surfaces[::-1], 1 - other),
        ):
            hidden = hide.hidden(surfaces[0], surfaces[1], here, there)
            for run, over in hide.runs:
                # Nothing lies before it: it is seen in the half in which it is drawn, half way as in the first.
                hidden[run] |= (not over) & (gone[run] > 0.5 if side is first else gone[run] >= 0.5)
            shown.append(_smoothed(~hidden, side))
        return [
            *_drawn(first, last, now, shown[0], own, _trust(first, hides[0])),
            *_drawn(
                last, first, then, _with_ends(shown[1] & ~last.seen, last), 1 - other, _trust(last, hides[1])
            ),
        ]

    def paths(
        self, places: Sequence[Sequence[float]], shares: Sequence[Share], pulls: Sequence[Pull] = ()
    ) -> Floats:
        """(p, k, 2) where the points of the first drawing's lines that are nearest to p places lie at k shares."""
        points = [self._nearest(place) for place in places]
        found = np.array([self._now(_shares(self.first, share), pulls)[points] for share in shares]).T
        return np.stack([found.real, found.imag], axis=-1)

    def part_at(self, place: Sequence[float]) -> str:
        """The part of the first drawing's line that is nearest to `place`."""
        return self.first.strokes[self.first.stroke[self._nearest(place)]].part

    def _nearest(self, place: Sequence[float]) -> int:
        return int(np.abs(self.first.lines.z - complex(*place)).argmin())

    def _now(self, share: Floats, pulls: Sequence[Pull]) -> Complex:
        """Where the points of the first drawing are."""
        lines = self.first.lines
        bent = [(self._nearest(pull.at), complex(*pull.by)) for pull in pulls]
        return lines.part_way(lines.z, self.first.target, share, bent)

    def _then(self, share: Floats, pulls: Sequence[Pull]) -> Complex:
        """Where the points of the last drawing are."""
        lines = self.last.lines
        bent = []
        for pull in pulls:
            goal = self.first.target[self._nearest(pull.at)]
            bent.append((int(np.abs(lines.z - goal).argmin()), complex(*pull.by)))
        return lines.part_way(self.last.target, lines.z, share, bent)

    def _hides(self, order: tuple[str, ...]) -> tuple[Hiding, Hiding]:
        if order not in self.hides:
            first, last = self.first, self.last
            said: list[Said | None] = [None, None]
            if order:
                ranks = [_ranks(side, order) for side in (first, last)]
                of_chain = [
                    [int(v[a]) for a in side.lines.starts[:-1]]
                    for side, v in zip((first, last), ranks, strict=True)
                ]
                surfaces = self.surfaces[0].ranks(ranks[0]), self.surfaces[1].ranks(ranks[1])
                said = [Said(of_chain[0], surfaces), Said(of_chain[1], surfaces[::-1])]
            hides = (
                _hiding(first, last, self.surfaces, self.partners[0], said[0]),
                _hiding(last, first, self.surfaces[::-1], self.partners[1], said[1]),
            )
            self.hides[order] = hides
        return self.hides[order]


def _side(
    strokes: Sequence[Stroke],
    chains: list[Chain],
    lines: Springs,
    found: Sequence[Match],
    other: Springs,
    other_chains: list[Chain],
) -> _Side:
    target = lines.settled(found, other, _REACHES)
    along = tangents(target, lines.starts, lines.closed)
    matched = _matched(found, len(target))
    seen, gap, near = _lying(target, along, matched, other.z, other, other_chains, lines.unit)
    trust = np.full(len(target), 0.5)
    for match in found:
        trust[match.a] = np.maximum(trust[match.a], min(1.0, match.sure + 0.4))
    trust *= 1 - 0.5 * np.clip((gap / lines.unit - 1.6) / 3, 0, 1) * seen
    stroke = np.concatenate([c.stroke for c in chains])
    place = np.concatenate([c.place for c in chains])
    width = np.zeros(len(place))
    for k, own in enumerate(strokes):
        mine = stroke == k
        width[mine] = np.interp(place[mine], np.arange(len(own.widths)), own.widths)
    side = _Side(strokes, chains, lines, target, seen, near, trust, stroke, place, width)
    side.seen = _smoothed(seen, side)
    return side


def _matched(found: Sequence[Match], count: int) -> NDArray[np.bool_]:
    mask = np.zeros(count, bool)
    mask[np.concatenate([match.a for match in found])] = True
    return mask


def _lying(
    places: Complex,
    along: Complex,
    matched: NDArray[np.bool_],
    z: Complex,
    lines: Springs,
    chains: Sequence[Chain],
    unit: float,
) -> tuple[NDArray[np.bool_], Floats, Ints]:
    """Which places lie on lines through z that run alike, how far off they are, and the nearest point."""
    points, ways, index = [], [], []
    for k, chain in enumerate(chains):
        span = np.arange(lines.starts[k], lines.starts[k + 1])
        own = np.r_[span, span[:1]] if chain.closed else span
        step = np.diff(z[own])
        for part in (0, 1 / 3, 2 / 3):
            points.append(z[own[:-1]] + part * step)
            ways.append(step)
            index.append(own[:-1] if part < 0.5 else own[1:])
        points.append(z[own[-1:]])
        ways.append(step[-1:])
        index.append(own[-1:])
    of, way = np.concatenate(points), np.concatenate(ways)
    reach = _BY_DIRECTION * unit
    lifted = []
    for places_, ways_ in ((of, way), (places, along)):
        double = (ways_ / np.maximum(np.abs(ways_), 1e-9)) ** 2
        lifted.append(np.c_[places_.real, places_.imag, reach * double.real, reach * double.imag])
    gap, near = cKDTree(lifted[0]).query(lifted[1])
    limit = np.where(matched, _LIES_MATCHED, _LIES)
    return gap < limit * unit, np.abs(places - of[near]), np.concatenate(index)[near]


def _smoothed(mask: NDArray[np.bool_], side: _Side) -> NDArray[np.bool_]:
    """A mask over the points without stretches that are too short to mean anything."""
    mask = mask.copy()
    for value in (False, True):
        for k, chain in enumerate(side.chains):
            span = np.arange(side.lines.starts[k], side.lines.starts[k + 1])
            runs = runs_of(mask == value, span, chain.closed)
            for run in runs:
                if len(run) < min(_FEW, len(span)):
                    mask[run] = not value
    return mask


def _with_ends(mask: NDArray[np.bool_], side: _Side) -> NDArray[np.bool_]:
    """A mask grown by a point at either end of a stretch: it begins where what is seen in both ends."""
    grown = mask.copy()
    same = side.lines.chain[1:] == side.lines.chain[:-1]
    grown[:-1] |= mask[1:] & same
    grown[1:] |= mask[:-1] & same
    return grown


def _trust(side: _Side, hides: Hiding) -> Floats:
    """How well what is said of each point is founded: what vanishes behind nothing is not."""
    trust = side.trust.copy()
    for run, over in hides.runs:
        trust[run] = np.minimum(trust[run], _SURE if over else _UNEXPLAINED)
    return trust


def _ranks(side: _Side, order: tuple[str, ...]) -> Ints:
    ranks = {part: k for k, part in enumerate(order)}
    return np.array([ranks.get(s.part, -1) for s in side.strokes])[side.stroke]


def _partners(side: _Side, other: _Side, found: Sequence[Match]) -> list[set[int]]:
    """For each chain those of the other drawing that are the same line."""
    partners = [set[int]() for _ in side.chains]
    for match in found:
        if len(match.a) >= 8:
            for k in np.unique(side.lines.chain[match.a]).tolist():
                partners[k] |= set(np.unique(other.lines.chain[match.b]).tolist())
    return partners


def _hiding(
    side: _Side,
    other: _Side,
    surfaces: tuple[Surfaces, Surfaces],
    partners: list[set[int]],
    said: Said | None,
) -> Hiding:
    return hiding(
        side.runs, side.seen, side.target, *surfaces, side.chains, other.chains,
        [(run, other.target[run]) for run in other.runs], partners, said,
    )  # fmt: skip


def _shares(side: _Side, share: Share) -> Floats:
    if not isinstance(share, Mapping):
        return np.full(len(side.stroke), float(share))
    of_stroke = np.array([share.get(s.part, share.get("", 0.5)) for s in side.strokes], float)
    return np.asarray(of_stroke[side.stroke])


def _drawn(
    side: _Side, other: _Side, now: Complex, shown: NDArray[np.bool_], share: Floats, trusted: Floats
) -> list[Stroke]:
    """The strokes of one side, or what is shown of them, bent to where their points are now."""
    turn, _ = side.lines.turns(side.lines.z, now, side.lines.strength)
    order = np.lexsort((side.place, side.stroke))
    first = np.searchsorted(side.stroke[order], np.arange(len(side.strokes) + 1))
    found: list[Stroke] = []
    for k, stroke in enumerate(side.strokes):
        points = order[first[k] : first[k + 1]]
        if not len(points):
            middle = complex(*stroke.controls.mean(axis=0))
            points = np.array([int(np.abs(side.lines.z - middle).argmin())])
        widths = _widths(side, other, points, stroke, share)
        for piece, weights in _shown(stroke, side.place[points], shown[points], widths):
            trust = trusted[points][shown[points]]
            moved = _bent(piece, stroke, side, points, now, turn)
            found.append(
                replace(
                    piece, controls=moved, widths=weights, confidence=float(trust.mean()), by="between", id=new_id(),
                    track=stroke.track or stroke.id, link=None,
                )
            )  # fmt: skip
    return found


def _widths(side: _Side, other: _Side, points: Ints, stroke: Stroke, share: Floats) -> Floats:
    """Widths at the stroke's knots, on the way to those of the line it becomes."""
    seen = points[side.seen[points]]
    if not len(seen):
        return stroke.widths
    knots = np.arange(len(stroke.widths))
    ratio = np.interp(
        knots, side.place[seen], other.width[side.near[seen]] / np.maximum(side.width[seen], 1e-6)
    )
    part = float(np.clip(share[points].mean(), 0, 1))
    return np.asarray(stroke.widths * (1 + part * (ratio - 1)))


def _shown(
    stroke: Stroke, places: Floats, shown: NDArray[np.bool_], widths: Floats
) -> list[tuple[Stroke, Floats]]:
    """What is shown of a stroke: all of it, or stretches cut half way between its points."""
    if shown.all() or (stroke.black and shown.mean() > 0.5):
        return [(stroke, widths)]
    if not shown.any() or stroke.black:
        return []
    weighted = replace(stroke, widths=widths)
    edges = np.diff(np.r_[0, shown.astype(int), 0])
    pieces: list[tuple[Stroke, Floats]] = []
    for p, q in zip(np.flatnonzero(edges == 1), np.flatnonzero(edges == -1), strict=True):
        start = 0.0 if p == 0 else (places[p - 1] + places[p]) / 2
        end = float(count(stroke)) if q == len(places) else (places[q - 1] + places[q]) / 2
        if end - start > 1e-4:
            piece = replace(cut(weighted, float(start), float(end)), opened=stroke.opened)
            pieces.append((piece, piece.widths))
    return pieces


def _bent(
    piece: Stroke, stroke: Stroke, side: _Side, points: Ints, now: Complex, turn: Complex
) -> NDArray[np.float64]:
    """Control points moved with the points of the drawing that lie on either side of them along the stroke."""
    z = piece.controls[:, 0] + 1j * piece.controls[:, 1]
    if piece is stroke or len(points) == 1:
        where = np.arange(len(z)) / 3
    else:
        # A stretch: its knots by where they lie on the whole.
        knots = z[::3]
        own = side.lines.z[points]
        index = np.abs(knots[:, None] - own).argmin(axis=1)
        at = np.maximum.accumulate(side.place[points][index])
        where = np.interp(np.arange(len(z)) / 3, np.arange(len(at)), at)
    places = side.place[points]
    upper = np.clip(np.searchsorted(places, where), 1, max(len(points) - 1, 1))
    lower = upper - 1
    upper = np.minimum(upper, len(points) - 1)
    span = np.maximum(places[upper] - places[lower], 1e-9)
    part = np.clip((where - places[lower]) / span, 0, 1)
    moved = np.zeros(len(z), complex)
    for index, weight in ((lower, 1 - part), (upper, part)):
        point = points[index]
        moved += weight * (now[point] + turn[point] * (z - side.lines.z[point]))
    if stroke.closed and piece.closed:
        moved[-1] = moved[0]
    return np.c_[moved.real, moved.imag]
