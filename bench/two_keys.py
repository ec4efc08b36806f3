"""What is left for a person when the demo shot Stair is painted from a few keys: its own lines, gaps and carried paint.

Prints per drawing how many patches are asked about, and how many are wrong without a word; then the sum of decisions:
patches poured in the keys, questions, and wrong ones that have to be found. Run by hand:
.venv/bin/python bench/two_keys.py [NUMBER OF KEY ...]
"""

from __future__ import annotations

import sys

import numpy as np

from schoon.core.cleanup import propose_strokes
from schoon.core.paint import NOTHING, Paint, carry, questions, unsure_in
from schoon.core.patches import Patches, find_patches, most_of, wall_of
from schoon.core.seal import propose_stitches
from schoon.core.strokes import walls
from schoon.demo.load import poured
from schoon.demo.shots import SIZE, stair
from schoon.work.documents import SPECKS

_CLEAR = 0.8
"""Share of a patch that one pot must have for the patch to have a right answer."""


def answered(patches: Patches, truth_pots: np.ndarray) -> np.ndarray:
    """(count + 1,) whether one pot covers most of each patch; the others run together and cannot be painted right."""
    return np.asarray(most_of(patches, truth_pots)[1] >= _CLEAR)


def main(keys: list[int]) -> None:
    drawings = stair()
    truths = [d.truth() for d in drawings]
    names = sorted({name for truth in truths for name in truth.names})
    pots = {name: k for k, name in enumerate(names)}
    patches = []
    for drawing in drawings:
        strokes = propose_strokes(drawing.rough())
        taken = [s.points for s in propose_stitches(walls(strokes, SIZE)) if s.state == "taken"]
        patches.append(find_patches(wall_of(strokes, taken, SIZE), SPECKS))
    right = [poured(found, truth, pots) for found, truth in zip(patches, truths, strict=True)]
    painted = {k: dict(right[k]) for k, d in enumerate(drawings) if d.number in keys}
    for k, painting in painted.items():
        painting[patches[k].background] = Paint(NOTHING)
    result = carry(patches, painted)
    asked = silent = total = together = needless = 0
    for k, drawing in enumerate(drawings):
        if k in painted:
            continue
        clear = answered(patches[k], truths[k].pots)
        wrong = [n for n, paint in right[k].items() if n not in result[k] or result[k][n].pot != paint.pot]
        unsure = [n for n in right[k] if n not in result[k] or result[k][n].unsure]
        quiet = [n for n in wrong if n not in unsure and clear[n]]
        asked, silent, total = asked + len(unsure), silent + len(quiet), total + len(right[k])
        needless += sum(n not in wrong for n in unsure)
        together += int(sum(not clear[n] for n in right[k]))
        print(
            f"drawing {drawing.number:2}: {len(right[k])} patches, {len(unsure)} asked, {len(quiet)} silently wrong"
        )
    poured_by_hand = sum(len(right[k]) for k in painted)
    cards = len(questions(unsure_in(result, {k: r for k, r in enumerate(right) if k not in painted})))
    print(
        f"keys {keys}: {poured_by_hand} patches poured, {asked} of {total} asked ({needless} of them were right) in"
        f" {cards} questions, {silent} silently wrong, {together} run together;"
        f" {poured_by_hand + cards + silent} decisions instead of {poured_by_hand + total}"
    )


if __name__ == "__main__":
    main([int(v) for v in sys.argv[1:]] or [4, 12])
