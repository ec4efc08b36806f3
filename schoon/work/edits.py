"""Edits of one drawing. Each is one revision; edits based on an older revision are applied to the present one,
so that two windows never lose each other's work.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from ..core.paint import NOTHING
from ..core.patches import patches_within
from ..core.run import Placement
from ..core.seal import Stitch
from ..core.seal.model import State
from ..core.strokes import LineRule, Points, Stroke, arc_lengths, strokes_from_dicts
from ..core.strokes.model import Maker
from ..errors import NotFound, Refusal
from ..limits import limits
from ..store import Cursor, Row, models, productions, revisions
from .derived import sheet_patches
from .documents import (
    SPECKS,
    Sheet,
    Spot,
    line_document,
    paint_document,
    painting_of,
    poured,
    seal_document,
    sheet_of,
)
from .line import Context, Operation

Act = Literal["pour", "lift", "accept"]


@dataclass(frozen=True)
class Saved:
    """revision: the new one. merged: somebody else had changed the drawing since the edit's base."""

    revision: int | None
    merged: bool


def load_all(
    cursor: Cursor, level_id: int, drawing_ids: Collection[int] | None = None
) -> list[tuple[Row, Sheet]]:
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
    size = (int(shot["width"]), int(shot["height"]))
    return [
        (row, sheet_of(size, *(found.get(row[part]) for part in revisions.PARTS))) for row in rows.values()
    ]


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
    _hold_linked(cursor, drawing_id)
    row, sheet = load(cursor, drawing_id, lock=True)
    shot = productions.shot_of_level(cursor, row["level_id"])

    def at_base() -> list[Stroke]:
        line = revisions.base_line(cursor, drawing_id, base)
        return strokes_from_dicts(line["strokes"]) if line else []

    context = Context(sheet.size, line_rule(cursor, shot), at_base if base != row["head"] else None)
    after = operation.apply(sheet.strokes, context)
    # As they will be read back, so that the page shows just what is stored.
    before = {stroke.id: stroke for stroke in sheet.strokes}
    after = [s if before.get(s.id) is s else Stroke.from_dict(s.to_dict()) for s in after]
    changed = [s for s in after if before.get(s.id) is not s]
    refuse_endless(changed, sheet.size)
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


def _hold_linked(cursor: Cursor, drawing_id: int) -> None:
    """If a drawing has linked strokes, all of its run is held, in the one order in which drawings are held."""
    row = revisions.drawing(cursor, drawing_id)
    line = revisions.get_documents(cursor, [row["line"]]).get(row["line"])
    if line and any(stroke.get("link") for stroke in line["strokes"]):
        revisions.lock_drawings(cursor, [r["id"] for r in productions.drawings(cursor, row["level_id"])])


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
    for other, sheet in load_all(cursor, row["level_id"]):
        if other["id"] == row["id"]:
            continue
        following = [_followed(s, linked, weighed) for s in sheet.strokes]
        if any(new is not old for new, old in zip(following, sheet.strokes, strict=True)):
            document = revisions.put_document(cursor, line_document(following))
            revisions.revise(cursor, other, action, line=document)
            touched.append(int(other["id"]))
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
    action: int | None = None
    touched, taken = [], 0
    for row, sheet in load_all(cursor, level_id):
        # A person has taken them: they stay taken when gaps are looked for again.
        changed = [
            replace(s, state="taken", by="hand") if s.state == "open" and s.doubt < limit else s
            for s in sheet.stitches
        ]
        count = sum(new is not old for new, old in zip(changed, sheet.stitches, strict=True))
        if count:
            action = action or revisions.begin_action(cursor, f"take stitches under a doubt of {limit:g}")
            revisions.revise(
                cursor, row, action, seal=revisions.put_document(cursor, seal_document(changed, sheet.specks))
            )
            touched.append(int(row["id"]))
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


def with_other_specks(cursor: Cursor, rows: Sequence[Row], under: int) -> list[Row]:
    """The drawings whose limit of specks is not this one. Raises Refusal if there is none."""
    found = revisions.get_documents(cursor, [row["seal"] for row in rows])
    others = [row for row in rows if int(found.get(row["seal"], {}).get("specks", SPECKS)) != under]
    if not others:
        raise Refusal(
            f"Specks under {under} px² join their neighbour already in all drawings that have a line"
        )
    return others


def pour(
    cursor: Cursor, drawing_id: int, base: int | None, points: Sequence[tuple[float, float]], pot: int | None
) -> Saved:
    """Pours a pot into the patches under points; None lifts the paint off. Raises Refusal, NotFound."""
    row, sheet = load(cursor, drawing_id, lock=True)
    if pot is not None and pot != NOTHING:
        check_pot(cursor, row["level_id"], pot)
    patches = sheet_patches(row["line"], sheet)
    touched = {patches.at(x, y): (x, y) for x, y in points}
    touched.pop(0, None)
    if not touched:
        raise Refusal("There is no patch under the pen; seal the drawing or pour inside the picture")
    if pot is not None and patches.background in touched and len(touched) > 1:
        del touched[patches.background]
    count = len(touched)
    label = f"{'lift paint off' if pot is None else 'pour into'} {count} patch{'es' * (count > 1)}"
    spots = poured(sheet.spots, patches, touched, pot)
    return _save(cursor, row, base, label, "paint", paint_document(spots))


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
    places = {p: (float(patches.anchors[p][0]), float(patches.anchors[p][1])) for p in inside}
    count = len(inside)
    label = f"pour into {count} patch{'es' * (count > 1)} in a ring"
    spots = poured(sheet.spots, patches, places, pot)
    return _save(cursor, row, base, label, "paint", paint_document(spots)), count


@dataclass(frozen=True)
class Repainted:
    """drawings: ids of those that changed. patches: how many patches in all."""

    drawings: list[int]
    patches: int


def repaint(
    cursor: Cursor,
    level_id: int,
    cells: Sequence[tuple[int, int]],
    act: Act,
    to: int | None = None,
    action: int | None = None,
) -> Repainted:
    """Acts on all patches that carry a pot in a drawing, for many (drawing id, pot) cells, undone as one.

    act: "pour" pours the pot `to` instead, "lift" takes the paint off, "accept" lets the unsure ones stand.
    action: what it is a part of; one of its own by default.
    Raises NotFound for drawings and pots that are not there, Refusal if nothing would change.
    """
    wanted: dict[int, set[int]] = {}
    for drawing_id, pot in cells:
        wanted.setdefault(drawing_id, set()).add(pot)
    held = load_all(cursor, level_id, wanted)
    if act == "pour":
        check_pot(cursor, level_id, NOTHING if to is None else to)
    touched, patches = [], 0
    for row, sheet in held:
        pots = wanted[int(row["id"])]
        spots: list[Spot] = []
        changed = 0
        for spot in sheet.spots:
            # What waits for its form is not in the cell: only another pot is poured for it as well.
            left = (act == "accept" and not spot.unsure) or (act != "pour" and spot.waits)
            if spot.pot not in pots or left:
                spots.append(spot)
                continue
            changed += 1
            if act != "lift":
                pot = to if act == "pour" and to is not None else spot.pot
                spots.append(Spot(spot.at, pot, 0.0, "hand", waits=spot.waits))
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
        touched.append(int(row["id"]))
        patches += changed
    if not touched:
        raise Refusal("None of these cells has a patch to change")
    return Repainted(touched, patches)


def delete_pot(cursor: Cursor, model_id: int, pot_id: int, instead: int | None = None) -> int:
    """Takes a pot out of a model. Where it is in use, `instead` is poured first, undone as one.

    Returns the patches repainted. Raises Refusal saying where it is used if there is no replacement; NotFound.
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
    action = revisions.begin_action(cursor, "take a pot out of the model") if uses else None
    patches = 0
    for level_id, _, drawings in uses:
        cells = [(d, pot_id) for d in drawings]
        patches += repaint(cursor, level_id, cells, "pour", instead, action).patches
    models.delete_pot(cursor, model_id, pot_id)
    return patches


@dataclass(frozen=True)
class Stepped:
    """label: what was undone or done again. drawings: ids of those that changed. pots: names of those that are in
    their models again because they are in use again."""

    label: str
    drawings: list[int]
    pots: list[str]


def step(cursor: Cursor, drawing_id: int, way: Literal["undo", "redo"]) -> Stepped | None:
    """Takes back the last action on a drawing, or does it again; None if there is none. Raises Refusal, NotFound."""
    row = revisions.drawing(cursor, drawing_id)
    refuse_locked(productions.shot_of_level(cursor, row["level_id"]))
    done = (revisions.undo if way == "undo" else revisions.redo)(cursor, drawing_id)
    if done is None:
        return None
    label, ids = done
    rows = revisions.lock_drawings(cursor, ids)
    found = revisions.get_documents(cursor, [r["paint"] for r in rows.values()])
    pots = {int(spot["pot"]) for document in found.values() for spot in document["patches"]}
    return Stepped(label, ids, models.bring_back(cursor, pots - {NOTHING}))
