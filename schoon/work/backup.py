"""Whole productions into a file, and back, while the pages are served; and a shot once more beside itself."""

from __future__ import annotations

import contextlib
import hashlib
import itertools
import json
import logging
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from pymysql.err import DataError, IntegrityError, OperationalError

from ..errors import Damaged, Refusal
from ..formats.backup import Reader, Writer
from ..formats.zips import BROKEN
from ..store import Cursor, Row, Store, backup, models, pictures, productions
from ..store.documents import PARTS, parts_of, picture_in, text_of, textures_in, tiles_in
from ..text import MOST_LETTERS
from . import renumbered
from .sound import MISSHAPEN, read_once

log = logging.getLogger(__name__)

Say = Callable[[int, int], None]
"""Called with the parts done and all of them."""


@dataclass(frozen=True)
class Kept:
    """What a backup holds, in numbers. left_out: steps of the history whose documents were harmed."""

    productions: list[str]
    shots: int
    drawings: int
    revisions: int
    bytes: int
    left_out: int = 0

    def __str__(self) -> str:
        harmed = (
            f"; {self.left_out} steps of the history were harmed and are left out" if self.left_out else ""
        )
        return (
            f"{', '.join(self.productions) or 'no production'}: {self.shots} shots, {self.drawings} drawings,"
            f" {self.revisions} revisions, {self.bytes / 1e6:.1f} MB{harmed}"
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
                counts, left_out = _write(cursor, out, [row["id"] for row in chosen], say)
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
        left_out,
    )


def _write(cursor: Cursor, out: Writer, ids: list[int], say: Say) -> tuple[dict[str, int], int]:
    """How many rows of each table were written, and how many steps of the history were left out."""
    rows = {table.name: backup.rows_of(cursor, table, ids) for table in backup.TABLES}
    parts = {row["id"]: parts_of(row["parts"]) for row in rows["revisions"]}
    part_of = {name: part for found in parts.values() for part, name in found.items()}
    named = set().union(*(_pictures_of(table, row) for table, found in rows.items() for row in found))
    harmed: set[str] = set()
    documents: list[Row] = []
    total = len(part_of) + len(named)
    for done, (name, part) in enumerate(sorted(part_of.items()), 1):
        try:
            body, pictures_named = _sound(cursor, name, part)
        except MISSHAPEN as error:
            log.warning("document %s of part %s: %r", name, part, error)
            harmed.add(name)
            continue
        named |= pictures_named
        out.blob("documents", name, body)
        documents.append({"sha256": name})
        say(done, total)
    out.rows("documents", documents)
    rows["revisions"], left_out = _without(rows, parts, harmed)
    about = []
    for done, name in enumerate(sorted(named), len(part_of) + 1):
        found = backup.blob(cursor, "pictures", name)
        if found is None:
            raise Damaged(f"The database misses picture {name[:12]}; this production cannot be backed up")
        out.blob("pictures", name, found["body"])
        about.append({"sha256": name, **{column: found[column] for column in backup.PARTS["pictures"]}})
        say(done, len(part_of) + len(named))
    out.rows("pictures", about)
    return {table: out.rows(table, found) for table, found in rows.items()}, left_out


def _pictures_of(table: str, row: Row) -> set[str]:
    """Names of the pictures that a row names."""
    if table == "revisions":
        return set()
    found = {row[c] for c in ("rough", "was", "sha256", "picture", "sheet") if row.get(c)}
    found |= textures_in(row.get("finish") or "") | set(json.loads(row.get("pictures") or "[]"))
    return found | (tiles_in(row["made"]) if table == "props" else set())


def _sound(cursor: Cursor, name: str, part: str) -> tuple[bytes, set[str]]:
    """A document as it is stored, read once, and the pictures it names. Raises one of `MISSHAPEN`."""
    found = backup.blob(cursor, "documents", name)
    if found is None:
        raise Damaged(f"document {name[:12]} is missing")
    text = text_of(found["body"])
    if hashlib.sha256(text).hexdigest() != name:
        raise Damaged(f"document {name[:12]} is not what was written")
    read_once(part, text)
    named = {own} if (own := picture_in(found["body"])) else set()
    if part == "stack":
        named |= textures_in(text.decode())
    if part == "sketch":
        named |= tiles_in(text.decode())
    return found["body"], named


def _without(
    rows: Mapping[str, list[Row]], parts: Mapping[int, Mapping[str, str]], harmed: set[str]
) -> tuple[list[Row], int]:
    """The steps of the history without those that name a harmed document, and how many these are; what follows on one follows on
    the step before. Raises Damaged if one of them is shown now."""
    gone = {number for number, found in parts.items() if harmed & set(found.values())}
    shown = {
        row[column]
        for table in backup.TABLES
        for column in table.later
        if table.refs[column] == "revisions"
        for row in rows[table.name]
    }
    if gone & shown:
        name = min(harmed & set(parts[min(gone & shown)].values()))
        raise Damaged(
            f"Document {name[:12]}, which is shown now, was harmed: this production cannot be backed up before it is mended"
            " on the shelf, or restored from a backup"
        )
    before = {row["id"]: row["parent_id"] for row in rows["revisions"]}

    def sound(number: int | None) -> int | None:
        while number in gone:
            number = before[number]
        return number

    kept = [
        {**row, "parent_id": sound(row["parent_id"])} for row in rows["revisions"] if row["id"] not in gone
    ]
    return kept, len(gone)


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
    except (*MISSHAPEN, DataError, IntegrityError, OperationalError) as error:
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
        document
        for row in rows["revisions"]
        for part, document in _parts(row).items()
        if part in renumbered.OF_SHOT
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
                fresh = renumbered.document(part_of.get(document, ""), body, ids)
                documents[document] = hashlib.sha256(zlib.decompress(fresh)).hexdigest()
                backup.put_blob(cursor, "documents", {"sha256": documents[document], "body": fresh})
            ids.put(cursor, table, rows[table.name], looked_at)
        elif table.name == "productions" and name is not None:
            ids.put(cursor, table, rows[table.name], lambda row: {**row, "name": name})
        else:
            ids.put(cursor, table, rows[table.name], partial(renumbered.row, table.name, ids))
    for table in backup.TABLES:
        ids.settle(cursor, table, rows[table.name])
    renumbered.settle(cursor, rows["levels"], ids)


def _check(reader: Reader, document: str, part: str, text: bytes) -> None:
    """Raises Refusal for a document that no page could read."""
    try:
        read_once(part, text)
    except MISSHAPEN as error:
        log.warning("%s, document %s: %r", reader.path, document, error)
        raise Refusal(
            f"{reader.path} holds a document of {part or 'no'} part that cannot be read ({document[:12]}); ask for it anew"
        ) from error


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
