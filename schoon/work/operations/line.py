"""What a hand does to the line of a drawing. Each operation takes the strokes as they are now and returns new ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ...core.cleanup import tidy
from ...core.run import brought_back, hidden_by
from ...core.sketch import lined
from ...core.strokes import Stroke, edit, ruled
from ...core.strokes.model import new_id
from ...errors import NotFound, Refusal
from ...values import Near, Number, Spot, SpotPressed, short_enough
from ..derived import own_rubbed
from ..documents import Sheet
from ..pen import MOST_POINTS, stroke_from_pen
from .base import Context, DrawingOperation, OnMany, PartName, many

Ids = Annotated[list[str], Field(min_length=1, max_length=5000)]
PenPath = Annotated[list[SpotPressed], Field(min_length=1, max_length=MOST_POINTS), short_enough]
_SAME = 0.006
"""Px within which a stored point is where it was: numbers are kept to 1/100 px."""

NewId = Annotated[str, Field(pattern=r"^[0-9a-z]{6,20}$")]


class LineOperation(DrawingOperation):
    """A change of the line."""

    def apply(self, sheet: Sheet, context: Context) -> Sheet:
        after = self.strokes(sheet.strokes, context)
        return sheet if after is sheet.strokes else replace(sheet, strokes=after)

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        """The strokes after it. Raises NotFound if its strokes are gone, Refusal if it cannot be done."""
        raise NotImplementedError


def _chosen(strokes: Sequence[Stroke], ids: Sequence[str]) -> list[Stroke]:
    wanted = set(ids)
    found = [s for s in strokes if s.id in wanted]
    if not found:
        raise NotFound("These strokes are not in the drawing any more; it was changed in another window")
    return found


def _by_hand(stroke: Stroke) -> Stroke:
    """A stroke a hand has touched: certain, and never replaced by a proposal."""
    return replace(stroke, by="hand", confidence=1.0)


def _replaced(strokes: Sequence[Stroke], changed: dict[str, list[Stroke]]) -> list[Stroke]:
    result: list[Stroke] = []
    for stroke in strokes:
        result += changed.get(stroke.id, [stroke])
    return result


class _OnChosen(LineOperation):
    ids: Ids

    def one(self, stroke: Stroke) -> Stroke:
        raise NotImplementedError

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        return _replaced(strokes, {s.id: [_by_hand(self.one(s))] for s in _chosen(strokes, self.ids)})


def _many(ids: Sequence[str]) -> str:
    return many(len(ids), "stroke")


class PenOperation(LineOperation):
    """What is drawn with a pen path of (x, y, pressure).

    settle: how strongly it goes over to a rough line within `near` px, 0 to 1; `work.pen.settled` does it before the
    drawing is held.
    """

    path: PenPath
    steady: float = Field(default=2.0, ge=0, le=20)
    settle: float = Field(default=0.0, ge=0, le=1)
    near: float = Field(default=8.0, gt=0, le=60)


class Trace(PenOperation):
    """A new stroke from a pen path."""

    do: Literal["trace"]
    id: NewId
    width: float = Field(gt=0, le=100)
    snap: float = Field(default=0.0, ge=0, le=100)
    part: str = Field(default="", max_length=60)

    def label(self) -> str:
        return "trace a stroke"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        if any(s.id == self.id for s in strokes):
            return strokes
        drawn = stroke_from_pen(self.path, self.width, self.steady, context.size)
        drawn = replace(drawn, id=self.id, part=self.part, corner=context.rule.corner)
        return [*strokes, edit.snapped(drawn, strokes, self.snap)]


class Redraw(PenOperation):
    """The stretch of a stroke that a pen path runs along, drawn anew as the path."""

    do: Literal["redraw"]
    reach: float = Field(default=16.0, gt=0, le=400)
    locked: list[str] = Field(default_factory=list)

    def label(self) -> str:
        return "redraw a stretch"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        fresh = stroke_from_pen(self.path, 4.0, self.steady, context.size)
        ends = fresh.controls[[0, -1]]
        best, nearest = None, self.reach
        for stroke in strokes:
            if stroke.part in self.locked:
                continue
            distances = [edit.nearest(stroke, end)[1] for end in ends]
            # One end may run beyond the end of the stroke: then the nearer one tells which stroke is meant.
            reach = min(distances) if min(distances) < 0.4 * self.reach else max(distances)
            if reach < nearest:
                best, nearest = stroke, reach
        if best is None:
            raise Refusal("No line runs where this one begins and ends; start on the line that should change")
        place = edit.nearest(best, fresh.controls[0])[0]
        width = float(np.interp(place, np.arange(len(best.widths)), best.widths))
        pressed = replace(fresh, widths=fresh.widths * width / 4.0)
        return _replaced(strokes, {best.id: [edit.redrawn(best, pressed)]})


class Move(_OnChosen):
    """Chosen strokes moved, turned, scaled or mirrored: a (2, 3) matrix row by row."""

    do: Literal["place"]
    matrix: tuple[Number, Number, Number, Number, Number, Number]
    what: Literal["move", "turn", "scale", "mirror"] = "move"

    def label(self) -> str:
        return f"{self.what} {_many(self.ids)}"

    def one(self, stroke: Stroke) -> Stroke:
        matrix = np.array(self.matrix).reshape(2, 3)
        if abs(np.linalg.det(matrix[:, :2])) < 1e-6:
            raise Refusal("This would press the strokes flat; scale them less")
        return edit.transformed(stroke, matrix)


class Bend(_OnChosen):
    """Chosen strokes drawn along softly."""

    do: Literal["bend"]
    at: Spot
    by: Spot
    reach: float = Field(gt=0.5, le=4000)

    def label(self) -> str:
        return f"bend {_many(self.ids)}"

    def one(self, stroke: Stroke) -> Stroke:
        return edit.bent(stroke, self.at, self.by, self.reach)


class Points(LineOperation):
    """New control points for one stroke."""

    do: Literal["points"]
    id: str
    points: Annotated[list[Spot], Field(min_length=4, max_length=30_000), short_enough]

    def label(self) -> str:
        return "edit points"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        (stroke,) = _chosen(strokes, [self.id])
        controls = np.array(self.points)
        if controls.shape != stroke.controls.shape:
            raise Refusal("The stroke has other points by now; choose it again")
        if context.base is not None:
            controls = self._with_others(stroke, controls, context.base())
        return _replaced(strokes, {stroke.id: [_by_hand(replace(stroke, controls=controls))]})

    def _with_others(
        self, now: Stroke, mine: NDArray[np.float64], base: Sequence[Stroke]
    ) -> NDArray[np.float64]:
        """My points and those that another window has moved since. Raises Refusal where both moved the same."""
        before = next((s for s in base if s.id == self.id), None)
        if before is None or before.controls.shape != now.controls.shape:
            raise Refusal("The stroke was changed in another window; look at it and move its points again")
        by_me = (np.abs(mine - before.controls) > _SAME).any(axis=1)
        by_others = (np.abs(now.controls - before.controls) > _SAME).any(axis=1)
        unlike = (np.abs(mine - now.controls) > _SAME).any(axis=1)
        if np.any(by_me & by_others & unlike):
            raise Refusal(
                "Another window has moved the same points of this stroke; look at it and move them again"
            )
        return np.where(np.atleast_1d(by_me)[:, None], mine, now.controls)


class Knot(LineOperation):
    """A point added at a place, or the nearest one taken away."""

    do: Literal["knot"]
    id: str
    at: Spot
    remove: bool = False

    def label(self) -> str:
        return "take a point away" if self.remove else "add a point"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        (stroke,) = _chosen(strokes, [self.id])
        if not self.remove:
            place, _ = edit.nearest(stroke, self.at)
            return _replaced(strokes, {stroke.id: [_by_hand(edit.divided(stroke, [place]))]})
        knots = stroke.controls[::3]
        k = int(np.hypot(*(knots - np.array(self.at)).T).argmin())
        if not 0 < k < len(knots) - 1:
            raise Refusal("The end points of a stroke stay; trim or cut it to shorten it")
        controls = np.delete(stroke.controls, [3 * k - 1, 3 * k, 3 * k + 1], axis=0)
        return _replaced(
            strokes,
            {stroke.id: [_by_hand(replace(stroke, controls=controls, widths=np.delete(stroke.widths, k)))]},
        )


class Join(LineOperation):
    """Chosen strokes made one, each at its nearest end."""

    do: Literal["join"]
    ids: Annotated[list[str], Field(min_length=1, max_length=200)]

    def label(self) -> str:
        return f"join {_many(self.ids)}"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        found = _chosen(strokes, self.ids)
        if len(found) == 1:
            if found[0].closed:
                raise Refusal("This stroke is closed already; choose two strokes to join")
            whole = _shut(found[0])
        else:
            if any(s.closed for s in found):
                raise Refusal("A closed stroke has no end to join at; cut it first")
            rest = found[1:]
            whole = found[0]
            while rest:
                # The next one is the one whose end lies nearest.
                other = min(rest, key=lambda s: _end_gap(whole, s))
                whole = edit.joined(whole, other)
                rest = [s for s in rest if s is not other]
        gone: dict[str, list[Stroke]] = {s.id: [] for s in found[1:]}
        return _replaced(strokes, {**gone, found[0].id: [_by_hand(replace(whole, id=found[0].id))]})


def _end_gap(a: Stroke, b: Stroke) -> float:
    return min(float(np.hypot(*(a.controls[i] - b.controls[j]))) for i in (0, -1) for j in (0, -1))


def _shut(stroke: Stroke) -> Stroke:
    """An open stroke closed by the shortest smooth way."""
    gap = float(np.hypot(*(stroke.controls[0] - stroke.controls[-1])))
    if gap < 3 * float(stroke.widths.mean()):
        return edit.snapped(stroke, [], gap + 1e-3)
    out = stroke.controls[-1] - stroke.controls[-2]
    into = stroke.controls[1] - stroke.controls[0]
    out, into = out / max(np.hypot(*out), 1e-9), into / max(np.hypot(*into), 1e-9)
    bridge = np.array(
        [stroke.controls[-1] + out * gap / 3, stroke.controls[0] - into * gap / 3, stroke.controls[0]]
    )
    return replace(
        stroke,
        controls=np.vstack([stroke.controls, bridge]),
        widths=np.concatenate([stroke.widths, stroke.widths[:1]]),
        opened=False,
    )


class Cut(LineOperation):
    """One stroke cut in two where the pen is."""

    do: Literal["cut"]
    id: str
    at: Spot

    def label(self) -> str:
        return "cut a stroke"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        (stroke,) = _chosen(strokes, [self.id])
        place, _ = edit.nearest(stroke, self.at)
        try:
            pieces = edit.split(stroke, place)
        except ValueError as error:
            raise Refusal("The stroke cannot be cut at its very end; cut it farther in") from error
        return _replaced(strokes, {stroke.id: _pieces(stroke, pieces)})


class Trim(LineOperation):
    """The stretch of a stroke between its nearest crossings taken away: what another form hides."""

    do: Literal["trim"]
    id: str
    at: Spot

    def label(self) -> str:
        return "trim a stroke"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        (stroke,) = _chosen(strokes, [self.id])
        place, _ = edit.nearest(stroke, self.at)
        try:
            pieces = edit.trimmed(stroke, [s for s in strokes if s.id != stroke.id], place)
        except ValueError as error:
            raise Refusal(str(error)[:1].upper() + str(error)[1:]) from error
        return _replaced(strokes, {stroke.id: _pieces(stroke, pieces)})


def _pieces(stroke: Stroke, pieces: Sequence[Stroke]) -> list[Stroke]:
    """The longest piece is still the stroke it was; the others are new ones."""
    if not pieces:
        return []
    longest = max(range(len(pieces)), key=lambda k: np.hypot(*np.diff(pieces[k].controls, axis=0).T).sum())
    return [
        _by_hand(
            replace(p, id=stroke.id, track=stroke.track, link=None)
            if k == longest
            else replace(p, id=new_id(), track="", link=None)
        )
        for k, p in enumerate(pieces)
    ]


class Smooth(_OnChosen):
    """Chosen strokes with their unsteadiness taken out."""

    do: Literal["smooth"]
    amount: float = Field(default=4.0, gt=0, le=60)

    def label(self) -> str:
        return f"smooth {_many(self.ids)}"

    def one(self, stroke: Stroke) -> Stroke:
        return edit.smoothed(stroke, self.amount)


class Weigh(_OnChosen):
    """Chosen strokes made heavier or lighter, or only the stretch between two places of one stroke."""

    do: Literal["weigh"]
    factor: float = Field(ge=0.1, le=10)
    first: Spot | None = None
    last: Spot | None = None

    def label(self) -> str:
        return f"make {_many(self.ids)} {'heavier' if self.factor > 1 else 'lighter'}"

    def one(self, stroke: Stroke) -> Stroke:
        if self.first is None or self.last is None:
            return edit.weighted(stroke, self.factor)
        a, b = edit.nearest(stroke, self.first)[0], edit.nearest(stroke, self.last)[0]
        if abs(a - b) < 1e-3:
            raise Refusal("This stretch is too short to weigh; drag along the line")
        return edit.weighted(stroke, self.factor, a, b)


class Taper(_OnChosen):
    """Chosen strokes running out thin at their ends, over `reach` px; 0 makes the ends as wide as the rest."""

    do: Literal["taper"]
    reach: float = Field(ge=0, le=2000)

    def label(self) -> str:
        return f"taper {_many(self.ids)}"

    def one(self, stroke: Stroke) -> Stroke:
        full = float(np.percentile(stroke.widths, 80))
        even = replace(stroke, widths=np.maximum(stroke.widths, full))
        return edit.tapered(even, self.reach, self.reach)


class Fill(_OnChosen):
    """Chosen closed strokes made blacks, or lines again."""

    do: Literal["fill"]
    filled: bool

    def label(self) -> str:
        return f"fill {_many(self.ids)} with ink" if self.filled else f"empty {_many(self.ids)}"

    def one(self, stroke: Stroke) -> Stroke:
        if self.filled and not stroke.closed:
            raise Refusal("An open line has no inside; join its ends first")
        return replace(stroke, filled=self.filled)


class Tidy(LineOperation):
    """Lines read anew within a lasso in the place of those there. strokes: as documents keep them."""

    do: Literal["tidy"]
    lasso: Annotated[list[Spot], Field(min_length=3, max_length=2000), short_enough]
    strokes_new: list[dict[str, Any]] = Field(max_length=2000, alias="strokes")

    def label(self) -> str:
        return "tidy a spot"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        try:
            fresh = [replace(Stroke.from_dict(s), id=new_id(), by="proposal") for s in self.strokes_new]
        except (KeyError, TypeError, ValueError) as error:
            raise Refusal("These lines could not be read; draw the lasso again") from error
        after = tidy.tidied(strokes, np.array(self.lasso), fresh)
        before = {s.id: s for s in strokes}
        weighed = ruled(after, context.size, context.rule)
        return [s if before.get(s.id) is s else w for s, w in zip(after, weighed, strict=True)]


class LayPart(LineOperation):
    """Lines of a page of the model sheet laid on four corners. strokes: as documents keep them, px of the page. box: left, top,
    right and bottom of them. quad: where its corners go, from the top left one round."""

    do: Literal["lay-part"]
    strokes_new: list[dict[str, Any]] = Field(min_length=1, max_length=2000, alias="strokes")
    box: tuple[Near, Near, Near, Near]
    quad: tuple[Spot, Spot, Spot, Spot]
    part: str = Field(default="", max_length=60)

    def label(self) -> str:
        return f"lay {self.part or 'lines'} off the model sheet"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        left, top, right, bottom = self.box
        if right - left < 1 or bottom - top < 1:
            raise Refusal("The box holds nothing; draw it again")
        name = " ".join(self.part.split())
        try:
            fresh = [Stroke.from_dict(s) for s in self.strokes_new]
            laid = [
                _by_hand(
                    replace(
                        s, controls=edit.on_corners(s.controls, self.box, np.array(self.quad, float)),
                        id=new_id(), track="", link=None, part=name,
                    )
                )
                for s in fresh
            ]  # fmt: skip
        except (KeyError, TypeError, ValueError) as error:
            raise Refusal("These lines could not be laid there; move the corners apart") from error
        return [*strokes, *ruled(laid, context.size, context.rule)]


class Assign(_OnChosen):
    """Chosen strokes made lines of a part of the model."""

    do: Literal["part"]
    part: str = Field(max_length=60)

    def label(self) -> str:
        return f"make {_many(self.ids)} {self.part or 'no part'}"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        name = " ".join(self.part.split())
        return _replaced(strokes, {s.id: [replace(s, part=name)] for s in _chosen(strokes, self.ids)})


class Vouch(_OnChosen):
    """Chosen strokes accepted as they are: no doubt is left."""

    do: Literal["vouch"]

    def label(self) -> str:
        return f"accept {_many(self.ids)}"

    def one(self, stroke: Stroke) -> Stroke:
        return stroke


class Unlink(_OnChosen):
    """Chosen strokes changed for themselves from now on."""

    do: Literal["unlink"]

    def label(self) -> str:
        return f"unlink {_many(self.ids)}"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        return _replaced(strokes, {s.id: [replace(s, link=None)] for s in _chosen(strokes, self.ids)})


class Copy(_OnChosen):
    """Copies of chosen strokes, mirrored or moved by a matrix."""

    do: Literal["copy"]
    matrix: tuple[Number, Number, Number, Number, Number, Number]

    def label(self) -> str:
        return f"copy {_many(self.ids)}"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        matrix = np.array(self.matrix).reshape(2, 3)
        copies = [
            _by_hand(replace(edit.transformed(s, matrix), id=new_id(), track="", link=None))
            for s in _chosen(strokes, self.ids)
        ]
        return [*strokes, *copies]


class Rule(LineOperation):
    """The model's line rule laid on all strokes, or on the chosen ones."""

    do: Literal["rule"]
    ids: list[str] = Field(default_factory=list, max_length=5000)

    def label(self) -> str:
        return "weigh by the line rule"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        weighed = ruled(strokes, context.size, context.rule)
        wanted = set(self.ids)
        return [
            new if not wanted or old.id in wanted else old for old, new in zip(strokes, weighed, strict=True)
        ]


class Delete(LineOperation):
    """Chosen strokes taken away."""

    do: Literal["delete"]
    ids: Ids

    def label(self) -> str:
        return f"delete {_many(self.ids)}"

    def strokes(self, strokes: list[Stroke], context: Context) -> list[Stroke]:
        return _replaced(strokes, {s.id: [] for s in _chosen(strokes, self.ids)})


class RubInk(OnMany):
    """Rubs out ink along a path on one or several drawings: lines, and ink that was kept as it was drawn.

    path: px. reach: px to both sides of it. locked: parts that stay as they are.
    """

    do: Literal["rub-ink"]
    path: Annotated[list[Spot], Field(min_length=1, max_length=MOST_POINTS), short_enough]
    reach: float = Field(gt=0, le=400)
    locked: Annotated[list[str], Field(max_length=200)] = Field(default_factory=list)

    def label(self) -> str:
        return f"rub out ink in {many(len(self.of), 'drawing')}"

    def nothing(self) -> str:
        return "No ink lies there that could be rubbed out"

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        path, closed = np.array(self.path, float), set(self.locked)
        left = {
            s.id: _pieces(s, found)
            for s in sheet.inked
            if s.part not in closed and (found := edit.rubbed(s, path, self.reach)) is not None
        }
        own = sheet.own
        # Ink as it was drawn belongs to no part.
        if own and "" not in closed:
            own = own_rubbed(own, lined(context.size, self.path, self.reach))
        if not left and own is sheet.own:
            return sheet, 0
        return replace(sheet, strokes=_replaced(sheet.strokes, left) if left else sheet.strokes, own=own), 1


class TrimBehind(OnMany):
    """Takes what a part hides out of sight in several drawings: lines behind it end at its outline, and the rest is kept.

    What the part hid before and does not any more comes back. part: the form in front. behind: parts that lie behind it,
    "" for lines without one.
    """

    do: Literal["trim-behind"]
    part: Annotated[str, Field(min_length=1, max_length=60)]
    behind: Annotated[list[Annotated[str, Field(max_length=60)]], Field(min_length=1, max_length=200)]

    def label(self) -> str:
        return f"hide what lies behind {self.part} in {many(len(self.of), 'drawing')}"

    def nothing(self) -> str:
        return f"Nothing of these parts lies behind {self.part} in these drawings"

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        front = [s for s in sheet.strokes if s.part == self.part]
        under = set(self.behind) - {self.part}
        if not front:
            return sheet, 0
        before = sheet.behind.get(self.part, [])
        kept, back = [s for s in before if s.part not in under], [s for s in before if s.part in under]
        shown = [s for s in sheet.strokes if s.part in under]
        seen, hidden = hidden_by(brought_back(shown, back), front, context.size)
        if len(hidden) == len(back) and {s.id for s in seen} == {s.id for s in shown}:
            return sheet, 0
        known = {s.id for s in shown}
        others = [s for s in sheet.strokes if s.part not in under]
        fresh = [s if s.id in known else _by_hand(s) for s in seen]
        behind = {k: v for k, v in {**sheet.behind, self.part: [*kept, *hidden]}.items() if v}
        return replace(sheet, strokes=[*others, *fresh], behind=behind), len(hidden) + len(back)


class SetFree(OnMany):
    """Parts of several drawings follow others no longer; they stay as they are. parts: their names."""

    do: Literal["set-free"]
    parts: Annotated[list[PartName], Field(min_length=1, max_length=200)]

    def label(self) -> str:
        return f"set {', '.join(self.parts[:3])}{' …' * (len(self.parts) > 3)} free in {many(len(self.of), 'drawing')}"

    def nothing(self) -> str:
        return f"{self.parts[0]} follows no other part in these drawings"

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        left = {part: use for part, use in sheet.again.items() if part not in self.parts}
        count = len(sheet.again) - len(left)
        return (replace(sheet, again=left), count) if count else (sheet, 0)


class BringBack(OnMany):
    """Makes parts whole again in several drawings: lines that were hidden behind others are seen."""

    do: Literal["whole"]
    parts: Annotated[list[Annotated[str, Field(max_length=60)]], Field(min_length=1, max_length=200)]

    def label(self) -> str:
        return f"make parts whole in {many(len(self.of), 'drawing')}"

    def nothing(self) -> str:
        return "Nothing of these parts is kept behind others in these drawings"

    def apply(self, drawing_id: int, sheet: Sheet, context: Context) -> tuple[Sheet, int]:
        meant = set(self.parts)
        back = [s for hidden in sheet.behind.values() for s in hidden if s.part in meant]
        if not back:
            return sheet, 0
        strokes = brought_back(sheet.strokes, back)
        rest = {k: left for k, v in sheet.behind.items() if (left := [s for s in v if s.part not in meant])}
        return replace(sheet, strokes=strokes, behind=rest), len(back)


AnyLine = (
    Trace | Redraw | Move | Bend | Points | Knot | Join | Cut | Trim | Smooth | Weigh | Taper | Fill | Tidy | LayPart | Assign | Vouch
    | Unlink | Copy | Rule | Delete
)  # fmt: skip
AnyLines = RubInk | TrimBehind | BringBack | SetFree
