"""Edits as a test does them: one call each."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from schoon.store import Cursor, productions, revisions
from schoon.store.revisions import Subject
from schoon.work import edits
from schoon.work.operations.model import DeletePot, SetColour
from schoon.work.operations.paint import Cell, Pour, PourWithin, Repaint
from schoon.work.operations.seal import Draw, Judge, TakeUnder, Unstitch
from schoon.work.operations.stack import Lock, PutAside

Places = Sequence[tuple[float, float]]


def pour(cursor: Cursor, drawing: int, base: int | None, points: Places, pot: int | None) -> edits.Saved:
    return edits.change_drawing(cursor, drawing, base, Pour(do="pour", points=list(points), pot=pot))


def pour_within(
    cursor: Cursor, drawing: int, base: int | None, ring: Places, pot: int
) -> tuple[edits.Saved, int]:
    act = PourWithin(do="pour-within", ring=list(ring), pot=pot)
    return edits.change_drawing(cursor, drawing, base, act), act.patches


def add_stitch(cursor: Cursor, drawing: int, base: int | None, points: Places) -> edits.Saved:
    return edits.change_drawing(cursor, drawing, base, Draw(do="stitch", points=list(points)))


def judge(cursor: Cursor, drawing: int, base: int | None, stitch: str, state: Any) -> edits.Saved:
    return edits.change_drawing(cursor, drawing, base, Judge(do="judge", stitch=stitch, state=state))


def delete_stitch(cursor: Cursor, drawing: int, base: int | None, stitch: str) -> edits.Saved:
    return edits.change_drawing(cursor, drawing, base, Unstitch(do="unstitch", stitch=stitch))


def take_under(cursor: Cursor, level: int, under: float) -> edits.RunSaved:
    return edits.change_run(cursor, level, TakeUnder(do="take-under", under=under))


def repaint(
    cursor: Cursor, level: int, cells: Sequence[tuple[int, int]], act: Any, to: int | None = None
) -> edits.RunSaved:
    listed = [Cell(drawing=drawing, pot=pot) for drawing, pot in cells]
    return edits.change_run(cursor, level, Repaint(do="repaint", cells=listed, act=act, to=to))


def delete_pot(cursor: Cursor, model: int, pot: int, instead: int | None = None) -> int | None:
    return edits.change_model(cursor, model, DeletePot(do="delete-pot", pot=pot, instead=instead))


def set_colour(cursor: Cursor, model: int, key: int, pot: int, colour: str) -> int | None:
    return edits.change_model(cursor, model, SetColour(do="colour", key=key, pot=pot, colour=colour))


def lock_level(cursor: Cursor, level: int, locked: bool) -> int | None:
    shot = productions.shot_of_level(cursor, level)["id"]
    return edits.change_stack(cursor, shot, Lock(do="lock", level=level, locked=locked))


def put_aside(cursor: Cursor, level: int, aside: bool) -> int | None:
    shot = productions.shot_of_level(cursor, level)["id"]
    return edits.change_stack(cursor, shot, PutAside(do="aside", level=level, aside=aside))


def _stepped(found: revisions.Stepped | None) -> tuple[str, list[int]] | None:
    return None if found is None else (found.label, found.drawings)


def undo(cursor: Cursor, drawing: int) -> tuple[str, list[int]] | None:
    """Label and drawings."""
    return _stepped(revisions.undo(cursor, Subject("drawing", drawing)))


def redo(cursor: Cursor, drawing: int) -> tuple[str, list[int]] | None:
    return _stepped(revisions.redo(cursor, Subject("drawing", drawing)))
