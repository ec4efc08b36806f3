"""What a hand does to the tones of a drawing, or of several."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, Field

from ...core.patches import Patches
from ...core.strokes import smooth_hand
from ...core.tone import KINDS, Kind, Tone, ring_of, rings_along, side_of
from ...errors import NotFound, Refusal
from ...values import Id, Ring, Spot, SpotPressed, short_enough
from ..documents import NOTHING, Sheet, painting_of, parts_told
from ..pen import measured
from .base import Context, DrawingOperation, PartName, RunOperation, many

_BESIDE = 64.0
"""Px beside the paper up to which a drawn way is kept as it is."""

ShapeId = Annotated[str, Field(pattern="^[0-9a-f]{10}$")]

Within = Literal["patch", "pot", "part", "all"]
"""Where a shape is seen: in the patch it was begun in, on that patch's pot, on its part, or wherever there is paint."""

_MOST = 400
"""Shapes of one drawing."""


def put(sheet: Sheet, tone: Tone) -> Sheet:
    """A drawing with a shape, which takes the place of the one with its id. Raises Refusal if there are too many."""
    others = [t for t in sheet.tones if t.id != tone.id]
    if len(others) >= _MOST:
        raise Refusal(f"This drawing has {_MOST} tones already; take some away first")
    if len(others) == len(sheet.tones):
        return replace(sheet, tones=[*others, tone])
    return replace(sheet, tones=[tone if t.id == tone.id else t for t in sheet.tones])


def _place(within: Within, patch: int, sheet: Sheet, patches: Patches, context: Context) -> Tone:
    """A shape without form that is seen where it has to be."""
    bare = Tone("shade", ())
    anchor = tuple(float(v) for v in patches.anchors[patch])
    here: tuple[tuple[float, float], ...] = ((anchor[0], anchor[1]),)
    paint = painting_of(sheet.spots, patches).get(patch)
    if within == "all":
        return bare
    if within == "patch" or paint is None or paint.pot == NOTHING:
        return replace(bare, at=here)
    part = parts_told(sheet.spots, patches).get(patch) or context.parts.get(paint.pot, "")
    return replace(bare, parts=(part,)) if within == "part" and part else replace(bare, pots=(paint.pot,))


class _Drawn(DrawingOperation):
    """path: where the pen went. kind: of the tone. within: where it is seen. steady: px of the hand's tremor taken out."""

    id: ShapeId
    kind: Kind
    path: Annotated[list[Spot | SpotPressed], Field(min_length=2, max_length=20_000), short_enough]
    within: Within = "all"
    steady: float = Field(default=1.5, ge=0, le=60)

    def _points(self, size: tuple[int, int], beside: float = 0.0) -> np.ndarray:
        """(k, 2) points close together. Nobody sees what lies farther beside the paper than `beside` and a little. Raises
        Refusal if it is longer than any line of such a drawing."""
        points = smooth_hand(np.array([p[:2] for p in self.path], float), self.steady)
        beside += _BESIDE
        points = np.clip(points, -beside, np.array(size) + beside)
        measured(points, size)
        return points


class Block(_Drawn):
    """Blocks in a shape, or with `takes` takes it away from what of its kind is there. soft: px over which its edge fades.
    brush: px; with it the path is not the outline, but where a round brush of that size goes."""

    do: Literal["tone"]
    takes: bool = False
    soft: float = Field(default=0.0, ge=0, le=400)
    brush: float = Field(default=0.0, ge=0, le=1000)

    def _rings(self, size: tuple[int, int]) -> tuple[np.ndarray, ...]:
        if self.brush:
            return rings_along(self._points(size, self.brush), self.brush)
        return (ring_of(self._points(size)),)

    def label(self) -> str:
        if self.takes:
            return f"take away {self.kind}"
        return f"brush {self.kind}" if self.brush else f"block in {self.kind}"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        patches = context.found(sheet)
        start = self.path[0]
        patch = patches.at(start[0], start[1])
        if self.within != "all" and patch in (0, patches.background):
            raise Refusal("Begin inside the form the tone belongs to, or let it be seen everywhere")
        place = _place(self.within, patch, sheet, patches, context)
        try:
            rings = self._rings(context.size)
        except ValueError as error:
            raise Refusal("Draw round the shape") from error
        return put(
            sheet,
            replace(
                place, id=self.id, kind=self.kind, rings=rings, takes=self.takes, soft=self.soft, by="hand"
            ),
        )


class Edge(_Drawn):
    """Draws the edge of a tone across a form: everything on one side of it is tone. towards: direction of that side."""

    do: Literal["tone-edge"]
    towards: Spot
    takes: bool = False

    def label(self) -> str:
        return f"draw an edge of {self.kind}"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        patches = context.found(sheet)
        points = self._points(context.size)
        under = [patches.at(float(x), float(y)) for x, y in points]
        crossed = [p for p in under if p not in (0, patches.background)]
        if not crossed:
            raise Refusal("Draw the edge across the form it divides")
        patch = max(set(crossed), key=crossed.count)
        place = _place("patch" if self.within == "all" else self.within, patch, sheet, patches, context)
        box = _box(patches, _patches_of(place, sheet, patches, context))
        try:
            ring = side_of(points, box, np.array(self.towards, float))
        except ValueError as error:
            raise Refusal("Draw the edge from one side of the form to the other") from error
        return put(
            sheet, replace(place, id=self.id, kind=self.kind, rings=(ring,), takes=self.takes, by="hand")
        )


def _patches_of(place: Tone, sheet: Sheet, patches: Patches, context: Context) -> list[int]:
    if place.at:
        return [patches.at(*at) for at in place.at]
    told = parts_told(sheet.spots, patches)
    return [
        p
        for p, paint in painting_of(sheet.spots, patches).items()
        if paint.pot in place.pots or (told.get(p) or context.parts.get(paint.pot)) in place.parts
    ]


def _box(patches: Patches, among: Sequence[int]) -> tuple[float, float, float, float]:
    inside = np.isin(patches.labels, among)
    rows, columns = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
    return float(columns[0]), float(rows[0]), float(columns[-1] + 1), float(rows[-1] + 1)


class Bend(DrawingOperation):
    """Moves points of a shape: ring by ring its control points, x and y in turn."""

    do: Literal["tone-bend"]
    id: ShapeId
    rings: Annotated[
        list[Ring],
        Field(min_length=1, max_length=40),
    ]

    def label(self) -> str:
        return "bend a tone"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        old = next((t for t in sheet.tones if t.id == self.id), None)
        if old is None:
            raise NotFound("This tone is not there any more")
        rings = []
        for numbers in self.rings:
            if len(numbers) % 6 != 2:
                raise Refusal("A shape is made of whole curves")
            rings.append(np.array(numbers, float).reshape(-1, 2))
        return put(sheet, replace(old, rings=tuple(rings), by="hand", doubt=0.0))


class Drop(DrawingOperation):
    """Takes shapes away."""

    do: Literal["tone-drop"]
    ids: Annotated[list[ShapeId], Field(min_length=1, max_length=_MOST)]

    def label(self) -> str:
        return f"take away {many(len(self.ids), 'tone')}"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        kept = [t for t in sheet.tones if t.id not in self.ids]
        if len(kept) == len(sheet.tones):
            raise NotFound("This tone is not there any more")
        return replace(sheet, tones=kept)


class Stand(DrawingOperation):
    """Lets the tones of a drawing stand as if a hand had drawn them, or some of them. From then on nothing is proposed in the
    drawing, and it teaches."""

    do: Literal["tone-stand"]
    ids: Annotated[list[ShapeId], Field(max_length=_MOST)] = Field(default_factory=list)

    def label(self) -> str:
        return f"let {many(len(self.ids), 'tone')} stand" if self.ids else "let tones stand"

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        if not sheet.tones:
            raise Refusal("This drawing has no tones yet")
        meant = set(self.ids) or {t.id for t in sheet.tones}
        if not meant <= {t.id for t in sheet.tones}:
            raise NotFound("This tone is not there any more")
        stands = [replace(t, by="hand", doubt=0.0) if t.id in meant else t for t in sheet.tones]
        return replace(sheet, tones=stands)


class Shape(BaseModel):
    """A shape that is copied, as `core.tone.Tone` writes it."""

    kind: Kind
    rings: Annotated[
        list[Ring],
        Field(min_length=1, max_length=40),
    ]
    takes: bool = False
    soft: float = Field(default=0.0, ge=0, le=400)
    pots: Annotated[list[Id], Field(max_length=500)] = Field(default_factory=list)
    parts: Annotated[list[PartName], Field(max_length=200)] = Field(default_factory=list)
    at: Annotated[list[Spot], Field(max_length=2000)] = Field(default_factory=list)
    key: Annotated[int, Field(ge=0)] = 0
    without: Annotated[list[Id], Field(max_length=100)] = Field(default_factory=list)

    def tone(self) -> Tone:
        """With an id of its own."""
        if any(len(ring) % 6 != 2 for ring in self.rings):
            raise Refusal("A shape is made of whole curves")
        rings = tuple(np.array(ring, float).reshape(-1, 2) for ring in self.rings)
        pots, parts, at = tuple(self.pots), tuple(self.parts), tuple(self.at)
        return Tone(
            self.kind, rings, self.takes, pots=pots, parts=parts, at=at, soft=self.soft,
            key=self.key, without=tuple(self.without),
        )  # fmt: skip


class Copy(RunOperation):
    """Copies shapes into other drawings as they lie."""

    do: Literal["tone-copy"]
    to: Annotated[list[Id], Field(min_length=1, max_length=5000)]
    shapes: Annotated[list[Shape], Field(min_length=1, max_length=100)]

    def label(self) -> str:
        return f"copy {many(len(self.shapes), 'tone')}"

    def drawings(self) -> set[int]:
        return set(self.to)

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        for shape in self.shapes:
            sheet = put(sheet, shape.tone())
        return sheet, len(self.shapes)

    def nothing(self) -> str:
        return "Choose the drawings on the sheet that the tones are copied to"


class Clear(RunOperation):
    """Takes the tones of some kinds out of drawings; without `hand` only what was proposed."""

    do: Literal["tone-clear"]
    of: Annotated[list[Id], Field(min_length=1, max_length=5000)]
    kinds: Annotated[list[Kind], Field(min_length=1, max_length=len(KINDS))]
    hand: bool = False

    def label(self) -> str:
        return f"clear {' and '.join(self.kinds)}"

    def drawings(self) -> set[int]:
        return set(self.of)

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        kept = [t for t in sheet.tones if t.kind not in self.kinds or (t.by == "hand" and not self.hand)]
        gone = len(sheet.tones) - len(kept)
        return (replace(sheet, tones=kept), gone) if gone else (sheet, 0)

    def nothing(self) -> str:
        return "There are no such tones in these drawings"


AnyTone = Block | Edge | Bend | Drop | Stand
"""What is done to one drawing."""
