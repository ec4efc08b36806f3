"""Revisions of everything an artist changes, undo and redo.

A subject is a drawing, the time of a shot, its stack of levels, or a model. Its head names the present revision. What
a drawing holds is in its documents; the other subjects are in rows as well, which follow the head.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

from pydantic import ValidationError

from ..errors import Damaged, NotFound
from . import actor, models, once, productions
from .documents import PAINTED, PARTS, SHOWN, Part, current, get_documents, parts_of, put_document, with_parts
from .pool import Cursor, Row
from .rows import DrawingRow
from .states import Model, Stack, State, Time

Kind = Literal["drawing", "time", "stack", "model"]


class Subject(NamedTuple):
    """id: of the drawing, the shot or the model."""

    kind: Kind
    id: int


def of(drawing: DrawingRow) -> Subject:
    """The subject a drawing's row is of."""
    return Subject("drawing", int(drawing["id"]))


@dataclass(frozen=True)
class _Rows:
    """table: whose column `head` names the present revision. owner: the column of a revision that names the subject.

    read, write: how it stands now and, for what is in rows, how it is changed from one state to another; part: the
    document that holds it.
    """

    table: str
    head: str
    owner: str
    part: str = ""
    state: type[State] = State
    read: Callable[[Cursor, int], Any] | None = None
    write: Callable[[Cursor, int, Any, Any], None] | None = None


_KINDS: dict[Kind, _Rows] = {
    "model": _Rows("models", "head", "model_id", "model", Model, models.state_of, models.set_state),
    "time": _Rows("shots", "time_head", "shot_id", "time", Time, productions.time_of, productions.set_time),
    "stack": _Rows(
        "shots", "stack_head", "shot_id", "stack", Stack, productions.stack_of, productions.set_stack
    ),
    "drawing": _Rows("drawings", "head", "drawing_id"),
}

_GONE = {
    "drawing": "This drawing is not there any more",
    "model": "This model is not there any more",
    "time": "This shot is not there any more",
    "stack": "This shot is not there any more",
}

_DRAWING = (
    "SELECT d.id, d.level_id, d.number, d.kind, COALESCE(d.rough, '') AS rough, d.head, d.meant, d.was, d.looked, r.parts, r.parent_id, r.action_id"
    " FROM drawings d LEFT JOIN revisions r ON r.id = d.head WHERE d.id"
)


def drawing(cursor: Cursor, drawing_id: int, lock: bool = False) -> DrawingRow:
    """A drawing with the document names of its present revision. Raises NotFound.

    lock: hold the drawing until the transaction ends, so that edits come one after the other.
    """
    if lock:
        held = lock_drawings(cursor, [drawing_id])
        if not held:
            raise NotFound(_GONE["drawing"])
        return held[drawing_id]
    cursor.execute(f"{_DRAWING} = %s", (drawing_id,))
    row = cursor.fetchone()
    if row is None:
        raise NotFound(_GONE["drawing"])
    return with_parts(row)


_LINKED = "COALESCE(JSON_VALUE({0}.seen, '$.linked'), '0') IN ('1', 'true')"


def twins(cursor: Cursor, drawing_ids: Sequence[int]) -> list[int]:
    """Drawings of linked levels that are the same as some of these, those of locked levels left out."""
    marks = ", ".join(["%s"] * len(drawing_ids))
    cursor.execute(
        "SELECT DISTINCT t.id FROM drawings d JOIN levels l ON l.id = d.level_id"
        " JOIN drawings t ON t.twin = d.twin AND t.id <> d.id JOIN levels o ON o.id = t.level_id"
        f" WHERE d.id IN ({marks}) AND (d.id = d.twin OR {_LINKED.format('l')})"
        f" AND (t.id = t.twin OR {_LINKED.format('o')}) AND NOT o.locked",
        list(drawing_ids),
    )
    return [int(row["id"]) for row in cursor.fetchall()]


def users(cursor: Cursor, drawing_ids: Sequence[int]) -> list[int]:
    """Drawings of the same levels with parts that follow others."""
    marks = ", ".join(["%s"] * len(drawing_ids))
    cursor.execute(
        "SELECT DISTINCT u.id FROM drawings d JOIN drawings u ON u.level_id = d.level_id JOIN revisions r ON r.id = u.head"
        f" WHERE d.id IN ({marks}) AND JSON_VALUE(r.parts, '$.again') IS NOT NULL",
        list(drawing_ids),
    )
    return [int(row["id"]) for row in cursor.fetchall()]


def lock_drawings(cursor: Cursor, drawing_ids: Iterable[int]) -> dict[int, DrawingRow]:
    """Holds drawings until the transaction ends; id -> row as `drawing`. Those that are gone are left out.

    They are always taken in the order of their ids, so that two actions on many drawings wait and never block each
    other; with them are held those that may change because these do.
    """
    wanted = sorted(set(drawing_ids))
    if not wanted:
        return {}
    own = {*wanted, *users(cursor, wanted)}
    held = sorted({*own, *twins(cursor, sorted(own))})
    marks = ", ".join(["%s"] * len(held))
    cursor.execute(
        f"SELECT id FROM drawings FORCE INDEX (PRIMARY) WHERE id IN ({marks}) ORDER BY id FOR UPDATE", held
    )
    marks = ", ".join(["%s"] * len(wanted))
    cursor.execute(f"{_DRAWING} IN ({marks}) ORDER BY d.number + 0, d.number, d.id", wanted)
    return {int(row["id"]): with_parts(row) for row in cursor.fetchall()}


def lock(cursor: Cursor, subjects: Iterable[Subject]) -> dict[Subject, int | None]:
    """Holds subjects until the transaction ends, always in the same order; subject -> its head. Those that are gone
    are left out."""
    wanted = set(subjects)
    heads: dict[Subject, int | None] = {}
    # Time and stack of a shot lie in one row, so shots go by their ids and not by kind.
    rank = {"models": 0, "shots": 1}
    for subject in sorted(
        (s for s in wanted if s.kind != "drawing"), key=lambda s: (rank[_KINDS[s.kind].table], s.id)
    ):
        rows = _KINDS[subject.kind]
        cursor.execute(
            f"SELECT {rows.head} AS head FROM {rows.table} WHERE id = %s FOR UPDATE", (subject.id,)
        )
        found = cursor.fetchone()
        if found is not None:
            heads[subject] = found["head"]
    drawings = lock_drawings(cursor, [s.id for s in wanted if s.kind == "drawing"])
    return {**heads, **{Subject("drawing", k): row["head"] for k, row in drawings.items()}}


def begin_action(cursor: Cursor, label: str, who: str | None = None) -> int:
    """A new action: what is revised under it is undone as one. Raises DoneBefore for a request sent again.

    who: the person whose action it is, by default the one at work.
    """
    name = actor.present() if who is None else who
    return once.insert(
        cursor, "INSERT INTO actions (label, actor, token) VALUES (%s, %s, %s)", (label[:160], name)
    )


def base_line(cursor: Cursor, drawing_id: int, revision_id: int | None) -> Any:
    """The line document of a drawing's earlier revision; None if there was none, or no such revision."""
    name = parts_at(cursor, Subject("drawing", drawing_id), revision_id).get("line")
    return get_documents(cursor, [name])[name] if name else None


def parts_at(cursor: Cursor, subject: Subject, revision_id: int | None) -> dict[str, str]:
    """part -> document of a revision of a subject; nothing if it has no such revision."""
    owner = _KINDS[subject.kind].owner
    cursor.execute(
        f"SELECT parts FROM revisions WHERE id = %s AND {owner} = %s AND subject = %s",
        (revision_id, subject.id, subject.kind),
    )
    row = cursor.fetchone()
    return parts_of(row["parts"]) if row else {}


def state_of(cursor: Cursor, subject: Subject) -> Any:
    """How a subject that is in rows stands now. Raises NotFound."""
    read = _KINDS[subject.kind].read
    assert read is not None
    return read(cursor, subject.id)


def state_at(cursor: Cursor, subject: Subject, revision_id: int | None) -> Any:
    """How a subject that is in rows stood at one of its revisions. Raises NotFound."""
    rows = _KINDS[subject.kind]
    name = parts_at(cursor, subject, revision_id).get(rows.part)
    if name is None:
        raise NotFound("There is no such step in the history any more")
    try:
        return rows.state.model_validate(current(rows.part, get_documents(cursor, [name])[name]))
    except ValidationError as error:
        raise Damaged(
            f"Document {name[:12]} of the history cannot be read ({error.errors()[0]['msg']})"
        ) from error


def revise(cursor: Cursor, subject: Subject, action_id: int | None, **changed: str | None) -> int:
    """A new revision of a held subject, with some of its documents replaced: part -> name.

    Drawings that are the same as one are revised with it. Raises NotFound if the subject is gone.
    """
    if subject.kind == "drawing" and action_id is not None:
        for twin in twins(cursor, [subject.id]):
            _revise(cursor, Subject("drawing", twin), action_id, changed)
    return _revise(cursor, subject, action_id, changed)


def _revise(
    cursor: Cursor, subject: Subject, action_id: int | None, changed: Mapping[str, str | None]
) -> int:
    rows = _KINDS[subject.kind]
    cursor.execute(
        f"SELECT s.{rows.head} AS head, r.parts FROM {rows.table} s LEFT JOIN revisions r ON r.id = s.{rows.head}"
        " WHERE s.id = %s",
        (subject.id,),
    )
    row = cursor.fetchone()
    if row is None:
        raise NotFound(_GONE[subject.kind])
    parts = {**parts_of(row["parts"]), **changed}
    cursor.execute(
        f"INSERT INTO revisions (subject, {rows.owner}, parent_id, action_id, parts) VALUES (%s, %s, %s, %s, %s)",
        (subject.kind, subject.id, row["head"], action_id, json.dumps(parts, sort_keys=True)),
    )
    revision = int(cursor.lastrowid)
    _set_head(cursor, subject, revision)
    return revision


def change(cursor: Cursor, subject: Subject, action_id: int, now: State, then: State) -> int:
    """A new revision of a held subject that is in rows, which are changed with it. Returns the revision.

    What was there before the first revision is kept as one without an action, so that undo leads back to it.
    Raises Refusal if the rows cannot be so.
    """
    rows = _KINDS[subject.kind]
    assert rows.write is not None
    before = put_document(cursor, now.document())
    cursor.execute(f"SELECT {rows.head} AS head FROM {rows.table} WHERE id = %s", (subject.id,))
    row = cursor.fetchone() or {"head": None}
    if parts_at(cursor, subject, row["head"]).get(rows.part) != before:
        revise(cursor, subject, None, **{rows.part: before})
    rows.write(cursor, subject.id, now, then)
    # As it is read back: rows may round what a document says.
    stored = put_document(cursor, state_of(cursor, subject).document())
    return revise(cursor, subject, action_id, **{rows.part: stored})


def _set_head(cursor: Cursor, subject: Subject, revision: int | None) -> None:
    rows = _KINDS[subject.kind]
    cursor.execute(f"UPDATE {rows.table} SET {rows.head} = %s WHERE id = %s", (revision, subject.id))


@dataclass(frozen=True)
class Stepped:
    """label: of the action that was undone or done again. subjects: those that changed."""

    label: str
    subjects: list[Subject]

    @property
    def drawings(self) -> list[int]:
        """Ids of the drawings among them."""
        return [s.id for s in self.subjects if s.kind == "drawing"]


class Moved(Exception):
    """Something was done to a subject that the one who steps has not seen."""


def undo(cursor: Cursor, subject: Subject, seen: int | None = None) -> Stepped | None:
    """Takes back the last action on a subject, on every subject where it is still the last.

    None if there is nothing to undo. Drawings of locked levels stay. seen: the head it is taken back from; raises Moved
    if that is another one by now.
    """
    while True:
        action = _action(cursor, subject, head(cursor, subject))
        if action is None:
            return None
        touched = _of_action(cursor, action)
        heads = lock(cursor, [subject, *touched])
        # What was done while the lock was waited for is the last action now.
        if subject not in heads or _action(cursor, subject, heads[subject]) == action:
            break
    _refuse_moved(heads.get(subject), seen)
    back = {s: parent for s, (revision, parent) in touched.items() if heads.get(s) == revision}
    return _go(cursor, back, action)


def redo(cursor: Cursor, subject: Subject, seen: int | None = None) -> Stepped | None:
    """The reverse of `undo`: brings back the newest revision made from the present one, and its action."""
    while True:
        onward = _child(cursor, subject, head(cursor, subject))
        if onward is None:
            return None
        action = onward["action_id"]
        touched = _of_action(cursor, action)
        heads = lock(cursor, [subject, *touched])
        now = _child(cursor, subject, heads[subject]) if subject in heads else None
        if now is None or now["action_id"] == action:
            break
    _refuse_moved(heads.get(subject), seen)
    on = {s: revision for s, (revision, parent) in touched.items() if s in heads and heads[s] == parent}
    return _go(cursor, on, action)


def _refuse_moved(now: int | None, seen: int | None) -> None:
    if seen is not None and (now or 0) != seen:
        raise Moved


def _of_action(cursor: Cursor, action_id: int) -> dict[Subject, tuple[int, int | None]]:
    """subject -> (its last revision, the one before its first) of an action; drawings of locked levels are left out."""
    cursor.execute(
        "SELECT r.id, r.subject, COALESCE(r.drawing_id, r.shot_id, r.model_id) AS owner, r.parent_id"
        " FROM revisions r LEFT JOIN drawings d ON d.id = r.drawing_id LEFT JOIN levels l ON l.id = d.level_id"
        " WHERE r.action_id = %s AND NOT COALESCE(l.locked, FALSE) ORDER BY r.id",
        (action_id,),
    )
    found: dict[Subject, tuple[int, int | None]] = {}
    for row in cursor.fetchall():
        subject = Subject(row["subject"], int(row["owner"]))
        before = found.get(subject)
        # A subject revised twice under one action goes back to before the first.
        chained = before is not None and before[0] == row["parent_id"]
        found[subject] = (int(row["id"]), before[1] if before is not None and chained else row["parent_id"])
    return found


def _go(cursor: Cursor, heads: Mapping[Subject, int | None], action_id: int) -> Stepped:
    for subject, revision in heads.items():
        rows = _KINDS[subject.kind]
        if rows.write is not None:
            rows.write(cursor, subject.id, state_of(cursor, subject), state_at(cursor, subject, revision))
        _set_head(cursor, subject, revision)
    return Stepped(_label(cursor, action_id), sorted(heads))


def can_redo(cursor: Cursor, subject: Subject) -> bool:
    """Whether `redo` would do anything."""
    return _child(cursor, subject, head(cursor, subject)) is not None


def can_undo(cursor: Cursor, subject: Subject) -> bool:
    """Whether `undo` would do anything."""
    return _action(cursor, subject, head(cursor, subject)) is not None


def head(cursor: Cursor, subject: Subject) -> int | None:
    """The present revision of a subject. Raises NotFound."""
    rows = _KINDS[subject.kind]
    cursor.execute(f"SELECT {rows.head} AS head FROM {rows.table} WHERE id = %s", (subject.id,))
    row = cursor.fetchone()
    if row is None:
        raise NotFound(_GONE[subject.kind])
    return row["head"]


def line_of(cursor: Cursor, subject: Subject) -> list[int]:
    """The present revision of a subject and those it came from, the latest first. Raises NotFound."""
    cursor.execute(
        "WITH RECURSIVE line AS (SELECT id, parent_id FROM revisions WHERE id = %s UNION ALL"
        " SELECT r.id, r.parent_id FROM revisions r JOIN line ON r.id = line.parent_id) SELECT id FROM line ORDER BY id DESC",
        (head(cursor, subject),),
    )
    return [int(row["id"]) for row in cursor.fetchall()]


def _action(cursor: Cursor, subject: Subject, revision: int | None) -> int | None:
    cursor.execute("SELECT action_id FROM revisions WHERE id = %s", (revision,))
    row = cursor.fetchone()
    return row["action_id"] if row else None


def _child(cursor: Cursor, subject: Subject, revision: int | None) -> Row | None:
    cursor.execute(
        f"SELECT id, action_id FROM revisions WHERE {_KINDS[subject.kind].owner} = %s AND subject = %s"
        " AND parent_id <=> %s AND action_id IS NOT NULL ORDER BY id DESC LIMIT 1",
        (subject.id, subject.kind, revision),
    )
    return cursor.fetchone()


def _label(cursor: Cursor, action_id: int) -> str:
    cursor.execute("SELECT label FROM actions WHERE id = %s", (action_id,))
    row = cursor.fetchone()
    return str(row["label"]) if row else ""


# ---- the history of a shot


class Step(NamedTuple):
    """A revision as the history lists it. action: None for how things stood before the first."""

    id: int
    subject: Subject
    parent: int | None
    action: int | None


def steps_of_shot(cursor: Cursor, shot_id: int) -> list[Step]:
    """All revisions of a shot, oldest first: of its drawings, its time, its stack, and the models it is painted by."""
    cursor.execute(
        "SELECT r.id, r.subject, COALESCE(r.drawing_id, r.shot_id, r.model_id) AS owner, r.parent_id, r.action_id"
        " FROM revisions r WHERE r.shot_id = %s"
        " OR r.drawing_id IN (SELECT d.id FROM drawings d JOIN levels l ON l.id = d.level_id WHERE l.shot_id = %s)"
        " OR r.model_id IN (SELECT model_id FROM levels WHERE shot_id = %s) ORDER BY r.id",
        (shot_id, shot_id, shot_id),
    )
    return [
        Step(int(row["id"]), Subject(row["subject"], int(row["owner"])), row["parent_id"], row["action_id"])
        for row in cursor.fetchall()
    ]


def actions(cursor: Cursor, action_ids: Sequence[int]) -> dict[int, Row]:
    """id -> `label`, `actor`, `created_at`, `kept` of actions."""
    if not action_ids:
        return {}
    marks = ", ".join(["%s"] * len(action_ids))
    cursor.execute(
        f"SELECT id, label, actor, created_at, kept FROM actions WHERE id IN ({marks})", list(action_ids)
    )
    return {int(row["id"]): row for row in cursor.fetchall()}


def last_worked(cursor: Cursor) -> dict[int, Row]:
    """shot -> the last action on its drawings, its time or its stack: `label`, `actor`, `created_at`."""
    cursor.execute(
        "SELECT w.shot, MAX(w.action) AS action FROM ("
        " SELECT l.shot_id AS shot, MAX(r.action_id) AS action FROM revisions r JOIN drawings d ON d.id = r.drawing_id"
        " JOIN levels l ON l.id = d.level_id GROUP BY l.shot_id"
        " UNION ALL SELECT r.shot_id, MAX(r.action_id) FROM revisions r WHERE r.shot_id IS NOT NULL GROUP BY r.shot_id"
        ") w WHERE w.action IS NOT NULL GROUP BY w.shot"
    )
    last = {int(row["shot"]): int(row["action"]) for row in cursor.fetchall()}
    found = actions(cursor, list(last.values()))
    return {shot: found[action] for shot, action in last.items() if action in found}


def keep_action(cursor: Cursor, action_id: int, name: str) -> None:
    """Gives the moment after an action a name, "" for none."""
    cursor.execute("UPDATE actions SET kept = %s WHERE id = %s", (name, action_id))


__all__ = [
    "PAINTED", "PARTS", "SHOWN", "Kind", "Part", "Step", "Stepped", "Subject", "actions", "base_line", "begin_action", "can_redo", "can_undo",
    "change", "drawing", "get_documents", "head", "keep_action", "last_worked", "line_of", "lock", "lock_drawings", "of", "parts_at", "put_document", "redo", "revise",
    "state_at", "state_of", "steps_of_shot", "twins", "undo", "users",
]  # fmt: skip
