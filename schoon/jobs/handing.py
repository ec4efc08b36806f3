"""What workers make of drawings for hand-off: pictures in other formats, layers apart, SVG, movies."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import chain
from pathlib import Path
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..core.compose import Frame, Layer, Matrix, by_kind, render, render_both
from ..core.model import write_colour
from ..core.paint import NOTHING
from ..core.patches import outlines
from ..formats import gif, mp4
from ..formats.openraster import Blend, Group, Leaf
from ..formats.pictures import decode, encode_png
from ..formats.svg import Area, painted_svg
from ..work.derived import patches_in
from ..work.documents import painting_of, parts_told, sheet_of
from ..work.frames import WHITE, Drawn, Pass, frame_of, layers_within, on_white, parts_within
from ..work.placing import SAME, matrix_from

Kind = Literal["png", "tiff", "webp"]

APART: tuple[Literal["passes", "parts"], ...] = ("passes", "parts")
"""What of a drawing is several pictures."""

NO_PART = "no-part"

ROLES = {
    "backdrop": "Picture",
    "shadow": "Shadow",
    "flats": "Flats",
    "tone": "Tones",
    "texture": "Texture",
    "ink": "Ink",
    "paper": "Paper",
    "guide": "Guide",
}
"""role of a layer -> its name in layered files."""


Ground = Literal["clear", "white"]
"""What a picture is on: nothing, with alpha, or white."""


def pictures(
    drawings: Sequence[Drawn],
    size: tuple[int, int],
    width: int,
    grounds: Sequence[Ground],
    only: Pass = "seen",
    kind: Kind = "png",
) -> tuple[dict[Ground, bytes], list[bytes | None]]:
    """Files of drawings stacked from rear to front, at most `width` px wide, on each ground, and the patches of each drawing, packed.

    only: what of them; flats and tones by themselves at their own size, where no colour is mixed.
    """
    frame, packed = frame_of(drawings, size, only)
    if only not in ("seen", "ink"):
        width = size[0]
    if len(grounds) > 1:
        clear_, white = render_both(frame, WHITE, width)
        return {"clear": _encoded(clear_, kind), "white": _encoded(white, kind)}, packed
    pixels = on_white(frame, width) if "white" in grounds else render(frame, width)
    return {grounds[0]: _encoded(pixels, kind)}, packed


def clear(size: tuple[int, int], kind: str) -> bytes:
    """A picture with nothing on it."""
    return _encoded(np.zeros((size[1], size[0], 4), np.uint8), kind)


def _encoded(pixels: NDArray[np.uint8], kind: str) -> bytes:
    if kind == "png":
        return encode_png(pixels)
    out = io.BytesIO()
    image = Image.fromarray(pixels)
    if kind == "tiff":
        image.save(out, "TIFF", compression="tiff_lzw")
    else:
        image.save(out, "WEBP", lossless=True, exact=True)
    return out.getvalue()


@dataclass(frozen=True)
class Named:
    """A drawing with the name of its level."""

    level: str
    drawn: Drawn


def apart(
    drawn: Drawn, size: tuple[int, int], only: Pass, kind: Kind, depth: Sequence[str]
) -> tuple[list[dict[str, Any]], dict[str, bytes]]:
    """A drawing as its passes or its parts, on its own paper: how they are laid together, from rear to front (docs/formats.md),
    and name -> file of each. depth: parts from front to rear."""
    if only == "parts":
        frames = parts_within(drawn, size)
        # Patches do not overlap, but lines lie on them: those of no part are seen over all.
        order = [*reversed(depth), *sorted(frames.keys() - set(depth) - {""}), ""]
        files = {part or NO_PART: _encoded(render(frames[part]), kind) for part in order if part in frames}
        return [{"name": name, "blend": "normal", "opacity": 1.0} for name in files], files
    files = {}

    def told(nodes: Sequence[Leaf | Group]) -> list[dict[str, Any]]:
        tree: list[dict[str, Any]] = []
        for node in nodes:
            one: dict[str, Any] = {"name": node.name.lower().replace(" ", "-"), "opacity": node.opacity}
            if isinstance(node, Group):
                one["layers"] = told(node.layers)
            else:
                one["blend"] = node.blend
                files[one["name"]] = node.png if kind == "png" else _encoded(decode("a pass", node.png), kind)
            tree.append(one)
        return tree

    return told(_nodes(layers_within(drawn, size), size, matrix_from(SAME))), files


def layered(drawings: Sequence[Named], size: tuple[int, int]) -> tuple[list[Group], bytes]:
    """Drawings as groups of named layers, from rear to front, and all of them as they are seen, as PNG."""
    groups = []
    for named in drawings:
        drawn = named.drawn
        nodes = _nodes(layers_within(drawn, size), size, matrix_from(drawn.place))
        groups.append(Group(named.level, nodes, drawn.opacity))
    merged = render(frame_of([named.drawn for named in drawings], size)[0])
    return groups, encode_png(merged)


def _nodes(
    layers: Sequence[Layer], size: tuple[int, int], place: Matrix, seen: list[str] | None = None
) -> list[Leaf | Group]:
    """place: from where the layers are to the frame. seen: names that were given already, within groups too."""
    nodes: list[Leaf | Group] = []
    seen = [] if seen is None else seen
    for tone, layer in chain.from_iterable(map(by_kind, layers)):
        if isinstance(layer.source, Sequence) and layer.clip is None and any(p.onto for p in layer.source):
            # What lies only on what is below it has to be laid with that first.
            inner = _nodes(layer.source, size, _after(place, layer.transform), seen)
            nodes.append(Group("Paint", inner, layer.opacity))
            continue
        name = _name(ROLES[layer.role] if not tone else tone.capitalize(), seen)
        plain = replace(layer, blend="normal", opacity=1.0, onto=False)
        alone = render(Frame(size, (Layer(layer.role, (plain,), place),)))
        if not alone[..., 3].any():
            continue
        blend: Blend = "atop" if layer.onto and layer.blend == "normal" else layer.blend
        nodes.append(Leaf(name, encode_png(alone), blend, layer.opacity))
    return nodes


def _after(outer: Matrix, inner: Matrix) -> Matrix:
    whole = np.vstack([outer, [0, 0, 1]]) @ np.vstack([inner, [0, 0, 1]])
    return np.asarray(whole[:2])


def _name(name: str, seen: list[str]) -> str:
    """A name with a number if it was there before, also where nothing of it was to be seen: the same in all drawings."""
    seen.append(name)
    count = seen.count(name)
    return name if count == 1 else f"{name} {count}"


def svg_of(drawn: Drawn, size: tuple[int, int], names: dict[int, str], depth: Sequence[str]) -> str:
    """A drawing as SVG. names: pot -> its name. depth: parts from rear to front."""
    sheet = sheet_of(size, *drawn.documents)
    areas = []
    if sheet.spots and drawn.look.pots:
        patches = patches_in(sheet)
        told = parts_told(sheet.spots, patches)
        rings = outlines(patches)
        for patch, paint in sorted(painting_of(sheet.spots, patches).items()):
            if paint.pot == NOTHING or paint.pot not in drawn.look.pots or not rings.get(patch):
                continue
            red, green, blue, alpha = drawn.look.pots[paint.pot]
            part = told.get(patch) or drawn.look.parts.get(paint.pot, "")
            areas.append(
                Area(
                    names.get(paint.pot, "pot"),
                    part,
                    rings[patch],
                    write_colour((red, green, blue)),
                    alpha / 255,
                )
            )
    return painted_svg(areas, sheet.inked, size, write_colour(drawn.look.ink), depth)


def movie(frames: Sequence[bytes], holds: Sequence[int], fps: float, quality: mp4.Quality) -> bytes:
    """An MP4 of PNG pictures, each held a number of frames."""

    def each() -> Iterator[NDArray[np.uint8]]:
        for body, hold in zip(frames, holds, strict=True):
            shown = decode("a frame", body)[..., :3]
            for _ in range(hold):
                yield shown

    # The worker may run on another machine: nothing but the file comes back.
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "movie.mp4"
        mp4.write(path, each(), fps, quality)
        return path.read_bytes()


def gif_within(
    frames: Sequence[bytes], holds: Sequence[int], fps: float, limit: int, once: bool
) -> gif.Fitted | None:
    """As `formats.gif.within`, of PNG pictures; without a limit (0) as they are."""
    pictures = [decode("a frame", body) for body in frames]
    if not limit:
        return gif.Fitted(gif.encode(pictures, holds, fps, once), pictures[0].shape[1], 255, 1)
    return gif.within(pictures, holds, fps, limit, once)


def cropped(
    drawings: Sequence[Drawn], size: tuple[int, int], at: tuple[float, float] | None, side: int
) -> bytes:
    """PNG of drawings on white: `side` px about a place, or all of it as wide."""
    whole = on_white(frame_of(drawings, size)[0])
    if at is None:
        height = max(1, round(size[1] * side / size[0]))
        return encode_png(cv2.resize(whole, (side, height), interpolation=cv2.INTER_AREA))
    x, y = (int(np.clip(v - side / 2, 0, max(0, n - side))) for v, n in zip(at, size, strict=True))
    return encode_png(np.ascontiguousarray(whole[y : y + side, x : x + side]))


_PEN = (14, 122, 111)
"""Colour of what is drawn as a note."""


def noted(drawn: Drawn, size: tuple[int, int], ways: Sequence[Sequence[float]], width: int) -> bytes:
    """PNG of a drawing on white, `width` px wide, with what was noted on it. ways: x and y in turn, px."""
    height = max(1, round(size[1] * width / size[0]))
    whole = cv2.resize(on_white(frame_of([drawn], size)[0]), (width, height), interpolation=cv2.INTER_AREA)
    for way in ways:
        points = np.reshape(way, (-1, 2)) * (width / size[0]) * 16
        cv2.polylines(whole, [np.round(points).astype(np.int32)], False, _PEN, 2, cv2.LINE_AA, 4)
    return encode_png(whole)
