"""Taking in roughs: look at the files, say what is wrong, then store all of them or none."""

from __future__ import annotations

import base64
import itertools
import json
import re
import secrets
import shutil
import time
from collections.abc import Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict
from functools import partial
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import UploadFile

from ...core import exposure
from ...errors import NotFound, Refusal
from ...formats import movie
from ...formats.guarded import guarded
from ...formats.layered import STROKES, Layer, layers_in
from ...formats.sequences import Incoming, Report, inspect, tried
from ...jobs.aside import Aside, State, Tell
from ...jobs.pool import Pool
from ...jobs.seen import Ahead
from ...limits import limits
from ...settings import Settings
from ...store import Store, models, productions
from ...store.states import LevelKind
from ...text import named
from ...work import edits, movies, take_in
from ..deps import AheadDep, AsideDep, DeskDep, SettingsDep, StoreDep, page

router = APIRouter()

_KEEP = 6 * 3600.0
"""Seconds uploaded files wait for the decision."""

_SEEN = 24
"""How many pictures are shown before they are taken in."""

_MOST_FILES = 2000

_REPORT, _LAYERS, _MOVIE = "report.json", "layers.json", "movie.json"


@router.get("/productions/{production_id}/take-in", response_class=HTMLResponse)
def form(request: Request, production_id: int, store: StoreDep, shot: int | None = None) -> HTMLResponse:
    """The page for a new shot, or for a further level of one."""
    with store.transaction() as cursor:
        production = productions.production(cursor, production_id)
        shots = [s for s in productions.shots(cursor) if s["production_id"] == production_id]
        levels = [
            (s["name"], level)
            for s in shots
            for level in productions.levels(cursor, s["id"])
            if level["kind"] == "drawings" and not level["locked"]
        ]
        choices = [m for m in models.listing(cursor) if m["production_id"] == production_id]
    return page(
        request, "take_in.html", production=production, models=choices, shots=shots, levels=levels, into=shot,
        most_mb=limits().take_in_mb, movies=movie.ENDINGS,
    )  # fmt: skip


@router.post("/take-in/check", response_class=HTMLResponse)
async def check(request: Request, settings: SettingsDep, desk: DeskDep, aside: AsideDep) -> HTMLResponse:
    """Reads the files and shows what they are and what is wrong. Nothing is stored; the files wait aside."""
    try:
        async with request.form(max_files=_MOST_FILES, max_fields=_MOST_FILES) as form:
            files = [f for f in form.getlist("files") if isinstance(f, UploadFile) and f.filename]
            watched = str(form.get("watched", ""))
            placed, folder = await run_in_threadpool(_put_aside, settings, files)
    except OSError as error:
        raise Refusal(
            f"The pictures could not be put aside ({error.strerror}); free some space on the disk and try again"
        ) from error
    try:
        state = aside.here(watched) if _TOKEN.fullmatch(watched) else State()
        name, content = await run_in_threadpool(_look_at, desk, aside, placed, folder, state)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    return page(request, name, token=folder.name, **content)


def _put_aside(settings: Settings, files: Sequence[UploadFile]) -> tuple[list[tuple[str, Path]], Path]:
    folder = _new_folder(settings)
    placed = []
    for number, file in enumerate(files):
        path = folder / f"{number:05}"
        with open(path, "wb") as out:
            shutil.copyfileobj(file.file, out, 2**20)
        placed.append((Path(file.filename or "").name[-200:], path))
    return placed, folder


def _look_at(
    desk: Pool, aside: Aside, placed: Sequence[tuple[str, Path]], folder: Path, state: State
) -> tuple[str, dict[str, Any]]:
    """The template that shows what files are, and what it shows. Raises Refusal for a movie or layered file that is broken."""
    if len(placed) == 1:
        name, path = placed[0]
        if name.lower().endswith(movie.ENDINGS):
            return "take_in_movie.html", _look_at_movie(aside, name, path, folder)
        if (found := guarded(name, layers_in, name, path, folder)) is not None:
            (folder / _LAYERS).write_text(json.dumps([asdict(layer) for layer in found.layers]))
            smalls = [_small(layer.pictures[0]) for layer in found.layers]
            return "take_in_layers.html", {"found": found, "smalls": smalls, "strokes": STROKES}
    report = _looked_at(desk, placed, folder, state)
    if report.problems:
        shutil.rmtree(folder, ignore_errors=True)
    repeats = len(report.pictures) - len(exposure.from_repeats([p.content for p in report.pictures]))
    seen = {} if report.problems else {p.label: _small(p) for p in report.pictures[:_SEEN]}
    called = _called([picture.name for picture in report.pictures])
    return "take_in_report.html", {"report": report, "repeats": repeats, "seen": seen, "called": called}


def _called(names: Sequence[str]) -> str:
    """What a shot may be called by the names of its pictures: what they share, without their numbers."""
    words = {re.sub(r"[\W_]*\d*$", "", Path(name).stem) for name in names}
    return re.sub(r"[\W_]+", " ", words.pop()).strip().capitalize() if len(words) == 1 else ""


def _look_at_movie(aside: Aside, name: str, path: Path, folder: Path) -> dict[str, Any]:
    head = guarded(name, movie.about, name, path)
    (folder / _MOVIE).write_text(json.dumps({"name": name, "path": str(path), "fps": head.fps}))
    aside.start(folder.name, head.frames, partial(_look_through, name, path, folder))
    return {"about": head, "movie": name}


def _look_through(name: str, path: Path, folder: Path, tell: Tell) -> int:
    return guarded(name, movies.look_through, name, path, folder, tell=tell)


def _looked_at(desk: Pool, placed: Sequence[tuple[str, Path]], folder: Path, state: State) -> Report:
    def read(jobs: Sequence[tuple[str, str, str]]) -> Iterable[Incoming | Refusal]:
        state.total = len(jobs)
        with ThreadPoolExecutor(desk.workers) as threads:
            for found in threads.map(lambda job: desk.call(tried, job), jobs):
                state.done += 1
                yield found

    report = inspect(placed, folder, read)
    report.write(folder / _REPORT)
    return report


def _small(picture: Incoming) -> str:
    """A picture small enough to lie in the page, as a data address."""
    return "data:image/png;base64," + base64.b64encode(Path(picture.small).read_bytes()).decode()


@router.get("/take-in/{token}/progress")
def progress(token: str, aside: AsideDep) -> JSONResponse:
    """How far the work on what waits is: a movie that is looked through, or taken in."""
    state = aside.state(token)
    if state is None:
        raise NotFound("This was put aside too long ago; choose the file again")
    result = state.result if state.state == "done" else None
    return JSONResponse(
        {
            "state": state.state,
            "done": state.done,
            "total": state.total,
            "message": state.message,
            "result": result,
        }
    )


@router.post("/take-in/{token}/cancel")
def cancel(token: str, aside: AsideDep) -> JSONResponse:
    """Ends the work on what waits; nothing of it is stored."""
    aside.cancel(token)
    return JSONResponse({})


@router.get("/take-in/{token}/small/{number}.jpg")
def small(token: str, number: int, settings: SettingsDep) -> FileResponse:
    """A picture of a movie, small, as soon as it was looked through."""
    path = _folder(settings, token) / movies.small_name(number)
    if not path.exists():
        raise NotFound("This picture was not looked at yet")
    return FileResponse(path, media_type="image/jpeg")


class Taking(BaseModel):
    """How what waits is taken in, as the form says it. first, last, every, width, trace: of a movie. layers: of a layered
    file, as JSON of `work.take_in.Wish`."""

    token: str
    name: str = ""
    level: str = ""
    fps: float = 24.0
    hold: str = "2"
    model: str = ""
    into: str = ""
    kind: LevelKind = "drawings"
    first: int = Field(default=1, ge=1)
    last: int = Field(default=1, ge=1)
    every: int = Field(default=1, ge=1, le=1000)
    width: str = ""
    trace: bool = False
    layers: str = "[]"


@router.post("/productions/{production_id}/take-in")
def store_shot(
    production_id: int,
    store: StoreDep,
    settings: SettingsDep,
    ahead: AheadDep,
    aside: AsideDep,
    asked: Annotated[Taking, Form()],
) -> JSONResponse:
    """Stores the files that were set aside as a shot, or as further levels in front of those of the shot `into`: all of
    them or nothing. Of a movie, and of many pictures, it answers at once with `watch`, where its progress is seen."""
    if asked.into.startswith(_AGAIN):
        return _taken_again(store, settings, ahead, asked)
    name = asked.name if asked.into else named(asked.name, "shot")
    if not 1 <= asked.fps <= 120:
        raise Refusal("The frame rate must lie between 1 and 120 frames a second")
    if asked.hold not in take_in.HOLDS:
        raise Refusal("Choose a hold of one to four frames, or from repeated pictures")
    folder = _folder(settings, asked.token)
    with store.transaction() as cursor:
        chosen = models.model(cursor, _number(asked.model)) if asked.model else None
        key = chosen["keys"][0]["id"] if chosen and chosen["keys"] else None
        model = chosen["id"] if chosen else None
        if asked.into:
            productions.shot(cursor, _number(asked.into))

    def keep(levels: Sequence[take_in.NewLevel], tell: Tell = lambda _: None) -> dict[str, Any]:
        answer = _kept(store, production_id, asked, name, levels, (model, key), tell)
        shutil.rmtree(folder, ignore_errors=True)
        ahead.level(answer["level"])
        return answer

    if (folder / _MOVIE).exists():
        about = json.loads((folder / _MOVIE).read_text())
        if asked.last < asked.first:
            raise Refusal("The last picture comes before the first; choose them again")
        level = named(asked.level, "level")
        count = (asked.last - asked.first) // asked.every + 1

        def work(tell: Tell) -> dict[str, Any]:
            report = guarded(
                about["name"], movies.taken, about["name"], Path(about["path"]), folder, asked.first, asked.last, asked.every,
                _number(asked.width) or None, tell=tell,
            )  # fmt: skip
            kind = asked.kind if asked.kind != "drawings" else "pictures"
            held = (max(1, round(asked.every * asked.fps / about["fps"])),) * len(report.pictures)
            return keep(
                [take_in.NewLevel(level, tuple(report.pictures), kind, holds=held, locked=kind == "pictures")]
            )

        aside.start(asked.token, count, work)
        return JSONResponse({"watch": f"/take-in/{asked.token}/progress"})
    if (folder / _LAYERS).exists():
        layers = [Layer.from_dict(d) for d in json.loads((folder / _LAYERS).read_text())]
        levels = take_in.levels_of(layers, _wishes(asked.layers), asked.hold, model, key)
    else:
        report = _taken_up(settings, asked.token)
        levels = [
            take_in.plain_level(report, named(asked.level, "level"), asked.hold, asked.kind, model, key)
        ]
    count = sum(len(level.exposed()[0]) for level in levels)
    if count <= _AT_ONCE:
        return JSONResponse(keep(levels))
    aside.start(asked.token, count, partial(keep, levels))
    return JSONResponse({"watch": f"/take-in/{asked.token}/progress"})


_AGAIN = "again:"
"""What `into` begins with where new roughs replace those of a level."""


def _taken_again(store: Store, settings: Settings, ahead: Ahead, asked: Taking) -> JSONResponse:
    level = _number(asked.into.removeprefix(_AGAIN))
    report = _taken_up(settings, asked.token)
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level)
        change = take_in.retaken(cursor, level, report)
        edits.change_time(cursor, shot["id"], change)
    shutil.rmtree(_folder(settings, asked.token), ignore_errors=True)
    ahead.level(level)
    return JSONResponse(
        {"shot": shot["id"], "level": level, "url": f"/shots/{shot['id']}/rough?level={level}"}
    )


def _kept(
    store: Store,
    production_id: int,
    asked: Taking,
    name: str,
    levels: Sequence[take_in.NewLevel],
    painted_by: tuple[int | None, int | None],
    tell: Tell,
) -> dict[str, Any]:
    """Stores levels from rear to front in one transaction. tell: is told how many pictures are stored."""
    stored = itertools.count(1)
    with store.transaction() as cursor:
        ids = []
        if asked.into:
            shot = productions.shot(cursor, _number(asked.into))
            take_in.refuse_unfit(shot, production_id, levels)
            shot_id = int(shot["id"])
        else:
            size = take_in.new_shot_size(levels)
            shot_id, first = productions.create_shot(
                cursor, production_id, name, asked.fps, levels[0].name, levels[0].model, levels[0].key
            )
            productions.set_size(cursor, shot_id, size, take_in.length_of(levels))
            ids.append(first)
        for level in levels[len(ids) :]:
            ids.append(productions.add_level(cursor, shot_id, level.name, level.model, level.key))
        for level_id, level in zip(ids, levels, strict=True):
            take_in.store_level(cursor, level_id, level, lambda: tell(next(stored)))
        worked = next((k for k, lv in zip(ids, levels, strict=True) if lv.kind == "drawings"), ids[0])
        if asked.trace:
            _, starts, _ = levels[0].exposed()
            worked = take_in.tracing_level(cursor, shot_id, starts, *painted_by)
    return {"shot": shot_id, "level": worked, "url": f"/shots/{shot_id}/rough?level={worked}"}


def _wishes(text: str) -> list[take_in.Wish]:
    try:
        return [
            take_in.Wish(int(w["index"]), named(str(w["name"]), "level"), str(w["becomes"]))
            for w in json.loads(text)
        ]
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise Refusal("Choose what becomes of each layer again") from error


def _number(text: str) -> int:
    """A number that names a row; 0, which names none, for what is no number."""
    return int(text) if re.fullmatch(r"[0-9]{1,9}", text) else 0


def _new_folder(settings: Settings) -> Path:
    """A folder for files that wait; those that waited too long are cleared away."""
    root = settings.cache / "incoming"
    root.mkdir(parents=True, exist_ok=True)
    for old in root.iterdir():
        if old.stat().st_mtime < time.time() - _KEEP:
            shutil.rmtree(old, ignore_errors=True)
    folder = root / secrets.token_hex(12)
    folder.mkdir()
    return folder


_TOKEN = re.compile(r"[0-9a-f]{24}")
"""What names files that wait, and what is watched."""

_AT_ONCE = 60
"""Pictures up to which they are stored while the page waits."""


def _folder(settings: Settings, token: str) -> Path:
    if not _TOKEN.fullmatch(token):
        raise Refusal("Choose the pictures again")
    return settings.cache / "incoming" / token


def _taken_up(settings: Settings, token: str) -> Report:
    try:
        return Report.read(_folder(settings, token) / _REPORT)
    except (OSError, ValueError) as error:
        raise Refusal("The pictures were chosen too long ago; choose them again") from error
