"""The run looked at as one: what every drawing says of every other is weighed together, and doubt becomes a chance.

Each drawing was painted from what is painted or finished near it. Now all of them are known, in doubt or not: each patch
is asked again with what its neighbours in time on both sides and its neighbours in the drawing carry, and boosted trees
that were taught on runs with known paint (`bench/train_paint.py`) say how likely each pot is.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from scipy.special import expit

from ..forest import Forest, learnt
from .alike import MOST, Doubtful, doubtful, groups
from .facts import Facts
from .links import MEASURES, Links
from .painting import NOTHING, UNSURE_ABOVE, Paint, Painting

SURE_FROM = 0.88
"""Chance of a pot from which on nobody is asked: on runs left out a lower one leaves errors that nobody sees, a higher one
asks more than it finds."""

_CONVINCES = 0.95
"""Chance of a pot from which on it convinces in any pose."""

_MUTUAL = MEASURES.index("mutual")

_RARE = 0.02
"""How often two pots that never touch in a key are thought to."""

_UNLIKE = 5.0
"""Difference of the logarithms of areas beyond which a pot has no patch of about this size."""

_FARTHEST = 8
"""Drawings from a key beyond which it is only far."""

_MODEL_FAR = 2
"""How far away, in drawings, the model is taken to be where no drawing of the run is painted."""

_SAID = 0.2
"""Chance below which a patch that nothing was carried to stays open."""

_OTHERS, _WORTH = 2, 0.02
"""How many other pots are offered for a patch, and the chance they need beside that of the best one."""

ROUNDS = ("first", "second")
"""Forests that are asked one after the other; the second sees what the first has said."""

_SLIVER = 0.25
"""A patch smaller than this share of the smallest form it may be is no form, and nobody is asked about it."""

_UNSEEN = 2e-5
"""Share of the picture from which on a patch is asked about whatever it may be."""

_MAYBE = 0.05
"""Chance from which a patch may be a form of a pot."""

_JOINED = 0.9 * UNSURE_ABOVE
"""Doubt of a sliver: nobody is asked, but it is no sure guide either."""

_ANY = 0.1
"""Chance that a sliver is of any neighbour, whatever was carried to it: the longer their border the rather."""

_SAME_THING = 0.5
"""How mutual counterparts in doubt have to be to be one thing that is asked once."""

Chances = NDArray[np.float32]


@dataclass(frozen=True)
class Carried:
    """What came to one drawing. pots: numbers of the pots that were spoken of. chances: (pots, count + 1) shares of all
    that speaks; weight: (count + 1,) how much does. links: drawing -> counterparts in it."""

    painting: Painting
    pots: tuple[int, ...]
    chances: NDArray[np.float64]
    weight: NDArray[np.float64]
    links: Mapping[int, Links]
    facts: Facts


@dataclass
class Case:
    """A run that is to be judged. keys: painted drawings. carried: the others. given: paint that stays in these. model: which keys
    are no drawings of the run."""

    keys: dict[int, tuple[Painting, Facts]]
    carried: dict[int, Carried]
    given: dict[int, Painting] = field(default_factory=dict)
    model: frozenset[int] = frozenset()


def judge(case: Case) -> dict[int, Painting]:
    """Paint of all carried drawings of a run, with doubt that means the same everywhere: a patch with doubt d at
    UNSURE_ABOVE is wrong in one case of eight, less below."""
    asked = Asked(case)
    for name in ROUNDS:
        forest = learnt(__package__, "paint.npz", name)
        found = {k: chances_by(forest, asked.features(k)) for k in case.carried}
        for k, chances in found.items():
            asked.say(k, chances)
    return asked.together(asked.chained({k: asked.painting(k) for k in case.carried}))


def chances_by(forest: Forest, features: NDArray[np.float32]) -> Chances:
    """(count + 1, pots) of (count + 1, pots, features)."""
    patches, pots, width = features.shape
    return expit(forest.scores(features.reshape(-1, width))[:, 0]).reshape(patches, pots).astype(np.float32)


class Asked:
    """The drawings of a run with what each patch is thought to be by now."""

    def __init__(self, case: Case) -> None:
        self._case = case
        painted = [painting for painting, _ in case.keys.values()] + list(case.given.values())
        self.pots = sorted({paint.pot for painting in painted for paint in painting.values()})
        self._column = {pot: k for k, pot in enumerate(self.pots)}
        self._order = sorted({*case.keys, *case.carried} - case.model)
        self._own_keys = [self._order.index(k) for k in case.keys if k not in case.model]
        self.now: dict[int, Chances] = {}
        for k, (painting, facts) in case.keys.items():
            self.now[k] = self._fixed(painting, np.zeros((facts.count + 1, len(self.pots)), np.float32))
        self._before: dict[int, Chances] = {}
        for k, carried in case.carried.items():
            chances = np.zeros((carried.facts.count + 1, len(self.pots)), np.float32)
            for row, pot in enumerate(carried.pots):
                if pot in self._column:
                    chances[:, self._column[pot]] = carried.chances[row]
            self._before[k] = chances
            self.say(k, chances.copy())
        self._model = _KeyFacts([(self.now[k], facts) for k, (_, facts) in case.keys.items()], len(self.pots))

    def say(self, k: int, chances: Chances) -> None:
        """Takes (count + 1, pots) chances for what the patches of a drawing are thought to be."""
        facts = self._case.carried[k].facts
        chances = chances / np.maximum(chances.sum(axis=1, keepdims=True), 1.0)
        chances[0] = 0
        if facts.background:
            chances[facts.background] = 0
            if NOTHING in self._column:
                chances[facts.background, self._column[NOTHING]] = 1
        self.now[k] = self._fixed(self._case.given.get(k, {}), chances)

    def _fixed(self, painting: Painting, chances: Chances) -> Chances:
        for patch, paint in painting.items():
            if not paint.unsure:
                chances[patch] = 0
                chances[patch, self._column[paint.pot]] = 1
        return chances

    def _links(self, source: int, target: int) -> Links | None:
        direct = self._case.carried[target].links.get(source)
        if direct is not None:
            return direct
        back = self._case.carried.get(source)
        turned = back.links.get(target) if back else None
        return turned.turned() if turned else None

    def _roles(self, k: int) -> tuple[list[list[int]], int]:
        """Drawings that are asked of drawing k: keys, the next one towards the nearest key, the next one away from it, those
        beyond; and how far the nearest key is."""
        at = self._order.index(k)
        keys = [j for j in self._case.keys if self._links(j, k) is not None]
        nearest = min(self._own_keys, key=lambda place: abs(place - at), default=at - _MODEL_FAR)
        way = 1 if nearest > at else -1

        def beside(step: int) -> list[int]:
            place = at + step
            return [self._order[place]] if 0 <= place < len(self._order) else []

        beyond = [j for j in beside(-2) + beside(2) if j not in self._case.keys]
        return [keys, beside(way), beside(-way), beyond], abs(nearest - at)

    def features(self, k: int) -> NDArray[np.float32]:
        """(count + 1, pots, features) what the forests are asked of each patch and pot."""
        carried = self._case.carried[k]
        facts, count, pots = carried.facts, carried.facts.count + 1, len(self.pots)
        roles, far = self._roles(k)
        said, known, kin = [], [], []
        for role in roles:
            best = np.zeros((count, len(MEASURES), pots), np.float32)
            heard, closest = np.zeros((count, 2), np.float32), 0.0
            for j in role:
                found = self._links(j, k)
                if found is None:
                    continue
                best = np.maximum(best, found.best(self.now[j], facts.count))
                sure = self.now[j].sum(axis=1)[found.source]
                likely = found.worth[:, 0]
                both = [np.bincount(found.target, likely * part, count) for part in (sure, 1 - sure)]
                heard = np.maximum(heard, np.stack(both, axis=1))
                closest = max(closest, found.kin)
            said.append(best)
            known.append(heard)
            kin.append(closest)
        every = np.concatenate(said, axis=1)
        mutual = np.sum([best[:, _MUTUAL] for best in said], axis=0)
        before, now = self._before[k], self.now[k]
        doubt = np.ones(count)
        for patch, paint in carried.painting.items():
            doubt[patch] = paint.doubt
        size = facts.shares
        of_patch = [
            np.log(np.maximum(facts.areas, 1) / facts.picture), size, facts.bare, facts.neighbours, doubt, carried.weight,
            *(heard[:, part] for heard in known[:3] for part in (0, 1)),
        ]  # fmt: skip
        of_run = [kin[0], kin[1], min(far, _FARTHEST), pots]
        of_pot = [self._model.share, self._model.many, np.array(self.pots) == NOTHING]
        of_both = [
            self._model.unlike(size), mutual, every[:, _MUTUAL :: len(MEASURES)].max(axis=1), _rival(mutual),
            before, _rival(before), *self._model.about(facts, now), now,
        ]  # fmt: skip
        shape = (count, pots)
        table = [*every.transpose(1, 0, 2), *_rival(every.transpose(1, 0, 2))]
        table += [np.broadcast_to(np.asarray(column, float)[:, None], shape) for column in of_patch]
        table += [np.full(shape, float(number)) for number in of_run]
        table += [np.broadcast_to(np.asarray(row, float)[None], shape) for row in of_pot]
        table += of_both
        return np.stack(table, axis=2).astype(np.float32)

    def painting(self, k: int) -> Painting:
        """What is thought by now as paint. Patches that nothing was carried to, and nothing speaks for now, stay open."""
        carried, given, chances = self._case.carried[k], self._case.given.get(k, {}), self.now[k]
        result: Painting = {}
        sources = self._sources(k)
        kin = max((found.kin for found in carried.links.values()), default=0.0)
        for patch in range(1, carried.facts.count + 1):
            if patch in given:
                continue
            before = carried.painting.get(patch)
            own = chances[patch]
            if patch == carried.facts.background or not len(own):
                if before is not None:
                    result[patch] = before
                continue
            ranked = np.argsort(-own, kind="stable")
            best = int(ranked[0])
            joins = None if own[best] >= SURE_FROM else self._joins(k, patch)
            if joins is not None:
                result[patch] = Paint(self.pots[joins], _JOINED, "carried")
                continue
            if before is None and own[best] < _SAID:
                continue
            paint = before or Paint(self.pots[best], by="carried")
            # In another pose only what is alike by itself convinces, whatever it goes well with.
            alone = 0.0 if own[best] >= _CONVINCES else 1 - kin
            doubt = max(doubt_of(float(own[best])), paint.doubt * (1.0 if paint.joined else alone))
            near = [int(c) for c in ranked[1 : 1 + _OTHERS] if own[c] > _WORTH * own[best]]
            source = sources.get((patch, best)) or (paint.source if paint.pot == self.pots[best] else None)
            result[patch] = replace(
                paint,
                pot=self.pots[best],
                doubt=doubt,
                source=source,
                others=tuple(self.pots[c] for c in near),
            )
        return result

    def _joins(self, k: int, patch: int) -> int | None:
        """The column of the neighbour's pot that a patch joins which is too small to be any form that it may be."""
        facts, chances = self._case.carried[k].facts, self.now[k]
        # Paper that shows through has no size of its own.
        form = np.array(self.pots) != NOTHING
        may_be = self._model.usual[(chances[patch] > _MAYBE) & form]
        tiny = facts.areas[patch] < _UNSEEN * facts.picture
        if not tiny or facts.shares[patch] >= may_be.min(initial=np.inf) + np.log(_SLIVER):
            return None
        meets = facts.touching[:, 0] == patch
        beside, along = facts.touching[meets, 1], facts.borders[meets]
        sure = chances[beside].max(axis=1) >= SURE_FROM
        border = np.bincount(chances[beside[sure]].argmax(axis=1), along[sure], len(self.pots))
        if not border.any():
            return None
        return int((border * (chances[patch] + _ANY)).argmax())

    def chained(self, paintings: Mapping[int, Painting]) -> dict[int, Painting]:
        """The paintings with what is in doubt about one thing named as carried from drawing to drawing, so that it is
        asked once."""
        result = {k: dict(painting) for k, painting in paintings.items()}
        for k, painting in paintings.items():
            found: dict[int, float] = {}
            for j in sorted({j for role in self._roles(k)[0][1:] for j in role} & paintings.keys()):
                seen = self._links(j, k)
                if seen is None:
                    continue
                for row in np.flatnonzero(seen.worth[:, _MUTUAL] > _SAME_THING):
                    there, here = int(seen.source[row]), int(seen.target[row])
                    paint, other = painting.get(here), paintings[j].get(there)
                    if paint is None or other is None or not (paint.unsure and other.unsure):
                        continue
                    if paint.pot == other.pot and seen.worth[row, _MUTUAL] > found.get(here, 0.0):
                        found[here] = float(seen.worth[row, _MUTUAL])
                        result[k][here] = replace(paint, source=(j, there))
        return result

    def together(self, paintings: Mapping[int, Painting]) -> dict[int, Painting]:
        """The paintings with what is in doubt named by those that are likely of one pot, so that they are asked about
        together. Leaks have no pot that could answer for all of them."""
        at = [
            (k, patch)
            for k, painting in paintings.items()
            for patch, paint in painting.items()
            if paint.unsure and not paint.joined
        ]
        area = {one: self._case.carried[one[0]].facts.areas[one[1]] for one in at}
        at = sorted(sorted(at, key=lambda one: -area[one])[:MOST])
        result = {k: dict(painting) for k, painting in paintings.items()}
        first: dict[int, tuple[int, int]] = {}
        for (k, patch), group in zip(at, groups(self.doubtful(at)).tolist(), strict=True):
            name = first.setdefault(group, (k, patch))
            result[k][patch] = replace(result[k][patch], asked_with=name)
        return result

    def doubtful(self, at: Sequence[tuple[int, int]]) -> Doubtful:
        """What is known of patches in doubt. at: (drawing, patch) of each."""
        carried = self._case.carried
        facts = {k: found.facts for k, found in carried.items()}
        links = {(j, k): seen for k, found in carried.items() for j, seen in found.links.items()}
        return doubtful(at, facts, self.now, links)

    def _sources(self, k: int) -> dict[tuple[int, int], tuple[int, int]]:
        """(patch, column of the pot) -> the drawing and patch that say most for it."""
        found: dict[tuple[int, int], tuple[float, tuple[int, int]]] = {}
        for j in sorted({j for role in self._roles(k)[0] for j in role}):
            seen = self._links(j, k)
            if seen is None:
                continue
            column = self.now[j][seen.source].argmax(axis=1)
            worth = seen.worth[:, _MUTUAL] * self.now[j][seen.source, column]
            for row in np.flatnonzero(worth > 0):
                at = (int(seen.target[row]), int(column[row]))
                if worth[row] > found.get(at, (0.0, (0, 0)))[0]:
                    found[at] = (float(worth[row]), (j, int(seen.source[row])))
        return {at: source for at, (_, source) in found.items()}


def doubt_of(chance: float) -> float:
    """Doubt of paint that is right by this chance: UNSURE_ABOVE at SURE_FROM, 1 where nothing speaks for it."""
    if chance >= SURE_FROM:
        return (1 - chance) / (1 - SURE_FROM) * UNSURE_ABOVE
    return UNSURE_ABOVE + (SURE_FROM - chance) / SURE_FROM * (1 - UNSURE_ABOVE)


def _rival(values: NDArray[np.floating]) -> NDArray[np.floating]:
    """The best of the other pots, for each pot on the last axis; 0 for the only one."""
    if values.shape[-1] < 2:
        return np.zeros_like(values)
    two = np.partition(values, -2, axis=-1)
    first, second = two[..., -1:], two[..., -2:-1]
    return np.where(values >= first, second, first)


class _KeyFacts:
    """What painted drawings show of pots: how large their patches are (`usual`: the logarithm of the share of the figure that
    the middle one has, infinite where none shows it), and which touch which.

    drawings: (count + 1, pots) certain pots, and facts.
    """

    def __init__(self, drawings: list[tuple[Chances, Facts]], pots: int) -> None:
        self._sizes: list[list[float]] = [[] for _ in range(pots)]
        touch = np.zeros((pots, pots))
        self.share = np.zeros(pots)
        for chances, facts in drawings:
            size = facts.shares
            for patch, pot in np.argwhere(chances > 0):
                if patch != facts.background:
                    self._sizes[pot].append(float(size[patch]))
                    self.share[pot] += np.exp(size[patch]) / len(drawings)
            a, b = facts.touching.T
            touch += (chances[a] * np.sqrt(facts.borders)[:, None]).T @ chances[b]
        self.usual = np.array([np.median(sizes) if sizes else np.inf for sizes in self._sizes])
        self.many = np.log1p([len(sizes) / max(len(drawings), 1) for sizes in self._sizes])
        every, total = touch.sum(axis=1), max(touch.sum(), 1e-9)
        chance = np.outer(every, every) / total
        self._likelier = np.log((touch + _RARE * chance + 1e-6) / ((1 + _RARE) * chance + 1e-6))
        self._beside = touch / np.maximum(touch.sum(axis=0, keepdims=True), 1e-9)

    def unlike(self, size: NDArray[np.float64]) -> NDArray[np.float64]:
        """(patches, pots) difference from the most alike patch of each pot, in logarithms of shares of the figure."""
        found = np.full((len(size), len(self._sizes)), _UNLIKE)
        for pot, sizes in enumerate(self._sizes):
            if sizes:
                known = np.sort(sizes)
                place = np.clip(np.searchsorted(known, size), 1, max(len(known) - 1, 1))
                near = np.stack(
                    [known[np.minimum(place - 1, len(known) - 1)], known[np.minimum(place, len(known) - 1)]]
                )
                found[:, pot] = np.minimum(np.abs(near - size).min(axis=0), _UNLIKE)
        return found

    def about(self, facts: Facts, now: Chances) -> list[NDArray[np.float64]]:
        """(patches, pots) each: what the neighbours of a patch say of its pot by which pots touch in the keys: likelier
        than by chance in the mean, how often, how much of the border is that pot already, and the worst neighbour."""
        count, pots = now.shape
        a, b = facts.touching.T
        beside = facts.beside(now)
        worst = np.full((count, pots), np.inf)
        np.minimum.at(worst, a, now[b] @ self._likelier.T)
        worst[~np.isfinite(worst)] = 0
        return [beside @ self._likelier.T, beside @ self._beside.T, beside, worst]
