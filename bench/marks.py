"""What reading roughs is worth, beyond the scores of the bench: prints

- what the drawn length that is no line is made of, with everything that is traced drawn and with marks told apart,
  on roughs whose marks are all known;
- how often a stroke that is called sure is right, on the bench's roughs;
- what one scribble, and one drawing whose lines are finished, are worth to the other drawings.

Run by hand: python bench/marks.py BENCH_FOLDER [--forest FILE]. FILE holds forests that were taught without what is
measured here (`train_marks.py` prints left-out figures itself); without it the shipped ones are asked.
"""

from __future__ import annotations

import argparse
import itertools
import json
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import partial
from pathlib import Path

import cv2
import numpy as np
from scipy.spatial import cKDTree

from schoon.core.cleanup import (
    KINDS,
    CleanupSettings,
    Lesson,
    Proposal,
    Said,
    lessons,
    lessons_in,
    read_rough,
)
from schoon.core.forest import read
from schoon.core.strokes import Points, Stroke, fit_curve, resample, sample
from schoon.core.strokes.model import DOUBT_BELOW
from schoon.demo.marks import KINDS as DRAWN
from schoon.demo.marks import Manner, Marked, marked_rough
from schoon.demo.shots import lookout, stair
from schoon.formats.pictures import decode

NEAR = 5.0
"""Px within which what is drawn lies on a true line."""

DOUBLE = 14.0
"""Px from a true line within which extra length that is nothing else is a line drawn twice."""

SIZE = (1920, 1080)


def ask(file: Path | None) -> None:
    """Has another forest asked in this process."""
    cv2.setNumThreads(1)
    if file is not None:
        own = {name: read(file.read_bytes(), name) for name in ("line", "among", "kind")}
        lessons.learnt = own.__getitem__  # type: ignore[assignment]


def lines_of(strokes: list[Stroke]) -> list[Points]:
    return [resample(sample(s)[0], 2.0) for s in strokes]


def f1(found: Proposal, truth: list[Points]) -> float:
    true = np.vstack([resample(p, 2.0) for p in truth])
    drawn = lines_of(found.strokes)
    if not drawn:
        return 0.0
    own = np.vstack(drawn)
    precision = float((cKDTree(true).query(own)[0] <= NEAR).mean())
    recall = float((cKDTree(own).query(true)[0] <= NEAR).mean())
    return 2 * precision * recall / max(precision + recall, 1e-9)


def made_of(found: Proposal, rough: Marked) -> dict[str, float]:
    """Drawn length beyond the true lines in shares of these, by what lies under it."""
    truth = np.vstack([resample(p, 2.0) for p in rough.lines])
    own = np.vstack([np.zeros((0, 2)), *lines_of(found.strokes)])
    away = cKDTree(truth).query(own)[0]
    grown = cv2.dilate((rough.kinds + 1).astype(np.uint8), np.ones((7, 7), np.uint8)).astype(int) - 1
    limits = np.array(rough.kinds.shape)[::-1] - 1
    column, row = np.clip(np.floor(own).astype(int), 0, limits).T
    kind = grown[row, column]
    extra = away > NEAR
    shares = {name: float((extra & (kind == DRAWN.index(name))).sum()) / len(truth) for name in KINDS}
    rest = extra & (kind <= 0)
    shares["double"] = float((rest & (away <= DOUBLE)).sum()) / len(truth)
    shares["grain"] = float((rest & (away > DOUBLE)).sum()) / len(truth)
    return shares


def figures() -> list[list[Points]]:
    return [[np.asarray(line, float) for line in d.truth().lines] for d in [*stair(), *lookout()]]


def known_marks(seed: int) -> tuple[dict[str, float], dict[str, float]]:
    """What extra length is made of: everything traced, and told apart."""
    random = np.random.default_rng(5000 + seed)
    look = replace(Manner.any(random), construction=6, hatching=2, notes=2, dirt=1)
    rough = marked_rough(figures()[seed % 24], SIZE, look, random)
    everything = read_rough(rough.picture, CleanupSettings(keep=KINDS))
    return made_of(everything, rough), made_of(read_rough(rough.picture), rough)


def doubts(path: Path) -> list[tuple[float, float, float]]:
    """(confidence, length, of it right) of each stroke of a bench rough."""
    truth = json.loads((path.parent.parent / "truth" / f"{path.stem}.json").read_text())
    tree = cKDTree(np.vstack([resample(np.array(p, float), 2.0) for p in truth if len(p) > 1]))
    found = read_rough(decode(path.name, path.read_bytes())).strokes
    drawn = lines_of(found)
    return [
        (s.confidence, 2.0 * len(p), 2.0 * int((tree.query(p)[0] <= NEAR).sum()))
        for s, p in zip(found, drawn, strict=True)
    ]


def one_scribble(hand: int) -> tuple[str, float, float]:
    """Three drawings of one hand, a scribble over the longest mistake of the first: f1 of the others, before, after."""
    random = np.random.default_rng(900 + hand)
    what = hand % 3
    look = replace(
        Manner.any(random), construction=(9, 0, 6)[what], hatching=(0, 4, 3)[what], coloured=False, dark=False,
        notes=1, looseness=0.05,
    )  # fmt: skip
    roughs = [
        marked_rough(figures()[(5 * hand + k) % 24], SIZE, look, np.random.default_rng(70_000 + hand))
        for k in range(3)
    ]
    first = roughs[0]
    said = longest_mistake(read_rough(first.picture), first)
    if said is None:
        return "nothing", np.nan, np.nan
    known = lessons_in(first.picture, said=[said])
    before = [f1(read_rough(r.picture), r.lines) for r in roughs[1:]]
    after = [f1(read_rough(r.picture, lessons=known), r.lines) for r in roughs[1:]]
    return said.kind, float(np.mean(before)), float(np.mean(after))


def longest_mistake(found: Proposal, rough: Marked) -> Said | None:
    tree = cKDTree(np.vstack([resample(p, 2.0) for p in rough.lines]))
    grown = cv2.dilate((rough.kinds + 1).astype(np.uint8), np.ones((5, 5), np.uint8)).astype(int) - 1
    best, most = None, 20
    for path in lines_of(found.strokes):
        path = longest_run(path, tree.query(path)[0] > NEAR)
        if len(path) > most:
            column, row = np.clip(path.astype(int), 0, np.array(SIZE) - 1).T
            kinds = grown[row, column]
            kinds = kinds[kinds > 0]
            name = DRAWN[int(np.bincount(kinds).argmax())] if len(kinds) else "dirt"
            best, most = Said(name, path, 12.0), len(path)
    for mark in found.others:
        path = resample(mark.points, 2.0) if len(mark.points) > 1 else mark.points
        path = longest_run(path, tree.query(path)[0] < 3)
        if len(path) > most:
            best, most = Said("line", path, 12.0), len(path)
    return best


def longest_run(path: Points, wrong: np.ndarray) -> Points:
    bounds = np.r_[0, np.flatnonzero(np.diff(wrong.astype(int))) + 1, len(path)]
    runs = [path[a:b] for a, b in itertools.pairwise(bounds) if wrong[a]]
    return max(runs, key=len, default=path[:0])


def taught(work: tuple[str, int, list[Lesson]]) -> tuple[str, float, float]:
    """f1 of a drawing of the demo, before and after its run's first one has taught."""
    name, number, known = work
    drawing = {"Stair": stair, "Lookout": lookout}[name]()[number]
    truth = [np.asarray(line, float) for line in drawing.truth().lines]
    rough = drawing.rough()
    return name, f1(read_rough(rough), truth), f1(read_rough(rough, lessons=known), truth)


def first_of(name: str) -> list[Lesson]:
    drawing = {"Stair": stair, "Lookout": lookout}[name]()[0]
    strokes = []
    for line in drawing.truth().lines:
        controls, knots = fit_curve(np.asarray(line, float), 0.5)
        strokes.append(Stroke(controls, np.full(len(knots), 4.0)))
    return lessons_in(drawing.rough(), strokes=strokes)


def main() -> None:
    """Measures and prints."""
    wants = argparse.ArgumentParser()
    wants.add_argument("bench", type=Path)
    wants.add_argument("--forest", type=Path)
    wants.add_argument("--jobs", type=int, default=2)
    asked = wants.parse_args()
    pool = partial(ProcessPoolExecutor, asked.jobs, initializer=ask, initargs=(asked.forest,))
    with pool() as workers:
        both = list(workers.map(known_marks, range(24)))
        print("extra length in shares of the true, everything drawn -> told apart")
        for name in both[0][0]:
            before, after = (np.mean([b[k][name] for b in both]) for k in (0, 1))
            print(f"  {name:13} {before:.3f} -> {after:.3f}")
        for data in ("clean", "clean2"):
            paths = sorted((asked.bench / "data" / data / "in").glob("*.png"))
            table = np.array([row for rows in workers.map(doubts, paths) for row in rows])
            for low in (0.5, 0.7, DOUBT_BELOW, 0.9, 0.95):
                sure = table[table[:, 0] >= low]
                share, right = sure[:, 1].sum() / table[:, 1].sum(), sure[:, 2].sum() / sure[:, 1].sum()
                print(
                    f"{data:7} sure from {low:.2f}: {share:.3f} of the drawn length, {right:.4f} of it right"
                )
        rows = [row for row in workers.map(one_scribble, range(9)) if row[0] != "nothing"]
        for kind, before, after in rows:
            print(f"one scribble ({kind}): f1 of the others {before:.3f} -> {after:.3f}")
        print(f"  mean {np.mean([r[1] for r in rows]):.3f} -> {np.mean([r[2] for r in rows]):.3f}")
        known = dict(zip(("Stair", "Lookout"), workers.map(first_of, ("Stair", "Lookout")), strict=True))
        runs = [(n, k, known[n]) for n, count in (("Stair", 16), ("Lookout", 8)) for k in range(1, count)]
        found = list(workers.map(taught, runs))
        for name in known:
            before, after = (np.mean([r[k] for r in found if r[0] == name]) for k in (1, 2))
            print(f"{name} read with its first drawing: f1 of the others {before:.3f} -> {after:.3f}")


if __name__ == "__main__":
    main()
