"""How far one clean key carries: the demo shot Stair lined by fitting a key to the other roughs.

Prints per drawing how much of the drawn length lies on the true line, how much of the true line is drawn, and how many
strokes ask for a hand. Run by hand: .venv/bin/python bench/one_key.py [NUMBER OF KEY ...]
"""

from __future__ import annotations

import sys

import numpy as np
from scipy.spatial import cKDTree

from schoon.core.cleanup import propose_strokes
from schoon.core.run import cut_at_doubt, fit_to
from schoon.core.strokes import Stroke, resample, sample
from schoon.demo.load import with_parts
from schoon.demo.shots import SIZE, stair

_NEAR = 6.0
"""Px within which a line lies on the true one."""


def score(strokes: list[Stroke], truth: list[np.ndarray]) -> tuple[float, float]:
    """(precision, recall) of drawn length."""
    drawn = np.vstack([resample(sample(s)[0], 2) for s in strokes])
    true = np.vstack([resample(line, 2) for line in truth])
    return (
        float((cKDTree(true).query(drawn)[0] < _NEAR).mean()),
        float((cKDTree(drawn).query(true)[0] < _NEAR).mean()),
    )


def main(keys: list[int]) -> None:
    drawings = stair()
    truths = [d.truth() for d in drawings]
    found = [propose_strokes(d.rough()) for d in drawings]
    numbers = [d.number for d in drawings]
    asks, total = 0, 0
    for k, truth in enumerate(truths):
        if numbers[k] in keys:
            continue
        key = min(keys, key=lambda n: abs(n - numbers[k]))
        start = numbers.index(key)
        strokes = with_parts(found[start], truths[start])
        step = 1 if k > start else -1
        for j in range(start + step, k + step, step):
            result = fit_to(strokes, found[j], SIZE)
            strokes = result.strokes
        pieces = cut_at_doubt(strokes, found[k], SIZE)
        sure = [s for s in pieces if s.confidence >= 0.5]
        doubtful = len(pieces) - len(sure) + len(result.new)
        precision, recall = score([*sure, *result.new], truth.lines)
        asks += doubtful
        total += len(sure) + len(result.new)
        print(
            f"drawing {numbers[k]:2} from key {key:2}: on the line {precision:.3f}, drawn {recall:.3f}, in doubt {doubtful}"
        )
    print(f"{asks} of {total} strokes ask for a hand ({asks / total:.0%})")


if __name__ == "__main__":
    main([int(v) for v in sys.argv[1:]] or [1])
