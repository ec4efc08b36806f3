"""What workers compute of tones: drawings as solids, shade of one drawing, shares of tones."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.paint import NOTHING
from ..core.patches import Patches, unpack
from ..core.strokes import Points
from ..core.tone import (
    Forms,
    Solids,
    Tone,
    Within,
    amount_below,
    coverage,
    falls_on,
    forms_of,
    shapes_of,
    shown_in,
    solids_of,
)
from ..core.tone import key_of as key_of_shade
from ..work.derived import Memory, key_of
from ..work.documents import Spot, painting_of, parts_told, seen_in
from ..work.lights import Lit

_SHARES = 480
"""Width at which shares of tones are measured, px."""


@dataclass(frozen=True, eq=False)
class Read:
    """A drawing read as solids. anchors: (count + 1, 2) a place in each patch. parts: form -> its part, "" for none."""

    solids: Solids
    anchors: Points
    parts: Mapping[int, str]

    @property
    def forms(self) -> Forms:
        return self.solids.forms


_solids: Memory[Read] = Memory(60)
"""Drawings that are looked at again and again while a light is moved."""


def solid(packed: bytes, spots: Sequence[Mapping[str, Any]], parts: Mapping[int, str]) -> Read:
    """A drawing as solids. packed: its patches. spots: as in a paint document. parts: pot -> part.

    Without any paint every patch of the figure counts as painted: tones can be drawn before there is paint.
    """

    def made() -> Read:
        patches = unpack(packed)
        read = [Spot.from_dict(s) for s in spots]
        painting = painting_of(read, patches)
        told = parts_told(read, patches)
        pots = np.zeros(patches.count + 1, np.int64)
        for patch, paint in painting.items():
            pots[patch] = max(0, paint.pot) if paint.pot != NOTHING else 0
        if not pots.any():
            pots[1:] = 1
            pots[patches.background] = 0
        forms = forms_of(patches, pots)
        named = {form: told.get(form) or parts.get(pot, "") for form, pot in forms.pots.items()}
        return Read(solids_of(forms), patches.anchors, named)

    return _solids.get(key_of("solid", key_of(packed), spots, sorted(parts.items())), made)


def lit(reads: Sequence[Read], lights: Sequence[Lit]) -> list[dict[int, NDArray[np.float32]]]:
    """For each drawing form -> light on it less where shade begins; forms that no light falls on are left out.

    Shade begins at the same light through the whole run, so that a drawing that turns away gets more of it.
    """
    falls: list[dict[int, NDArray[np.float32]]] = []
    groups: dict[tuple[str, float], list[list[NDArray[np.float32]]]] = {}
    for read, light in zip(reads, lights, strict=True):
        here: dict[int, NDArray[np.float32]] = {}
        own: dict[tuple[str, float], list[NDArray[np.float32]]] = {}
        apart = {f: found[0] for f, part in read.parts.items() if (found := light.of(part))}
        if apart:
            plain = next(iter(apart.values()))
            every = falls_on(read.solids, plain, apart)
            here = {f: every[f] for f in apart}
            for f, value in here.items():
                own.setdefault(_group(read, light, f), []).append(value)
        for name, values in own.items():
            groups.setdefault(name, []).append(values)
        falls.append(here)
    below = {
        name: amount_below([np.concatenate(values) for values in many], name[1])
        for name, many in groups.items()
    }
    return [
        {f: (value - below[_group(read, light, f)]).astype(np.float32) for f, value in here.items()}
        for read, light, here in zip(reads, lights, falls, strict=True)
    ]


def _group(read: Read, light: Lit, form: int) -> tuple[str, float]:
    part = read.parts[form]
    found = light.of(part)
    assert found is not None
    return (part if part in light.parts else "", round(found[1], 4))


def shade_now(
    packed: bytes, spots: Sequence[Mapping[str, Any]], parts: Mapping[int, str], light: Lit
) -> list[dict[str, Any]]:
    """The shapes of shade of one drawing by itself, as a tone document keeps them."""
    read = solid(packed, spots, parts)
    (values,) = lit([read], [light])
    return [t.to_dict() for t in shapes_of(read.solids, values, read.anchors)]


def _seen(
    labels: NDArray[np.int32],
    background: int,
    placed: Sequence[tuple[Tone, frozenset[int] | None]],
    kinds: Sequence[str],
    matrix: NDArray[np.float64] | None = None,
) -> dict[str, NDArray[np.float32]]:
    """kind -> (h, w) share of each pixel of a label picture that its tones cover. matrix: from the drawing to it."""
    size = (labels.shape[1], labels.shape[0])
    found = {}
    for kind in kinds:
        masks = [(tone, _where(labels, background, within)) for tone, within in placed if tone.kind == kind]
        found[kind] = coverage(masks, size, matrix)
    return found


def _where(labels: NDArray[np.int32], background: int, within: frozenset[int] | None) -> Within:
    """Where a tone is seen: in its patches, or with None in all of the figure."""
    table = np.full(int(labels.max()) + 1, within is None)
    table[background] = False
    table[[p for p in within or () if p < len(table)]] = True
    return lambda part: np.asarray(table[labels[part]])


def _placed(
    patches: Patches,
    spots: Sequence[Mapping[str, Any]],
    tones: Sequence[Mapping[str, Any]],
    parts: Mapping[int, str],
) -> list[tuple[Tone, frozenset[int] | None]]:
    return seen_in([Tone.from_dict(t) for t in tones], [Spot.from_dict(s) for s in spots], patches, parts)


def shares(
    packed: bytes,
    spots: Sequence[Mapping[str, Any]],
    tones: Sequence[Mapping[str, Any]],
    parts: Mapping[int, str],
) -> dict[str, dict[str, float]]:
    """kind of tone -> part, or "" for the whole figure, -> share of its paint that lies under that tone."""
    patches = unpack(packed)
    kinds = sorted({t["kind"] for t in tones})
    read = [Spot.from_dict(s) for s in spots]
    painting, told = painting_of(read, patches), parts_told(read, patches)
    names = {
        p: told.get(p) or parts.get(paint.pot, "") for p, paint in painting.items() if paint.pot != NOTHING
    }
    listed = sorted(set(names.values()) - {""})
    table = np.zeros(patches.count + 1, np.int32)
    for p, name in names.items():
        table[p] = listed.index(name) + 2 if name else 1
    if not names:
        table[1:] = 1
        table[patches.background] = 0
    step = max(1, patches.shape[1] // _SHARES)
    coarse = np.ascontiguousarray(patches.labels[step // 2 :: step, step // 2 :: step])
    matrix = np.array([[1 / step, 0, 0], [0, 1 / step, 0]])
    cover = _seen(coarse, patches.background, _placed(patches, spots, tones, parts), kinds, matrix)
    of = table[coarse].ravel()
    area = np.bincount(of, minlength=len(listed) + 2)
    out: dict[str, dict[str, float]] = {}
    for kind, share in cover.items():
        under = np.bincount(of, share.ravel(), minlength=len(listed) + 2)
        own = {"": float(under[1:].sum() / max(1, area[1:].sum()))}
        own |= {n: float(under[k] / area[k]) for k, n in enumerate(listed, 2) if area[k]}
        out[kind] = {name: round(value, 4) for name, value in own.items()}
    return out


def key_shade(
    packed: bytes,
    spots: Sequence[Mapping[str, Any]],
    tones: Sequence[Mapping[str, Any]],
    parts: Mapping[int, str],
) -> dict[str, dict[int, NDArray[np.bool_]]]:
    """kind of tone -> form -> (n,) where it is drawn, for the kinds that a key has; but what is for one colour key alone."""
    read = solid(packed, spots, parts)
    shown = shown_in([Tone.from_dict(t) for t in tones], 0)
    kinds = sorted({t.kind for t in shown})
    patches = unpack(packed)
    placed = seen_in(shown, [Spot.from_dict(s) for s in spots], patches, parts)
    masks = _seen(patches.labels, patches.background, placed, kinds)
    return {kind: dict(key_of_shade(0, read.forms, share > 0.5).shade) for kind, share in masks.items()}
