"""What a drawn shade tells of which form lies before which, passed on to the other drawings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from .carry import Key, light_in
from .edges import CREASE, FIRST, SECOND, TURNED, owned
from .solids import Solids, normals_of

_ROUNDS = 2
_DOUBT = 30.0
"""Wrong pixels of shade that a kind of edge has to save to be taken against odds of e to one."""

_TELLS, _SURE = 5.0, 100.0
"""What a key says of an edge in other drawings, in log chance, once so many pixels of its shade would else be wrong."""

_CERTAIN = 20.0
"""Log chance of what the shade of a key says of an edge in the key itself."""

Told = dict[tuple[int, int], NDArray[np.float64]]
"""Tracks of two forms, the smaller first -> (3,) wrong pixels in the keys for each kind of edge between them."""


def reordered(
    solids: Sequence[Solids], tracks: Sequence[Mapping[int, int]], keys: Sequence[Key]
) -> list[Solids]:
    """The drawings of a run read anew: an edge between two forms is what it has to be for the keys' shade to come out.

    Raises ValueError for keys without a painted form.
    """
    told: Told = {}
    known: dict[int, NDArray[np.int64]] = {}
    for key in keys:
        known[key.number], wrong = _fitted(solids[key.number], key)
        _tell(told, solids[key.number], tracks[key.number], wrong)
    out = []
    for n, (one, track) in enumerate(zip(solids, tracks, strict=True)):
        if n in known:
            out.append(one.with_chances(one.chances + _CERTAIN * np.eye(3)[known[n]]))
        elif len(one.chances):
            out.append(one.with_chances(one.chances + _said(told, one, track)))
        else:
            out.append(one)
    return out


def _fitted(one: Solids, key: Key) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """(chains,) the edges that give the key's shade best, and (chains, 3) how many pixels are wrong with each."""
    chains = one.forms.chains.between
    wrong = np.zeros((len(chains), 3))
    order = sorted(range(len(chains)), key=lambda k: -len(chains[k].points))
    cache: dict[tuple[int, bytes], NDArray[np.float32]] = {}

    def misses(form: int, edges: NDArray[np.int64]) -> int:
        own = owned(one.forms, edges, form)
        name = (form, own.tobytes())
        if name not in cache:
            cache[name] = normals_of(one.forms, {form: own})[form]
        return int(((cache[name] @ light.direction < below) != key.shade[form]).sum())

    for _ in range(_ROUNDS):
        light, below = light_in([one.normals], [Key(0, key.shade)])
        edges = one.edges.copy()
        for k in order:
            for kind in (FIRST, SECOND, CREASE):
                edges[k] = kind
                wrong[k, kind] = misses(chains[k].a, edges) + misses(chains[k].b, edges)
            edges[k] = int((wrong[k] - _DOUBT * one.chances[k]).argmin())
        one = one.with_edges(edges)
    return one.edges, wrong


def _tell(told: Told, one: Solids, track: Mapping[int, int], wrong: NDArray[np.float64]) -> None:
    for chain, row in zip(one.forms.chains.between, wrong, strict=True):
        a, b = track[chain.a], track[chain.b]
        more = row - row.min()
        told[min(a, b), max(a, b)] = told.get((min(a, b), max(a, b)), 0.0) + (more if a < b else more[TURNED])


def _said(told: Told, one: Solids, track: Mapping[int, int]) -> NDArray[np.float64]:
    """(chains, 3) what the keys add to the log chances."""
    out = np.zeros((len(one.forms.chains.between), 3))
    for k, chain in enumerate(one.forms.chains.between):
        a, b = track[chain.a], track[chain.b]
        wrong = told.get((min(a, b), max(a, b)))
        if wrong is not None:
            out[k] = -_TELLS * np.minimum((wrong if a < b else wrong[TURNED]) / _SURE, 1)
    return out
