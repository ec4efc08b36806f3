"""What workers draw for the pages: small pictures of drawings and crops of gaps."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..core.cleanup import KINDS, CleanupSettings, pencils_of, read_rough
from ..core.cleanup.tidy import readings
from ..core.compose import Frame, Layer, Picture, render
from ..core.model import Rgb, write_colour
from ..core.model.pictures import FlatColours, flat_colours
from ..core.paper import densities, lines_of_painted, on_paper, strongest
from ..core.patches import add_stitches, find_patches, outlines, pack, unpack
from ..core.prop import Placed, Sight, runs, turned_by
from ..core.run import Placement, register_parts
from ..core.seal.opened import Beside, Box
from ..core.seal.opened import open_forms as forms_open
from ..core.strokes import Stroke, arc_lengths, sample, strokes_from_dicts, strokes_to_dicts
from ..formats import svg
from ..formats.pictures import decode, encode_png
from ..store import KeyRow, ModelRow
from ..work import keys
from ..work.derived import patches_in, scaled, to_json
from ..work.documents import Own, painting_of, sheet_of
from ..work.frames import Drawn, frame_of, inks_of, on_white, own_seen
from ..work.placing import SAME
from ..work.props import Body, solid_of
from ..work.readings import settings_of

_CROP = (300, 240)
"""Width and height of the crop of a gap, px."""


def rough(body: bytes, width: int) -> bytes:
    """WebP of a rough, at most `width` px wide."""
    picture = scaled(decode("rough", body), width)
    if picture.shape[2] == 4:
        height, across = picture.shape[:2]
        picture = on_white(Frame((across, height), (Layer("backdrop", Picture(picture)),)))
    return _webp(picture)


def frame(
    drawings: Sequence[Drawn], size: tuple[int, int], width: int, clear: bool, exact: bool = False
) -> tuple[bytes, list[bytes | None]]:
    """WebP of drawings from rear to front, on white or with clear on nothing, at most `width` px wide, and the patches
    of each, packed. exact: without loss."""
    made, packed = frame_of(drawings, size)
    return _webp(render(made, width) if clear else on_white(made, width), exact), packed


_GONE, _CAME = (196, 132, 28), (122, 66, 178)


def difference(old: bytes, new: bytes, width: int) -> bytes:
    """WebP of what differs between two roughs: what is gone in ochre, what came in violet, what is in both in grey."""
    marks = []
    for body in (old, new):
        picture = on_paper(scaled(decode("rough", body), width))
        marks.append(np.clip(strongest(densities(picture)) / 0.5, 0, 1))
    before, after = marks
    if before.shape != after.shape:
        before = cv2.resize(before, after.shape[::-1], interpolation=cv2.INTER_AREA)
    # A line that was drawn anew in its place is no difference.
    near = np.ones((5, 5), np.uint8)
    gone = np.clip(before - cv2.dilate(after, near), 0, 1)
    came = np.clip(after - cv2.dilate(before, near), 0, 1)
    paper = np.full((*after.shape, 3), 255, np.float32)
    for share, colour in ((0.35 * np.minimum(before, after), (90, 90, 90)), (gone, _GONE), (came, _CAME)):
        paper = paper * (1 - share[..., None]) + np.array(colour, np.float32) * share[..., None]
    return _webp(paper.round().astype(np.uint8))


_ANEW = 5
"""px within which a line that lies beside another is that line, drawn anew."""

_OTHER = 24
"""Difference of two colours, of 255, from which on they are two."""


def against(drawn: Drawn, other: Drawn, size: tuple[int, int], width: int) -> bytes:
    """WebP of what differs between two painted drawings once the other lies over this one: lines that only this one has in
    violet, those of the other in ochre, and tinted where the paint is another."""
    sheets = [sheet_of(size, *one.documents) for one in (drawn, other)]
    (found,) = register_parts(sheets[0].inked, [sheets[1].inked], size)
    over = (found[0] if found else Placement()).matrix
    inks, paints = [], []
    for sheet, one, transform in zip(sheets, (drawn, other), (Placement().matrix, over), strict=True):
        layers = frame_of([replace(one, finish=(), place=SAME)], size, "flats-tones")[0].layers
        ink = Layer("ink", inks_of(sheet, (0, 0, 0)), transform)
        inks.append(render(Frame(size, (ink,)), width)[..., 3].astype(np.float32) / 255)
        paints.append(render(Frame(size, (Layer("flats", layers, transform),)), width).astype(np.float32))
    near = np.ones((2 * _ANEW + 1, 2 * _ANEW + 1), np.uint8)
    own, theirs = (
        np.clip(a - cv2.dilate(b, near), 0, 1) for a, b in ((inks[0], inks[1]), (inks[1], inks[0]))
    )
    apart = np.abs(paints[0] - paints[1]).max(axis=2) > _OTHER
    # Beside lines that were drawn anew colours differ without being others.
    apart = cv2.morphologyEx(apart.astype(np.uint8), cv2.MORPH_OPEN, near)
    alpha = paints[0][..., 3:] / 255
    paper = 255 + 0.3 * alpha * (paints[0][..., :3] - 255)
    for share, colour in (
        (0.45 * apart.astype(np.float32), _GONE),
        (0.4 * np.minimum(*inks), (90, 90, 90)),
        (theirs, _GONE),
        (own, _CAME),
    ):
        paper = paper * (1 - share[..., None]) + np.array(colour, np.float32) * share[..., None]
    return _webp(paper.round().astype(np.uint8))


def own(ink: Own, colour: Rgb) -> bytes:
    """PNG of ink of its own as it is seen with a line colour, on nothing."""
    return encode_png(own_seen(ink, colour))


def strokes(found: Sequence[Stroke]) -> list[str]:
    """Path data of the inked shapes of strokes."""
    return [svg.outline_path(stroke) for stroke in found]


def shapes(line: Any, seal: Any, size: tuple[int, int], packed: bytes | None) -> tuple[bytes, bytes]:
    """JSON of the patches of a line and a seal document as the page draws them, and the patches, packed.

    packed: the patches, if somebody has found them before; line is not looked at then.
    """
    patches = unpack(packed) if packed is not None else patches_in(sheet_of(size, line, seal, None))
    rings = outlines(patches)
    listed = [
        {
            "n": n,
            "d": svg.polygon_path(rings.get(n, [])),
            "at": patches.anchors[n].tolist(),
            "area": int(patches.areas[n]),
        }
        for n in range(1, patches.count + 1)
    ]
    return to_json({"background": patches.background, "patches": listed}), packed or pack(patches)


def open_forms(
    line: Any,
    seal: Any,
    size: tuple[int, int],
    packed: bytes | None,
    beside: Sequence[tuple[bytes, Any, Box]],
) -> bytes:
    """JSON of the forms of a drawing that are open to the outside: `at`, `area`, and of the stitches that would close it `id`
    and `d`. packed: its patches, if somebody has found them before. beside: patches, paint document and box of drawings near
    in the run."""
    sheet = sheet_of(size, line, seal, None)
    proposed = [s for s in sheet.stitches if s.state == "open"]
    if not proposed:
        return to_json({"open": []})
    now = unpack(packed) if packed is not None else patches_in(sheet)
    taken = [replace(s, state="taken") if s.state == "open" else s for s in sheet.stitches]
    shut = patches_in(replace(sheet, stitches=taken))
    paths = {s.id: svg.polyline_path(s.points) for s in proposed}
    boxes = np.array([s.box for s in sheet.strokes]).reshape(-1, 4)
    box = (*boxes[:, :2].min(axis=0).tolist(), *boxes[:, 2:].max(axis=0).tolist()) if len(boxes) else None
    others = [_figure(*other, size) for other in beside]
    found = forms_open(now, shut, proposed, box, others) if now.shape == shut.shape else []
    listed = [
        {"at": form.at, "area": form.area, "stitches": [{"id": s, "d": paths[s]} for s in form.stitches]}
        for form in found
    ]
    return to_json({"open": listed})


def _figure(packed: bytes, paint: Any, box: Box, size: tuple[int, int]) -> Beside:
    """Where the figure of a drawing is."""
    patches = unpack(packed)
    painted = painting_of(sheet_of(size, None, None, paint).spots, patches) if paint else {}
    pots = [p for p, own in painted.items() if own.pot >= 0]
    inside = np.isin(patches.labels, pots) if pots else patches.labels != patches.background
    return Beside(inside, box)


def marks(found: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The marks of a rough that were taken for something else than line, by kind: share of all that is drawn, and path
    data. found: as `readings.read`."""
    lengths: dict[str, float] = dict.fromkeys(KINDS, 0.0)
    paths: dict[str, list[str]] = {kind: [] for kind in KINDS}
    for mark in found["marks"]:
        points = np.array(mark["points"])
        lengths[mark["kind"]] += float(arc_lengths(points)[-1])
        paths[mark["kind"]].append(svg.polyline_path(points))
    strokes = strokes_from_dicts(found["strokes"])
    total = sum(lengths.values()) + sum(float(arc_lengths(sample(s)[0])[-1]) for s in strokes)
    return [
        {"kind": kind, "share": round(lengths[kind] / max(total, 1.0), 3), "d": "".join(paths[kind])}
        for kind in KINDS
        if paths[kind]
    ]


def tidy(
    name: str, body: bytes, reading: Mapping[str, Any], lasso: Sequence[tuple[float, float]]
) -> dict[str, list[dict[str, Any]]]:
    """What lies within a lasso on a rough, read in each way of `core.cleanup.HOWS`, as documents keep strokes."""
    found = readings(decode(name, body), np.array(lasso, float), settings_of(reading))
    return {how: strokes_to_dicts(strokes) for how, strokes in found.items()}


_APART = 36.0
"""Px between two marks from which on they are two notes."""

_ROUND = 10
"""Px of paper round a note."""


def notes(name: str, body: bytes, found: Mapping[str, Any]) -> list[tuple[bytes, int, int]]:
    """PNG, width and height of each note on a rough, cut out of it. found: as `readings.read`."""
    picture = decode(name, body)
    height, width = picture.shape[:2]
    paths = [np.array(mark["points"]) for mark in found["marks"] if mark["kind"] == "note"]
    layer = np.zeros((height, width), np.uint8)
    for path in paths:
        cv2.polylines(layer, [np.round(path).astype(np.int32)], False, 255, 2)
    # Letters of a note are one thing.
    apart = cv2.distanceTransform(255 - layer, cv2.DIST_L2, 3) <= _APART / 2
    _, _, boxes, _ = cv2.connectedComponentsWithStats(apart.astype(np.uint8), connectivity=8)
    pictures = []
    inset = int(_APART / 2) - _ROUND
    for x, y, w, h, _ in boxes[1:].tolist():
        crop = picture[max(0, y + inset) : y + h - inset, max(0, x + inset) : x + w - inset]
        if min(crop.shape[:2]) > 2 * _ROUND:
            pictures.append((encode_png(crop), crop.shape[1], crop.shape[0]))
    return pictures


def sheet_lines(body: bytes) -> dict[str, Any]:
    """The lines of a page of a model sheet, painted or not, as documents keep them, and its size."""
    picture = lines_of_painted(decode("the page", body))
    settings = CleanupSettings(detail=1.0, follow=1.0)
    found = read_rough(picture, settings).strokes
    return {"strokes": strokes_to_dicts(found), "size": list(picture.shape[1::-1])}


def pencils(name: str, body: bytes) -> list[dict[str, Any]]:
    """The coloured pencils of a rough, as the page lists them: name, hue in degrees, colour, share of the marks, and
    what each is taken for if nothing is said of it."""
    found = pencils_of(decode(name, body))
    return [
        {
            "name": pencil.name,
            "hue": round(pencil.hue, 1),
            "colour": write_colour(pencil.colour),
            "share": round(pencil.share, 3),
            "role": role,
        }
        for pencil, role in found
    ]


_SEEN_MARGIN = 0.86

_PLAIN = (226, 221, 212)
"""Colour of a form without a pot."""


def prop(
    body: Body, colours: Mapping[int, Rgb], size: int, right: float, down: float, opened: float
) -> bytes:
    """PNG, `size` px wide and high, of a prop seen from a side, turned by degrees: painted, lined, what is hidden faint."""
    solid = solid_of(body)
    middle = size / 2
    placed = turned_by(Placed((middle, middle), 1.0, opened=opened), right, down, 0.0)
    flat = placed.seen(placed.turned(solid.posed(opened)))
    low, high = flat.min(axis=0), flat.max(axis=0)
    scale = _SEEN_MARGIN * size / max(float((high - low).max()), 1e-6)
    at = middle - scale * ((low + high) / 2 - middle)
    placed = replace(placed, at=(float(at[0]), float(at[1])), size=scale)
    sight = Sight.of(solid, placed)
    table = np.array([(255, 255, 255), *(colours.get(form.pot, _PLAIN) for form in solid.forms)], np.uint8)
    picture = np.ascontiguousarray(table[sight.picture((size, size))])
    found = runs(sight)
    for seen, ink, thick in ((False, (176, 150, 140), 1), (True, (29, 43, 58), 2)):
        lines = [np.round(run.flat * 16 - 8).astype(np.int32) for run in found if run.seen == seen]
        cv2.polylines(picture, lines, False, ink, thick, cv2.LINE_AA, 4)
    return encode_png(picture)


def wire(body: Body, opened: float) -> dict[str, Any]:
    """The solid of a prop for the page: flat lists of points and faces, lines as lists of points, and the edge of each two
    smooth faces."""
    solid = solid_of(body)
    points = solid.posed(opened)
    details = [line for _, line in solid.details_posed(opened)]
    lines = [*(points[chain] for chain in solid.ridges), *details]
    return {
        "points": points.round(4).ravel().tolist(),
        "edges": solid.smooth_edges.ravel().tolist(),
        "faces": solid.faces.ravel().tolist(),
        "lines": [line.round(4).ravel().tolist() for line in lines],
    }


def prop_forms(body: Body, placed: Placed, size: tuple[int, int]) -> bytes:
    """PNG in which every form of a placed prop has a colour of its own; the rest is clear."""
    solid = solid_of(body)
    count = len(solid.forms)
    hues = (np.arange(count) * 0.618034 % 1 * 179).astype(np.uint8)
    shades = np.stack([hues, np.full(count, 190, np.uint8), np.full(count, 230, np.uint8)], axis=1)
    table = np.zeros((count + 1, 4), np.uint8)
    table[1:, :3] = cv2.cvtColor(shades[None], cv2.COLOR_HSV2RGB)[0]
    table[1:, 3] = 255
    return encode_png(table[Sight.of(solid, placed).picture(size)])


def flats(body: bytes) -> FlatColours:
    """The flat colours of a picture."""
    return flat_colours(decode("the picture", body))


def key(name: str, body: bytes, model: ModelRow, start: KeyRow, drawings: list[keys.Painted]) -> keys.ReadKey:
    """As `work.keys.read_key`, from a picture's bytes."""
    return keys.read_key(name, decode(name, body), model, start, drawings)


def gap(document: Any, seal: Any, size: tuple[int, int], stitch_id: str) -> bytes:
    """PNG of the line round a stitch, the stitch dashed in red, the two areas it parts tinted."""
    sheet = sheet_of(size, document, seal, None)
    stitch = next(s for s in sheet.stitches if s.id == stitch_id)
    half = max(48.0, 1.6 * stitch.width)
    scale = _CROP[1] / 2 / half
    centre = stitch.points.mean(axis=0)
    to_crop = scale * np.array([[1, 0, half * 1.25 - centre[0]], [0, 1, half - centre[1]]])
    ink = Layer("ink", inks_of(sheet, (29, 43, 58)), to_crop)
    coverage = render(Frame(_CROP, (ink,)))[..., 3]
    path, *others = (
        (points - centre + (half * 1.25, half)) * scale
        for points in [stitch.points, *(p for p in sheet.taken if p is not stitch.points)]
    )
    crop = _inked(coverage, (29, 43, 58), _parted(coverage > 127, path, others))
    _dashes(crop, path)
    return encode_png(crop)


_TINTS = ((214, 236, 231), (247, 229, 196))


def _parted(
    wall: NDArray[np.bool_], path: NDArray[np.float64], others: list[NDArray[np.float64]]
) -> NDArray[np.uint8]:
    """(h, w, 3) paper with the areas on both sides of a stitch in two tints; in one if they are one area all the same."""
    labels = find_patches(add_stitches(wall, [path, *others])).open_labels
    paper = np.full((*labels.shape, 3), 255, np.uint8)
    middle = path[len(path) // 2] if len(path) > 2 else path.mean(axis=0)
    along = path[-1] - path[0]
    aside = np.array([-along[1], along[0]]) / max(float(np.hypot(*along)), 1e-6)
    for side, tint in zip((1, -1), _TINTS, strict=True):
        for far in (3, 5, 8):
            col, row = np.floor(middle + side * far * aside).astype(int)
            if 0 <= row < labels.shape[0] and 0 <= col < labels.shape[1] and labels[row, col]:
                paper[labels == labels[row, col]] = tint
                break
    return paper


def _dashes(picture: NDArray[np.uint8], path: NDArray[np.float64]) -> None:
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(path, axis=0).T))]
    for start in np.arange(0, along[-1], 11.0):
        at = np.linspace(start, min(start + 6.5, along[-1]), 4)
        dash = np.stack([np.interp(at, along, path[:, k]) for k in (0, 1)], axis=1)
        cv2.polylines(
            picture, [np.round(dash * 16).astype(np.int32)], False, (178, 58, 46), 4, cv2.LINE_AA, 4
        )


def _inked(
    coverage: NDArray[np.uint8], ink: tuple[int, int, int], paper: NDArray[np.uint8] | int = 255
) -> NDArray[np.uint8]:
    share = coverage[..., None].astype(np.float32) / 255
    return np.ascontiguousarray(
        (paper * (1 - share) + np.array(ink, np.float32) * share).round().astype(np.uint8)
    )


def _webp(pixels: NDArray[np.uint8], exact: bool = False) -> bytes:
    out = io.BytesIO()
    if exact:
        Image.fromarray(pixels).save(out, "WEBP", lossless=True, quality=0, method=0)
    else:
        Image.fromarray(pixels).save(out, "WEBP", quality=90, method=1)
    return out.getvalue()
