"""Undo and redo of any subject, and the history of a shot: what was done, by whom, and back to any of it."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal

from ..core import exposure
from ..core.paint import NOTHING
from ..errors import NotFound, Refusal
from ..store import Cursor, DrawingRow, models, productions, revisions
from ..store.revisions import Step, Subject, of
from ..store.states import Model, Time
from . import edits
from .operations.base import is_locked
from .operations.model import BackPot, BringBack

_MOST = 200
"""Actions that are listed."""


@dataclass(frozen=True)
class Stepped:
    """label: what was undone or done again. drawings: ids of those that changed. kinds: what else changed.
    pots: names of those that are in their models again because they are in use again."""

    label: str
    drawings: list[int]
    kinds: list[str]
    pots: list[str]


def step(
    cursor: Cursor, subject: Subject, way: Literal["undo", "redo"], seen: int | None = None
) -> Stepped | None:
    """Takes back the last action on a subject, or does it again; None if there is none.

    seen: the head that is stepped from, 0 for before the first; raises revisions.Moved if it is another one by now.
    Raises Refusal, NotFound.
    """
    if subject.kind == "drawing":
        row = revisions.drawing(cursor, subject.id)
        edits.refuse_locked(productions.shot_of_level(cursor, row["level_id"]))
    before = revisions.state_of(cursor, subject) if subject.kind == "time" else None
    done = (revisions.undo if way == "undo" else revisions.redo)(cursor, subject, seen)
    if done is None:
        return None
    if isinstance(before, Time):
        _refuse_locked_time(cursor, subject.id, before)
    others: list[str] = sorted({s.kind for s in done.subjects if s.kind != "drawing"})
    return Stepped(done.label, done.drawings, others, _pots_in_use(cursor, done.drawings))


def _refuse_locked_time(cursor: Cursor, shot_id: int, before: Time) -> None:
    """Raises Refusal, which takes it all back, if the sheet of a locked level was changed."""
    after = productions.time_of(cursor, shot_id)
    for level, name in edits.locked_levels(cursor, shot_id).items():
        if after.levels.get(level) != before.levels.get(level):
            raise is_locked(name)


def _pots_in_use(cursor: Cursor, drawing_ids: list[int]) -> list[str]:
    """Pots that drawings carry are in their models; the names of those that had to be brought back."""
    rows = revisions.lock_drawings(cursor, drawing_ids)
    found = revisions.get_documents(cursor, [r["paint"] for r in rows.values()])
    used = {int(spot["pot"]) for document in found.values() for spot in document["patches"]} - {NOTHING}
    gone: dict[int, list[BackPot]] = {}
    for pot_id, pot in models.pots_by_id(cursor, used).items():
        if not pot["alive"]:
            back = BackPot(id=pot_id, name=pot["name"], colours=models.colours_of(cursor, pot_id))
            gone.setdefault(pot["model_id"], []).append(back)
    names: list[str] = []
    for model_id, pots in gone.items():
        bring_back = BringBack(do="bring-back", pots=pots)
        edits.change_model(cursor, model_id, bring_back)
        names += bring_back.names
    return names


# ---- the list


@dataclass(frozen=True)
class Pair:
    """A drawing before and after an action: revisions, None for before its first."""

    id: int
    number: str
    level: str
    before: int | None
    after: int


@dataclass
class Entry:
    """An action as the history lists it.

    kept: the name of the moment after it, "" for none. stands: whether something of it holds now. drawings: those it changed. colours: (what, before, after) of pots whose
    look it changed. spans: (before, after) of the sheet it changed, as (first frame, frames, drawing number), where ""
    is nothing.
    """

    id: int
    label: str
    who: str
    when: datetime
    kept: str = ""
    stands: bool = False
    drawings: list[Pair] = field(default_factory=list)
    colours: list[tuple[str, str | None, str | None]] = field(default_factory=list)
    spans: tuple[list[tuple[int, int, str]], list[tuple[int, int, str]]] | None = None
    kinds: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class History:
    """Actions of a shot, newest first. more: how many older ones are not listed."""

    entries: list[Entry]
    more: int


def of_shot(cursor: Cursor, shot_id: int) -> History:
    """The history of a shot. Raises NotFound."""
    productions.shot(cursor, shot_id)
    steps = revisions.steps_of_shot(cursor, shot_id)
    standing = _standing(cursor, steps)
    ids = sorted({s.action for s in steps if s.action is not None}, reverse=True)
    about = revisions.actions(cursor, ids)
    # What was given a name is never too old to be listed.
    listed = [k for n, k in enumerate(ids) if n < _MOST or (k in about and about[k]["kept"])]
    entries = {
        k: Entry(k, about[k]["label"], about[k]["actor"], about[k]["created_at"], about[k]["kept"])
        for k in listed
        if k in about
    }
    names = {
        row["id"]: (row["number"], level.name)
        for level_id, level in productions.stack_of(cursor, shot_id).levels.items()
        for row in productions.drawings(cursor, level_id)
    }
    for s in steps:
        entry = entries.get(s.action or 0)
        if entry is None:
            continue
        entry.stands = entry.stands or s.id in standing
        if s.subject.kind == "drawing":
            number, level = names.get(s.subject.id, ("", ""))
            entry.drawings.append(Pair(s.subject.id, number, level, s.parent, s.id))
            continue
        entry.kinds.append(s.subject.kind)
        if s.parent is not None and s.subject.kind != "stack":
            before, after = (revisions.state_at(cursor, s.subject, r) for r in (s.parent, s.id))
            if isinstance(before, Model) and isinstance(after, Model):
                entry.colours = _recoloured(before, after)
            elif isinstance(before, Time) and isinstance(after, Time):
                entry.spans = _changed_sheet(before, after, {k: n for k, (n, _) in names.items()})
    return History([entries[k] for k in listed if k in entries], len(ids) - len(listed))


def _standing(cursor: Cursor, steps: list[Step]) -> set[int]:
    """Ids of the revisions that lead to how things stand now."""
    parents = {s.id: s.parent for s in steps}
    standing: set[int] = set()
    for subject in {s.subject for s in steps}:
        at = revisions.head(cursor, subject)
        while at is not None:
            standing.add(at)
            at = parents.get(at)
    return standing


def _recoloured(before: Model, after: Model) -> list[tuple[str, str | None, str | None]]:
    found = []
    old = {key.id: key for key in before.keys}
    for key in after.keys:
        was = old[key.id].colours if key.id in old else {}
        for pot in after.pots:
            now, then = key.colours.get(pot.id), was.get(pot.id)
            if now != then and key.id in old:
                found.append((f"{pot.name} in {key.name}", then, now))
    return found


def _changed_sheet(
    before: Time, after: Time, numbers: Mapping[int, str]
) -> tuple[list[tuple[int, int, str]], list[tuple[int, int, str]]] | None:
    """The sheet of the level that changed most to the rear, before and after; None if no sheet looks otherwise."""

    def shown(time: Time, level: int) -> list[tuple[int, int, str]]:
        flat = exposure.unrolled(time.levels.get(level, {}), time.frames)
        return [
            (first, count, numbers.get(d, "") if isinstance(d, int) else "")
            for first, count, d in exposure.entries(flat, time.frames)
        ]

    for level in after.levels:
        pair = shown(before, level), shown(after, level)
        if pair[0] != pair[1]:
            return pair
    return None


# ---- back to what was


@dataclass(frozen=True)
class Back:
    """What going back has changed. stay: names of locked levels, whose drawings stay as they are."""

    label: str
    drawings: list[int]
    kinds: list[str]
    stay: list[str]
    pots: list[str]


def keep(cursor: Cursor, shot_id: int, name: str, action_id: int | None = None) -> int:
    """Gives a moment of a shot a name, the present one without an action; its action. Raises Refusal, NotFound."""
    productions.shot(cursor, shot_id)
    own = {s.action for s in revisions.steps_of_shot(cursor, shot_id) if s.action is not None}
    if not own:
        raise Refusal("Nothing has been done to this shot yet, so there is no moment to keep")
    moment = max(own) if action_id is None else action_id
    if moment not in own:
        raise NotFound("There is no such step in the history of this shot")
    said = " ".join(name.split())
    if action_id is None and not said:
        raise Refusal("Give the moment a name")
    revisions.keep_action(cursor, moment, said)
    return moment


@dataclass(frozen=True)
class Moment:
    """A level as it was when an action had just been done. revisions: drawing -> the one it had then, None for none.
    spans: (first frame, frames, drawing) of what was shown."""

    revisions: dict[int, int | None]
    spans: list[tuple[int, int, int]]


def moment(cursor: Cursor, shot_id: int, action_id: int, level_id: int) -> Moment:
    """Raises NotFound."""
    steps = _steps_with(cursor, shot_id, action_id)
    _refuse_foreign(cursor, shot_id, level_id)
    own = [Subject("drawing", row["id"]) for row in productions.drawings(cursor, level_id)]
    then = _time_at(cursor, steps, shot_id, action_id)
    starts = then.levels.get(level_id, {})
    return Moment(
        {s.id: _at(steps, s, revisions.head(cursor, s), action_id) for s in own},
        exposure.spans(starts, then.frames),
    )


@dataclass(frozen=True)
class Span:
    """Frames of a level, the last included."""

    level: int
    first: int
    last: int

    def meets(self, first: int, count: int) -> bool:
        return first <= self.last and first + count > self.first


def _refuse_foreign(cursor: Cursor, shot_id: int, level_id: int) -> None:
    if productions.shot_of_level(cursor, level_id)["id"] != shot_id:
        raise NotFound("This level belongs to another shot")


def _steps_with(cursor: Cursor, shot_id: int, action_id: int) -> list[Step]:
    productions.shot(cursor, shot_id)
    steps = revisions.steps_of_shot(cursor, shot_id)
    if not any(s.action == action_id for s in steps):
        raise NotFound("There is no such step in the history of this shot")
    return steps


def _time_at(cursor: Cursor, steps: list[Step], shot_id: int, action_id: int) -> Time:
    subject = Subject("time", shot_id)
    revision = _at(steps, subject, revisions.head(cursor, subject), action_id)
    then = (
        revisions.state_of(cursor, subject)
        if revision is None
        else revisions.state_at(cursor, subject, revision)
    )
    assert isinstance(then, Time)
    return then


def _span_back(now: Time, then: Time, span: Span) -> Time:
    """The time with a span of a level as it was; repeats in it are written out."""
    here, there = now.levels[span.level], then.levels.get(span.level, {})
    if (
        exposure.frame_by_frame(here, now.frames)[span.first - 1 : span.last]
        == exposure.frame_by_frame(there, then.frames)[span.first - 1 : span.last]
    ):
        return now
    run = exposure.pieces(exposure.unrolled(there, then.frames), span.first, span.last)
    sheet = exposure.pasted(exposure.unrolled(here, now.frames), span.first, run)
    return now.model_copy(update={"levels": {**now.levels, span.level: sheet}})


def back_to(
    cursor: Cursor,
    shot_id: int,
    action_id: int,
    only: Collection[int] | None = None,
    span: Span | None = None,
) -> Back:
    """The whole shot as it was when an action had just been done; an action of its own, which can be undone. only: drawings
    that go back, and nothing else. span: frames of a level whose drawings and timing go back, and nothing else.

    Drawings, time and stack go back; models stay, because other shots are painted by them. Raises NotFound, and
    Refusal if nothing would change.
    """
    steps = _steps_with(cursor, shot_id, action_id)
    subjects = {s.subject for s in steps if s.subject.kind != "model"}
    if span is not None:
        _refuse_foreign(cursor, shot_id, span.level)
        present = productions.time_of(cursor, shot_id)
        if not 1 <= span.first <= span.last <= present.frames:
            raise Refusal("These frames are not in the shot; choose others")
        only = {
            d
            for time in (present, _time_at(cursor, steps, shot_id, action_id))
            for first, count, d in exposure.spans(time.levels.get(span.level, {}), time.frames)
            if span.meets(first, count)
        }
    if only is not None:
        subjects = {
            s for s in subjects if (s.kind == "drawing" and s.id in only) or (span and s.kind == "time")
        }
    heads = revisions.lock(cursor, subjects)
    locked = edits.locked_levels(cursor, shot_id)
    wanted = {s: _at(steps, s, head, action_id) for s, head in heads.items()}
    about = revisions.actions(cursor, [action_id])[action_id]
    label = about["kept"] or about["label"]
    action: int | None = None
    drawings, kinds, stay = [], [], set()
    was: dict[int, list[DrawingRow]] = {}
    for subject, revision in wanted.items():
        if revision == heads[subject]:
            continue
        before = _parts(cursor, subject, heads[subject])
        after = _parts(cursor, subject, revision)
        if before == after:
            continue
        if subject.kind == "drawing":
            row = revisions.drawing(cursor, subject.id)
            level = row["level_id"]
            if level in locked:
                stay.add(locked[level])
                continue
            was.setdefault(level, []).append(row)
        states: tuple[Any, Any] | None = None
        if subject.kind != "drawing":
            now, then = revisions.state_of(cursor, subject), revisions.state_at(cursor, subject, revision)
            states = now, _span_back(now, then, span) if span else then
            if states[0] is states[1]:
                continue
        action = action or revisions.begin_action(cursor, f"step back to: {label}")
        if states is None:
            none: dict[str, str | None] = dict.fromkeys(before)
            revisions.revise(cursor, subject, action, **{**none, **after})
            drawings.append(subject.id)
        else:
            now = states[0]
            revisions.change(cursor, subject, action, *states)
            kinds.append(subject.kind)
            if isinstance(now, Time):
                _refuse_locked_time(cursor, shot_id, now)
    if action is None:
        what = "The shot stands" if only is None else "These drawings stand"
        raise Refusal(f"{what} just so already")
    if only is not None:
        # What goes back as a whole goes back with what follows it.
        for rows in was.values():
            drawings += [d for d in edits.follow(cursor, action, rows) if d not in drawings]
    return Back(label, sorted(drawings), sorted(kinds), sorted(stay), _pots_in_use(cursor, drawings))


def _parts(cursor: Cursor, subject: Subject, revision: int | None) -> dict[str, str]:
    return revisions.parts_at(cursor, subject, revision) if revision is not None else {}


def _at(steps: list[Step], subject: Subject, head: int | None, action_id: int) -> int | None:
    """The revision of a subject when an action had just been done: the action's own, or else the newest before it on
    the way to the present one; None for before its first."""
    own = {s.id: s for s in steps if s.subject == subject}
    by_action = [s.id for s in own.values() if s.action == action_id]
    if by_action:
        return by_action[-1]
    at = head
    while at is not None and at in own:
        if own[at].action is None:
            if own[at].parent is None:
                return at
        elif (own[at].action or 0) <= action_id:
            return at
        at = own[at].parent
    return at


def as_it_was(cursor: Cursor, drawing_id: int, revision_id: int | None) -> edits.Saved:
    """One drawing as it was at one of its revisions, None for before the first; an action of its own.

    Raises NotFound, and Refusal if it stands just so already.
    """
    row, _ = edits.load(cursor, drawing_id, lock=True)
    parts: dict[str, Any] = revisions.parts_at(cursor, of(row), revision_id)
    if revision_id is not None and not parts:
        raise NotFound("There is no such step in the history of this drawing")
    wanted = {part: parts.get(part) for part in revisions.PARTS}
    if all(row[part] == name for part, name in wanted.items()):
        raise Refusal("The drawing stands just so already")
    action = revisions.begin_action(cursor, f"bring drawing {row['number']} back as it was")
    revision = revisions.revise(cursor, of(row), action, **wanted)
    edits.follow(cursor, action, [row])
    _pots_in_use(cursor, [drawing_id])
    return edits.Saved(revision, False)
