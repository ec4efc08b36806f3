"""Lines of a part laid as another part's, with the paint and tones that lie on them; and how they follow what they are laid by."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..core.run import brought_back, followed, hidden_by, silhouette
from ..core.seal import Stitch
from ..core.strokes import Points, Stroke, edit, new_id, sample
from ..core.tone import Tone
from .derived import patches_in
from .documents import Order, Sheet, Spot, Use
from .proposals import besides

Form = Callable[[Points], NDArray[np.bool_]]
Thing = TypeVar("Thing", Tone, Stitch)

_ON_LINE = 8.0
"""Px within which a stitch ends on a line."""

_HERE = 1.0
"""Px within which paint lies at one place."""


def named(own: str, name: str) -> str:
    """The name of something that comes along with a part, the same each time."""
    return hashlib.sha256(f"{own} {name}".encode()).hexdigest()[:10]


def laid(strokes: Sequence[Stroke], use: Use, name: str) -> list[Stroke]:
    """The lines of the part as those of another, `name`. Of one line they have one track through all drawings."""
    matrix = _matrix(use)
    found = []
    for stroke in strokes:
        if stroke.part == use.part:
            own = stroke.track or stroke.id
            track = own if name == use.part else named(own, name)
            moved = edit.transformed(stroke, matrix)
            found.append(
                replace(moved, id=new_id(), track=track, link=None, part=name, by="hand", confidence=1.0)
            )
    return found


def with_lines(sheet: Sheet, new: list[Stroke], name: str, order: Order) -> Sheet:
    """A drawing with these lines as a part, in the place of what was there of it; what that hid comes back."""
    rest = [s for s in sheet.strokes if s.part != name]
    # Proposals of no part that run along the lines were read from the same rough.
    open_to_all = [s for s in rest if s.by != "hand" and not s.part]
    gone = {id(s) for s in open_to_all} - {id(s) for s in besides(open_to_all, new)}
    present = [s for s in rest if id(s) not in gone]
    behind = {k: [s for s in hidden if s.part != name] for k, hidden in sheet.behind.items()}
    present = brought_back(present, behind.pop(name, []))
    front, hidden = "", list[Stroke]()
    if order == "behind":
        new, hidden = hidden_by(new, present, sheet.size)
    elif order == "over":
        front = name
        present, hidden = hidden_by(present, new, sheet.size)
    behind[front] = [*behind.get(front, ()), *hidden]
    return replace(sheet, strokes=[*present, *new], behind={k: v for k, v in behind.items() if v})


def with_paint(after: Sheet, before: Sheet, source: Sheet, use: Use, name: str) -> Sheet:
    """A drawing that was given a part, with the stitches, paint and tones that lie on it in the one its lines come from. Those
    that lay on what was there of the part go."""
    came = _along(source, use, name)
    gone = [silhouette([s for s in sheet.strokes if s.part == name], after.size) for sheet in (before, after)]
    free = _free(after, use, name)
    spots = [s for s in after.spots if not any(inside(np.array([s.at]))[0] for inside in gone)]
    spots += [s for s in came.spots if free(np.array([s.at]))[0]]
    ids = {t.id for t in came.tones} | {s.id for s in came.stitches}
    tones = [t for t in after.tones if t.id not in ids and not _lies(t, gone[0])]
    stitches = [s for s in after.stitches if s.id not in ids]
    return replace(
        after,
        spots=spots,
        tones=[*tones, *came.tones],
        stitches=[*stitches, *came.stitches],
    )


def following(sheet: Sheet, name: str, use: Use, was: Sheet, then: Sheet) -> Sheet:
    """A drawing after the one that its part `name` follows has changed. was, then: that one before and after.

    What a hand has changed of the part stays, and a part of which nothing is left in the other drawing stays whole.
    """
    old, now = ([s for s in one.strokes if s.part == use.part] for one in (was, then))
    if not now:
        return sheet
    found = sheet
    if [s.text for s in old] != [s.text for s in now]:
        before, after = laid(old, use, name), laid(now, use, name)
        own = [s for s in sheet.strokes if s.part == name]
        under = [s for hidden in sheet.behind.values() for s in hidden if s.part == name]
        whole = brought_back(own, under)
        new = followed(whole, before, after)
        if {id(s) for s in new} != {id(s) for s in whole}:
            found = with_lines(sheet, new, name, use.order)
            for front, hidden in sheet.behind.items():
                if front not in ("", name) and any(s.part == name for s in hidden):
                    found = _hidden_again(found, name, front)
    return _painted_after(found, name, use, was, then) if use.painted else found


def _hidden_again(sheet: Sheet, name: str, front: str) -> Sheet:
    """A drawing with a part hidden by one in front of it, as it was before it was laid anew."""
    form = [s for s in sheet.strokes if s.part == front]
    seen, hidden = hidden_by([s for s in sheet.strokes if s.part == name], form, sheet.size)
    others = [s for s in sheet.strokes if s.part != name]
    behind = {**sheet.behind, front: [*sheet.behind.get(front, ()), *hidden]}
    return replace(sheet, strokes=[*others, *seen], behind={k: v for k, v in behind.items() if v})


def _painted_after(sheet: Sheet, name: str, use: Use, was: Sheet, then: Sheet) -> Sheet:
    """A drawing whose part was laid anew, with the stitches, paint and tones that changed on the other."""
    if _beside_lines(was) == _beside_lines(then):
        return sheet
    old, new = _along(was, use, name), _along(then, use, name)
    return replace(
        sheet,
        stitches=_merged(sheet.stitches, old.stitches, new.stitches),
        tones=_merged(sheet.tones, old.tones, new.tones),
        spots=_merged_spots(sheet, name, use, old.spots, new.spots),
    )


def _beside_lines(sheet: Sheet) -> list[list[Any]]:
    return [[thing.to_dict() for thing in things] for things in (sheet.spots, sheet.tones, sheet.stitches)]


def _merged(own: list[Thing], was: list[Thing], then: list[Thing]) -> list[Thing]:
    """Things with an id: those that are as they came follow."""
    before, after = {t.id: t.to_dict() for t in was}, {t.id: t for t in then}
    kept: list[Thing] = []
    for thing in own:
        if thing.to_dict() != before.get(thing.id):
            kept.append(thing)
        elif thing.id in after:
            kept.append(after[thing.id])
    known = {t.id for t in own} | before.keys()
    return kept + [t for t in then if t.id not in known]


def _merged_spots(sheet: Sheet, name: str, use: Use, was: Sequence[Spot], then: Sequence[Spot]) -> list[Spot]:
    """Paint of a part after that of the other changed: what a hand has poured here stays."""

    def among(spot: Spot, others: Sequence[Spot]) -> bool:
        return any(s.pot == spot.pot and _apart(s, spot) < _HERE for s in others)

    gone = [s for s in was if not among(s, then)]
    fresh = [s for s in then if not among(s, was)]
    if not gone and not fresh:
        return sheet.spots
    spots = [s for s in sheet.spots if not among(s, gone)]
    patches, free = patches_in(sheet), _free(sheet, use, name)
    by_hand = {patches.at(*s.at) for s in spots if s.by == "hand"}
    coming = {
        patch: s
        for s in fresh
        if (patch := patches.at(*s.at)) and patch not in by_hand and free(np.array([s.at]))[0]
    }
    return [s for s in spots if patches.at(*s.at) not in coming] + list(coming.values())


def _apart(a: Spot, b: Spot) -> float:
    return float(np.hypot(a.at[0] - b.at[0], a.at[1] - b.at[1]))


def _along(source: Sheet, use: Use, name: str) -> Sheet:
    """The stitches, paint and tones that lie on the part, as they come along with it."""
    matrix = _matrix(use)
    form = [s for s in source.strokes if s.part == use.part]
    if not form:
        return Sheet(source.size)
    on_part = silhouette(form, source.size)
    lines = cKDTree(np.vstack([sample(s)[0] for s in form]))

    def moved(points: Points) -> Points:
        return points @ matrix[:, :2].T + matrix[:, 2]

    def there(at: tuple[float, float]) -> tuple[float, float]:
        x, y = moved(np.array([at], float))[0].tolist()
        return x, y

    spots = [replace(s, at=there(s.at), source=None) for s in source.spots if on_part(np.array([s.at]))[0]]
    tones = [
        replace(t, id=named(t.id, name), by="hand", rings=tuple(map(moved, t.rings)), at=tuple(map(there, t.at)))
        for t in source.tones if _lies(t, on_part)
    ]  # fmt: skip
    stitches = [
        replace(s, id=named(s.id, name), points=moved(s.points))
        for s in source.stitches
        if s.state == "taken" and (lines.query(s.points[[0, -1]])[0] < _ON_LINE).all()
    ]
    return Sheet(source.size, stitches=stitches, spots=spots, tones=tones)


def _free(sheet: Sheet, use: Use, name: str) -> Form:
    """Tells which places no other part covers, for one that lies behind them."""
    if use.order != "behind":
        return lambda points: np.ones(len(points), bool)
    covers = silhouette([s for s in sheet.strokes if s.part != name], sheet.size)
    return lambda points: ~covers(points)


def _lies(tone: Tone, inside: Form) -> bool:
    return bool(inside(np.vstack([ring[::3] for ring in tone.rings])).mean() > 0.5)


def _matrix(use: Use) -> NDArray[np.float64]:
    """(2, 3) how the lines are laid."""
    a, b, c, d, e, f = use.matrix
    return np.array([[a, c, e], [b, d, f]], float)
