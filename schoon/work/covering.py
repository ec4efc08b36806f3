"""What of a level is covered by the levels in front of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from ..core import exposure
from ..core.paint import NOTHING, Painting
from ..core.patches import OpenPatches, unpack_open
from ..store import Cursor, DrawingRow, ShotRow, models, productions, revisions
from ..store.states import Stack, Time
from .derived import Files, sheet_key
from .documents import Sheet, painting_of, sheet_of
from .placing import Placed, matrix_from, size_of

_OPAQUE = 100


@dataclass
class Covers:
    """The levels in front of one, opaque and seen. columns: level -> drawing of each frame, None for none. rows: its drawings.
    opaque: pots that hide what is behind them."""

    placed: Placed
    columns: Mapping[int, Sequence[int | None]]
    rows: Mapping[int, DrawingRow]
    sheets: Mapping[int, Sheet]
    opaque: frozenset[int]
    files: Files
    _known: dict[int, tuple[OpenPatches, Painting] | None] = field(default_factory=dict)

    def hides(self, frame: int, place: tuple[float, float]) -> bool:
        """Whether a place of the frame, px, is covered. What nobody has looked at yet covers nothing."""
        for level, column in self.columns.items():
            drawing = column[frame - 1] if frame <= len(column) else None
            if drawing is None or drawing not in self.sheets:
                continue
            onto = np.vstack([matrix_from(self.placed.seen(level, frame)), [0, 0, 1]])
            x, y, _ = np.linalg.inv(onto) @ (*place, 1)
            if self._painted(drawing, float(x), float(y)):
                return True
        return False

    def _painted(self, drawing: int, x: float, y: float) -> bool:
        known = self._of(drawing)
        width, height = self.sheets[drawing].size
        if known is None or not (0 <= x < width and 0 <= y < height):
            return False
        patches, painting = known
        paint = painting.get(patches.at(x, y))
        return paint is not None and paint.pot != NOTHING and paint.pot in self.opaque

    def _of(self, drawing: int) -> tuple[OpenPatches, Painting] | None:
        if drawing not in self._known:
            key = sheet_key(self.rows[drawing]["line"], self.sheets[drawing])
            body = self.files.read(key, ".patches")
            patches = None if body is None else unpack_open(body)
            self._known[drawing] = (
                None if patches is None else (patches, painting_of(self.sheets[drawing].spots, patches))
            )
        return self._known[drawing]


def in_front(stack: Stack, level: int) -> list[int]:
    """Levels in front of one that hide what is behind them, from rear to front."""
    if level not in stack.order:
        return []
    above = stack.order[stack.order.index(level) + 1 :]
    own = ((k, stack.levels[k]) for k in above)
    return [k for k, s in own if s.visible and s.kind == "drawings" and s.opacity == _OPAQUE]


def covers_of(
    cursor: Cursor, files: Files, shot: ShotRow, stack: Stack, time: Time, levels: Sequence[int]
) -> Covers:
    """shot: seen with the level behind. levels: those in front of it."""
    size = size_of(shot)
    rows, sheets, opaque = {}, {}, set()
    for level in levels:
        model = stack.levels[level].model
        pots = models.model(cursor, model)["pots"] if model else []
        opaque |= {pot["id"] for pot in pots if pot["opacity"] == _OPAQUE}
        own = [row for row in productions.drawings(cursor, level) if row["line"] and row["paint"]]
        found = revisions.get_documents(cursor, [row[part] for row in own for part in ("seal", "paint")])
        for row in own:
            rows[row["id"]] = row
            paper = stack.levels[level].paper or size
            sheets[row["id"]] = sheet_of(paper, None, found.get(row["seal"]), found.get(row["paint"]))
    columns = {level: exposure.frame_by_frame(time.levels[level], time.frames) for level in levels}
    return Covers(Placed(size, stack), columns, rows, sheets, frozenset(opaque), files)
