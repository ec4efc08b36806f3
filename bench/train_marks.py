"""Teaches what tells lines from other marks: writes schoon/core/cleanup/marks.npz.

Run by hand: pip install scikit-learn; python bench/train_marks.py BENCH_FOLDER
It learns from the bench's roughs (`clean`, `clean2`) and the demo's, and from roughs that `schoon.demo.marks` makes of these
of the bench's line art (`paint`, `paint2`) and of made figures, whose marks are all known. Before it writes anything it prints
what it is worth on pictures left out, drawn from nothing it has seen: folds are by picture, and what was generated from a picture
is left out with it.

Pieces are measured in what the network of `train_lines.py` sees. What it says of roughs it was taught with is better than what
it will say of others, so that the trees would trust it too far: `--networks` takes two that were taught without one half each.
Several forests are taught and what ships is their mean, since any alone is right less steadily on pictures that it has not seen:
on lines that are followed more finely and less, and, for each further `--networks`, on what that pair sees.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from figures import lines_of
from scipy.spatial import cKDTree
from scipy.special import expit
from skimage.morphology import skeletonize

from schoon.core import network
from schoon.core import skeleton as graphs
from schoon.core.cleanup import propose
from schoon.core.cleanup.context import among_others
from schoon.core.cleanup.kinds import KINDS
from schoon.core.cleanup.marks import Pieces
from schoon.core.strokes import resample
from schoon.demo.marks import KINDS as DRAWN
from schoon.demo.marks import Manner, marked_rough
from schoon.demo.shots import DemoDrawing, lookout, stair
from schoon.formats.pictures import decode

NEAR = 5.0
"""Px within which a piece lies on a true line."""

SIZES = ((1152, 1152), (1280, 960), (1600, 1200), (1200, 1500), (1920, 1080))
FOLDS, TOLD_FOLDS = 6, 4
"""Parts of the drawings of which one is left out to measure; and to say what is thought of drawings not learnt from."""

FIGURES = 24
"""Made figures, whose heads and wheels are as round as the balls that others are built on."""

REAL_COUNTS = 2.0
"""How much more a rough of the bench or the demo counts than one that was made."""

THIN = 2
"""Of the pieces of a rough that was made every so-manieth is learnt from: neighbours are alike."""

FOLLOWED = (propose._SEEN_AT, propose._SEEN_AT[1:])
"""Sigmas at which lines are followed in what is learnt from: as shipped, and without the finest."""

OUT = Path(__file__).resolve().parent.parent / "schoon/core/cleanup/marks.npz"


@dataclass
class Sample:
    """Pieces of one picture. source: which drawing it is of. line: 0..1 how much of each lies on true lines.
    kind: an index into KINDS, -1 where it is not known."""

    source: str
    pieces: Pieces
    line: np.ndarray
    kind: np.ndarray

    @property
    def real(self) -> bool:
        """Whether it was drawn, and not made: then nobody knows the kinds of its marks."""
        return bool(self.kind.max() < 0)


@dataclass(frozen=True)
class Asked:
    """What each picture is seen by. networks: files of two, taught without the first and the second half; none: the one that ships.
    second: sources of the second half. followed: sigmas at which lines are followed."""

    networks: tuple[str, ...]
    second: frozenset[str]
    followed: tuple[float, ...]

    def ask(self, path: Path) -> None:
        """Has a network asked, in this process, that has not seen a picture."""
        cv2.setNumThreads(1)
        propose._SEEN_AT = self.followed
        if self.networks:
            file = self.networks[source_of(path) in self.second]
            network._network = lambda package, name: _opened(file)


@lru_cache
def _opened(file: str) -> cv2.dnn.Net:
    return cv2.dnn.readNetFromONNX(file)


def real_roughs(bench: Path) -> tuple[list[Path], list[Path]]:
    """Roughs of the bench and the demo in two halves."""
    demo = [Path("demo") / str(k) for k in range(len(stair()) + len(lookout()))]
    sets = [sorted((bench / "data" / name / "in").glob("*.png")) for name in ("clean", "clean2")] + [demo]
    return [p for one in sets for p in one[::2]], [p for one in sets for p in one[1::2]]


def of_demo(path: Path) -> bool:
    """Whether a path stands for a drawing of the demo."""
    return path.parent.name == "demo"


def demo_drawing(path: Path) -> DemoDrawing:
    """The drawing of the demo that a path stands for."""
    return [*stair(), *lookout()][int(path.name)]


def pieces_of(
    source: str, picture: np.ndarray, truth: list[np.ndarray], kinds: np.ndarray | None
) -> list[Sample]:
    """What is traced in a picture, with the truth of each piece."""
    found = []
    for layer in propose.traced(picture):
        pieces = propose.pieces_of(layer)
        places = layer.on.placed(pieces.points)
        count = len(pieces.lengths)
        line = on_lines(pieces, places, truth)
        kind = np.full(count, -1)
        if kinds is not None:
            grown = cv2.dilate((kinds + 1).astype(np.uint8), np.ones((5, 5), np.uint8)).astype(int) - 1
            limits = np.array(kinds.shape)[::-1] - 1
            column, row = np.clip(np.floor(places).astype(int), 0, limits).T
            there = grown[row, column]
            there[there <= 0] = DRAWN.index("dirt")
            votes = [np.bincount(pieces.piece, there == DRAWN.index(name), count) for name in KINDS]
            kind = np.argmax(votes, axis=0)
        found.append(Sample(source, pieces, line, kind))
    return found


def on_lines(pieces: Pieces, places: np.ndarray, truth: list[np.ndarray]) -> np.ndarray:
    """(pieces,) how much of each lies on true lines. places: its points, px of the drawing."""
    tree = cKDTree(np.vstack([resample(p, 2.0) for p in truth]))
    return np.bincount(pieces.piece, tree.query(places)[0] <= NEAR) / pieces.lengths


def truth_of(path: Path) -> list[np.ndarray]:
    """True lines of a rough of the bench or the demo or of a made figure, or centre lines of line art."""
    if path.parent.name == "figure":
        return lines_of(int(path.name))
    if of_demo(path):
        return [np.asarray(line, float) for line in demo_drawing(path).truth().lines]
    if path.parent.name == "lines":
        return art(path)
    lines = json.loads((path.parent.parent / "truth" / f"{path.stem}.json").read_text())
    return [np.array(p, float) for p in lines if len(p) > 1]


def art(path: Path) -> list[np.ndarray]:
    """Centre lines of black line art on white."""
    picture = decode(path.name, path.read_bytes())
    graph = graphs.trace(skeletonize(picture[..., :3].min(axis=2) < 128))
    graphs.contract_short(graph, 5.0)
    graphs.remove_spurs(graph, 8.0)
    graphs.join_through(graph)
    pairs = graphs.through_pairs(graph, near=2.0, far=10.0, widest=np.deg2rad(40))
    return [line for line in graphs.chains(graph, pairs, blur=3.0) if len(line) > 3]


def of_real(asked: Asked, path: Path) -> list[Sample]:
    """Pieces of a rough of the bench or the demo."""
    asked.ask(path)
    picture = demo_drawing(path).rough() if of_demo(path) else decode(path.name, path.read_bytes())
    return pieces_of(source_of(path), picture, truth_of(path), None)


def generated(asked: Asked, work: tuple[Path, int]) -> list[Sample]:
    """Pieces of a rough made anew from true lines: every third in an even hand, where construction is hardest to tell."""
    path, seed = work
    asked.ask(path)
    random = np.random.default_rng(seed)
    lines = truth_of(path)
    manner = Manner.even if seed % 3 == 2 else Manner.any
    size = SIZES[random.integers(len(SIZES))]
    rough = marked_rough(laid(lines, size, (0.55, 0.97), random), size, manner(random), random)
    return pieces_of(source_of(path), rough.picture, rough.lines, rough.kinds)


def laid(
    lines: Sequence[np.ndarray],
    size: tuple[int, int],
    shares: tuple[float, float],
    random: np.random.Generator,
) -> list[np.ndarray]:
    """Lines somewhere on a sheet, of which they fill a share between two, mirrored or not."""
    every = np.vstack(lines)
    low, span = every.min(axis=0), np.ptp(every, axis=0)
    scale = float((size / span).min() * random.uniform(*shares))
    place = np.array(size) / 2 + random.uniform(-0.5, 0.5, 2) * (size - span * scale) - span * scale / 2
    lines = [(np.asarray(p, float) - low) * scale + place for p in lines]
    return [p * [-1, 1] + [size[0], 0] for p in lines] if random.random() < 0.5 else lines


def source_of(path: Path) -> str:
    """What a picture is of: left out together."""
    if path.parent.name in ("demo", "figure"):
        return path.parent.name + path.name
    return path.parent.parent.name if path.parent.name == "lines" else path.stem


def line_forest(samples: list[Sample], seen: list[np.ndarray] | None = None) -> Any:
    """Learns what is line. seen: of each sample what its pieces are told by, their features if it is not given."""
    from sklearn.ensemble import HistGradientBoostingClassifier

    real = [s.real for s in samples]
    rows = [slice(None, None, 1 if own else THIN) for own in real]
    shares = (s.pieces.lengths[r] / s.pieces.lengths[r].sum() for s, r in zip(samples, rows, strict=True))
    weight = np.concatenate(
        [share * (REAL_COUNTS if own else 1) for share, own in zip(shares, real, strict=True)]
    )
    told = seen or [s.pieces.features for s in samples]
    features = np.concatenate([one[r] for one, r in zip(told, rows, strict=True)])
    line = np.concatenate([s.line[r] for s, r in zip(samples, rows, strict=True)])
    clear = (line < 0.25) | (line > 0.75)
    model = HistGradientBoostingClassifier(
        max_iter=300, max_leaf_nodes=16, learning_rate=0.05, l2_regularization=2.0, min_samples_leaf=30, random_state=0
    )  # fmt: skip
    return model.fit(features[clear], line[clear] > 0.5, sample_weight=weight[clear] * 300)


def forests(samples: list[Sample]) -> tuple[Any, Any]:
    """Learns what is line by itself; and among the others, from what is thought of drawings that were not learnt from."""
    sources = sorted({s.source for s in samples})
    seen: dict[int, np.ndarray] = {}
    for fold in range(TOLD_FOLDS):
        out = set(sources[fold::TOLD_FOLDS])
        model = line_forest([s for s in samples if s.source not in out])
        for k, s in enumerate(samples):
            if s.source in out:
                seen[k] = among_others(s.pieces, model.decision_function(s.pieces.features))
    return line_forest(samples), line_forest(samples, [seen[k] for k in range(len(samples))])


def kind_forest(samples: list[Sample]) -> Any:
    """Learns what it is otherwise."""
    from sklearn.ensemble import HistGradientBoostingClassifier

    features, line, kind = (
        np.concatenate(parts)
        for parts in zip(*((s.pieces.features, s.line, s.kind) for s in samples), strict=True)
    )
    known = (line < 0.25) & (kind >= 0)
    model = HistGradientBoostingClassifier(
        max_iter=60, max_leaf_nodes=8, learning_rate=0.1, l2_regularization=2.0, min_samples_leaf=30, random_state=0
    )  # fmt: skip
    return model.fit(features[known], kind[known])


def numbers(name: str, model: Any) -> dict[str, np.ndarray]:
    """A forest as `core.cleanup.forest` reads it."""
    trees = [tree.nodes for turn in model._predictors for tree in turn]
    most = max(len(nodes) for nodes in trees)

    def table(field: str, kind: str) -> np.ndarray:
        return np.stack([np.pad(nodes[field].astype(kind), (0, most - len(nodes))) for nodes in trees])

    inner = np.stack([np.pad(~nodes["is_leaf"].astype(bool), (0, most - len(nodes))) for nodes in trees])
    return {
        f"{name}_feature": table("feature_idx", "i2"), f"{name}_below": table("num_threshold", "f4"),
        f"{name}_left": np.where(inner, table("left", "i2"), 0), f"{name}_right": np.where(inner, table("right", "i2"), 0),
        f"{name}_value": table("value", "f4"), f"{name}_start": np.ravel(model._baseline_prediction).astype(float),
    }  # fmt: skip


def mean_of(forests: Sequence[dict[str, np.ndarray]]) -> dict[str, np.ndarray]:
    """A forest whose log odds are the mean of those of several, each as `numbers` gives it."""
    found = {}
    for name in forests[0]:
        tables = [forest[name] for forest in forests]
        if name.endswith("_start"):
            found[name] = np.mean(tables, axis=0)
            continue
        most = max(table.shape[1] for table in tables)
        found[name] = np.concatenate([np.pad(t, ((0, 0), (0, most - t.shape[1]))) for t in tables])
        if name.endswith("_value"):
            found[name] = found[name] / np.float32(len(tables))
    return found


def left_out(sets: Sequence[list[Sample]]) -> None:
    """Prints how well pieces of the first set are told apart by forests of all sets that have not seen their pictures: by
    themselves and among the others."""
    real = [s for s in sets[0] if s.real]
    sources = sorted({s.source for s in real})
    chance: list[list[np.ndarray]] = [[], []]
    right, weight = [], []
    for fold in range(FOLDS):
        out = set(sources[fold::FOLDS])
        taught = [forests([s for s in samples if s.source not in out]) for samples in sets]
        for s in real:
            if s.source in out:
                odds = np.mean([alone.decision_function(s.pieces.features) for alone, _ in taught], axis=0)
                seen = among_others(s.pieces, odds)
                among = np.mean([again.decision_function(seen) for _, again in taught], axis=0)
                chance[0].append(expit(odds))
                chance[1].append(expit(among))
                right.append(s.line)
                weight.append(s.pieces.lengths)
    r, w = np.concatenate(right), np.concatenate(weight)
    for name, told in zip(("by themselves", "among the others"), chance, strict=True):
        c = np.concatenate(told)
        print(
            f"{name}: right {(np.where(c > 0.5, r, 1 - r) * w).sum() / w.sum():.4f} of the length, left out"
        )
        for low in (0.5, 0.7, 0.8, 0.9, 0.95):
            sure = c >= low
            share = w[sure].sum() / w.sum()
            print(
                f"  chance {low:.2f} and more: {share:.3f} of the length, {np.average(r[sure], weights=w[sure]):.4f} of it line"
            )


def main() -> None:
    """Measures, learns, writes."""
    wants = argparse.ArgumentParser()
    wants.add_argument("bench", type=Path)
    wants.add_argument("--each", type=int, default=9, help="roughs made of each drawing")
    wants.add_argument(
        "--networks", nargs=2, action="append", help="two that `train_lines --left first` and `second` wrote"
    )
    wants.add_argument("--jobs", type=int, default=2)
    asked = wants.parse_args()
    first, second = real_roughs(asked.bench)
    half = frozenset(map(source_of, second))
    lined = [
        p
        for name in ("paint", "paint2")
        for p in sorted((asked.bench / "data" / name).glob("*/lines/00.png"))
    ]
    drawn = [p for p in (*first, *second) if not of_demo(p) or int(p.name) % 3 == 0]
    figures = [Path("figure") / str(k) for k in range(FIGURES)]
    work = [
        (path, 100 * k + n) for k, path in enumerate([*drawn, *lined, *figures]) for n in range(asked.each)
    ]
    sets = []
    with ProcessPoolExecutor(asked.jobs) as workers:
        first_pair, *others = asked.networks or [()]
        views = [(first_pair, sigmas) for sigmas in FOLLOWED] + [(pair, FOLLOWED[0]) for pair in others]
        for pair, sigmas in views:
            seen = Asked(tuple(pair), half, sigmas)
            bench = workers.map(partial(of_real, seen), [*first, *second])
            made = workers.map(partial(generated, seen), work, chunksize=4)
            sets.append([s for several in (bench, made) for found in several for s in found])
            print(f"{len(sets[-1])} layers, {sum(len(s.line) for s in sets[-1])} pieces")
    left_out(sets)
    taught = [forests(samples) for samples in sets]
    told = {
        name: mean_of([numbers(name, both[k]) for both in taught]) for k, name in enumerate(("line", "among"))
    }
    kinds = numbers("kind", kind_forest([s for s in sets[0] if not s.real]))
    with np.load(OUT) as file:
        # What `train_ghosts` has added stays until that is taught anew.
        ghosts = {name: file[name] for name in file.files if name.startswith("ghost_")}
    np.savez_compressed(OUT, **told["line"], **told["among"], **kinds, **ghosts)
    print(f"{OUT} written, {OUT.stat().st_size / 1000:.0f} kB")


if __name__ == "__main__":
    main()
