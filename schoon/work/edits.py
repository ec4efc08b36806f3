"""Edits of one drawing. Each is one revision; edits based on an older revision are applied to the present one,
so that two windows never lose each other's work.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..core.paint import NOTHING, Paint
from ..core.seal import Stitch
from ..core.seal.model import State
from ..core.strokes import Points, Stroke, corner_indices, fit_curve, resample, smooth_hand
from ..core.strokes.curves import arc_lengths
from ..errors import NotFound, Refusal
from ..store import Cursor, Row, models, productions, revisions
from .derived import sheet_patches
from .documents import Sheet, line_document, paint_document, painting_of, seal_document, sheet_of, spots_of

MOST_POINTS = 20_000


@dataclass(frozen=True)
class Saved:
    """revision: the new one. merged: somebody else had changed the drawing since the edit's base."""

    revision: int | None
    merged: bool


def load(cursor: Cursor, drawing_id: int, lock: bool = False) -> tuple[Row, Sheet]:
    """A drawing's row and its sheet. Raises NotFound."""
    row = revisions.drawing(cursor, drawing_id, lock)
    shot = productions.shot_of_level(cursor, row["level_id"])
    found = revisions.get_documents(cursor, [row[part] for part in revisions.PARTS])
    size = (int(shot["width"]), int(shot["height"]))
    return row, sheet_of(size, *(found.get(row[part]) for part in revisions.PARTS))


def _save(
    cursor: Cursor, row: Row, base: int | None, label: str, part: str, content: Any, action: int | None = None
) -> Saved:
    action = action or revisions.begin_action(cursor, label)
    revision = revisions.revise(cursor, row, action, **{part: revisions.put_document(cursor, content)})
    return Saved(revision, base != row["head"])


def stroke_from_pen(path: Sequence[tuple[float, float, float]], width: float, steady: float) -> Stroke:
    """The curve of a pen path of (x, y, pressure 0..1) points; pressure scales the width, steady smooths in px.

    Raises Refusal for a path too short to be a stroke or with numbers that are not.
    """
    data = np.asarray(path, float)
    if data.ndim != 2 or data.shape[1] != 3 or len(data) > MOST_POINTS or not np.isfinite(data).all():
        raise Refusal("This stroke could not be read; draw it again")
    points = data[:, :2]
    along = arc_lengths(points)
    if along[-1] < 0.5:
        points = points[0] + np.array([[-0.5, 0.0], [0.5, 0.0]])
        along, data = np.array([0.0, 1.0]), np.repeat(data[:1], 2, axis=0)
    raw = resample(points, 1.5)
    corners = corner_indices(raw, 6, np.deg2rad(50))
    # Smoothed between corners only, so that a corner drawn stays one.
    cuts = [0, *corners, len(raw) - 1]
    runs = [smooth_hand(raw[a : b + 1], steady) for a, b in itertools.pairwise(cuts) if b > a]
    smooth = np.vstack([runs[0], *(run[1:] for run in runs[1:])])
    joints = np.cumsum([len(run) - 1 for run in runs])[:-1].tolist()
    controls, knots = fit_curve(smooth, 0.7, joints)
    place = arc_lengths(smooth)[knots.astype(int)]
    pressure = np.interp(place / max(place[-1], 1e-9) * along[-1], along, np.clip(data[:, 2], 0, 1))
    return Stroke(controls, width * (0.35 + 1.3 * pressure).clip(0.4, 1.5), by="hand")


def trace(cursor: Cursor, drawing_id: int, base: int | None, stroke: Stroke) -> Saved:
    """Adds a stroke. Sending the same stroke twice adds it once."""
    row, sheet = load(cursor, drawing_id, lock=True)
    if any(s.id == stroke.id for s in sheet.strokes):
        return Saved(row["head"], False)
    return _save(cursor, row, base, "trace a stroke", "line", line_document([*sheet.strokes, stroke]))


def delete_strokes(cursor: Cursor, drawing_id: int, base: int | None, ids: Sequence[str]) -> Saved:
    """Takes strokes away. Raises NotFound if none of them is there."""
    row, sheet = load(cursor, drawing_id, lock=True)
    kept = [stroke for stroke in sheet.strokes if stroke.id not in set(ids)]
    gone = len(sheet.strokes) - len(kept)
    if not gone:
        raise NotFound("These strokes are not in the drawing any more; it was changed in another window")
    return _save(cursor, row, base, f"delete {gone} stroke{'s' * (gone > 1)}", "line", line_document(kept))


def judge_stitch(cursor: Cursor, drawing_id: int, base: int | None, stitch_id: str, state: State) -> Saved:
    """Takes or leaves a stitch. Raises NotFound."""
    row, sheet = load(cursor, drawing_id, lock=True)
    if all(stitch.id != stitch_id for stitch in sheet.stitches):
        raise NotFound("This gap is not in the drawing any more; look for gaps again")
    changed = [replace(s, state=state) if s.id == stitch_id else s for s in sheet.stitches]
    words = {"taken": "take a stitch", "left": "leave a gap open", "open": "decide a gap later"}
    return _save(cursor, row, base, words[state], "seal", seal_document(changed))


def add_stitch(cursor: Cursor, drawing_id: int, base: int | None, points: Points) -> Saved:
    """Adds a stitch drawn by hand. Raises Refusal if it is too short."""
    if not np.isfinite(points).all() or arc_lengths(points)[-1] < 1:
        raise Refusal("A stitch needs two points; drag from one side of the gap to the other")
    row, sheet = load(cursor, drawing_id, lock=True)
    stitch = Stitch(points, 0.0, "drawn by hand", "taken", "hand")
    return _save(cursor, row, base, "draw a stitch", "seal", seal_document([*sheet.stitches, stitch]))


def delete_stitch(cursor: Cursor, drawing_id: int, base: int | None, stitch_id: str) -> Saved:
    """Takes a stitch away altogether. Raises NotFound."""
    row, sheet = load(cursor, drawing_id, lock=True)
    kept = [stitch for stitch in sheet.stitches if stitch.id != stitch_id]
    if len(kept) == len(sheet.stitches):
        raise NotFound("This stitch is not in the drawing any more")
    return _save(cursor, row, base, "delete a stitch", "seal", seal_document(kept))


def pour(
    cursor: Cursor, drawing_id: int, base: int | None, points: Sequence[tuple[float, float]], pot: int | None
) -> Saved:
    """Pours a pot into the patches under points; None lifts the paint off. Raises Refusal, NotFound."""
    row, sheet = load(cursor, drawing_id, lock=True)
    if pot is not None and pot != NOTHING:
        level = productions.shot_of_level(cursor, row["level_id"])
        if level["model_id"] is None or pot not in {
            p["id"] for p in models.model(cursor, level["model_id"])["pots"]
        }:
            raise NotFound("This pot is not in the model any more; choose another one")
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
    before = {patches.at(*spot.at): spot.source for spot in sheet.spots if spot.source}
    sources = {
        patch: source for patch, source in before.items() if painting.get(patch, Paint(0)).by == "carried"
    }
    return _save(cursor, row, base, label, "paint", paint_document(spots_of(painting, patches, sources)))
