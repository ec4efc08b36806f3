"""A rough picture to proposed clean strokes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from skimage.morphology import skeletonize

from .. import skeleton as graphs
from ..paper import MARKED, Pencil, construction, densities, find_pencils, on_paper, separate, strongest
from ..pixels import box_of
from ..strokes import Points, Stroke, edit
from .area import Area
from .blacks import is_inked, outlined, solids
from .evidence import line_chance
from .joins import drawn_up, let_go
from .labels import LINE, Mark, judge, told_apart
from .lessons import UNKNOWN, Lesson, Said, Taught, lesson_of, meant, taught, told_by
from .marks import Pieces, measure
from .pen import LEAST_HAND, Pen, is_ring
from .ridges import BARE, Bank, Ridges, centre_mask
from .rounds import rounded
from .settings import CleanupSettings

_WORKING_SIDE = 1000
"""Longest side of the picture lines are found in, px; positions are refined there to sub-pixel."""

_SCALES = (1.0, 1.4, 2.0, 2.6, 3.2, 4.0)
"""Sigmas tried, px of the working picture, from tied-down to very searching roughs."""

_ABOUT = 32
"""Px of bare paper that are looked at about what is drawn."""

_BROAD = 2.3
"""Pen radius in px of the working picture from which on lines are too broad for the finest scale."""

_FINE = 1.9
"""Pen radius that broad lines are brought to, px."""

_FAINT = 0.5
"""Share of the usual thresholds from which on the finest scale sees a line."""

_OFF_LINE = 2.0
"""Sigmas of the ridge from a known line from which on there is another one."""

_LEAST_FINE = 16
"""Extent of a line that only the finest scale sees, px of the working picture."""

_RIM = 1.0
"""Width of the line round a filled black, px: it adds nothing to it."""

_SIDE_BY_SIDE = 21
"""Width in which strokes search for one line, px of the working picture."""

_RIM_SEEN = 7
"""Px about a black, beside the width of a line, in which its rim is seen as a line."""

_UP_TO = 5.0
"""Sigmas of the ridge within which an end is drawn on to the line before it."""

_HARDLY_SEEN, _HARDLY_DRAWN = 0.55, 0.005
"""Chance of line and density below which paper is bare between two lines."""

_BODY, _HOOK = 5.0, 12.0
"""Sigmas of the ridge that the body of the line reaches at which another one ends, and that a hook is long which reaches it over
bare paper."""

_BLUNT = 2.0
"""Sigmas of the ridge at a free end that say nothing of where the line goes."""

_BESIDE_AT = 1.4
"""Sigma at which marks are found that are not seen as lines, px of the working picture."""

_SEEN_AT = (0.6, 1.0, 2.0, 2.8)
"""Sigmas at which lines are followed in what is seen of them, px: a wider one where it is told of as two."""

_BEADS = 1.06
"""A wider one is taken where it shortens the skeleton by more than this factor."""

_LINE_SCALE = 1.0
"""Half the width of what is seen of a line, px."""

_FAINTLY = 0.5
"""How much what is drawn draws a line towards itself beside what is seen of it."""

_SETTLED = 1.10
"""The scatter is spanned when a wider scale shortens the skeleton by less than this factor."""


def pencils_of(picture: NDArray[np.uint8]) -> list[tuple[Pencil, str]]:
    """The coloured pencils in a rough, the most used first, and what each is taken for: "use" or "ignore"."""
    density = densities(working(on_paper(picture))[0])
    pencils = find_pencils(density)
    return list(zip(pencils, _proposed(*separate(density, pencils)), strict=True))


def _proposed(neutral: NDArray[np.float32], coloured: list[NDArray[np.float32]]) -> list[str]:
    return ["ignore" if is_construction else "use" for is_construction in construction(neutral, coloured)]


@dataclass(frozen=True)
class Proposal:
    """What was read from a rough. strokes: the proposed lines. others: marks that are no lines, px of the picture."""

    strokes: list[Stroke]
    others: list[Mark]


def propose_strokes(picture: NDArray[np.uint8], settings: CleanupSettings | None = None) -> list[Stroke]:
    """Clean strokes for an (h, w), (h, w, 3) RGB or (h, w, 4) RGBA rough, in px of the picture.

    An empty or evenly toned picture gives no strokes. Raises ValueError for other shapes.
    """
    return read_rough(picture, settings).strokes


def read_rough(
    picture: NDArray[np.uint8],
    settings: CleanupSettings | None = None,
    said: Sequence[Said] = (),
    lessons: Sequence[Lesson] | Taught = (),
) -> Proposal:
    """As `propose_strokes`, with the marks that were taken for something else than line.

    said: what a person said of marks of this rough. lessons: what was said of others like it, or what was learnt from
    that; `lessons_in` gives those of this one.
    """
    settings = settings or CleanupSettings()
    proposal = Proposal([], [])
    known = lessons if isinstance(lessons, Taught) else taught(lessons)
    for found in traced(picture, settings):
        marks = _marks_of(found, said, known)
        lines = [m for m in marks if m.kind == "line" or m.kind in settings.keep]
        proposal.strokes.extend(replace(s, part=found.part) for s in _drawn(found, lines, settings))
        others = [m for m in marks if m.kind != "line" and m.kind not in settings.keep]
        proposal.others.extend(replace(m, points=found.on.placed(m.points)) for m in others)
    return proposal


def lessons_in(
    picture: NDArray[np.uint8],
    settings: CleanupSettings | None = None,
    said: Sequence[Said] = (),
    strokes: Sequence[Stroke] = (),
) -> list[Lesson]:
    """What is to be learnt from what a person said of marks of a rough, or from its finished strokes."""
    found = []
    for layer in traced(picture, settings or CleanupSettings()):
        if not layer.lines:
            continue
        pieces = pieces_of(layer)
        places = layer.on.placed(pieces.points)
        told = meant(places, pieces, said)
        told = np.where(told == UNKNOWN, told_by(places, pieces, strokes), told)
        if (told != UNKNOWN).any():
            judged = judge(pieces, taught(()))
            found.append(lesson_of(pieces, told, bool(strokes), len(said), (judged.chance, judged.shares)))
    return found


def pieces_of(found: Found) -> Pieces:
    """What was traced in short pieces, measured."""
    return measure(found.lines, found.density, found.ridges, found.chance, found.on)


def _marks_of(found: Found, said: Sequence[Said], known: Taught) -> list[Mark]:
    if not found.lines:
        return []
    pieces = pieces_of(found)
    told = meant(found.on.placed(pieces.points), pieces, said)
    return told_apart(pieces, [is_ring(line) for line in found.lines], LINE, judge(pieces, known, told))


def traced(picture: NDArray[np.uint8], settings: CleanupSettings | None = None) -> list[Found]:
    """What is drawn in each pencil's layer of a rough, whatever it is."""
    settings = settings or CleanupSettings()
    layers, shrink = layers_of(picture, settings)

    @cache
    def fills() -> bool:
        if settings.blacks == "found":
            # At full size, where the rim of a line is as sharp as it was drawn.
            return is_inked(on_paper(picture))
        return settings.blacks == "filled"

    found = [_find(layer, part, shrink, settings, fills) for layer, part in layers]
    return [f for f in found if f is not None]


def scale_of(paper: NDArray[np.uint8]) -> float:
    """How searching a rough on light paper is, 0 to 1 as in `CleanupSettings`; 0 for bare paper."""
    layers = [_quiet(layer) for layer, _ in _layers(densities(paper), CleanupSettings())]
    marked = [layer for layer in layers if layer is not None]
    if not marked:
        return 0.0
    scale = _fused_scale(Bank(marked[0]))
    return float(np.interp(scale, _SCALES, np.linspace(0, 1, len(_SCALES))))


def working(paper: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], int]:
    """The picture at working size, and how many px of it one px there is."""
    height, width = paper.shape[:2]
    shrink = max(1, -(-max(height, width) // _WORKING_SIDE))
    if shrink == 1:
        return paper, 1
    size = (-(-width // shrink), -(-height // shrink))
    return np.asarray(cv2.resize(paper, size, interpolation=cv2.INTER_AREA)), shrink


def _layers(density: NDArray[np.float32], settings: CleanupSettings) -> list[tuple[NDArray[np.float32], str]]:
    """(density, part) of each pencil, or pencils together, that are to be drawn."""
    pencils = find_pencils(density)
    neutral, coloured = separate(density, pencils)
    proposed = _proposed(neutral, coloured)
    named = [settings.role_of(pencil) or role for pencil, role in zip(pencils, proposed, strict=True)]
    # A line is as firm as it is where its colour is seen best, whichever colour that is.
    firmest = strongest(density)
    main = neutral
    for share, role in zip(coloured, named, strict=True):
        if role == "use":
            main = np.where(share > np.maximum(neutral, 0.02), np.maximum(firmest, main), main)
    layers = [(main, "")]
    for share, role in zip(coloured, named, strict=True):
        if role.startswith("part:"):
            layers.append((share, role.removeprefix("part:")))
    return layers


def _quiet(density: NDArray[np.float32]) -> NDArray[np.float32] | None:
    """The density with the paper's grain taken off; None for bare paper."""
    # A hard-pressed line is not more of a line than a light one.
    density = np.minimum(density, 0.6)
    noise = np.median(np.abs(density - np.median(density))) * 1.5
    density = np.maximum(density - 2 * noise, 0)
    return density if density.max() > 0.08 else None


def _pen_radius(density: NDArray[np.float32]) -> float:
    """Half the width of the middling line, px."""
    marks = density > MARKED
    deep = cv2.distanceTransform(marks.astype(np.uint8), cv2.DIST_L2, 5)
    middle = deep[marks & (deep >= cv2.dilate(deep, np.ones((3, 3), np.uint8)))]
    return float(np.median(middle)) if middle.size else 0.0


def at_pen(
    layer: NDArray[np.float32], shrink: float
) -> tuple[NDArray[np.float32], NDArray[np.float32], float] | None:
    """A pencil's layer at the size its lines are found at, the same without grain, and px of the drawing one px there is; None
    for bare paper."""
    density = _quiet(layer)
    if density is None:
        return None
    radius = _pen_radius(density)
    if radius > _BROAD:
        # A broad pen is a line like any other, seen from farther away.
        height, width = density.shape
        size = (max(16, round(width * _FINE / radius)), max(16, round(height * _FINE / radius)))
        density = np.asarray(cv2.resize(density, size, interpolation=cv2.INTER_AREA))
        layer = np.asarray(cv2.resize(layer, size, interpolation=cv2.INTER_AREA))
        shrink *= width / size[0]
    return layer, density, shrink


def layers_of(
    picture: NDArray[np.uint8], settings: CleanupSettings | None = None
) -> tuple[list[tuple[NDArray[np.float32], str]], int]:
    """(density, part) of each pencil, or pencils together, that are drawn in a rough, at working size; and how many px of the
    drawing one px there is."""
    paper, shrink = working(on_paper(picture))
    return _layers(densities(paper), settings or CleanupSettings()), shrink


@dataclass(frozen=True)
class Found:
    """What was traced in one pencil's layer. on: the part of the rough that it was traced on. lines: chains, and rings:
    outlines of blacks, (k, 2) px there. density: (h, w) how dark it is there. chance: (h, w) as of `evidence.line_chance`.
    mask: (h, w) bodies of the lines. scale: half the width of a body, px."""

    lines: list[Points]
    rings: list[Points]
    density: NDArray[np.float32]
    mask: NDArray[np.bool_]
    ridges: Ridges
    strong: float
    on: Area
    part: str
    filled: bool
    chance: NDArray[np.float32]
    scale: float


def _find(
    layer: NDArray[np.float32], part: str, shrink: float, settings: CleanupSettings, fills: Callable[[], bool]
) -> Found | None:
    """The lines of one pencil's density at working size; None for bare paper. fills: whether blacks are filled."""
    near = at_pen(layer, shrink)
    if near is None:
        return None
    layer, density, shrink = near
    height, width = density.shape
    # Bare paper farther round the drawing is not looked at.
    box = box_of(density > BARE, _ABOUT)
    layer, density = layer[box], density[box]
    on = Area(shrink, (box[1].start, box[0].start), (width, height))
    bank = Bank(density)
    scale = _scale_for(settings.searching)
    ridges = bank.detect(scale)
    low, high = _thresholds(ridges.strength)
    mask = _with_detail(_fill_slits(centre_mask(ridges, low, high), scale), bank, scale)
    mask = _with_finer(mask, bank, scale)
    chance = line_chance(layer, density)
    if settings.searching is None:
        mask, scale = _with_lines(mask, chance, scale)
    else:
        # Strokes that are taken apart lie beside the one line that is seen.
        chance = cv2.dilate(
            chance, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_SIDE_BY_SIDE, _SIDE_BY_SIDE))
        )
    broad = scale
    solid = solids(density, broad)
    if settings.searching is None and solid.any():
        # Hatching and searching strokes cover the paper too, but not as broadly as a black.
        broad = max(scale, _fused_scale(bank))
        solid = solids(density, broad)
    filled = bool(solid.any()) and fills()
    outlines = outlined(solid, broad, filled)
    if outlines:
        # A black's rim is no line of its own.
        rim = 2 * int(np.ceil(1.5 * broad)) + _RIM_SEEN
        mask &= cv2.dilate(solid.astype(np.uint8), np.ones((rim, rim), np.uint8)) == 0
    graph = graphs.trace(mask)
    graphs.contract_short(graph, 2.5 * scale)
    graphs.join_through(graph)
    graphs.merge_twins(graph, 3.0 * scale)
    graphs.remove_shadows(graph, 2.6 * scale)
    graphs.remove_spurs(graph, (6.0 - 3.0 * settings.detail) * max(scale, LEAST_HAND))
    graphs.contract_short(graph, 2.5 * scale)
    graphs.join_through(graph)
    _bridge(graph, reach=7 * scale, near=scale, far=5 * scale)
    graphs.join_through(graph)
    _drop_faint(graph, ridges, least=(3.0 - 2.0 * settings.detail) * scale, strong=high)
    pairs = graphs.through_pairs(graph, near=1.2 * scale, far=6 * scale, widest=np.deg2rad(40))
    chains = graphs.chains(graph, pairs, blur=1.5 * scale)
    return Found(chains, outlines, layer, mask, ridges, high, on, part, filled, chance, scale)


def _drawn(found: Found, lines: Sequence[Mark], settings: CleanupSettings) -> list[Stroke]:
    """Strokes of what was taken for line, and of the rims of blacks."""
    scale = found.scale
    present = np.minimum(found.density, 0.3)
    if settings.searching is None:
        # Where the network sees a line it lies better than the strokes that search for it.
        present = found.chance + _FAINTLY * present
    pen = Pen(found.ridges.strength, scale, present, found.strong, found.on, settings)
    bare = (found.chance < _HARDLY_SEEN) & (found.density < _HARDLY_DRAWN)
    loose = let_go([mark.points for mark in lines], bare, _BODY * scale, _HOOK * scale)
    chains, of = rounded(loose, found.mask, found.density, scale)
    runs = drawn_up(chains, _UP_TO * max(scale, LEAST_HAND), _BLUNT * scale)
    strokes = pen.draw(runs, [lines[k].chance for k in of])
    rings = pen.rings(found.rings)
    if found.filled:
        rings = [replace(r, filled=True, widths=np.full(len(r.widths), _RIM)) for r in rings]
    # Lines that ran into a black end on its outline.
    return [edit.snapped(s, rings, 5 * scale * found.on.shrink) if rings else s for s in strokes] + rings


def _thresholds(strength: NDArray[np.float32]) -> tuple[float, float]:
    marked = strength[strength > 0.02]
    typical = float(np.percentile(marked, 90)) if marked.size else 1.0
    return 0.15 * typical, 0.4 * typical


def _scale_for(searching: float | None) -> float:
    """Sigma of the ridges, px: where strokes that search for a line become one, if it is said how searching they are."""
    if searching is None:
        return _BESIDE_AT
    return float(np.interp(searching, np.linspace(0, 1, len(_SCALES)), _SCALES))


def _fused_scale(bank: Bank) -> float:
    """The scale at which the searching strokes of a line have become one."""
    return _followed(bank, _SCALES, _SETTLED)[1]


def _followed(bank: Bank, scales: Sequence[float], shorter: float) -> tuple[NDArray[np.bool_], float]:
    """Bodies of the ridges, and the scale they are of: the first from which on a wider one does not shorten the skeleton by more
    than the factor `shorter`."""
    found, own, length = np.zeros(0, bool), scales[0], 0.0
    for scale in scales:
        ridges = bank.detect(scale)
        wider = centre_mask(ridges, *_thresholds(ridges.strength))
        now = float(skeletonize(wider).sum())
        if 0 < length <= shorter * now:
            break
        found, own, length = wider, scale, now
    return found, own


def _fill_slits(mask: NDArray[np.bool_], scale: float) -> NDArray[np.bool_]:
    """Fills holes too narrow to be a form: the white between two searching strokes."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats((~mask).astype(np.uint8), connectivity=4)
    deep = cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, 3)
    roomy = np.bincount(labels[deep >= 0.9 * scale], minlength=count) > 0
    fill = ~roomy & (stats[:, cv2.CC_STAT_AREA] < 60 * scale * scale)
    fill[labels[mask][0] if mask.any() else 0] = False
    return np.asarray(mask | fill[labels])


def _with_detail(mask: NDArray[np.bool_], bank: Bank, scale: float) -> NDArray[np.bool_]:
    """The mask with small lone marks taken from a finer scale, where a little ring is still a ring."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    small = stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(axis=1) < 14 * scale
    if count == 1 or not small[1:].any() or scale <= _SCALES[0]:
        return mask
    fine = bank.detect(max(_SCALES[0], 0.5 * scale))
    detail = centre_mask(fine, *_thresholds(fine.strength))
    return np.where(small[labels], detail, mask)


def _with_finer(mask: NDArray[np.bool_], bank: Bank, scale: float) -> NDArray[np.bool_]:
    """The mask with what only the finest scale sees, off the lines that are known: hatching and loose lines bring a
    coarse scale on, at which faint lines and those of small forms are lost."""
    fine = bank.detect(_SCALES[0])
    low, high = _thresholds(fine.strength)
    found = centre_mask(fine, _FAINT * low, _FAINT * high)
    return mask | _away_from(mask, found, scale, _LEAST_FINE)


def _with_lines(
    mask: NDArray[np.bool_], chance: NDArray[np.float32], scale: float
) -> tuple[NDArray[np.bool_], float]:
    """Where lines are seen, and what the mask holds away from them: marks that may be others. And half the width of a body, px."""
    lines, own = _followed(Bank(chance), _SEEN_AT, _BEADS)
    return lines | _away_from(lines, mask, scale, 3 * scale), max(own, _LINE_SCALE)


def _away_from(
    lines: NDArray[np.bool_], mask: NDArray[np.bool_], scale: float, least: float
) -> NDArray[np.bool_]:
    """What a mask holds away from known lines of that scale, longer than `least` px."""
    reach = 2 * round(_OFF_LINE * scale) + 1
    near = cv2.dilate(lines.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (reach, reach)))
    away = (mask & (near == 0)).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(away, connectivity=8)
    long = stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(axis=1) > least
    long[0] = False
    return np.asarray(long[labels])


def _bridge(graph: graphs.Graph, reach: float, near: float, far: float) -> None:
    """Joins free ends that face each other across a faint stretch."""
    table = graph.incident()
    ends = [(node, *found[0]) for node, found in table.items() if len(found) == 1]
    if len(ends) < 2:
        return
    places = np.array([graph.nodes[node] for node, _, _ in ends])
    outward = np.array([-graphs.direction(e.points if s else e.points[::-1], 0, far) for _, e, s in ends])
    options = []
    for i, j in cKDTree(places).query_pairs(reach):
        gap = places[j] - places[i]
        distance = float(np.hypot(*gap))
        line = gap / max(distance, 1e-9)
        facing = min(outward[i] @ line, -(outward[j] @ line))
        if distance < near or (facing > 0.75 and -(outward[i] @ outward[j]) > 0.6):
            options.append((distance * (2 - facing), i, j))
    used: set[int] = set()
    for _, i, j in sorted(options):
        if i in used or j in used:
            continue
        used |= {i, j}
        graph.edges.append(graphs.Edge(np.array([places[i], places[j]]), ends[i][0], ends[j][0]))


def _drop_faint(graph: graphs.Graph, ridges: Ridges, least: float, strong: float) -> None:
    """Drops lone short marks unless they are dark: an accent or a pupil stays, grain goes."""
    table = graph.incident()

    def stays(edge: graphs.Edge) -> bool:
        if edge.a >= 0 and (len(table[edge.a]) > 1 or len(table[edge.b]) > 1):
            return True
        if edge.length >= 4 * least:
            return True
        at = np.round(edge.points).astype(int)
        darkness = float(np.mean(ridges.strength[at[:, 1], at[:, 0]]))
        return edge.length >= least and darkness > 0.7 * strong

    graph.edges = [edge for edge in graph.edges if stays(edge)]
