"""Edits of one drawing. Each is one revision; edits based on an older revision are applied to the present one,
so that two windows never lose each other's work.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from ..core.paint import NOTHING, Paint, Painting
from ..core.patches import Patches, patches_within
from ..core.run import Placement
from ..core.seal import Stitch
from ..core.seal.model import State
from ..core.strokes import LineRule, Points, Stroke, arc_lengths, strokes_from_dicts
from ..core.strokes.model import Maker
from ..errors import NotFound, Refusal
from ..store import Cursor, Row, models, productions, revisions
from .derived import sheet_patches
from .documents import (
    Sheet,
    Spot,
    line_document,
    paint_document,
    painting_of,
    seal_document,
    sheet_of,
    spots_of,
)
from .line import Context, Operation

Act = Literal["pour", "lift", "accept"]


@dataclass(frozen=True)
class Saved:
    """revision: the new one. merged: somebody else had changed the drawing since the edit's base."""

    revision: int | None
    merged: bool


def load(cursor: Cursor, drawing_id: int, lock: bool = False) -> tuple[Row, Sheet]:
    """A drawing's row and its sheet. lock: to change it. Raises NotFound, and Refusal to change a locked level."""
    row = revisions.drawing(cursor, drawing_id, lock)
    shot = productions.shot_of_level(cursor, row["level_id"])
    if lock:
        refuse_locked(shot)
    found = revisions.get_documents(cursor, [row[part] for part in revisions.PARTS])
    size = (int(shot["width"]), int(shot["height"]))
    return row, sheet_of(size, *(found.get(row[part]) for part in revisions.PARTS))


def refuse_locked(shot: Row) -> None:
    """Raises Refusal if the level a shot is seen with is locked."""
    if shot["locked"]:
        raise Refusal(f"The level {shot['level']} is locked; open it under Levels to change it")


def _save(
    cursor: Cursor, row: Row, base: int | None, label: str, part: str, content: Any, action: int | None = None
) -> Saved:
    action = action or revisions.begin_action(cursor, label)
    revision = revisions.revise(cursor, row, action, **{part: revisions.put_document(cursor, content)})
    return Saved(revision, base != row["head"])


@dataclass(frozen=True)
class LineSaved(Saved):
    """removed: ids of strokes that are gone. strokes: those that are new or changed. others: drawings that followed
    because their strokes are linked."""

    removed: list[str]
    strokes: list[Stroke]
    others: list[int]


def change_line(cursor: Cursor, drawing_id: int, base: int | None, operation: Operation) -> LineSaved:
    """Applies an operation to the strokes as they are now. Doing a trace twice does it once.

    Raises NotFound and Refusal as the operation does.
    """
    row, sheet = load(cursor, drawing_id, lock=True)
    shot = productions.shot_of_level(cursor, row["level_id"])
    after = operation.apply(sheet.strokes, Context(sheet.size, line_rule(cursor, shot)))
    # As they will be read back, so that the page shows just what is stored.
    before = {stroke.id: stroke for stroke in sheet.strokes}
    after = [s if before.get(s.id) is s else Stroke.from_dict(s.to_dict()) for s in after]
    changed = [s for s in after if before.get(s.id) is not s]
    removed = sorted(before.keys() - {s.id for s in after})
    if not changed and not removed:
        # Sent again because the answer was lost: the page still has to learn what was stored.
        again = [s for s in after if s.id == getattr(operation, "id", None)]
        return LineSaved(row["head"], False, [], again, [])
    action = revisions.begin_action(cursor, operation.label())
    saved = _save(cursor, row, base, operation.label(), "line", line_document(after), action)
    others = _follow_links(cursor, row, action, before, changed)
    return LineSaved(saved.revision, saved.merged, removed, changed, others)


def line_rule(cursor: Cursor, shot: Row) -> LineRule:
    """The line rule of the shot's model; the plain one without a model."""
    if shot["model_id"] is None:
        return LineRule()
    return LineRule(**models.model(cursor, shot["model_id"])["line_rule"])


def _follow_links(
    cursor: Cursor, row: Row, action: int, before: Mapping[str, Stroke], changed: Sequence[Stroke]
) -> list[int]:
    """Linked strokes of the other drawings change as theirs did here."""
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
    touched = []
    rows = productions.drawings(cursor, row["level_id"])
    found = revisions.get_documents(cursor, [r["line"] for r in rows])
    for other in rows:
        if other["id"] == row["id"] or not other["line"]:
            continue
        strokes = strokes_from_dicts(found[other["line"]]["strokes"])
        following = [_followed(s, linked, weighed) for s in strokes]
        if any(new is not old for new, old in zip(following, strokes, strict=True)):
            locked = revisions.drawing(cursor, other["id"], lock=True)
            document = revisions.put_document(cursor, line_document(following))
            revisions.revise(cursor, locked, action, line=document)
            touched.append(int(other["id"]))
    return touched


def _followed(stroke: Stroke, linked: Mapping[str, Stroke], weighed: Mapping[str, Stroke]) -> Stroke:
    source = linked.get(stroke.track) or weighed.get(stroke.track)
    if source is None or not stroke.link or not source.link:
        return stroke
    here, there = Placement.from_numbers(stroke.link), Placement.from_numbers(source.link)
    controls = source.controls
    controls = there.inverse().then(here).apply(controls)
    return replace(stroke, controls=controls, widths=source.widths, by="hand")


def judge_stitch(cursor: Cursor, drawing_id: int, base: int | None, stitch_id: str, state: State) -> Saved:
    """Takes or leaves a stitch. Raises NotFound."""
    row, sheet = load(cursor, drawing_id, lock=True)
    if all(stitch.id != stitch_id for stitch in sheet.stitches):
        raise NotFound("This gap is not in the drawing any more; look for gaps again")
    by: Maker = "proposal" if state == "open" else "hand"
    changed = [replace(s, state=state, by=by) if s.id == stitch_id else s for s in sheet.stitches]
    words = {"taken": "take a stitch", "left": "leave a gap open", "open": "decide a gap later"}
    return _save(cursor, row, base, words[state], "seal", seal_document(changed, sheet.specks))


def take_under(cursor: Cursor, level_id: int, limit: float) -> tuple[list[int], int]:
    """Takes every stitch of a level that waits with a doubt below `limit`, undone as one.

    Returns the drawings changed and the number of stitches. Raises Refusal if there is none.
    """
    rows = productions.drawings(cursor, level_id)
    action: int | None = None
    touched, taken = [], 0
    for drawing_id in [row["id"] for row in rows if row["seal"]]:
        row, sheet = load(cursor, drawing_id, lock=True)
        changed = [
            replace(s, state="taken") if s.state == "open" and s.doubt < limit else s for s in sheet.stitches
        ]
        count = sum(new is not old for new, old in zip(changed, sheet.stitches, strict=True))
        if count:
            action = action or revisions.begin_action(cursor, f"take stitches under a doubt of {limit:g}")
            revisions.revise(
                cursor, row, action, seal=revisions.put_document(cursor, seal_document(changed, sheet.specks))
            )
            touched.append(drawing_id)
            taken += count
    if not taken:
        raise Refusal(f"No gap that waits has a doubt under {limit:g}")
    return touched, taken


def add_stitch(cursor: Cursor, drawing_id: int, base: int | None, points: Points) -> Saved:
    """Adds a stitch drawn by hand. Raises Refusal if it is too short."""
    if not np.isfinite(points).all() or arc_lengths(points)[-1] < 1:
        raise Refusal("A stitch needs two points; drag from one side of the gap to the other")
    row, sheet = load(cursor, drawing_id, lock=True)
    stitch = Stitch(points, 0.0, "drawn by hand", "taken", "hand")
    return _save(
        cursor, row, base, "draw a stitch", "seal", seal_document([*sheet.stitches, stitch], sheet.specks)
    )


def delete_stitch(cursor: Cursor, drawing_id: int, base: int | None, stitch_id: str) -> Saved:
    """Takes a stitch away altogether. Raises NotFound."""
    row, sheet = load(cursor, drawing_id, lock=True)
    kept = [stitch for stitch in sheet.stitches if stitch.id != stitch_id]
    if len(kept) == len(sheet.stitches):
        raise NotFound("This stitch is not in the drawing any more")
    return _save(cursor, row, base, "delete a stitch", "seal", seal_document(kept, sheet.specks))


def set_specks(cursor: Cursor, level_id: int, specks: int) -> list[int]:
    """Areas of fewer px² than `specks` join their neighbour, in all drawings of a level, undone as one.

    Paint of areas that are gone goes with them, so that it does not make their neighbours unsure. Returns the drawings
    that changed. Raises Refusal if none does, or the level is locked.
    """
    action: int | None = None
    changed = []
    for listed in productions.drawings(cursor, level_id):
        row, sheet = load(cursor, listed["id"], lock=True)
        if not row["line"] or sheet.specks == specks:
            continue
        patches = sheet_patches(row["line"], sheet)
        kept = [s for s in sheet.spots if patches.areas[patches.at(*s.at)] >= specks]
        documents = {"seal": revisions.put_document(cursor, seal_document(sheet.stitches, specks))}
        if len(kept) < len(sheet.spots):
            documents["paint"] = revisions.put_document(cursor, paint_document(kept))
        action = action or revisions.begin_action(cursor, f"specks under {specks} px² join their neighbour")
        revisions.revise(cursor, row, action, **documents)
        changed.append(int(row["id"]))
    if not changed:
        raise Refusal(
            f"Specks under {specks} px² join their neighbour already in all drawings that have a line"
        )
    return changed


def pour(
    cursor: Cursor, drawing_id: int, base: int | None, points: Sequence[tuple[float, float]], pot: int | None
) -> Saved:
    """Pours a pot into the patches under points; None lifts the paint off. Raises Refusal, NotFound."""
    row, sheet = load(cursor, drawing_id, lock=True)
    if pot is not None and pot != NOTHING:
        check_pot(cursor, row["level_id"], pot)
    patches = sheet_patches(row["line"], sheet)
    painting = painting_of(sheet.spots, patches)
    touched = {patches.at(x, y) for x, y in points} - {0}
    if not touched:
        raise Refusal("There is no patch under the pen; seal the drawing or pour inside the picture")
    if pot is not None and patches.background in touched and len(touched) > 1:
        touched.discard(patches.background)
    for patch in touched:
        if pot is None:
            painting.pop(patch, None)
        else:
            painting[patch] = Paint(pot)
    count = len(touched)
    label = f"{'lift paint off' if pot is None else 'pour into'} {count} patch{'es' * (count > 1)}"
    return _save_painting(cursor, row, base, label, sheet, patches, painting)


def _save_painting(
    cursor: Cursor, row: Row, base: int | None, label: str, sheet: Sheet, patches: Patches, painting: Painting
) -> Saved:
    before = {patches.at(*spot.at): spot.source for spot in sheet.spots if spot.source}
    sources = {
        patch: source for patch, source in before.items() if painting.get(patch, Paint(0)).by == "carried"
    }
    return _save(cursor, row, base, label, "paint", paint_document(spots_of(painting, patches, sources)))


def check_pot(cursor: Cursor, level_id: int, pot: int) -> None:
    """Raises NotFound if the level's model has no such pot."""
    level = productions.shot_of_level(cursor, level_id)
    if level["model_id"] is None or pot not in {
        p["id"] for p in models.model(cursor, level["model_id"])["pots"]
    }:
        raise NotFound("This pot is not in the model any more; choose another one")


def pour_within(
    cursor: Cursor, drawing_id: int, base: int | None, ring: Sequence[tuple[float, float]], pot: int
) -> tuple[Saved, int]:
    """Pours a pot into every unpainted patch that lies in a closed ring of points; returns how many with the revision.

    Raises Refusal if there is none, NotFound.
    """
    row, sheet = load(cursor, drawing_id, lock=True)
    check_pot(cursor, row["level_id"], pot)
    patches = sheet_patches(row["line"], sheet)
    painting = painting_of(sheet.spots, patches)
    inside = [p for p in patches_within(patches, np.array(ring, float)) if p not in painting]
    if not inside:
        raise Refusal("No unpainted patch lies inside this ring")
    painting.update({patch: Paint(pot) for patch in inside})
    count = len(inside)
    label = f"pour into {count} patch{'es' * (count > 1)} in a ring"
    return _save_painting(cursor, row, base, label, sheet, patches, painting), count


@dataclass(frozen=True)
class Repainted:
    """drawings: ids of those that changed. patches: how many patches in all."""

    drawings: list[int]
    patches: int


def repaint(
    cursor: Cursor, level_id: int, cells: Sequence[tuple[int, int]], act: Act, to: int | None = None
) -> Repainted:
    """Acts on all patches that carry a pot in a drawing, for many (drawing id, pot) cells, undone as one.

    act: "pour" pours the pot `to` instead, "lift" takes the paint off, "accept" lets the unsure ones stand.
    Raises NotFound for drawings and pots that are not there, Refusal if nothing would change.
    """
    level = productions.shot_of_level(cursor, level_id)
    known = {p["id"] for p in models.model(cursor, level["model_id"])["pots"]} if level["model_id"] else set()
    if act == "pour" and to not in known:
        raise NotFound("This pot is not in the model any more; choose another one")
    wanted: dict[int, set[int]] = {}
    for drawing_id, pot in cells:
        wanted.setdefault(drawing_id, set()).add(pot)
    action: int | None = None
    touched, patches = [], 0
    for drawing_id, pots in sorted(wanted.items()):
        row, sheet = load(cursor, drawing_id, lock=True)
        if row["level_id"] != level_id:
            raise NotFound("This drawing is not in the run any more")
        spots: list[Spot] = []
        changed = 0
        for spot in sheet.spots:
            if spot.pot not in pots or (act == "accept" and not spot.unsure):
                spots.append(spot)
                continue
            changed += 1
            if act != "lift":
                pot = to if act == "pour" and to is not None else spot.pot
                spots.append(Spot(spot.at, pot, 0.0, "hand"))
        if not changed:
            continue
        action = action or revisions.begin_action(
            cursor,
            {
                "pour": "pour through the ledger",
                "lift": "lift paint off through the ledger",
                "accept": "accept patches",
            }[act],
        )
        revisions.revise(cursor, row, action, paint=revisions.put_document(cursor, paint_document(spots)))
        touched.append(drawing_id)
        patches += changed
    if not touched:
        raise Refusal("None of these cells has a patch to change")
    return Repainted(touched, patches)


def delete_pot(cursor: Cursor, model_id: int, pot_id: int, instead: int | None = None) -> int:
    """Takes a pot out of a model. Where it is in use, `instead` is poured first, undone as one per level.

    Returns the patches repainted. Raises Refusal saying where it is used if there is no replacement; NotFound.
    """
    uses: list[tuple[int, str, list[int]]] = []
    for level in models.levels_of(cursor, model_id):
        rows = productions.drawings(cursor, level["level_id"])
        found = revisions.get_documents(cursor, [row["paint"] for row in rows])
        using = [
            row for row in rows
            if any(spot["pot"] == pot_id for spot in found.get(row["paint"], {}).get("patches", []))
        ]  # fmt: skip
        if using:
            numbers = ", ".join(str(row["number"]) for row in using[:6]) + (" …" if len(using) > 6 else "")
            uses.append((level["level_id"], f"{level['shot']} {numbers}", [row["id"] for row in using]))
    if uses and instead is None:
        where = "; ".join(words for _, words, _ in uses[:4])
        raise Refusal(f"This pot is in use in {where}. Choose a pot to take its place")
    if instead == pot_id:
        raise Refusal("A pot cannot take its own place; choose another one")
    patches = 0
    for level_id, _, drawings in uses:
        patches += repaint(cursor, level_id, [(d, pot_id) for d in drawings], "pour", instead).patches
    models.delete_pot(cursor, model_id, pot_id)
    return patches
