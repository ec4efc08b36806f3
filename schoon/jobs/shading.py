"""What a worker computes of the shade of a whole run: solids that agree, light and keys carried, shapes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..core.tone import KINDS, Key, agreed, carried, reordered, shapes_of, steadied, tracks_of
from ..core.tone.tones import Tone as Shape
from ..errors import Refusal
from ..work.lights import Lit
from . import tones
from .tones import Read

Values = list[dict[int, NDArray[np.float32]]]


@dataclass(frozen=True)
class Asked:
    """keys: kind -> drawings that a hand has shaded. held: these drawings. soft: kind -> px over which edges fade. lights: colour key
    -> light of each drawing, 0 for the light of all."""

    keys: Mapping[str, Sequence[Key]]
    held: frozenset[int]
    soft: Mapping[str, float]
    lights: Mapping[int, Sequence[Lit]]


def shaded(reads: Sequence[Read], asked: Asked) -> list[list[Shape]]:
    """The shapes of each drawing of a run. Raises Refusal for keys that nothing can be learnt from."""
    tracks = tracks_of([read.forms for read in reads])
    solids = agreed([read.solids for read in reads], tracks)
    reads = [replace(read, solids=one) for read, one in zip(reads, solids, strict=True)]
    try:
        made = _made(reads, tracks, asked, asked.keys, tones.lit(reads, asked.lights[0]))
    except ValueError as error:
        raise Refusal(f"{str(error)[:1].upper()}{str(error)[1:]}; draw it on a painted form") from error
    apart = tuple(key for key in asked.lights if key)
    made = [[replace(s, without=apart if s.kind == "shade" else ()) for s in own] for own in made]
    for colour_key in apart:
        # What a hand drew was drawn under the light of all keys and says nothing of this one.
        more = _made(reads, tracks, asked, {}, tones.lit(reads, asked.lights[colour_key]))
        made = [
            [*own, *(replace(s, key=colour_key) for s in new)] for own, new in zip(made, more, strict=True)
        ]
    return made


def _made(
    reads: Sequence[Read],
    tracks: list[dict[int, int]],
    asked: Asked,
    keys: Mapping[str, Sequence[Key]],
    proposed: Values,
) -> list[list[Shape]]:
    """Shapes of each drawing, kind by kind."""
    made: list[list[Shape]] = [[] for _ in reads]
    plain = [read.solids for read in reads]
    for kind in KINDS:
        taught = list(keys.get(kind, []))
        solids, values = plain, proposed if kind == "shade" else [{} for _ in reads]
        if taught:
            lit = kind == "shade" and all(
                set(v) == set(one.normals) for v, one in zip(proposed, plain, strict=True)
            )
            if not lit:
                solids = reordered(plain, tracks, taught)
            values = carried(solids, tracks, taught, proposed if lit else None)
        if not any(values):
            continue
        steady = steadied(tracks, values, asked.held)
        for k, read in enumerate(reads):
            by = "carried" if taught else "light"
            shapes = shapes_of(solids[k], steady[k], read.anchors, kind, by)  # type: ignore[arg-type]
            made[k] += [replace(shape, soft=asked.soft.get(kind, 0.0)) for shape in shapes]
    return made
