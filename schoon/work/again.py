"""A part's lines used for another part: moved, mirrored, turned, and shifted in time."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..core.run import Placement, hidden_by, silhouette, smeared
from ..core.sketch import cut
from ..core.strokes import Points, Stroke, edit, ink_coverage, new_id, sample
from ..core.tone import Tone
from ..errors import Refusal
from ..store import Cursor, DrawingRow, Store, revisions
from .documents import Sheet
from .edits import change_time, save_sheet
from .operations.base import many
from .operations.drawings import Mean
from .proposals import taking_place
from .run import Call, Run, load_run, on_lines
from .sketches import MOST_PASSES, Pass, Sketch, named

Order = Literal["over", "behind", "as it is"]
Form = Callable[[Points], NDArray[np.bool_]]

_PENCIL, _PALE = (96, 128, 190), 0.45
"""Colour of the pencil in which a part comes as a rough, and how strong it is."""

_ON_LINE = 8.0
"""Px within which a stitch ends on a line."""

Matrix = tuple[float, float, float, float, float, float]


@dataclass(frozen=True)
class Ask:
    """part: whose lines are used. name: the part they become. drawings: those that get them. shift: how many drawings later
    they come than they were drawn. around: whether those that would come from beyond an end come from the other, as in a
    cycle. matrix: a, b, c, d, e, f of an SVG matrix by which they are laid. grows: whether they are laid so in the last
    drawing only, and on the way there in the others. order: whether they hide what is there, are hidden by it, or neither.
    painted: whether stitches, paint and tones that lie on the part come along. rough: they come as a pale pass of the rough,
    to be drawn anew, and no line changes.
    """

    part: str
    name: str
    drawings: Sequence[int]
    shift: int = 0
    around: bool = False
    matrix: Matrix = (1, 0, 0, 1, 0, 0)
    grows: bool = False
    order: Order = "as it is"
    painted: bool = False
    rough: bool = False


def use_again(store: Store, level_id: int, ask: Ask, call: Call) -> list[int]:
    """Gives drawings the lines of a part as another part's, undone as one; returns those that changed.

    What was there of the other part goes. Raises NotFound, Refusal.
    """

    def computed(run: Run) -> tuple[set[int], _Made]:
        sources, shares = _sources(run, ask), _shares(run, ask)
        lines = {d: call(laid, run.strokes[source], ask, shares[d]) for d, source in sources.items()}
        passes = {d: _pale(strokes, ask, run.size) for d, strokes in lines.items()} if ask.rough else {}
        return {*lines, *sources.values()}, _Made(sources, shares, lines, passes)

    def keep(cursor: Cursor, run: Run, held: list[tuple[DrawingRow, Sheet]], made: _Made) -> None:
        sheets = {int(row["id"]): sheet for row, sheet in held}
        label = f"use {ask.part} again as {ask.name} in {many(len(made.lines), 'drawing')}"
        action = revisions.begin_action(cursor, label)
        for row, sheet in held:
            drawing = int(row["id"])
            if drawing in made.passes:
                after = replace(sheet, sketch=made.passes[drawing](sheet.sketch))
            elif drawing in made.lines:
                after = _with(sheet, made.lines[drawing], ask, run.size)
                if ask.painted:
                    source = sheets[made.sources[drawing]]
                    after = _painted(after, sheet, source, ask, made.shares[drawing])
            else:
                continue
            save_sheet(cursor, action, row, sheet, after)

    return list(on_lines(store, level_id, computed, keep).lines)


@dataclass(frozen=True)
class _Made:
    """By drawing: where its lines come from, how far they are laid, the lines, and what they make of a rough."""

    sources: dict[int, int]
    shares: dict[int, float]
    lines: dict[int, list[Stroke]]
    passes: dict[int, Callable[[Sketch], Sketch]]


def smear(
    store: Store, level_id: int, part: str, drawings: Sequence[int], amount: float, call: Call
) -> list[int]:
    """Stretches a part of drawings along its way from the drawing before to the one after, undone as one, and says that they
    are so on purpose; returns those that changed. Raises NotFound, Refusal.
    """

    def computed(run: Run) -> tuple[set[int], dict[int, list[Stroke]]]:
        made = {d: found for d in drawings if (found := _smeared(run, d, part, amount, call))}
        if not made:
            raise Refusal(
                f"{part} does not move from the drawing before these to the one after, or is not in them"
            )
        return set(made), made

    def keep(
        cursor: Cursor, run: Run, held: list[tuple[DrawingRow, Sheet]], made: dict[int, list[Stroke]]
    ) -> None:
        action = revisions.begin_action(cursor, f"smear {part} in {many(len(made), 'drawing')}")
        for row, sheet in held:
            rest = [s for s in sheet.strokes if s.part != part]
            save_sheet(cursor, action, row, sheet, replace(sheet, strokes=[*rest, *made[int(row["id"])]]))
        change_time(cursor, run.shot["id"], Mean(do="mean", drawings=sorted(made), meant=True))

    made = on_lines(store, level_id, computed, keep)
    return list(made)


def _smeared(run: Run, drawing: int, part: str, amount: float, call: Call) -> list[Stroke]:
    k = run.index(drawing)

    def form(index: int) -> list[Stroke]:
        return (
            [s for s in run.strokes[run.rows[index]["id"]] if s.part == part]
            if 0 <= index < len(run.rows)
            else []
        )

    own = form(k)
    if not own:
        return []
    try:
        found: list[Stroke] = call(smeared, own, form(k - 1) or None, form(k + 1) or None, amount)
    except ValueError:
        return []
    return found


def tried(store: Store, level_id: int, ask: Ask, drawing: int) -> list[Stroke]:
    """The lines that one drawing would get. Raises NotFound, Refusal."""
    with store.transaction() as cursor:
        run = load_run(cursor, level_id)
    source = _sources(run, ask).get(drawing)
    return laid(run.strokes[source], ask, _shares(run, ask)[drawing]) if source is not None else []


def _shares(run: Run, ask: Ask) -> dict[int, float]:
    """Drawing -> how far the lines are laid there, 0..1."""
    order = sorted(set(ask.drawings), key=run.index)
    if not ask.grows:
        return dict.fromkeys(order, 1.0)
    a, b, c, d = ask.matrix[:4]
    if abs(a - d) + abs(b + c) > 1e-6:
        raise Refusal("What is mirrored cannot come about bit by bit; take “mirrored” or “bit by bit” away")
    if len(order) < 2:
        raise Refusal("Choose two drawings at least; in the first the lines are as they were")
    return {drawing: k / (len(order) - 1) for k, drawing in enumerate(order)}


def _sources(run: Run, ask: Ask) -> dict[int, int]:
    """Drawing -> the one its lines come from."""
    if ask.part == ask.name and not ask.shift and ask.matrix == (1, 0, 0, 1, 0, 0):
        raise Refusal("This would change nothing; name another part, or move or shift it")
    wanted = sorted({run.index(d) for d in ask.drawings})
    ids = [int(row["id"]) for row in run.rows]
    found: dict[int, int] = {}
    for place, index in enumerate(wanted):
        source = wanted[(place - ask.shift) % len(wanted)] if ask.around else index - ask.shift
        if 0 <= source < len(ids) and any(s.part == ask.part for s in run.strokes[ids[source]]):
            found[ids[index]] = ids[source]
    if not found:
        raise Refusal(
            f"None of the drawings these would come from has lines of {ask.part}; give them to the part first"
        )
    return found


def laid(strokes: Sequence[Stroke], ask: Ask, share: float = 1.0) -> list[Stroke]:
    """The lines of the part as those of the other, laid a share of the way. Of one line they have one track through all
    drawings."""
    matrix = _matrix(ask, share)
    found = []
    for stroke in strokes:
        if stroke.part == ask.part:
            own = stroke.track or stroke.id
            track = own if ask.name == ask.part else _named(own, ask.name)
            moved = edit.transformed(stroke, matrix)
            found.append(
                replace(moved, id=new_id(), track=track, link=None, part=ask.name, by="hand", confidence=1.0)
            )
    return found


def _matrix(ask: Ask, share: float) -> NDArray[np.float64]:
    """(2, 3) how the lines are laid a share of the way."""
    a, b, c, d, e, f = ask.matrix
    if share < 1:
        # On an arc about the place that stays: a limb turns about its joint.
        return Placement(complex(a, b), complex(e, f)).part_way(share).matrix
    return np.array([[a, c, e], [b, d, f]], float)


def _painted(after: Sheet, before: Sheet, source: Sheet, ask: Ask, share: float) -> Sheet:
    """A drawing that was given a part, with the stitches, paint and tones that lie on it in the one its lines come from. Those
    that lay on what was there of the part go."""
    matrix = _matrix(ask, share)
    form = [s for s in source.strokes if s.part == ask.part]
    on_part = silhouette(form, source.size)
    lines = cKDTree(np.vstack([sample(s)[0] for s in form]))
    gone = [
        silhouette([s for s in sheet.strokes if s.part == ask.name], after.size) for sheet in (before, after)
    ]

    def moved(points: Points) -> Points:
        return points @ matrix[:, :2].T + matrix[:, 2]

    def there(at: tuple[float, float]) -> tuple[float, float]:
        x, y = moved(np.array([at], float))[0].tolist()
        return x, y

    def lies(tone: Tone, inside: Form) -> bool:
        return bool(inside(np.vstack([ring[::3] for ring in tone.rings])).mean() > 0.5)

    def free(points: Points) -> NDArray[np.bool_]:
        """Which places no line of another part covers."""
        if ask.order != "behind":
            return np.ones(len(points), bool)
        return ~silhouette([s for s in after.strokes if s.part != ask.name], after.size)(points)

    spots = [s for s in after.spots if not any(inside(np.array([s.at]))[0] for inside in gone)]
    came = [replace(s, at=there(s.at), source=None) for s in source.spots if on_part(np.array([s.at]))[0]]
    spots += [s for s in came if free(np.array([s.at]))[0]]
    tones = [
        replace(t, id=_named(t.id, ask.name), by="hand", rings=tuple(map(moved, t.rings)), at=tuple(map(there, t.at)))
        for t in source.tones if lies(t, on_part)
    ]  # fmt: skip
    ids = {t.id for t in tones}
    kept = [t for t in after.tones if t.id not in ids and not lies(t, gone[0])]
    stitches = [
        replace(s, id=_named(s.id, ask.name), points=moved(s.points))
        for s in source.stitches
        if s.state == "taken" and (lines.query(s.points[[0, -1]])[0] < _ON_LINE).all()
    ]
    names = {s.id for s in stitches}
    return replace(
        after, spots=spots, tones=[*kept, *tones],
        stitches=[*(s for s in after.stitches if s.id not in names), *stitches],
    )  # fmt: skip


def _pale(strokes: Sequence[Stroke], ask: Ask, size: tuple[int, int]) -> Callable[[Sketch], Sketch]:
    """Puts lines on a rough as a pale pass of its own, in the place of one that was put there before. Raises Refusal."""
    coverage = ink_coverage(strokes, size)
    alpha = (coverage * _PALE).round().astype(np.uint8)
    colour = np.where(alpha[..., None] > 0, np.array(_PENCIL, np.uint8), 0).astype(np.uint8)
    tiles, fresh = named({}, cut(np.dstack([colour, alpha])))
    new = Pass(_named(ask.part, ask.name), ask.name, tiles=tiles)

    def laid_on(sketch: Sketch) -> Sketch:
        rest = tuple(one for one in sketch.passes if one.id != new.id)
        if len(rest) >= MOST_PASSES:
            raise Refusal(f"A drawing has {MOST_PASSES} passes at the most; merge some or take them off")
        return replace(sketch, passes=(*rest, new), fresh={**sketch.fresh, **fresh})

    return laid_on


def _named(own: str, name: str) -> str:
    return hashlib.sha256(f"{own} {name}".encode()).hexdigest()[:10]


def _with(sheet: Sheet, new: list[Stroke], ask: Ask, size: tuple[int, int]) -> Sheet:
    present = taking_place(sheet.strokes, new, ask.name)[: -len(new)]
    behind = {k: [s for s in hidden if s.part != ask.name] for k, hidden in sheet.behind.items()}
    front, hidden = "", list[Stroke]()
    if ask.order == "behind":
        new, hidden = hidden_by(new, [s for s in present if s.part != ask.name], size)
    elif ask.order == "over":
        front = ask.name
        present, hidden = hidden_by(present, new, size)
    behind[front] = [*behind.get(front, ()), *hidden]
    return replace(sheet, strokes=[*present, *new], behind={k: v for k, v in behind.items() if v})
