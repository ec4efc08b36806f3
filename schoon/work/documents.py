"""The documents of a drawing, to and from JSON."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from ..core.cleanup import Said
from ..core.paint import NOTHING, UNSURE_ABOVE, By, Paint, Painting
from ..core.patches import OpenPatches, Patches
from ..core.prop import Placed
from ..core.seal import Stitch
from ..core.strokes import Points, Stroke, strokes_from_dicts, strokes_to_dicts
from ..core.tone import Tone
from ..store.documents import VERSIONS, current
from .sketches import Sketch, sketch_of

SPECKS = 6
"""Areas of fewer px² beside a line are not patches of their own, unless a drawing says otherwise."""


@dataclass(frozen=True)
class Spot:
    """The paint of one patch, kept by a point inside it so that it survives a change of line.

    pot: id of the pot or NOTHING. source: (drawing id, x, y) it was carried from. others: pots that came next.
    joined: areas of unlike pots that seem to run together here, as (pot, x, y).
    waits: px² of the patch in which others were poured over it while its form leaked, 0 if none was. It is seen again
    as soon as its form is closed.
    part: of the model, where that is another than the pot's.
    asked_with: while in doubt, what names those that are asked about together, "" if it is asked about by itself.
    """

    at: tuple[float, float]
    pot: int
    doubt: float = 0.0
    by: str = "hand"
    source: tuple[int, float, float] | None = None
    others: tuple[int, ...] = ()
    joined: tuple[tuple[int, float, float], ...] = ()
    waits: int = 0
    part: str = ""
    asked_with: str = ""

    @property
    def unsure(self) -> bool:
        """Whether a person should look at it."""
        return self.by != "hand" and self.doubt > UNSURE_ABOVE

    def to_dict(self) -> dict[str, Any]:
        data: dict[str, Any] = {
            "at": list(self.at),
            "pot": self.pot,
            "doubt": round(self.doubt, 3),
            "by": self.by,
        }
        if self.source:
            data["from"] = list(self.source)
        if self.others:
            data["others"] = list(self.others)
        if self.joined:
            data["joined"] = [[pot, round(x, 1), round(y, 1)] for pot, x, y in self.joined]
        if self.waits:
            data["waits"] = self.waits
        if self.part:
            data["part"] = self.part
        if self.asked_with:
            data["with"] = self.asked_with
        return data

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Spot:
        x, y = data["at"]
        source = data.get("from")
        return cls(
            (float(x), float(y)),
            int(data["pot"]),
            float(data["doubt"]),
            data["by"],
            (int(source[0]), float(source[1]), float(source[2])) if source else None,
            tuple(int(pot) for pot in data.get("others", ())),
            tuple((int(pot), float(x), float(y)) for pot, x, y in data.get("joined", ())),
            int(data.get("waits", 0)),
            data.get("part", ""),
            data.get("with", ""),
        )


@dataclass(frozen=True, eq=False)
class Own:
    """Ink that the artist drew, shown instead of proposed strokes. picture: name of the stored picture it lies in.

    tinted: in the line colour of the key instead of its own colours. body: the picture's bytes.
    """

    picture: str
    tinted: bool
    body: bytes = field(repr=False)

    def to_dict(self) -> dict[str, Any]:
        """As a line document as it is read has it: with `body`, which is not stored with it."""
        return {"picture": self.picture, "tinted": self.tinted, "body": self.body}


Order = Literal["over", "behind", "as it is"]
"""Whether lines hide what is there, are hidden by it, or neither."""

Matrix = tuple[float, float, float, float, float, float]
"""a, b, c, d, e, f of an SVG matrix."""


@dataclass(frozen=True)
class Use:
    """A part whose lines are those of another part. part: that other one. source: the drawing they come from. matrix: how they
    are laid. order: whether they hide what is there or are hidden by it. painted: whether stitches, paint and tones that lie
    on them come along."""

    part: str
    source: int
    matrix: Matrix = (1, 0, 0, 1, 0, 0)
    order: Order = "as it is"
    painted: bool = False

    def to_dict(self) -> dict[str, Any]:
        """As JSON."""
        return {
            "part": self.part, "source": self.source, "matrix": [round(v, 6) for v in self.matrix], "order": self.order,
            "painted": self.painted,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Use:
        a, b, c, d, e, f = map(float, data["matrix"])
        return cls(
            data["part"], int(data["source"]), (a, b, c, d, e, f), data["order"], bool(data["painted"])
        )


Behind = dict[str, list[Stroke]]
"""The part in front, "" for no part of its own -> the lines it hides."""


@dataclass(frozen=True)
class Sheet:
    """A drawing as it stands: its strokes, stitches, paint and tones, and its size (width, height) in px.

    specks: areas of fewer px² join the neighbour that is nearest. said: what a person said of marks on the rough.
    own: the ink of the picture itself, where that is kept. sketch: what was drawn and rubbed out on the rough here.
    behind: lines that forms hide; they are kept, and seen nowhere. props: how rigid props are placed, by their ids.
    again: parts that follow others.
    """

    size: tuple[int, int]
    strokes: list[Stroke] = field(default_factory=list)
    stitches: list[Stitch] = field(default_factory=list)
    spots: list[Spot] = field(default_factory=list)
    tones: list[Tone] = field(default_factory=list)
    specks: int = SPECKS
    said: list[Said] = field(default_factory=list)
    own: Own | None = None
    sketch: Sketch = field(default_factory=Sketch)
    behind: Behind = field(default_factory=dict)
    props: Mapping[int, Placed] = field(default_factory=dict)
    again: Mapping[str, Use] = field(default_factory=dict)

    @property
    def inked(self) -> list[Stroke]:
        """The strokes that are seen: beside ink of its own only those of a hand."""
        return [s for s in self.strokes if s.by == "hand"] if self.own else self.strokes

    @property
    def taken(self) -> list[Points]:
        """Polylines of the stitches that shut their gap."""
        return [stitch.points for stitch in self.stitches if stitch.state == "taken"]


def sheet_of(
    size: tuple[int, int],
    line: Any,
    seal: Any,
    paint: Any,
    tone: Any = None,
    said: Any = None,
    sketch: Any = None,
    props: Any = None,
    again: Any = None,
) -> Sheet:
    """A sheet from the contents of its documents, each of which may be None."""
    line, seal, paint = current("line", line), current("seal", seal), current("paint", paint)
    tone = current("tone", tone)
    return Sheet(
        size,
        strokes_from_dicts(line["strokes"]) if line else [],
        [Stitch.from_dict(item) for item in seal["stitches"]] if seal else [],
        [Spot.from_dict(item) for item in paint["patches"]] if paint else [],
        [Tone.from_dict(item) for item in tone["shapes"]] if tone else [],
        int(seal.get("specks", SPECKS)) if seal else SPECKS,
        said_of(said),
        own_of(line),
        sketch_of(sketch),
        behind_of(line),
        placed_of(props),
        uses_of(again),
    )


def uses_of(document: Any) -> dict[str, Use]:
    """Part -> what it follows, from the document or None."""
    document = current("again", document)
    return {part: Use.from_dict(use) for part, use in document["uses"].items()} if document else {}


def again_document(uses: Mapping[str, Use]) -> dict[str, Any]:
    return {"version": VERSIONS["again"], "uses": {part: use.to_dict() for part, use in uses.items()}}


def placed_of(document: Any) -> dict[int, Placed]:
    """Prop -> how it is placed, from the document or None."""
    document = current("props", document)
    return {int(k): Placed.from_dict(p) for k, p in document["placed"].items()} if document else {}


def props_document(placed: Mapping[int, Placed]) -> dict[str, Any]:
    return {"version": VERSIONS["props"], "placed": {str(k): p.to_dict() for k, p in placed.items()}}


def behind_of(line: Any) -> Behind:
    """The lines that a line document keeps behind others."""
    found = line.get("behind", {}) if line else {}
    return {front: strokes_from_dicts(strokes) for front, strokes in found.items()}


def own_of(line: Any) -> Own | None:
    """The ink of its own that a line document keeps."""
    own = line and line.get("own")
    return Own(own["picture"], bool(own["tinted"]), own["body"]) if own else None


def said_of(document: Any) -> list[Said]:
    """What was said of marks, from its document or None, oldest first."""
    document = current("said", document)
    return (
        [Said(x["kind"], np.array(x["path"], float), float(x["reach"])) for x in document["marks"]]
        if document
        else []
    )


def said_document(said: Sequence[Said]) -> dict[str, Any]:
    marks = [{"kind": s.kind, "path": np.round(s.path, 1).tolist(), "reach": s.reach} for s in said]
    return {"version": VERSIONS["said"], "marks": marks}


def line_document(
    strokes: list[Stroke], own: Own | None = None, behind: Behind | None = None
) -> dict[str, Any]:
    content: dict[str, Any] = {"version": VERSIONS["line"], "strokes": strokes_to_dicts(strokes)}
    if behind:
        content["behind"] = {front: strokes_to_dicts(hidden) for front, hidden in behind.items()}
    return {**content, "own": own.to_dict()} if own else content


def line_text(strokes: Sequence[Stroke], own: Own | None = None, behind: Behind | None = None) -> bytes:
    """The canonical text of `line_document`, from what is known of each stroke."""
    hidden = (f"{json.dumps(k)}:[{','.join(s.text for s in v)}]" for k, v in sorted((behind or {}).items()))
    under = f'"behind":{{{",".join(hidden)}}},' if behind else ""
    kept = f'"own":{{"picture":"{own.picture}","tinted":{str(own.tinted).lower()}}},' if own else ""
    return f'{{{under}{kept}"strokes":[{",".join(s.text for s in strokes)}],"version":{VERSIONS["line"]}}}'.encode()


def seal_document(stitches: list[Stitch], specks: int = SPECKS) -> dict[str, Any]:
    content: dict[str, Any] = {
        "version": VERSIONS["seal"],
        "stitches": [stitch.to_dict() for stitch in stitches],
    }
    return content if specks == SPECKS else {**content, "specks": specks}


def paint_document(spots: list[Spot]) -> dict[str, Any]:
    return {"version": VERSIONS["paint"], "patches": [spot.to_dict() for spot in spots]}


def tone_document(tones: Sequence[Tone]) -> dict[str, Any]:
    return {"version": VERSIONS["tone"], "shapes": [tone.to_dict() for tone in tones]}


def seen_in(
    tones: Sequence[Tone], spots: Sequence[Spot], patches: Patches | OpenPatches, parts: Mapping[int, str]
) -> list[tuple[Tone, frozenset[int] | None]]:
    """Each tone with the patches it is seen in, None for all. parts: pot -> its part."""
    painting = painting_of(spots, patches) if any(t.pots or t.parts for t in tones) else {}
    told = parts_told(spots, patches) if painting else {}
    found: list[tuple[Tone, frozenset[int] | None]] = []
    for tone in tones:
        if not (tone.pots or tone.parts or tone.at):
            found.append((tone, None))
            continue
        within = {patches.at(*place) for place in tone.at}
        within |= {p for p, paint in painting.items() if paint.pot in tone.pots}
        within |= {p for p, paint in painting.items() if told.get(p, parts.get(paint.pot)) in tone.parts}
        found.append((tone, frozenset(within - {0})))
    return found


def painting_of(spots: Sequence[Spot], patches: Patches | OpenPatches) -> Painting:
    """Patch -> Paint as the spots fall into the present patches.

    Where the line has changed so that spots of different pots share a patch, hand paint wins over carried
    and the rest is marked unsure. Spots that wait are asked where no other one lies.
    """
    painting: Painting = {}
    waiting: Painting = {}
    for spot in spots:
        patch = patches.at(*spot.at)
        if patch == 0:
            continue
        by: By = "hand" if spot.by == "hand" else "carried"
        paint = Paint(spot.pot, spot.doubt, by, others=spot.others, joined=spot.joined)
        if spot.waits:
            # Of several that wait for one form the last one poured is meant.
            waiting[patch] = paint
            continue
        before = painting.get(patch)
        if before is None or before.pot == paint.pot:
            painting[patch] = paint if before is None or paint.by == "hand" else before
        else:
            chosen = paint if paint.by == "hand" or before.by != "hand" else before
            painting[patch] = replace(chosen, by="carried", doubt=1.0)
    return {**waiting, **painting}


def parts_told(spots: Sequence[Spot], patches: Patches | OpenPatches) -> dict[int, str]:
    """patch -> its part, of those that belong to another part than their pot does."""
    return {patch: s.part for s in spots if s.part and not s.waits and (patch := patches.at(*s.at))}


_ANSWERED = 0.7
"""A spot that waited in an area this much larger than its patch now is has its form back."""


def poured(
    spots: Sequence[Spot],
    patches: Patches,
    touched: Mapping[int, tuple[float, float]],
    pot: int | None,
) -> list[Spot]:
    """The spots after a pot was poured into patches, or with None lifted off.

    touched: patch -> where the pen was. Only these patches change. In one whose spots carry several pots a form leaks:
    the new spot lies under the pen, and the others wait for their forms instead of being lost.
    """
    inside: dict[int, list[Spot]] = {patch: [] for patch in touched}
    kept: list[Spot] = []
    for spot in spots:
        (inside.get(patches.at(*spot.at), kept)).append(spot)
    for patch, at in touched.items():
        area = int(patches.areas[patch])
        active = [s for s in inside[patch] if not s.waits]
        waiting = [s for s in inside[patch] if s.waits and area >= _ANSWERED * s.waits]
        if not active:
            # What waited is what is seen: it is what the pen changes.
            active, waiting = waiting, []
        leaks = len({s.pot for s in active}) > 1 or bool(waiting)
        if pot is None:
            kept += waiting
            continue
        if leaks:
            kept += waiting + [replace(s, waits=area) for s in active]
        anchor = (float(patches.anchors[patch][0]), float(patches.anchors[patch][1]))
        kept.append(Spot(at if leaks else anchor, pot))
    return kept


def filled_in(
    spots: Sequence[Spot], patches: Patches, found: Sequence[Spot], keep: Collection[int] = ()
) -> list[Spot]:
    """The spots with proposed ones in all patches that no hand has painted.

    What a hand painted and what carries a pot of `keep` stays just as it is; other spots make room.
    """
    kept = [s for s in spots if s.by == "hand" or s.pot in keep]
    held = {patches.at(*s.at) for s in kept}
    return kept + [s for s in found if patches.at(*s.at) not in held]


def spots_of(
    painting: Painting,
    patches: Patches,
    sources: Mapping[int, tuple[int, float, float]] | None = None,
    parts: Mapping[int, str] | None = None,
    asked: Mapping[int, str] | None = None,
) -> list[Spot]:
    """The paint of patches, each at its patch's anchor. sources: patch -> (drawing id, x, y). parts: as `parts_told`.
    asked: patch -> what names those that are asked about with it."""
    return [
        Spot(
            (float(patches.anchors[patch][0]), float(patches.anchors[patch][1])),
            paint.pot,
            paint.doubt,
            paint.by,
            (sources or {}).get(patch),
            paint.others if paint.unsure else (),
            paint.joined if paint.unsure else (),
            part=(parts or {}).get(patch, ""),
            asked_with=(asked or {}).get(patch, "") if paint.unsure else "",
        )
        for patch, paint in sorted(painting.items())
    ]


__all__ = [
    "NOTHING",
    "Own",
    "Sheet",
    "Spot",
    "filled_in",
    "line_document",
    "paint_document",
    "painting_of",
    "parts_told",
    "poured",
    "seal_document",
    "seen_in",
    "sheet_of",
    "spots_of",
    "tone_document",
]
