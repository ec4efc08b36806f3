"""The rough of a drawing: the picture that was taken in, with what was drawn and rubbed out on it here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..core import sketch as core
from ..core.compose import Frame, Layer, Picture, render
from ..core.compose.layers import Matrix
from ..core.sketch import Tiles
from ..errors import Refusal
from ..formats.pictures import decode, encode_png, rgba
from ..store import Cursor, DrawingRow, pictures, productions, revisions
from ..store.states import Lay
from .derived import Memory, key_of
from .sketches import Names, Sketch, sketch_of

Body = Callable[[str], bytes]
"""Name of a stored picture -> its bytes."""

_tiles: Memory[NDArray[np.uint8]] = Memory(96 * 2**20, lambda tile: tile.nbytes)


def tiles_of(names: Names, body: Body) -> Tiles:
    """Tiles by their place."""
    return {at: _tiles.get(name, lambda name=name: _tile(body(name))) for at, name in names.items()}  # type: ignore[misc]


def _tile(body: bytes) -> NDArray[np.uint8]:
    tile = rgba("a tile", body)
    if tile.shape[:2] != (core.SIDE, core.SIDE):
        raise Refusal(f"A tile of a drawing has to be {core.SIDE} px wide and high")
    return tile


def tile_of(body: bytes) -> NDArray[np.uint8]:
    """(SIDE, SIDE, 4) RGBA of a tile that was sent. Raises Refusal for what is none."""
    return _tile(body)


def rough_name(row: DrawingRow, reads: bool = True, without: str = "") -> str:
    """What the rough of a drawing is named by: its picture's hash, or of one that was drawn on a name that changes with it; ""
    for an empty sheet. reads: as Line reads it; else as it is seen, with faint passes. without: a pass that is left out."""
    return key_of("rough", row["rough"], row["sketch"], reads, without) if row["sketch"] else row["rough"]


_roughs: Memory[bytes] = Memory(64 * 2**20, len)


def rough_body(
    cursor: Cursor, row: DrawingRow, size: tuple[int, int], reads: bool = True, without: str = ""
) -> bytes:
    """The bytes of that picture. size: of the drawing, px. Raises NotFound."""
    read = stored(cursor)
    if not row["sketch"]:
        return read(row["rough"])

    def made() -> bytes:
        sketch = sketch_of(revisions.get_documents(cursor, [row["sketch"]])[row["sketch"]])
        sketch = replace(sketch, passes=tuple(p for p in sketch.passes if p.id != without))
        base = decode(f"drawing {row['number']}", read(row["rough"])) if row["rough"] else None
        if base is not None and (base.shape[1], base.shape[0]) != size:
            base = laid(base, size, productions.shot_of_level(cursor, row["level_id"])["lies"])
        return encode_png(picture_of(sketch, base, size, read, reads))

    return _roughs.get(rough_name(row, reads, without), made)


def laid(picture: NDArray[np.uint8], size: tuple[int, int], lies: Lay) -> NDArray[np.uint8]:
    """A picture (h, w, 3 or 4) brought to a paper of a size, px: (h, w, 4) RGBA."""
    whole = (
        picture if picture.shape[2] == 4 else np.dstack([picture, np.full(picture.shape[:2], 255, np.uint8)])
    )
    return render(Frame(size, (Layer("backdrop", Picture(whole), lying(whole.shape[1::-1], size, lies)),)))


def lying(own: tuple[int, int], size: tuple[int, int], lies: Lay) -> Matrix:
    """From a picture of a size to a paper of another one."""
    sides = size[0] / own[0], size[1] / own[1]
    scale = {"fit": min(sides), "fill": max(sides), "own": 1.0}[lies]
    aside = ((size[0] - scale * own[0]) / 2, (size[1] - scale * own[1]) / 2)
    return np.array([[scale, 0, aside[0]], [0, scale, aside[1]]])


def stored(cursor: Cursor) -> Body:
    """Reads stored pictures by their name."""
    return lambda name: bytes(pictures.get(cursor, name)["body"])


def picture_of(
    sketch: Sketch, base: NDArray[np.uint8] | None, size: tuple[int, int], body: Body, reads: bool
) -> NDArray[np.uint8]:
    """As `core.sketch.rough`; without alpha where nothing shines through."""
    own = size if base is None else (base.shape[1], base.shape[0])
    passes = [core.Pass(one.state, tiles_of(one.tiles, body)) for one in sketch.passes]
    found = core.rough(base, own, sketch.base, tiles_of(sketch.rubbed, body), passes, reads)
    return found if found[..., 3].min() < 255 else np.ascontiguousarray(found[..., :3])
