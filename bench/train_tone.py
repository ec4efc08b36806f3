"""Teaches whose edge the line between two forms is: writes schoon/core/tone/edges.npz.

Run by hand: pip install lightgbm; python bench/train_tone.py BENCH_FOLDER
It learns from figures of solids put together at random (`solids.py`), and from the bench's `tone`, which knows the true
shade: of each border, how wrong the surface or its shade is if it is one form's edge, the other's, or a crease. Trees learn to
make what is wrong least, first by what is seen of a border in its drawing, then by what the other drawings say as well.
Before it writes anything it prints what the shade of the bench is worth with trees that have not seen the subject.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from scipy.special import softmax
from solids import Drawn, made
from train_paint import Forests, numbers, packed

from schoon.core.forest import Forest, read
from schoon.core.tone import Forms, Light, forms_of, tracks_of
from schoon.core.tone.agree import beside
from schoon.core.tone.blown import normals_in
from schoon.core.tone.edges import CREASE, FIRST, SECOND, TURNED, both_ways, owned, seen
from schoon.core.tone.solids import normals_of
from schoon.formats.painted import painted_patches

MOST, UNIT = 250.0, 25.0
"""What a border may cost at most, px, and px that are worth one unit of the loss."""

LEAST = 8
"""Px of a border under which it is not learnt from."""

BENCH_COUNTS = 2.0
"""What a border of the bench counts beside one of a made figure."""

HELD = 0.02
"""How much chances are held back from being certain."""

ALONE, BESIDE = {"many": 200, "leaves": 12}, {"many": 120, "leaves": 8}
"""How many rounds of trees, and leaves of each, the forests have."""

FOLDS = 3
ROUNDS = 3
OUT = Path(__file__).resolve().parent.parent / "schoon/core/tone/edges.npz"


@dataclass(eq=False)
class Known:
    """A drawing. costs: (chains, 3) px that are wrong with each kind of edge, 0 for borders that are not learnt from."""

    forms: Forms
    measures: tuple[np.ndarray, np.ndarray] = field(init=False)
    costs: np.ndarray = field(init=False)

    def __post_init__(self) -> None:
        self.measures = seen(self.forms)

    @property
    def lengths(self) -> np.ndarray:
        return np.array([len(chain.points) for chain in self.forms.chains.between])


@dataclass(eq=False)
class Lit(Known):
    """A drawing of the bench with its true shade, at the size of its forms."""

    first: bool
    light: Light
    share: float
    true: np.ndarray
    counts: np.ndarray
    best: np.ndarray = field(init=False)
    _falls: dict[tuple[int, bytes], np.ndarray] = field(default_factory=dict)

    def falls(self, form: int, edges: np.ndarray) -> np.ndarray:
        """Light on the pixels of a form."""
        own = owned(self.forms, edges, form)
        key = (form, own.tobytes())
        if key not in self._falls:
            self._falls[key] = normals_of(self.forms, {form: own})[form] @ self.light.direction
        return self._falls[key]

    def wrong(self, forms: Sequence[int], edges: np.ndarray, below: float) -> int:
        """Pixels of some forms whose shade is wrong."""
        total = 0
        for form in forms:
            here = self.forms.labels == form
            total += int(((self.falls(form, edges) < below) != self.true[here])[self.counts[here]].sum())
        return total

    def below(self, edges: np.ndarray, share: float) -> float:
        return float(np.quantile(np.concatenate([self.falls(k, edges) for k in self.forms.pots]), share))

    def iou(self, edges: np.ndarray, below: float) -> float:
        both = either = 0
        for form in self.forms.pots:
            here = self.forms.labels == form
            mine, true = self.falls(form, edges) < below, self.true[here]
            both += int((mine & true)[self.counts[here]].sum())
            either += int((mine | true)[self.counts[here]].sum())
        return both / max(1, either)


@dataclass(eq=False)
class Run:
    """Drawings one after the other, and which form of one is which of the others. weight: what each border counts."""

    drawings: list[Any]
    tracks: list[dict[int, int]]
    weight: float


def of_bench(folder: Path) -> Run:
    """A subject of the bench, with what each kind of edge costs when the others are as good as can be."""
    cv2.setNumThreads(1)
    stems = sorted(path.stem for path in (folder / "lines").glob("*.png"))
    drawings = [_lit(folder, stem, stem == stems[0]) for stem in stems]
    return Run(drawings, tracks_of([d.forms for d in drawings]), BENCH_COUNTS)


def _lit(folder: Path, stem: str, first: bool) -> Lit:
    light = json.loads((folder / "light.json").read_text())
    line = folder / "lines" / f"{stem}.png"
    patches, pots, painted = painted_patches(line, folder / "paint" / f"{stem}.png")
    forms = forms_of(patches, pots)
    ink = cv2.imread(str(line), 0) < 128
    true = cv2.imread(str(folder / "truth" / f"{stem}.png"), 0) > 127
    size = forms.labels.shape[::-1]
    small, open_ = (
        cv2.resize(m[forms.part].astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
        for m in (true, ~ink)
    )
    share = float(true[painted].mean())
    found = Lit(forms, first, Light(light["azimuth"], light["height"]), share, small, open_)
    between = forms.chains.between
    edges = np.full(len(between), CREASE)
    found.costs = np.zeros((len(between), 3))
    for _ in range(ROUNDS):
        before = edges.copy()
        below = found.below(edges, share)
        for k in sorted(range(len(between)), key=lambda k: -len(between[k].points)):
            for kind in (FIRST, SECOND, CREASE):
                tried = edges.copy()
                tried[k] = kind
                found.costs[k, kind] = found.wrong((between[k].a, between[k].b), tried, below)
            if found.costs[k].min() < found.costs[k, edges[k]]:
                edges[k] = int(found.costs[k].argmin())
        if (edges == before).all():
            break
    found.best = edges
    return found


def of_figures(seed: int) -> Run:
    """A run of made figures, with what each kind of edge costs when the others are as they truly are."""
    cv2.setNumThreads(1)
    drawings = [_surfaced(drawn) for drawn in made(seed)]
    return Run(drawings, tracks_of([d.forms for d in drawings]), 1.0)


def _surfaced(drawn: Drawn) -> Known:
    forms = forms_of(drawn.patches, drawn.pots)
    found = Known(forms)
    between = forms.chains.between
    found.costs = np.zeros((len(between), 3))
    solid = drawn.solid[forms.part].astype(np.int32)
    solid = cv2.resize(solid, forms.labels.shape[::-1], interpolation=cv2.INTER_NEAREST)
    of = {}
    for form in forms.pots:
        often = np.bincount(solid[forms.labels == form], minlength=2)
        of[form] = int(often[1:].argmax()) + 1 if often[1:].any() else 0
    edges = np.array(
        [CREASE if of[c.a] == of[c.b] else FIRST if of[c.a] > of[c.b] else SECOND for c in between]
    )
    met = {form for chain in between for form in (chain.a, chain.b)}
    true = {form: normals_on_grid(forms, drawn.whole[of[form]])[forms.labels == form] for form in met}
    known: dict[tuple[int, bytes], float] = {}

    def cost(form: int, edges: np.ndarray) -> float:
        own = owned(forms, edges, form)
        key = (form, own.tobytes())
        if key not in known:
            normals = normals_of(forms, {form: own})[form]
            known[key] = float((1 - (normals * true[form]).sum(axis=1)).sum())
        return known[key]

    for k, chain in enumerate(between):
        if len(chain.points) >= LEAST:
            for kind in (FIRST, SECOND, CREASE):
                tried = edges.copy()
                tried[k] = kind
                found.costs[k, kind] = cost(chain.a, tried) + cost(chain.b, tried)
    return found


def normals_on_grid(forms: Forms, whole: np.ndarray) -> np.ndarray:
    """The normals of a whole solid, on the grid of the forms."""
    rows, columns = forms.labels.shape
    (top, bottom), (left, right) = forms.box
    grid, before = [], []
    for low, high, count, end in (
        (top, bottom, rows, whole.shape[0]),
        (left, right, columns, whole.shape[1]),
    ):
        step = (high - low) / count
        ahead = int(np.ceil(low / step)) + 1
        total = ahead + count + int(np.ceil((end - high) / step)) + 1
        grid.append(((np.arange(total) - ahead + 0.5) * step + low).astype(int))
        before.append(ahead)
    inside = whole[np.clip(grid[0], 0, whole.shape[0] - 1)][:, np.clip(grid[1], 0, whole.shape[1] - 1)].copy()
    inside[(grid[0] < 0) | (grid[0] >= whole.shape[0])] = False
    inside[:, (grid[1] < 0) | (grid[1] >= whole.shape[1])] = False
    return normals_in(inside)[before[0] : before[0] + rows, before[1] : before[1] + columns]


def trees(
    runs: Sequence[Run], measures: Sequence[Sequence[tuple[np.ndarray, np.ndarray]]], many: int, leaves: int
) -> Any:
    """Trees whose chances cost least. measures: for each drawing of each run from the first form, and from the second."""
    import lightgbm

    samples, costs = [], []
    for run, asked in zip(runs, measures, strict=True):
        for drawing, (first, second) in zip(run.drawings, asked, strict=True):
            if not len(first):
                continue
            kept = drawing.lengths >= LEAST
            cost = np.minimum(drawing.costs - drawing.costs.min(axis=1, keepdims=True), MOST)[kept]
            samples += [np.hstack([first, second])[kept], np.hstack([second, first])[kept]]
            costs += [run.weight * cost / UNIT, run.weight * cost[:, TURNED] / UNIT]
    cost = np.vstack(costs)

    def loss(scores: np.ndarray, _: Any) -> tuple[np.ndarray, np.ndarray]:
        chance = softmax(scores, axis=1)
        mean = (chance * cost).sum(axis=1, keepdims=True)
        slope = chance * (cost - mean) + HELD * (chance - 1 / 3)
        bend = np.maximum(0.7 * chance * (1 - chance) * cost.max(axis=1, keepdims=True), 1e-3)
        return slope, bend

    settings = {
        "objective": loss, "num_class": 3, "num_leaves": leaves, "learning_rate": 0.08, "min_data_in_leaf": 60,
        "min_sum_hessian_in_leaf": 0.5, "lambda_l2": 3, "feature_fraction": 0.4, "bagging_fraction": 0.7, "bagging_freq": 1,
        "verbose": -1, "num_threads": 2, "seed": 0,
    }  # fmt: skip
    data = lightgbm.Dataset(np.vstack(samples).astype(np.float32), np.zeros(len(cost)))
    return lightgbm.train(settings, data, many)


def learn(runs: Sequence[Run]) -> Forests:
    """Both forests. What the first says to the second is said by trees that have not seen the run."""
    alone = [[d.measures for d in run.drawings] for run in runs]
    fold = np.arange(len(runs)) % FOLDS
    said: dict[int, list[np.ndarray]] = {}
    for k in range(FOLDS):
        others = [n for n in range(len(runs)) if fold[n] != k]
        forest = _forest("alone", trees([runs[n] for n in others], [alone[n] for n in others], **ALONE))
        for n in np.flatnonzero(fold == k):
            said[int(n)] = [both_ways(forest, *measures) for measures in alone[n]]
    asked = [beside([d.forms for d in run.drawings], said[n], run.tracks) for n, run in enumerate(runs)]
    return {
        **numbers("alone", trees(runs, alone, **ALONE)),
        **numbers("beside", trees(runs, asked, **BESIDE)),
    }


def _forest(name: str, model: Any) -> Forest:
    return read(packed(numbers(name, model)), name)


def told(run: Run, forests: Forests | None) -> list[np.ndarray]:
    """What each border is taken for; without forests, what costs least."""
    if forests is None:
        return [drawing.best for drawing in run.drawings]
    body = packed(forests)
    by_itself, with_others = read(body, "alone"), read(body, "beside")
    said = [both_ways(by_itself, *drawing.measures) for drawing in run.drawings]
    asked = beside([drawing.forms for drawing in run.drawings], said, run.tracks)
    return [both_ways(with_others, *measures).argmax(axis=1) for measures in asked]


def worth(run: Run, edges: Sequence[np.ndarray]) -> float:
    """Mean iou of one subject's drawings, the first left out as the bench does."""
    share = next(d.share for d in run.drawings if d.first)
    below = float(np.median([d.below(e, share) for d, e in zip(run.drawings, edges, strict=True)]))
    return float(np.mean([d.iou(e, below) for d, e in zip(run.drawings, edges, strict=True) if not d.first]))


def main() -> None:
    """Measures, learns, writes."""
    wants = argparse.ArgumentParser()
    wants.add_argument("bench", type=Path)
    wants.add_argument("--made", type=int, default=160)
    wants.add_argument("--jobs", type=int, default=2)
    asked = wants.parse_args()
    folders = sorted(p.parent for p in (asked.bench / "data" / "tone").glob("*/light.json"))
    with ProcessPoolExecutor(asked.jobs) as workers:
        bench = list(workers.map(of_bench, folders))
        figures = list(workers.map(of_figures, range(asked.made)))
    left_out = [learn([*(r for r in bench if r is not run), *figures]) for run in bench]
    only_made = learn(figures)
    for name, forests in (
        ("every edge as good as can be", [None] * len(bench)),
        ("from made figures alone", [only_made] * len(bench)),
        ("left out", left_out),
    ):
        scores = [worth(run, told(run, found)) for run, found in zip(bench, forests, strict=True)]
        print(f"{name}: iou {np.mean(scores):.3f}, worst {min(scores):.3f}  {np.round(scores, 3).tolist()}")
    OUT.write_bytes(packed(learn([*bench, *figures])))
    print(f"{OUT} written")


if __name__ == "__main__":
    main()
