"""The Line stage beyond one stroke: trying settings, pencils, and strokes through the run."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import JSONResponse
from pydantic import Field

from ...core.cleanup import role_at
from ...core.strokes import ruled, strokes_from_dicts
from ...core.strokes.model import new_id
from ...errors import Refusal
from ...formats import svg
from ...jobs import views
from ...store import bends, models, pictures, productions, revisions
from ...text import named
from ...values import Near, Spot, short_enough
from ...work import again, edits, protect, run, whole
from ...work import between as betweens
from ...work.derived import key_of, to_json
from ...work.documents import Order, said_of
from ...work.operations.time import AddNotes, NewNote
from ...work.placing import paper_of
from ...work.readings import Reader, pencils_of_run, rough_of
from ...work.roughs import rough_name
from ...work.shapes import shape_of
from ..deps import DeskDep, FilesDep, StoreDep
from ..values import Body, Id, Number, Place
from .asks import Also, Between
from .jobs import Reading

router = APIRouter(prefix="/api")


@router.get("/drawings/{drawing_id}/pencils")
def pencils(drawing_id: int, store: StoreDep, files: FilesDep, desk: DeskDep) -> JSONResponse:
    """The coloured pencils in a rough: what one would call them, their hue in degrees and their share of the marks."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        body = rough_of(cursor, row)

    def make() -> bytes:
        return to_json(desk.call(views.pencils, f"drawing {row['number']}", body))

    body = files.get(key_of("pencils", rough_name(row)), ".json", make)
    found = json.loads(body)
    run = pencils_of_run(row["level_id"], files, store.transaction, desk.call)
    # What the run agrees on holds in each of its drawings.
    for pencil in found:
        pencil["role"] = role_at(pencil["hue"], run) or pencil["role"]
    return JSONResponse({"pencils": found})


@router.post("/drawings/{drawing_id}/marks")
def marks(drawing_id: int, reading: Reading, store: StoreDep, files: FilesDep, desk: DeskDep) -> JSONResponse:
    """What in a rough is taken for something else than line with these settings, by kind; and what was said of marks
    on it."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        said = said_of(revisions.get_documents(cursor, [row["said"]]).get(row["said"]))
    read = Reader(row["level_id"], reading.stored(), files, store.transaction, desk.call)
    shown = [{"kind": s.kind, "d": svg.polyline_path(s.path), "reach": s.reach} for s in said]
    return JSONResponse({"marks": views.marks(read(row)), "said": shown})


@router.get("/pictures/{name}/lines")
def sheet_lines(name: str, store: StoreDep, files: FilesDep, desk: DeskDep) -> JSONResponse:
    """The lines of a page of a model sheet, to be laid into drawings."""
    with store.transaction() as cursor:
        body = bytes(pictures.get(cursor, name)["body"])
    found = json.loads(
        files.get(key_of("sheet lines", name), ".json", lambda: to_json(desk.call(views.sheet_lines, body)))
    )
    return JSONResponse({"strokes": [{"stroke": s} for s in found["strokes"]], "size": found["size"]})


class Lasso(Body):
    """lasso: px of the drawing. reading: how its rough is read."""

    lasso: Annotated[list[Spot], Field(min_length=3, max_length=2000), short_enough]
    reading: Reading


@router.post("/drawings/{drawing_id}/tidy")
def tidy(drawing_id: int, want: Lasso, store: StoreDep, desk: DeskDep) -> JSONResponse:
    """Three readings of what lies in a lasso; nothing is changed. `do` tidy puts one in the place of what is there."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        body = rough_of(cursor, row)
        shot = productions.shot_of_level(cursor, row["level_id"])
        rule = edits.line_rule(cursor, shot)
    name = f"drawing {row['number']}"
    found = desk.call(views.tidy, name, body, want.reading.stored(), want.lasso)
    size = paper_of(shot)
    shown = {
        how: [
            {"stroke": stroke, "d": shape_of(seen)["d"]}
            for stroke, seen in zip(strokes, ruled(strokes_from_dicts(strokes), size, rule), strict=True)
        ]
        for how, strokes in found.items()
    }
    return JSONResponse({"readings": shown})


class Noting(Body):
    """drawings: whose notes are kept. reading: how their roughs are read."""

    drawings: list[Id] = Field(min_length=1, max_length=500)
    reading: Reading


@router.post("/levels/{level_id}/notes")
def notes(level_id: int, want: Noting, store: StoreDep, files: FilesDep, desk: DeskDep) -> JSONResponse:
    """Cuts what was written on roughs out and keeps it as notes of the shot, in one action; what is kept already is
    not kept twice."""
    read = Reader(level_id, want.reading.stored(), files, store.transaction, desk.call)
    cut: list[tuple[int, bytes, int, int]] = []
    for drawing_id in want.drawings:
        with store.transaction() as cursor:
            row = revisions.drawing(cursor, drawing_id)
            body = rough_of(cursor, row)
        found = read(row)
        if any(mark["kind"] == "note" for mark in found["marks"]):
            name = f"drawing {row['number']}"
            cut += [(drawing_id, *picture) for picture in desk.call(views.notes, name, body, found)]
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level_id)
        time = productions.time_of(cursor, shot["id"])
        known = {(note.drawing, note.picture) for note in time.notes.values()}
        fresh = []
        for drawing_id, body, width, height in cut:
            picture = pictures.put(cursor, body, "image/png", width, height)
            if (drawing_id, picture) not in known:
                fresh.append(NewNote(name=new_id(), drawing=drawing_id, picture=picture))
        # As many as one action may keep; the rest is kept when it is asked again.
        fresh = fresh[:200]
        if fresh:
            edits.change_time(cursor, shot["id"], AddNotes(do="note", notes=fresh))
    return JSONResponse({"notes": len(fresh)})


@router.post("/drawings/{drawing_id}/try")
def try_reading(
    drawing_id: int, reading: Reading, store: StoreDep, files: FilesDep, desk: DeskDep
) -> JSONResponse:
    """What cleaning with these settings would give on one drawing; nothing is changed."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        shot = productions.shot_of_level(cursor, row["level_id"])
        rule = edits.line_rule(cursor, shot)
    read = Reader(row["level_id"], reading.stored(), files, store.transaction, desk.call)
    found = strokes_from_dicts(read(row)["strokes"])
    strokes = desk.call(ruled, found, paper_of(shot), rule)
    return JSONResponse({"strokes": [shape_of(s) for s in strokes]})


class Touching(Body):
    """An act on drawings. part: whose lines it replaces, as the act has it."""

    act: protect.Act
    drawings: Annotated[list[Id], Field(min_length=1, max_length=5000)]
    part: str = Field(default="", max_length=60)


@router.post("/levels/{level_id}/touches")
def touches(level_id: int, want: Touching, store: StoreDep) -> JSONResponse:
    """Which drawings an act on many would change, and which it leaves because a hand has finished them; nothing is changed."""
    with store.transaction() as cursor:
        found = protect.apart(cursor, level_id, protect.About(want.act, want.part), want.drawings)
    return JSONResponse(asdict(found))


class TraceBack(Body):
    """part: all strokes of a part instead of `strokes`."""

    drawing: int
    strokes: list[str] = Field(default_factory=list, max_length=5000)
    part: str = Field(default="", max_length=60)
    to: list[int] = Field(min_length=1, max_length=5000)
    registered: bool = False
    linked: bool = False
    also: Also = Field(default_factory=list)


@router.post("/levels/{level_id}/trace-back")
def trace_back(level_id: int, want: TraceBack, store: StoreDep, desk: DeskDep) -> JSONResponse:
    """Puts strokes of one drawing exactly into others."""
    with store.transaction() as cursor:
        about = protect.About("trace-back", want.part)
        to = protect.allowed(cursor, level_id, about, want.to, want.also)
    changed = run.trace_back(
        store, level_id, want.drawing, want.strokes, want.part, to or want.to, want.registered, want.linked,
        desk.call,
    )  # fmt: skip
    return JSONResponse({"drawings": changed})


@router.post("/levels/{level_id}/between")
def between(level_id: int, want: Between, store: StoreDep, desk: DeskDep) -> JSONResponse:
    """Gives the drawings between two lined ones their lines."""
    return JSONResponse(asdict(betweens.between(store, level_id, want.ask(), desk.call)))


class Paths(Between):
    """places: of lines in the first drawing."""

    places: list[Place] = Field(min_length=1, max_length=50)


@router.post("/levels/{level_id}/between/paths")
def paths(level_id: int, want: Paths, store: StoreDep, desk: DeskDep) -> JSONResponse:
    """The arcs of lines between two drawings, as they would be made; nothing is changed."""
    return JSONResponse(
        {"paths": betweens.paths(store, level_id, want.ask(), [(x, y) for x, y in want.places], desk.call)}
    )


class Again(Body):
    """As `work.again.Ask`."""

    part: str = Field(min_length=1, max_length=60)
    name: str = Field(min_length=1, max_length=60)
    drawings: list[Id] = Field(min_length=1, max_length=2000)
    shift: int = Field(default=0, ge=-2000, le=2000)
    around: bool = False
    matrix: tuple[Number, Number, Number, Number, Number, Number] = (1, 0, 0, 1, 0, 0)
    grows: bool = False
    order: Order = "as it is"
    painted: bool = False
    rough: bool = False
    linked: bool = False
    also: Also = Field(default_factory=list)

    def ask(self, drawings: list[int] | None = None) -> again.Ask:
        """As the work takes it, on fewer drawings."""
        return again.Ask(
            self.part, self.name.strip(), self.drawings if drawings is None else drawings, self.shift, self.around, self.matrix, self.grows, self.order,
            self.painted, self.rough, self.linked,
        )  # fmt: skip


@router.post("/levels/{level_id}/again")
def use_again(level_id: int, want: Again, store: StoreDep, desk: DeskDep) -> JSONResponse:
    """Uses the lines of a part for another part."""
    with store.transaction() as cursor:
        about = protect.About("again", "" if want.rough else want.name.strip())
        drawings = protect.allowed(cursor, level_id, about, want.drawings, want.also)
    return JSONResponse(
        {"drawings": again.use_again(store, level_id, want.ask(drawings or want.drawings), desk.call)}
    )


@router.get("/levels/{level_id}/again")
def followers(level_id: int, store: StoreDep) -> JSONResponse:
    """What parts follow others, drawing by drawing. from: the number on the drawing that a part follows, None if that is gone."""
    with store.transaction() as cursor:
        found = again.followers(cursor, level_id)
    return JSONResponse(
        {
            "follow": {
                drawing: [{"name": name, "part": use.part, "from": number} for name, use, number in uses]
                for drawing, uses in found.items()
            }
        }
    )


@router.post("/levels/{level_id}/again/{drawing_id}/try")
def try_again(level_id: int, drawing_id: int, want: Again, store: StoreDep) -> JSONResponse:
    """The lines that one drawing would get by that; nothing is changed."""
    return JSONResponse(
        {"strokes": [shape_of(s) for s in again.tried(store, level_id, want.ask(), drawing_id)]}
    )


class Complete(Body):
    """As `work.whole.complete`."""

    part: str = Field(min_length=1, max_length=60)
    drawings: list[Id] = Field(min_length=1, max_length=2000)
    fronts: list[Annotated[str, Field(max_length=60)]] = Field(min_length=1, max_length=200)


@router.post("/levels/{level_id}/complete")
def complete(level_id: int, want: Complete, store: StoreDep, desk: DeskDep) -> JSONResponse:
    """Completes a part behind what lies in front of it, from its neighbours."""
    done = whole.complete(store, level_id, want.part, want.drawings, want.fronts, desk.call)
    return JSONResponse({"drawings": done})


class Smear(Body):
    """As `work.again.smear`."""

    part: str = Field(min_length=1, max_length=60)
    drawings: list[Id] = Field(min_length=1, max_length=200)
    amount: float = Field(default=1.0, gt=0, le=4)
    also: Also = Field(default_factory=list)


@router.post("/levels/{level_id}/smear")
def smear(level_id: int, want: Smear, store: StoreDep, desk: DeskDep) -> JSONResponse:
    """Stretches a part along its way."""
    with store.transaction() as cursor:
        about = protect.About("smear", want.part)
        drawings = protect.allowed(cursor, level_id, about, want.drawings, want.also) or want.drawings
    return JSONResponse(
        {"drawings": again.smear(store, level_id, want.part, drawings, want.amount, desk.call)}
    )


@router.get("/levels/{level_id}/held")
def held(level_id: int, store: StoreDep, files: FilesDep, desk: DeskDep) -> JSONResponse:
    """Parts that keep still in the roughs and are not passed on yet."""
    with store.transaction() as cursor:
        found = run.load_run(cursor, level_id)
    read = Reader(level_id, found.shot["reading"], files, store.transaction, desk.call)
    return JSONResponse({"held": run.held(found, read, desk.call)})


@router.get("/levels/{level_id}/tremble")
def tremble(
    level_id: int,
    drawings: Annotated[list[Id], Query(min_length=1, max_length=20)],
    store: StoreDep,
    desk: DeskDep,
) -> JSONResponse:
    """How far redraws of one pose lie off the first of them."""
    with store.transaction() as cursor:
        found = run.load_run(cursor, level_id)
    return JSONResponse(run.trembling(found, drawings, desk.call))


@router.get("/levels/{level_id}/over")
def over(
    level_id: int, here: int, other: int, store: StoreDep, desk: DeskDep, part: str = ""
) -> JSONResponse:
    """How another drawing is laid over this one: a, b, c, d, e, f of an SVG matrix, and how well it fits, 0 to 1."""
    with store.transaction() as cursor:
        found = run.load_run(cursor, level_id)
    place, fit = desk.call(run.over, found, here, other, part)
    return JSONResponse({"matrix": place.matrix.T.ravel().round(6).tolist(), "fit": round(fit, 2)})


Four = Annotated[list[Near] | None, Query(min_length=4, max_length=4)]


@router.get("/levels/{level_id}/ledge")
def ledge(
    level_id: int, reference: int, store: StoreDep, desk: DeskDep, part: str = "", box: Four = None
) -> JSONResponse:
    """A part, or a rectangle, of all drawings, registered on the reference drawing, with its measures."""
    if not part and box is None:
        raise Refusal("Choose a part or draw a rectangle")
    area = (box[0], box[1], box[2], box[3]) if box else None
    says = None
    with store.transaction() as cursor:
        found = run.load_run(cursor, level_id)
        if found.shot["model_id"] and part and area is None:
            says = models.model(cursor, found.shot["model_id"])["measures"].get(part)
    return JSONResponse(desk.call(run.ledge, found, reference, part, area, svg.centre_path, says))


class BendPoint(Body):
    """As `store.bends.BendPoint`."""

    at: Place
    by: Place


class KeptBend(Body):
    name: str = Field(max_length=500)
    points: list[BendPoint] = Field(min_length=1, max_length=60)


@router.get("/shots/{shot_id}/bends")
def kept_bends(shot_id: int, store: StoreDep) -> JSONResponse:
    """The bends that a shot's production keeps."""
    with store.transaction() as cursor:
        return JSONResponse(
            {"bends": bends.listing(cursor, productions.shot(cursor, shot_id)["production_id"])}
        )


@router.post("/shots/{shot_id}/bends")
def keep_bend(shot_id: int, want: KeptBend, store: StoreDep) -> JSONResponse:
    """Keeps a bend under a name for the whole production; the name's old one goes."""
    with store.transaction() as cursor:
        production = productions.shot(cursor, shot_id)["production_id"]
        points = [bends.BendPoint(at=p.at, by=p.by) for p in want.points]
        bends.keep(cursor, production, named(want.name, "bend"), points)
        return JSONResponse({"bends": bends.listing(cursor, production)})


@router.post("/shots/{shot_id}/bends/{bend_id}/drop")
def drop_bend(shot_id: int, bend_id: int, store: StoreDep) -> JSONResponse:
    """Forgets a bend; what was bent by it stays."""
    with store.transaction() as cursor:
        production = productions.shot(cursor, shot_id)["production_id"]
        bends.drop(cursor, production, bend_id)
        return JSONResponse({"bends": bends.listing(cursor, production)})


class Weighing(Body):
    drawings: list[int] = Field(min_length=1, max_length=5000)
    also: Also = Field(default_factory=list)


@router.post("/levels/{level_id}/weigh")
def weigh(level_id: int, want: Weighing, store: StoreDep, desk: DeskDep) -> JSONResponse:
    """Lays the line rule on whole drawings, undone as one."""
    with store.transaction() as cursor:
        drawings = protect.allowed(cursor, level_id, protect.About("weigh"), want.drawings, want.also)
    return JSONResponse({"drawings": run.weigh(store, level_id, drawings or want.drawings, desk.call)})
