"""The algebra of strokes: cut, join, bend, smooth, weigh, trim and redraw them.

A place on a stroke of n segments is a number from 0 to n: the segment and how far along it.
All of these return new strokes; the ones given are never changed.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from .curves import arc_lengths, bernstein, resample, sample
from .fit import corner_indices, fit_curve, smooth_hand
from .model import Points, Stroke, new_id

Matrix = NDArray[np.float64]


def count(stroke: Stroke) -> int:
    """How many cubic segments the stroke has."""
    return (len(stroke.controls) - 1) // 3


def at(stroke: Stroke, places: NDArray[np.float64]) -> Points:
    """(k, 2) points at places 0..n."""
    piece = np.clip(np.floor(places).astype(int), 0, count(stroke) - 1)
    weights = bernstein(np.clip(places - piece, 0, 1))
    return np.asarray(np.einsum("kc,kcd->kd", weights, stroke.segments[piece]))


def places_along(stroke: Stroke, step: float = 2.0) -> NDArray[np.float64]:
    """Places about `step` px apart, both ends included."""
    dense = np.linspace(0, count(stroke), max(8 * count(stroke) + 1, 17))
    along = arc_lengths(at(stroke, dense))
    wanted = np.linspace(0, along[-1], max(2, round(along[-1] / step) + 1))
    return np.interp(wanted, along, dense)


def nearest(stroke: Stroke, point: Sequence[float] | Points) -> tuple[float, float]:
    """(place, distance in px) of the stroke's point nearest to `point`."""
    where = np.asarray(point, float)
    places = places_along(stroke, 3.0)
    for _ in range(3):
        distance = np.hypot(*(at(stroke, places) - where).T)
        best = int(distance.argmin())
        low, high = places[max(0, best - 1)], places[min(len(places) - 1, best + 1)]
        places = np.linspace(low, high, 17)
    distance = np.hypot(*(at(stroke, places) - where).T)
    best = int(distance.argmin())
    return float(places[best]), float(distance[best])


def _split_segment(piece: Points, t: float) -> tuple[Points, Points]:
    """De Casteljau: two (4, 2) segments that draw just what the one drew."""
    a = piece[:-1] + t * np.diff(piece, axis=0)
    b = a[:-1] + t * np.diff(a, axis=0)
    c = b[0] + t * (b[1] - b[0])
    return np.array([piece[0], a[0], b[0], c]), np.array([c, b[1], a[2], piece[3]])


def divided(stroke: Stroke, places: Sequence[float]) -> Stroke:
    """The same line with knots at the places as well."""
    controls: list[Points] = [stroke.controls[:1]]
    widths: list[float] = [float(stroke.widths[0])]
    wanted = sorted(p for p in places if 1e-6 < p % 1 < 1 - 1e-6 and 0 < p < count(stroke))
    for number, piece in enumerate(stroke.segments):
        rest, start = piece, 0.0
        first, last = stroke.widths[number : number + 2]
        for place in wanted:
            t = place - number
            if not start < t < 1:
                continue
            left, rest = _split_segment(rest, (t - start) / (1 - start))
            controls.append(left[1:])
            widths.append(float(first + t * (last - first)))
            start = t
        controls.append(rest[1:])
        widths.append(float(last))
    return replace(stroke, controls=np.vstack(controls), widths=np.array(widths))


def finely(stroke: Stroke, step: float) -> Stroke:
    """The same line with points about `step` px apart, if it has fewer: so that it can be bent."""
    places = places_along(stroke, step)
    return divided(stroke, places[1:-1].tolist()) if len(places) > count(stroke) + 1 else stroke


def cut(stroke: Stroke, first: float, last: float) -> Stroke:
    """The stretch from one place to a later one, as a stroke of its own. Raises ValueError for an empty stretch."""
    if last - first < 1e-6:
        raise ValueError("a stretch has to have a length")
    whole = divided(stroke, [first, last])
    inner = [p for p in (first, last) if 1e-6 < p % 1 < 1 - 1e-6 and 0 < p < count(stroke)]

    def knot(place: float) -> int:
        before = sum(p < place - 1e-9 for p in inner)
        return (
            round(min(place, count(stroke)) if place % 1 < 1e-6 or place % 1 > 1 - 1e-6 else np.ceil(place))
            + before
        )

    a, b = knot(first), knot(last)
    if b <= a:
        raise ValueError("a stretch has to have a length")
    return replace(
        whole, controls=whole.controls[3 * a : 3 * b + 1], widths=whole.widths[a : b + 1], id=new_id()
    )


def split(stroke: Stroke, place: float) -> list[Stroke]:
    """The two strokes on both sides of a place; a closed stroke is opened there into one."""
    if stroke.closed:
        return [opened(stroke, place)]
    return [cut(stroke, 0, place), cut(stroke, place, count(stroke))]


def rubbed(stroke: Stroke, path: Points, reach: float) -> list[Stroke] | None:
    """What is left of a stroke beyond `reach` px of a path (k, 2); None if it lies nowhere within."""
    left, top, right, bottom = stroke.box
    lowest, highest = path.min(axis=0) - reach, path.max(axis=0) + reach
    if right < lowest[0] or bottom < lowest[1] or left > highest[0] or top > highest[1]:
        return None
    places = places_along(stroke, 1.0)
    gone = _from_path(at(stroke, places), path) <= reach
    if not gone.any():
        return None
    if stroke.closed and not gone.all():
        # It begins in what is rubbed out, so that no stretch runs over its seam.
        stroke = begun_at(stroke, float(places[int(gone.argmax())]))
        places = places_along(stroke, 1.0)
        gone = _from_path(at(stroke, places), path) <= reach
        gone[[0, -1]] = True
    edges = np.flatnonzero(np.diff(np.concatenate([[True], gone, [True]]).astype(int)))
    stretches = [(places[a], places[b - 1]) for a, b in edges.reshape(-1, 2) if b - a > 1]
    return [replace(cut(stroke, float(a), float(b)), opened=False, filled=False) for a, b in stretches]


def _from_path(points: Points, path: Points) -> NDArray[np.float64]:
    """(n,) px of each point to a path."""
    begin, way = (path[:-1], np.diff(path, axis=0)) if len(path) > 1 else (path, np.zeros((1, 2)))
    length = np.maximum((way**2).sum(axis=1), 1e-12)
    far = np.full(len(points), np.inf)
    for start, along, square in zip(begin, way, length, strict=True):
        share = np.clip((points - start) @ along / square, 0, 1)
        far = np.minimum(far, np.hypot(*(points - start - share[:, None] * along).T))
    return far


def opened(stroke: Stroke, place: float) -> Stroke:
    """A closed stroke cut at a place: its two ends lie on each other until one is moved."""
    return replace(begun_at(stroke, place), opened=True)


def begun_at(stroke: Stroke, place: float) -> Stroke:
    """The closed stroke that begins and ends at a place."""
    if place < 1e-6 or place > count(stroke) - 1e-6:
        return replace(stroke, id=new_id())
    head, tail = cut(stroke, 0, place), cut(stroke, place, count(stroke))
    return replace(
        tail,
        controls=np.vstack([tail.controls, head.controls[1:]]),
        widths=np.concatenate([tail.widths, head.widths[1:]]),
    )


def turned_round(stroke: Stroke) -> Stroke:
    """The same line drawn from its other end."""
    return replace(stroke, controls=stroke.controls[::-1].copy(), widths=stroke.widths[::-1].copy())


def transformed(stroke: Stroke, matrix: Matrix) -> Stroke:
    """The stroke under a (2, 3) affine map; the weight of the line stays."""
    return replace(stroke, controls=stroke.controls @ matrix[:, :2].T + matrix[:, 2])


def bent(stroke: Stroke, centre: Sequence[float], by: Sequence[float], reach: float) -> Stroke:
    """The stroke drawn along by a soft pull: full at `centre`, half at `reach` px, nothing beyond twice that.

    Segments long beside the reach are divided first, so that the pull stays local.
    """
    where = np.asarray(centre, float)
    knots = []
    for number, piece in enumerate(stroke.segments):
        span = float(np.hypot(*np.diff(piece, axis=0).T).sum())
        near = np.hypot(*(at(stroke, np.linspace(number, number + 1, 9)) - where).T).min()
        if near < 2 * reach and span > reach:
            parts = int(np.ceil(span / reach))
            knots += [number + k / parts for k in range(1, parts)]
    fine = divided(stroke, knots)
    distance = np.hypot(*(fine.controls - where).T) / (2 * reach)
    weight = np.where(distance < 1, np.cos(np.minimum(distance, 1) * np.pi / 2) ** 2, 0.0)
    return replace(fine, controls=fine.controls + weight[:, None] * np.asarray(by, float))


def joined(a: Stroke, b: Stroke) -> Stroke:
    """One stroke of two, joined at their nearest ends; a gap between them is bridged by a smooth curve."""
    pairs = [
        (float(np.hypot(*(x.controls[-1] - y.controls[0]))), k, x, y)
        for k, (x, y) in enumerate(
            [(a, b), (a, turned_round(b)), (turned_round(a), b), (turned_round(a), turned_round(b))]
        )
    ]
    gap, _, first, second = min(pairs, key=lambda pair: pair[:2])
    head, tail = first.controls.copy(), second.controls.copy()
    if gap < 1.5 * max(first.widths[-1], second.widths[0]):
        middle = (head[-1] + tail[0]) / 2
        head[-2:] += middle - head[-1]
        tail[:2] += middle - tail[0]
        into, out = middle - head[-2], tail[1] - middle
        if _turn(into, out) < np.deg2rad(35):
            along = _unit(_unit(into) + _unit(out))
            head[-2], tail[1] = middle - along * np.hypot(*into), middle + along * np.hypot(*out)
        controls = np.vstack([head, tail[1:]])
        widths = np.concatenate(
            [first.widths[:-1], [(first.widths[-1] + second.widths[0]) / 2], second.widths[1:]]
        )
    else:
        into, out = _unit(head[-1] - head[-2]), _unit(tail[1] - tail[0])
        bridge = np.array([head[-1] + into * gap / 3, tail[0] - out * gap / 3])
        controls = np.vstack([head, bridge, tail])
        widths = np.concatenate([first.widths, second.widths])
    return replace(
        a, controls=controls, widths=widths, confidence=min(a.confidence, b.confidence), by="hand", id=new_id(),
        track="", link=None, opened=False,
    )  # fmt: skip


def _unit(vector: Points) -> Points:
    return vector / max(float(np.hypot(*vector)), 1e-9)


def _turn(a: Points, b: Points) -> float:
    return float(np.arccos(np.clip(_unit(a) @ _unit(b), -1, 1)))


def _refitted(stroke: Stroke, points: Points, tolerance: float, corners: list[int]) -> Stroke:
    controls, knots = fit_curve(points, tolerance, corners, stroke.closed)
    old = sample(stroke)
    share = arc_lengths(old[0]) / max(arc_lengths(old[0])[-1], 1e-9)
    along = arc_lengths(points)[knots.astype(int)]
    widths = np.interp(along / max(along[-1], 1e-9), share, old[1])
    return replace(stroke, controls=controls, widths=widths)


def smoothed(stroke: Stroke, amount: float) -> Stroke:
    """The stroke with its unsteadiness taken out: ends and corners stay, and there are no more knots than before.

    amount: sigma of the smoothing, px.
    """
    points = resample(sample(stroke, 1.0)[0], 1.5)
    if len(points) < 8:
        return stroke
    corners = corner_indices(points, max(3, round(2 * amount / 1.5)), np.deg2rad(50))
    cuts = [0, *corners, len(points) - 1]
    runs = [smooth_hand(points[a : b + 1], amount) for a, b in itertools.pairwise(cuts) if b > a]
    smooth = np.vstack([runs[0], *(run[1:] for run in runs[1:])])
    joints = np.cumsum([len(run) - 1 for run in runs])[:-1].tolist()
    return _refitted(stroke, smooth, max(0.5, 0.35 * amount), joints)


def weighted(stroke: Stroke, factor: float, first: float | None = None, last: float | None = None) -> Stroke:
    """The stroke `factor` times as heavy, all of it or between two places with soft ends."""
    if first is None or last is None:
        return replace(stroke, widths=(stroke.widths * factor).clip(0.2, 100))
    low, high = sorted((first, last))
    ease = min(0.25 * (high - low), 0.3)
    fine = divided(stroke, [low, low + ease, high - ease, high])
    inner = [
        p for p in (low, low + ease, high - ease, high) if 1e-6 < p % 1 < 1 - 1e-6 and 0 < p < count(stroke)
    ]
    knots = np.sort(np.concatenate([np.arange(count(stroke) + 1), inner]))
    share = np.interp(knots, [low, low + ease, high - ease, high], [0, 1, 1, 0], left=0, right=0)
    if low < 1e-6:
        share[knots <= low + ease] = 1
    if high > count(stroke) - 1e-6:
        share[knots >= high - ease] = 1
    return replace(fine, widths=(fine.widths * (1 + share * (factor - 1))).clip(0.2, 100))


def tapered(stroke: Stroke, start: float, end: float, least: float = 0.25) -> Stroke:
    """The stroke running out thin over `start` px at its beginning and `end` px at its end.

    least: share of the width left at the very tip. A closed stroke stays as it is.
    """
    if stroke.closed or (start <= 0 and end <= 0):
        return stroke
    places = places_along(stroke, 2.0)
    along = arc_lengths(at(stroke, places))
    start, end = (min(reach, 0.45 * along[-1]) for reach in (start, end))
    knots = [
        float(np.interp(s, along, places)) for s in (start / 2, start, along[-1] - end, along[-1] - end / 2)
    ]
    fine = divided(stroke, [k for k, reach in zip(knots, (start, start, end, end), strict=True) if reach > 0])
    whole = np.array([nearest(stroke, knot)[0] for knot in fine.controls[::3]])
    whole[0], whole[-1] = 0, count(stroke)
    where = np.interp(whole, places, along)
    share = np.ones(len(where))
    if start > 0:
        share = np.minimum(share, least + (1 - least) * np.sqrt(np.clip(where / start, 0, 1)))
    if end > 0:
        share = np.minimum(share, least + (1 - least) * np.sqrt(np.clip((along[-1] - where) / end, 0, 1)))
    return replace(fine, widths=fine.widths * share)


def crossings(stroke: Stroke, others: Sequence[Stroke], touch: float | None = None) -> NDArray[np.float64]:
    """Sorted places where other strokes cross this one or end on it.

    touch: px within which an end counts as lying on the stroke; by default three quarters of its width.
    """
    places = places_along(stroke, 2.0)
    points = at(stroke, places)
    low, high = points.min(axis=0) - 4, points.max(axis=0) + 4
    touch = 0.75 * float(stroke.widths.mean()) if touch is None else touch
    found: list[float] = []
    for other in others:
        line = resample(sample(other)[0], 2.0)
        if (line.max(axis=0) < low).any() or (line.min(axis=0) > high).any():
            continue
        found += _polyline_crossings(points, places, line)
        for end in () if other.closed else (line[0], line[-1]):
            if ((end >= low) & (end <= high)).all():
                place, distance = nearest(stroke, end)
                if distance <= touch:
                    found.append(place)
    return _apart(np.sort(np.array(found)), points, places, 1.5 * float(stroke.widths.mean()))


def _polyline_crossings(points: Points, places: NDArray[np.float64], line: Points) -> list[float]:
    p, r = points[:-1], np.diff(points, axis=0)
    q, s = line[:-1], np.diff(line, axis=0)
    cross = r[:, None, 0] * s[None, :, 1] - r[:, None, 1] * s[None, :, 0]
    gap = q[None] - p[:, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        t = (gap[..., 0] * s[None, :, 1] - gap[..., 1] * s[None, :, 0]) / cross
        u = (gap[..., 0] * r[:, None, 1] - gap[..., 1] * r[:, None, 0]) / cross
        hit = (t >= 0) & (t < 1) & (u >= 0) & (u < 1)
    which = np.nonzero(hit)
    return (places[which[0]] + t[which] * np.diff(places)[which[0]]).tolist()


def _apart(
    found: NDArray[np.float64], points: Points, places: NDArray[np.float64], least: float
) -> NDArray[np.float64]:
    """Crossings closer than `least` px along the stroke are one."""
    along = np.interp(found, places, arc_lengths(points))
    kept: list[int] = []
    for k in range(len(found)):
        if not kept or along[k] - along[kept[-1]] > least:
            kept.append(k)
    return found[kept]


def trimmed(stroke: Stroke, others: Sequence[Stroke], place: float) -> list[Stroke]:
    """What is left when the stretch round a place, up to the nearest crossings, is taken away.

    Raises ValueError if nothing crosses the stroke there.
    """
    found = crossings(stroke, others)
    end = float(count(stroke))
    if stroke.closed:
        if len(found) < 2:
            raise ValueError("nothing crosses this line twice, so there is no stretch to trim")
        before = found[found <= place]
        after = found[found > place]
        first = float(before[-1]) if len(before) else float(found[-1])
        last = float(after[0]) if len(after) else float(found[0])
        loop = begun_at(stroke, last)
        kept, _ = nearest(loop, at(stroke, np.array([first]))[0])
        return [cut(loop, 0, kept)] if kept > 1e-3 else []
    inner = found[(found > 0.02) & (found < end - 0.02)]
    if not len(inner):
        raise ValueError("nothing crosses this line, so there is no stretch to trim; delete it instead")
    first = max([0.0, *inner[inner <= place].tolist()])
    last = min([end, *inner[inner > place].tolist()])
    pieces = []
    if first > 0:
        pieces.append(cut(stroke, 0, first))
    if last < end:
        pieces.append(cut(stroke, last, end))
    return pieces


def redrawn(stroke: Stroke, fresh: Stroke) -> Stroke:
    """The stroke with the stretch between the ends of `fresh` drawn as `fresh`.

    On a closed stroke the shorter way round is replaced, judged by which of the two ways lies nearer to `fresh`.
    """
    a, _ = nearest(stroke, fresh.controls[0])
    b, _ = nearest(stroke, fresh.controls[-1])
    end = float(count(stroke))
    middle = at(fresh, np.array([count(fresh) / 2]))[0]
    if stroke.closed:
        # Of the two ways round, the one that passes near the fresh line's middle is drawn anew.
        here, _ = nearest(stroke, middle)
        low, high = sorted((a, b))
        base = stroke
        if not low <= here <= high:
            base = begun_at(stroke, (low + high) / 2)
            a, _ = nearest(base, fresh.controls[0])
            b, _ = nearest(base, fresh.controls[-1])
            end = float(count(base))
        pieces = _around(base, a, b, end, fresh)
        closing = pieces[-1].controls[-1] - pieces[0].controls[0]
        whole = _chain(stroke, pieces, fresh)
        if np.hypot(*closing) > 1e-6:
            whole.controls[-1] = whole.controls[0]
        return whole
    # A fresh line that begins or ends beyond the stroke's end replaces the end as well.
    pieces = _around(stroke, a, b, end, fresh)
    return _chain(stroke, pieces, fresh)


def _around(stroke: Stroke, a: float, b: float, end: float, fresh: Stroke) -> list[Stroke]:
    if a > b:
        a, b = b, a
        fresh = turned_round(fresh)
    slack = 0.04
    pieces = [fresh]
    if a > slack:
        pieces.insert(0, _knot_near_end(cut(stroke, 0, a), last=True))
    if b < end - slack:
        pieces.append(_knot_near_end(cut(stroke, b, end), last=False))
    return pieces


def _knot_near_end(stroke: Stroke, last: bool) -> Stroke:
    """The same line with a knot a little before its end, so that turning the end changes only that little."""
    places = places_along(stroke, 2.0)
    along = arc_lengths(at(stroke, places))
    reach = 2.5 * float(stroke.widths.mean())
    if along[-1] < 2 * reach:
        return stroke
    return divided(stroke, [float(np.interp(along[-1] - reach if last else reach, along, places))])


def _chain(stroke: Stroke, pieces: Sequence[Stroke], fresh: Stroke) -> Stroke:
    """Pieces end to end: the old ones are led into the fresh one without a step in place, way or weight."""
    controls, widths = pieces[0].controls.copy(), pieces[0].widths.copy()
    for piece in pieces[1:]:
        following = piece.controls.copy()
        into, out = controls[-1] - controls[-2], following[1] - following[0]
        leads = piece.id == fresh.id
        step = controls[-1] - following[0]
        if leads:
            controls[-2:] -= step
        else:
            following[:2] += step
        if _turn(into, out) < np.deg2rad(40):
            if leads:
                controls[-2] = controls[-1] - _unit(out) * np.hypot(*into)
            else:
                following[1] = following[0] + _unit(into) * np.hypot(*out)
        joint = (widths[-1] + piece.widths[0]) / 2
        controls = np.vstack([controls, following[1:]])
        widths = np.concatenate([widths[:-1], [joint], piece.widths[1:]])
    return replace(stroke, controls=controls, widths=widths, by="hand", confidence=1.0)


def snapped(stroke: Stroke, others: Sequence[Stroke], reach: float) -> Stroke:
    """The stroke with each end moved onto the line it meant to reach, if one lies within `reach` px.

    An end goes to the end of another stroke before it goes to the middle of one; an end that overshot a line by less
    than the reach is taken back to it.
    """
    if stroke.closed or reach <= 0:
        return stroke
    if _closes_itself(stroke, reach):
        controls = stroke.controls.copy()
        middle = (controls[0] + controls[-1]) / 2
        controls[:2] += middle - controls[0]
        controls[-2:] += middle - controls[-1]
        controls[-1] = controls[0]
        return replace(stroke, controls=controls, opened=False)
    left, top, right, bottom = stroke.box
    near = [
        o
        for o in others
        if o.box[0] <= right + reach
        and o.box[1] <= bottom + reach
        and o.box[2] >= left - reach
        and o.box[3] >= top - reach
    ]
    for last in (False, True):
        stroke = _snap_end(stroke, near, reach, last)
    return stroke


def _closes_itself(stroke: Stroke, reach: float) -> bool:
    span = np.hypot(*np.ptp(stroke.controls, axis=0))
    gap = np.hypot(*(stroke.controls[0] - stroke.controls[-1]))
    return bool(gap < reach and span > 3 * reach)


def _snap_end(stroke: Stroke, others: Sequence[Stroke], reach: float, last: bool) -> Stroke:
    run = turned_round(stroke) if last else stroke
    tip = run.controls[0]
    best: tuple[float, Points] | None = None
    for other in others:
        left, top, right, bottom = other.box
        if not (left - reach <= tip[0] <= right + reach and top - reach <= tip[1] <= bottom + reach):
            continue
        for end in () if other.closed else (other.controls[0], other.controls[-1]):
            # Ends attract twice as far as the middle of a line.
            distance = 0.5 * float(np.hypot(*(end - tip)))
            if distance <= 0.5 * reach and (best is None or distance < best[0]):
                best = (distance, end)
        place, distance = nearest(other, tip)
        if distance <= reach and (best is None or distance < best[0]):
            best = (distance, at(other, np.array([place]))[0])
    if best is None:
        return stroke
    target = best[1]
    over, _ = nearest(run, target)
    body = run
    # An overshoot: the line passes the target and runs on a little; what is beyond it goes.
    passed = float(np.hypot(*(at(run, np.array([over]))[0] - target)))
    if 1e-3 < over < count(run) - 1e-3 and passed < 0.5 * best[0] + 0.5:
        body = replace(cut(run, over, count(run)), id=run.id)
    controls = body.controls.copy()
    step = target - controls[0]
    controls[:2] += step
    controls[2] += step / 3
    body = replace(body, controls=controls)
    return turned_round(body) if last else body


def on_corners(points: Points, box: tuple[float, float, float, float], quad: Points) -> Points:
    """(k, 2) points of a box (left, top, right, bottom) laid on four corners (4, 2), from the top left one round.

    Raises ValueError where the corners do not make a shape that is nowhere folded.
    """
    left, top, right, bottom = box
    ring = np.roll(quad, -1, axis=0) - quad
    turns = ring[:, 0] * np.roll(ring[:, 1], -1) - ring[:, 1] * np.roll(ring[:, 0], -1)
    if not ((turns > 1e-6).all() or (turns < -1e-6).all()):
        raise ValueError("the corners are folded over each other")
    corners = np.array([[left, top], [right, top], [right, bottom], [left, bottom]], np.float32)
    plane = cv2.getPerspectiveTransform(corners, quad.astype(np.float32))
    laid = np.c_[points, np.ones(len(points))] @ plane.T
    return np.asarray(laid[:, :2] / laid[:, 2:])
