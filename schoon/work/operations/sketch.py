"""Drawing on the rough itself: passes of pencil, rubbing out, pieces that are moved."""

from __future__ import annotations

import base64
import binascii
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, PrivateAttr

from ...core import sketch as core
from ...core.sketch import At, State
from ...errors import Refusal
from ...formats.pictures import rgba
from ...values import Id, Spot, short_enough
from ..documents import Sheet
from ..pen import MOST_POINTS
from ..roughs import tile_of
from ..sketches import MOST_PASSES, Pass, Sketch
from .base import Context, DrawingOperation, OnMany, many

PassId = Annotated[str, Field(pattern=r"^[0-9a-z]{6,12}$")]
Png = Annotated[str, Field(max_length=12_000_000)]
"""A PNG picture in base64."""

BASE = "base"
"""The picture that was taken in, among the passes."""

_STATES = {"full": "show", "faint": "show faintly", "hidden": "hide"}


def _bytes(text: str) -> bytes:
    try:
        return base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError) as error:
        raise Refusal("A part of the drawing could not be read; draw it again") from error


class AddPass(DrawingOperation):
    """A new pass over the others, which are seen faintly from now on."""

    do: Literal["pass"]
    id: PassId
    name: str = Field(default="", max_length=60)

    def label(self) -> str:
        return "begin a pass"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        sketch = sheet.sketch
        if any(one.id == self.id for one in sketch.passes):
            return sheet
        if len(sketch.passes) >= MOST_PASSES:
            raise Refusal(f"A drawing has at most {MOST_PASSES} passes; merge some of them")
        name = " ".join(self.name.split()) or f"pass {len(sketch.passes) + 1}"
        below = tuple(replace(p, state="faint") if p.state == "full" else p for p in sketch.passes)
        base: State = "faint" if sketch.base == "full" else sketch.base
        return replace(
            sheet, sketch=replace(sketch, base=base, passes=(*below, Pass(self.id, name))),
        )  # fmt: skip


class SetPass(DrawingOperation):
    """How a pass, or the picture that was taken in, is seen, and what it is called."""

    do: Literal["pass-set"]
    id: PassId | Literal["base"]
    state: State | None = None
    name: str | None = Field(default=None, max_length=60)

    def label(self) -> str:
        return f"{_STATES[self.state]} a pass" if self.state else "name a pass"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        sketch = sheet.sketch
        if self.id == BASE:
            return replace(sheet, sketch=replace(sketch, base=self.state or sketch.base))
        now = sketch.of(self.id)
        name = " ".join((self.name or "").split()) or now.name
        return replace(sheet, sketch=sketch.with_pass(replace(now, state=self.state or now.state, name=name)))


class HandToLine(DrawingOperation):
    """A pass becomes the rough that Line reads: it alone is seen fully, the others not at all."""

    do: Literal["pass-hand"]
    id: PassId

    def label(self) -> str:
        return "hand a pass to Line"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        sketch = sheet.sketch
        sketch.of(self.id)
        states: dict[bool, State] = {True: "full", False: "hidden"}
        passes = tuple(replace(p, state=states[p.id == self.id]) for p in sketch.passes)
        return replace(sheet, sketch=replace(sketch, base="hidden", passes=passes))


class MergePass(DrawingOperation):
    """A pass laid into the one below it."""

    do: Literal["pass-merge"]
    id: PassId

    def label(self) -> str:
        return "merge two passes"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        sketch = sheet.sketch
        upper = sketch.of(self.id)
        at = sketch.passes.index(upper)
        if at == 0:
            raise Refusal("No pass lies below this one; what was taken in stays as it is")
        below = sketch.passes[at - 1]
        tiles = context.pixels(upper.tiles, sketch)
        size = context.size
        piece = core.whole(tiles, size)
        width, height = size
        corners = [(0.0, 0.0), (width, 0.0), (width, height), (0.0, height)]
        changed = core.pasted(context.pixels(below.tiles, sketch), size, piece, corners)
        merged = sketch.with_tiles(below.id, changed)
        passes = tuple(p for p in merged.passes if p.id != upper.id)
        return replace(sheet, sketch=replace(merged, passes=passes))


class DropPass(DrawingOperation):
    """A pass taken off."""

    do: Literal["pass-drop"]
    id: PassId

    def label(self) -> str:
        return "take a pass off"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        gone = sheet.sketch.of(self.id)
        passes = tuple(p for p in sheet.sketch.passes if p is not gone)
        return replace(sheet, sketch=replace(sheet.sketch, passes=passes))


class Draw(DrawingOperation):
    """A stroke of pencil on a pass: the tiles it changed. tiles: "column,row" -> PNG, empty for what is clear now."""

    do: Literal["pencil"]
    id: PassId
    tiles: dict[Annotated[str, Field(pattern=r"^\d{1,3},\d{1,3}$")], Png] = Field(max_length=1200)

    def label(self) -> str:
        return "draw with the pencil"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        empty = np.zeros((core.SIDE, core.SIDE, 4), np.uint8)
        width, height = context.size
        changed: dict[At, NDArray[np.uint8]] = {}
        for place, text in self.tiles.items():
            column, row = (int(v) for v in place.split(","))
            if column * core.SIDE >= width or row * core.SIDE >= height:
                raise Refusal("The pencil was beyond the edge of the drawing; nothing was changed")
            changed[column, row] = tile_of(_bytes(text)) if text else empty
        return replace(sheet, sketch=sheet.sketch.with_tiles(self.id, changed))


class Rub(OnMany):
    """Rubs out along a path, on the topmost pass that is seen or on the picture that was taken in, which stays below as it was.

    on: "pass" for the topmost pass that is seen, "base", or "all" of the rough. path: px. reach: px to both sides of it.
    """

    do: Literal["rub"]
    on: Literal["pass", "base", "all"] = "all"
    path: Annotated[list[Spot], Field(min_length=1, max_length=MOST_POINTS), short_enough]
    reach: float = Field(gt=0, le=400)

    def label(self) -> str:
        return f"rub out in {many(len(self.of), 'drawing')}"

    def nothing(self) -> str:
        return "Nothing lies there that could be rubbed out"

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        share = core.lined(context.size, self.path, self.reach)
        after = _rubbed(sheet.sketch, context, share, self.on)
        return replace(sheet, sketch=after), int(after is not sheet.sketch)


def _rubbed(sketch: Sketch, context: Context, share: NDArray[np.float32], on: str) -> Sketch:
    """A sketch with a share of its pixels gone; the same one if there was nothing."""
    seen = [p for p in sketch.passes if p.state != "hidden"]
    chosen = seen[-1:] if on == "pass" else seen if on == "all" else []
    for one in chosen:
        changed = core.rubbed(context.pixels(one.tiles, sketch), context.size, share)
        if changed:
            sketch = sketch.with_tiles(one.id, changed)
    if on in ("base", "all") and sketch.base != "hidden":
        changed = core.rubbed_within(context.pixels(sketch.rubbed, sketch), context.size, share)
        sketch = sketch.with_rubbed(changed)
    return sketch


class Lift(OnMany):
    """A piece that was cut out with the lasso, laid down on the topmost pass that is seen of some drawings.

    piece: its pixels. corners: where its corners come to lie, px: upper left, upper right, lower right, lower left. source: the
    drawing it is cut out of, so that it is gone there inside `ring`; None for a copy.
    """

    do: Literal["lift"]
    piece: Png
    corners: Annotated[list[Spot], Field(min_length=4, max_length=4)]
    source: Id | None = None
    ring: Annotated[list[Spot], Field(max_length=MOST_POINTS), short_enough] = Field(default_factory=list)
    fresh: PassId
    _pixels: NDArray[np.uint8] | None = PrivateAttr(default=None)

    def label(self) -> str:
        return "move a piece" if self.source else f"copy a piece to {many(len(self.of), 'drawing')}"

    def nothing(self) -> str:
        return "The piece is empty; draw the lasso round something"

    def drawings(self) -> set[int]:
        return {*self.of, *([self.source] if self.source else [])}

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        if self._pixels is None:
            self._pixels = rgba("the piece", _bytes(self.piece))
        sketch = sheet.sketch
        if drawing_id == self.source and len(self.ring) > 2:
            sketch = _rubbed(sketch, context, core.within(context.size, self.ring), "all")
        if drawing_id in self.of:
            seen = [p for p in sketch.passes if p.state != "hidden"]
            if not seen:
                if len(sketch.passes) >= MOST_PASSES:
                    raise Refusal(f"A drawing has at most {MOST_PASSES} passes; merge some of them")
                seen = [Pass(self.fresh, "pieces")]
                sketch = replace(sketch, passes=(*sketch.passes, seen[0]))
            try:
                changed = core.pasted(
                    context.pixels(seen[-1].tiles, sketch), context.size, self._pixels, self.corners
                )
            except ValueError as error:
                raise Refusal(f"The piece cannot lie there: {error}") from error
            sketch = sketch.with_tiles(seen[-1].id, changed)
        return replace(sheet, sketch=sketch), int(sketch is not sheet.sketch)


AnySketch = AddPass | SetPass | HandToLine | MergePass | DropPass | Draw
AnySketches = Rub | Lift
