"""How likely each patch of one drawing is the same thing as each patch of another.

Position after registration, size and shape give a first guess; relations to the neighbours settle it (graph
matching after K. Sato, Y. Matsui, T. Yamasaki and K. Aizawa, 2014, and A. Maejima et al., 2019, solved by
relaxation).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any
from weakref import WeakKeyDictionary

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.spatial import cKDTree

from ..patches import Patches
from ..pixels import box_of
from .across import told_by_neighbours
from .facts import facts_of
from .layers import came_from
from .links import FOUND, Links, links
from .movement import Laid, borders_of, lay
from .same import same
from .turned import NONE, Turned, turned

_FLOW_SIDE = 384
_STRIDE = 2
"""Rows and columns of which one is looked at where shares of areas are asked for."""

_REACH = 24.0
"""How far from a line the registration still feels it, px of the flow picture."""

# The shares below were chosen by trial on the demo's drawings and on development subjects of the bench.

_LIKE, _BOTH, _INSIDE = 0.45, 0.35, 0.2
"""First guess of a pair: shares of likeness in place, size and shape, of lying on each other, of the target lying in the
source. They sum to 1."""

_SHAPELESS = 0.3
"""What place and size alone count of that likeness, where shapes differ altogether."""

_SIZES, _SHAPES = 0.35, 0.12
"""Differences of the logarithm of a patch's side, and of its second moments, that count as one unit."""

_BASE = 0.15
"""What a pair counts without support from its neighbours, beside full support."""

_ROUNDS = 4
"""Rounds of relaxation."""

_MOVING = 0.8
"""What likeness with a movement of its own counts beside likeness in place after registration."""

_ANYWHERE = 0.8
"""What an outline alike in another place counts, with the lines about it."""

_CLEARLY = 3
"""How steeply it counts less beside a counterpart with lines about it that go with it better."""

_PINNED, _UNPINNED = 0.9, 0.2
"""Share of two patches that lie in one place from which on they rest, and what any other counterpart counts then."""

_FAR = 0.16
"""Distance after registration, in longest sides of the drawing, at which an outline that is not turned is hardly looked for."""

_TURNED = 0.9
"""What an outline that is alike anywhere counts beside one alike near its place."""

_AGREEING = 5
"""Rounds in which neighbours settle where they move."""

_CANDIDATES = 8
"""Counterparts tried for each patch by its looks."""

_MOST_PAIRS = 6000
"""With more candidates than this only the registration is asked."""

_TURN = 0.12
"""How far a turn is from none, in numbers of its matrix, for two patches to be laid on each other turned, too."""

_TRIED = 3
"""Counterparts of each patch whose borders are laid on each other."""

_WELL = 0.8
"""A pair whose borders lie this well on each other needs no second try."""

_UNFIT = 0.2
"""What a first guess counts if the borders do not lie on each other at all."""

_RUN, _POSES = 0.55, 0.4
"""How well patches lie on each other on the average in drawings of a run, and at most in unlike poses."""

_MOSTLY, _A_SHARE = 0.6, 0.12
"""Shares of a source patch, and of a target patch, from which on a patch is part of one that runs together."""

_TELLS, _ALL_OF_IT, _NO_COUNTERPART, _LINED, _WORTH_SAYING = 0.7, 0.85, 0.12, 0.85, 5e-5
"""When a patch has run out into the background: kinship of drawings that can tell, the share of it that lies there, how good
its best counterpart may be, how much of its rim has a line, and the share of the picture from which on it is said."""

_MOTIONS, _CLEAR = 0.3, 0.5
"""What several motions count beside relaxation, and the share of a patch that has to come from one place for all of it."""

_NEAR = 0.15
"""Distance after registration, in longest sides of the drawing, at which likeness in looks is worth little."""

_REGISTERED = 7.0
"""Mean difference of the registered line fields, of 255, that is good enough not to try another start."""


@dataclass(frozen=True)
class Match:
    """likely: (source patches + 1, target patches + 1), columns sum to at most 1; what is missing from 1 is
    the chance that a target patch has no counterpart.
    one_pot: the same shape and sums; whether both carry the same pot, by all measures together (`same`).
    mutual: the same shape, 0..1; how good a target patch is for a source patch beside that one's best target.
    A detail that newly appears inside a form lies in it, but the form has a better counterpart.
    there: for every _STRIDE-th row and column of the target the source patch that lies there after registration.
    together: (source patches + 1, target patches + 1) how often each pair does.
    kin: 0 for poses with nothing between to 1 for drawings of a run, which share nearly all their forms.
    links: the likeliest counterparts by every measure.
    """

    likely: NDArray[np.float64]
    one_pot: NDArray[np.float64]
    mutual: NDArray[np.float64]
    there: NDArray[np.int32]
    together: NDArray[np.float64]
    kin: float
    links: Links

    @cached_property
    def _mostly_within(self) -> NDArray[np.bool_]:
        most_of_it = self.together > _MOSTLY * self.together.sum(axis=1, keepdims=True)
        return np.asarray(most_of_it & (self.together > _A_SHARE * self.together.sum(axis=0)))

    def joined(self, source: Patches, target: Patches, patch: int) -> list[tuple[int, tuple[float, float]]]:
        """Source patches that run together in one patch of the target: each with a place (x, y) in its share of it, px of
        the drawing.

        Most of each lies in the patch, and each is a good share of it; fewer than two are none.
        """
        mostly = self._mostly_within[:, patch].copy()
        mostly[[0, source.background]] = False
        parts = np.flatnonzero(mostly).tolist()
        return self._places(target, patch, parts) if len(parts) > 1 else []

    def run_out(self, source: Patches, target: Patches) -> list[tuple[int, tuple[float, float]]]:
        """Source patches that have run out into the target's background, as in `joined`: each lies in it in its place, with
        its line still round it, and nothing in the target is its counterpart. In unlike poses nobody can tell."""
        outside = target.background
        if self.kin < _TELLS or not outside or not source.background:
            return []
        counterpart = np.delete(self.likely, outside, axis=1).max(axis=1)
        gone = self.together[:, outside] > _ALL_OF_IT * self.together.sum(axis=1)
        gone &= (counterpart < _NO_COUNTERPART) & (source.areas > _WORTH_SAYING * target.open_labels.size)
        gone[[0, source.background]] = False
        ink = cv2.dilate((target.open_labels == 0).astype(np.uint8), np.ones((9, 9)))[::_STRIDE, ::_STRIDE]
        lined = []
        for part in np.flatnonzero(gone).tolist():
            lies = (self.there == part).astype(np.uint8)
            rim = lies - cv2.erode(lies, np.ones((3, 3)))
            if ink[rim > 0].mean() >= _LINED:
                lined.append(part)
        return self._places(target, outside, lined)

    def _places(self, target: Patches, patch: int, parts: list[int]) -> list[tuple[int, tuple[float, float]]]:
        inside = target.open_labels[::_STRIDE, ::_STRIDE] == patch
        found = []
        for part in parts:
            mask = np.pad((inside & (self.there == part)).astype(np.uint8), 1)
            row, col = np.unravel_index(int(cv2.distanceTransform(mask, cv2.DIST_L2, 3).argmax()), mask.shape)
            x, y = (target.scale * (_STRIDE * (float(at) - 1) + 0.5) for at in (col, row))
            found.append((part, (x, y)))
        return found


@dataclass(frozen=True)
class _Guess:
    """What one movement and looks say of two drawings; tables are (sources, targets), as in `Match`. looks: likeness in size and
    shape. distance: px between a target patch's place and a source patch. near: neighbours in the target. flow: its shift."""

    likely: NDArray[np.float64]
    mutual: NDArray[np.float64]
    looks: NDArray[np.float64]
    moving: NDArray[np.float64]
    distance: NDArray[np.float64]
    inside: NDArray[np.float64]
    together: NDArray[np.float64]
    there: NDArray[np.int32]
    near: NDArray[np.bool_]
    flow: NDArray[np.float64]
    laid: Laid
    kin: float


def likeness(source: Patches, target: Patches) -> NDArray[np.float64]:
    """(source patches + 1, target patches + 1) how good a pair of patches of two neighbouring drawings of one size is, 0..1, by
    one movement, their looks and their neighbours alone. Raises ValueError for different sizes."""
    _check(source, target)
    if not source.count or not target.count:
        return np.zeros((source.count + 1, target.count + 1))
    guess = _guessed(source, target)
    return guess.likely * guess.mutual


def _check(source: Patches, target: Patches) -> None:
    if source.shape != target.shape:
        raise ValueError("drawings must be of one size to be matched")


def match(source: Patches, target: Patches) -> Match:
    """Matches the patches of two drawings of one size. Raises ValueError for different sizes."""
    _check(source, target)
    if not source.count or not target.count:
        nothing = np.zeros((source.count + 1, target.count + 1))
        none = links([nothing] * len(FOUND), 0.0).told(np.zeros(0, np.float32))
        return Match(
            nothing,
            nothing,
            nothing,
            np.zeros_like(target.open_labels[::_STRIDE, ::_STRIDE]),
            nothing,
            0.0,
            none,
        )
    anywhere = turned(source, target)
    rests, rests_both = _at_rest(source, target)
    guess = _guessed(source, target, anywhere, rests_both)
    likely, mutual, looks, laid = guess.likely, guess.mutual, guess.looks, guess.laid
    border, within = came_from(source, target, laid, guess.near, guess.flow)
    alike = _placed(likely.shape, laid, _alike(source, target, laid))
    share = _placed(likely.shape, laid, laid.share * (0.5 + 0.5 * laid.reverse))
    outline, about = (_placed(likely.shape, anywhere, values) for values in (anywhere.alike, anywhere.about))
    close = looks * np.exp(-0.5 * (guess.distance / (_NEAR * max(target.shape))) ** 2)
    tables: list[NDArray[Any]] = [
        likely, likely * mutual, alike, share, close, guess.inside, rests, rests_both, border, within, outline, about, guess.moving,
    ]  # fmt: skip
    several = 0.5 * (border + within).astype(float)
    several = _normalise(several) * np.clip(several.max(axis=0) / _CLEAR, 0, 1)
    mixed = (1 - _MOTIONS) * likely + _MOTIONS * several
    found = links(tables, guess.kin)
    chance = same(found, facts_of(source), facts_of(target))
    one_pot = _placed(likely.shape, found, chance).astype(float)
    one_pot /= np.maximum(one_pot.sum(axis=0), 1)
    for table in (mixed, one_pot):
        table[:, target.background] = likely[:, target.background]
    return Match(mixed, one_pot, mutual, guess.there, guess.together, guess.kin, found.told(chance))


def _placed(
    shape: tuple[int, ...], pairs: Laid | Turned | Links, values: NDArray[np.floating]
) -> NDArray[np.float32]:
    """(sources, targets) the value of each pair, 0 for the others."""
    table = np.zeros(shape, np.float32)
    table[pairs.source, pairs.target] = values
    return table


def _guessed(
    source: Patches, target: Patches, anywhere: Turned = NONE, rests: NDArray[np.float64] | None = None
) -> _Guess:
    """anywhere: outlines alike in any place. rests: how much of both of each pair of patches lies in one place; if it is given,
    what rests is pinned and neighbours that move across each other are told apart."""
    shift = _registration(source, target)
    together, distance, there = _overlap(source, target, shift)
    inside = together / np.maximum(together.sum(axis=0, keepdims=True), 1)
    covered = together / np.maximum(together.sum(axis=1, keepdims=True), 1)
    first = _first_guess(source, target, inside, covered, distance)
    looks, near, flow = _appearance(source, target), _neighbours(target), _shift_of(target, shift)
    close = looks * np.exp(-0.5 * (distance / (_FAR * max(source.shape))) ** 2)
    moving = _moving_alike(source, target, close, anywhere, near)
    first = np.maximum(first, _MOVING * moving)
    if rests is not None:
        first = _found_anywhere(first, anywhere, rests)
    laid = _laid(source, target, first, flow, anywhere)
    fitting, twin = _fitting(source, target, laid)
    first = first * fitting
    likely = _normalise(first)
    a, b = _relations(source), _relations(target)
    for _ in range(_ROUNDS):
        support = (b @ (a @ likely).T).T
        peak = support.max(axis=0, keepdims=True)
        likely = _normalise(first * (_BASE + twin + support / np.maximum(peak, 1e-9)))
    confidence = np.clip(first.max(axis=0) / 0.5, 0, 1)
    # Before the columns are normalised: a detail that has no other candidate is still a poor counterpart.
    mutual = first / np.maximum(first.max(axis=1, keepdims=True), 1e-9)
    if rests is not None:
        likely = told_by_neighbours(source, target, laid, likely, mutual)
    kin = _kin(source, target, laid)
    # What lies in the place of a patch is that patch in a run, however much of it is hidden; in another pose only
    # what is alike in size and shape convinces.
    worth = kin + (1 - kin) * looks
    if source.background and target.background:
        worth[source.background, target.background] = 1
    return _Guess(
        likely * confidence,
        mutual * worth,
        looks,
        moving,
        distance,
        inside,
        together,
        there,
        near,
        flow,
        laid,
        kin,
    )


def _found_anywhere(
    first: NDArray[np.float64], anywhere: Turned, rests: NDArray[np.float64]
) -> NDArray[np.float64]:
    """A first guess with what is alike in any place, and less for all but the counterpart of what rests."""
    at = anywhere.source, anywhere.target
    best = np.zeros(first.shape[1])
    np.maximum.at(best, anywhere.target, anywhere.about)
    clear = anywhere.about / np.maximum(best[anywhere.target], 1e-9)
    first = first.copy()
    first[at] = np.maximum(first[at], _ANYWHERE * anywhere.about * clear**_CLEARLY)
    pinned = rests > _PINNED
    return np.where(pinned.any(axis=0) & ~pinned, _UNPINNED, 1.0) * first


def _at_rest(source: Patches, target: Patches) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(sources, targets) twice: the share of a target patch that lies where the source patch is, and the same of both."""
    table = _together(source, target, source.labels[::_STRIDE, ::_STRIDE])
    one = table / np.maximum(table.sum(axis=0, keepdims=True), 1)
    return one, np.sqrt(one * table / np.maximum(table.sum(axis=1, keepdims=True), 1))


def _together(source: Patches, target: Patches, there: NDArray[np.int32]) -> NDArray[np.float64]:
    """(sources, targets) how often each pair meets. there: the source patch at every _STRIDE-th row and column of the
    target."""
    shape = (source.count + 1, target.count + 1)
    code = there.ravel() * np.int64(shape[1]) + target.open_labels[::_STRIDE, ::_STRIDE].ravel()
    table = np.bincount(code, minlength=shape[0] * shape[1]).reshape(shape).astype(float)
    table[:, 0] = 0
    return table


@dataclass(frozen=True)
class _Small:
    """A drawing as the registration sees it. field: (h', w') nearness to lines, 0..255. box: (x0, y0, x1, y1) of the
    figure in its px."""

    field: NDArray[np.uint8]
    box: NDArray[np.float64]


_smalls: WeakKeyDictionary[Patches, _Small] = WeakKeyDictionary()


def _small(patches: Patches) -> _Small:
    if patches not in _smalls:
        height, width = patches.shape
        shrink = max(1.0, max(height, width) / _FLOW_SIDE)
        clear = (patches.open_labels > 0).astype(np.uint8)
        distance = cv2.distanceTransform(clear, cv2.DIST_L2, 3)
        size = (max(16, round(width / shrink)), max(16, round(height / shrink)))
        near = cv2.resize(distance, size, interpolation=cv2.INTER_AREA) / shrink
        figure = cv2.resize(
            (patches.labels != patches.background).astype(np.uint8), size, interpolation=cv2.INTER_NEAREST
        )
        box = np.array([0, 0, *size], float)
        if figure.any():
            rows, columns = box_of(figure)
            box = np.array([columns.start, rows.start, columns.stop, rows.stop], float)
        _smalls[patches] = _Small(np.asarray(255 * np.exp(-near / (_REACH / 3)), np.uint8), box)
    return _smalls[patches]


def _registration(source: Patches, target: Patches) -> NDArray[np.float32]:
    """(h', w', 2) for each pixel of the small target picture, where it lies in the small source picture."""
    here, there = _small(target), _small(source)
    a, b = there.field, here.field
    height, width = b.shape
    grid = np.stack(np.meshgrid(np.arange(width), np.arange(height)), axis=2).astype(np.float32)
    best, best_error = grid, np.inf
    # In place first; then with the box of one figure laid on the other's.
    scale = (there.box[2:] - there.box[:2]) / (here.box[2:] - here.box[:2])
    for from_box in (False, True):
        start = ((grid - here.box[:2]) * scale + there.box[:2]).astype(np.float32) if from_box else grid
        moved = cv2.remap(a, start, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
        found = flow.calc(b, moved, None)
        found = cv2.GaussianBlur(found, (0, 0), 4)
        at = grid + found
        place = cv2.remap(start, at, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        error = float(
            np.abs(
                cv2.remap(a, place, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).astype(
                    np.float32
                )
                - b
            ).mean()
        )
        if error < best_error:
            best, best_error = place, error
        if best_error < _REGISTERED:
            break
    return best


def _overlap(
    source: Patches, target: Patches, place: NDArray[np.float32]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int32]]:
    """How often each target patch falls into each source patch, and the distance in px between a target patch's place
    in the source and each source patch's centre, both (sources, targets); and the source patch at every
    _STRIDE-th row and column of the target."""
    height, width = target.shape
    seen = target.open_labels[::_STRIDE, ::_STRIDE]
    scale = np.array([width / place.shape[1], height / place.shape[0]], np.float32)
    full = cv2.resize((place + 0.5) * scale - 0.5, seen.shape[::-1], interpolation=cv2.INTER_LINEAR)
    column = np.clip(np.rint(full[..., 0]), 0, width - 1).astype(np.int32)
    row = np.clip(np.rint(full[..., 1]), 0, height - 1).astype(np.int32)
    there = source.labels[row, column]
    together = _together(source, target, there)
    # A mean place needs fewer samples.
    flat, coarse = seen[::2, ::2].ravel(), full[::2, ::2].reshape(-1, 2)
    n = np.bincount(flat, minlength=target.count + 1)
    sums = [np.bincount(flat, weights=along, minlength=target.count + 1) for along in coarse.T]
    moved = np.stack(sums, axis=1) / np.maximum(n, 1)[:, None]
    moved = np.where(n[:, None] > 0, moved, target.anchors)
    distance = np.hypot(*(source.centres[:, None] - moved[None]).transpose(2, 0, 1))
    return together, distance, there


def _first_guess(
    source: Patches,
    target: Patches,
    inside: NDArray[np.float64],
    covered: NDArray[np.float64],
    distance: NDArray[np.float64],
) -> NDArray[np.float64]:
    size_a, size_b = np.sqrt(source.areas.astype(float)), np.sqrt(target.areas.astype(float))
    reach = 0.5 * np.minimum(size_a[:, None], size_b[None]) + 0.012 * max(source.shape)
    near = np.exp(-0.5 * (distance / reach) ** 2)
    size = np.exp(
        -0.5 * ((np.log(np.maximum(size_a, 1))[:, None] - np.log(np.maximum(size_b, 1))[None]) / _SIZES) ** 2
    )
    gap = np.abs(source.spread[:, None] - target.spread[None]).sum(axis=2)
    shape = np.exp(-gap / _SHAPES)
    alike = near * size * (_SHAPELESS + (1 - _SHAPELESS) * shape)
    both = np.sqrt(inside * covered)
    guess = _LIKE * alike + _BOTH * both + _INSIDE * inside**2 + 1e-4 * size * shape
    guess[0] = guess[:, 0] = 0
    if source.background and target.background:
        # The outside is the outside: nothing else may become it by looks.
        guess[source.background] *= 0.5
        guess[:, target.background] = 0
        guess[source.background, target.background] = 1
    return guess


def _moving_alike(
    source: Patches,
    target: Patches,
    looks: NDArray[np.float64],
    anywhere: Turned,
    near_b: NDArray[np.bool_],
) -> NDArray[np.float64]:
    """(sources, targets) 0..1: how much two patches look alike and move as their neighbours do.

    Forms that pass in front of each other move each its own way, which no smooth registration follows. Candidates are
    chosen by size and shape, near their place or turned and far from it; those that come to lie where candidates next to
    them would take them win. looks: likeness in size and shape near the place.
    """
    result = np.zeros((source.count + 1, target.count + 1))
    side = max(source.shape)
    alike = looks.copy()
    at = anywhere.source, anywhere.target
    alike[at] = np.maximum(alike[at], _TURNED * anywhere.alike)
    for table, patches, axis in ((alike, source, 0), (alike, target, 1)):
        if patches.background:
            table[(patches.background,) if axis == 0 else (slice(None), patches.background)] = 0
    alike[0] = alike[:, 0] = 0
    most = min(_CANDIDATES, source.count)
    rows = np.argpartition(-alike, most - 1, axis=0)[:most]
    columns = np.broadcast_to(np.arange(target.count + 1), rows.shape)
    strong = alike[rows, columns] > 0.05
    i, j = rows[strong], columns[strong]
    if not len(i) or len(i) > _MOST_PAIRS:
        return result
    score = alike[i, j]
    linear = np.tile(np.eye(2), (len(i), 1, 1))
    row = np.full(result.shape, -1)
    row[at] = np.arange(len(anywhere.source))
    known = np.flatnonzero(row[i, j] >= 0)
    linear[known] = anywhere.linear[row[i, j][known]]
    near_a = _neighbours(source)
    p, q = _beside(near_a, i).multiply(_beside(near_b, j)).nonzero()
    between = source.centres[i[p]] - source.centres[i[q]]
    carried = (linear[q] @ (target.centres[j[p]] - target.centres[j[q]])[..., None])[..., 0]
    differs = np.hypot(*(between - carried).T)
    # Neighbours may turn and bend a little against each other, more the farther they are apart.
    slack = 0.006 * side + 0.12 * np.hypot(*between.T)
    agree = sparse.csr_array((np.exp(-0.5 * (differs / slack) ** 2), (p, q)), (len(i), len(i)))
    expected = np.maximum(near_b.sum(axis=1)[j], 1)
    chance = score.copy()
    support = np.zeros_like(score)
    for _ in range(_AGREEING):
        total = np.bincount(j, weights=chance, minlength=target.count + 1)
        chance = chance / np.maximum(total[j], 1e-9)
        support = (agree @ chance) / expected
        chance = score * (0.05 + support)
    total = np.bincount(j, weights=chance, minlength=target.count + 1)
    result[i, j] = chance / np.maximum(total[j], 1e-9) * score * np.clip(support / 0.5, 0, 1)
    return result


def _beside(near: NDArray[np.bool_], patches: NDArray[np.int64]) -> sparse.csr_array:
    """(k, k) which of k patches, some of them named several times, are neighbours."""
    named = sparse.csr_array(
        (np.ones(len(patches)), (np.arange(len(patches)), patches)), (len(patches), len(near))
    )
    return sparse.csr_array(named @ sparse.csr_array(near.astype(float)) @ named.T)


def _appearance(source: Patches, target: Patches) -> NDArray[np.float64]:
    """(sources, targets) 0..1: likeness in size and in shape, wherever the patches lie."""
    size_a, size_b = np.sqrt(source.areas.astype(float)), np.sqrt(target.areas.astype(float))
    size = np.exp(
        -0.5 * ((np.log(np.maximum(size_a, 1))[:, None] - np.log(np.maximum(size_b, 1))[None]) / 0.2) ** 2
    )
    gap = np.abs(source.spread[:, None] - target.spread[None]).sum(axis=2)
    return np.asarray(size * np.exp(-gap / 0.12))


def _neighbours(patches: Patches) -> NDArray[np.bool_]:
    """(count + 1, count + 1) which patches move together if anything does: those that touch or lie nearest."""
    near = patches.touching > 0
    if patches.count > 1:
        known = patches.centres[1:]
        _, index = cKDTree(known).query(known, k=min(6, patches.count))
        near[np.repeat(np.arange(1, patches.count + 1), index.shape[1]), index.ravel() + 1] = True
    near = near | near.T
    np.fill_diagonal(near, False)
    near[0] = near[:, 0] = False
    if patches.background:
        near[patches.background] = near[:, patches.background] = False
    return np.asarray(near)


def _relations(patches: Patches) -> sparse.csr_array:
    """Row-normalised adjacency, damped so that one long border does not speak alone."""
    weight = np.sqrt(patches.touching)
    weight[0] = weight[:, 0] = 0
    return sparse.csr_array(weight / np.maximum(weight.sum(axis=1, keepdims=True), 1e-9))


def _normalise(table: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(table / np.maximum(table.sum(axis=0, keepdims=True), 1e-12))


def _laid(
    source: Patches, target: Patches, first: NDArray[np.float64], flow: NDArray[np.float64], anywhere: Turned
) -> Laid:
    """The likeliest counterparts of each patch with their borders laid on each other; the outside is left out."""
    table = first.copy()
    table[source.background] = 0
    table[:, target.background] = 0
    most = min(_TRIED, source.count)
    rows = np.argpartition(-table, most - 1, axis=0)[:most]
    columns = np.broadcast_to(np.arange(target.count + 1), rows.shape)
    tried = table[rows, columns] > 1e-3
    pairs = np.stack([rows[tried], columns[tried]], axis=1)
    a, b = borders_of(source), borders_of(target)
    shifts = source.centres[pairs[:, 0]] - target.centres[pairs[:, 1]]
    laid = lay(a, b, pairs, shifts)
    row = np.full(first.shape, -1)
    row[anywhere.source, anywhere.target] = np.arange(len(anywhere.source))
    alike = row[pairs[:, 0], pairs[:, 1]]
    other = np.flatnonzero(alike >= 0)
    linear = anywhere.linear[alike[other]]
    away = np.abs(linear - np.eye(2)).max(axis=(1, 2)) > _TURN
    other, linear = other[away], linear[away]
    laid = laid.better_of(lay(a, b, pairs[other], shifts[other], linear), other)
    # A form that is partly hidden has its centre elsewhere: it may go with the registration.
    again = np.flatnonzero(laid.share * laid.reverse < _WELL)
    return laid.better_of(lay(a, b, pairs[again], flow[pairs[again, 1]]), again)


def _shift_of(target: Patches, place: NDArray[np.float32]) -> NDArray[np.float64]:
    """(count + 1, 2) px from each patch to where the registration puts it in the source."""
    shape = np.array(place.shape[1::-1])
    scale = np.array(target.shape[::-1]) / shape
    column, row = np.clip((target.anchors / scale).astype(int), 0, shape - 1).T
    return np.asarray((place[row, column] + 0.5) * scale - target.anchors)


def _kin(source: Patches, target: Patches, laid: Laid) -> float:
    """As in `Match`, from how well patches of both drawings lie on their best counterpart."""
    alike = _alike(source, target, laid)
    best = []
    for patch in (laid.source, laid.target):
        tried, row = np.unique(patch, return_inverse=True)
        found = np.zeros(len(tried))
        np.maximum.at(found, row, alike)
        best.append(found)
    every = np.concatenate(best)
    return float(np.clip((every.mean() - _POSES) / (_RUN - _POSES), 0, 1)) if len(every) else 0.0


def _alike(source: Patches, target: Patches, laid: Laid) -> NDArray[np.float64]:
    """(k,) how much of the borders of two laid patches lie on each other, less for unlike sizes; 0..1."""
    ratio = source.areas[laid.source] / np.maximum(target.areas[laid.target], 1)
    return np.asarray(laid.share * laid.reverse * np.minimum(ratio, 1 / np.maximum(ratio, 1e-9)))


def _fitting(source: Patches, target: Patches, laid: Laid) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(sources, targets) how well borders lie on each other, and whether two patches are twins; both 0..1."""
    fitting = np.full((source.count + 1, target.count + 1), _UNFIT)
    twin = np.zeros_like(fitting)
    fitting[laid.source, laid.target] += (1 - _UNFIT) * laid.share * (0.5 + 0.5 * laid.reverse)
    if source.background and target.background:
        fitting[source.background, target.background] = 1
    twin[laid.source, laid.target] = np.clip((_alike(source, target, laid) - 0.7) / 0.25, 0, 1)
    return fitting, twin
