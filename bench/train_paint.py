"""Teaches which patches are the same thing, what a patch is painted with once a whole run was carried, and which of those
in doubt are asked about together: writes schoon/core/paint/same.npz and schoon/core/paint/paint.npz.

Run by hand: pip install lightgbm; python bench/train_paint.py BENCH_FOLDER
It learns from the bench's runs (`paint`, `paint2`), each carried from its first drawing and from its last, and from runs of
made figures (`figures.py`). Runs are carried twice: to learn which patches are the same, and then, with forests that have not
seen the subject, to learn what they are painted with. Before it writes anything it prints what it is worth on subjects left
out, before and after judging, how often a patch that nobody is asked about is right, and how many questions are left.
"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any, NamedTuple

import cv2
import numpy as np
from figures import made

from schoon.core.forest import read
from schoon.core.paint import (
    NOTHING,
    Case,
    Facts,
    Paint,
    Painting,
    Run,
    alike,
    facts_of,
    painting_for,
    parting_of,
)
from schoon.core.paint import same as pairs
from schoon.core.paint.judging import MEASURES, ROUNDS, SURE_FROM, Asked
from schoon.core.paint.links import Links
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

UNKNOWN = NOTHING - 1
"""Pot of a patch that has no right answer."""

OUT = Path(__file__).resolve().parent.parent / "schoon/core/paint"

Forests = dict[str, np.ndarray]
"""Forests as they are written to a file."""


@dataclass(frozen=True)
class Subject:
    """What is carried: a run of the bench, from its first drawing or its last, or one of made figures by its seed."""

    kind: str
    folder: Path | None = None
    seed: int = 0
    backwards: bool = False


class Pair(NamedTuple):
    """Two drawings that were matched. one_pot: (k,) which links are of one pot; known: (k,) whether that is known."""

    links: Links
    source: Facts
    target: Facts
    one_pot: np.ndarray
    known: np.ndarray


@dataclass
class Known:
    """A run, carried from its first drawing, with its truth. right: drawing -> (patches, pots)."""

    kind: str
    case: Case
    right: dict[int, tuple[np.ndarray, np.ndarray]]

    def facts(self, k: int) -> Facts:
        return self.case.keys[k][1] if k in self.case.keys else self.case.carried[k].facts

    def pots(self, k: int) -> np.ndarray:
        """(count + 1,) the right pot of each patch, UNKNOWN where there is none."""
        found = np.full(self.facts(k).count + 1, UNKNOWN, np.int64)
        if k in self.right:
            patches, pots = self.right[k]
            found[patches] = pots
        for patch, paint in self.case.keys.get(k, ({}, None))[0].items():
            found[patch] = paint.pot
        return found

    def pairs(self) -> list[Pair]:
        """Each two drawings that were matched."""
        found = []
        for k, carried in self.case.carried.items():
            for j, seen in carried.links.items():
                one, other = self.pots(j)[seen.source], self.pots(k)[seen.target]
                sure = (one != UNKNOWN) & (other != UNKNOWN)
                found.append(Pair(seen, self.facts(j), carried.facts, one == other, sure))
        return found


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


def of(subject: Subject, taught: bytes | None = None) -> Known:
    """A run. taught: forests that say which patches are the same; the first measure says it without."""
    cv2.setNumThreads(1)
    found = tuple(read(taught, name) for name in pairs.ROUNDS) if taught else ()
    pairs.forests = lambda: found  # type: ignore[assignment]
    return of_figures(subject) if subject.folder is None else of_bench(subject, subject.folder)


def of_bench(subject: Subject, folder: Path) -> Known:
    """A run of the bench."""
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
    way = -1 if subject.backwards else 1
    return known(subject.kind, drawings[::way], pots[::way], scored[::way])


def of_figures(subject: Subject) -> Known:
    """A run of made figures."""
    drawings, pots = made(subject.seed)
    return known(subject.kind, drawings, pots, [np.ones(p.shape, bool) for p in pots])


def trees(questions: np.ndarray, answers: np.ndarray, weights: np.ndarray, many: int, leaves: int) -> Any:
    """A forest that learns answers."""
    from lightgbm import LGBMClassifier

    model = LGBMClassifier(
        n_estimators=many, num_leaves=leaves, learning_rate=0.1, reg_lambda=3.0, min_child_samples=40, random_state=0, verbose=-1
    )  # fmt: skip
    return model.fit(questions, answers, sample_weight=weights / weights.mean())


def numbers(name: str, model: Any) -> Forests:
    """A forest of LightGBM as `core.forest` reads it."""
    every = []
    dumped = getattr(model, "booster_", model).dump_model()
    for tree in dumped["tree_info"]:
        nodes: list[list[float]] = []

        def taken(node: dict[str, Any], nodes: list[list[float]] = nodes) -> int:
            at = len(nodes)
            nodes.append([0, 0, 0, 0, node.get("leaf_value", 0.0)])
            if "leaf_value" not in node:
                nodes[at][:2] = node["split_feature"], node["threshold"]
                nodes[at][2:4] = taken(node["left_child"]), taken(node["right_child"])
            return at

        taken(tree["tree_structure"])
        every.append(np.array(nodes, float))
    most = max(len(nodes) for nodes in every)
    table = np.stack([np.pad(nodes, ((0, most - len(nodes)), (0, 0))) for nodes in every])
    kinds = {"feature": "i2", "below": "f4", "left": "i2", "right": "i2", "value": "f4"}
    found = {f"{name}_{part}": table[..., k].astype(kind) for k, (part, kind) in enumerate(kinds.items())}
    return found | {f"{name}_start": np.zeros(dumped["num_tree_per_iteration"])}


def packed(forests: Forests) -> bytes:
    body = BytesIO()
    np.savez_compressed(body, **forests)
    return body.getvalue()


def learn_pairs(runs: list[Known], fold: np.ndarray) -> list[Forests]:
    """Forests that say which patches are the same: for each fold those that have not seen it, and those that have seen all.
    Prints how often the likeliest counterpart has the right pot, left out."""
    every = [run.pairs() for run in runs]
    first = [[pairs.measures_of(*pair[:3]) for pair in run] for run in every]
    said: list[list[np.ndarray]] = [[np.zeros(0)] * len(run) for run in every]
    found: list[Forests] = [{} for _ in range(FOLDS + 1)]
    for name in pairs.ROUNDS:
        asked = first
        if name != pairs.ROUNDS[0]:
            asked = [
                [
                    np.concatenate([m, pairs.beside(*pair[:3], p)], axis=1)
                    for m, pair, p in zip(*run, strict=True)
                ]
                for run in zip(first, every, said, strict=True)
            ]
        for out in range(FOLDS + 1):
            own = [k for k in np.flatnonzero(fold != out) if every[k]]
            questions = [
                np.concatenate([m[pair.known] for m, pair in zip(asked[k], every[k], strict=True)])
                for k in own
            ]
            answers = [np.concatenate([pair.one_pot[pair.known] for pair in every[k]]) for k in own]
            model = trees(
                np.concatenate(questions),
                np.concatenate(answers),
                weights([runs[k] for k in own], answers),
                90,
                12,
            )
            found[out] |= numbers(name, model)
            for k in np.flatnonzero(fold == out):
                said[k] = [model.predict_proba(m)[:, 1].astype(np.float32) for m in asked[k]]
        for kind in sorted({run.kind for run in runs}):
            of_kind = [k for k, run in enumerate(runs) if run.kind == kind]
            right = np.concatenate(
                [likeliest_right(*both) for k in of_kind for both in zip(every[k], said[k], strict=True)]
            )
            print(f"  {kind:14} {name}: the likeliest counterpart right {right.mean():.3f}")
    return found


def likeliest_right(pair: Pair, said: np.ndarray) -> np.ndarray:
    """Whether the likeliest counterpart of each target patch has its pot, where that is known."""
    target, said, one_pot = (of[pair.known] for of in (pair.links.target, said, pair.one_pot))
    order = np.lexsort((-said, target))
    return one_pot[order][np.flatnonzero(np.diff(target[order], prepend=-1))]


def weights(runs: list[Known], answers: list[np.ndarray]) -> np.ndarray:
    """What each answer counts: one of a run with many less."""
    each = [
        (MADE_COUNTS if run.kind == "made" else 1.0) / np.sqrt(max(len(a), 1))
        for run, a in zip(runs, answers, strict=True)
    ]
    return np.concatenate([np.full(len(a), w) for a, w in zip(answers, each, strict=True)])


def rows(run: Known, asked: Asked) -> tuple[np.ndarray, np.ndarray, dict[int, np.ndarray]]:
    """What the forests are asked of the patches whose truth is known, the answers, and all that is asked by drawing."""
    every = {k: asked.features(k) for k in run.case.carried}
    questions, answers = [], []
    for k, (patches, pots) in run.right.items():
        if k in every and len(patches):
            questions.append(every[k][patches].reshape(-1, every[k].shape[2]))
            answers.append((pots[:, None] == np.array(asked.pots)[None]).ravel())
    return np.concatenate(questions), np.concatenate(answers), every


def forest(runs: list[Known], found: list[tuple[np.ndarray, np.ndarray]]) -> Any:
    """Learns which pot is right."""
    questions, answers = (np.concatenate([f[k] for f in found]) for k in (0, 1))
    each = weights(runs, [f[1] for f in found])
    easy = ~answers & (questions[:, :SAID].max(axis=1) < EASY)
    keep = ~easy | (np.random.default_rng(0).random(len(easy)) < EASY_KEPT)
    return trees(questions[keep], answers[keep], np.where(easy, each / EASY_KEPT, each)[keep], 120, 10)


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


def learn(runs: list[Known], fold: np.ndarray) -> list[Forests]:
    """Forests for each round of judging: for each fold those that have not seen it, and those that have seen all. Prints what
    such forests are worth on subjects left out."""
    left_out = [Asked(r.case) for r in runs]
    report(runs, left_out, "carried")
    forests: list[Forests] = [{} for _ in range(FOLDS + 1)]
    for name in ROUNDS:
        found = [rows(run, asked) for run, asked in zip(runs, left_out, strict=True)]
        answers = [f[:2] for f in found]
        for out in range(FOLDS):
            own = np.flatnonzero(fold != out)
            model = forest([runs[k] for k in own], [answers[k] for k in own])
            forests[out] |= numbers(name, model)
            for k in np.flatnonzero(fold == out):
                for drawing, features in found[k][2].items():
                    left_out[k].say(drawing, answered(model, features))
        report(runs, left_out, f"{name} round, left out")
        # The next round is taught on what this one says of runs it has not seen.
        forests[FOLDS] |= numbers(name, forest(runs, answers))
    return [one | alike for one, alike in zip(forests, learn_alike(runs, fold, left_out), strict=True)]


def learn_alike(runs: list[Known], fold: np.ndarray, left_out: list[Asked]) -> list[Forests]:
    """Forests that say which patches in doubt are of one pot, as in `learn`; prints how many questions are left on subjects left out,
    and how many patches an answer for all of its question paints wrong."""
    doubts = [doubts_of(run, asked) for run, asked in zip(runs, left_out, strict=True)]
    questions = [alike.measures_of(patches) for patches, _ in doubts]
    answers = [np.equal(*pots[np.stack(np.triu_indices(len(pots), 1))]) for _, pots in doubts]

    def taught(own: list[int]) -> Any:
        q, a = (np.concatenate([part[k] for k in own]) for part in (questions, answers))
        return trees(q, a, weights([runs[k] for k in own], [answers[k] for k in own]), 90, 12)

    left: dict[str, list[tuple[int, int, int]]] = {}
    found: list[Forests] = []
    for out in range(FOLDS):
        model = taught(np.flatnonzero(fold != out).tolist())
        found.append(numbers("alike", model))
        for k in np.flatnonzero(fold == out):
            pots = doubts[k][1]
            group = np.arange(len(pots))
            if len(pots) > 1:
                group = alike.grouped(model.predict_proba(questions[k])[:, 1])
            most = [np.unique(pots[group == g], return_counts=True)[1].max() for g in np.unique(group)]
            left.setdefault(runs[k].kind, []).append((len(pots), len(most), len(pots) - sum(most)))
    for kind, counts in sorted(left.items()):
        print("  {:14} {} patches in doubt, {} questions, {} beside".format(kind, *np.sum(counts, axis=0)))
    return [*found, numbers("alike", taught(list(range(len(runs)))))]


def doubts_of(run: Known, asked: Asked) -> tuple[alike.Doubtful, np.ndarray]:
    """What is known of the patches of a run that are asked about, and their right pots."""
    at = [
        (k, patch, pot)
        for k, (patches, pots) in run.right.items()
        if k in run.case.carried
        for patch, pot in zip(patches.tolist(), pots.tolist(), strict=True)
        if asked.now[k][patch].max() < SURE_FROM
    ]
    return asked.doubtful([one[:2] for one in at]), np.array([pot for *_, pot in at], int)


def folds(subjects: Sequence[Subject]) -> np.ndarray:
    """The fold of each subject: those of a kind are spread over all, both ways of a run are in one."""
    runs = list(dict.fromkeys((s.kind, s.folder, s.seed) for s in subjects))
    kinds = sorted({kind for kind, _, _ in runs})
    number = {run: [r for r in runs if r[0] == run[0]].index(run) + kinds.index(run[0]) for run in runs}
    return np.array([number[s.kind, s.folder, s.seed] for s in subjects]) % FOLDS


def keep_folds(
    place: Path,
    subjects: Sequence[Subject],
    fold: np.ndarray,
    taught: Sequence[Forests],
    judged: Sequence[Forests],
) -> None:
    """Writes the forests of each fold: what derives from its subjects (`whole` does) is measured with them, else on what they
    were taught from."""
    for out in range(FOLDS):
        folder = place / str(out)
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "same.npz").write_bytes(packed(taught[out]))
        (folder / "paint.npz").write_bytes(packed(judged[out]))
        own = sorted({str(s.folder) for s, k in zip(subjects, fold, strict=True) if k == out and s.folder})
        (folder / "subjects.txt").write_text("\n".join(own) + "\n")


def main() -> None:
    """Measures, learns, writes."""
    wants = argparse.ArgumentParser()
    wants.add_argument("bench", type=Path)
    wants.add_argument("--made", type=int, default=36, help="runs of made figures")
    wants.add_argument("--jobs", type=int, default=2)
    wants.add_argument(
        "--folds", type=Path, help="where forests go that have not seen a fold, and which subjects are in it"
    )
    asked = wants.parse_args()
    found = [
        p.parent
        for name in ("paint", "paint2")
        for p in sorted((asked.bench / "data" / name).glob("*/lines"))
    ]
    subjects = [
        Subject(f"{folder.parent.name} {folder.name.rstrip('0123456789')}", folder, backwards=backwards)
        for backwards in (False, True)
        for folder in found
    ]
    subjects += [Subject("made", seed=seed) for seed in range(asked.made)]
    fold = folds(subjects)
    with ProcessPoolExecutor(asked.jobs) as workers:
        taught = learn_pairs(list(workers.map(of, subjects)), fold)
        unseen = [packed(taught[out]) for out in fold]
        runs = list(workers.map(of, subjects, unseen))
    judged = learn(runs, fold)
    if asked.folds:
        keep_folds(asked.folds, subjects, fold, taught, judged)
    for name, forests in (("same", taught[FOLDS]), ("paint", judged[FOLDS])):
        out = OUT / f"{name}.npz"
        out.write_bytes(packed(forests))
        print(f"{out} written, {out.stat().st_size / 1000:.0f} kB")


if __name__ == "__main__":
    main()
