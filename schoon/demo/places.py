"""What lies under and round the drawings of the demo, stored: backdrops, framing, guides, a cycle that moves across, a film."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from ..core.exposure import Again
from ..formats.pictures import encode_png
from ..store import Cursor, models, pictures, productions, revisions
from ..store.rows import ShotRow
from ..store.states import Level, LevelKind, NotchState, Place
from ..work import movies
from ..work.documents import line_document
from ..work.take_in import NewLevel, store_level, tracing_level
from .flag import flag
from .model_sheet import KEYS
from .scenery import BOW, MOVIE, boat_movie, bow, guide_lines, harbour, lamp_room, storyboard
from .shots import SIZE

FLAG_FRAMES = 48
_BOBS = 4


def _shot(cursor: Cursor, name: str) -> ShotRow:
    found = next(row for row in productions.shots(cursor) if row["name"] == name)
    return productions.shot(cursor, found["id"])


def _still(
    cursor: Cursor, shot_id: int, name: str, pixels: NDArray[np.uint8], kind: LevelKind, **seen: object
) -> int:
    """A level of one picture that is seen in all frames."""
    level = productions.add_level(cursor, shot_id, name, None, None)
    body = encode_png(pixels, 6)
    sha = pictures.put(cursor, body, "image/png", pixels.shape[1], pixels.shape[0])
    productions.fill_level(cursor, level, [(1, "key", sha)], {1: 1})
    looks = {"opacity": 100, "visible": True, "tint": None, **seen}
    productions.set_purpose(cursor, level, kind, kind == "pictures", looks)
    return level


def _rest(
    cursor: Cursor,
    shot_id: int,
    order: Sequence[int],
    places: dict[int, Place],
    framing: dict[int, NotchState],
) -> None:
    """Stacks levels from rear to front, lays them, and sets the field that is seen."""
    now = productions.stack_of(cursor, shot_id)
    levels: dict[int, Level] = {
        k: level.model_copy(update={"place": places[k]}) if k in places else level
        for k, level in now.levels.items()
    }
    then = now.model_copy(update={"order": tuple(order), "levels": levels, "framing": framing})
    productions.set_stack(cursor, shot_id, now, then)


def store_stair_scenery(cursor: Cursor) -> None:
    """The lamp room behind the stair, the storyboard panel, a guide with its arcs, and a framing that follows Pim up."""
    shot = _shot(cursor, "Stair")
    own = list(productions.stack_of(cursor, shot["id"]).order)
    room = _still(cursor, shot["id"], "Lamp room", lamp_room(), "backdrop")
    panel = _still(cursor, shot["id"], "Storyboard", storyboard(), "pictures", opacity=45, visible=False)
    guide = productions.add_level(cursor, shot["id"], "Arcs", None, None)
    productions.fill_level(cursor, guide, [(1, "key", None)], {1: 1})
    productions.set_purpose(
        cursor, guide, "guide", False, {"opacity": 70, "visible": True, "tint": "#0b7a75"}
    )
    action = revisions.begin_action(cursor, "draw the guide")
    (row,) = productions.drawings(cursor, guide)
    document = revisions.put_document(cursor, line_document(guide_lines()))
    revisions.revise(cursor, revisions.of(row), action, line=document)
    framing = {
        1: NotchState(x=-170, y=80, scale=0.78, way="stop"),
        6: NotchState(x=-170, y=80, scale=0.78),
        28: NotchState(x=90, y=-60, scale=0.84),
    }
    _rest(cursor, shot["id"], [room, panel, *own, guide], {}, framing)


def store_flag_shot(cursor: Cursor, roughs: Sequence[bytes]) -> None:
    """The shot Flag: a boat with a signal flag crosses the harbour; flag and bow are cycles that repeat to the end."""
    stair = _shot(cursor, "Stair")
    production = stair["production_id"]
    cloth_model = next(m["id"] for m in models.listing(cursor) if m["name"] == "Flag")
    cloth_key = models.model(cursor, cloth_model)["keys"][0]["id"]
    shot, cloth = productions.create_shot(cursor, production, "Flag", 24, "Cloth", cloth_model, cloth_key)
    drawings = flag(SIZE)[: len(roughs)]
    rows: list[tuple[int | str, str, str | None]] = [
        (d.number, d.kind, pictures.put(cursor, body, "image/png", *SIZE))
        for d, body in zip(drawings, roughs, strict=True)
    ]
    starts = {1 + 2 * k: d.number for k, d in enumerate(drawings)}
    productions.fill_shot(cursor, shot, cloth, SIZE, rows, starts, FLAG_FRAMES)
    model = models.create(cursor, production, "Boat", 4.0)
    pots = {name: models.add_pot(cursor, model, name, colour) for name, colour in BOW.items()}
    key = models.add_key(cursor, model, "Noon quay", *KEYS["Noon quay"], {pots[n]: c for n, c in BOW.items()})
    front = productions.add_level(cursor, shot, "Bow", model, key)
    rows = [
        (k + 1, "key" if k == 0 else "inbetween", pictures.put(cursor, encode_png(bow(k / _BOBS, SIZE)[1], 2), "image/png", *SIZE))
        for k in range(_BOBS)
    ]  # fmt: skip
    productions.fill_level(cursor, front, rows, {1 + 3 * k: k + 1 for k in range(_BOBS)})
    now = productions.time_of(cursor, shot)
    again = {
        cloth: {**now.levels[cloth], 1 + 2 * len(drawings): Again(1)},
        front: {**now.levels[front], 1 + 3 * _BOBS: Again(1)},
    }
    productions.set_time(cursor, shot, now, now.model_copy(update={"levels": {**now.levels, **again}}))
    water = _still(cursor, shot, "Harbour", harbour(), "backdrop")
    across = Place(notches={1: NotchState(x=-1250, way="even"), FLAG_FRAMES: NotchState(x=150, way="even")})
    far = Place(
        notches={1: NotchState(x=60, way="even"), FLAG_FRAMES: NotchState(x=-60, way="even")}, follow=0.5
    )
    _rest(cursor, shot, [water, cloth, front], {cloth: across, front: across, water: far}, {})


def store_boat(cursor: Cursor) -> None:
    """The shot Toy boat: a film to trace, taken in as any other movie is, with a level of empty sheets over it."""
    production = _shot(cursor, "Stair")["production_id"]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "toy_boat.mp4"
        write_movie(path)
        report = movies.taken("toy_boat.mp4", path, Path(folder), 1, 70, 3, None, lambda _: None)
        level = NewLevel(
            "Film", tuple(report.pictures), "pictures", holds=(3,) * len(report.pictures), locked=True
        )
        shot, film = productions.create_shot(cursor, production, "Toy boat", 24, "Film", None, None)
        _, starts, frames = level.exposed()
        productions.set_size(cursor, shot, MOVIE, frames)
        store_level(cursor, film, level)
        tracing_level(cursor, shot, starts, None, None)


def write_movie(path: Path) -> None:
    """The film of the toy boat as MP4, 24 pictures a second."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=Fraction(24), options={"crf": "20"})
        stream.width, stream.height = MOVIE
        stream.pix_fmt = "yuv420p"
        for number, picture in enumerate(boat_movie()):
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            frame.pts = number
            out.mux(stream.encode(frame))
        out.mux(stream.encode())
