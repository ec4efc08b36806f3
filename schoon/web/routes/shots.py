"""The frame of a shot: its page in each stage, the sheet, the colour key, the gap cards."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse

from ...core.model import write_colour
from ...core.model.compare import RunLimits
from ...core.model.depth import depth_of
from ...core.run import ODD, OFF
from ...core.strokes import LineRule
from ...errors import NotFound
from ...jobs import of_model
from ...jobs.seen import beside, open_forms_key
from ...store import Cursor, DrawingRow, LevelRow, ShotRow, jobs, models, productions, revisions
from ...store.revisions import Subject
from ...store.states import Lights
from ...work import edits, lists, proofing
from ...work.derived import Files, key_of
from ...work.looks import look_of
from ...work.operations.stack import UseModel
from ...work.placing import Placed, size_of
from ...work.roughs import rough_name
from ...work.summaries import summaries, without
from ..deps import AheadDep, FilesDep, StoreDep, page
from ..stages import STAGES, progress
from .edits import time_shown

router = APIRouter()

Level = Annotated[int | None, Query(description="The level it is about; the first without one")]


@router.get("/shots/{shot_id}")
def open_shot(shot_id: int, store: StoreDep, level: Level = None) -> RedirectResponse:
    """The stage where something is to do."""
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id, level)
        counts = summaries(cursor, productions.drawings(cursor, shot["level_id"]))
        own = productions.stack_of(cursor, shot_id).levels[shot["level_id"]]
        left = proofing.open_count(cursor, shot["level_id"], own)
    stage = progress([without(one, own.skips) for one in counts.values()], left).next_stage
    return RedirectResponse(f"/shots/{shot_id}/{stage}" + (f"?level={level}" if level else ""))


@router.get("/shots/{shot_id}/{stage}", response_class=HTMLResponse)
def shot_page(
    request: Request,
    shot_id: int,
    stage: str,
    store: StoreDep,
    files: FilesDep,
    ahead: AheadDep,
    level: Level = None,
) -> HTMLResponse:
    """A shot in one of its stages."""
    if stage not in STAGES:
        raise HTTPException(404)
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id, level)
        if shot["aside"]:
            raise NotFound(f"{shot['level']} was put aside; bring it back among the levels of {shot['name']}")
        run = run_of(cursor, shot)
        _count_open(files, productions.drawings(cursor, shot["level_id"]), run["drawings"])
        model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
        offers = [m for m in models.listing(cursor) if m["production_id"] == shot["production_id"]]
        open_jobs = jobs.open_jobs(cursor, shot["level_id"])
        speaks = of_model.speaks(cursor, shot["level_id"])
        aside = [
            {"id": row["id"], "name": row["name"], "drawings": len(productions.drawings(cursor, row["id"]))}
            for row in productions.levels(cursor, shot_id, aside=True)
        ]
        keys = keys_of(cursor, shot)
    ahead.level(shot["level_id"])
    key = None
    if model and model["keys"]:
        key = next((k for k in model["keys"] if k["id"] == shot["key_id"]), model["keys"][0])
    data = {
        "shot": {
            name: shot[name]
            for name in (
                "id",
                "name",
                "production",
                "fps",
                "frames",
                "level_id",
                "level",
                "numbering",
            )
        }
        | dict(zip(("width", "height"), shot["paper"], strict=True)),
        "frame": size_of(shot),
        "stage": stage,
        "run": run["drawings"],
        "spans": run["spans"],
        "sheet": run["sheet"],
        "notes": run["notes"],
        "depth": run["depth"],
        "meant": run["meant"],
        "labels": run["labels"],
        "framing": run["framing"],
        "heads": run["heads"],
        "pots": model["pots"] if model else [],
        "keys": keys,
        "key": key["id"] if key else None,
        "model": model["id"] if model else None,
        "speaks": speaks,
        "rule": model["line_rule"] if model else vars(LineRule()),
        "measures": model["measures"] if model else {},
        "limits": {**vars(RunLimits()), "odd": ODD, "off": OFF},
        "reading": shot["reading"],
        "jobs": open_jobs,
        "levels": run["levels"],
        "aside": aside,
    }
    return page(
        request, "shot.html", shot=shot, stage=stage, stages=STAGES, progress=run["progress"], model=model, key=key,
        models=offers, data=data,
    )  # fmt: skip


def keys_of(cursor: Cursor, shot: ShotRow) -> list[dict[str, Any]]:
    """The colour keys of a level's model, with the colours of tones."""
    model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
    return [{**k, "toned": _toned(cursor, shot, k["id"])} for k in model["keys"]] if model else []


def _toned(cursor: Cursor, shot: ShotRow, key: int) -> dict[str, dict[int, str]]:
    """kind of tone -> pot -> its colour in a key."""
    tones = look_of(cursor, shot, key).tones
    return {kind: {pot: write_colour(c) for pot, c in table.items()} for kind, table in tones.items()}


def _level(cursor: Cursor, level: LevelRow, time: dict[str, Any]) -> dict[str, Any]:
    """A level as it lies in the stack: its sheet, which drawing every frame shows, and the revision of those that have a
    line. drawings: what is written on each, its kind, and whether it is an empty sheet.

    tag: changes with the colours it is seen in.
    """
    rows = productions.drawings(cursor, level["id"])
    own = productions.shot_of_level(cursor, level["id"])
    return {
        "id": level["id"],
        "name": level["name"],
        "locked": level["locked"],
        "key": level["key_id"],
        "tag": key_of(
            look_of(cursor, own).key(),
            [entry.model_dump_json() for entry in own["finish"]],
            own["key_changes"],
        )[:10],
        **time,
        "drawn": {row["id"]: row["head"] for row in rows if row["line"]},
        "drawings": {
            row["id"]: (row["number"], row["kind"], not rough_name(row) and not row["line"]) for row in rows
        },
        "pictures": _pictures(cursor, own),
        "roughs": {row["id"]: _address(row) for row in rows if rough_name(row)}
        if level["kind"] != "drawings"
        else {},
    }


def _pictures(cursor: Cursor, shot: ShotRow) -> tuple[int, int] | None:
    """(width, height) px of the pictures of a level where they are not as large as its paper. shot: seen with the level."""
    sizes = productions.picture_sizes(cursor, shot["level_id"]) - {shot["paper"]}
    return next(iter(sizes)) if len(sizes) == 1 else None


def _address(row: DrawingRow) -> str:
    """Where the page finds the picture of a drawing as its level shows it."""
    if row["sketch"]:
        return f"/drawings/{row['id']}/rough.png?v={rough_name(row)[:12]}"
    return f"/pictures/{row['rough']}"


def _placed(placed: Placed, level: int, frames: int) -> dict[str, Any]:
    """How a level is seen and where it lies. places: its matrix in each frame, nothing if it lies as it was
    drawn; seen: the same through the framing."""
    state = placed.stack.levels[level]
    moved, every = bool(state.place.notches or state.paper), range(1, frames + 1)
    return {
        "kind": state.kind,
        "opacity": state.opacity,
        "visible": state.visible,
        "tint": state.tint,
        "skips": state.skips,
        "label": state.label and state.label.model_dump(),
        "part_labels": {part: label.model_dump() for part, label in state.part_labels.items()},
        "key_changes": {frame: change.model_dump() for frame, change in state.key_changes.items()},
        "finish": [entry.model_dump() for entry in state.finish],
        "lights": _lights(state.lights),
        "key_lights": {key: _lights(lights) for key, lights in state.key_lights.items()},
        "place": state.place.model_dump(),
        "entries": [[name, run] for name, run in state.entries.items()],
        "paper": state.paper or placed.size,
        "lies": state.lies,
        "linked": state.linked,
        "places": [placed.place(level, frame) for frame in every] if moved else [],
        "seen": [placed.seen(level, frame) for frame in every] if moved or placed.stack.framing else [],
    }


def _lights(lights: Lights) -> dict[str, dict[int, dict[str, float]]]:
    return {part: {frame: light.model_dump() for frame, light in own.items()} for part, own in lights.items()}


def run_of(cursor: Cursor, shot: ShotRow) -> dict[str, Any]:
    """The drawings of a shot with their counts, the sheet, the stack of levels and the progress."""
    rows = productions.drawings(cursor, shot["level_id"])
    counts = summaries(cursor, rows)
    drawings = [
        {
            "id": row["id"], "number": row["number"], "kind": row["kind"], "revision": row["head"] or 0,
            "retaken": row["rough"][:12] if row["was"] and not row["looked"] else "",
            "rough": rough_name(row, reads=False)[:12],
            **vars(counts[row["id"]]),
        }
        for row in rows
    ]  # fmt: skip
    time = time_shown(productions.time_of(cursor, shot["id"]))
    own = time["levels"][shot["level_id"]]
    stack = productions.stack_of(cursor, shot["id"])
    placed = Placed(size_of(shot), stack)
    model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
    return {
        "drawings": drawings,
        "frames": time["frames"],
        "fps": time["fps"],
        "numbering": time["numbering"],
        "meant": time["meant"],
        "labels": time["labels"],
        "notes": time["notes"],
        "framing": {
            "notches": {frame: notch.model_dump() for frame, notch in stack.framing.items()},
            "fields": [placed.field(frame) for frame in range(1, time["frames"] + 1)]
            if stack.framing
            else [],
        },
        "depth": {
            "model": depth_of((pot["part"] for pot in model["pots"]), model["depth"]) if model else (),
            "changes": stack.levels[shot["level_id"]].depth,
        },
        "spans": own["spans"],
        "sheet": own["sheet"],
        "heads": {
            f"{kind}s": revisions.head(cursor, Subject(kind, shot["id"])) or 0 for kind in ("time", "stack")
        },
        "levels": [
            {**_level(cursor, row, time["levels"][row["id"]]), **_placed(placed, row["id"], time["frames"])}
            for row in productions.levels(cursor, shot["id"])
        ],
        "progress": progress(
            [without(one, stack.levels[shot["level_id"]].skips) for one in counts.values()],
            proofing.open_count(cursor, shot["level_id"], stack.levels[shot["level_id"]]),
        ),
    }


@router.get("/api/shots/{shot_id}/run")
def run_state(shot_id: int, store: StoreDep, files: FilesDep, level: Level = None) -> JSONResponse:
    """The counts of a shot as they are now, and its colours."""
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id, level)
        run = run_of(cursor, shot)
        _count_open(files, productions.drawings(cursor, shot["level_id"]), run["drawings"])
        run["jobs"] = jobs.open_jobs(cursor, shot["level_id"])
        model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
        run["speaks"] = of_model.speaks(cursor, shot["level_id"])
        run |= {"keys": keys_of(cursor, shot), "pots": model["pots"] if model else [], "key": shot["key_id"]}
    run["progress"] = vars(run["progress"])
    return JSONResponse(run)


def _count_open(files: Files, rows: Sequence[DrawingRow], drawings: list[dict[str, Any]]) -> None:
    """Counts the forms that are open to the outside, of drawings in which they were looked for."""
    for row, drawing in zip(rows, drawings, strict=True):
        known = row["line"] and drawing["open_gaps"]
        found = files.read_json(open_forms_key(row, beside(rows, row["id"]))) if known else None
        drawing["open_forms"] = len(found["open"]) if found else 0


@router.post("/shots/{shot_id}/model")
def choose_model(
    shot_id: int, store: StoreDep, model: Annotated[int, Form()], level: Level = None
) -> RedirectResponse:
    """Gives the shot's level a model."""
    with store.transaction() as cursor:
        shot = productions.shot(cursor, shot_id, level)
        edits.change_stack(cursor, shot_id, UseModel(do="model", level=shot["level_id"], model=model))
    return RedirectResponse(f"/shots/{shot_id}/paint?level={shot['level_id']}", status_code=303)


@router.get("/api/shots/{shot_id}/gaps")
def gaps(shot_id: int, store: StoreDep, level: Level = None) -> JSONResponse:
    """The gaps of the whole shot that nobody has judged, worst doubt first. `like` says how a person judged the same
    gap in a neighbouring drawing."""
    with store.transaction() as cursor:
        cards, judged = lists.gap_cards(cursor, productions.shot(cursor, shot_id, level))
    return JSONResponse({"cards": cards, "judged": judged})
