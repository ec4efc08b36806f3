"""Patches put together into forms: what is one solid to the eye."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from itertools import combinations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..patches import Patches
from ..pixels import box_of, hull_of
from .chains import Chain, Chains, chains_of

_ENCLOSED, _SMALL = 0.9, 0.6
"""A patch is a mark on another one if that has so much of its border, and it is so much smaller: an eye does not dent a
face, a button no coat."""

_SMALL_GROUP, _MOST_TOGETHER = 0.25, 6
"""Patches that hang together are marks together if they are so much smaller, and no more than so many: the white of an eye, its
pupil, and what is left of the white where the pupil touches the rim."""

_LONGEST = 400
"""Longest side at which forms are looked at, px."""

_BAR = 0.9
"""How straight the outline has to go on past both ends of a border for it to be a stripe on one form: mean of minus the
cosine."""


_FAR_LARGER = 6
"""How many times as large as a hand a form of its colour is at least."""

_COVER = 0.6
"""The same where something passes before both, at either end; there it also goes on straighter than what it covers."""

_HIDDEN, _HIDDEN_MOST, _HOLLOW = 0.8, 4.0, 0.06
"""Two pieces are one form if what passes before both fills no more than so much of their area and of that of the smaller one, and
no more than so much of their common hull is left open."""

_OTHERS, _BARE = 0.11, 0.012
"""More of the hull may be left open if other forms fill it and hardly any of it is paper."""


@dataclass(frozen=True, eq=False)
class Forms:
    """The forms of one drawing.

    of_patch: (count + 1,) form of each patch, 0 for what is no form. labels: (rows, columns) form of places of the drawing,
    cut to `box` (rows and columns of the drawing, from and to) and sampled. pots: form -> pot, the numbers that were given.
    lines: (rows, columns) share of each place, 0..1, on which patches meet, also those of one form.
    """

    of_patch: NDArray[np.int32]
    labels: NDArray[np.int32]
    box: tuple[tuple[int, int], tuple[int, int]]
    pots: dict[int, int]
    lines: NDArray[np.float32]

    @cached_property
    def chains(self) -> Chains:
        """The borders between the forms."""
        return chains_of(self.labels)

    @property
    def step(self) -> float:
        """Px of the drawing that a pixel of `labels` stands for."""
        return float((self.box[0][1] - self.box[0][0]) / self.labels.shape[0])

    @property
    def part(self) -> tuple[slice, slice]:
        """`box` for a picture of the drawing."""
        return slice(*self.box[0]), slice(*self.box[1])

    @cached_property
    def areas(self) -> NDArray[np.int64]:
        """Pixels of `labels` of each form."""
        return np.bincount(self.labels.ravel(), minlength=max(self.pots, default=0) + 1).astype(np.int64)


def forms_of(patches: Patches, pots: NDArray[np.integer]) -> Forms:
    """The forms of a painted drawing. pots: (count + 1,) pot of each patch, 0 for none.

    Small patches inside another one are marks on it. Stripes across a form whose outline goes on past them are one form.
    """
    group = _marks_on(patches, pots)
    bare = (pots[group] == 0) | (group == patches.background)
    of_patch = np.where(bare, 0, group).astype(np.int32)
    painted = of_patch[patches.labels] > 0
    rows, columns = part = box_of(painted)
    if not rows.stop:
        return Forms(of_patch, np.zeros((1, 1), np.int32), ((0, 1), (0, 1)), {}, np.zeros((1, 1), np.float32))
    box = (rows.start, rows.stop), (columns.start, columns.stop)
    seen = of_patch[patches.labels[part]]
    step = max(1.0, max(seen.shape) / _LONGEST)
    size = (max(1, round(seen.shape[1] / step)), max(1, round(seen.shape[0] / step)))
    small = cv2.resize(seen, size, interpolation=cv2.INTER_NEAREST)
    lines = cv2.resize(meeting(patches.labels[part]), size, interpolation=cv2.INTER_AREA)
    found = Forms(of_patch, small, box, {int(k): int(pots[k]) for k in np.unique(small) if k}, lines)
    return _rejoined(_covered(_joined(found)))


def meeting(labels: NDArray[np.integer]) -> NDArray[np.float32]:
    """(h, w) 1 where a neighbour has another label."""
    found = np.zeros(labels.shape, np.float32)
    for one, other in ((np.s_[:, 1:], np.s_[:, :-1]), (np.s_[1:], np.s_[:-1])):
        differs = labels[one] != labels[other]
        found[one][differs] = found[other][differs] = 1
    return found


def _marks_on(patches: Patches, pots: NDArray[np.integer]) -> NDArray[np.int64]:
    """(count + 1,) for each patch the one it is a mark on, itself for a form of its own; peeled from small to large, one by
    one and then what hangs together."""
    border = patches.touching.astype(float)
    owner = np.arange(patches.count + 1)
    size = patches.areas.astype(float).copy()
    paper = pots == 0
    paper[[0, patches.background]] = True
    alive = ~paper

    def laid(mark: int, host: int) -> None:
        owner[owner == mark] = host
        size[host] += size[mark]
        alive[mark] = False
        border[host] += border[mark]
        border[:, host] = border[host]
        border[host, host] = 0
        border[mark] = border[:, mark] = 0

    def host_of(marks: tuple[int, ...], small: float) -> int:
        """The form that some patches are marks on together, 0 for none."""
        around = border[list(marks)].sum(axis=0)
        around[list(marks)] = 0
        host, total = int(around.argmax()), around.sum()
        held = total > 0 and not paper[host] and around[host] > _ENCLOSED * total
        return host if held and size[list(marks)].sum() < small * size[host] else 0

    def together(mark: int) -> tuple[int, ...]:
        """What is small beside the largest neighbour of a patch and hangs together with it."""
        largest = int(np.where(border[mark] > 0, size * alive, 0).argmax())
        small = alive & (size < _SMALL_GROUP * size[largest])
        if not small[mark]:
            return ()
        found, fresh = {mark}, [mark]
        while fresh:
            near = np.flatnonzero((border[fresh.pop()] > 0) & small).tolist()
            fresh += [k for k in near if k not in found]
            found.update(near)
            if len(found) > _MOST_TOGETHER:
                return ()
        return tuple(found)

    def smallest_first() -> list[int]:
        return sorted(np.flatnonzero(alive).tolist(), key=lambda k: size[k])

    def peel() -> bool:
        """One round; whether anything was laid on anything."""
        before = int(alive.sum())
        for k in smallest_first():
            if host := host_of((k,), _SMALL):
                laid(k, host)
        if alive.sum() < before:
            return True
        for k in smallest_first():
            if alive[k] and (group := together(k)) and (host := host_of(group, _SMALL_GROUP)):
                for mark in group:
                    laid(mark, host)
        return bool(alive.sum() < before)

    while peel():
        pass
    return owner


def _joined(forms: Forms) -> Forms:
    """The forms, with those made one that only a stripe's border parts."""
    becomes = np.arange(len(forms.areas))
    for chain in forms.chains.between:
        # A stripe ends at paper on either side; a seam, which parts one colour, may end at something that is sewn on.
        sewn = forms.pots[chain.a] == forms.pots[chain.b] and any(end.third == 0 for end in chain.ends)
        bars = [end.bar for end in chain.ends if end.third == 0 or sewn]
        straight = len(bars) == 2 and len(chain.ends) == 2 and np.mean(bars) > _BAR
        if straight and not _is_an_end(forms, chain):
            into, gone = sorted(becomes[[chain.a, chain.b]], key=lambda k: -forms.areas[k])
            becomes[becomes == gone] = into
    return _merged(forms, becomes)


def _is_an_end(forms: Forms, chain: Chain) -> bool:
    """Whether the smaller form at a chain is no stripe but something at the end of the other: a hand, which has the colour of a far
    larger form, a head."""
    mark, host = sorted((chain.a, chain.b), key=lambda k: forms.areas[k])
    sides = forms.chains.sides
    beside = set(sides[(sides == mark).any(axis=1)].ravel().tolist())
    return beside <= {0, mark, host} and any(
        pot == forms.pots[mark]
        and form not in (mark, host)
        and forms.areas[form] > _FAR_LARGER * forms.areas[mark]
        for form, pot in forms.pots.items()
    )


def _covered(forms: Forms) -> Forms:
    """The forms, with marks laid on what they are marks on, of which something else covers a piece: a pocket half behind an
    arm, past which the arm's edge goes straight on."""
    becomes = np.arange(len(forms.areas))
    beside: dict[int, set[int]] = {form: set() for form in forms.pots}
    for a, b in np.unique(forms.chains.sides, axis=0).tolist():
        for one, other in ((a, b), (b, a)):
            if one:
                beside[one].add(other)
    for chain in forms.chains.between:
        mark, host = sorted((chain.a, chain.b), key=lambda k: forms.areas[k])
        cover = {end.third for end in chain.ends}
        if (
            len(cover) == 1
            and beside[mark] == {host, *cover}
            and 0 not in cover
            and forms.areas[mark] < _SMALL_GROUP * forms.areas[host]
            and all(end.bar > max(_COVER, end.along_a, end.along_b) for end in chain.ends)
        ):
            becomes[becomes == mark] = becomes[host]
    return _merged(forms, becomes)


def _rejoined(forms: Forms) -> Forms:
    """The forms, with those made one that are pieces of one which something passes before, as an arm before a coat. Without
    paint nothing says that pieces are one."""
    if len(set(forms.pots.values())) < 2:
        return forms
    meets: dict[int, set[int]] = {form: set() for form in forms.pots}
    for a, b in forms.chains.sides[forms.chains.sides[:, 0] > 0].tolist():
        meets[a].add(b)
        meets[b].add(a)
    becomes = np.arange(len(forms.areas))
    for a, b in combinations(forms.pots, 2):
        between = meets[a] & meets[b]
        if forms.pots[a] != forms.pots[b] or b in meets[a] or not between:
            continue
        own = np.isin(forms.labels, [a, b])
        part = box_of(own)
        own = own[part]
        hull = hull_of(own)
        gap = hull & ~own
        hidden = int(np.isin(forms.labels[part][gap], list(between)).sum())
        left = (gap.sum() - hidden) / hull.sum()
        bare = (forms.labels[part][gap] == 0).sum() / hull.sum()
        most = min(_HIDDEN * own.sum(), _HIDDEN_MOST * forms.areas[[a, b]].min())
        if hidden < most and (left < _HOLLOW or (left < _OTHERS and bare < _BARE)):
            into, gone = sorted(becomes[[a, b]], key=lambda k: -forms.areas[k])
            becomes[becomes == gone] = into
    return _merged(forms, becomes)


def _merged(forms: Forms, becomes: NDArray[np.int64]) -> Forms:
    """The forms under other numbers. becomes: (forms + 1,)."""
    if (becomes == np.arange(len(becomes))).all():
        return forms
    table = np.arange(max(int(forms.of_patch.max()) + 1, len(becomes)), dtype=np.int32)
    table[: len(becomes)] = becomes
    kept = {k: pot for k, pot in forms.pots.items() if becomes[k] == k}
    return replace(forms, of_patch=table[forms.of_patch], labels=table[forms.labels], pots=kept)
