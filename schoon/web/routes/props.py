"""Rigid props: brought, built after a model sheet, placed in drawings and carried through the run."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form, Query, Request, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, Response
from pydantic import Field

from ...core.model import parse_colour
from ...core.prop import Built, Imported, Placed, Surface
from ...errors import NotFound, Refusal
from ...formats import solids
from ...formats.guarded import guarded
from ...formats.pictures import for_storage
from ...jobs import views
from ...limits import limits
from ...store import Cursor, jobs, models, pictures, productions, props, revisions
from ...store.props import PropRow
from ...text import named
from ...work import edits
from ...work import props as work
from ...work.placing import paper_of
from ..deps import DeskDep, RunnerDep, StoreDep, page
from ..values import Body, Id, Number, Place
from .jobs import state_of

router = APIRouter()

_MIME = {".obj": "model/obj", ".glb": "model/gltf-binary", ".gltf": "model/gltf+json"}


def _listed(cursor: Cursor, production_id: int) -> list[dict[str, Any]]:
    return [
        {"id": row["id"], "name": row["name"], "part": row["part"]}
        for row in props.listing(cursor, production_id)
        if not row["gone"]
    ]


@router.get("/api/levels/{level_id}/props")
def of_level(level_id: int, store: StoreDep) -> JSONResponse:
    """The props of a production, and how they are placed in the drawings of a level."""
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level_id)
        listed = _listed(cursor, shot["production_id"])
        placed = work.placements(cursor, productions.drawings(cursor, level_id))
    return JSONResponse(
        {
            "props": listed,
            "placed": {d: {k: p.to_dict() for k, p in own.items()} for d, own in placed.items()},
        }
    )


def _refuse_taken(cursor: Cursor, production_id: int, part: str, but: int = 0) -> None:
    """Raises Refusal if the lines of another prop are this part: they would take each other's lines away."""
    for row in props.listing(cursor, production_id):
        if row["id"] != but and row["part"].casefold() == part.casefold():
            raise Refusal(
                f"The lines of the prop {row['name']} are the part “{part}” already; choose another name"
            )


class NewProp(Body):
    """A prop that is to be built."""

    name: str = Field(max_length=60)


@router.post("/api/levels/{level_id}/props/new")
def begin(level_id: int, want: NewProp, store: StoreDep) -> JSONResponse:
    """A prop without forms yet, to be built after a sheet of the level's model."""
    name = named(want.name, "prop")
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level_id)
        _refuse_taken(cursor, shot["production_id"], name.lower())
        sheet = None
        if shot["model_id"] is not None:
            sheets = models.model(cursor, shot["model_id"])["pictures"]
            sheet = sheets[-1]["sha256"] if sheets else None
        made = props.add(cursor, shot["production_id"], shot["model_id"], name, name.lower(), Built(), sheet)
    return JSONResponse({"id": made})


@router.post("/api/levels/{level_id}/props/file")
def bring(
    level_id: int, store: StoreDep, file: UploadFile, name: Annotated[str, Form()] = ""
) -> JSONResponse:
    """A prop from an OBJ or glTF file. Raises Refusal naming the file and the remedy."""
    called = Path(file.filename or "prop").name[-120:]
    body = file.file.read(limits().picture_mb * 2**20 + 1)
    if len(body) > limits().picture_mb * 2**20:
        raise Refusal(
            f"{called} is larger than {limits().picture_mb} MB (SCHOON_MOST_PICTURE_MB); save it with fewer faces"
        )
    found = guarded(called, solids.read, called, body)
    name = named(name or Path(called).stem, "prop")
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level_id)
        _refuse_taken(cursor, shot["production_id"], name.lower())
        stored = pictures.put(cursor, body, _MIME[Path(called).suffix.lower()], 0, 0)
        made = Imported(file=stored, called=called, surfaces=[Surface(name=part) for part, _, _ in found])
        made_id = props.add(cursor, shot["production_id"], shot["model_id"], name, name.lower(), made)
    return JSONResponse({"id": made_id})


@router.get("/props/{prop_id}", response_class=HTMLResponse)
def prop_page(request: Request, prop_id: int, store: StoreDep, level: int = 0) -> HTMLResponse:
    """A prop: its forms, the sheet it is built after, and how it looks. level: the level one comes from."""
    with store.transaction() as cursor:
        row = props.get(cursor, prop_id)
        production = productions.production(cursor, row["production_id"])
        model = models.model(cursor, row["model_id"]) if row["model_id"] is not None else None
        sheet = pictures.get(cursor, row["sheet"]) if row["sheet"] else None
        shot = productions.shot_of_level(cursor, level) if level else None
    pots = []
    if model:
        colours = model["keys"][0]["colours"] if model["keys"] else {}
        pots = [
            {"id": p["id"], "name": p["name"], "colour": colours.get(p["id"], "#cccccc")}
            for p in model["pots"]
        ]
    data = {
        "id": prop_id, "name": row["name"], "part": row["part"], "made": row["made"].model_dump(), "pots": pots, "gone": row["gone"],
        "sheet": row["sheet"], "size": [sheet["width"], sheet["height"]] if sheet else [900, 900],
        "sheets": [{"sha256": p["sha256"], "caption": p["caption"]} for p in model["pictures"]] if model else [],
    }  # fmt: skip
    back = {"id": shot["id"], "name": shot["name"], "level": level} if shot else None
    return page(request, "prop.html", prop=row, production=production, data=data, back=back)


class Changed(Body):
    """What a prop becomes. sheet: a picture of the model that it is built after."""

    name: str = Field(max_length=60)
    part: str = Field(max_length=60)
    made: Annotated[Built | Imported, Field(discriminator="kind")]
    sheet: Annotated[str, Field(pattern="^[0-9a-f]{64}$")] | None = None


@router.post("/api/props/{prop_id}")
def change(prop_id: int, want: Changed, store: StoreDep) -> JSONResponse:
    """Changes a prop; drawings follow when it is placed anew."""
    name, part = named(want.name, "prop"), named(want.part, "part")
    with store.transaction() as cursor:
        row = props.get(cursor, prop_id)
        _refuse_taken(cursor, row["production_id"], part, prop_id)
        before = row["made"]
        if want.made.kind != before.kind:
            raise Refusal("A prop from a file stays one; build another one")
        if isinstance(want.made, Imported) and isinstance(before, Imported):
            same = (want.made.file, len(want.made.surfaces)) == (before.file, len(before.surfaces))
            if not same:
                raise Refusal("The parts of this prop come from its file; bring another file")
        known = {p["id"] for p in models.model(cursor, row["model_id"])["pots"]} if row["model_id"] else set()
        forms = want.made.shapes if isinstance(want.made, Built) else want.made.surfaces
        if any(form.pot and form.pot not in known for form in forms):
            raise NotFound("This pot is not in the model any more; choose another one")
        if want.sheet and want.sheet != row["sheet"]:
            pictures.get(cursor, want.sheet)
        props.change(cursor, prop_id, name, part, want.made, want.sheet, row["model_id"])
    return JSONResponse({})


@router.post("/api/props/{prop_id}/sheet")
def bring_sheet(prop_id: int, store: StoreDep, file: UploadFile) -> JSONResponse:
    """A picture of its own that a prop is built after. Raises Refusal naming the file."""
    called = Path(file.filename or "picture").name[-120:]
    body, mime, width, height, _ = for_storage(called, file.file.read(limits().picture_mb * 2**20 + 1))
    with store.transaction() as cursor:
        row = props.get(cursor, prop_id)
        sheet = pictures.put(cursor, body, mime, width, height)
        props.change(cursor, prop_id, row["name"], row["part"], row["made"], sheet, row["model_id"])
    return JSONResponse({"sheet": sheet, "size": [width, height]})


class Gone(Body):
    gone: bool = True


@router.post("/api/props/{prop_id}/drop")
def drop(prop_id: int, want: Gone, store: StoreDep) -> JSONResponse:
    """Takes a prop away, or brings it back; drawings keep its lines."""
    with store.transaction() as cursor:
        props.drop(cursor, prop_id, want.gone)
    return JSONResponse({})


Degrees = Annotated[float, Query(ge=-3600, le=3600)]


@router.get("/api/props/{prop_id}/look")
def look(
    prop_id: int, store: StoreDep, desk: DeskDep, right: Degrees = 0, down: Degrees = 0,
    opened: Annotated[float, Query(ge=0, le=1)] = 0, size: Annotated[int, Query(ge=40, le=1200)] = 360,
) -> Response:  # fmt: skip
    """PNG of a prop seen from a side, painted and lined, what is hidden in faint lines."""
    with store.transaction() as cursor:
        row = props.get(cursor, prop_id)
        body, colours = work.body_of(cursor, row), _colours(cursor, row)
    picture = desk.call(views.prop, body, colours, size, right, down, opened)
    return Response(picture, media_type="image/png", headers={"Cache-Control": "no-store"})


def _colours(cursor: Cursor, row: PropRow) -> dict[int, tuple[int, int, int]]:
    if row["model_id"] is None:
        return {}
    keys = models.model(cursor, row["model_id"])["keys"]
    return {pot: parse_colour(colour) for pot, colour in keys[0]["colours"].items()} if keys else {}


@router.get("/api/props/{prop_id}/wire")
def wire(
    prop_id: int, store: StoreDep, desk: DeskDep, opened: Annotated[float, Query(ge=0, le=1)] = 0
) -> JSONResponse:
    """The solid of a prop, for the page to show it while it is moved: points, faces, and lines on it."""
    with store.transaction() as cursor:
        body = work.body_of(cursor, props.get(cursor, prop_id))
    return JSONResponse(desk.call(views.wire, body, opened))


class Placing(Body):
    """As `core.prop.Placed`."""

    at: Place
    size: Annotated[float, Field(gt=1, le=100_000)]
    turn: tuple[Number, Number, Number, Number] = (0, 0, 0, 1)
    depth: Annotated[float, Field(ge=0, le=1)] = 0.0
    opened: Annotated[float, Field(ge=0, le=1)] = 0.0
    behind: Annotated[list[Annotated[str, Field(min_length=1, max_length=60)]], Field(max_length=100)] = (
        Field(default_factory=list)
    )

    def placed(self) -> Placed:
        length = sum(v * v for v in self.turn) ** 0.5
        if length < 1e-6:
            raise Refusal("This turn has no direction; turn the prop anew")
        a, b, c, d = (v / length for v in self.turn)
        return Placed(
            (self.at[0], self.at[1]),
            self.size,
            (a, b, c, d),
            self.depth,
            self.opened,
            True,
            tuple(self.behind),
        )


class Placement(Body):
    """placed: None takes the prop away. snap: brings it onto the rough."""

    drawing: Id
    placed: Placing | None = None
    snap: bool = False


@router.post("/api/levels/{level_id}/props/{prop_id}/place")
def place(level_id: int, prop_id: int, want: Placement, store: StoreDep, desk: DeskDep) -> JSONResponse:
    """Places a prop in a drawing; it is a key of the prop then."""
    found = work.place(
        store,
        level_id,
        prop_id,
        want.drawing,
        want.placed.placed() if want.placed else None,
        want.snap,
        desk.call,
    )
    return JSONResponse({"placed": found.to_dict() if found else None})


class Through(Body):
    """chart: how drawings lie between keys: as they stand on the sheet, or by a spacing. snap: brings each onto its rough.
    of: only these of the drawings between keys."""

    chart: Literal["time", "even", "slow both", "ease in", "ease out"] = "time"
    snap: bool = False
    of: Annotated[list[Id], Field(max_length=2000)] | None = None


@router.post("/api/levels/{level_id}/props/{prop_id}/through")
def through(level_id: int, prop_id: int, want: Through, store: StoreDep, runner: RunnerDep) -> JSONResponse:
    """Queues the job that carries a prop through the drawings between its keys."""
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level_id)
        edits.refuse_locked(shot)
        work.prop_for(cursor, prop_id, shot)
        rows = productions.drawings(cursor, level_id)
        where = work.way_through(cursor, shot, rows, prop_id, want.chart)
        wanted = [d for d in where if want.of is None or d in set(want.of)]
        if not wanted:
            raise NotFound("These drawings lie between no two keys of the prop any more")
        settings = {"prop": prop_id, "chart": want.chart, "snap": want.snap}
        job_id = jobs.create(cursor, "props", level_id, wanted, settings)
        answer = state_of(cursor, job_id)
    runner.wake()
    return JSONResponse(answer)


@router.get("/api/levels/{level_id}/props/{prop_id}/forms/{drawing_id}")
def forms(level_id: int, prop_id: int, drawing_id: int, store: StoreDep, desk: DeskDep) -> Response:
    """PNG in which every form of a prop has a colour of its own, as it is placed in a drawing; the rest is clear."""
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id)
        placed = work.placements(cursor, [row]).get(drawing_id, {}).get(prop_id)
        if placed is None or row["level_id"] != level_id:
            raise NotFound("The prop is not placed in this drawing")
        prop = props.get(cursor, prop_id)
        body, size = work.body_of(cursor, prop), paper_of(productions.shot_of_level(cursor, level_id))
    name = f"{prop['part']}-{row['number']}-forms.png".encode("ascii", "replace").decode().replace('"', "")
    return Response(
        desk.call(views.prop_forms, body, placed, size), media_type="image/png",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )  # fmt: skip
