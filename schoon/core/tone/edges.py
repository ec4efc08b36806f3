"""Whose edge the line between two forms is: it tells what lies before what.

Boosted trees that were taught on figures whose solids are known (`bench/train_tone.py`) weigh what is seen of a line.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.special import log_softmax

from ..forest import Forest, learnt
from ..pixels import box_of
from .chains import Chain, End
from .ellipse import ellipse_of
from .forms import Forms
from .whole import completed

FIRST, SECOND, CREASE = 0, 1, 2
"""Of a chain between a and b: the edge of a, which lies before b; the edge of b; or where both end and neither lies before
the other, as a sleeve at a hand."""

TURNED = [SECOND, FIRST, CREASE]
"""The kinds of an edge with its two forms the other way round."""

_DISC, _WIDE_DISC = 7, 16
"""Radii of the discs in which it is seen to which side a border bulges, px."""

_FAR = 15.0
"""Distance from an outline beyond which more says nothing more, px."""

_ON_HULL = 2.0
"""Px within which a place lies on the convex hull of a form: what lies before others seldom has hollows."""

_ROUNDS = ("alone", "beside")


@lru_cache(maxsize=1)
def forests() -> tuple[Forest, ...]:
    """What is asked of a drawing by itself, and then with the drawings beside it."""
    return tuple(learnt(__package__, "edges.npz", name) for name in _ROUNDS)


def chances_of(forms: Forms) -> NDArray[np.float64]:
    """(chains, 3) log chance of each chain of the forms to be FIRST, SECOND or CREASE."""
    first, second = seen(forms)
    return both_ways(forests()[0], first, second)


def both_ways(
    forest: Forest, first: NDArray[np.floating], second: NDArray[np.floating]
) -> NDArray[np.float64]:
    """(chains, 3) log chances, asked from either side. first, second: (chains, measures) what is seen from each."""
    if not len(first):
        return np.zeros((0, 3))
    either = np.vstack([np.hstack([first, second]), np.hstack([second, first])]).astype(np.float32)
    there, back = np.split(forest.scores(either), 2)
    back = back[:, TURNED]
    return np.asarray(log_softmax((there + back) / 2, axis=1))


def owned(forms: Forms, edges: NDArray[np.int64], form: int) -> NDArray[np.bool_]:
    """For each place of the chains whether the border there is the form's own edge: so is every border with paper."""
    chains = forms.chains
    first, second = chains.parted.T
    owner = np.where(edges == FIRST, first, np.where(edges == SECOND, second, 0))
    own = chains.of_place == -1
    between = chains.of_place >= 0
    own[between] = owner[chains.of_place[between]] == form
    return np.asarray(own & (chains.sides == form).any(axis=1))


def seen(forms: Forms) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(chains, measures) what is seen of each chain from its first form, and from its second one."""
    between = forms.chains.between
    if not between:
        return np.zeros((0, 0)), np.zeros((0, 0))
    known = {form: _Known(forms, form) for form in forms.pots}
    met: dict[int, set[int]] = {form: set() for form in forms.pots}
    for chain in between:
        met[chain.a].add(chain.b)
        met[chain.b].add(chain.a)
    first, second = (
        np.array([_measures(chain, forms, known, met) for chain in chains])
        for chains in (between, [_turned(chain) for chain in between])
    )
    return first, second


class _Known:
    """What is asked of a form for each of its chains.

    shares, wide: (h, w) share of a disc round each pixel that it fills. hull: (h, w) px inside its convex hull. far: (h, w)
    signed distance in `_FAR` from the form as its borders with paper alone complete it, inside under 0; None if it has
    none. radius: of the largest circle in it, px. solid, slim, like_ellipse: its share of its hull, the shorter axis beside
    the longer one, and what it has in common with the ellipse of its moments.
    """

    def __init__(self, forms: Forms, form: int) -> None:
        whole = forms.labels == form
        # Nothing of it reaches farther than a disc.
        part = box_of(whole, _WIDE_DISC + 4)
        inside = whole[part].astype(np.uint8)
        self.shares, self.wide, self.hull = (np.zeros(whole.shape, np.float32) for _ in range(3))
        for shares, radius in ((self.shares, _DISC), (self.wide, _WIDE_DISC)):
            disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1,) * 2).astype(np.float32)
            shares[part] = cv2.filter2D(
                inside.astype(np.float32), -1, disc / disc.sum(), borderType=cv2.BORDER_CONSTANT
            )
        self.radius = float(cv2.distanceTransform(np.pad(inside, 1), cv2.DIST_L2, 5).max())
        self.area = int(forms.areas[form])
        self.length = int(forms.chains.lengths[form])
        own = (forms.chains.of_place == -1) & (forms.chains.sides == form).any(axis=1)
        self.bare = float(own.sum() / self.length)
        self.far = _signed(completed(forms, form, own)) if own.any() else None
        held = np.zeros(np.add(inside.shape, 2), np.uint8)
        cv2.fillConvexPoly(held, cv2.convexHull(cv2.findNonZero(inside)) + 1, 1)
        self.hull[part] = cv2.distanceTransform(held, cv2.DIST_L2, 5)[1:-1, 1:-1]
        self.solid = self.area / max(1, int(held.sum()))
        round_one = ellipse_of(inside > 0)
        self.slim = float(round_one.half[0] / round_one.half[1])
        self.like_ellipse = round_one.like


def _signed(inside: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Signed distance from the rim of a mask, which is not empty, in `_FAR`, -1..1, inside under 0."""
    signed = np.ones(inside.shape, np.float32)
    # Beyond that it is 1 everywhere.
    part = box_of(inside, int(_FAR) + 1)
    held = np.pad(inside[part], 1).astype(np.uint8)
    far = cv2.distanceTransform(1 - held, cv2.DIST_L2, 5) - cv2.distanceTransform(held, cv2.DIST_L2, 5)
    signed[part] = np.clip(far[1:-1, 1:-1] / _FAR, -1, 1)
    return signed


def _turned(chain: Chain) -> Chain:
    """The same chain with its sides the other way round."""
    ends = tuple(
        End(e.third, e.along_b, e.along_a, e.bar, (e.beyond[1], e.beyond[0], e.beyond[2])) for e in chain.ends
    )
    return Chain(chain.b, chain.a, chain.points, ends)


def _measures(
    chain: Chain, forms: Forms, known: Mapping[int, _Known], met: Mapping[int, set[int]]
) -> list[float]:
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
    out.append(float((b.wide[rows, columns] - a.wide[rows, columns]).mean()))
    for form in (a, b):
        deep = form.hull[rows, columns]
        out += [float(np.minimum(deep / max(form.radius, 1), 1).mean()), float((deep < _ON_HULL).mean())]
    for ends in (paper, third):
        out += [sum(end.beyond[k] for end in ends) / 2 for k in range(3)]
    for leads in (
        [e.along_a - e.along_b for e in chain.ends],
        [e.beyond[0] - e.beyond[1] for e in chain.ends],
    ):
        out += [min(leads, default=0.0), max(leads, default=0.0)]
    straight = float(np.hypot(*np.ptp(chain.points, axis=0)) / length)
    out.append(straight)
    for name in ("solid", "slim", "like_ellipse"):
        out += [float(getattr(a, name)), float(getattr(b, name))]
    return [*out, float(len(met[chain.a])), float(len(met[chain.b])), float(length)]
