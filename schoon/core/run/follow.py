"""Taking the clean strokes of one drawing to the rough of another: registration first, then each curve settles
on the lines found there and keeps its number of points.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..strokes import Points, Stroke, arc_lengths, new_id, sample
from ..strokes.curves import bernstein
from ..strokes.edit import at, count, cut, places_along
from .placement import Placement
from .register import Lines, Target, register, search

_LEAST_GAP = 3.0
"""Lines nearer than this in px are one, however small the drawing."""

_DISAGREES = 5.0
"""A point farther than this from any line of the rough, px of a 1000 px drawing, has nothing to lie on."""


@dataclass(frozen=True)
class Fitted:
    """strokes: the source's strokes as they lie on the target, in order; their confidence falls where the rough
    disagrees. placements: part -> how the part moved as a whole. new: stretches of the target's strokes that nothing
    lies on.
    """

    strokes: list[Stroke]
    placements: dict[str, Placement]
    new: list[Stroke]


def fit_to(
    strokes: Sequence[Stroke],
    found: Sequence[Stroke],
    size: tuple[int, int],
    context: Sequence[Stroke] | None = None,
) -> Fitted:
    """Fits strokes to the lines `found` in another drawing's rough, both of `size` (width, height).

    context: all strokes of the source drawing, whose movement as a whole is the first guess.
    """
    target_lines = Lines.of(found, size)
    target = Target(target_lines)
    unit = target_lines.unit
    everything = Lines.of(context or strokes, size)
    whole, _ = register(everything, target, [Placement(), *search(everything, target_lines)])
    placements: dict[str, Placement] = {}
    fitted: dict[int, Stroke] = {}
    for part in dict.fromkeys(s.part for s in strokes):
        members = [k for k, s in enumerate(strokes) if s.part == part]
        lines = Lines.of([strokes[k] for k in members], size)
        tries = [whole, Placement()]
        if part:
            tries += [whole.then(p) for p in search(lines.placed(whole), target_lines, 80, keep=2)]
        place, _ = register(lines, target, tries, reach=40)
        placements[part] = place
        for k, own in _loosened(lines, target, place, len(members)).items():
            fitted[members[k]] = _settled(strokes[members[k]], own, target, unit)
    done = [fitted[k] for k in range(len(strokes))]
    done = _rejoined(strokes, done, unit)
    return Fitted(done, placements, _bare(done, found, unit))


def _loosened(lines: Lines, target: Target, place: Placement, strokes: int) -> dict[int, Placement]:
    """Each stroke's own placement: the part's, unless a small move of its own lays it clearly better."""
    found = {}
    for k in range(strokes):
        own = lines.only(lines.owner == k)
        best, _ = register(own, target, [place], reach=24)
        moved = place.apply(own.points)
        step = np.hypot(*(best.apply(own.points) - moved).T).max()
        reach = 10 * lines.unit
        here, there = target.cost(own.placed(place), reach), target.cost(own.placed(best), reach)
        fair = step < 45 * lines.unit and 0.75 < best.scale / place.scale < 1.33
        found[k] = best if fair and there < 0.8 * here else place
    return found


def _basis(stroke: Stroke, each: int) -> NDArray[np.float64]:
    """(samples, controls) weights of the control points in points along the stroke."""
    n = count(stroke)
    t = np.linspace(0, 1, each)
    local = bernstein(t)
    rows = np.zeros((n * each, 3 * n + 1))
    for k in range(n):
        rows[k * each : (k + 1) * each, 3 * k : 3 * k + 4] = local
    return rows


def _settled(stroke: Stroke, place: Placement, target: Target, unit: float) -> Stroke:
    """The stroke pulled onto the target's lines in smaller and smaller reach, its points moving together."""
    controls = place.apply(stroke.controls)
    each = 14
    basis = _basis(stroke, each)
    m = len(controls)
    # The change is to be smooth along the stroke: neighbouring control points move alike.
    first, second = np.diff(np.eye(m), axis=0), np.diff(np.eye(m), 2, axis=0)
    closing = np.zeros((0, m))
    if stroke.closed:
        closing = np.zeros((1, m))
        closing[0, 0], closing[0, -1] = 1e3, -1e3
    for reach in (16.0, 10.0, 6.0, 4.0, 3.0):
        points = basis @ controls
        tangent = np.gradient(points, axis=0)
        tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
        lines = Lines(points, tangent, np.zeros(len(points), int), unit)
        index, distance = target.nearest(lines)
        goal = target.lines.points[index] if len(target.lines.points) else points
        normal = np.c_[-tangent[:, 1], tangent[:, 0]]
        across = ((goal - points) * normal).sum(axis=1)
        weights = np.exp(-0.5 * (distance / (reach * unit)) ** 2)
        wanted = across[:, None] * normal
        a = np.vstack(
            [
                basis * np.sqrt(weights)[:, None],
                first * 0.25 * np.sqrt(each),
                second * 0.5 * np.sqrt(each),
                np.eye(m) * 0.05 * np.sqrt(each),
                closing,
            ]
        )
        b = np.vstack([wanted * np.sqrt(weights)[:, None], np.zeros((len(a) - len(wanted), 2))])
        move, *_ = np.linalg.lstsq(a, b, rcond=None)
        controls = controls + move
        if stroke.closed:
            controls[-1] = controls[0]
    lies = _lies_on(basis @ controls, target)
    return replace(
        stroke, controls=controls, confidence=float(lies.mean()), by="proposal", id=new_id(),
        track=stroke.track or stroke.id, link=None,
    )  # fmt: skip


def _lies_on(points: Points, target: Target) -> NDArray[np.bool_]:
    """Which points of a line lie on some line of the target that runs the same way."""
    if not len(target.lines.points):
        return np.zeros(len(points), bool)
    tangent = np.gradient(points, axis=0)
    tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
    index, _ = target.nearest(Lines(points, tangent, np.zeros(len(points), int), target.lines.unit))
    return np.asarray(
        np.hypot(*(target.lines.points[index] - points).T) < max(_DISAGREES * target.lines.unit, _LEAST_GAP)
    )


def _rejoined(before: Sequence[Stroke], after: list[Stroke], unit: float) -> list[Stroke]:
    """Ends that met in the source meet again: strokes settle one by one and part by a little."""
    ends = [(k, e) for k, s in enumerate(before) if not s.closed for e in (0, -1)]
    if not ends:
        return after
    controls = [s.controls.copy() for s in after]
    places = np.array([before[k].controls[e] for k, e in ends])
    samples = [sample(s, 2.0)[0] for s in before]
    settled = [sample(s, 2.0)[0] for s in after]
    done: set[int] = set()
    tree = cKDTree(places)
    for i, (k, e) in enumerate(ends):
        group = [j for j in tree.query_ball_point(places[i], 2.5 * unit) if j not in done]
        if len(group) > 1 and i not in done:
            meeting = np.mean([controls[ends[j][0]][ends[j][1]] for j in group], axis=0)
            for j in group:
                if np.hypot(*(controls[ends[j][0]][ends[j][1]] - meeting)) < 14 * unit:
                    _pull_end(controls[ends[j][0]], ends[j][1], meeting)
                done.add(j)
            continue
        if i in done:
            continue
        # An end that lay on the middle of another stroke.
        best: tuple[float, Points] | None = None
        for other, line in enumerate(samples):
            if other == k:
                continue
            gap = np.hypot(*(line - places[i]).T)
            at = int(gap.argmin())
            if gap[at] < 3.0 * unit and (best is None or gap[at] < best[0]):
                near = settled[other]
                share = round(at / max(len(line) - 1, 1) * (len(near) - 1))
                window = near[max(0, share - 12) : share + 13]
                nearest = window[int(np.hypot(*(window - controls[k][e]).T).argmin())]
                best = (float(gap[at]), nearest)
        if best is not None and np.hypot(*(best[1] - controls[k][e])) < 14 * unit:
            _pull_end(controls[k], e, best[1])
    return [replace(s, controls=c) for s, c in zip(after, controls, strict=True)]


def _pull_end(controls: Points, end: int, to: Points) -> None:
    """Moves an end and, fading out, the control points behind it."""
    step = to - controls[end]
    order = range(min(4, len(controls)))
    for k, share in zip(order, (1.0, 1.0, 0.6, 0.2), strict=False):
        controls[k if end == 0 else -1 - k] += share * step


def _bare(fitted: Sequence[Stroke], found: Sequence[Stroke], unit: float) -> list[Stroke]:
    """Stretches of found strokes that no fitted stroke lies on: what is new in this drawing."""
    if not fitted:
        return list(found)
    tree = cKDTree(np.vstack([sample(s, 2.0)[0] for s in fitted]))

    def covered(points: Points) -> NDArray[np.bool_]:
        return np.asarray(tree.query(points)[0] < 7.0 * unit)

    new: list[Stroke] = []
    for stroke in found:
        pieces = stretches(stroke, covered, max(28.0 * unit, 16.0))
        new += [piece for piece, is_covered in pieces if not is_covered]
    return [replace(s, confidence=min(s.confidence, 0.45), by="proposal") for s in new]


def cut_at_doubt(fitted: Sequence[Stroke], found: Sequence[Stroke], size: tuple[int, int]) -> list[Stroke]:
    """Fitted strokes with the stretches that have nothing to lie on cut off as strokes of their own, in doubt:
    mostly what another form hides in this drawing. What is left of a stroke keeps its name."""
    target = Target(Lines.of(found, size))
    unit = target.lines.unit
    pieces: list[Stroke] = []
    for stroke in fitted:
        runs = stretches(stroke, lambda points: _lies_on(points, target), max(28.0 * unit, 16.0))
        if len(runs) == 1:
            pieces.append(stroke)
            continue
        longest = max((arc_lengths(sample(p)[0])[-1] for p, lies in runs if lies), default=0.0)
        for piece, lies in runs:
            main = lies and arc_lengths(sample(piece)[0])[-1] == longest
            pieces.append(
                replace(
                    piece, confidence=1.0 if lies else 0.1, id=stroke.id if main else piece.id,
                    track=stroke.track if main else "",
                )
            )  # fmt: skip
    return pieces


def stretches(
    stroke: Stroke, test: Callable[[Points], NDArray[np.bool_]], least: float
) -> list[tuple[Stroke, bool]]:
    """The stroke cut where a test of its points changes, in stretches of at least `least` px, in order."""
    places = places_along(stroke, 2.0)
    points = at(stroke, places)
    along = arc_lengths(points)
    passed = test(points)
    bounds = [0, *(np.flatnonzero(np.diff(passed.astype(int))) + 1).tolist(), len(points) - 1]
    runs: list[tuple[int, int, bool]] = [
        (a, b, bool(passed[a])) for a, b in itertools.pairwise(bounds) if b > a
    ]
    # The shortest stretch is swallowed by its neighbours until all are long enough to mean something.
    while len(runs) > 1:
        spans = [along[b] - along[a] for a, b, _ in runs]
        k = int(np.argmin(spans))
        if spans[k] >= least:
            break
        runs[k] = (runs[k][0], runs[k][1], not runs[k][2])
        merged = [runs[0]]
        for first, last, good in runs[1:]:
            if good == merged[-1][2]:
                merged[-1] = (merged[-1][0], last, good)
            else:
                merged.append((first, last, good))
        runs = merged
    if len(runs) == 1:
        return [(stroke, runs[0][2])]
    return [(cut(stroke, float(places[a]), float(places[b])), good) for a, b, good in runs]
