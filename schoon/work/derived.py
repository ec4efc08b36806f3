"""Data derived from documents: patches, page shapes and rendered pictures, kept in memory and on disk.

Everything is keyed by the content it derives from, so nothing here ever goes stale and all of it can be
thrown away.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import logging
import os
import tempfile
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from importlib.metadata import version
from pathlib import Path
from typing import Any, Generic, TypeVar
from weakref import WeakSet

import cv2
import numpy as np
from numpy.typing import NDArray

import schoon

from ..core.paper import own_ink
from ..core.patches import OpenPatches, Patches, add_stitches, find_patches, pack, unpack_open
from ..core.strokes import ink_coverage, walls
from ..formats.pictures import decode, encode_png
from ..store import pictures
from .documents import Own, Sheet

log = logging.getLogger(__name__)

T = TypeVar("T")


@lru_cache
def _version() -> str:
    """Names the computation by all code that takes part in it, so that files an older one made are not found again."""
    code = hashlib.sha256()
    folder = Path(schoon.__file__).parent
    taking_part = (path for kind in ("py", "npz", "onnx", "json") for path in folder.rglob(f"*.{kind}"))
    for path in sorted(taking_part):
        code.update(path.read_bytes())
    for package in ("numpy", "opencv-python-headless", "scikit-image", "scipy", "pillow"):
        code.update(version(package).encode())
    return code.hexdigest()[:16]


def key_of(*parts: object) -> str:
    """A name for whatever derives from `parts`."""
    return hashlib.sha256("\x1f".join([_version(), *map(str, parts)]).encode()).hexdigest()


class Memory(Generic[T]):
    """A small thread-safe cache that forgets what was not used for longest.

    most: what the items may weigh together. weight: of one item, by default 1.
    """

    def __init__(self, most: int, weight: Callable[[T], int] = lambda _: 1) -> None:
        self._most = most
        self._weight = weight
        self._items: OrderedDict[str, T] = OrderedDict()
        self._held = 0
        self._lock = threading.Lock()
        self._making: dict[str, threading.Lock] = {}
        _memories.add(self)

    def __contains__(self, key: str) -> bool:
        with self._lock:
            return key in self._items

    def clear(self) -> None:
        """Forgets everything."""
        with self._lock:
            self._items.clear()
            self._held = 0

    def known(self, key: str) -> T | None:
        """The item; None if it is not there."""
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
            return self._items.get(key)

    def get(self, key: str, make: Callable[[], T]) -> T:
        """The item, made if it is not there. Whoever asks while it is being made waits for it."""
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
                return self._items[key]
            making = self._making.setdefault(key, threading.Lock())
        with making:
            with self._lock:
                if key in self._items:
                    return self._items[key]
            try:
                item = make()
            except BaseException:
                with self._lock:
                    self._making.pop(key, None)
                raise
            with self._lock:
                self._making.pop(key, None)
                self._items[key] = item
                self._held += self._weight(item)
                while self._held > self._most and len(self._items) > 1:
                    self._held -= self._weight(self._items.popitem(last=False)[1])
        return item


_memories: WeakSet[Memory[Any]] = WeakSet()


def forget_all() -> None:
    """Empties all memories of this process; what is asked for again is made again."""
    for memory in list(_memories):
        memory.clear()


_SEAL = 16
"""Bytes of the checksum that a derived file begins with."""


class Files:
    """A folder of derived files that appear whole or not at all.

    Every one can be made again, so nothing depends on the disk: what cannot be written is served from memory, and a file
    that was cut off or harmed is made anew.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def path(self, key: str, ending: str) -> Path:
        """Where the derived file lies or would lie."""
        return self.folder / key[:2] / f"{key}{ending}"

    def read(self, key: str, ending: str) -> bytes | None:
        """The derived file's content; None if it is not there or not whole."""
        path = self.path(key, ending)
        try:
            content = path.read_bytes()
        except OSError:
            return None
        body = content[_SEAL:]
        if content[:_SEAL] != _seal(body):
            log.warning("%s was harmed and is made again", path)
            return None
        with contextlib.suppress(OSError):
            # What was used last is pruned last.
            os.utime(path)
        return body

    def read_json(self, key: str) -> Any:
        """The content of a derived JSON file; None if it is not there."""
        body = self.read(key, ".json")
        return None if body is None else json.loads(body)

    def get(self, key: str, ending: str, make: Callable[[], bytes]) -> bytes:
        """The derived file's content, made if it is not there."""
        body = self.read(key, ending)
        if body is None:
            body = make()
            try:
                _write(self.path(key, ending), _seal(body) + body)
            except OSError as error:
                log.warning("a derived file could not be kept: %s", error)
        return body

    def prune(self, most: int) -> int:
        """Deletes the files that were not used for longest until the others take at most so many bytes; how many."""
        found = []
        for path in self.folder.rglob("*"):
            with contextlib.suppress(OSError):
                state = path.stat()
                if path.is_file():
                    found.append((state.st_mtime, state.st_size, path))
        found.sort(reverse=True)
        total = deleted = 0
        for _, size, path in found:
            total += size
            if total > most:
                with contextlib.suppress(OSError):
                    path.unlink()
                    deleted += 1
        return deleted


def _seal(body: bytes) -> bytes:
    return hashlib.sha256(body).digest()[:_SEAL]


def _write(path: Path, content: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(content)
        os.replace(name, path)
    except BaseException:
        with contextlib.suppress(OSError):
            os.unlink(name)
        raise


def to_json(content: Any) -> bytes:
    """A derived JSON file."""
    return json.dumps(content).encode()


_patches: Memory[Patches] = Memory(128 * 2**20, lambda patches: 2 * patches.open_labels.nbytes)


def sheet_key(line: str | None, sheet: Sheet) -> str:
    """What the patches of a sheet derive from: its line document's name and the stitches taken."""
    return key_of(
        "patches", line, sheet.size, sheet.specks, json.dumps([np.round(p, 2).tolist() for p in sheet.taken])
    )


def sheet_patches(line: str | None, sheet: Sheet) -> Patches:
    """The patches of a sheet whose line document is named `line`."""
    return _patches.get(sheet_key(line, sheet), lambda: patches_in(sheet))


def is_known(line: str | None, sheet: Sheet) -> bool:
    """Whether the patches of a sheet are at hand."""
    return sheet_key(line, sheet) in _patches


_open: Memory[OpenPatches] = Memory(64 * 2**20, lambda patches: patches.open_labels.nbytes)


def known_patches(files: Files, line: str | None, sheet: Sheet) -> Patches | OpenPatches:
    """The patches of a sheet as far as it takes to see its paint: those a worker has kept, or found here."""
    key = sheet_key(line, sheet)
    if key in _patches:
        return sheet_patches(line, sheet)

    def read() -> OpenPatches:
        packed = files.read(key, ".patches")
        return unpack_open(packed if packed is not None else pack(sheet_patches(line, sheet)))

    return _open.get(key, read)


def patches_in(sheet: Sheet) -> Patches:
    """The patches of a sheet, computed anew."""
    return find_patches(add_stitches(lines_in(sheet), sheet.taken), sheet.specks)


def lines_in(sheet: Sheet) -> NDArray[np.bool_]:
    """(h, w) mask of what parts paint in a sheet without its stitches. Raises Refusal if its own ink cannot be read."""
    if sheet.own is None:
        return walls(sheet.strokes, sheet.size)
    seen = np.maximum(own_pixels(sheet.own)[..., 3], ink_coverage(sheet.inked, sheet.size))
    return walls(sheet.strokes, sheet.size, seen)


_owned: Memory[NDArray[np.uint8]] = Memory(64 * 2**20, lambda pixels: pixels.nbytes)


def own_pixels(own: Own) -> NDArray[np.uint8]:
    """(h, w, 4) RGBA of ink of its own in its own colours. Raises Refusal if its picture cannot be read."""
    return _owned.get(own.picture, lambda: own_ink(decode("the line art", own.body)))


def own_rubbed(own: Own, share: NDArray[np.float32]) -> Own:
    """Ink of its own with a share (h, w) 0..1 of its pixels gone; the same one if nothing lay there. What it was taken from
    stays as it is. Raises Refusal if its picture cannot be read."""
    before = own_pixels(own)
    alpha = (before[..., 3] * (1 - share)).round().astype(np.uint8)
    if np.array_equal(alpha, before[..., 3]):
        return own
    # Colours of what is clear would only be stored.
    colour = np.where(alpha[..., None] > 0, before[..., :3], 0)
    body = encode_png(np.dstack([colour, alpha]))
    return replace(own, picture=pictures.name_of(body), body=body)


def scaled(picture: NDArray[np.uint8], width: int) -> NDArray[np.uint8]:
    """The picture at most `width` px wide."""
    if picture.shape[1] <= width:
        return picture
    height = max(1, round(picture.shape[0] * width / picture.shape[1]))
    return np.asarray(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA), np.uint8)
