"""Whole productions into a file, and back, while the pages are served; and a shot once more beside itself."""

from __future__ import annotations

import contextlib
import hashlib
import itertools
import json
import logging
import math
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pydantic import BaseModel
from pymysql.err import DataError, IntegrityError, OperationalError

from ..core.paint import NOTHING
from ..errors import Damaged, Refusal
from ..formats.backup import Reader, Writer
from ..formats.zips import BROKEN
from ..store import Cursor, Row, Store, backup, models, pictures, productions
from ..store.documents import PARTS, current, parts_of, picture_in, text_of, textures_in, tiles_in
from ..store.states import Model, Stack, Time
from ..text import MOST_LETTERS
from .documents import sheet_of

log = logging.getLogger(__name__)

Say = Callable[[int, int], None]
"""Called with the parts done and all of them."""

_LOST = 0
"""A pot that is in no model any more; no pot has this number."""

_NO_KEY = -1
"""A colour key that is in no model any more; 0 stands for all keys."""


@dataclass(frozen=True)
class Kept:
    """What a backup holds, in numbers."""

    productions: list[str]
    shots: int
    drawings: int
    revisions: int
    bytes: int

    def __str__(self) -> str:
        return (
            f"{', '.join(self.productions) or 'no production'}: {self.shots} shots, {self.drawings} drawings,"
            f" {self.revisions} revisions, {self.bytes / 1e6:.1f} MB"
        )


def back_up(store: Store, path: Path, production: str | None = None, say: Say = lambda *_: None) -> Kept:
    """Writes all productions, or one by its name, as they are at this moment. Every part is read again and checked.

    Raises Refusal if there is no such production or the file cannot be written.
    """
    try:
        with store.transaction(snapshot=True) as cursor:
            found = productions.listing(cursor)
            chosen = [row for row in found if production in (None, row["name"])]
            if production is not None and not chosen:
                names = ", ".join(row["name"] for row in found) or "none"
                raise Refusal(f"There is no production called “{production}”; there are: {names}")
            about = {
                "made": datetime.now(UTC).isoformat(timespec="seconds"),
                "productions": [row["name"] for row in chosen],
                "migrations": backup.migrations(cursor),
            }
            with Writer(path, about) as out:
                counts = _write(cursor, out, [row["id"] for row in chosen], say)
    except OSError as error:
        raise Refusal(
            f"{path} could not be written ({error.strerror}); nothing was left behind. Choose another place"
        ) from error
    reader = Reader(path)
    try:
        for _ in reader.check():
            pass
    finally:
        reader.close()
    return Kept(
        [row["name"] for row in chosen],
        counts["shots"],
        counts["drawings"],
        counts["revisions"],
        path.stat().st_size,
    )


def _write(cursor: Cursor, out: Writer, ids: list[int], say: Say) -> dict[str, int]:
    names: dict[str, set[str]] = {"pictures": set(), "documents": set()}
    stacks: set[str] = set()
    sketches: set[str] = set()
    counts = {}
    for table in backup.TABLES:
        rows = backup.rows_of(cursor, table, ids)
        counts[table.name] = out.rows(table.name, rows)
        for row in rows:
            if table.name == "revisions":
                parts = parts_of(row["parts"])
                names["documents"] |= set(parts.values())
                stacks |= {parts["stack"]} if "stack" in parts else set()
                sketches |= {parts["sketch"]} if "sketch" in parts else set()
            else:
                names["pictures"] |= textures_in(row.get("finish") or "")
                names["pictures"] |= set(json.loads(row.get("pictures") or "[]"))
                names["pictures"] |= {
                    row[c] for c in ("rough", "was", "sha256", "picture", "sheet") if row.get(c)
                }
                names["pictures"] |= tiles_in(row["made"]) if table.name == "props" else set()
    done = 0
    for kind, more in backup.PARTS.items():
        about = []
        for name in sorted(names[kind]):
            found = backup.blob(cursor, kind, name)
            if found is None:
                raise Damaged(
                    f"The database misses {kind[:-1]} {name[:12]}; this production cannot be backed up"
                )
            out.blob(kind, name, found["body"])
            if kind == "documents" and (picture := picture_in(found["body"])):
                names["pictures"].add(picture)
            if name in stacks:
                names["pictures"] |= textures_in(text_of(found["body"]).decode())
            if name in sketches:
                names["pictures"] |= tiles_in(text_of(found["body"]).decode())
            about.append({"sha256": name, **{column: found[column] for column in more}})
            done += 1
            say(done, sum(map(len, names.values())))
        out.rows(kind, about)
    return counts


def restore(store: Store, path: Path, name: str | None = None, say: Say = lambda *_: None) -> Kept:
    """Brings the productions of a backup into the database: all of it or, if anything is wrong, nothing.

    name: for the one production of the file, if its own is taken. Raises Refusal naming the file.
    """
    with _unpackaged(path) as inner:
        return _restored(store, inner, path, name, say)


@contextlib.contextmanager
def _unpackaged(path: Path) -> Iterator[Path]:
    """The backup itself, where a file is a whole package with one in it."""
    with tempfile.TemporaryDirectory() as folder:
        yield _inner(path, folder) or path


def _inner(path: Path, folder: str) -> Path | None:
    if not zipfile.is_zipfile(path):
        return None
    try:
        with zipfile.ZipFile(path) as archive:
            if IN_PACKAGE not in archive.namelist():
                return None
            inner = archive.getinfo(IN_PACKAGE)
            # It is packed already: one that unpacks to far more than it takes was made to fill the disk.
            if inner.file_size > 4 * inner.compress_size + 2**20:
                raise Refusal(
                    f"{path}: its part {IN_PACKAGE} unpacks to far more than it takes; ask for it anew"
                )
            return Path(archive.extract(inner, folder))
    except BROKEN as error:
        raise Refusal(f"{path} is no whole package: it was cut off, or is another file") from error


IN_PACKAGE = "production.schoon"
"""Name of the backup in a package that was handed off."""


def _restored(store: Store, inner: Path, path: Path, name: str | None, say: Say) -> Kept:
    reader = Reader(inner)
    try:
        total = 2 * len(reader)
        # All of it is looked at before anything is changed.
        for done, _ in enumerate(reader.check(), 1):
            say(done, total)
        with _as_refusal(path), store.transaction() as cursor:
            unknown = set(reader.about["migrations"]) - set(backup.migrations(cursor))
            if unknown:
                raise Refusal(f"{path} was written by a newer Schoon; restore it with that one")
            return _restore(cursor, reader, name, lambda done: say(len(reader) + done, total))
    finally:
        reader.close()


@contextlib.contextmanager
def _as_refusal(path: Path) -> Iterator[None]:
    """What goes wrong because a file is of another shape than one that was written here is its fault, and said so."""
    try:
        yield
    except (*_MISSHAPEN, DataError, IntegrityError, OperationalError) as error:
        if isinstance(error, OperationalError) and error.args[0] != _NO_VALUE:
            raise
        # Should it be a mistake of ours, the log says where.
        log.warning("%s cannot be restored", path, exc_info=True)
        raise Refusal(f"{path} holds what no Schoon has written; ask for it anew") from error


_NO_VALUE = 1364
"""MariaDB's number for a column that has to have a value and was given none."""


def _restore(cursor: Cursor, reader: Reader, name: str | None, say: Callable[[int], None]) -> Kept:
    wanted = reader.rows("productions")
    if name is not None and len(wanted) != 1:
        raise Refusal(f"{reader.path} holds {len(wanted)} productions; a new name can be given to one only")
    taken = {row["name"].casefold() for row in productions.listing(cursor)}
    for row in wanted:
        if (name or row["name"]).casefold() in taken:
            raise Refusal(
                f"There is a production called “{name or row['name']}” already; restore it under another name with --as"
            )
    done = 0
    for row in reader.rows("pictures"):
        backup.put_blob(cursor, "pictures", _picture(reader, row))
        done += 1
        say(done)
    ids = backup.Ids()
    rows = {table.name: reader.rows(table.name) for table in backup.TABLES}

    def bodies() -> Iterator[tuple[str, bytes]]:
        for count, document in enumerate(reader.names("documents"), done + 1):
            body = reader.blob("documents", document)
            _check(reader, document, part_of.get(document, ""), reader.unpacked(body, document))
            yield document, body
            say(count)

    part_of = {name: part for row in rows["revisions"] for part, name in _parts(row).items()}
    missing = set(part_of) - set(reader.names("documents"))
    if missing:
        raise Refusal(f"{reader.path} misses its document {min(missing)[:12]}; ask for it anew")
    _lay(cursor, ids, rows, bodies(), name)
    _read_once(cursor, ids, rows)
    counts = {table: len(found) for table, found in rows.items()}
    names = [name or row["name"] for row in wanted]
    size = reader.path.stat().st_size
    return Kept(names, counts["shots"], counts["drawings"], counts["revisions"], size)


def copy_shot(cursor: Cursor, shot_id: int) -> int:
    """A shot once more in its production, with all it holds and its history, under the next free name. Returns its id. Raises
    NotFound."""
    own = productions.shot(cursor, shot_id)
    taken = {
        row["name"].casefold()
        for row in productions.shots(cursor)
        if row["production_id"] == own["production_id"]
    }
    numbered = (f"{own['name'][: MOST_LETTERS - 4]} {k}" for k in itertools.count(2))
    name = next(name for name in numbered if name.casefold() not in taken)
    ids = backup.Ids(shared=[table.name for table in backup.TABLES if not table.of_shot])
    rows = {table.name: backup.rows_of_shot(cursor, table, shot_id) for table in backup.TABLES}
    rows["shots"] = [{**row, "name": name} for row in rows["shots"]]
    names = {
        document for row in rows["revisions"] for part, document in _parts(row).items() if part in _OF_SHOT
    }

    def bodies() -> Iterator[tuple[str, bytes]]:
        for document in sorted(names):
            found = backup.blob(cursor, "documents", document)
            if found is None:
                raise Damaged(f"The database misses document {document[:12]}; this shot cannot be copied")
            yield document, found["body"]

    _lay(cursor, ids, rows, bodies())
    made = ids.of("shots", shot_id)
    assert made is not None
    return made


def _lay(
    cursor: Cursor,
    ids: backup.Ids,
    rows: Mapping[str, list[Row]],
    bodies: Iterable[tuple[str, bytes]],
    name: str | None = None,
) -> None:
    """Puts rows into the database under new ids, with all that names them. bodies: the documents of revisions that name rows, or
    are not in it yet, by name. name: for the one production among them."""
    parts = {row["id"]: _parts(row) for row in rows["revisions"]}
    part_of = {name: part for found in parts.values() for part, name in found.items()}
    documents: dict[str, str] = {}

    def looked_at(row: Row) -> Row:
        return {
            **row,
            "parts": json.dumps({part: documents.get(name, name) for part, name in parts[row["id"]].items()}),
        }

    for table in backup.TABLES:
        if table.name == "revisions":
            # Documents name rows, which have their new ids by now.
            for document, body in bodies:
                fresh = _renamed(body, _RENAMED.get(part_of.get(document, "")), ids)
                documents[document] = hashlib.sha256(zlib.decompress(fresh)).hexdigest()
                backup.put_blob(cursor, "documents", {"sha256": documents[document], "body": fresh})
            ids.put(cursor, table, rows[table.name], looked_at)
        elif table.name == "productions" and name is not None:
            ids.put(cursor, table, rows[table.name], lambda row: {**row, "name": name})
        elif table.name == "levels":
            ids.put(cursor, table, rows[table.name], lambda row: _level_row(row, ids))
        elif table.name == "props":
            ids.put(cursor, table, rows[table.name], lambda row: _prop_row(row, ids))
        elif table.name == "recipes":
            ids.put(cursor, table, rows[table.name], lambda row: _finished_row(row, ids))
        else:
            ids.put(cursor, table, rows[table.name])
    for table in backup.TABLES:
        ids.settle(cursor, table, rows[table.name])
    _settle_waved(cursor, rows["levels"], ids)


_MISSHAPEN = (LookupError, TypeError, ValueError, AttributeError, ArithmeticError, RecursionError, Damaged)
"""What reading something of another shape than it should have ends with."""

_STATES: dict[str, type[BaseModel]] = {"time": Time, "stack": Stack, "model": Model}


def _check(reader: Reader, document: str, part: str, text: bytes) -> None:
    """Raises Refusal for a document that no page could read."""
    try:
        content = json.loads(text, parse_constant=_finite, parse_float=_finite)
        if part in _STATES:
            _STATES[part].model_validate(current(part, content))
        elif part:
            if "own" in content:
                content = {**content, "own": {**content["own"], "body": b""}}
            sheet_of((1, 1), **{**dict.fromkeys(("line", "seal", "paint")), part: content})
    except _MISSHAPEN as error:
        log.warning("%s, document %s: %r", reader.path, document, error)
        raise Refusal(
            f"{reader.path} holds a document of {part or 'no'} part that cannot be read ({document[:12]}); ask for it anew"
        ) from error


def _finite(number: str) -> float:
    """A number of a document; JSON knows no others, and none that is too large to be one."""
    value = float(number)
    if not math.isfinite(value):
        raise ValueError(f"{number} is no number")
    return value


def _read_once(cursor: Cursor, ids: backup.Ids, rows: Mapping[str, list[Row]]) -> None:
    """Reads what was brought in as the pages will."""
    for row in rows["shots"]:
        if shot := ids.of("shots", row["id"]):
            productions.time_of(cursor, shot)
            productions.stack_of(cursor, shot)
            productions.shot(cursor, shot)
    for row in rows["models"]:
        if model := ids.of("models", row["id"]):
            models.model(cursor, model)


def _picture(reader: Reader, row: Row) -> Row:
    """A picture as it is kept: under the name of its bytes, as what it is. Raises Refusal for anything else, whatever is said of
    it: files come from others."""
    name, mime = str(row.get("sha256")), str(row.get("mime"))
    body = reader.blob("pictures", name)
    found = pictures.type_of(body, mime)
    if pictures.name_of(body) != name or found is None:
        raise Refusal(
            f"{reader.path} holds a picture {name[:12]} that is none, or another one; ask for it anew"
        )
    try:
        width, height = int(row["width"]), int(row["height"])
    except (KeyError, TypeError, ValueError) as error:
        raise Refusal(
            f"{reader.path} does not say how large its picture {name[:12]} is; ask for it anew"
        ) from error
    return {"sha256": name, "mime": found, "width": width, "height": height, "body": body}


def _parts(row: Row) -> dict[str, str]:
    """part -> document of a revision; before it had `parts` there was a column each."""
    if "parts" in row:
        return parts_of(row["parts"])
    return {part: row[part] for part in PARTS if row.get(part)}


Rename = Callable[[Any, backup.Ids], Any]


def _renamed(body: bytes, rename: Rename | None, ids: backup.Ids) -> bytes:
    """A document with the rows it names under their new ids."""
    if rename is None:
        return body
    content = rename(json.loads(text_of(body)), ids)
    text = json.dumps(content, sort_keys=True, separators=(",", ":"))
    return zlib.compress(text.encode(), 6)


def _paint(content: Any, ids: backup.Ids) -> Any:
    return {**content, "patches": [_spot(spot, ids) for spot in content["patches"]]}


def _keyed(table: str, content: Mapping[str, Any], ids: backup.Ids) -> dict[str, Any]:
    """A mapping whose names are ids; those of rows that are gone are left out."""
    new = {ids.of(table, k): value for k, value in content.items()}
    return {str(k): value for k, value in new.items() if k is not None}


def _time(content: Any, ids: backup.Ids) -> Any:
    levels = {
        level: {f: ids.of("drawings", what) if isinstance(what, int) else what for f, what in starts.items()}
        for level, starts in content["levels"].items()
    }
    return {
        **content,
        "levels": _keyed("levels", levels, ids),
        "marks": _keyed("drawings", content["marks"], ids),
        "meant": [new for d in content.get("meant", ()) if (new := ids.of("drawings", d)) is not None],
        "roughs": _keyed("drawings", content.get("roughs", {}), ids),
        "numbers": _keyed("drawings", content.get("numbers", {}), ids),
        "labels": _keyed("drawings", content.get("labels", {}), ids),
        "notes": {
            name: {**note, "drawing": ids.of("drawings", note["drawing"])}
            for name, note in content.get("notes", {}).items()
        },
    }


def _stack(content: Any, ids: backup.Ids) -> Any:
    levels = {
        k: {
            **level,
            "model": ids.of("models", level["model"]),
            "key": ids.of("colour_keys", level["key"]),
            "depth": _keyed("drawings", level.get("depth", {}), ids),
            "key_changes": _changes(level.get("key_changes", {}), ids),
            "key_lights": _keyed("colour_keys", level.get("key_lights", {}), ids),
            "finish": [_entry(entry, ids) for entry in level.get("finish", [])],
            "waved": _waved(level.get("waved", []), ids),
            "entries": {
                name: [[ids.of("drawings", drawing), frames] for drawing, frames in run]
                for name, run in level.get("entries", {}).items()
            },
        }
        for k, level in content["levels"].items()
    }
    order = [ids.of("levels", level) for level in content["order"]]
    return {**content, "order": order, "levels": _keyed("levels", levels, ids)}


def _entry(entry: Mapping[str, Any], ids: backup.Ids) -> dict[str, Any]:
    """An entry of the finish, which may name pots."""
    new = dict(entry)
    if entry.get("pot"):
        new["pot"] = ids.of("pots", entry["pot"]) or _LOST
    for name in ("pots", "kept"):
        if entry.get(name):
            new[name] = [ids.of("pots", pot) or _LOST for pot in entry[name]]
    return new


def _finished_row(row: Row, ids: backup.Ids) -> Row:
    """A row with a finish, whose entries may name pots."""
    entries = [_entry(entry, ids) for entry in json.loads(row.get("finish") or "[]")]
    return {**row, "finish": json.dumps(entries)}


def _prop_row(row: Row, ids: backup.Ids) -> Row:
    """A prop, whose forms name pots."""
    made = json.loads(row["made"])
    for form in made.get("shapes") or made.get("surfaces") or []:
        form["pot"] = (ids.of("pots", form["pot"]) or _LOST) if form.get("pot") else 0
    return {**row, "made": json.dumps(made)}


def _props(content: Any, ids: backup.Ids) -> Any:
    return {**content, "placed": _keyed("props", content["placed"], ids)}


def _again(content: Any, ids: backup.Ids) -> Any:
    """Parts that follow others, but those of drawings that are gone."""
    uses = {
        part: {**use, "source": source}
        for part, use in content["uses"].items()
        if (source := ids.of("drawings", use["source"])) is not None
    }
    return {**content, "uses": uses}


def _level_row(row: Row, ids: backup.Ids) -> Row:
    changes = json.loads(row.get("key_changes") or "{}")
    lights = _keyed("colour_keys", json.loads(row.get("key_light") or "{}"), ids)
    return {
        **_finished_row(row, ids),
        "key_changes": json.dumps(_changes(changes, ids)),
        "key_light": json.dumps(lights),
        "waved": None,
    }


def _settle_waved(cursor: Cursor, levels: list[Row], ids: backup.Ids) -> None:
    """What was waved through names drawings, which come after their levels."""
    for row in levels:
        if row.get("waved"):
            waved = json.dumps(_waved(json.loads(row["waved"]), ids))
            cursor.execute("UPDATE levels SET waved = %s WHERE id = %s", (waved, ids.of("levels", row["id"])))


def _waved(waved: list[Any], ids: backup.Ids) -> list[Any]:
    known = [
        {**one, "drawings": [new for d in one["drawings"] if (new := ids.of("drawings", d)) is not None]}
        for one in waved
    ]
    return [one for one in known if one["drawings"]]


def _changes(changes: Mapping[str, Any], ids: backup.Ids) -> dict[str, Any]:
    """Changes of the colour key over time, but those to keys that are gone."""
    return {
        frame: {**change, "key": key}
        for frame, change in changes.items()
        if (key := ids.of("colour_keys", change["key"])) is not None
    }


def _model(content: Any, ids: backup.Ids) -> Any:
    keys = [
        {
            **key,
            "id": ids.of("colour_keys", key["id"]),
            "colours": _keyed("pots", key["colours"], ids),
            "tones": _keyed("pots", key["tones"], ids),
        }
        for key in content["keys"]
    ]
    pots = [{**pot, "id": ids.of("pots", pot["id"])} for pot in content["pots"]]
    return {**content, "pots": pots, "keys": keys}


def _tone(content: Any, ids: backup.Ids) -> Any:
    return {**content, "shapes": [_shape(shape, ids) for shape in content["shapes"]]}


def _shape(shape: Mapping[str, Any], ids: backup.Ids) -> dict[str, Any]:
    """A shape of tone, which may name pots and a colour key."""
    new = dict(shape)
    if "pots" in shape:
        new["pots"] = [ids.of("pots", pot) or _LOST for pot in shape["pots"]]
    if "key" in shape:
        new["key"] = ids.of("colour_keys", shape["key"]) or _NO_KEY
    if "without" in shape:
        new["without"] = [ids.of("colour_keys", key) or _NO_KEY for key in shape["without"]]
    return new


_RENAMED: dict[str, Rename] = {
    "paint": _paint,
    "tone": _tone,
    "time": _time,
    "stack": _stack,
    "model": _model,
    "props": _props,
    "again": _again,
}
"""part -> what gives its documents the new ids; the others name no rows."""

_OF_SHOT = ("time", "stack", "again")
"""Parts whose documents name rows of their own shot; those of others name its models' and production's at most."""


def _spot(spot: Mapping[str, Any], ids: backup.Ids) -> dict[str, Any]:
    def pot(number: int) -> int:
        return number if number == NOTHING else ids.of("pots", number) or _LOST

    new = {**spot, "pot": pot(spot["pot"])}
    if "others" in spot:
        new["others"] = [pot(number) for number in spot["others"]]
    if "joined" in spot:
        new["joined"] = [[pot(number), x, y] for number, x, y in spot["joined"]]
    if "from" in spot:
        drawing, x, y = spot["from"]
        source = ids.of("drawings", drawing)
        if source is None:
            del new["from"]
        else:
            new["from"] = [source, x, y]
    return new
