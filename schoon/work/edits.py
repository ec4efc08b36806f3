"""Edits: each is one action, applied to what is there now under lock, so that two windows never lose each other's
work. What an edit does stands in `operations`; here it is done and kept.
"""

from __future__ import annotations

import itertools
from collections import deque
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..core.patches import Patches
from ..core.run import Placement
from ..core.sketch import SIDE
from ..core.strokes import LineRule, Stroke, strokes_from_dicts
from ..errors import NotFound, Refusal
from ..formats.pictures import decode
from ..limits import limits
from ..store import Cursor, DrawingRow, ShotRow, Store, models, pictures, productions, revisions
from ..store.documents import current
from ..store.revisions import Subject, of
from ..store.states import State, Time
from . import pen
from .derived import Memory, is_known, sheet_patches
from .documents import (
    SPECKS,
    Behind,
    Own,
    Sheet,
    again_document,
    behind_of,
    line_document,
    line_text,
    own_of,
    paint_document,
    props_document,
    said_document,
    seal_document,
    sheet_of,
    tone_document,
    uses_of,
)
from .laying import following
from .operations import (
    Context,
    DrawingOperation,
    ModelOperation,
    Operation,
    RunChange,
    RunOperation,
    StackOperation,
    TimeOperation,
)
from .operations.base import is_locked
from .operations.line import PenOperation
from .operations.model import DeletePot, Fresh
from .operations.paint import Cell, Repaint
from .operations.stack import Offers
from .operations.time import Levels
from .placing import paper_of, size_of
from .roughs import rough_body, rough_name, stored, tiles_of
from .sketches import sketch_document

Pen = TypeVar("Pen", bound=PenOperation)


@dataclass(frozen=True)
class Saved:
    """revision: the new one. merged: somebody else had changed the drawing since the edit's base.

    removed: ids of strokes that are gone. strokes: those that are new or changed. others: drawings that followed
    because strokes or parts of theirs are linked.
    """

    revision: int | None
    merged: bool
    removed: list[str] = field(default_factory=list)
    strokes: list[Stroke] = field(default_factory=list)
    others: list[int] = field(default_factory=list)


def load_all(
    cursor: Cursor, level_id: int, drawing_ids: Collection[int] | None = None
) -> list[tuple[DrawingRow, Sheet]]:
    """Drawings of a level to change, held until the transaction ends, in order; all of them without ids.

    Raises NotFound, and Refusal for a locked level.
    """
    shot = productions.shot_of_level(cursor, level_id)
    refuse_locked(shot)
    known = [row["id"] for row in productions.drawings(cursor, level_id)]
    if drawing_ids is not None and not set(drawing_ids) <= set(known):
        raise NotFound("This drawing is not in the run any more")
    rows = revisions.lock_drawings(cursor, known if drawing_ids is None else drawing_ids)
    found = revisions.get_documents(cursor, [row[p] for row in rows.values() for p in revisions.PARTS])
    size = paper_of(shot)
    return [
        (row, sheet_of(size, *(found.get(row[part]) for part in revisions.PARTS))) for row in rows.values()
    ]


def load(cursor: Cursor, drawing_id: int, lock: bool = False) -> tuple[DrawingRow, Sheet]:
    """A drawing's row and its sheet. lock: to change it. Raises NotFound, and Refusal to change a locked level."""
    row = revisions.drawing(cursor, drawing_id, lock)
    shot = productions.shot_of_level(cursor, row["level_id"])
    if lock:
        refuse_locked(shot)
    beside: tuple[revisions.Part, ...] = ("seal", "paint", "tone", "said", "sketch", "props", "again")
    found = revisions.get_documents(cursor, [row[part] for part in beside])
    size = paper_of(shot)
    sheet = sheet_of(size, None, *(found.get(row[part]) for part in beside))
    strokes, own, behind = line_named(cursor, row["line"])
    return row, replace(sheet, strokes=strokes, own=own, behind=behind)


_Line = tuple[list[Stroke], Own | None, Behind]

_lines: Memory[_Line] = Memory(
    150_000, lambda line: len(line[0]) + (len(line[1].body) >> 8 if line[1] else 0)
)
"""Lines by the name of their document. A stroke weighs 1, as do 256 bytes of a picture."""


def line_named(cursor: Cursor, line: str | None) -> _Line:
    """The strokes of a line document, its own ink and the lines it keeps behind others, read once while a hand works on it.
    None is to be changed."""
    if line is None:
        return [], None, {}

    def read() -> _Line:
        content = current("line", revisions.get_documents(cursor, [line])[line])
        return strokes_from_dicts(content["strokes"]), own_of(content), behind_of(content)

    return _lines.get(line, read)


def strokes_named(cursor: Cursor, line: str | None) -> list[Stroke]:
    """The strokes of a line document, as `line_named`."""
    return line_named(cursor, line)[0]


def refuse_locked(shot: ShotRow) -> None:
    """Raises Refusal if the level a shot is seen with is locked."""
    if shot["locked"]:
        raise is_locked(shot["level"])


_roughs: Memory[NDArray[np.uint8]] = Memory(64 * 2**20, lambda picture: picture.nbytes)
"""Roughs that a pen settles on, read once while a hand works on them."""


def settled(store: Store, drawing_id: int, operation: Pen) -> Pen:
    """A stroke of the pen drawn over to the rough line beside it, before anything is held. Raises NotFound, Refusal."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        size = paper_of(productions.shot_of_level(cursor, row["level_id"]))
    name = rough_name(row)
    if not name:
        return operation

    def read() -> NDArray[np.uint8]:
        with store.transaction() as cursor:
            body = rough_body(cursor, row, size)
        return decode(f"drawing {row['number']}", body)

    picture = _roughs.get(name, read)
    path = pen.settled(operation.path, picture, operation.settle, operation.near)
    return operation.model_copy(update={"path": path, "settle": 0.0})


_TRIES = 5
"""How often patches are found for an edit before its drawing is held for that: a form that is laid needs them up to three times."""


class _Unfound(Exception):
    """Patches that have to be found before a drawing is held."""

    def __init__(self, line: str | None, sheet: Sheet) -> None:
        super().__init__("patches are not found yet")
        self.line, self.sheet = line, sheet


def do(store: Store, drawing_id: int, base: int | None, operation: DrawingOperation) -> Saved:
    """`change_drawing` in a transaction of its own. Patches are found while nobody has to wait for the drawing; one that is
    changed by others all the while is held at last."""
    for held in (*itertools.repeat(False, _TRIES), True):
        try:
            with store.transaction() as cursor:
                return change_drawing(cursor, drawing_id, base, operation, held)
        except _Unfound as missing:
            sheet_patches(missing.line, missing.sheet)
    raise AssertionError("patches of a drawing that is held are found")


def change_drawing(
    cursor: Cursor, drawing_id: int, base: int | None, operation: DrawingOperation, find: bool = True
) -> Saved:
    """Applies an operation to a drawing as it is now. Doing a trace twice does it once. find: whether patches are found while the
    drawing is held; else `_Unfound` is raised for those that are not known.

    Raises NotFound and Refusal as the operation does.
    """
    _hold_linked(cursor, drawing_id)
    row, sheet = load(cursor, drawing_id, lock=True)
    context = _context(cursor, _level(cursor, row["level_id"]), row, base)
    if not find:
        context = replace(context, patches=partial(_known, row["line"]))
    after = operation.apply(sheet, context)
    # As they will be read back, so that the page shows just what is stored.
    before = {stroke.id: stroke for stroke in sheet.strokes}
    strokes = [s if before.get(s.id) is s else Stroke.from_dict(s.to_dict()) for s in after.strokes]
    changed = [s for s in strokes if before.get(s.id) is not s]
    refuse_endless(changed, sheet.size)
    removed = sorted(before.keys() - {s.id for s in strokes})
    documents = _changed(
        cursor, row, sheet, replace(after, strokes=strokes if changed or removed else sheet.strokes)
    )
    if not documents:
        # Sent again because the answer was lost: the page still has to learn what was stored.
        again = [s for s in strokes if s.id == getattr(operation, "id", None)]
        return Saved(row["head"], False, strokes=again)
    action = revisions.begin_action(cursor, operation.label())
    revision = revisions.revise(cursor, of(row), action, **documents)
    linked = _follow_links(cursor, row, action, before, changed)
    others = {int(r["id"]) for r in linked} | set(follow(cursor, action, [row, *linked]))
    if row["id"] in others:
        # A part of the same drawing has followed.
        now, sheet = load(cursor, drawing_id)
        revision = now["head"] or revision
        changed = [s for s in sheet.strokes if s.id not in before or s.text != before[s.id].text]
        removed = sorted(before.keys() - {s.id for s in sheet.strokes})
    return Saved(revision, base != row["head"], removed, changed, sorted(others - {int(row["id"])}))


def _known(line: str | None, sheet: Sheet) -> Patches:
    if not is_known(line, sheet):
        raise _Unfound(line, sheet)
    return sheet_patches(line, sheet)


def _level(cursor: Cursor, level_id: int) -> Context:
    """What an edit knows of the level it is done on."""
    shot = productions.shot_of_level(cursor, level_id)
    model = models.model(cursor, shot["model_id"]) if shot["model_id"] is not None else None
    return Context(
        paper_of(shot),
        LineRule(**model["line_rule"]) if model else LineRule(),
        pots=frozenset(pot["id"] for pot in model["pots"]) if model else frozenset(),
        parts=models.parts_of(model),
    )


def _context(cursor: Cursor, level: Context, row: DrawingRow, base: int | None) -> Context:
    def at_base() -> list[Stroke]:
        line = revisions.base_line(cursor, row["id"], base)
        return strokes_from_dicts(line["strokes"]) if line else []

    return replace(
        level,
        base=at_base if base != row["head"] else None,
        patches=lambda sheet: sheet_patches(row["line"], sheet),
        tiles=lambda names, fresh: tiles_of(names, lambda name: fresh.get(name) or stored(cursor)(name)),
    )


def _changed(cursor: Cursor, row: DrawingRow, before: Sheet, after: Sheet) -> dict[str, str]:
    """part -> the new document, of those an operation has changed."""
    made: dict[revisions.Part, Any] = {}
    if after.own is not before.own and after.own:
        pictures.put(cursor, after.own.body, "image/png", *after.size)
    if (
        after.strokes is not before.strokes
        or after.own is not before.own
        or after.behind is not before.behind
    ):
        made["line"] = line_text(after.strokes, after.own, after.behind)
    if after.stitches is not before.stitches or after.specks != before.specks:
        made["seal"] = seal_document(after.stitches, after.specks)
    if after.spots is not before.spots:
        made["paint"] = paint_document(after.spots)
    if after.tones is not before.tones:
        made["tone"] = tone_document(after.tones)
    if after.said is not before.said:
        made["said"] = said_document(after.said)
    if after.sketch is not before.sketch:
        made["sketch"] = sketch_document(after.sketch)
        for body in after.sketch.fresh.values():
            pictures.put(cursor, body, "image/png", SIDE, SIDE)
    if after.props is not before.props:
        made["props"] = props_document(after.props)
    if after.again is not before.again:
        made["again"] = again_document(after.again)
    named = {part: revisions.put_document(cursor, content) for part, content in made.items()}
    if "line" in named:
        _lines.get(named["line"], lambda: (after.strokes, after.own, after.behind))
    return {part: name for part, name in named.items() if row[part] != name}


@dataclass(frozen=True)
class RunSaved:
    """drawings: ids of those that changed. things: how many stitches or patches in all."""

    drawings: list[int]
    things: int


def change_run(cursor: Cursor, level_id: int, operation: RunOperation, action: int | None = None) -> RunSaved:
    """Applies an operation to the drawings of a level, undone as one.

    action: what it is a part of; one of its own by default. Raises NotFound for drawings that are not there, Refusal if
    nothing would change.
    """
    touched, things = list[DrawingRow](), 0
    held, level = load_all(cursor, level_id, operation.drawings()), _level(cursor, level_id)
    for row, sheet in held:
        after, count = operation.apply(row["id"], sheet, _context(cursor, level, row, row["head"]))
        documents = _changed(cursor, row, sheet, after)
        if not documents:
            continue
        action = action or revisions.begin_action(cursor, operation.label())
        revisions.revise(cursor, of(row), action, **documents)
        touched.append(row)
        things += count
    if not touched or action is None:
        raise Refusal(operation.nothing())
    followed = follow(cursor, action, touched)
    return RunSaved(list(dict.fromkeys([*(int(row["id"]) for row in touched), *followed])), things)


def save_sheet(cursor: Cursor, action: int, row: DrawingRow, before: Sheet, after: Sheet) -> bool:
    """A new revision of a held drawing under an action, if anything of it has changed; returns whether it has."""
    documents = _changed(cursor, row, before, after)
    if documents:
        revisions.revise(cursor, of(row), action, **documents)
    return bool(documents)


def follow(cursor: Cursor, action: int, rows: Sequence[DrawingRow]) -> list[int]:
    """Parts that follow those of held drawings change as these did, under the same action; returns the drawings that followed.

    rows: the drawings of one level as they were before the action.
    """
    if not rows:
        return []
    users = [revisions.drawing(cursor, d) for d in revisions.users(cursor, [int(rows[0]["id"])])]
    known = revisions.get_documents(cursor, [row["again"] for row in users])
    uses = [
        (int(row["id"]), name, use) for row in users for name, use in uses_of(known[row["again"]]).items()
    ]
    waiting, done, touched = deque(rows if uses else ()), set[tuple[int, str, int]](), dict[int, None]()
    while waiting:
        before = waiting.popleft()
        source = int(before["id"])
        after = revisions.drawing(cursor, source)
        if all(before[part] == after[part] for part in revisions.SHOWN):
            continue
        same = {source, *revisions.twins(cursor, [source])}
        mine = [(d, name, use) for d, name, use in uses if use.source in same]
        for drawing, name, use in mine:
            # Parts that follow each other round are followed once.
            if (drawing, name, source) in done:
                continue
            done.add((drawing, name, source))
            row, sheet = load(cursor, drawing, lock=True)
            was, then = _sheet_at(cursor, before, sheet.size), _sheet_at(cursor, after, sheet.size)
            if save_sheet(cursor, action, row, sheet, following(sheet, name, use, was, then)):
                touched[drawing] = None
                waiting.append(row)
    return list(touched)


def _sheet_at(cursor: Cursor, row: DrawingRow, size: tuple[int, int]) -> Sheet:
    """What is seen of a drawing as its row says."""
    strokes, own, behind = line_named(cursor, row["line"])
    found = revisions.get_documents(cursor, [row["seal"], row["paint"], row["tone"]])
    sheet = sheet_of(size, None, *(found.get(row[part]) for part in ("seal", "paint", "tone")))
    return replace(sheet, strokes=strokes, own=own, behind=behind)


def change_time(cursor: Cursor, shot_id: int, operation: TimeOperation) -> int | None:
    """Applies an operation to the time of a shot. Returns the revision. Raises NotFound and Refusal."""
    subject = Subject("time", shot_id)
    _hold(cursor, subject)
    now = revisions.state_of(cursor, subject)
    if not isinstance(operation, RunChange):
        return _keep(cursor, subject, operation, now, operation.apply(now, _levels(cursor, shot_id, now)))
    operation.use(lambda level, like: productions.new_drawing(cursor, level, like))
    then = operation.apply(now, _levels(cursor, shot_id, now))
    action = revisions.begin_action(cursor, operation.label())
    revision = _keep(cursor, subject, operation, now, then, action)
    for made, like in operation.made.items():
        if like is not None:
            row, sheet = load(cursor, like)
            parts: dict[str, Any] = {p: row[p] for p in revisions.PARTS if row[p]}
            parts |= _changed(cursor, row, sheet, operation.anew(made, sheet))
            revisions.revise(cursor, Subject("drawing", made), action, **parts)
    return revision


def tried_time(cursor: Cursor, shot_id: int, operation: TimeOperation) -> Time:
    """The time of a shot as it would be after an operation; nothing is changed. Drawings it would make have negative ids.

    Raises NotFound and Refusal.
    """
    now = productions.time_of(cursor, shot_id)
    if isinstance(operation, RunChange):
        ids = itertools.count(-1, -1)
        operation.use(lambda level, like: next(ids))
    return operation.apply(now, _levels(cursor, shot_id, now))


def _levels(cursor: Cursor, shot_id: int, time: Time) -> Levels:
    stack = productions.stack_of(cursor, shot_id)
    return Levels(
        {k: level.name for k, level in stack.levels.items() if level.locked},
        {row["id"]: level for level in time.levels for row in productions.drawings(cursor, level)},
        {k: level.entries for k, level in stack.levels.items()},
        {level: productions.out_of_run(cursor, level) for level in time.levels},
    )


def locked_levels(cursor: Cursor, shot_id: int) -> dict[int, str]:
    """id -> name of the locked levels of a shot."""
    stack = productions.stack_of(cursor, shot_id)
    return {k: level.name for k, level in stack.levels.items() if level.locked}


def change_stack(cursor: Cursor, shot_id: int, operation: StackOperation) -> int | None:
    """Applies an operation to the levels of a shot. Returns the revision. Raises NotFound and Refusal."""
    subject = Subject("stack", shot_id)
    _hold(cursor, subject)
    production = productions.shot(cursor, shot_id)["production_id"]
    keys = {
        m["id"]: tuple(key["id"] for key in models.model(cursor, m["id"])["keys"])
        for m in models.listing(cursor)
        if m["production_id"] == production
    }
    now = revisions.state_of(cursor, subject)
    drawings = {row["id"]: level for level in now.levels for row in productions.drawings(cursor, level)}
    frame = size_of(productions.shot(cursor, shot_id))
    offers = Offers(keys, drawings, lambda level: productions.picture_sizes(cursor, level), frame)
    return _keep(cursor, subject, operation, now, operation.apply(now, offers))


def change_model(cursor: Cursor, model_id: int, operation: ModelOperation) -> int | None:
    """Applies an operation to a model. Returns the revision. Raises NotFound and Refusal.

    Where a pot that is taken out is in use, another one is poured first, undone as one.
    """
    subject = Subject("model", model_id)
    _hold(cursor, subject)
    now = revisions.state_of(cursor, subject)
    fresh = Fresh(lambda: models.new_pot(cursor, model_id), lambda: models.new_key(cursor, model_id))
    then = operation.apply(now, fresh)
    action = _pour_instead(cursor, model_id, operation) if isinstance(operation, DeletePot) else None
    return _keep(cursor, subject, operation, now, then, action)


def _hold(cursor: Cursor, subject: Subject) -> None:
    if subject not in revisions.lock(cursor, [subject]):
        raise NotFound(f"This {'model' if subject.kind == 'model' else 'shot'} is not there any more")


def _keep(
    cursor: Cursor, subject: Subject, operation: Operation, now: State, then: State, action: int | None = None
) -> int | None:
    if then == now:
        return revisions.head(cursor, subject)
    action = action or revisions.begin_action(cursor, operation.label())
    return revisions.change(cursor, subject, action, now, then)


def _pour_instead(cursor: Cursor, model_id: int, operation: DeletePot) -> int | None:
    """Pours another pot where one is in use that is taken out; the action it was done under, None if it was nowhere.

    Raises Refusal saying where it is used if there is no replacement.
    """
    levels = models.levels_of(cursor, model_id)
    revisions.lock_drawings(
        cursor, [row["id"] for lv in levels for row in productions.drawings(cursor, lv["level_id"])]
    )
    uses: list[tuple[int, str, list[int]]] = []
    for level in levels:
        rows = productions.drawings(cursor, level["level_id"])
        found = revisions.get_documents(cursor, [row["paint"] for row in rows])
        using = [
            row for row in rows
            if any(spot["pot"] == operation.pot for spot in found.get(row["paint"], {}).get("patches", []))
        ]  # fmt: skip
        if using:
            numbers = ", ".join(str(row["number"]) for row in using[:6]) + (" …" if len(using) > 6 else "")
            uses.append((level["level_id"], f"{level['shot']} {numbers}", [row["id"] for row in using]))
    if not uses:
        return None
    if operation.instead is None:
        where = "; ".join(words for _, words, _ in uses[:4])
        raise Refusal(f"This pot is in use in {where}. Choose a pot to take its place")
    action = revisions.begin_action(cursor, operation.label())
    for level_id, _, drawings in uses:
        cells = [Cell(drawing=d, pot=operation.pot) for d in drawings]
        change_run(
            cursor, level_id, Repaint(do="repaint", cells=cells, act="pour", to=operation.instead), action
        )
    return action


def check_pot(cursor: Cursor, level_id: int, pot: int) -> None:
    """Raises NotFound if the level's model has no such pot."""
    _level(cursor, level_id).check_pot(pot)


def line_rule(cursor: Cursor, shot: ShotRow) -> LineRule:
    """The line rule of the shot's model; the plain one without a model."""
    if shot["model_id"] is None:
        return LineRule()
    return LineRule(**models.model(cursor, shot["model_id"])["line_rule"])


def _hold_linked(cursor: Cursor, drawing_id: int) -> None:
    """If a drawing has linked strokes, all of its run is held, in the one order in which drawings are held."""
    row = revisions.drawing(cursor, drawing_id)
    if any(stroke.link for stroke in strokes_named(cursor, row["line"])):
        revisions.lock_drawings(cursor, [r["id"] for r in productions.drawings(cursor, row["level_id"])])


def _follow_links(
    cursor: Cursor, row: DrawingRow, action: int, before: Mapping[str, Stroke], changed: Sequence[Stroke]
) -> list[DrawingRow]:
    """Linked strokes of the other drawings change as theirs did here; returns those that changed, as they were."""
    linked = {
        s.track: s
        for s in changed
        if s.link and s.track and s.id in before and not np.array_equal(s.controls, before[s.id].controls)
    }
    weighed = {
        s.track: s
        for s in changed
        if s.link and s.track and s.id in before and not np.array_equal(s.widths, before[s.id].widths)
    }
    if not linked and not weighed:
        return []
    touched: list[DrawingRow] = []
    for other, sheet in load_all(cursor, row["level_id"]):
        if other["id"] == row["id"]:
            continue
        following = [_followed(s, linked, weighed) for s in sheet.strokes]
        if any(new is not old for new, old in zip(following, sheet.strokes, strict=True)):
            document = revisions.put_document(cursor, line_document(following, sheet.own, sheet.behind))
            revisions.revise(cursor, of(other), action, line=document)
            touched.append(other)
    return touched


def refuse_endless(strokes: Sequence[Stroke], size: tuple[int, int]) -> None:
    """Raises Refusal if a stroke is longer, or lies farther off, than any line of a picture of this size would."""
    most = limits().stroke_widths * max(size)
    for stroke in strokes:
        way = np.hypot(*np.diff(stroke.controls, axis=0).T).sum()
        if way > 3 * most or np.abs(stroke.controls).max() > most:
            raise Refusal(
                f"This makes a stroke of {way:.0f} px; the limit is {limits().stroke_widths:g} picture widths, "
                f"{most:.0f} px (SCHOON_MOST_STROKE_WIDTHS)"
            )


def _followed(stroke: Stroke, linked: Mapping[str, Stroke], weighed: Mapping[str, Stroke]) -> Stroke:
    source = linked.get(stroke.track) or weighed.get(stroke.track)
    if source is None or not stroke.link or not source.link:
        return stroke
    here, there = Placement.from_numbers(stroke.link), Placement.from_numbers(source.link)
    controls = source.controls
    controls = there.inverse().then(here).apply(controls)
    return replace(stroke, controls=controls, widths=source.widths, by="hand")


def with_other_specks(cursor: Cursor, rows: Sequence[DrawingRow], under: int) -> list[DrawingRow]:
    """The drawings whose limit of specks is not this one. Raises Refusal if there is none."""
    found = revisions.get_documents(cursor, [row["seal"] for row in rows])
    others = [row for row in rows if int(found.get(row["seal"], {}).get("specks", SPECKS)) != under]
    if not others:
        raise Refusal(
            f"Specks under {under} px² join their neighbour already in all drawings that have a line"
        )
    return others
