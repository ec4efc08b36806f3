"""OpenRaster files: named layers and groups with blends, as a zip of PNG pictures."""

from __future__ import annotations

import zipfile
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal
from xml.etree import ElementTree as Xml

import cv2
import numpy as np
from numpy.typing import NDArray

from .pictures import encode_png

Blend = Literal["normal", "multiply", "screen", "atop"]

OPERATORS: dict[Blend, str] = {
    "normal": "svg:src-over",
    "multiply": "svg:multiply",
    "screen": "svg:screen",
    "atop": "svg:src-atop",
}
_THUMBNAIL = 256


@dataclass(frozen=True)
class Leaf:
    """A picture as PNG, as large as the whole. opacity: 0..1."""

    name: str
    png: bytes
    blend: Blend = "normal"
    opacity: float = 1.0
    visible: bool = True


@dataclass(frozen=True)
class Group:
    """Layers that are laid together first, from rear to front."""

    name: str
    layers: Sequence[Leaf | Group] = field(default_factory=tuple)
    opacity: float = 1.0
    visible: bool = True


def write(
    path: Path, size: tuple[int, int], layers: Sequence[Leaf | Group], merged: NDArray[np.uint8]
) -> None:
    """Writes a file. size: (width, height), px. layers: from rear to front. merged: (h, w, 4) RGBA of all as it is seen."""
    width, height = size
    image = Xml.Element("image", {"version": "0.0.3", "w": str(width), "h": str(height)})
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("mimetype", "image/openraster")
        _add(archive, Xml.SubElement(image, "stack"), layers)
        archive.writestr("mergedimage.png", encode_png(merged))
        scale = _THUMBNAIL / max(size)
        small = (max(1, round(width * scale)), max(1, round(height * scale)))
        archive.writestr(
            "Thumbnails/thumbnail.png", encode_png(cv2.resize(merged, small, interpolation=cv2.INTER_AREA))
        )
        text = Xml.tostring(image, encoding="unicode")
        archive.writestr("stack.xml", f'<?xml version="1.0" encoding="UTF-8"?>\n{text}\n')


def _add(archive: zipfile.ZipFile, stack: Xml.Element, layers: Sequence[Leaf | Group]) -> None:
    # The format lists the front layer first.
    for layer in reversed(layers):
        shown = {"name": layer.name, "visibility": "visible" if layer.visible else "hidden"}
        if isinstance(layer, Group):
            inner = {**shown, "opacity": f"{layer.opacity:.4f}", "isolation": "isolate"}
            _add(archive, Xml.SubElement(stack, "stack", inner), layer.layers)
            continue
        number = sum(name.startswith("data/") for name in archive.namelist())
        source = f"data/{number:04}.png"
        archive.writestr(source, layer.png)
        Xml.SubElement(
            stack,
            "layer",
            {
                **shown,
                "src": source,
                "x": "0",
                "y": "0",
                "opacity": f"{layer.opacity:.4f}",
                "composite-op": OPERATORS[layer.blend],
            },
        )
