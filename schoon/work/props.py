"""Rigid props in drawings: placed, seen as lines and paint, and moved with what a hand did to them."""

from __future__ import annotations

import hashlib
import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..core.between.spacing import eased
from ..core.paper import densities, strongest
from ..core.patches import most_of
from ..core.prop import (
    Imported,
    Kept,
    Placed,
    Run,
    Sight,
    Solid,
    assembled,
    build,
    carried,
    kept,
    runs,
    snapped,
    strokes_of,
    without,
)
from ..core.prop import between as placed_between
from ..core.run import brought_back, hidden_by, hidden_within, silhouette
from ..core.strokes import LineRule, Points, Stroke, new_id, ruled, sample
from ..errors import NotFound, Refusal
from ..formats import solids
from ..formats.guarded import guarded
from ..formats.pictures import decode
from ..store import Cursor, DrawingRow, ShotRow, Store, pictures, productions, props, revisions
from ..store.props import Made, PropRow
from .derived import Memory, patches_in
from .documents import Sheet, Spot, line_document, paint_document, placed_of, props_document, sheet_of
from .edits import follow, line_rule, load_all, refuse_locked
from .placing import paper_of
from .roughs import rough_body, rough_name
from .run import TRIES, Call

_COVERED = 0.6
"""A patch that lies on one form of a prop by so much has that form's pot."""

_MOST = 5.0
"""How large a prop may be, and how far off its drawing, in sides of that."""

_MOST_LINES = 3000
"""Lines of a prop; more are no drawing."""

_OWN = 0.7
_ALONG, _ALONG_SHARE = 6.0, 0.03
"""A proposal of no part of which so much lies within so many px, or so much of its size, of a prop's lines is a line of it."""


@dataclass(frozen=True)
class Body:
    """A prop as workers take it. id: its number. file: of one that comes from a file."""

    id: int
    part: str
    made: Made
    file: bytes | None = None


_solids: Memory[Solid] = Memory(64 * 2**20, lambda solid: 400 * len(solid.faces))


def digest(made: Made) -> str:
    """What names how a prop is made."""
    return hashlib.sha256(made.model_dump_json().encode()).hexdigest()[:16]


def solid_of(body: Body) -> Solid:
    """The solid of a prop, put together once. Raises Refusal saying what it lacks."""

    def make() -> Solid:
        made = body.made
        try:
            if isinstance(made, Imported):
                assert body.file is not None
                pieces = guarded(made.called, solids.read, made.called, body.file)
                return assembled(made, [(points, faces) for _, points, faces in pieces])
            return build(made)
        except ValueError as error:
            raise Refusal(f"The prop {body.part} has no body: {error}. Draw its forms first") from error

    solid = _solids.get(digest(body.made), make)
    if len(solid.ridges) > _MOST_LINES:
        raise Refusal(
            f"The prop {body.part} has {len(solid.ridges)} lines, the limit is {_MOST_LINES}; say under its forms that edges"
            " are lines from a larger angle on, or bring it with fewer faces"
        )
    return solid


def body_of(cursor: Cursor, row: PropRow) -> Body:
    """A prop with its file. Raises NotFound."""
    made = row["made"]
    file = bytes(pictures.get(cursor, made.file)["body"]) if isinstance(made, Imported) else None
    return Body(row["id"], row["part"], made, file)


@dataclass(frozen=True)
class Order:
    """What is to be done in a drawing. placed: None takes the prop away. rough: of the drawing, as (name, picture), to bring
    the prop onto it first. moves: it keeps its size and side then. rule: of the model."""

    body: Body
    placed: Placed | None
    rule: LineRule
    rough: tuple[str, bytes] | None = None
    moves: bool = False


def laid(sheet: Sheet, order: Order) -> Sheet:
    """A drawing with a prop placed, placed otherwise or taken away: its lines, what it hides and what hides it, and its
    paint. What a hand did to its lines goes along. Raises Refusal."""
    body, part = order.body, order.body.part
    solid = solid_of(body)
    before = sheet.props.get(body.id)
    # Its lines may have been another part when it was laid.
    mine = {part, before.part or part if before else part}
    own = [s for s in sheet.strokes if s.part in mine]
    others = [s for s in sheet.strokes if s.part not in mine]
    under = [s for hidden in sheet.behind.values() for s in hidden if s.part in mine]
    behind = {front: [s for s in hidden if s.part not in mine] for front, hidden in sheet.behind.items()}
    # What the prop hid comes back before it hides anew.
    for name in mine:
        others = brought_back(others, behind.pop(name, []))
    same = before is not None and before.made == digest(body.made)
    old = None
    was: list[Run] = []
    if before is not None:
        old = Sight.of(solid, before)
        was = runs(old)
    placed = order.placed
    if placed is None:
        spots = _without(sheet.spots, old, same)
        return replace(
            sheet, strokes=others, behind={k: v for k, v in behind.items() if v}, spots=spots,
            props={k: v for k, v in sheet.props.items() if k != body.id},
        )  # fmt: skip
    if order.rough is not None:
        name, picture = order.rough
        density = strongest(densities(decode(name, picture)))
        forms = [silhouette([s for s in others if s.part == front], sheet.size) for front in placed.behind]

        def covered(at: Points) -> NDArray[np.bool_]:
            return np.logical_or.reduce([np.zeros(len(at), bool), *(form(at) for form in forms)])

        placed = snapped(solid, placed, density, order.moves, covered)
    sight = Sight.of(solid, placed)
    lines = runs(sight)
    hand: list[Stroke] = []
    if before is not None:
        # Of a prop that is made otherwise by now only what was added by hand is told from its own lines.
        had = kept(own, under, was, before) if same else Kept([s for s in own if not s.track], {})
        hand = [replace(s, part=part) for s in carried(had.hand, was, before, placed)]
        lines = without(lines, had.gone, placed)
    else:
        others = _not_its(others, lines, placed)
    names = {s.id for s in (*hand, *others)}
    new = [
        replace(s, id=new_id()) if s.id in names else s
        for s in ruled(strokes_of(lines, order.rule.outline, part, str(body.id)), sheet.size, order.rule)
    ]
    new = [*hand, *new]
    for front in placed.behind:
        if form := [s for s in others if s.part == front]:
            new, hidden = hidden_by(new, form, sheet.size)
            behind[front] = [*behind.get(front, []), *hidden]
    fronts = set(placed.behind)
    over, rest = [s for s in others if s.part in fronts], [s for s in others if s.part not in fronts]
    rest, hidden = hidden_within(rest, sight.inside, sheet.size)
    behind[part] = hidden
    after = replace(
        sheet, strokes=[*rest, *new, *over], behind={k: v for k, v in behind.items() if v},
        props={**sheet.props, body.id: replace(placed, made=digest(body.made), part=part)},
    )  # fmt: skip
    return replace(after, spots=_painted(after, _without(sheet.spots, old, same), sight))


def _not_its(strokes: Sequence[Stroke], lines: Sequence[Run], placed: Placed) -> list[Stroke]:
    """Strokes without proposals of no part that run along the prop's lines: they were read from its rough before it was placed."""
    shown = [run.flat for run in lines if run.seen]
    if not shown:
        return list(strokes)
    tree, reach = cKDTree(np.vstack(shown)), max(_ALONG, _ALONG_SHARE * placed.size)
    return [
        s for s in strokes if s.by == "hand" or s.part or (tree.query(sample(s)[0])[0] < reach).mean() < _OWN
    ]


def _without(spots: Sequence[Spot], old: Sight | None, same: bool) -> list[Spot]:
    """Paint without that of the prop where it stood. same: it is made as it was then; else whatever lies there goes."""
    if old is None or not spots:
        return list(spots)
    pots = np.array([0, *(form.pot for form in old.solid.forms)])
    form = old.form_at(np.array([s.at for s in spots], float))
    return [s for s, k in zip(spots, form.tolist(), strict=True) if not k or (same and s.pot != pots[k])]


def _painted(sheet: Sheet, spots: Sequence[Spot], sight: Sight) -> list[Spot]:
    """Paint with that of the prop's forms in the patches that lie on them."""
    pots = np.array([0, *(form.pot for form in sight.solid.forms)])
    if not pots.any():
        return list(spots)
    patches = patches_in(sheet)
    found, share = most_of(patches, pots[sight.picture(sheet.size)])
    covered = {
        patch: int(pot)
        for patch, (pot, part) in enumerate(zip(found, share, strict=True))
        if patch and patch != patches.background and pot and part >= _COVERED
    }
    rest = [s for s in spots if patches.at(*s.at) not in covered]
    return rest + [
        Spot((float(patches.anchors[k][0]), float(patches.anchors[k][1])), pot) for k, pot in covered.items()
    ]


def drawn(parts: Mapping[str, Any], size: tuple[int, int], order: Order) -> dict[str, Any]:
    """part -> document of a drawing after `laid`, for a worker. parts: its documents now, by part."""
    sheet = sheet_of(size, *(parts.get(part) for part in revisions.PARTS))
    after = laid(sheet, order)
    made: dict[str, Any] = {
        "line": line_document(after.strokes, after.own, after.behind),
        "props": props_document(after.props),
    }
    if after.spots != sheet.spots:
        made["paint"] = paint_document(after.spots)
    return made


def documents_of(cursor: Cursor, row: DrawingRow) -> dict[str, Any]:
    """part -> the document of a drawing, of those there are."""
    found = revisions.get_documents(cursor, [row[part] for part in revisions.PARTS])
    return {part: found[row[part]] for part in revisions.PARTS if row[part]}


def prop_for(cursor: Cursor, prop_id: int, shot: ShotRow) -> PropRow:
    """A prop that can be used in a shot. Raises NotFound."""
    row = props.get(cursor, prop_id)
    if row["production_id"] != shot["production_id"]:
        raise NotFound("This prop belongs to another production")
    return row


def order_for(
    cursor: Cursor,
    prop: PropRow,
    row: DrawingRow,
    shot: ShotRow,
    placed: Placed | None,
    snap: bool,
    moves: bool = False,
) -> Order:
    """What a worker is given to place a prop in a drawing. Raises Refusal if there is no rough to bring it onto."""
    rough = None
    if snap and placed is not None:
        if not rough_name(row):
            raise Refusal(f"Drawing {row['number']} has no rough; place the prop by hand there")
        rough = (f"drawing {row['number']}", rough_body(cursor, row, paper_of(shot)))
    return Order(body_of(cursor, prop), placed, line_rule(cursor, shot), rough, moves)


DERIVES_FROM: tuple[revisions.Part, ...] = ("line", "seal", "paint", "props")
"""Documents of a drawing that say how a prop is laid in it."""


def refuse_beyond(placed: Placed, size: tuple[int, int]) -> None:
    """Raises Refusal for a prop that is far larger than the drawing, or far off."""
    most = _MOST * max(size)
    if placed.size > most or max(abs(v) for v in placed.at) > most:
        raise Refusal(
            f"The prop would be {placed.size:.0f} px large or lie far off the drawing; the limit is {most:.0f} px"
        )


def place(
    store: Store, level_id: int, prop_id: int, drawing_id: int, placed: Placed | None, snap: bool, call: Call
) -> Placed | None:
    """Places a prop in a drawing, or takes it away; where it stands then. Raises NotFound, Refusal."""
    for _ in range(TRIES):
        with store.transaction() as cursor:
            row = revisions.drawing(cursor, drawing_id)
            shot = productions.shot_of_level(cursor, level_id)
            refuse_locked(shot)
            if row["level_id"] != level_id:
                raise NotFound("This drawing is not in the run any more")
            prop = prop_for(cursor, prop_id, shot)
            order = order_for(cursor, prop, row, shot, placed, snap)
            documents = documents_of(cursor, row)
        if placed is not None:
            refuse_beyond(placed, paper_of(shot))
        made = call(drawn, documents, paper_of(shot), order)
        with store.transaction() as cursor:
            [(now, _)] = load_all(cursor, level_id, [drawing_id])
            if any(now[part] != row[part] for part in DERIVES_FROM):
                continue
            words = "take away" if placed is None else "place"
            action = revisions.begin_action(cursor, f"{words} {prop['name']} in drawing {row['number']}")
            keep(cursor, action, now, made)
        return placed_of(made["props"]).get(prop_id)
    raise Refusal("The drawing is being changed in another window; try again when it rests")


def keep(cursor: Cursor, action: int, row: DrawingRow, made: Mapping[str, Any]) -> None:
    """A new revision of a held drawing with the documents that `drawn` made, under an action."""
    named = {part: revisions.put_document(cursor, content) for part, content in made.items()}
    revisions.revise(cursor, revisions.of(row), action, **named)
    follow(cursor, action, [row])


Chart = str
"""How drawings lie on the way from key to key: "time", as they stand on the sheet, or a chart of `core.between.spacing`."""


def way_through(
    cursor: Cursor, shot: ShotRow, rows: Sequence[DrawingRow], prop_id: int, chart: Chart
) -> dict[int, Placed]:
    """Drawing -> placement of a prop, for all drawings of a level between those where it is placed by hand.

    Raises Refusal if there are fewer than two of these, or nothing lies between them.
    """
    placed = {d: found[prop_id] for d, found in placements(cursor, rows).items() if prop_id in found}
    order = [int(row["id"]) for row in rows]
    keys = [d for d in order if d in placed and placed[d].key]
    if len(keys) < 2:
        raise Refusal("Place the prop in two drawings at least; those between them are computed")
    inner = [d for d in order[order.index(keys[0]) : order.index(keys[-1]) + 1] if d not in keys]
    if not inner:
        raise Refusal("There is no drawing between those in which the prop is placed")
    first_frames: dict[int, float] = {}
    if chart == "time":
        for frame, drawing in sorted(
            productions.time_of(cursor, shot["id"]).levels[shot["level_id"]].items()
        ):
            if isinstance(drawing, int):
                first_frames.setdefault(drawing, float(frame))
    at = _moments(order, keys, first_frames, chart)
    found = placed_between([placed[d] for d in keys], [at[d] for d in keys], [at[d] for d in inner])
    return dict(zip(inner, found, strict=True))


def _moments(
    order: Sequence[int], keys: Sequence[int], frames: Mapping[int, float], chart: Chart
) -> dict[int, float]:
    """Drawing -> where it is on the way. Raises Refusal for an unknown chart."""
    stand = [frames.get(d) for d in order[order.index(keys[0]) : order.index(keys[-1]) + 1]]
    known = [v for v in stand if v is not None]
    if chart == "time" and len(known) == len(stand) and known == sorted(set(known)):
        return dict(frames)
    at = {d: float(k) for k, d in enumerate(order)}
    for a, b in itertools.pairwise(keys):
        low, high = at[a], at[b]
        for d in order[order.index(a) + 1 : order.index(b)]:
            try:
                share = eased("even" if chart == "time" else chart, (at[d] - low) / (high - low))
            except ValueError as error:
                raise Refusal(str(error)[:1].upper() + str(error)[1:]) from error
            at[d] = low + share * (high - low)
    return at


def placements(cursor: Cursor, rows: Sequence[DrawingRow]) -> dict[int, dict[int, Placed]]:
    """Drawing -> prop -> how it is placed there."""
    found = revisions.get_documents(cursor, [row["props"] for row in rows])
    return {int(row["id"]): placed_of(found.get(row["props"])) for row in rows if row["props"]}
