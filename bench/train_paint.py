"""Teaches what a patch is painted with, once a whole run was carried: writes schoon/core/paint/paint.npz.

Run by hand: pip install scikit-learn; python bench/train_paint.py BENCH_FOLDER
It learns from the bench's runs (`paint`, `paint2`) and from runs of made figures (`figures.py`). Before it writes anything
it prints what it is worth on runs left out, before and after judging, and how often a patch that nobody is asked about
is right.
"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from figures import made
from train_marks import numbers

from schoon.core.paint import NOTHING, Case, Paint, Painting, Run, facts_of, painting_for, parting_of
from schoon.core.paint.judging import MEASURES, ROUNDS, SURE_FROM, Asked
from schoon.core.patches import Patches, find_patches, most_of
from schoon.formats.pictures import decode

FOLDS = 4
MADE_COUNTS = 0.6
"""What a run of made figures counts beside one of the bench."""

EASY, EASY_KEPT = 0.05, 0.25
"""A pot for which no measure says more than this is learnt from now and then only."""

SAID = 4 * len(MEASURES)
"""Features that are measures themselves: of the keys, both neighbours in time and what lies beyond."""

CLEAR = 0.8
"""Share of a patch that one pot must have for the patch to have a right answer."""

OUT = Path(__file__).resolve().parent.parent / "schoon/core/paint/paint.npz"


@dataclass
class Known:
    """A run, carried from its first drawing, with its truth. right: drawing -> (patches, pots)."""

    kind: str
    case: Case
    right: dict[int, tuple[np.ndarray, np.ndarray]]


def carried(drawings: Sequence[Patches], key: Painting) -> Case:
    """A run carried from its first drawing, not judged yet."""
    run = Run([d.count for d in drawings], {0: key})
    parting = parting_of([(drawings[0], key)])
    for step in run.steps():
        run.take(step, painting_for(step, {k: drawings[k] for k in step.needs()}, parting))
    return run.case({0: facts_of(drawings[0])})


def known(
    kind: str, drawings: Sequence[Patches], pots: Sequence[np.ndarray], scored: Sequence[np.ndarray]
) -> Known:
    """pots: (h, w) true pot of each pixel. scored: (h, w) where the truth is sure."""
    right: dict[int, tuple[np.ndarray, np.ndarray]] = {}
    key: Painting = {}
    for k, (patches, true, sure) in enumerate(zip(drawings, pots, scored, strict=True)):
        best, share = most_of(patches, true)
        outside = np.bincount(patches.open_labels.ravel(), ~sure.ravel(), patches.count + 1)
        if k == 0:
            key = {p: Paint(int(best[p])) for p in range(1, patches.count + 1)}
        clear = (share >= CLEAR) & (patches.areas >= 40) & (outside == 0)
        clear[[0, patches.background]] = False
        right[k] = (np.flatnonzero(clear), best[clear])
    del right[0]
    return Known(kind, carried(drawings, key), right)


def of_bench(folder: Path) -> Known:
    """A run of the bench."""
    cv2.setNumThreads(1)
    drawings, pots, scored = [], [], []
    for path in sorted((folder / "lines").glob("*.png")):
        drawings.append(find_patches(decode(path.name, path.read_bytes())[..., :3].min(axis=2) <= 127))
        true = folder / "truth" / path.name
        rgba = decode(true.name, true.read_bytes()).astype(np.int64)
        pots.append(
            np.where(rgba[..., 3] > 0, rgba[..., 0] << 16 | rgba[..., 1] << 8 | rgba[..., 2], NOTHING)
        )
        score = cv2.imread(str(true.with_suffix(".score.png")), 0)
        scored.append(score > 0)
    return known(f"{folder.parent.name} {folder.name.rstrip('0123456789')}", drawings, pots, scored)


def of_figures(seed: int) -> Known:
    """A run of made figures."""
    cv2.setNumThreads(1)
    drawings, pots = made(seed)
    return known("made", drawings, pots, [np.ones(p.shape, bool) for p in pots])


def rows(run: Known, asked: Asked) -> tuple[np.ndarray, np.ndarray, dict[int, np.ndarray]]:
    """What the forests are asked of the patches whose truth is known, the answers, and all that is asked by drawing."""
    every = {k: asked.features(k) for k in run.case.carried}
    questions, answers = [], []
    for k, (patches, pots) in run.right.items():
        if k in every and len(patches):
            questions.append(every[k][patches].reshape(-1, every[k].shape[2]))
            answers.append((pots[:, None] == np.array(asked.pots)[None]).ravel())
    return np.concatenate(questions), np.concatenate(answers), every


def forest(found: list[tuple[np.ndarray, np.ndarray]], weight: list[float]) -> Any:
    """Learns which pot is right."""
    from sklearn.ensemble import HistGradientBoostingClassifier

    questions, answers = (np.concatenate([f[k] for f in found]) for k in (0, 1))
    weights = np.concatenate([np.full(len(f[1]), w) for f, w in zip(found, weight, strict=True)])
    easy = ~answers & (questions[:, :SAID].max(axis=1) < EASY)
    keep = ~easy | (np.random.default_rng(0).random(len(easy)) < EASY_KEPT)
    weights = np.where(easy, weights / EASY_KEPT, weights)
    model = HistGradientBoostingClassifier(
        max_iter=90, max_leaf_nodes=10, learning_rate=0.1, l2_regularization=3.0, min_samples_leaf=40, random_state=0
    )  # fmt: skip
    return model.fit(questions[keep], answers[keep], sample_weight=weights[keep])


def answered(model: Any, features: np.ndarray) -> np.ndarray:
    patches, pots, width = features.shape
    return model.predict_proba(features.reshape(-1, width))[:, 1].reshape(patches, pots).astype(np.float32)


def report(runs: list[Known], all_asked: list[Asked], name: str) -> None:
    """Prints per kind of run the share of right patches and the worst run, and what is sure and right of that."""
    print(name)
    for kind in sorted({r.kind for r in runs}):
        right, chance, each = [], [], []
        for run, asked in zip(runs, all_asked, strict=True):
            if run.kind != kind:
                continue
            ok = []
            for k, (patches, pots) in run.right.items():
                now = asked.now[k][patches]
                ok.append(np.array(asked.pots)[now.argmax(axis=1)] == pots)
                chance.append(now.max(axis=1))
            each.append(np.concatenate(ok).mean())
            right += ok
        r, c = np.concatenate(right), np.concatenate(chance)
        sure = c >= SURE_FROM
        print(
            f"  {kind:14} right {np.mean(each):.3f}, worst run {min(each):.3f}; sure {sure.mean():.3f}, right of these {r[sure].mean():.4f}"
        )


def learn(runs: list[Known]) -> list[Any]:
    """Forests for each round, taught on all runs; prints what such forests are worth on runs left out."""
    weight = [(MADE_COUNTS if r.kind == "made" else 1.0) for r in runs]
    fold = np.array([sum(o.kind == r.kind for o in runs[:k]) for k, r in enumerate(runs)]) % FOLDS
    fold = (fold + np.unique([r.kind for r in runs], return_inverse=True)[1]) % FOLDS
    left_out = [Asked(r.case) for r in runs]
    report(runs, left_out, "carried")
    models = []
    for name in ROUNDS:
        found = [rows(run, asked) for run, asked in zip(runs, left_out, strict=True)]
        weights = [w / np.sqrt(max(len(f[1]), 1)) for w, f in zip(weight, found, strict=True)]
        pairs = [f[:2] for f in found]
        for out in range(FOLDS):
            own = [k for k in range(len(runs)) if fold[k] != out]
            model = forest([pairs[k] for k in own], [weights[k] for k in own])
            for k in np.flatnonzero(fold == out):
                for drawing, features in found[k][2].items():
                    left_out[k].say(drawing, answered(model, features))
        report(runs, left_out, f"{name} round, left out")
        # The next round is taught on what this one says of runs it has not seen.
        models.append(forest(pairs, weights))
    return models


def main() -> None:
    """Measures, learns, writes."""
    wants = argparse.ArgumentParser()
    wants.add_argument("bench", type=Path)
    wants.add_argument("--made", type=int, default=24, help="runs of made figures")
    wants.add_argument("--jobs", type=int, default=2)
    asked = wants.parse_args()
    folders = [
        p.parent
        for name in ("paint", "paint2")
        for p in sorted((asked.bench / "data" / name).glob("*/lines"))
    ]
    with ProcessPoolExecutor(asked.jobs) as workers:
        runs = [*workers.map(of_bench, folders), *workers.map(of_figures, range(asked.made))]
    models = learn(runs)
    np.savez_compressed(
        OUT,
        **{k: v for name, model in zip(ROUNDS, models, strict=True) for k, v in numbers(name, model).items()},
    )
    print(f"{OUT} written, {OUT.stat().st_size / 1000:.0f} kB")


if __name__ == "__main__":
    main()
