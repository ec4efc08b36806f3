"""Strokes as SVG."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from ..core.strokes import Points, Stroke, outline, sample
from ..errors import Refusal
from .pictures import LARGEST_SIDE

_FAR = 10
"""Longer sides of a picture beyond which a line does not belong to it."""


def centre_path(stroke: Stroke) -> str:
    """Path data of a stroke's centre line."""
    head = "M{:.2f} {:.2f}".format(*stroke.controls[0])
    return head + "".join("C" + " ".join(f"{v:.2f}" for v in piece[1:].ravel()) for piece in stroke.segments)


def outline_path(stroke: Stroke) -> str:
    """Path data of the inked shape, for a non-zero fill."""
    ring = outline(stroke)
    if not stroke.black:
        return polygon_path([ring])
    # Both turn the same way, or the inside would be taken off the line.
    inside = sample(stroke)[0]
    return polygon_path([ring, inside if _turn(inside) * _turn(ring) >= 0 else inside[::-1]])


def _turn(ring: Points) -> float:
    x, y = ring.T
    return float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))


def polygon_path(rings: Sequence[Points]) -> str:
    """Path data of closed polygons, to 1/10 px."""
    parts = []
    for ring in rings:
        tenths = np.round(ring * 10).astype(int) / 10
        text = ("%g,%g " * len(tenths))[:-1] % tuple(tenths.ravel().tolist())
        parts.append(f"M{text}Z")
    return "".join(parts)


def curve_path(ring: Points) -> str:
    """Path data of a closed curve of (3 n + 1, 2) control points."""
    first, rest = ring[0], ring[1:].reshape(-1, 6)
    curves = "".join("C" + ",".join(f"{v:.1f}" for v in segment) for segment in rest)
    return f"M{first[0]:.1f},{first[1]:.1f}{curves}Z"


def polyline_path(points: Points) -> str:
    """Path data of an open polyline."""
    return "M" + " ".join(f"{x:.1f},{y:.1f}" for x, y in points.tolist())


def drawing_svg(strokes: Sequence[Stroke], size: tuple[int, int]) -> str:
    """An SVG file with one path per stroke: its centre line, the mean width as stroke-width; only blacks are filled."""
    width, height = size
    paths = "\n".join(
        f'<path id="s{stroke.id}" fill="{"#000" if stroke.black else "none"}" stroke="#000" stroke-linecap="round" stroke-linejoin="round"'
        f' stroke-width="{stroke.widths.mean():.2f}" data-confidence="{stroke.confidence:.2f}" d="{centre_path(stroke)}"/>'
        for stroke in strokes
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}">\n'
        f"{paths}\n</svg>\n"
    )


@dataclass(frozen=True)
class Area:
    """A painted area. pot, part: their names. rings: outlines and holes, px. colour: "#rrggbb". opacity: 0..1."""

    pot: str
    part: str
    rings: Sequence[Points]
    colour: str
    opacity: float = 1.0


def painted_svg(
    areas: Sequence[Area], strokes: Sequence[Stroke], size: tuple[int, int], ink: str, parts: Sequence[str]
) -> str:
    """An SVG file with a group a part, in it the areas by their pots as classes, and the lines of the part; a change of a
    class changes a pot. parts: from rear to front; what belongs to none comes first."""
    width, height = size
    pots = {area.pot: area for area in areas}
    classes = {pot: f"pot-{k}" for k, pot in enumerate(sorted(pots), 1)}
    rules = [
        f".{classes[pot]} {{ fill: {area.colour}; stroke: {area.colour}; fill-opacity: {area.opacity:g};"
        f" stroke-opacity: {area.opacity:g} }}"
        for pot, area in sorted(pots.items())
    ]
    rules.append(f".ink {{ fill: {ink} }}")
    groups = []
    order = list(dict.fromkeys(["", *parts, *sorted({area.part for area in areas})]))
    for part in order:
        if own := [area for area in areas if area.part == part]:
            inside = [
                f'<path class="{classes[a.pot]}" fill-rule="evenodd" d="{polygon_path(a.rings)}">'
                f"<title>{escape(a.pot)}</title></path>"
                for a in own
            ]
            groups.append(f'<g class="paint" data-part={quoteattr(part)}>\n' + "\n".join(inside) + "\n</g>")
    for part in order:
        if lines := [s for s in strokes if (s.part if s.part in order else "") == part]:
            paths = [f'<path class="ink" id="s{s.id}" d="{outline_path(s)}"/>' for s in lines]
            groups.append(f'<g class="line" data-part={quoteattr(part)}>\n' + "\n".join(paths) + "\n</g>")
    style, body = "\n".join(rules), "\n".join(groups)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}">\n'
        f"<style>\n{style}\n</style>\n{body}\n</svg>\n"
    )


def read_drawing_svg(name: str, text: str) -> tuple[list[Stroke], tuple[int, int]]:
    """Strokes and size of an SVG as `drawing_svg` writes it; M, L and C with absolute co-ordinates are read.

    Raises Refusal naming the file.
    """
    box = re.search(r'viewBox="0 0 ([\d.]+) ([\d.]+)"', text)
    if box is None:
        raise Refusal(f"{name} has no viewBox that starts at 0 0; export it again as plain paths")
    size = (round(_number(box[1])), round(_number(box[2])))
    if not all(1 <= side <= LARGEST_SIDE for side in size):
        raise Refusal(
            f"{name} has a viewBox of {box[1]} x {box[2]}; sides of 1 to {LARGEST_SIDE} px can be read"
        )
    strokes: list[Stroke] = []
    for tag in re.findall(r"<path\b[^>]*>", text):
        data = re.search(r'\sd="([^"]*)"', tag)
        black = 'fill="#000"' in tag
        if data is None or not (black or 'fill="none"' in tag):
            continue
        if re.search(r"[^MLC\d\s,.eE+-]", data[1]):
            raise Refusal(
                f"{name} holds a path with commands other than M, L and C; export it as plain curves"
            )
        width = re.search(r'stroke-width="([\d.]+)"', tag)
        try:
            found = [
                _stroke(run, float(width[1]) if width else 4.0) for run in re.findall(r"M[^M]*", data[1])
            ]
        except ValueError as error:
            raise Refusal(f"{name} holds a path whose numbers are no places; export it again") from error
        strokes += [replace(s, filled=black) for s in found if s is not None]
    if any(np.abs(s.controls).max() > _FAR * max(size) for s in strokes):
        raise Refusal(f"{name} holds a line far outside of its viewBox; take it out and export it again")
    return strokes, size


def _number(text: str) -> float:
    """0 for what is no number."""
    try:
        return float(text)
    except ValueError:
        return 0.0


_NUMBER = re.compile(r"-?\d*\.?\d+(?:[eE][+-]?\d+)?")


def _stroke(run: str, width: float) -> Stroke | None:
    pieces: list[Points] = []
    at = np.zeros(2)
    for straight, body in re.findall(r"((?:[ML][^MLC]*)+)|C([^MLC]*)", run):
        values = np.array(_NUMBER.findall(straight or body), float).reshape(-1, 2)
        if straight:
            corners = values if straight[0] == "M" else np.vstack([at, values])
            corners = corners[np.r_[True, np.hypot(*np.diff(corners, axis=0).T) > 1e-9][: len(corners)]]
            if len(corners) > 1:
                pieces.append(_straight(corners))
            at = corners[-1] if len(corners) else at
        else:
            for piece in values[: len(values) // 3 * 3].reshape(-1, 3, 2):
                pieces.append(np.vstack([at, piece]))
                at = piece[-1]
    if not pieces:
        return None
    controls = np.vstack([pieces[0], *(piece[1:] for piece in pieces[1:])])
    return Stroke(controls, np.full((len(controls) - 1) // 3 + 1, width))


def _straight(corners: Points) -> Points:
    """(3 n + 1, 2) control points of the straight lines between n + 1 places."""
    begin, way = corners[:-1], np.diff(corners, axis=0)
    inner = np.stack([begin + way / 3, begin + 2 * way / 3, corners[1:]], axis=1)
    return np.vstack([corners[:1], inner.reshape(-1, 2)])
