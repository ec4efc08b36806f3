"""How roughs are read: the settings of a level, what was said of marks, and what its finished drawings teach.

What a rough is read as is derived data: one file holds its strokes and its other marks, under a name that everything
it derives from takes part in.
"""

from __future__ import annotations

import hashlib
import io
import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.cleanup import CleanupSettings, Lesson, Taught, agreed, lessons_in, pencils_of, read_rough, taught
from ..core.paper import Pencil
from ..core.strokes import strokes_from_dicts, strokes_to_dicts
from ..errors import Refusal
from ..formats.pictures import decode
from ..store import Cursor, DrawingRow, pictures, productions, revisions
from .derived import Files, Memory, key_of, to_json
from .documents import Own, said_of
from .placing import paper_of
from .roughs import rough_body, rough_name

Call = Callable[..., Any]
"""Calls a function in a worker."""

_VOTES = 12
"""Drawings of a run that are asked what its pencils are for."""

Wanted = tuple[str, bytes, Mapping[str, Any], Any, Sequence[bytes]]
"""Arguments of `read`."""


def settings_of(reading: Mapping[str, Any]) -> CleanupSettings:
    """The settings that a reading from JSON names."""
    pencils = tuple((float(hue), str(role)) for hue, role in reading.get("pencils", ()))
    given = {k: v for k, v in reading.items() if k not in ("taught_by", "pressure", "ink")}
    # Strokes carry how the pencil pressed; the line rule says what becomes of it.
    return CleanupSettings(
        **{**given, "pencils": pencils, "keep": tuple(reading.get("keep", ())), "pressure": 1.0}
    )


@dataclass(frozen=True)
class Lessons:
    """What the drawings of a level teach. names: of what it derives from. bodies: as `read` takes them. pencils: what each
    coloured pencil is for in the run, as `CleanupSettings.pencils`."""

    names: tuple[str, ...] = ()
    bodies: tuple[bytes, ...] = ()
    pencils: tuple[tuple[float, str], ...] = ()


@dataclass(frozen=True)
class _Source:
    """A drawing that teaches. said, line: its documents, None for nothing said and for a line that is not finished."""

    number: str
    row: DrawingRow
    said: Any
    line: Any
    name: str


def lessons(
    level_id: int,
    reading: Mapping[str, Any],
    files: Files,
    transaction: Callable[[], Any],
    call: Call,
) -> Lessons:
    """What was said in any drawing of a level, and the lines of the drawings that `reading` names in `taught_by`.

    transaction: opens one; none should be open. Raises Refusal if a rough cannot be read.
    """
    with transaction() as cursor:
        sources = _sources(cursor, level_id, reading)
    bodies = []
    for source in sources:
        body = files.read(source.name, ".lesson")
        if body is None:
            with transaction() as cursor:
                rough = rough_of(cursor, source.row)
            made = call(teach, f"drawing {source.number}", rough, dict(reading), source.said, source.line)
            body = files.get(source.name, ".lesson", partial(bytes, made))
        bodies.append(body)
    return Lessons(
        tuple(s.name for s in sources), tuple(bodies), pencils_of_run(level_id, files, transaction, call)
    )


def pencils_of_run(
    level_id: int, files: Files, transaction: Callable[[], Any], call: Call
) -> tuple[tuple[float, str], ...]:
    """What the drawings of a level agree on, from some of them over its length."""
    with transaction() as cursor:
        rows = [row for row in productions.drawings(cursor, level_id) if rough_name(row)]
    seen = []
    for row in rows[:: max(1, -(-len(rows) // _VOTES))]:
        name = key_of("pencils of run", rough_name(row))
        found = files.read_json(name)
        if found is None:
            with transaction() as cursor:
                body = rough_of(cursor, row)
            try:
                made = call(pencils_in, f"drawing {row['number']}", body)
            except Refusal:
                # Its own reading names what is wrong with it.
                continue
            found = json.loads(files.get(name, ".json", partial(to_json, made)))
        seen.append([(Pencil(tuple(direction), share), role) for direction, share, role in found])
    return agreed(seen)


def pencils_in(name: str, body: bytes) -> list[tuple[tuple[float, float, float], float, str]]:
    """Direction, share and role by itself of each coloured pencil of a rough. For a worker. Raises Refusal."""
    return [(p.direction, p.share, role) for p, role in pencils_of(decode(name, body))]


def of_run(reading: Mapping[str, Any], known: Lessons) -> Mapping[str, Any]:
    """A reading with what the run says of pencils that it does not name itself."""
    if not known.pencils:
        return reading
    return {**reading, "pencils": [*reading.get("pencils", ()), *map(list, known.pencils)]}


def _sources(cursor: Cursor, level_id: int, reading: Mapping[str, Any]) -> list[_Source]:
    finished = set(reading.get("taught_by", ()))
    rows = [
        r
        for r in productions.drawings(cursor, level_id)
        if rough_name(r) and (r["said"] or r["id"] in finished)
    ]
    lines = {r["id"]: r["line"] if r["id"] in finished else None for r in rows}
    found = revisions.get_documents(cursor, [name for r in rows for name in (r["said"], lines[r["id"]])])
    return [
        _Source(
            r["number"], r, found.get(r["said"]), found.get(lines[r["id"]]),
            key_of("lesson", rough_name(r), r["said"], lines[r["id"]], _text(reading)),
        )
        for r in rows
    ]  # fmt: skip


def _text(reading: Mapping[str, Any]) -> str:
    return json.dumps({k: v for k, v in reading.items() if k not in ("taught_by", "ink")}, sort_keys=True)


def own(cursor: Cursor, row: DrawingRow, reading: Mapping[str, Any]) -> Own | None:
    """The ink of a drawing's rough where `reading` names in `ink` that it is what will be seen: "own" in its colours,
    "tinted" in that of the key; "strokes" or nothing for none."""
    ink = reading.get("ink", "strokes")
    if ink == "strokes":
        return None
    body = rough_of(cursor, row)
    name = row["rough"]
    if row["sketch"]:
        height, width = decode(f"drawing {row['number']}", body).shape[:2]
        name = pictures.put(cursor, body, "image/png", width, height)
    return Own(name, ink == "tinted", body)


def rough_of(cursor: Cursor, row: DrawingRow) -> bytes:
    """The picture a drawing is cleaned from. Raises Refusal for an empty sheet."""
    if not rough_name(row):
        raise Refusal(f"Drawing {row['number']} is an empty sheet and has no rough to read; draw its lines")
    return rough_body(cursor, row, paper_of(productions.shot_of_level(cursor, row["level_id"])))


def key(row: DrawingRow, reading: Mapping[str, Any], known: Lessons) -> str:
    """What the reading of a drawing's rough derives from."""
    return key_of("read", rough_name(row), row["said"], _text(of_run(reading, known)), *known.names)


def read(
    name: str, body: bytes, reading: Mapping[str, Any], said: Any, known: Sequence[bytes]
) -> dict[str, Any]:
    """What a rough is read as: `strokes` as documents keep them, and `marks` that are no lines: kind and points.

    For a worker. said: document or None. known: lessons. Raises Refusal if the picture cannot be read.
    """
    found = read_rough(decode(name, body), settings_of(reading), said_of(said), _learnt(known))
    marks = [{"kind": m.kind, "points": np.round(m.points, 1).tolist()} for m in found.others]
    return {"strokes": strokes_to_dicts(found.strokes), "marks": marks}


def wanted(cursor: Cursor, row: DrawingRow, reading: Mapping[str, Any], known: Lessons) -> Wanted:
    """What `read` is called with for a drawing."""
    body = rough_of(cursor, row)
    said = revisions.get_documents(cursor, [row["said"]]).get(row["said"])
    return f"drawing {row['number']}", body, of_run(reading, known), said, known.bodies


def teach(name: str, body: bytes, reading: Mapping[str, Any], said: Any, line: Any) -> bytes:
    """What is to be learnt from a drawing, for `read`. For a worker."""
    strokes = strokes_from_dicts(line["strokes"]) if line else []
    return _packed(lessons_in(decode(name, body), settings_of(reading), said_of(said), strokes))


_FIELDS = ("features", "line", "kinds", "weight", "told")


def _packed(found: Sequence[Lesson]) -> bytes:
    out = io.BytesIO()
    tables: dict[str, NDArray[Any]] = {
        f"{field}{k}": getattr(x, field).astype(np.float32) for k, x in enumerate(found) for field in _FIELDS
    }
    np.savez_compressed(out, allow_pickle=False, **tables)
    return out.getvalue()


_known: Memory[Taught] = Memory(4)


def _learnt(bodies: Sequence[bytes]) -> Taught:
    """What lessons teach, learnt once in this process for all the drawings of a run."""
    name = hashlib.sha256(b"".join(hashlib.sha256(body).digest() for body in bodies)).hexdigest()
    return _known.get(name, lambda: taught(_unpacked(bodies)))


def _unpacked(bodies: Sequence[bytes]) -> list[Lesson]:
    found = []
    for body in bodies:
        with np.load(io.BytesIO(body), allow_pickle=False) as table:
            for k in range(len(table.files) // len(_FIELDS)):
                features, line, kinds, weight, told = (table[f"{field}{k}"] for field in _FIELDS)
                line, kinds, weight = (x.astype(float) for x in (line, kinds, weight))
                found.append(Lesson(features, line, kinds, weight, told > 0))
    return found


class Reader:
    """Reads roughs of one level for the pages; what was read before comes from the derived files."""

    def __init__(
        self,
        level_id: int,
        reading: Mapping[str, Any],
        files: Files,
        transaction: Callable[[], Any],
        call: Call,
    ) -> None:
        """transaction: opens one; none should be open while roughs are read. call: computes in a worker."""
        self.reading = dict(reading)
        self._files, self._transaction, self._call = files, transaction, call
        self._lessons = lessons(level_id, reading, files, transaction, call)

    def __call__(self, row: DrawingRow) -> dict[str, Any]:
        """As `read`. Raises Refusal."""

        def make() -> bytes:
            with self._transaction() as cursor:
                call = wanted(cursor, row, self.reading, self._lessons)
            return to_json(self._call(read, *call))

        body = self._files.get(key(row, self.reading, self._lessons), ".json", make)
        found: dict[str, Any] = json.loads(body)
        return found
