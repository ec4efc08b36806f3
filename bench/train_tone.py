"""Teaches whose edge the line between two forms is: writes schoon/core/tone/edges.json.

Run by hand: python bench/train_tone.py BENCH_FOLDER
It learns from the bench's `tone`, which knows the true shade: of each border, what shade is wrong if it is one form's edge,
the other's, or a crease. Before it writes anything it prints what the shade is worth on subjects left out.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np
from scipy.optimize import minimize

from schoon.core.tone import Forms, Light, forms_of
from schoon.core.tone.edges import CREASE, FIRST, SECOND, owned, seen
from schoon.core.tone.solids import normals_of
from schoon.formats.painted import painted_patches

RIDGE = 30.0
"""Wrong pixels that a weight of 1 costs."""

MOST = 400
"""Wrong pixels of one border beyond which it counts no more."""

ROUNDS = 3
OUT = Path(__file__).resolve().parent.parent / "schoon/core/tone/edges.json"


@dataclass(eq=False)
class Known:
    """A drawing with its true shade, at the size of its forms. costs: (chains, 3) wrong pixels of each kind of edge."""

    subject: str
    first: bool
    forms: Forms
    light: Light
    share: float
    true: np.ndarray
    counts: np.ndarray
    measures: tuple[np.ndarray, np.ndarray, np.ndarray] = field(init=False)
    costs: np.ndarray = field(init=False)
    best: np.ndarray = field(init=False)
    _falls: dict[tuple[int, bytes], np.ndarray] = field(default_factory=dict)

    def falls(self, form: int, edges: np.ndarray) -> np.ndarray:
        """Light on the pixels of a form."""
        own = owned(self.forms, edges, form)
        key = (form, own.tobytes())
        if key not in self._falls:
            self._falls[key] = normals_of(self.forms, form, own) @ self.light.direction
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


def known(folder: Path, stem: str) -> Known:
    """A drawing of the bench, with what each kind of edge costs when the others are as good as can be."""
    cv2.setNumThreads(1)
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
    first = stem == min(p.stem for p in (folder / "lines").glob("*.png"))
    found = Known(folder.name, first, forms, Light(light["azimuth"], light["height"]), share, small, open_)
    found.measures = seen(forms)
    between = forms.chains.between
    edges = np.array([FIRST if row[1] > 0 else SECOND for row in found.measures[0]], int)
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


def taught(every: Sequence[Known]) -> tuple[np.ndarray, np.ndarray]:
    """Weights of an edge and of a crease with the least expected cost."""
    some = [k for k in every if len(k.costs)]
    first, second, crease = (np.vstack([k.measures[n] for k in some]) for n in range(3))
    costs = np.vstack([np.minimum(k.costs - k.costs.min(axis=1, keepdims=True), MOST) for k in some])
    edge = first.shape[1]

    def expected(weights: np.ndarray) -> tuple[float, np.ndarray]:
        scores = np.stack([first @ weights[:edge], second @ weights[:edge], crease @ weights[edge:]], axis=1)
        chance = np.exp(scores - scores.max(axis=1, keepdims=True))
        chance /= chance.sum(axis=1, keepdims=True)
        cost = (chance * costs).sum(axis=1, keepdims=True)
        back = chance * (costs - cost)
        slope = np.r_[first.T @ back[:, 0] + second.T @ back[:, 1], crease.T @ back[:, 2]]
        return float(cost.sum() + RIDGE * (weights**2).sum()), slope + 2 * RIDGE * weights

    starts = [np.random.default_rng(seed).normal(0, 0.3, edge + crease.shape[1]) for seed in range(5)]
    found = min(
        (minimize(expected, start, jac=True, method="L-BFGS-B") for start in starts), key=lambda r: r.fun
    )
    return found.x[:edge], found.x[edge:]


def told(drawing: Known, weights: tuple[np.ndarray, np.ndarray]) -> np.ndarray:
    first, second, crease = drawing.measures
    if not len(first):
        return np.zeros(0, int)
    scores = np.stack([first @ weights[0], second @ weights[0], crease @ weights[1]], axis=1)
    return scores.argmax(axis=1)


def worth(drawings: Sequence[Known], edges: Sequence[np.ndarray]) -> float:
    """Mean iou of one subject's drawings, the first left out as the bench does."""
    share = next(k.share for k in drawings if k.first)
    below = float(np.median([k.below(e, share) for k, e in zip(drawings, edges, strict=True)]))
    return float(np.mean([k.iou(e, below) for k, e in zip(drawings, edges, strict=True) if not k.first]))


def main() -> None:
    """Measures, learns, writes."""
    wants = argparse.ArgumentParser()
    wants.add_argument("bench", type=Path)
    wants.add_argument("--jobs", type=int, default=2)
    asked = wants.parse_args()
    folders = sorted(p.parent for p in (asked.bench / "data" / "tone").glob("*/light.json"))
    with ProcessPoolExecutor(asked.jobs) as workers:
        tasks = [
            workers.submit(known, folder, path.stem)
            for folder in folders
            for path in sorted((folder / "lines").glob("*.png"))
        ]
        every = [task.result() for task in tasks]
    subjects = sorted({k.subject for k in every})
    for name, picked in (("every edge as good as can be", None), ("left out", taught)):
        scores = []
        for subject in subjects:
            own = [k for k in every if k.subject == subject]
            weights = picked([k for k in every if k.subject != subject]) if picked else None
            scores.append(worth(own, [told(k, weights) if weights else k.best for k in own]))
        print(f"{name}: iou {np.mean(scores):.3f}, worst {min(scores):.3f}  {np.round(scores, 3).tolist()}")
    edge, crease = taught(every)
    OUT.write_text(
        json.dumps({"edge": np.round(edge, 3).tolist(), "crease": np.round(crease, 3).tolist()}) + "\n"
    )
    print(f"{OUT} written")


if __name__ == "__main__":
    main()
