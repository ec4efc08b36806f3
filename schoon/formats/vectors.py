"""SVG with groups, as other programs write it, to strokes."""

from __future__ import annotations

import io
import math
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
from svgelements import (
    SVG,
    Arc,
    Close,
    CubicBezier,
    Group,
    Line,
    Move,
    QuadraticBezier,
    Shape,
    SVGElement,
)
from svgelements import Path as Outline

from ..core.strokes import Stroke, length
from ..errors import Refusal
from ..limits import limits
from .pictures import LARGEST_SIDE

_MOST_BYTES = 64 * 2**20
_MOST_STROKES = 50_000
_MOST_THINGS = 200_000
"""Elements, each as often as it is used."""

_WIDTH = 4.0
"""Px of a line whose file does not say how wide it is."""


def groups_of(name: str, path: Path) -> tuple[list[tuple[str, list[Stroke]]], tuple[int, int], list[str]]:
    """(name, strokes) of the outermost groups from rear to front, the size in px, and what was left out in words.

    What lies in no group is a group of its own. Raises Refusal naming the file.
    """
    body = path.read_bytes()
    if len(body) > _MOST_BYTES:
        raise Refusal(f"{name} is larger than {_MOST_BYTES // 2**20} MB; save fewer lines in it")
    if b"<!ENTITY" in body:
        raise Refusal(f"{name} holds entities; save it as plain SVG")
    if _things(body) > _MOST_THINGS:
        raise Refusal(f"{name} uses its parts more than {_MOST_THINGS:,} times over; save fewer copies in it")
    try:
        svg = SVG.parse(io.BytesIO(body), reify=True)
    except Exception as error:
        # What a wrong file may raise in the parser has no end.
        raise Refusal(f"{name} is no SVG that can be read; save it as plain SVG") from error
    size = (round(float(svg.width or 0)), round(float(svg.height or 0)))
    if not 0 < size[0] <= LARGEST_SIDE or not 0 < size[1] <= LARGEST_SIDE:
        raise Refusal(
            f"{name} is {size[0]} x {size[1]} px; it needs a size of up to {LARGEST_SIDE} px a side"
        )
    groups: list[tuple[str, list[Stroke]]] = []
    loose: list[Stroke] = []
    left_out = 0
    for item in _outermost(svg):
        shapes = list(item.select()) if isinstance(item, Group) else [item]
        strokes: list[Stroke] = []
        for shape in shapes:
            if isinstance(shape, Group):
                continue
            found = _strokes(shape) if isinstance(shape, Shape) else None
            if found is None:
                left_out += isinstance(shape, SVGElement) and not isinstance(shape, Shape)
            else:
                strokes += found
                _refuse_long(name, found, size)
            if len(strokes) + len(loose) > _MOST_STROKES:
                raise Refusal(f"{name} holds more than {_MOST_STROKES} lines; save it in parts")
        if isinstance(item, Group):
            if strokes:
                groups.append((_label(item), strokes))
        else:
            loose += strokes
    if loose:
        groups.append((Path(name).stem, loose))
    if not groups:
        raise Refusal(f"{name} holds no lines; save strokes and shapes, not pictures or text alone")
    notes = [f"{left_out} things that are no lines were left out"] if left_out else []
    return groups, size, notes


def _things(body: bytes) -> float:
    """How many elements an SVG has, those that are used again each time; infinite if one uses itself. A body that cannot be read
    has none."""
    try:
        root = ElementTree.fromstring(body)
    except (ElementTree.ParseError, ValueError, LookupError):
        return 0
    named = {thing.get("id"): thing for thing in root.iter()}
    counted: dict[Any, float] = {}
    begun = {root}
    stack = [root]
    while stack:
        thing = stack[-1]
        link = next((v for k, v in thing.attrib.items() if k.rpartition("}")[2] == "href"), "")
        used = named.get(link.removeprefix("#")) if thing.tag.rpartition("}")[2] == "use" else None
        parts = [*thing, *([] if used is None else [used])]
        waiting = [part for part in parts if part not in counted]
        if any(part in begun for part in waiting):
            return math.inf
        if waiting:
            begun.add(waiting[0])
            stack.append(waiting[0])
        else:
            counted[stack.pop()] = 1 + sum(counted[part] for part in parts)
            begun.discard(thing)
    return counted[root]


def _refuse_long(name: str, strokes: list[Stroke], size: tuple[int, int]) -> None:
    """Raises Refusal for a line that no hand has drawn."""
    most = limits().stroke_widths * max(size)
    for stroke in strokes:
        # The way over the controls is never shorter than the line.
        if np.hypot(*np.diff(stroke.controls, axis=0).T).sum() > most and (way := length(stroke)) > most:
            raise Refusal(
                f"{name} holds a line of {way:.0f} px; the limit is {limits().stroke_widths:g} picture widths,"
                " set by SCHOON_MOST_STROKE_WIDTHS. Save it in parts"
            )


def _outermost(svg: Any) -> list[Any]:
    """The groups that are layers: those of the file, or of the one group that holds all of it."""
    items = [item for item in svg if isinstance(item, Group | Shape)]
    while len(items) == 1 and isinstance(items[0], Group) and any(isinstance(x, Group) for x in items[0]):
        items = [item for item in items[0] if isinstance(item, Group | Shape)]
    return items


def _label(group: Any) -> str:
    values = group.values
    label = next((str(values[k]) for k in values if str(k).endswith("label") and values[k]), "")
    return label or str(group.id or "")


def _strokes(shape: Any) -> list[Stroke] | None:
    """The strokes of a shape: its line where it has one, else the edge of what it fills; None where nothing is seen."""
    seen = shape.stroke is not None and shape.stroke.value is not None
    filled = shape.fill is not None and shape.fill.value is not None
    if not seen and not filled:
        return None
    width = float(shape.stroke_width or 0) if seen else 1.0
    outline = Outline(shape)
    found = []
    for run in outline.as_subpaths():
        controls = _controls(Outline(run))
        if controls is not None:
            closed = bool(np.hypot(*(controls[0] - controls[-1])) < 1e-6)
            widths = np.full((len(controls) - 1) // 3 + 1, width if width > 0 else _WIDTH)
            found.append(Stroke(controls, widths, by="hand", filled=filled and closed and _is_dark(shape)))
    return found


def _is_dark(shape: Any) -> bool:
    fill = shape.fill
    return bool(max(fill.red, fill.green, fill.blue) < 64 and fill.alpha > 128)


def _controls(run: Any) -> Any:
    pieces: list[np.ndarray] = []
    for segment in run:
        pieces += _cubics(segment)
    pieces = [p for p in pieces if np.ptp(p, axis=0).max() > 1e-9]
    if not pieces:
        return None
    controls = np.vstack([pieces[0], *(p[1:] for p in pieces[1:])])
    return controls if np.isfinite(controls).all() else None


def _cubics(segment: Any) -> list[np.ndarray]:
    if isinstance(segment, Move) or segment.start is None or segment.end is None:
        return []
    if isinstance(segment, CubicBezier):
        return [np.array([_xy(p) for p in (segment.start, segment.control1, segment.control2, segment.end)])]
    if isinstance(segment, QuadraticBezier):
        a, b, c = (np.array(_xy(p)) for p in (segment.start, segment.control, segment.end))
        return [np.array([a, a + 2 / 3 * (b - a), c + 2 / 3 * (b - c), c])]
    if isinstance(segment, Arc):
        return [piece for cubic in segment.as_cubic_curves() for piece in _cubics(cubic)]
    if isinstance(segment, Line | Close):
        a, b = np.array(_xy(segment.start)), np.array(_xy(segment.end))
        return [np.array([a, a + (b - a) / 3, b - (b - a) / 3, b])]
    return []


def _xy(point: Any) -> tuple[float, float]:
    x, y = float(point.x), float(point.y)
    return (x, y) if math.isfinite(x) and math.isfinite(y) else (math.nan, math.nan)
