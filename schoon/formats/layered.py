"""Files with several pictures in them: OpenRaster, GIF, TIFF of several pages, SVG with groups, a zip with a folder a level.

Each is read into layers from rear to front, one picture or a run of them each, as files in a folder; nothing of it is
believed: sizes, counts and names are looked at before anything is unpacked.
"""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import Any
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageSequence

from ..core.strokes import Stroke, ink_coverage, strokes_to_dicts
from ..errors import Refusal
from ..limits import limits
from ..text import unsound
from .pictures import LARGEST_SIDE, decode, encode_png, opened, small_png
from .sequences import SMALL, Incoming, inspect, members
from .vectors import groups_of
from .zips import BROKEN

MOST_LAYERS = 200
MOST_PICTURES = 2000

STROKES = "application/x-schoon-strokes+json"
"""The type of a drawing that comes as lines and not as a picture."""


@dataclass(frozen=True)
class Layer:
    """name: as the file has it. pictures: in order. kind: what it most likely is, of `store.states.LevelKind`. holds:
    frames of each picture where the file says how long it is seen; `fps` of them."""

    name: str
    pictures: tuple[Incoming, ...]
    kind: str = "drawings"
    opacity: int = 100
    visible: bool = True
    holds: tuple[int, ...] = ()
    fps: float = 0.0

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Layer:
        """The inverse of `dataclasses.asdict`, from JSON."""
        pictures = tuple(Incoming(**p) for p in data["pictures"])
        return cls(**{**data, "pictures": pictures, "holds": tuple(data["holds"])})


@dataclass
class Layers:
    """What a layered file holds, from rear to front. notes: what was left out, in words."""

    layers: list[Layer] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def layers_in(name: str, path: Path, folder: Path) -> Layers | None:
    """The layers of a file; None if it is no layered file, but a picture or a plain zip of them.

    folder: where pictures are put. Raises Refusal naming the file.
    """
    with open(path, "rb") as handle:
        head = handle.read(512)
    if head.startswith(b"PK\x03\x04"):
        return _of_zip(name, path, folder)
    if head[:6] in (b"GIF87a", b"GIF89a"):
        return _of_gif(name, path, folder)
    if head[:4] in (b"II*\0", b"MM\0*"):
        return _of_tiff(name, path, folder)
    if b"<svg" in head or name.lower().endswith(".svg"):
        return _of_svg(name, path, folder)
    return None


def _stored(name: str, number: int, pixels: NDArray[np.uint8], folder: Path) -> Incoming:
    """Puts a picture into the folder."""
    body = encode_png(pixels)
    content = hashlib.sha256(body).hexdigest()
    path, small = folder / f"layer-{content[:24]}.png", folder / f"layer-{content[:24]}.small"
    path.write_bytes(body)
    small.write_bytes(small_png(pixels, SMALL))
    height, width = pixels.shape[:2]
    return Incoming(name, number, str(path), "image/png", width, height, content, str(small))


def _name(text: str, number: int) -> str:
    """A layer's name as a level may have it."""
    words = " ".join(text.split())[:60]
    return words if words and not unsound(words) else f"Layer {number}"


class _Spent:
    """Refuses a file that holds more pixels than one take-in may have."""

    def __init__(self, name: str) -> None:
        self._name, self._pixels = name, 0

    def add(self, width: int, height: int) -> None:
        if not 0 < width <= LARGEST_SIDE or not 0 < height <= LARGEST_SIDE:
            raise Refusal(
                f"{self._name} has a picture of {width} x {height} px; the limit is {LARGEST_SIDE} px a side, so scale it down"
            )
        self._pixels += width * height
        if self._pixels > limits().take_in_gigapixels * 1e9:
            raise Refusal(
                f"{self._name} has more than {limits().take_in_gigapixels:g} gigapixels"
                " (SCHOON_MOST_TAKE_IN_GIGAPIXELS); take it in in parts"
            )


# ---- OpenRaster, and folders in a zip


def _of_zip(name: str, path: Path, folder: Path) -> Layers | None:
    try:
        with zipfile.ZipFile(path) as archive:
            names = set(archive.namelist())
            if "stack.xml" in names:
                return _of_openraster(name, archive, folder)
            return _of_folders(name, path, archive, folder)
    except BROKEN as error:
        raise Refusal(f"{name} is broken or was not written to its end; save it again") from error


_MOST_XML = 2_000_000
_MOST_UNPACKED = 512 * 2**20


def _of_openraster(name: str, archive: zipfile.ZipFile, folder: Path) -> Layers:
    head = archive.getinfo("stack.xml")
    if head.file_size > _MOST_XML:
        raise Refusal(f"{name} has a list of layers that is too long to be one; save it again")
    text = archive.read(head)
    if b"<!DOCTYPE" in text or b"<!ENTITY" in text:
        raise Refusal(f"{name} has a list of layers that is not plain; save it again")
    try:
        image = ElementTree.fromstring(text)
        width, height = int(image.get("w", "0")), int(image.get("h", "0"))
    except (ElementTree.ParseError, ValueError) as error:
        raise Refusal(f"{name} has a list of layers that cannot be read; save it again") from error
    found = list(_leaves(image))
    if len(found) > MOST_LAYERS:
        raise Refusal(f"{name} has {len(found)} layers; the most is {MOST_LAYERS}, so merge some of them")
    spent, result = _Spent(name), Layers()
    spent.add(width, height)
    # The list goes from front to rear.
    for number, (layer, opacity, visible) in enumerate(reversed(found), 1):
        label = _name(layer.get("name", ""), number)
        source = layer.get("src", "")
        info = archive.NameToInfo.get(source)
        if info is None:
            raise Refusal(f"{name} misses the picture of its layer {label}; save it again")
        if info.file_size > _MOST_UNPACKED:
            raise Refusal(f"{name} has a layer {label} that is too large; scale it down")
        spent.add(width, height)
        pixels = decode(f"{label} in {name}", archive.read(info))
        laid = _on_canvas(pixels, (width, height), _whole(layer.get("x")), _whole(layer.get("y")))
        picture = _stored(label, 1, laid, folder)
        kind = "backdrop" if number == 1 and (laid[..., 3] > 250).mean() > 0.98 else "drawings"
        result.layers.append(Layer(label, (picture,), kind, max(1, round(100 * opacity)), visible))
    if not result.layers:
        raise Refusal(f"{name} has no layers; choose another file")
    return result


def _leaves(
    stack: ElementTree.Element, opacity: float = 1.0, visible: bool = True, depth: int = 0
) -> Iterator[tuple[ElementTree.Element, float, bool]]:
    if depth > 40:
        raise ValueError("groups lie too deep in each other")
    for item in stack:
        share = opacity * min(1.0, max(0.0, float(item.get("opacity", "1") or 1)))
        seen = visible and item.get("visibility", "visible") != "hidden"
        if item.tag == "layer":
            yield item, share, seen
        elif item.tag == "stack":
            yield from _leaves(item, share, seen, depth + 1)


def _whole(text: str | None) -> int:
    return int(float(text or 0))


def _on_canvas(pixels: NDArray[np.uint8], size: tuple[int, int], x: int, y: int) -> NDArray[np.uint8]:
    """(h, w, 4) of a canvas with a picture laid on at a place; what lies outside is cut off."""
    if pixels.shape[2] == 3:
        pixels = np.dstack([pixels, np.full(pixels.shape[:2], 255, np.uint8)])
    canvas = np.zeros((size[1], size[0], 4), np.uint8)
    height, width = pixels.shape[:2]
    left, top, right, bottom = max(0, x), max(0, y), min(size[0], x + width), min(size[1], y + height)
    if left < right and top < bottom:
        canvas[top:bottom, left:right] = pixels[top - y : bottom - y, left - x : right - x]
    return canvas


def _of_folders(name: str, path: Path, archive: zipfile.ZipFile, folder: Path) -> Layers | None:
    """A zip with a folder a level; None if its pictures do not lie in several folders."""
    files = [PurePosixPath(info.filename) for info in archive.infolist() if not info.is_dir()]
    folders = {str(f.parent) for f in files if not f.name.startswith(".") and "__MACOSX" not in f.parts}
    if len(folders) < 2:
        return None
    if len(folders) > MOST_LAYERS:
        raise Refusal(f"{name} has {len(folders)} folders; the most is {MOST_LAYERS}, so take it in in parts")
    by_folder: dict[str, list[tuple[str, Path]]] = {}
    for inner, placed in members(name, path, folder):
        by_folder.setdefault(str(inner.parent), []).append((inner.name, placed))
    result = Layers()
    for number, (label, placed_files) in enumerate(sorted(by_folder.items()), 1):
        report = inspect(placed_files, folder)
        if report.problems:
            raise Refusal(f"{name}, folder {label}: {report.problems[0]}")
        result.layers.append(Layer(_name(PurePosixPath(label).name, number), tuple(report.pictures)))
        result.notes += [f"{label}: {note}" for note in report.notes]
    return result


# ---- runs of pictures


def _of_gif(name: str, path: Path, folder: Path) -> Layers:
    pictures, times = [], []
    spent = _Spent(name)
    with opened(name, path, ("GIF",)) as picture:
        count = getattr(picture, "n_frames", 1)
        if count > MOST_PICTURES:
            raise Refusal(f"{name} has {count} pictures; the most is {MOST_PICTURES}, so take it in in parts")
        for number, frame in enumerate(_each(name, picture), 1):
            spent.add(*frame.size)
            pictures.append(_stored(name, number, np.asarray(frame.convert("RGBA")), folder))
            times.append(int(frame.info.get("duration", 100)) or 100)
    fps, holds = _timed(times)
    return Layers([Layer(_name(Path(name).stem, 1), tuple(pictures), holds=holds, fps=fps)])


def _timed(times: Sequence[int]) -> tuple[float, tuple[int, ...]]:
    """The frame rate at which times in 1/1000 s come out most evenly, and the frames of each."""
    best = min(
        (24, 25, 30, 12, 10, 50),
        key=lambda fps: sum(abs(t * fps / 1000 - max(1, round(t * fps / 1000))) for t in times),
    )
    return float(best), tuple(max(1, round(t * best / 1000)) for t in times)


def _of_tiff(name: str, path: Path, folder: Path) -> Layers | None:
    with opened(name, path, ("TIFF",)) as picture:
        count = getattr(picture, "n_frames", 1)
        if count < 2:
            return None
        if count > MOST_PICTURES:
            raise Refusal(f"{name} has {count} pages; the most is {MOST_PICTURES}, so take it in in parts")
        spent, pictures = _Spent(name), []
        for number, page in enumerate(_each(name, picture), 1):
            spent.add(*page.size)
            one = io.BytesIO()
            page.save(one, "TIFF")
            pictures.append(_stored(name, number, decode(f"page {number} of {name}", one.getvalue()), folder))
    if len({(p.width, p.height) for p in pictures}) > 1:
        raise Refusal(f"{name} has pages of unlike sizes; save them alike, or as files of their own")
    return Layers([Layer(_name(Path(name).stem, 1), tuple(pictures))])


def _each(name: str, picture: Image.Image) -> Iterator[Image.Image]:
    try:
        for one in ImageSequence.Iterator(picture):
            one.load()
            yield one
    except (OSError, ValueError, SyntaxError, EOFError, KeyError, Image.DecompressionBombError) as error:
        raise Refusal(f"{name} is broken or was not written to its end; save it again") from error


# ---- lines


def _of_svg(name: str, path: Path, folder: Path) -> Layers:
    groups, size, left_out = groups_of(name, path)
    if len(groups) > MOST_LAYERS:
        raise Refusal(f"{name} has {len(groups)} groups; the most is {MOST_LAYERS}, so merge some of them")
    result = Layers(notes=left_out)
    for number, (label, strokes) in enumerate(groups, 1):
        result.layers.append(Layer(_name(label, number), (_lines(label, strokes, size, folder),)))
    return result


def _lines(name: str, strokes: list[Stroke], size: tuple[int, int], folder: Path) -> Incoming:
    text = json.dumps({"strokes": strokes_to_dicts(strokes)}).encode()
    content = hashlib.sha256(text).hexdigest()
    path, small = folder / f"lines-{content[:24]}.json", folder / f"lines-{content[:24]}.small"
    path.write_bytes(text)
    scale = SMALL / size[0]
    ink = ink_coverage(strokes, (SMALL, max(1, round(size[1] * scale))), scale)
    small.write_bytes(encode_png(255 - ink))
    return Incoming(name, 1, str(path), STROKES, *size, content, str(small))
