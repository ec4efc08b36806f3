"""Parts completed behind what covers them, from neighbouring drawings that show them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..core.run import completed, silhouette
from ..core.strokes import Stroke, length
from ..errors import Refusal
from ..store import Cursor, DrawingRow, Store, revisions
from .documents import Behind, Sheet
from .edits import follow, save_sheet
from .operations.base import many
from .run import Call, Run, on_lines

_NEIGHBOURS = 3
"""Drawings on either side from which what is hidden may be taken."""

_LONGER = 1.05
"""A neighbour in which the part is at least this much longer shows more of it."""


def complete(
    store: Store, level_id: int, part: str, drawings: Sequence[int], fronts: Sequence[str], call: Call
) -> list[int]:
    """Gives a part in drawings the lines that parts in front of it hide, from the neighbours that show them; they are kept
    behind. Undone as one; returns the drawings that changed. Raises NotFound, Refusal."""
    over = [front for front in fronts if front and front != part]

    def computed(run: Run) -> tuple[set[int], dict[int, Behind]]:
        found: dict[int, Behind] = call(_hidden_in, run, drawings, part, over)
        if not found:
            raise Refusal(
                f"No neighbour shows more of {part} than is seen of it here, behind what lies in front of it;"
                " draw the rest by hand, and hide it"
            )
        return set(found), found

    def keep(
        cursor: Cursor, run: Run, held: list[tuple[DrawingRow, Sheet]], found: dict[int, Behind]
    ) -> None:
        action = revisions.begin_action(cursor, f"complete {part} in {many(len(found), 'drawing')}")
        for row, sheet in held:
            new = found[int(row["id"])]
            behind = {
                front: [*_kept(sheet.behind.get(front, []), part), *new.get(front, [])]
                for front in {*sheet.behind, *new}
            }
            behind = {front: hidden for front, hidden in behind.items() if hidden}
            save_sheet(cursor, action, row, sheet, replace(sheet, behind=behind))
        follow(cursor, action, [row for row, _ in held])

    made = on_lines(store, level_id, computed, keep)
    return list(made)


def _hidden_in(run: Run, drawings: Sequence[int], part: str, fronts: Sequence[str]) -> dict[int, Behind]:
    """`_hidden` in several drawings, of those in which there is something."""
    found = {d: _hidden(run, d, part, fronts) for d in drawings}
    return {d: behind for d, behind in found.items() if behind}


def _kept(hidden: Sequence[Stroke], part: str) -> list[Stroke]:
    """What is kept behind a form but what was proposed of the part at another time."""
    return [s for s in hidden if s.part != part or s.by == "hand"]


def _hidden(run: Run, drawing: int, part: str, fronts: Sequence[str]) -> Behind:
    """Part in front -> lines of the part that it hides in a drawing, from the nearest neighbours that show them."""
    at = run.index(drawing)
    here = run.strokes[run.rows[at]["id"]]
    own = [s for s in here if s.part == part]
    forms = {front: [s for s in here if s.part == front] for front in fronts}
    inside = {front: silhouette(strokes, run.size) for front, strokes in forms.items() if strokes}
    if not own or not inside:
        return {}

    def covered(points: NDArray[np.float64]) -> NDArray[np.bool_]:
        return np.logical_or.reduce([form(points) for form in inside.values()])

    found: list[Stroke] = []
    seen = sum(map(length, own))
    steps = [k for far in range(1, _NEIGHBOURS + 1) for k in (at - far, at + far)]
    for k in steps:
        if not 0 <= k < len(run.rows):
            continue
        other = [s for s in run.strokes[run.rows[k]["id"]] if s.part == part]
        if sum(map(length, other)) > _LONGER * seen:
            found += completed([*own, *found], other, covered, run.size)
    behind: Behind = {}
    for stroke in found:
        most = max(inside, key=lambda front: float(inside[front](stroke.controls).mean()))
        behind.setdefault(most, []).append(stroke)
    return behind
