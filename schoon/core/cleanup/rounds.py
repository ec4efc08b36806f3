"""Small round forms, told by the white inside them.

Where a pupil touches the rim of its eye the two lines run together and no scale parts them. The white inside is still
round: the line runs round it, half a line's width off.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from scipy.spatial import cKDTree
from skimage.measure import find_contours

from ..pixels import grown, hull_of, values_at
from ..strokes import Points, resample

_LARGEST = 30.0
"""Side of the largest form, sigmas of the ridge."""

_SMALLEST = 4
"""Area of the smallest form, px."""

_MARGIN = 2.5
"""Sides of an opening round it within which the rest of its form is looked for."""

_COMPACT = 2.4
"""Area of a form beside the largest disc in it; a slit between two searching strokes is longer."""

_BLUR = 0.6
"""Sigma the density is smoothed by, px."""

_REACH = 3
"""Px about an opening in which the dark round it is looked for, and to which its white may reach."""

_DARK = 0.6
"""Density from which on a line is not more of one."""

_CONTRAST = 0.1
"""Density by which a line stands out from the white it surrounds."""

_AROUND = 64
"""Points of a form's outline."""

_ROUND = 5
"""Harmonics of a round outline."""

_OFF_ROUND = 0.1
"""How far an outline may be off an oval, beside its mean diameter."""

_LEAST_OFF = 0.45
"""The same in px, below which it is not known."""

_LONG = 2.4
"""Length of the longest oval beside its width."""

_WITHIN_ANOTHER = 2.0
"""How much farther off an oval a form may be that lies in another round one."""

_CLOSELY, _MOSTLY = 0.26, 0.85
"""Widths of a line within which a chain goes round an outline that it then leaves, and how much of it; corners lie farther off."""

_SHARED = 1.35
"""Widths of a line from which on two lines run side by side."""

_ON = 0.8
"""Widths of a line within which a chain runs along an outline."""

_OWN = 0.42
"""Share of an outline from which on a chain that runs along it is its line, and not one that touches it."""

_WHOLE = 0.85
"""Share of an outline from which on its line was found whole, unless it runs on."""

_BESIDE = 1.2
"""Border that a form shares with the rest of the form it lies in, beside the root of its area."""

_WRAPS, _GOES_ABOUT = 0.15, 0.3
"""Share of a form that lies within the hull of the rest of the form it lies in, with its lines; and within that of a much larger
one, that otherwise only touches it."""

_LARGER = 2.9
"""Area beside that of a round form from which on what it may lie in is much larger."""

_MELTS = 5.0
"""Widths of its line up to which a form is so small that it and what lies beside it in one oval melt."""

_HALF, _HALVES = 0.5, 0.9
"""Area beside the round form from which on an opening that does not go about it may be the rest of its form, and how far off
an oval both together are then, beside `_OFF_ROUND`."""

_KNOT, _MEETING, _MANY, _MET = 9.0, 3, 7, 1.5
"""Widths of its line up to which a form is tiny. Ends of lines from which on a tiny form is none, but the white between lines that
cross there; and from which on one form within another is none. Widths within which a line ends at a form."""

_STUB, _STRAYS = 1.0, 1.6
"""Widths of a line below which the rest of a chain is dropped that was cut out of: of its length, and of how far it goes from the
outlines."""


def rounded(
    lines: Sequence[Points], mask: NDArray[np.bool_], density: NDArray[np.float32], scale: float
) -> tuple[list[Points], list[int]]:
    """The chains with the lines of small round forms that touch others replaced by closed ones.

    lines: (k, 2) chains, px. mask: (h, w) bodies of the lines. density: (h, w). scale: sigma of the ridges, px.
    Returns the chains and which of `lines` each comes from.
    """
    smooth = cv2.GaussianBlur(np.minimum(density, _DARK), (0, 0), _BLUR)
    chains = [_Chain(line, k) for k, line in enumerate(lines)]
    rings: list[_Chain] = []
    for spot in _spots(mask, smooth, scale):
        found = list(spot.outlines())
        if not found:
            continue
        drawn = [_closed(ring) for ring, _ in found]
        left, of = _without(chains, drawn, found[0][1])
        if of is not None and not _knots(left, drawn, found[0][1]):
            chains = left
            rings.extend(_Chain(ring, of) for ring in drawn)
    every = chains + rings
    return [c.points for c in every], [c.of for c in every]


@dataclass(frozen=True)
class _Chain:
    """points: (k, 2) px. of: the line it comes from."""

    points: Points
    of: int

    @cached_property
    def bounds(self) -> tuple[Points, Points]:
        return self.points.min(axis=0), self.points.max(axis=0)


class _Ring:
    """An outline, and what lies near it. points: (k, 2) px."""

    def __init__(self, points: Points, width: float) -> None:
        self.points, self.around = points, _length(points)
        self.tree = cKDTree(points)
        self.low, self.high = points.min(axis=0) - width, points.max(axis=0) + width

    def is_near(self, chain: _Chain) -> bool:
        low, high = chain.bounds
        return bool((high >= self.low).all() and (low <= self.high).all())


def _closed(ring: Points) -> Points:
    return resample(np.vstack([ring, ring[:1]]), 0.5)


def _spots(mask: NDArray[np.bool_], density: NDArray[np.float32], scale: float) -> Iterator[_Spot]:
    """Small compact openings of the mask, the roundest first."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats((~mask).astype(np.uint8), connectivity=4)
    deep = cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, 5)
    area = stats[:, cv2.CC_STAT_AREA]
    small = (area >= _SMALLEST) & (area <= (_LARGEST * scale) ** 2)
    small[0] = False
    boxes = stats[:, [cv2.CC_STAT_LEFT, cv2.CC_STAT_TOP, cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]]
    number = np.flatnonzero(small)
    within = small[labels]
    radius = np.zeros(len(small))
    np.maximum.at(radius, labels[within], deep[within])
    compact = area[number] / (np.pi * (radius[number] + 0.5) ** 2)
    taken: set[int] = set()
    for k in number[np.argsort(compact, kind="stable")][: (compact <= _COMPACT).sum()]:
        if k in taken:
            continue
        x, y, w, h = boxes[k]
        margin = int(_MARGIN * max(w, h) + 6 * scale)
        top, left = max(0, y - margin), max(0, x - margin)
        window = np.s_[top : y + h + margin, left : x + w + margin]
        spot = _Spot(density[window], np.array([left, top]), labels[window], int(k), boxes, small, taken)
        yield spot
        taken |= spot.wrapped


@dataclass
class _Spot:
    """A window of the smoothed density and its corner, px; the openings of the lines in it, and the one it is about.

    boxes: (openings, 4) left, top, width and height of each in the picture. small: which of them may be a form. taken: those
    that belong to another already. wrapped: which others turned out to be the rest of the round form that the opening lies in.
    """

    density: NDArray[np.float32]
    corner: NDArray[np.int64]
    openings: NDArray[np.int32]
    number: int
    boxes: NDArray[np.int32]
    small: NDArray[np.bool_]
    taken: set[int]
    wrapped: set[int] = field(default_factory=set)

    def outlines(self) -> Iterator[tuple[Points, float]]:
        """The middle of the line round the opening and the line's width, if it is round; then that of the round form
        it lies in, if it takes up one side of that."""
        level, own = self._white(self.number, 75)
        if own is None or level is None:
            return
        box = self._box(self.number)
        lined = np.where(grown(own[box]), self.density[box], 1.0)
        place = np.array([box[1].start, box[0].start])
        edge = _edge_of(lined, level, _WITHIN_ANOTHER)
        if edge is None:
            return
        edge = edge + place
        run = self._dark(edge, level)
        width = float(np.percentile(run, 30))
        inner = self._drawn(edge, np.where(run > _SHARED * width, width, run))

        form, found, alone = self._whole(own, level, width, _LARGER * _area(inner))
        edge = _outline_of(form, 2.0) if found else None
        if edge is None:
            # A cell among others has corners, which a small one does not show.
            clear = alone or self._melts(own, width)
            if not found and clear and _edge_of(lined, level, 1.0) is not None:
                yield inner, width
            return
        self.wrapped = found
        yield inner, width
        run = self._dark(edge, level)
        at = np.clip(np.round(edge).astype(int), 0, np.array(own.shape[::-1]) - 1)
        shared = cv2.dilate(own.astype(np.uint8), np.ones((3, 3), np.uint8))[at[:, 1], at[:, 0]] > 0
        two = np.where(shared, 2 * run - width, width)
        yield self._drawn(edge, np.where(run > _SHARED * width, two, run)), width

    def _whole(
        self, own: NDArray[np.bool_], level: float, width: float, most: float
    ) -> tuple[NDArray[np.bool_], set[int], bool]:
        """The form that a round one of that white and level lies in, the openings that are the rest of it, and whether the round one
        is alone; the round one itself if it lies in none. width: of its line, px. most: area from which on the rest has to go
        about it, px."""
        form, found, alone = own, set(), True
        beside = grown(own, round(width) + 2)
        for number in self._others(beside):
            _, white = self._white(number, 30, level)
            other = self.openings == number
            rest = other if white is None else white
            if ((rest | other) & beside).sum() < _BESIDE * np.sqrt(own.sum()):
                continue
            alone = False
            # Where the white runs out, the opening between the lines is as much as there is.
            part = grown(other) if white is None else white
            if hull_of(grown(form | part, round(width / 2))).sum() > most:
                # A form that is much larger has to go about it, and to be as round.
                belongs = (
                    self._wraps(own, number, rest, round(width), _GOES_ABOUT)
                    and _outline_of(form | part, 1.0) is not None
                )
            else:
                belongs = self._halves(own, other, part, width) or self._wraps(
                    own, number, rest, round(width), _WRAPS
                )
            if belongs:
                form = form | part
                found.add(number)
        return form, found, alone

    @staticmethod
    def _melts(own: NDArray[np.bool_], width: float) -> bool:
        return bool(own.sum() <= (_MELTS * width) ** 2)

    def _halves(
        self, own: NDArray[np.bool_], other: NDArray[np.bool_], part: NDArray[np.bool_], width: float
    ) -> bool:
        """Whether a form and the white of an opening beside it are halves of one oval. Corners that larger ones have would be
        lost by that."""
        beside = self._melts(own, width) and other.sum() >= _HALF * own.sum()
        return bool(beside) and _outline_of(own | part, _HALVES) is not None

    def _wraps(
        self, own: NDArray[np.bool_], number: int, rest: NDArray[np.bool_], width: int, share: float
    ) -> bool:
        """Whether an opening goes about a share of another one, with the line between them."""
        least = share * own.sum()
        if own[self._box(number, _REACH + width)].sum() < least:
            return False
        return bool((hull_of(grown(rest, width)) & own).sum() >= least)

    def _others(self, beside: NDArray[np.bool_]) -> list[int]:
        """The other small openings whose white may reach what lies beside this one."""
        near = self.openings[_reached(beside)]
        return [
            j for j in np.unique(near[self.small[near]]).tolist() if j != self.number and j not in self.taken
        ]

    def _box(self, number: int, room: int = _REACH + 2) -> tuple[slice, slice]:
        """Where an opening lies with what is about it."""
        x, y, w, h = self.boxes[number] - [*self.corner, 0, 0]
        return np.s_[max(0, y - room) : y + h + room, max(0, x - room) : x + w + room]

    def _white(
        self, number: int, share: float, most: float = np.inf
    ) -> tuple[float | None, NDArray[np.bool_] | None]:
        """The level half way from the lightest of an opening to a percentile of the dark round it, at most `most`, None if that is
        faint; and what is lighter than that where the opening lies, None if it runs out of there."""
        box = self._box(number)
        density, hole = self.density[box], self.openings[box] == number
        around = _reached(hole)
        light = float(density[hole].min())
        dark = _percentile(density[around & ~hole], share)
        if dark - light < _CONTRAST:
            return None, None
        level = min(most, 0.5 * (light + dark))
        _, white = cv2.connectedComponents((density < level).astype(np.uint8), connectivity=4)
        inside = np.bincount(white[hole])
        inside[0] = 0
        own = white == inside.argmax()
        if not inside.any() or (own & ~around).any():
            return level, None
        full = np.zeros(self.openings.shape, bool)
        full[box] = own
        return level, full

    def _dark(self, edge: Points, level: float) -> NDArray[np.float64]:
        """How far it is dark outwards from each point of an edge, px."""
        steps = np.arange(0.5, 12.0, 0.25)
        lit = values_at(self.density, edge[:, None] + steps[:, None] * _normals(edge)[:, None]) < level
        return np.where(lit.any(axis=1), steps[lit.argmax(axis=1)], steps[-1])

    def _drawn(self, edge: Points, width: NDArray[np.float64]) -> Points:
        """The middle of the line outside an edge. width: of the line at each of its points, px."""
        off = ndi.gaussian_filter1d(ndi.median_filter(0.5 * width, 9, mode="wrap"), 3, mode="wrap")
        return _low_pass(edge + off[:, None] * _normals(edge)) + self.corner


def _area(ring: Points) -> float:
    return float(cv2.contourArea(ring.astype(np.float32)))


def _percentile(values: NDArray[np.float32], share: float) -> float:
    """As of numpy, which takes its time for few values."""
    return float(np.interp(share / 100 * (len(values) - 1), np.arange(len(values)), np.sort(values)))


def _reached(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A mask with what lies about it."""
    return cv2.dilate(mask.astype(np.uint8), np.ones((2 * _REACH + 1,) * 2, np.uint8)) > 0


def _edge_of(values: NDArray[np.floating], level: float, tolerance: float) -> Points | None:
    """The outline of what is below the level, (_AROUND, 2) px; None if that is no oval.

    tolerance: beside the usual one.
    """
    contours = find_contours(values.astype(float), level)
    if not contours:
        return None
    edge = max(contours, key=len)[:, ::-1]
    if len(edge) < 8 or np.hypot(*(edge[0] - edge[-1])) > 1:
        return None
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(edge, axis=0).T))])
    at = np.linspace(0, along[-1], _AROUND, endpoint=False)
    edge = np.c_[np.interp(at, along, edge[:, 0]), np.interp(at, along, edge[:, 1])]
    return _low_pass(edge) if _is_oval(edge, tolerance) else None


def _outline_of(form: NDArray[np.bool_], tolerance: float) -> Points | None:
    """As `_edge_of`, of the hull of a form."""
    return _edge_of(1 - cv2.GaussianBlur(hull_of(form).astype(np.float32), (0, 0), 0.7), 0.5, tolerance)


def _is_oval(edge: Points, tolerance: float) -> bool:
    # The first harmonic of a closed curve is the oval that lies nearest.
    spectrum = np.fft.fft(edge[:, 0] + 1j * edge[:, 1]) / len(edge)
    out, back = abs(spectrum[1]), abs(spectrum[-1])
    if min(out, back) * (_LONG + 1) > max(out, back) * (_LONG - 1):
        return False
    off = np.hypot(*(_low_pass(edge, 1) - edge).T).max()
    return bool(off <= tolerance * max(_OFF_ROUND * 2 * max(out, back), _LEAST_OFF))


def _normals(edge: Points) -> Points:
    """Unit vectors that point out of a closed outline."""
    tangent = np.roll(edge, -1, axis=0) - np.roll(edge, 1, axis=0)
    normal = np.c_[tangent[:, 1], -tangent[:, 0]] / np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
    following = np.roll(edge, -1, axis=0)
    return normal if (edge[:, 0] * following[:, 1] - following[:, 0] * edge[:, 1]).sum() > 0 else -normal


def _low_pass(closed: Points, harmonics: int = _ROUND) -> Points:
    spectrum = np.fft.fft(closed[:, 0] + 1j * closed[:, 1])
    spectrum[harmonics + 1 : len(spectrum) - harmonics] = 0
    smooth = np.fft.ifft(spectrum)
    return np.c_[smooth.real, smooth.imag]


def _without(chains: list[_Chain], rings: Sequence[Points], width: float) -> tuple[list[_Chain], int | None]:
    """The chains without what is the line of the outlines, and the line that the first one is; None if that was found
    whole, or not at all.

    rings: an outline, and that of the form it lies in if it is known.
    """
    near = [_Ring(ring, width) for ring in rings]
    runs = [_along(chain.points, near[0], width) if near[0].is_near(chain) else [] for chain in chains]
    own, of, whole = max(
        (
            (share, c.of, share >= _WHOLE and not _runs_on(c.points, near[0], a, b, width))
            for c, found in zip(chains, runs, strict=True)
            for a, b, share in found
        ),
        default=(0.0, 0, False),
    )
    if own < _OWN or whole:
        return chains, None
    left: list[_Chain] = []
    for chain, found in zip(chains, runs, strict=True):
        gone = np.zeros(len(chain.points), bool)
        if len(rings) == 1:
            for a, b, share in found:
                gone[a:b] = share >= _OWN
        elif near[-1].is_near(chain):
            gone = _within(chain.points, near, width)
        if not gone.any():
            left.append(chain)
            continue
        for a, b in _runs(~gone):
            piece = chain.points[a:b]
            if a > 0 and b < len(chain.points):
                # It leaves the outline and is back before it has gone anywhere.
                off = np.min([ring.tree.query(piece)[0] for ring in near], axis=0).max()
                if off <= _STRAYS * width:
                    continue
            if b - a > 1 and _length(piece) >= _STUB * width:
                first = [_nearest(piece[0], rings)] if a > 0 else []
                last = [_nearest(piece[-1], rings)] if b < len(chain.points) else []
                left.append(_Chain(np.vstack([*first, piece, *last]), chain.of))
    return left, of


def _knots(left: Sequence[_Chain], rings: Sequence[Points], width: float) -> bool:
    """Whether the least of the outlines is only the white between the lines that end there."""
    near = _Ring(np.vstack(rings), width)
    tips = [c.points[end] for c in left if near.is_near(c) for end in (0, -1)]
    meeting = int((near.tree.query(np.array(tips))[0] <= _MET * width).sum()) if tips else 0
    if _length(rings[0]) <= _KNOT * width:
        return meeting >= _MEETING
    return len(rings) > 1 and meeting >= _MANY


def _runs_on(chain: Points, ring: _Ring, first: int, last: int, width: float) -> bool:
    """Whether a chain that is open goes round an outline closely, and then on along something else."""
    is_open = float(np.hypot(*(chain[0] - chain[-1]))) >= width
    off = ring.tree.query(chain[first:last])[0]
    return is_open and bool(np.quantile(off, _MOSTLY) < _CLOSELY * width)


def _within(chain: Points, rings: Sequence[_Ring], width: float) -> NDArray[np.bool_]:
    """(k,) which points of a chain lie on an outline or within the outer one."""
    outer = rings[-1]
    gone = np.zeros(len(chain), bool)
    near = np.flatnonzero(((chain >= outer.low) & (chain <= outer.high)).all(axis=1))
    if len(near):
        off = np.min([ring.tree.query(chain[near])[0] for ring in rings], axis=0)
        shape = outer.points.astype(np.float32)
        inside = [cv2.pointPolygonTest(shape, p.tolist(), False) > 0 for p in chain[near]]
        gone[near] = (off <= _ON * width) | np.array(inside)
    return gone


def _along(chain: Points, ring: _Ring, width: float) -> list[tuple[int, int, float]]:
    """Stretches of a chain that run along an outline, with how much of that they cover."""
    on = ring.tree.query(chain, distance_upper_bound=_ON * width + 1)[0] <= _ON * width
    return [(a, b, _length(chain[a:b]) / ring.around) for a, b in _runs(on)]


def _runs(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """(start, end) of each stretch of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(int)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def _length(line: Points) -> float:
    return float(np.hypot(*np.diff(line, axis=0).T).sum())


def _nearest(place: Points, rings: Sequence[Points]) -> Points:
    every = np.vstack(rings)
    return np.asarray(every[np.hypot(*(every - place).T).argmin()])
