"""What a picture of drawings is made from: their documents, their look, and patches that were found before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..core.look import Look
from ..store import Cursor, DrawingRow, ShotRow, revisions
from .derived import Files, sheet_key
from .documents import sheet_of
from .frames import Drawn
from .looks import look_of


@dataclass(frozen=True)
class Wanted:
    """A drawing that is to be seen. row: as `store.revisions.drawing`. names: of the documents its picture takes."""

    row: DrawingRow
    size: tuple[int, int]
    look: Look
    names: tuple[str | None, ...]

    @property
    def key(self) -> tuple[object, ...]:
        """What its picture derives from."""
        return (self.names, self.look.key())


def wanted_of(
    cursor: Cursor, row: DrawingRow, shot: ShotRow, key_id: int | None = None, painted: bool = True
) -> Wanted:
    """shot: seen with the drawing's level. painted: False for its line alone."""
    look = look_of(cursor, shot, key_id)
    size = (int(shot["width"]), int(shot["height"]))
    if painted and row["paint"]:
        return Wanted(row, size, look, tuple(row[part] for part in revisions.SHOWN))
    return Wanted(row, size, look.inked(), (row["line"], None, None))


def drawn_of(cursor: Cursor, files: Files, wanted: Wanted) -> tuple[Drawn, str]:
    """A drawing ready for a worker, and the key its patches are kept under."""
    found = revisions.get_documents(cursor, wanted.names)
    line, seal, paint = (found.get(name or "") for name in wanted.names)
    key = sheet_key(wanted.names[0], sheet_of(wanted.size, None, seal, None))
    packed = files.read(key, ".patches") if paint else None
    return Drawn((line, seal, paint), wanted.look, packed), key


def keep_patches(files: Files, keys: Sequence[str], packed: Sequence[bytes | None]) -> None:
    """Keeps patches that a worker has found on its way."""
    for key, body in zip(keys, packed, strict=True):
        if body is not None and not files.path(key, ".patches").exists():
            files.get(key, ".patches", lambda body=body: body)  # type: ignore[misc]
