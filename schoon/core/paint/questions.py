"""What is left for a person, as questions: about things, not about patches."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from .painting import NOTHING, Painting


@dataclass(frozen=True)
class Unsure:
    """A patch that is asked about. at: what names it in the whole run. source: what names the patch it was carried from.
    asked_with: what names those that are asked about together, None if it is asked about by itself.
    leaks: areas run together in it, which no pot for all of it can answer."""

    at: Any
    source: Any
    pot: int
    asked_with: Any = None
    leaks: bool = False


def unsure_in(paintings: Mapping[int, Painting], patches: Mapping[int, Iterable[int]]) -> list[Unsure]:
    """What is asked about in the paintings of a run: of the named patches of each drawing those that are unsure or
    carry nothing, named (drawing, patch)."""
    found = []
    for k, painting in sorted(paintings.items()):
        for patch in patches.get(k, ()):
            paint = painting.get(patch)
            if paint is None:
                found.append(Unsure((k, patch), None, NOTHING))
            elif paint.unsure:
                found.append(
                    Unsure((k, patch), paint.source, paint.pot, paint.asked_with, bool(paint.joined))
                )
    return found


def questions(unsure: Sequence[Unsure]) -> list[list[list[int]]]:
    """What is asked: the things, each a group of patches (indices), that one answer settles. Several are asked at once where
    they are likely of one pot: they are looked over together, and one that is none is taken apart."""
    found: dict[Any, list[list[int]]] = {}
    for thing in things(unsure):
        name = unsure[thing[0]].asked_with
        found.setdefault(unsure[thing[0]].at if name is None else name, []).append(thing)
    return list(found.values())


def things(unsure: Sequence[Unsure]) -> list[list[int]]:
    """Groups of patches, as indices, that are one thing: those of a question that were carried one from the other as the same
    pot, through however many drawings."""
    if not unsure:
        return []
    row = {patch.at: k for k, patch in enumerate(unsure)}
    pairs = []
    for k, patch in enumerate(unsure):
        other = row.get(patch.source) if patch.source is not None else None
        if other is None or patch.leaks or unsure[other].leaks:
            continue
        if unsure[other].pot == patch.pot and unsure[other].asked_with == patch.asked_with:
            pairs.append((k, other))
    a, b = np.array(pairs, int).reshape(-1, 2).T
    graph = coo_array((np.ones(len(a)), (a, b)), (len(unsure), len(unsure)))
    _, group = connected_components(graph, directed=False)
    found: dict[int, list[int]] = {}
    for k, of in enumerate(group.tolist()):
        found.setdefault(of, []).append(k)
    return list(found.values())
