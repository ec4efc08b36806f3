"""Numbered pictures taken in as the drawings of a level, and written out again."""

from __future__ import annotations

import hashlib
import io
import itertools
import re
import zipfile
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from ..errors import Refusal
from .pictures import for_storage

_MOST_FILES = 2000
_MOST_BYTES = 2 * 1024**3
_MOST_RATIO = 300


@dataclass(frozen=True)
class Incoming:
    """One picture of a sequence. content: hash of its pixels, so that repeats show."""

    name: str
    number: int
    body: bytes
    mime: str
    width: int
    height: int
    content: str


@dataclass
class Report:
    """What was found in a set of files. With problems, nothing may be stored; notes are only said."""

    pictures: list[Incoming] = field(default_factory=list)
    problems: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def unpack(files: Iterable[tuple[str, bytes]]) -> Iterator[tuple[str, bytes]]:
    """The files themselves, and for each zip its members. Raises Refusal for a zip that is broken or a trap."""
    for name, body in files:
        if not (name.lower().endswith(".zip") or body[:4] == b"PK\x03\x04"):
            yield name, body
            continue
        try:
            archive = zipfile.ZipFile(io.BytesIO(body))
        except zipfile.BadZipFile as error:
            raise Refusal(f"{name} is not a readable zip; pack the pictures again") from error
        members = [m for m in archive.infolist() if not m.is_dir() and not _is_litter(m.filename)]
        total = sum(m.file_size for m in members)
        packed = max(1, sum(m.compress_size for m in members))
        if len(members) > _MOST_FILES:
            raise Refusal(
                f"{name} holds {len(members)} files; the limit is {_MOST_FILES}, so take it in in parts"
            )
        if total > _MOST_BYTES or (total > 50_000_000 and total / packed > _MOST_RATIO):
            raise Refusal(
                f"{name} unpacks to {total // 1_000_000} MB, which is too much; send the pictures themselves"
            )
        for member in members:
            path = PurePosixPath(member.filename.replace("\\", "/"))
            if path.is_absolute() or ".." in path.parts or re.match(r"[A-Za-z]:", member.filename):
                raise Refusal(
                    f"{name} holds a file with an unsafe path, {member.filename}; pack the pictures again"
                )
            if member.flag_bits & 1:
                raise Refusal(f"{name} is locked with a password; pack it again without one")
            try:
                yield path.name, archive.read(member)
            except (zipfile.BadZipFile, OSError, EOFError, NotImplementedError) as error:
                raise Refusal(f"{member.filename} in {name} is broken; pack the pictures again") from error


def _is_litter(name: str) -> bool:
    parts = PurePosixPath(name).parts
    return not parts or parts[-1].startswith(".") or "__MACOSX" in parts


def number_of(name: str) -> int | None:
    """The number of a file: the last run of digits in its name without the ending; None without digits."""
    runs = re.findall(r"\d+", PurePosixPath(name).stem)
    return int(runs[-1]) if runs and len(runs[-1]) < 9 else None


def inspect(files: Sequence[tuple[str, bytes]]) -> Report:
    """Reads a set of files and says everything that is wrong with it, in the order of the numbers."""
    report = Report()
    try:
        members = list(unpack(files))
    except Refusal as refusal:
        report.problems.append(str(refusal))
        return report
    if not members:
        report.problems.append(
            "No pictures were chosen; choose numbered PNG, JPEG, TIFF or WebP files or a zip of them"
        )
    for name, body in members:
        number = number_of(name)
        if number is None:
            report.problems.append(f"{name} has no number in its name; number it, such as stair_0007.png")
            continue
        try:
            stored, mime, width, height, pixels = for_storage(name, body)
        except Refusal as refusal:
            report.problems.append(str(refusal))
            continue
        content = hashlib.sha256(pixels.tobytes()).hexdigest()
        report.pictures.append(Incoming(name, number, stored, mime, width, height, content))
    report.pictures.sort(key=lambda picture: picture.number)
    _compare(report)
    return report


def _compare(report: Report) -> None:
    pictures = report.pictures
    by_number: dict[int, list[str]] = {}
    for picture in pictures:
        by_number.setdefault(picture.number, []).append(picture.name)
    for number, names in by_number.items():
        if len(names) > 1:
            report.problems.append(
                f"Number {number} comes {len(names)} times: {', '.join(names)}; keep one of them"
            )
    sizes = Counter((p.width, p.height) for p in pictures)
    if len(sizes) > 1:
        (width, height), _ = sizes.most_common(1)[0]
        odd = [
            f"{p.name} ({p.width} x {p.height})" for p in pictures if (p.width, p.height) != (width, height)
        ]
        report.problems.append(
            f"The pictures are not of one size: most are {width} x {height} px, but {_some(odd)}; scale them alike"
        )
    numbers = sorted(by_number)
    if numbers:
        missing = (
            sorted(set(range(numbers[0], numbers[-1] + 1)) - set(numbers)) if numbers[-1] < 100_000 else []
        )
        steps = {b - a for a, b in itertools.pairwise(numbers)}
        # Numbering by 2 or 3 is the habit for drawings on twos or threes, not a gap.
        if missing and len(steps) > 1:
            report.notes.append(
                f"The numbering leaves out {_some([str(n) for n in missing])}; the drawings keep their numbers"
            )


def _some(items: Sequence[str], most: int = 4) -> str:
    return ", ".join(items[:most]) + (f" and {len(items) - most} more" if len(items) > most else "")


def zip_of(files: Iterable[tuple[str, bytes]]) -> bytes:
    """A zip of already compressed files, with fixed dates so that equal content gives equal bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, body in files:
            archive.writestr(zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0)), body)
    return out.getvalue()
