"""Numbered pictures taken in as the drawings of a level, and written out again.

Files lie on the disk from the moment they arrive; at no time is more than one of them held.
"""

from __future__ import annotations

import hashlib
import itertools
import json
import re
import shutil
import zipfile
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path, PurePosixPath

from ..errors import Refusal
from ..limits import limits
from .pictures import decode_for_storage, size_of, small_png
from .zips import BROKEN

_MOST_FILES = 2000
_MOST_RATIO = 300
_FIRST_PIXELS = 50_000_000
"""Unpacked bytes up to which a zip may be as dense as it likes."""


@dataclass(frozen=True)
class Incoming:
    """One picture of a sequence. path: a file that a browser shows as it is. content: hash of its pixels, so that
    repeats show. small: a small PNG of it. letter: behind its number, where drawings were put between others."""

    name: str
    number: int
    path: str
    mime: str
    width: int
    height: int
    content: str
    small: str = ""
    letter: str = ""

    @property
    def label(self) -> str:
        """What is written on the drawing: 7, or 7a between 7 and 8."""
        return f"{self.number}{self.letter}"


@dataclass
class Report:
    """What was found in a set of files. With problems, nothing may be stored; notes are only said."""

    pictures: list[Incoming] = field(default_factory=list)
    problems: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    def write(self, path: Path) -> None:
        """Keeps what was found, so that nothing is read twice."""
        path.write_text(json.dumps(asdict(self)), encoding="utf-8")

    @classmethod
    def read(cls, path: Path) -> Report:
        """The inverse of `write`. Raises OSError, ValueError."""
        data = json.loads(path.read_text(encoding="utf-8"))
        return cls([Incoming(**p) for p in data["pictures"]], data["problems"], data["notes"])


def unpack(files: Iterable[tuple[str, Path]], folder: Path) -> Iterator[tuple[str, Path]]:
    """The files themselves, and for each zip its members, written into `folder`.

    Raises Refusal for a zip that is broken or a trap.
    """
    for name, path in files:
        with open(path, "rb") as handle:
            packed = handle.read(4) == b"PK\x03\x04"
        if not (name.lower().endswith(".zip") or packed):
            yield name, path
            continue
        try:
            yield from ((inner.name, out) for inner, out in members(name, path, folder))
        # What a zip may hold wrong is many things, names that are no text among them.
        except BROKEN as error:
            raise Refusal(f"{name} is not a readable zip; pack the pictures again") from error


def members(name: str, path: Path, folder: Path) -> Iterator[tuple[PurePosixPath, Path]]:
    """The files of a zip by their paths in it, written into `folder`.

    Raises Refusal for a trap; what else a broken zip raises is `BROKEN`.
    """
    with zipfile.ZipFile(path) as archive:
        members = [m for m in archive.infolist() if not m.is_dir() and not _is_litter(m.filename)]
        total = sum(m.file_size for m in members)
        packed = max(1, sum(m.compress_size for m in members))
        most = limits().take_in_mb * 2**20
        if len(members) > _MOST_FILES:
            raise Refusal(
                f"{name} holds {len(members)} files; the limit is {_MOST_FILES}, so take it in in parts"
            )
        if total > most or (total > _FIRST_PIXELS and total / packed > _MOST_RATIO):
            raise Refusal(
                f"{name} unpacks to {total // 1_000_000} MB, which is too much (SCHOON_MOST_TAKE_IN_MB);"
                " send the pictures themselves"
            )
        for number, member in enumerate(members):
            inner = PurePosixPath(member.filename.replace("\\", "/"))
            if inner.is_absolute() or ".." in inner.parts or re.match(r"[A-Za-z]:", member.filename):
                raise Refusal(
                    f"{name} holds a file with an unsafe path, {member.filename}; pack the pictures again"
                )
            if member.flag_bits & 1:
                raise Refusal(f"{name} is locked with a password; pack it again without one")
            out = folder / f"{path.name}-{number:05}"
            try:
                with archive.open(member) as source, open(out, "wb") as target:
                    shutil.copyfileobj(source, target, 2**20)
            except BROKEN as error:
                raise Refusal(f"{member.filename} in {name} is broken; pack the pictures again") from error
            yield inner, out


def _is_litter(name: str) -> bool:
    parts = PurePosixPath(name).parts
    return not parts or parts[-1].startswith(".") or "__MACOSX" in parts


def number_of(name: str) -> int | None:
    """The number of a file: the last run of digits in its name without the ending; None without digits."""
    runs = re.findall(r"\d+", PurePosixPath(name).stem)
    return int(runs[-1]) if runs and len(runs[-1]) < 9 else None


def letter_of(name: str) -> str:
    """The letter behind the number at the end of a file's name; "" without one."""
    found = re.search(r"\d([a-z])$", PurePosixPath(name).stem)
    return found[1] if found else ""


Read = Callable[[Sequence[tuple[str, str, str]]], Iterable[Incoming | Refusal]]
"""Reads (name, path, path of what is stored) of many files, each as `read_one` does."""


def inspect(files: Sequence[tuple[str, Path]], folder: Path, read: Read | None = None) -> Report:
    """Reads a set of files and says everything that is wrong with it, in the order of the numbers.

    folder: where unpacked and converted files are put. read: spreads the reading over workers.
    """
    report = Report()
    try:
        members = list(unpack(files, folder))
    except Refusal as refusal:
        report.problems.append(str(refusal))
        return report
    if not members:
        report.problems.append(
            "No pictures were chosen; choose numbered PNG, JPEG, TIFF or WebP files or a zip of them"
        )
    wanted = _measured(report, members)
    if wanted is None:
        return report
    # The same bytes are read once, however often they come.
    names = {path: _digest(path) for _, _, path in wanted}
    firsts = {names[path]: (name, str(path), f"{path}.stored") for name, _, path in reversed(wanted)}
    reader = read or (lambda jobs: map(tried, jobs))
    found = dict(zip(firsts, reader(list(firsts.values())), strict=True))
    for name, number, path in wanted:
        result = found[names[path]]
        if isinstance(result, Refusal):
            report.problems.append(str(result).replace(firsts[names[path]][0], name, 1))
        else:
            report.pictures.append(replace(result, name=name, number=number))
    # A letter that all names end with belongs to the name.
    letters = {letter_of(p.name) for p in report.pictures}
    if len(letters) > 1:
        report.pictures = [replace(p, letter=letter_of(p.name)) for p in report.pictures]
    report.pictures.sort(key=lambda picture: (picture.number, picture.letter))
    _compare(report)
    return report


def _measured(report: Report, members: Sequence[tuple[str, Path]]) -> list[tuple[str, int, Path]] | None:
    """(name, number, path) of what can be read; None if it is too much to read at all."""
    wanted = []
    pixels = 0
    for name, path in members:
        number = number_of(name)
        if number is None:
            report.problems.append(f"{name} has no number in its name; number it, such as stair_0007.png")
            continue
        try:
            width, height = size_of(name, path)
        except Refusal as refusal:
            report.problems.append(str(refusal))
            continue
        pixels += width * height
        wanted.append((name, number, path))
    most = limits().take_in_gigapixels
    if pixels > most * 1e9:
        report.problems.append(
            f"The pictures have {pixels / 1e9:.1f} gigapixels together; the limit is {most:g}"
            " (SCHOON_MOST_TAKE_IN_GIGAPIXELS), so scale them down or take them in in parts"
        )
        return None
    return wanted


def _digest(path: Path) -> str:
    with open(path, "rb") as handle:
        return hashlib.file_digest(handle, "sha256").hexdigest()


def tried(job: tuple[str, str, str]) -> Incoming | Refusal:
    """`read_one`, with a refusal as its result."""
    try:
        return read_one(*job)
    except Refusal as refusal:
        return refusal


def read_one(name: str, path: str, stored: str) -> Incoming:
    """Reads one picture file. stored: where a file is written that a browser shows, if it is not one already.

    Raises Refusal naming the file.
    """
    body, mime, pixels, changed = decode_for_storage(name, Path(path).read_bytes())
    if changed:
        Path(stored).write_bytes(body)
    small = Path(f"{stored}.small")
    small.write_bytes(small_png(pixels, SMALL))
    content = hashlib.sha256(repr(pixels.shape).encode() + pixels.tobytes()).hexdigest()
    height, width = pixels.shape[:2]
    return Incoming(name, 0, stored if changed else path, mime, width, height, content, str(small))


SMALL = 200
"""Width of the pictures that are shown before they are taken in, px."""


def _compare(report: Report) -> None:
    pictures = report.pictures
    by_label: dict[str, list[str]] = {}
    for picture in pictures:
        by_label.setdefault(picture.label, []).append(picture.name)
    for label, names in by_label.items():
        if len(names) > 1:
            report.problems.append(
                f"Number {label} comes {len(names)} times: {', '.join(names)}; keep one of them"
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
    numbers = sorted({p.number for p in pictures})
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


def add_to_zip(archive: zipfile.ZipFile, name: str, body: bytes) -> None:
    """Adds an already compressed file, with a fixed date so that equal content gives equal bytes."""
    archive.writestr(zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0)), body)
