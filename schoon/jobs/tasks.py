"""What workers compute: plain functions of bytes and documents, safe to run in another process or machine."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..core.paint import (
    NOTHING,
    Carried,
    Colours,
    Facts,
    Paint,
    Painting,
    Parting,
    Step,
    facts_of,
    fitted,
    follow,
    likest,
    painted_view,
    painting_for,
    parting_of,
)
from ..core.patches import Patches, pack, unpack, unpack_coarse
from ..core.run import cut_at_doubt, fit_to
from ..core.seal import propose_stitches
from ..core.strokes import (
    LineRule,
    ruled,
    strokes_from_dicts,
    strokes_to_dicts,
)
from ..formats import gif
from ..formats.pictures import decode
from ..work import readings
from ..work.derived import Memory, lines_in, patches_in
from ..work.documents import (
    Own,
    Spot,
    behind_of,
    filled_in,
    line_document,
    own_of,
    paint_document,
    painting_of,
    parts_told,
    poured,
    seal_document,
    sheet_of,
    spots_of,
)
from ..work.proposals import keep_hand, taking_place


def clean(
    rough: readings.Wanted | Mapping[str, Any],
    line: Any,
    previous: Any,
    rule: Mapping[str, Any],
    size: tuple[int, int],
    own: Own | None = None,
) -> tuple[dict[str, Any], dict[str, Any], Mapping[str, Any]]:
    """Line and seal documents of a rough, and what it was read as.

    rough: what it is read from, or what it was read as if that is known already. line, previous: the present line and seal documents or
    None; what a hand made or judged in them stays and the proposals go round it. rule: as `LineRule`. own: the rough's own
    ink, if that is what will be seen.
    Raises Refusal if the picture cannot be read.
    """
    found = rough if isinstance(rough, Mapping) else readings.read(*rough)
    strokes = strokes_from_dicts(found["strokes"])
    present = strokes_from_dicts(line["strokes"]) if line else []
    document = line_document(keep_hand(present, ruled(strokes, size, LineRule(**rule))), own, behind_of(line))
    return document, seal(document, previous, size), found


def fit(
    strokes: Sequence[Mapping[str, Any]],
    context: Sequence[Mapping[str, Any]],
    found: Sequence[Mapping[str, Any]],
    line: Any,
    previous: Any,
    size: tuple[int, int],
    whole: bool,
) -> tuple[dict[str, Any], dict[str, Any], list[dict[str, Any]]]:
    """Fits strokes of the drawing before to the lines found in this one's rough.

    context: all strokes of the drawing before. line, previous: the present line and seal documents. whole: the strokes
    are all of the drawing's, so other proposals go and what is new in the rough is added.
    Returns the line document, the seal document and the fitted strokes in one piece, for the next drawing.
    """
    source, target = strokes_from_dicts(strokes), strokes_from_dicts(found)
    result = fit_to(source, target, size, strokes_from_dicts(context))
    pieces = cut_at_doubt(result.strokes, target, size)
    present = strokes_from_dicts(line["strokes"]) if line else []
    if whole:
        weight = float(np.median([s.widths.mean() for s in source]))
        new = [replace(s, widths=np.full(len(s.widths), weight)) for s in result.new]
        after = keep_hand(present, [*pieces, *new])
    else:
        after = taking_place(present, pieces)
    document = line_document(after, own_of(line), behind_of(line))
    return document, seal(document, previous, size), strokes_to_dicts(result.strokes)


def seal(line: Any, previous: Any, size: tuple[int, int]) -> dict[str, Any]:
    """Seal document of a line document. Stitches drawn by hand and gaps judged before stay as they were judged."""
    sheet = sheet_of(size, line, previous, None)
    judged = [s for s in sheet.stitches if s.by == "hand" or s.state == "left"]
    fresh = propose_stitches(lines_in(sheet))
    kept = [s for s in fresh if all(np.hypot(*(s.points.mean(0) - j.points.mean(0))) > 6 for j in judged)]
    return seal_document(judged + kept, sheet.specks)


def specks(
    documents: tuple[Any, Any, Any], size: tuple[int, int], under: int
) -> tuple[dict[str, Any], dict[str, Any] | None]:
    """Seal document in which areas under so many px² are no patches of their own, and the paint document without what
    they carried; None if it stays as it is."""
    sheet = sheet_of(size, *documents)
    patches = patches_in(sheet)
    kept = [s for s in sheet.spots if patches.areas[patches.at(*s.at)] >= under]
    paint = paint_document(kept) if len(kept) < len(sheet.spots) else None
    return seal_document(sheet.stitches, under), paint


def find(line: Any, stitches: Any, size: tuple[int, int]) -> bytes:
    """Patches of a line and a seal document, packed."""
    return pack(patches_in(sheet_of(size, line, stitches, None)))


@dataclass(frozen=True)
class Known:
    """What is known of the patches of a drawing. given: paint that stays. anchors: a place in each patch. parts: as
    `work.documents.parts_told`."""

    count: int
    background: int
    anchors: list[tuple[float, float]]
    given: Painting
    parts: dict[int, str]


def known(packed: bytes, spots: Sequence[Mapping[str, Any]], keep: Collection[int]) -> Known:
    """spots: as in a paint document; those of a hand and of pots to keep stay as they are."""
    patches = _unpacked(packed)
    read = [Spot.from_dict(s) for s in spots]
    painting = painting_of(read, patches)
    given = {p: paint for p, paint in painting.items() if paint.by == "hand" or paint.pot in keep}
    anchors = [(float(x), float(y)) for x, y in patches.anchors]
    return Known(patches.count, patches.background, anchors, given, parts_told(read, patches))


def carry_step(step: Step, packed: Mapping[int, bytes], painted: Sequence[tuple[bytes, Painting]]) -> Carried:
    """What comes to one drawing of a run. packed: index -> patches of those the step needs. painted: the drawings whose
    lines teach which of them part unlike pots."""
    drawings = {k: _coarse(body) for k, body in packed.items()}
    return painting_for(step, drawings, _parting(painted))


def view_of(caption: str, body: bytes, keys: Sequence[Colours]) -> tuple[bytes, Painting] | None:
    """Patches, packed, and pots of a painted picture of the model sheet; None if it shows none."""
    found = painted_view(decode(caption, body), keys)
    return (pack(found[0]), found[1]) if found else None


def painted_drawing(
    line: Any, stitches: Any, paint: Any, size: tuple[int, int], pots: Collection[int]
) -> tuple[bytes, Painting] | None:
    """Patches, packed, and pots of a drawing a hand has painted; None if it has painted too little of it."""
    sheet = sheet_of(size, line, stitches, paint)
    patches = patches_in(sheet)
    painting = {
        p: found
        for p, found in painting_of(sheet.spots, patches).items()
        if not found.unsure and found.pot in pots
    }
    by_hand = sum(found.by == "hand" for found in painting.values())
    if by_hand < _PAINTED * max(patches.count - 1, 1):
        return None
    painting.setdefault(patches.background, Paint(NOTHING))
    return pack(patches), {p: Paint(found.pot) for p, found in painting.items()}


def likest_views(
    target: bytes, views: Sequence[tuple[bytes, Painting]], most: int
) -> list[tuple[bytes, Painting]]:
    """Those painted figures that are most like a drawing, laid over it."""
    drawing = _coarse(target)
    known = [(_coarse(packed), painting) for packed, painting in views]
    found = []
    for number, mirrored in likest(drawing, known, most):
        patches, painting = fitted(*known[number], drawing, mirrored)
        found.append((pack(patches), painting))
    return found


def facts(packed: Mapping[int, bytes]) -> dict[int, Facts]:
    """What is asked of the patches of painted drawings. packed: index -> patches."""
    return {k: facts_of(_coarse(body)) for k, body in packed.items()}


def follow_step(here: bytes, there: bytes, patch: int) -> tuple[int, float] | None:
    """As `core.paint.follow`, between packed drawings."""
    return follow(_coarse(here), _coarse(there), patch)


def patch_at(packed: bytes, at: tuple[float, float]) -> int:
    """The patch under a place, 0 outside the picture."""
    return _unpacked(packed).at(*at)


def painted_over(
    packed: bytes,
    spots: Sequence[Mapping[str, Any]],
    found: Painting,
    sources: Mapping[int, tuple[int, float, float]],
    keep: Collection[int],
    parts: Mapping[int, str],
    asked: Mapping[int, str],
) -> tuple[dict[str, Any], int]:
    """Paint document of a drawing with what was found for the patches no hand has painted, and how many are unsure.

    spots: as they are in the drawing now. sources: patch -> (drawing id, x, y) it was carried from. parts, asked: as
    `spots_of`.
    """
    patches = _unpacked(packed)
    proposed = spots_of(
        {p: paint for p, paint in found.items() if paint.by != "hand"}, patches, sources, parts, asked
    )
    after = filled_in([Spot.from_dict(s) for s in spots], patches, proposed, keep)
    unsure = sum(paint.unsure for paint in painting_of(after, patches).values())
    return paint_document(after), unsure


def poured_along(
    packed: bytes,
    spots: Sequence[Mapping[str, Any]],
    patch: int,
    new: Mapping[str, Any],
    keep: Collection[int],
    own: bool,
) -> tuple[dict[str, Any], int] | None:
    """As `painted_over`, with a pot poured into a patch that was followed; None where other paint stays: what a hand
    painted there, or a pot to keep. new: the spot to put there. own: it is the drawing the hand pointed at."""
    patches = _unpacked(packed)
    before = [Spot.from_dict(s) for s in spots]
    spot = Spot.from_dict(new)
    if own:
        after = poured(before, patches, {patch: spot.at}, spot.pot)
        return paint_document(after), 0
    there = [s for s in before if patches.at(*s.at) == patch and not s.waits]
    given = [s for s in there if s.by == "hand" or s.pot in keep]
    if any(s.pot != spot.pot for s in given):
        return None
    rest = [s for s in before if s not in there or s in given]
    return paint_document(rest if given else [*rest, spot]), int(spot.unsure and not given)


_PAINTED = 0.3
"""Share of its patches that a hand has to have painted for a drawing to speak for its model."""

_COMPARED = 2100
"""Longest side at which drawings are compared with each other, px. Methods are tuned for sides of 1000 to 2000; more
px say nothing more of which patch is which, and cost memory and time."""

_open: Memory[Patches] = Memory(160 * 2**20, lambda patches: 3 * patches.open_labels.nbytes)
_compared: Memory[Patches] = Memory(160 * 2**20, lambda patches: 3 * patches.open_labels.nbytes)
_partings: Memory[Parting] = Memory(2, lambda _: 1)


def _unpacked(packed: bytes) -> Patches:
    """Patches at hand in this process: a run asks for the same ones again and again."""
    return _open.get(hashlib.sha256(packed).hexdigest(), lambda: unpack(packed))


def _coarse(packed: bytes) -> Patches:
    """Patches as they are compared with those of other drawings."""
    return _compared.get(hashlib.sha256(packed).hexdigest(), lambda: unpack_coarse(packed, _COMPARED))


def _parting(painted: Sequence[tuple[bytes, Painting]]) -> Parting:
    name = hashlib.sha256(
        repr([(hashlib.sha256(b).digest(), sorted(p.items())) for b, p in painted]).encode()
    )
    return _partings.get(name.hexdigest(), lambda: parting_of((_coarse(b), p) for b, p in painted))


def gif_bytes(frames: Sequence[bytes], count: int) -> int:
    """About how many bytes a GIF of `count` pictures takes, from a few of them as PNG."""
    return gif.estimate([decode("a frame", body) for body in frames], count)
