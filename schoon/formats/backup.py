"""A backup file: a zip of rows and blobs with the checksum of each, written and read piece by piece."""

from __future__ import annotations

import contextlib
import hashlib
import json
import zipfile
import zlib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import IO, Any

from ..errors import Refusal
from ..limits import limits
from .zips import BROKEN

FORMAT = 1

_MANIFEST = "manifest.json"

_TABLES = "tables/"
"""What names of parts with rows begin with."""

_PIECE = 2**20
"""Bytes that are read at a time where a part is only compared."""

Rows = Iterable[Mapping[str, Any]]


@dataclass(frozen=True)
class Manifest:
    """about: what the file holds, in a word each. members: name of each part -> SHA-256 of its bytes."""

    about: dict[str, Any]
    members: dict[str, str] = field(default_factory=dict)


class Writer:
    """Writes a backup to a path; it appears whole, when it is closed without an error, or not at all."""

    def __init__(self, path: Path, about: Mapping[str, Any]) -> None:
        self._path = path
        self._part = path.with_name(f"{path.name}.part")
        self._manifest = Manifest(dict(about))

    def __enter__(self) -> Writer:
        self._zip = zipfile.ZipFile(self._part, "w", zipfile.ZIP_STORED)
        return self

    def rows(self, name: str, rows: Rows) -> int:
        """A table, one row a line; returns how many."""
        lines = [json.dumps(dict(row), default=_plain, ensure_ascii=False) for row in rows]
        self._add(f"{_TABLES}{name}.jsonl", "\n".join(lines).encode(), zipfile.ZIP_DEFLATED)
        return len(lines)

    def blob(self, kind: str, name: str, body: bytes) -> None:
        """A picture or document under its name."""
        self._add(f"{kind}/{name}", body, zipfile.ZIP_STORED)

    def _add(self, name: str, body: bytes, how: int) -> None:
        self._manifest.members[name] = hashlib.sha256(body).hexdigest()
        self._zip.writestr(zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0)), body, how)

    def __exit__(self, kind: object, *_: object) -> None:
        try:
            if kind is None:
                # It comes last: a file that was cut off has none.
                self._zip.writestr(_MANIFEST, json.dumps({"format": FORMAT, **vars(self._manifest)}))
            self._zip.close()
            if kind is None:
                self._part.replace(self._path)
        finally:
            self._part.unlink(missing_ok=True)


def _plain(value: object) -> object:
    if isinstance(value, datetime | date):
        return value.isoformat(sep=" ") if isinstance(value, datetime) else value.isoformat()
    if isinstance(value, Decimal):
        return str(value)
    raise TypeError(f"a {type(value).__name__} cannot be kept")


class Reader:
    """Reads a backup. Whatever it gives is what was written; a file that was harmed is refused by name."""

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            self._zip = zipfile.ZipFile(path)
            data = json.loads(self._zip.read(_MANIFEST))
        except OSError as error:
            raise Refusal(f"{path} cannot be read: {error.strerror}") from error
        except BROKEN as error:
            raise Refusal(
                f"{path} is no whole backup of Schoon: it was cut off, or is another file"
            ) from error
        if not isinstance(data, dict):
            raise Refusal(f"{path} is no whole backup of Schoon: it was cut off, or is another file")
        if data.get("format") != FORMAT:
            raise Refusal(f"{path} was written by a newer Schoon; restore it with that one")
        about, members = data.get("about"), data.get("members")
        if not isinstance(about, dict) or not isinstance(members, dict):
            raise Refusal(f"{path} is no whole backup of Schoon: it was cut off, or is another file")
        self.about: dict[str, Any] = about
        self._members: dict[str, str] = members

    def close(self) -> None:
        self._zip.close()

    def names(self, kind: str) -> list[str]:
        """Names of all blobs of a kind."""
        return [name.partition("/")[2] for name in self._members if name.startswith(f"{kind}/")]

    def rows(self, name: str) -> list[dict[str, Any]]:
        """The rows of a table; none if the file has no such table."""
        member = f"{_TABLES}{name}.jsonl"
        if member not in self._members:
            return []
        with self._opened(member) as lines:
            return [json.loads(line) for line in lines if not line.isspace()]

    def blob(self, kind: str, name: str) -> bytes:
        """A picture or document."""
        with self._opened(f"{kind}/{name}") as part:
            return part.read()

    def check(self) -> Iterator[str]:
        """Reads every part, a piece at a time, and compares its checksum; yields the names as it goes. Raises Refusal."""
        for name in self._members:
            with self._opened(name) as part:
                while part.read(_PIECE):
                    pass
            yield name

    def unpacked(self, body: bytes, name: str) -> bytes:
        """A document as text, which lies packed in its part. Raises Refusal if it is none, or larger than a part with rows may be."""
        try:
            packer = zlib.decompressobj()
            text = packer.decompress(body, limits().table_mb * 2**20)
        except zlib.error as error:
            raise Refusal(f"{self.path} was harmed: its document {name[:12]} cannot be read") from error
        if packer.unconsumed_tail:
            raise self._too_large(f"its document {name[:12]}", "table_mb")
        return text

    def _too_large(self, what: str, limit: str) -> Refusal:
        return Refusal(
            f"{self.path}: {what} unpacks to more than {getattr(limits(), limit)} MB;"
            f" allow more by SCHOON_MOST_{limit.upper()} if you trust it"
        )

    def __len__(self) -> int:
        return len(self._members)

    @contextlib.contextmanager
    def _opened(self, name: str) -> Iterator[_Part]:
        """A part that is read to its end, whose checksum is compared then. Raises Refusal."""
        try:
            limit = "table_mb" if name.startswith(_TABLES) else "part_mb"
            # The size that is stated is the most that is unpacked.
            if self._zip.getinfo(name).file_size > getattr(limits(), limit) * 2**20:
                raise self._too_large(f"its part {name}", limit)
            with self._zip.open(name) as raw:
                part = _Part(raw)
                yield part
        except (*BROKEN, OSError) as error:
            raise Refusal(f"{self.path} was harmed: its part {name} cannot be read") from error
        if part.sum.hexdigest() != self._members.get(name):
            raise Refusal(f"{self.path} was harmed: its part {name} is not what was written")


class _Part:
    """A part while it is read. sum: checksum of what was read so far."""

    def __init__(self, raw: IO[bytes]) -> None:
        self._raw = raw
        self.sum = hashlib.sha256()

    def read(self, most: int = -1) -> bytes:
        """The next bytes, all or `most` of them."""
        body = self._raw.read(most)
        self.sum.update(body)
        return body

    def __iter__(self) -> Iterator[bytes]:
        """Lines, with their ends."""
        for line in self._raw:
            self.sum.update(line)
            yield line
