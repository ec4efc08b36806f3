"""Whose edge the line between two forms is: it tells what lies before what."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.special import log_softmax

from .chains import Chain, End
from .forms import Forms
from .whole import completed

FIRST, SECOND, CREASE = 0, 1, 2
"""Of a chain between a and b: the edge of a, which lies before b; the edge of b; or where both end and neither lies before
the other, as a sleeve at a hand."""

_DISC = 7
"""Radius of the disc in which it is seen to which side a border bulges, px."""

_TELLING = [1, 10]
"""Measures (bulge, size) whose difference, whichever way, tells a crease."""

_FAR = 15.0
"""Distance from an outline beyond which more says nothing more, px."""


def chances_of(forms: Forms) -> NDArray[np.float64]:
    """(chains, 3) log chance of each chain of the forms to be FIRST, SECOND or CREASE."""
    first, second, crease = seen(forms)
    if not len(first):
        return np.zeros((0, 3))
    edge, fold = _weights()
    scores = np.stack([first @ edge, second @ edge, crease @ fold], axis=1)
    return np.asarray(log_softmax(scores, axis=1))


def owned(forms: Forms, edges: NDArray[np.int64], form: int) -> NDArray[np.bool_]:
    """For each place of the chains whether the border there is the form's own edge: so is every border with paper."""
    chains = forms.chains
    own = chains.of_place == -1
    for k, chain in enumerate(chains.between):
        if (chain.a == form and edges[k] == FIRST) or (chain.b == form and edges[k] == SECOND):
            own |= chains.of_place == k
    return own & (chains.sides == form).any(axis=1)


def seen(forms: Forms) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """What is seen of each chain, for it being the edge of its first form, of its second one, and a crease."""
    known = {form: _Known(forms, form) for form in forms.pots}
    between = forms.chains.between
    if not between:
        none = np.zeros((0, 0))
        return none, none, none
    first = np.array([_measures(chain, forms, known) for chain in between])
    second = np.array([_measures(_turned(chain), forms, known) for chain in between])
    both, apart = (first + second) / 2, np.abs(first - second) / 2
    return first, second, np.hstack([both, apart[:, _TELLING]])


class _Known:
    """What is asked of a form for each of its chains.

    shares: (h, w) share of a disc round each pixel that it fills. far: (h, w) signed distance in `_FAR` from the form as its
    borders with paper alone complete it, inside under 0; None if it has none. radius: of the largest circle in it, px.
    """

    def __init__(self, forms: Forms, form: int) -> None:
        whole = forms.labels == form
        rows, columns = np.flatnonzero(whole.any(axis=1)), np.flatnonzero(whole.any(axis=0))
        # Nothing of it reaches farther than a disc.
        part = tuple(slice(max(0, k[0] - _DISC), k[-1] + _DISC + 1) for k in (rows, columns))
        inside = whole[part].astype(np.uint8)
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _DISC + 1, 2 * _DISC + 1)).astype(np.float32)
        self.shares = np.zeros(whole.shape, np.float32)
        self.shares[part] = cv2.filter2D(
            inside.astype(np.float32), -1, disc / disc.sum(), borderType=cv2.BORDER_CONSTANT
        )
        self.radius = float(cv2.distanceTransform(np.pad(inside, 1), cv2.DIST_L2, 5).max())
        self.area = int(forms.areas[form])
        self.length = int(forms.chains.lengths[form])
        own = (forms.chains.of_place == -1) & (forms.chains.sides == form).any(axis=1)
        self.bare = float(own.sum() / self.length)
        self.far = _signed(completed(forms, form, own)) if own.any() else None


def _signed(inside: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Signed distance from the rim of a mask in `_FAR`, -1..1, inside under 0."""
    padded = np.pad(inside, 1).astype(np.uint8)
    far = cv2.distanceTransform(1 - padded, cv2.DIST_L2, 5) - cv2.distanceTransform(padded, cv2.DIST_L2, 5)
    return np.asarray(np.clip(far[1:-1, 1:-1] / _FAR, -1, 1), np.float64)


def _turned(chain: Chain) -> Chain:
    """The same chain with its sides the other way round."""
    ends = tuple(End(e.third, e.along_b, e.along_a, e.bar) for e in chain.ends)
    return Chain(chain.b, chain.a, chain.points, ends)


def _measures(chain: Chain, forms: Forms, known: Mapping[int, _Known]) -> list[float]:
    """What is seen of a chain for it being the edge of its form a."""
    a, b = known[chain.a], known[chain.b]
    rows, columns = np.clip(np.rint(chain.points).astype(int), 0, np.subtract(forms.labels.shape, 1)).T
    paper = [end for end in chain.ends if end.third == 0]
    third = [end for end in chain.ends if end.third]
    length = len(chain.points)
    out = [1.0, float((b.shares[rows, columns] - a.shares[rows, columns]).mean())]
    for way in ("along_a", "along_b", "bar"):
        out += [sum(getattr(end, way) for end in ends) / 2 for ends in (paper, third)]
    out += [
        len(paper) / 2,
        len(third) / 2,
        float(np.log(a.area / b.area)) / 3,
        length / a.length,
        length / b.length,
        a.bare,
        b.bare,
        float(forms.pots[chain.a] == forms.pots[chain.b]),
        float(np.log(a.area / (np.pi * a.radius**2))),
        float(np.log(b.area / (np.pi * b.radius**2))),
        float(np.log(a.radius / b.radius)),
    ]
    for form in (a, b):
        if form.far is None:
            out += [0.0, 0.0, 1.0]
        else:
            here = form.far[rows, columns]
            out += [float(here.mean()), float(np.abs(here).mean()), 0.0]
    return out


@cache
def _weights() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Weights of the measures: for an edge and for a crease. Taught by bench/train_tone.py."""
    found = json.loads((Path(__file__).parent / "edges.json").read_text())
    return np.array(found["edge"]), np.array(found["crease"])
