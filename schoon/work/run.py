"""What is done to the lines of several drawings at once: passed on, weighed, compared."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, TypeVar

import numpy as np

from ..core.run import (
    AS_DRAWN,
    Held,
    Lines,
    Placement,
    Target,
    drift_and_tremble,
    held_parts,
    measure,
    odd_ones,
    register,
    register_parts,
    search,
    tremble,
)
from ..core.strokes import Stroke, ruled, sample, strokes_from_dicts
from ..core.strokes.model import new_id
from ..errors import NotFound, Refusal
from ..store import Cursor, DrawingRow, ShotRow, Store, productions, revisions
from .documents import Sheet, line_document
from .edits import follow, line_named, line_rule, load_all, refuse_locked
from .placing import paper_of
from .proposals import taking_place
from .readings import Reader

Call = Callable[..., Any]
"""Computes function(*arguments), here or in a worker."""


TRIES = 3
"""How often a run is read again because drawings were changed while something was computed of them."""


@dataclass(frozen=True)
class Run:
    """The drawings of a level in order with their strokes. size: (width, height) px."""

    rows: list[DrawingRow]
    strokes: dict[int, list[Stroke]]
    size: tuple[int, int]
    shot: ShotRow

    def index(self, drawing_id: int) -> int:
        """Where a drawing is in the run. Raises NotFound."""
        for k, row in enumerate(self.rows):
            if row["id"] == drawing_id:
                return k
        raise NotFound("This drawing is not in the run any more")


def load_run(cursor: Cursor, level_id: int) -> Run:
    """Raises NotFound."""
    shot = productions.shot_of_level(cursor, level_id)
    rows = productions.drawings(cursor, level_id)
    found = revisions.get_documents(cursor, [row["line"] for row in rows])
    strokes = {
        row["id"]: strokes_from_dicts(found[row["line"]]["strokes"]) if row["line"] else [] for row in rows
    }
    return Run(rows, strokes, paper_of(shot), shot)


def save_line(cursor: Cursor, action: int, row: DrawingRow, strokes: Sequence[Stroke]) -> None:
    """A new revision of a held drawing with these strokes, under an action. Ink of its own stays."""
    document = line_document(list(strokes), *line_named(cursor, row["line"])[1:])
    revisions.revise(cursor, revisions.of(row), action, line=revisions.put_document(cursor, document))


Made = TypeVar("Made")


def on_lines(
    store: Store,
    level_id: int,
    compute: Callable[[Run], tuple[Collection[int], Made]],
    keep: Callable[[Cursor, Run, list[tuple[DrawingRow, Sheet]], Made], None],
) -> Made:
    """Computes something of the lines of a level, then saves it while the drawings it is about are held and as they were read.

    compute: what is made of the run, and the drawings that it is about. keep: saves it. Raises what they raise, NotFound, and
    Refusal for a locked level or drawings that are changed all the while.
    """
    for _ in range(TRIES):
        with store.transaction() as cursor:
            run = load_run(cursor, level_id)
        refuse_locked(run.shot)
        drawings, made = compute(run)
        lines = {int(row["id"]): row["line"] for row in run.rows}
        with store.transaction() as cursor:
            held = load_all(cursor, level_id, sorted(drawings))
            if any(row["line"] != lines[int(row["id"])] for row, _ in held):
                continue
            keep(cursor, run, held, made)
        return made
    raise Refusal("The drawings are being changed in another window; try again when they rest")


def weigh(store: Store, level_id: int, drawing_ids: Sequence[int], call: Call) -> list[int]:
    """Lays the line rule on whole drawings, undone as one; returns those that changed. Raises NotFound, Refusal.

    call: as in `found_lines`. A drawing that is changed meanwhile is weighed again as it is then.
    """
    waiting = set(drawing_ids)
    done: list[int] = []
    action: int | None = None
    for _ in range(TRIES):
        with store.transaction() as cursor:
            run = load_run(cursor, level_id)
            rule = line_rule(cursor, run.shot)
        refuse_locked(run.shot)
        rows = [row for row in run.rows if row["id"] in waiting and row["line"]]
        if not rows:
            break
        weighed = {row["id"]: call(ruled, run.strokes[row["id"]], run.size, rule) for row in rows}
        lines = {row["id"]: row["line"] for row in rows}
        with store.transaction() as cursor:
            held = load_all(cursor, level_id, weighed.keys())
            same = [row for row, _ in held if row["line"] == lines[row["id"]]]
            if same and action is None:
                count = len(rows)
                label = f"weigh {count} drawing{'s' * (count != 1)} by the line rule"
                action = revisions.begin_action(cursor, label)
            for row in same:
                assert action is not None
                save_line(cursor, action, row, weighed[row["id"]])
            if action is not None:
                follow(cursor, action, same)
        done += [int(row["id"]) for row in same]
        waiting -= set(done)
    if not done:
        raise Refusal("None of these drawings has a line yet; clean them first")
    return done


def _picked(strokes: Sequence[Stroke], ids: Sequence[str], part: str) -> list[Stroke]:
    wanted = set(ids)
    found = [s for s in strokes if s.id in wanted or (part and s.part == part)]
    if not found:
        raise NotFound("The strokes to pass on are not in the drawing any more; choose them again")
    return found


def trace_back(
    store: Store,
    level_id: int,
    drawing_id: int,
    ids: Sequence[str],
    part: str,
    targets: Sequence[int],
    registered: bool,
    linked: bool,
    call: Call,
) -> list[int]:
    """Puts strokes of one drawing exactly into others; returns the drawings that changed.

    part: with a name, all strokes of that part go and take the place of the part there. registered: moved as a whole to
    where the same lines lie in each target; otherwise just where they are. linked: a later change follows.
    Raises NotFound and Refusal.
    """
    with store.transaction() as cursor:
        run = load_run(cursor, level_id)
    refuse_locked(run.shot)
    run.index(drawing_id)
    source = _picked(run.strokes[drawing_id], ids, part)
    others = [d for d in dict.fromkeys(targets) if d != drawing_id]
    if not others:
        raise Refusal(
            "Choose the drawings to pass them on to on the sheet: click one, then Shift and click another"
        )
    for target in others:
        run.index(target)
    # Where the lines lie is looked for before any drawing is held.
    places = dict.fromkeys(others, Placement())
    if registered:
        places = {d: call(_lies, source, run.strokes[d], part, run.size) for d in others}
    with store.transaction() as cursor:
        held = {
            int(row["id"]): (row, sheet) for row, sheet in load_all(cursor, level_id, [drawing_id, *others])
        }
        was = [row for row, _ in held.values()]
        row, sheet = held.pop(drawing_id)
        source = _picked(sheet.strokes, ids, part)
        action = revisions.begin_action(
            cursor, f"pass {len(source)} stroke{'s' * (len(source) != 1)} on to {len(others)} drawings"
        )
        home = (1.0, 0.0, 0.0, 0.0)
        marked = {
            s.id: replace(s, track=s.track or s.id, link=(s.link or home) if linked else s.link, by="hand")
            for s in source
        }
        save_line(cursor, action, row, [marked.get(s.id, s) for s in sheet.strokes])
        for target, (row, sheet) in held.items():
            new = [_laid(stroke, places[target], linked) for stroke in marked.values()]
            save_line(cursor, action, row, taking_place(sheet.strokes, new, part))
        follow(cursor, action, was)
    return [drawing_id, *others]


def _lies(source: Sequence[Stroke], there: Sequence[Stroke], part: str, size: tuple[int, int]) -> Placement:
    """Where the same lines lie in another drawing, as a whole."""
    if not there:
        return Placement()
    lines = Lines.of(source, size)
    over = Lines.of([s for s in there if part and s.part == part] or there, size)
    return register(lines, Target(over), [Placement(), *search(lines, over)], rigid=True)[0]


def _laid(stroke: Stroke, place: Placement, linked: bool) -> Stroke:
    own = Placement.from_numbers(stroke.link).then(place).numbers() if linked and stroke.link else None
    return replace(stroke, controls=place.apply(stroke.controls), id=new_id(), link=own, confidence=1.0)


def trembling(run: Run, drawings: Sequence[int], call: Call) -> dict[str, float | bool]:
    """How far redraws lie off the first of these drawings, px, and whether that was measured; else what a steady hand does.

    Raises NotFound.
    """
    first, *others = (run.strokes[run.rows[run.index(d)]["id"]] for d in drawings)
    found = call(tremble, first, others, run.size) if others else None
    usual = AS_DRAWN * max(run.size) / 1000
    return {"reach": round(usual if found is None else float(found), 2), "measured": found is not None}


def held(run: Run, read: Reader, call: Call) -> list[dict[str, Any]]:
    """Parts whose roughs do not move between neighbouring drawings beyond the scatter, to be made equal.

    Runs that are passed on already are left out. No transaction should be open.
    """
    names = sorted({s.part for strokes in run.strokes.values() for s in strokes if s.part})
    if not names:
        return []
    found = [strokes_from_dicts(read(row)["strokes"]) for row in run.rows]
    lines = [run.strokes[row["id"]] for row in run.rows]

    def still_to_do(item: Held) -> bool:
        first = {s.track or s.id for s in lines[item.first] if s.part == item.part}
        return any(
            {s.track or s.id for s in lines[k] if s.part == item.part and s.by == "hand"} != first
            for k in range(item.first + 1, item.last + 1)
        )

    return [
        {
            **asdict(item),
            "moves": round(item.moves, 1),
            "scatter": round(item.scatter, 1),
            "drawings": [run.rows[k]["id"] for k in range(item.first, item.last + 1)],
            "numbers": [run.rows[item.first]["number"], run.rows[item.last]["number"]],
        }
        for item in call(held_parts, names, lines, found, run.size)
        if still_to_do(item)
    ]


def over(run: Run, here: int, other: int, part: str = "") -> tuple[Placement, float]:
    """The placement that lays another drawing, or a part of it, over this one, and how well it fits, 0..1.

    Raises NotFound, Refusal.
    """
    run.index(here)
    run.index(other)
    mine, theirs = (
        [s for s in run.strokes[d] if not part or s.part == part] or run.strokes[d] for d in (here, other)
    )
    if not mine or not theirs:
        raise Refusal("Both drawings need a line to be laid over each other; clean them first")
    (found,) = register_parts(mine, [theirs], run.size)
    assert found is not None
    return found[0], 1 - found[1]


Box = tuple[float, float, float, float]


def ledge(
    run: Run,
    reference: int,
    part: str,
    box: Box | None,
    path: Callable[[Stroke], str],
    says: Mapping[str, float] | None,
) -> dict[str, Any]:
    """A part of all drawings, registered on the reference drawing, with its measures, odd ones first.

    box: left, top, right, bottom in the reference drawing instead of a part. path: writes a stroke's centre line.
    says: what the model says of the part. Raises NotFound, Refusal.
    """
    run.index(reference)
    of_reference = run.strokes[reference]
    chosen = [s for s in of_reference if (_inside(s, box) if box else s.part == part)]
    if not chosen:
        raise Refusal(
            "There is no line of this part in the reference drawing; choose another drawing or part"
        )
    per_drawing: list[list[Stroke]] = []
    if box:
        lines = Lines.of(chosen, run.size)
        for row in run.rows:
            strokes = run.strokes[row["id"]]
            if not strokes or row["id"] == reference:
                per_drawing.append(chosen if strokes else [])
                continue
            there = Lines.of(strokes, run.size)
            place, _ = register(lines, Target(there), [Placement(), *search(lines, there, 120)])
            back = place.inverse()
            per_drawing.append(
                [s for s in strokes if _inside(replace(s, controls=back.apply(s.controls)), box)]
            )
    else:
        per_drawing = [[s for s in run.strokes[row["id"]] if s.part == part] for row in run.rows]
    places = register_parts(chosen, per_drawing, run.size)
    measures = [measure(strokes) for strokes in per_drawing]
    creep = drift_and_tremble(chosen, places)
    odd = np.max(
        [
            odd_ones([getattr(m, name) if m else None for m in measures], says.get(name) if says else None)
            for name in ("weight", "length", "area", "count")
        ],
        axis=0,
    )
    low, high = _extent(chosen)
    cells = []
    for k, row in enumerate(run.rows):
        m, laid = measures[k], places[k]
        cells.append(
            {
                "id": row["id"],
                "number": row["number"],
                "paths": [[path(s), round(float(s.widths.mean()), 2), s.doubtful] for s in per_drawing[k]],
                "matrix": laid[0].matrix.T.ravel().round(5).tolist() if laid else None,
                "measures": {
                    "weight": round(m.weight, 2), "length": round(m.length), "area": round(m.area), "count": m.count
                } if m else None,
                "odd": round(float(odd[k]), 2),
                "at": m.centre if m else None,
                "drift": round(creep[k][0], 1) if creep[k] else None,  # type: ignore[index]
                "tremble": round(creep[k][1], 1) if creep[k] else None,  # type: ignore[index]
            }
        )  # fmt: skip
    return {"cells": cells, "box": [*low, *high], "model": says}


def _inside(stroke: Stroke, box: Box) -> bool:
    points = sample(stroke, 4.0)[0]
    inside = (points >= np.array(box[:2])).all(axis=1) & (points <= np.array(box[2:])).all(axis=1)
    return bool(inside.mean() >= 0.5)


def _extent(strokes: Sequence[Stroke]) -> tuple[list[float], list[float]]:
    points = np.vstack([sample(s, 4.0)[0] for s in strokes])
    margin = 0.08 * float(np.ptp(points, axis=0).max()) + 6
    return (points.min(axis=0) - margin).round(1).tolist(), (points.max(axis=0) + margin).round(1).tolist()
