"""What a picture of drawings is made from: their documents, their look, and patches that were found before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..core import exposure
from ..core.finish import Entry, own_pictures
from ..core.look import Look
from ..core.model import parse_colour
from ..store import Cursor, DrawingRow, ShotRow, pictures, productions, revisions
from ..store.states import Lay
from .derived import Files, sheet_key
from .documents import sheet_of
from .frames import Drawn
from .looks import look_in, look_of
from .placing import SAME, Numbers, paper_of
from .roughs import rough_body, rough_name


@dataclass(frozen=True)
class Wanted:
    """A drawing that is to be seen. row: as `store.revisions.drawing`. names: of the documents its picture takes.

    picture: name of the picture below its lines, where its level shows pictures. lies, opacity: of the level. place: from
    its paper to the frame.
    """

    row: DrawingRow
    size: tuple[int, int]
    look: Look
    names: tuple[str | None, ...]
    finish: tuple[Entry, ...] = ()
    number: int = 0
    picture: str | None = None
    lies: Lay = "fit"
    opacity: int = 100
    place: Numbers = SAME

    @property
    def key(self) -> tuple[object, ...]:
        """What its picture derives from."""
        finish = [(entry.model_dump_json(), self.number) for entry in self.finish]
        return (
            self.names,
            self.look.key(),
            finish,
            self.picture,
            self.size,
            self.lies,
            self.opacity,
            # A place that was worked out may hold -0, which is written otherwise.
            tuple(number + 0.0 for number in self.place),
        )

    @property
    def empty(self) -> bool:
        """Whether nothing of it is seen."""
        return self.picture is None and not self.row["line"]


def wanted_of(
    cursor: Cursor, row: DrawingRow, shot: ShotRow, key_id: int | None = None, painted: bool = True
) -> Wanted:
    """shot: seen with the drawing's level. painted: False for its line alone."""
    over_time = key_id is None and bool(shot["key_changes"])
    look = (
        look_in(cursor, shot, _first_frame(cursor, row, shot)) if over_time else look_of(cursor, shot, key_id)
    )
    if shot["tint"]:
        look = replace(look, ink=parse_colour(shot["tint"]))
    size = paper_of(shot)
    names: tuple[str | None, ...] = tuple(row[part] for part in revisions.SHOWN)
    if not (painted and row["paint"]):
        look, names = look.inked(), (row["line"], *[None] * (len(revisions.SHOWN) - 1))
        return Wanted(row, size, look, names)
    return Wanted(row, size, look, names, *_finish(cursor, row, shot))


def _first_frame(cursor: Cursor, row: DrawingRow, shot: ShotRow) -> int:
    """The frame in which a drawing is first seen; 1 if it is in none."""
    spans = exposure.spans(productions.exposures(cursor, row["level_id"]), shot["frames"])
    return next((start for start, _, drawing in spans if drawing == row["id"]), 1)


def _finish(cursor: Cursor, row: DrawingRow, shot: ShotRow) -> tuple[tuple[Entry, ...], int]:
    """What of the finish of a level is for a drawing, and its number in the run."""
    if not shot["finish"]:
        return (), 0
    order = [r["id"] for r in productions.drawings(cursor, row["level_id"])]
    first = _first_frame(cursor, row, shot)
    return tuple(entry.at(first) for entry in shot["finish"] if entry.holds(first)), order.index(row["id"])


def in_stack(
    cursor: Cursor, row: DrawingRow, shot: ShotRow, painted: bool = True, key_id: int | None = None
) -> Wanted:
    """A drawing as it is seen among the levels of its shot: of a level that shows pictures, with its picture.

    shot: seen with the drawing's level.
    """
    wanted = wanted_of(cursor, row, shot, key_id, painted)
    picture = rough_name(row) or None if shot["kind"] != "drawings" else None
    return replace(wanted, picture=picture, lies=shot["lies"], opacity=shot["opacity"])


def drawn_of(cursor: Cursor, files: Files, wanted: Wanted) -> tuple[Drawn, str]:
    """A drawing ready for a worker, and the key its patches are kept under."""
    found = revisions.get_documents(cursor, wanted.names)
    line, seal, paint, tone = (found.get(name or "") for name in wanted.names)
    key = sheet_key(wanted.names[0], sheet_of(wanted.size, None, seal, None))
    packed = files.read(key, ".patches") if paint or tone else None
    picture = rough_body(cursor, wanted.row, wanted.size) if wanted.picture else None
    opacity = wanted.opacity / 100
    return Drawn(
        (line, seal, paint, tone),
        wanted.look,
        wanted.finish,
        wanted.number,
        packed,
        picture,
        wanted.size,
        wanted.lies,
        opacity,
        wanted.place,
        {name: bytes(pictures.get(cursor, name)["body"]) for name in own_pictures(wanted.finish)},
    ), key


def keep_patches(files: Files, keys: Sequence[str], packed: Sequence[bytes | None]) -> None:
    """Keeps patches that a worker has found on its way."""
    for key, body in zip(keys, packed, strict=True):
        if body is not None and not files.path(key, ".patches").exists():
            files.get(key, ".patches", lambda body=body: body)  # type: ignore[misc]
