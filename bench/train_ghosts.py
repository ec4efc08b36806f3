"""Teaches what tells an earlier drawing that was rubbed out from the lines over it: adds `ghost` to schoon/core/cleanup/marks.npz.

Run by hand, after `train_marks.py`: pip install scikit-learn; python bench/train_ghosts.py BENCH_FOLDER
It learns from roughs that `schoon.demo.marks` makes of true lines, three of four of each drawing over what was rubbed out, and that
the roughs of the bench and the demo hold none. The bench's own roughs over ghosts (`clean3`) are never learnt from. Before it
writes anything it prints what it is worth on drawings left out.
"""

from __future__ import annotations

import argparse
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from scipy.special import expit
from train_marks import (
    FIGURES,
    OUT,
    REAL_COUNTS,
    SIZES,
    demo_drawing,
    laid,
    numbers,
    of_demo,
    on_lines,
    real_roughs,
    source_of,
    truth_of,
)

from schoon.core.cleanup import propose
from schoon.core.cleanup.context import among_others
from schoon.core.cleanup.labels import LINE
from schoon.core.cleanup.lessons import Taught, taught
from schoon.core.cleanup.marks import Pieces
from schoon.demo.marks import Manner, marked_rough
from schoon.formats.pictures import decode

FOLDS = 5
"""Parts of the drawings of which one is left out to measure."""

EACH = 4
"""Roughs made of each drawing; the first of them without a ghost."""

SEEDS = 7000
"""Where the random numbers of these roughs begin: those of `train_marks` are others."""


@dataclass
class Sample:
    """Pieces of one picture. told_by: as `labels.judge` asks. odds: log odds of being line without knowing of ghosts. line, ghost:
    0..1 how much of each lies on true lines, and on what was rubbed out. made: whether it was not drawn by a hand."""

    source: str
    made: bool
    told_by: np.ndarray
    odds: np.ndarray
    lengths: np.ndarray
    line: np.ndarray
    ghost: np.ndarray


def judged(pieces: Pieces, known: Taught) -> tuple[np.ndarray, np.ndarray]:
    """What pieces are told by, and the log odds of line, without knowing of ghosts."""
    alone = known.line.scores(pieces.features)[:, 0]
    odds = known.among.scores(among_others(pieces, alone))[:, 0]
    return among_others(pieces, odds), odds


def samples_of(
    source: str, picture: np.ndarray, truth: list[np.ndarray], ghosts: np.ndarray | None
) -> list[Sample]:
    """ghosts: (h, w) what was rubbed out; None for a drawing by a hand, which holds none."""
    known = taught(())
    found = []
    for layer in propose.traced(picture):
        if not layer.lines:
            continue
        pieces = propose.pieces_of(layer)
        places = layer.on.placed(pieces.points)
        ghost = np.zeros(len(pieces.lengths))
        if ghosts is not None:
            grown = cv2.dilate(ghosts.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
            column, row = np.clip(np.floor(places).astype(int), 0, np.array(ghosts.shape)[::-1] - 1).T
            ghost = np.bincount(pieces.piece, grown[row, column], len(ghost)) / pieces.lengths
        told_by, odds = judged(pieces, known)
        line = on_lines(pieces, places, truth)
        found.append(Sample(source, ghosts is not None, told_by, odds, pieces.lengths, line, ghost))
    return found


def of_real(path: Path) -> list[Sample]:
    """Pieces of a rough of the bench or the demo."""
    cv2.setNumThreads(1)
    picture = demo_drawing(path).rough() if of_demo(path) else decode(path.name, path.read_bytes())
    return samples_of(source_of(path), picture, truth_of(path), None)


def of_made(work: tuple[Path, int, bool]) -> list[Sample]:
    """Pieces of a rough made anew from true lines, over what was rubbed out or not."""
    cv2.setNumThreads(1)
    path, seed, over = work
    random = np.random.default_rng(SEEDS + seed)
    lines = truth_of(path)
    look = Manner.any(random)
    if over:
        look = look.rubbed(random)
    size = SIZES[random.integers(len(SIZES))]
    rough = marked_rough(laid(lines, size, (0.55, 0.97), random), size, look, random)
    return samples_of(source_of(path), rough.picture, rough.lines, rough.ghosts)


def ghost_forest(samples: list[Sample]) -> Any:
    """Learns what was rubbed out. What lies on both is not asked."""
    from sklearn.ensemble import HistGradientBoostingClassifier

    ghost, line = (np.concatenate(parts) for parts in zip(*((s.ghost, s.line) for s in samples), strict=True))
    weight = np.concatenate([s.lengths / s.lengths.sum() * (1 if s.made else REAL_COUNTS) for s in samples])
    clear = ((ghost > 0.7) & (line < 0.3)) | (ghost < 0.2)
    model = HistGradientBoostingClassifier(
        max_iter=200, max_leaf_nodes=12, learning_rate=0.06, l2_regularization=2.0, min_samples_leaf=40, random_state=0
    )  # fmt: skip
    told_by = np.concatenate([s.told_by for s in samples])
    return model.fit(told_by[clear], ghost[clear] > 0.5, sample_weight=weight[clear] * 300)


def left_out(samples: list[Sample]) -> None:
    """Prints how much of the length is judged wrongly with and without it, in drawings that were not learnt from."""
    sources = sorted({s.source for s in samples})
    wrong: dict[str, np.ndarray] = {}
    for fold in range(FOLDS):
        out = set(sources[fold::FOLDS])
        model = ghost_forest([s for s in samples if s.source not in out])
        for s in samples:
            if s.source in out:
                kind = "over ghosts" if s.ghost.any() else "made" if s.made else "by hand"
                is_line = s.line > 0.5
                before = expit(s.odds)
                after = before * (1 - expit(model.decision_function(s.told_by)))
                told = [
                    (before > LINE) != is_line,
                    (after > LINE) != is_line,
                    is_line & (before > LINE) & (after <= LINE),
                ]
                wrong[kind] = wrong.get(kind, 0) + np.array([*(t @ s.lengths for t in told), s.lengths.sum()])
    for kind, (before, after, lost, total) in wrong.items():
        print(f"{kind}: wrong {before / total:.4f} -> {after / total:.4f}, line lost {lost / total:.4f}")


def main() -> None:
    """Measures, learns, writes."""
    wants = argparse.ArgumentParser()
    wants.add_argument("bench", type=Path)
    wants.add_argument("--jobs", type=int, default=2)
    asked = wants.parse_args()
    drawn = [p for half in real_roughs(asked.bench) for p in half]
    lined = [
        p
        for name in ("paint", "paint2")
        for p in sorted((asked.bench / "data" / name).glob("*/lines/00.png"))
    ]
    some = [p for p in drawn if not of_demo(p) or int(p.name) % 3 == 0]
    figures = [Path("figure") / str(k) for k in range(FIGURES)]
    work = [(p, 100 * k + n, n > 0) for k, p in enumerate([*some, *lined, *figures]) for n in range(EACH)]
    with ProcessPoolExecutor(asked.jobs) as workers:
        found = [*workers.map(of_real, drawn), *workers.map(of_made, work, chunksize=4)]
    samples = [s for several in found for s in several]
    print(f"{len(samples)} layers, {sum(len(s.line) for s in samples)} pieces")
    left_out(samples)
    with np.load(OUT) as file:
        tables = {name: file[name] for name in file.files if not name.startswith("ghost_")}
    np.savez_compressed(OUT, **tables, **numbers("ghost", ghost_forest(samples)))
    print(f"{OUT} written, {OUT.stat().st_size / 1000:.0f} kB")


if __name__ == "__main__":
    main()
