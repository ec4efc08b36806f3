"""Carrying paint from painted drawings to the others of a run."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from ..patches import Patches
from .deciding import Source, decide, pots_known
from .painting import Painting
from .parting import Parting

MOST_PATCHES = 2500
"""Patches of a drawing beyond which nothing is carried: grain or hatching was taken for areas."""


def carry(
    drawings: Sequence[Patches],
    painted: Mapping[int, Painting],
    progress: Callable[[int, Painting], None] | None = None,
) -> dict[int, Painting]:
    """Paint for every drawing of a run.

    drawings: the patches of each drawing in order. painted: for the painted ones, patch -> Paint; what is
    missing in a drawing given here is filled in, what is given is never changed.
    progress: called with each finished drawing's index and painting.
    Drawings of more than MOST_PATCHES keep what they have and guide no others.
    Returns index -> painting for all drawings. Raises ValueError without a painted drawing.
    """
    crowded = {k for k, patches in enumerate(drawings) if patches.count > MOST_PATCHES}
    given = painted
    painted = {k: painting for k, painting in painted.items() if k not in crowded}
    shares = {k: len(painting) / max(drawings[k].count, 1) for k, painting in painted.items() if painting}
    if not shares:
        raise ValueError("at least one drawing must be painted")
    # A drawing with a few corrections is no guide for all its patches; one painted by half is.
    keys = sorted(k for k, share in shares.items() if share >= min(0.5, max(shares.values())))
    parting = Parting([(drawings[k], pots_known(painting, drawings[k])) for k, painting in painted.items()])
    done: dict[int, Painting] = {}
    order = sorted(set(range(len(drawings))) - crowded, key=lambda k: (min(abs(k - key) for key in keys), k))
    for index in order:
        own = dict(painted.get(index, {}))
        if len(own) < drawings[index].count:
            sources = [
                Source(k, drawings[k], done.get(k, painted.get(k, {})), trust, k not in keys)
                for k, trust in _sources(index, keys, done)
            ]
            own.update(decide(drawings[index], own, sources, parting))
        done[index] = own
        if progress:
            progress(index, own)
    for index in sorted(crowded):
        done[index] = dict(given.get(index, {}))
        if progress:
            progress(index, done[index])
    return done


def _sources(index: int, keys: Sequence[int], done: Mapping[int, Painting]) -> list[tuple[int, float]]:
    """Drawings to ask, with how much each counts: the nearest keys on both sides and the finished neighbours."""
    before = [k for k in keys if k < index][-1:]
    after = [k for k in keys if k > index][:1]
    asked: dict[int, float] = {}
    nearest = min((abs(key - index) for key in before + after), default=1)
    for key in before + after:
        far = abs(key - index)
        # Where keys disagree the nearer one is right more often.
        asked[key] = (nearest / far) ** 0.7 / (1.0 + 0.15 * (far - 1))
    for step, trust in ((1, 1.0), (2, 0.6)):
        for near in (index - step, index + step):
            if near in done:
                asked[near] = max(asked.get(near, 0.0), trust)
    return sorted(asked.items())
