"""A part's lines used for another part: moved, mirrored, turned, and shifted in time."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..core.run import Placement, smeared
from ..core.sketch import cut
from ..core.strokes import Stroke, ink_coverage
from ..errors import Refusal
from ..store import Cursor, DrawingRow, Store, productions, revisions
from .documents import Matrix, Order, Sheet, Use, uses_of
from .edits import change_time, follow, save_sheet
from .laying import laid, named, with_lines, with_paint
from .operations.base import many
from .operations.drawings import Mean
from .run import Call, Run, load_run, on_lines
from .sketches import MOST_PASSES, Pass, Sketch
from .sketches import named as pass_tiles

_PENCIL, _PALE = (96, 128, 190), 0.45
"""Colour of the pencil in which a part comes as a rough, and how strong it is."""


@dataclass(frozen=True)
class Ask:
    """part: whose lines are used. name: the part they become. drawings: those that get them. shift: how many drawings later
    they come than they were drawn. around: whether those that would come from beyond an end come from the other, as in a
    cycle. matrix: a, b, c, d, e, f of an SVG matrix by which they are laid. grows: whether they are laid so in the last
    drawing only, and on the way there in the others. order: whether they hide what is there, are hidden by it, or neither.
    painted: whether stitches, paint and tones that lie on the part come along. rough: they come as a pale pass of the rough,
    to be drawn anew, and no line changes. linked: they follow when what they come from is changed.
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
    linked: bool = False

    def use(self, source: int, share: float) -> Use:
        """What a drawing uses of a source, laid a share of the way."""
        matrix = self.matrix
        if share < 1:
            # On an arc about the place that stays: a limb turns about its joint.
            a, b, c, d, e, f = matrix
            part_way = Placement(complex(a, b), complex(e, f)).part_way(share).matrix
            (a, c, e), (b, d, f) = part_way.tolist()
            matrix = (a, b, c, d, e, f)
        return Use(self.part, source, matrix, self.order, self.painted)


def use_again(store: Store, level_id: int, ask: Ask, call: Call) -> list[int]:
    """Gives drawings the lines of a part as another part's, undone as one; returns those that changed.

    What was there of the other part goes. Raises NotFound, Refusal.
    """

    def computed(run: Run) -> tuple[set[int], _Made]:
        uses = _uses(run, ask)
        lines = {d: call(laid, run.strokes[use.source], use, ask.name) for d, use in uses.items()}
        passes = {d: _pale(strokes, ask, run.size) for d, strokes in lines.items()} if ask.rough else {}
        return {*lines, *(use.source for use in uses.values())}, _Made(uses, lines, passes)

    def keep(cursor: Cursor, run: Run, held: list[tuple[DrawingRow, Sheet]], made: _Made) -> None:
        sheets = {int(row["id"]): sheet for row, sheet in held}
        label = f"use {ask.part} again as {ask.name} in {many(len(made.lines), 'drawing')}"
        action = revisions.begin_action(cursor, label)
        for row, sheet in held:
            drawing = int(row["id"])
            if drawing in made.passes:
                after = replace(sheet, sketch=made.passes[drawing](sheet.sketch))
            elif drawing in made.lines:
                use = made.uses[drawing]
                after = with_lines(sheet, made.lines[drawing], ask.name, ask.order)
                if ask.painted:
                    after = with_paint(after, sheet, sheets[use.source], use, ask.name)
                rest = {part: u for part, u in sheet.again.items() if part != ask.name}
                if ask.linked or rest != sheet.again:
                    after = replace(after, again={**rest, ask.name: use} if ask.linked else rest)
            else:
                continue
            save_sheet(cursor, action, row, sheet, after)
        follow(cursor, action, [row for row, _ in held])

    return list(on_lines(store, level_id, computed, keep).lines)


@dataclass(frozen=True)
class _Made:
    """By drawing: what it uses, the lines, and what they make of a rough."""

    uses: dict[int, Use]
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
        follow(cursor, action, [row for row, _ in held])
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
    use = _uses(run, ask).get(drawing)
    return laid(run.strokes[use.source], use, ask.name) if use else []


def _uses(run: Run, ask: Ask) -> dict[int, Use]:
    """Drawing -> what it uses."""
    if ask.linked and ask.rough:
        raise Refusal("A rough that is to be drawn over follows nothing; take “linked” away, or use lines")
    if ask.linked and ask.part == ask.name:
        raise Refusal(f"{ask.part} cannot follow itself; name another part, or take “linked” away")
    shares = _shares(run, ask)
    return {d: ask.use(source, shares[d]) for d, source in _sources(run, ask).items()}


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


def followers(cursor: Cursor, level_id: int) -> dict[int, list[tuple[str, Use, str | None]]]:
    """Drawing -> its parts that follow others, each with what it follows and the number of that drawing, None if it is gone.
    Raises NotFound."""
    rows = productions.drawings(cursor, level_id)
    numbers = {int(row["id"]): row["number"] for row in rows}
    known = revisions.get_documents(cursor, [row["again"] for row in rows])
    found = {}
    for row in rows:
        if row["again"]:
            uses = uses_of(known[row["again"]])
            found[int(row["id"])] = [(name, use, numbers.get(use.source)) for name, use in uses.items()]
    return {drawing: uses for drawing, uses in found.items() if uses}


def _pale(strokes: Sequence[Stroke], ask: Ask, size: tuple[int, int]) -> Callable[[Sketch], Sketch]:
    """Puts lines on a rough as a pale pass of its own, in the place of one that was put there before. Raises Refusal."""
    coverage = ink_coverage(strokes, size)
    alpha = (coverage * _PALE).round().astype(np.uint8)
    colour = np.where(alpha[..., None] > 0, np.array(_PENCIL, np.uint8), 0).astype(np.uint8)
    tiles, fresh = pass_tiles({}, cut(np.dstack([colour, alpha])))
    new = Pass(named(ask.part, ask.name), ask.name, tiles=tiles)

    def laid_on(sketch: Sketch) -> Sketch:
        rest = tuple(one for one in sketch.passes if one.id != new.id)
        if len(rest) >= MOST_PASSES:
            raise Refusal(f"A drawing has {MOST_PASSES} passes at the most; merge some or take them off")
        return replace(sketch, passes=(*rest, new), fresh={**sketch.fresh, **fresh})

    return laid_on
