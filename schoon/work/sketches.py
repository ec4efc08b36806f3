"""What was drawn on a rough here, as documents keep it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.sketch import At, State
from ..errors import Refusal
from ..formats.pictures import encode_png
from ..store import pictures
from ..store.documents import VERSIONS, current

MOST_PASSES = 30

Names = Mapping[At, str]


@dataclass(frozen=True)
class Pass:
    """A pass of pencil. tiles: names of its tiles."""

    id: str
    name: str
    state: State = "full"
    tiles: Names = field(default_factory=dict)


@dataclass(frozen=True)
class Sketch:
    """What lies on the rough of a drawing. base: how the picture that was taken in is seen. rubbed: where it is rubbed out, by
    alpha. fresh: name -> bytes of tiles that are not stored yet."""

    base: State = "full"
    passes: tuple[Pass, ...] = ()
    rubbed: Names = field(default_factory=dict)
    fresh: Mapping[str, bytes] = field(default_factory=dict)

    @property
    def plain(self) -> bool:
        """Whether the rough is as it was taken in."""
        return self.base == "full" and not self.passes and not self.rubbed

    def of(self, name: str) -> Pass:
        """A pass by its id. Raises Refusal."""
        found = next((one for one in self.passes if one.id == name), None)
        if found is None:
            raise Refusal("This pass is not on the drawing any more")
        return found

    def with_pass(self, new: Pass) -> Sketch:
        """With a pass in place of the one of its id."""
        return replace(self, passes=tuple(new if one.id == new.id else one for one in self.passes))

    def with_tiles(self, name: str, changed: Mapping[At, NDArray[np.uint8]]) -> Sketch:
        """A pass with other tiles; what is empty is left out."""
        tiles, fresh = named(self.of(name).tiles, changed)
        new = replace(self.of(name), tiles=tiles)
        return replace(self.with_pass(new), fresh={**self.fresh, **fresh})

    def with_rubbed(self, changed: Mapping[At, NDArray[np.uint8]]) -> Sketch:
        tiles, fresh = named(self.rubbed, changed)
        return replace(self, rubbed=tiles, fresh={**self.fresh, **fresh})


def named(before: Names, changed: Mapping[At, NDArray[np.uint8]]) -> tuple[dict[At, str], dict[str, bytes]]:
    """Names of tiles after some have changed, and the bytes of those."""
    tiles, fresh = dict(before), {}
    for at, tile in changed.items():
        if not tile[..., 3].any():
            tiles.pop(at, None)
            continue
        body = encode_png(tile)
        name = pictures.name_of(body)
        tiles[at], fresh[name] = name, body
    return tiles, fresh


def sketch_of(document: Any) -> Sketch:
    """A sketch from its document or None."""
    document = current("sketch", document)
    if document is None:
        return Sketch()
    passes = tuple(
        Pass(one["id"], one["name"], one["state"], _read(one["tiles"])) for one in document["passes"]
    )
    return Sketch(document["base"], passes, _read(document["rubbed"]))


def sketch_document(sketch: Sketch) -> dict[str, Any]:
    return {
        "version": VERSIONS["sketch"],
        "base": sketch.base,
        "passes": [
            {"id": p.id, "name": p.name, "state": p.state, "tiles": _written(p.tiles)} for p in sketch.passes
        ],
        "rubbed": _written(sketch.rubbed),
    }


def _read(tiles: Mapping[str, str]) -> dict[At, str]:
    found = {}
    for at, name in tiles.items():
        column, row = at.split(",")
        found[int(column), int(row)] = name
    return found


def _written(tiles: Names) -> dict[str, str]:
    return {f"{column},{row}": name for (column, row), name in sorted(tiles.items())}
