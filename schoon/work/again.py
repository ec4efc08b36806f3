"""A part's lines used for another part: moved, mirrored, turned, and shifted in time."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ..core.run import Placement, hidden_by, smeared
from ..core.strokes import Stroke, edit, new_id
from ..errors import Refusal
from ..store import Store, revisions
from .documents import Sheet
from .edits import change_time, load_all, refuse_locked, save_sheet
from .operations.base import many
from .operations.drawings import Mean
from .proposals import taking_place
from .run import TRIES, Call, Run, load_run

Order = Literal["over", "behind", "as it is"]
Matrix = tuple[float, float, float, float, float, float]


@dataclass(frozen=True)
class Ask:
    """part: whose lines are used. name: the part they become. drawings: those that get them. shift: how many drawings later
    they come than they were drawn. around: whether those that would come from beyond an end come from the other, as in a
    cycle. matrix: a, b, c, d, e, f of an SVG matrix by which they are laid. grows: whether they are laid so in the last
    drawing only, and on the way there in the others. order: whether they hide what is there, are hidden by it, or neither.
    """

    part: str
    name: str
    drawings: Sequence[int]
    shift: int = 0
    around: bool = False
    matrix: Matrix = (1, 0, 0, 1, 0, 0)
    grows: bool = False
    order: Order = "as it is"


def use_again(store: Store, level_id: int, ask: Ask, call: Call) -> list[int]:
    """Gives drawings the lines of a part as another part's, undone as one; returns those that changed.

    What was there of the other part goes. Raises NotFound, Refusal.
    """
    for _ in range(TRIES):
        with store.transaction() as cursor:
            run = load_run(cursor, level_id)
        refuse_locked(run.shot)
        sources = _sources(run, ask)
        shares = _shares(run, ask)
        made = {d: call(laid, run.strokes[source], ask, shares[d]) for d, source in sources.items()}
        lines = {int(row["id"]): row["line"] for row in run.rows}
        with store.transaction() as cursor:
            held = load_all(cursor, level_id, sorted({*made, *sources.values()}))
            if any(row["line"] != lines[int(row["id"])] for row, _ in held):
                continue
            label = f"use {ask.part} again as {ask.name} in {many(len(made), 'drawing')}"
            action = revisions.begin_action(cursor, label)
            for row, sheet in held:
                if int(row["id"]) in made:
                    save_sheet(cursor, action, row, sheet, _with(sheet, made[int(row["id"])], ask, run.size))
        return list(made)
    raise Refusal("The drawings are being changed in another window; try again when they rest")


def smear(
    store: Store, level_id: int, part: str, drawings: Sequence[int], amount: float, call: Call
) -> list[int]:
    """Stretches a part of drawings along its way from the drawing before to the one after, undone as one, and says that they
    are so on purpose; returns those that changed. Raises NotFound, Refusal.
    """
    for _ in range(TRIES):
        with store.transaction() as cursor:
            run = load_run(cursor, level_id)
        refuse_locked(run.shot)
        made = {d: found for d in drawings if (found := _smeared(run, d, part, amount, call))}
        if not made:
            raise Refusal(
                f"{part} does not move from the drawing before these to the one after, or is not in them"
            )
        lines = {int(row["id"]): row["line"] for row in run.rows}
        with store.transaction() as cursor:
            held = load_all(cursor, level_id, sorted(made))
            if any(row["line"] != lines[int(row["id"])] for row, _ in held):
                continue
            action = revisions.begin_action(cursor, f"smear {part} in {many(len(made), 'drawing')}")
            for row, sheet in held:
                rest = [s for s in sheet.strokes if s.part != part]
                save_sheet(cursor, action, row, sheet, replace(sheet, strokes=[*rest, *made[int(row["id"])]]))
            change_time(cursor, run.shot["id"], Mean(do="mean", drawings=sorted(made), meant=True))
        return list(made)
    raise Refusal("The drawings are being changed in another window; try again when they rest")


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
    a, b, c, d, e, f = ask.matrix
    matrix = np.array([[a, c, e], [b, d, f]], float)
    if share < 1:
        # On an arc about the place that stays: a limb turns about its joint.
        matrix = Placement(complex(a, b), complex(e, f)).part_way(share).matrix
    found = []
    for stroke in strokes:
        if stroke.part == ask.part:
            own = stroke.track or stroke.id
            track = (
                own if ask.name == ask.part else hashlib.sha256(f"{own} {ask.name}".encode()).hexdigest()[:10]
            )
            moved = edit.transformed(stroke, matrix)
            found.append(
                replace(moved, id=new_id(), track=track, link=None, part=ask.name, by="hand", confidence=1.0)
            )
    return found


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
