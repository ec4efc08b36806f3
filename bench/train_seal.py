"""Teaches what is a gap: writes schoon/core/seal/seal.npz.

Run by hand: pip install scikit-learn; python bench/train_seal.py BENCH_FOLDER
It learns from the bench's gapped drawings (`seal`, `seal2`), from their whole drawings and those of `paint` and `paint2`
with gaps cut anew at other sizes and brushes, and from the lines that cleaning makes of the roughs of `clean` and `clean2`.
Before it writes anything it prints what it is worth on subjects left out: how the chance agrees with the truth, and what
comes of whole drawings.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from scipy.special import logit
from train_marks import numbers

from schoon.core.cleanup import propose_strokes
from schoon.core.patches import wall_of
from schoon.core.seal.choosing import forms_of
from schoon.core.seal.ends import seen
from schoon.core.seal.necks import Necks, necks_of
from schoon.core.seal.propose import line_width, odds_of
from schoon.formats.pictures import decode

FOLDS = 12
CUT_COUNTS = 0.3
"""What a drawing with gaps cut anew counts beside one as it came."""

CUTS, LINE_CUTS = 12, 8
"""How often each drawing of the seal sets, and each run of the paint sets, is cut anew."""

AT_MEETING = 0.4
"""How often a gap is cut where a line meets another one."""

LEAST = 150
"""px² from which a form has to come out by itself (the bench's own measure)."""

OUT = Path(__file__).resolve().parent.parent / "schoon/core/seal/seal.npz"


@dataclass
class Known:
    """Necks of a drawing with the truth. two: the sides are two forms. counts: whether that is sure."""

    source: str
    cut: bool
    measures: np.ndarray
    two: np.ndarray
    counts: np.ndarray
    necks: Necks
    areas: np.ndarray
    """(rooms, forms) px² of each room in each true form."""


def known(
    source: str, ink: np.ndarray, forms: np.ndarray, true_ink: np.ndarray | None, cut: bool = False
) -> Known:
    """forms: (h, w) true form of each pixel, 0 unknown. true_ink: the line without gaps."""
    pen = max(line_width(ink), 1)
    necks = necks_of(ink, pen)
    corners = necks.triangles
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
    true = at(forms, corners.mean(axis=1))
    areas = np.zeros((len(necks.areas), int(forms.max()) + 1))
    np.add.at(areas, (necks.room_of, true), area)
    areas[:, 0] = 0
    best = areas.argmax(axis=1)
    sides = best[necks.rooms]
    two = sides[:, 0] != sides[:, 1]
    counts = (sides > 0).all(axis=1)
    if true_ink is not None and len(two):
        # A gap in a line that parts nothing says nothing about gaps.
        between = [(1 - t) * necks.ends[:, 0] + t * necks.ends[:, 1] for t in np.linspace(0.1, 0.9, 9)]
        counts &= two | (np.mean([at(true_ink, p) for p in between], axis=0) <= 0.5)
    measures = seen(ink, necks, pen).measures
    return Known(source, cut, measures, two, counts, necks, areas)


def at(picture: np.ndarray, points: np.ndarray) -> np.ndarray:
    x, y = np.rint(points).astype(int).T
    return picture[y.clip(0, picture.shape[0] - 1), x.clip(0, picture.shape[1] - 1)]


def with_gaps(
    ink: np.ndarray, forms: np.ndarray, random: np.random.Generator, count: int, side: float
) -> np.ndarray:
    """The ink with gaps of 5 to 30 px (of a picture 1200 px wide) cut through lines, most of them between two forms:
    straight, torn, or with round ends."""
    ink = ink.copy()
    depth = cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 5)
    crest = (depth >= cv2.dilate(depth, np.ones((3, 3)))) & ink
    large = np.bincount(forms.ravel()) >= LEAST
    rows, columns = np.nonzero(crest)
    done = 0
    for n in random.permutation(len(rows))[: 12 * count]:
        x, y = int(columns[n]), int(rows[n])
        half = float(depth[y, x])
        thick = 2 * half - 1
        reach = int(half + 5)
        around = np.unique(forms[max(0, y - reach) : y + reach + 1, max(0, x - reach) : x + reach + 1])
        if thick > 60 or (large[around[around > 0]].sum() < 2 and random.random() > 0.12):
            continue
        reach = int(max(14, 2 * thick))
        box = np.s_[max(0, y - reach) : y + reach + 1, max(0, x - reach) : x + reach + 1]
        dy, dx = np.nonzero(crest[box] & (depth[box] > 0.4 * half))
        if len(dx) < 6:
            continue
        run = np.c_[dx, dy].astype(float)
        _, spread, axes = np.linalg.svd(run - run.mean(axis=0), full_matrices=False)
        if spread[1] > 0.35 * spread[0]:
            continue
        gap = 5 * 6 ** random.random() * side / 1200
        place = (x, y)
        if random.random() < AT_MEETING:
            along = axes[0] * random.choice([-1, 1])
            place = before_meeting(ink, place, along, thick, gap)
            if place is None:
                continue
        done += cut_through(ink, place, axes[0], thick, gap, random)
        if done >= count:
            break
    return ink


def before_meeting(
    ink: np.ndarray, place: tuple[int, int], along: np.ndarray, thick: float, gap: float
) -> tuple[int, int] | None:
    """The middle of a gap that ends where the line meets another one ahead, None if it meets none soon."""
    across = np.array([-along[1], along[0]])
    for step in range(round(thick), 80):
        ahead = place + step * along
        if not at(ink, ahead[None])[0]:
            return None
        if at(ink, np.stack([ahead + side * 0.9 * thick * across for side in (-1, 1)])).any():
            x, y = np.rint(ahead - (gap / 2 + 1) * along).astype(int)
            inside = 0 <= x < ink.shape[1] and 0 <= y < ink.shape[0]
            return (int(x), int(y)) if inside and ink[y, x] else None
    return None


def cut_through(
    ink: np.ndarray, place: tuple[int, int], along: np.ndarray, thick: float, gap: float, random: Any
) -> bool:
    x, y = place
    kind = random.choice(["straight", "torn", "round"])
    length = gap + (0.9 * thick if kind == "round" else 0)
    reach = int(length / 2 + thick + 8)
    top, left = max(0, y - reach), max(0, x - reach)
    part = ink[top : y + reach + 1, left : x + reach + 1]
    dy, dx = (
        np.mgrid[top : top + part.shape[0], left : left + part.shape[1]] - np.array([y, x])[:, None, None]
    )
    a, b = dx * along[0] + dy * along[1], dy * along[0] - dx * along[1]
    edge = length / 2
    if kind == "torn":
        edge = edge + random.uniform(1, 2) * np.sin(b * random.uniform(0.3, 0.8) + random.uniform(0, 6))
    gone = (abs(a) <= edge) & (abs(b) <= 0.75 * thick + 3) & part
    _, pieces = cv2.connectedComponents(gone.astype(np.uint8), connectivity=8)
    own = pieces[y - top, x - left]
    if not own:
        return False
    gone = pieces == own
    stays = part & ~gone
    if kind == "round":
        for side in (-1, 1):
            end = side * (gap / 2 + 0.45 * thick)
            band = b[(abs(a - end) <= 2) & gone]
            if len(band):
                middle, half = (band.max() + band.min()) / 2, (band.max() - band.min()) / 2
                stays |= gone & (np.hypot(a - end, b - middle) <= half)
    part[:] = stays
    return True


def broader(ink: np.ndarray, by: int) -> np.ndarray:
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * by + 1, 2 * by + 1))
    return cv2.dilate(ink.astype(np.uint8), disc) > 0


def labelled(ink: np.ndarray) -> np.ndarray:
    return cv2.connectedComponents((~ink).astype(np.uint8), connectivity=4)[1]


def of_seal(folder: Path, stem: str, turn: int) -> Known:
    """A gapped drawing of the bench as it came (turn 0), or with gaps cut anew."""
    cv2.setNumThreads(1)
    source = f"{folder.name}/{stem}"
    truth = np.load(folder / "truth" / f"{stem}.npz")
    forms, ink = truth["lab"].astype(int), truth["ink"]
    if turn == 0:
        return known(
            source, decode(stem, (folder / "in" / f"{stem}.png").read_bytes())[..., 0] < 128, forms, ink
        )
    random = np.random.default_rng([turn, int(stem), folder.name == "seal2"])
    factor = float(np.exp(random.uniform(-0.7, 0.4)))
    size = (round(ink.shape[1] * factor), round(ink.shape[0] * factor))
    ink = (
        cv2.resize(
            ink.astype(np.float32), size, interpolation=cv2.INTER_AREA if factor < 1 else cv2.INTER_LINEAR
        )
        > 0.5
    )
    by = int(random.choice([0, 0, 0, 1, 2, 4, 7]))
    if by:
        ink = broader(ink, by)
        forms = labelled(ink)
    else:
        forms = cv2.resize(forms.astype(np.float32), size, interpolation=cv2.INTER_NEAREST).astype(int)
    side = random.uniform(0.5, 1.2) * max(ink.shape)
    return known(source, with_gaps(ink, forms, random, int(random.integers(3, 12)), side), forms, ink, True)


def of_run(folder: Path, turn: int) -> Known:
    """A drawing of a run that is to be painted, with gaps cut into it."""
    cv2.setNumThreads(1)
    paths = sorted((folder / "lines").glob("*.png"))
    path = paths[turn % len(paths)]
    random = np.random.default_rng([turn, *folder.name.encode()])
    ink = broader(
        decode(path.name, path.read_bytes())[..., :3].min(axis=2) <= 127,
        int(random.choice([0, 0, 1, 2, 3, 5, 8, 12])),
    )
    forms = labelled(ink)
    side = random.uniform(0.5, 1.2) * max(ink.shape)
    cut = with_gaps(ink, forms, random, int(random.integers(2, 14)), side)
    return known(f"{folder.parent.name}/{folder.name}", cut, forms, ink, True)


def of_rough(folder: Path, stem: str) -> Known:
    """The line that cleaning makes of a rough."""
    cv2.setNumThreads(1)
    rough = decode(stem, (folder / "in" / f"{stem}.png").read_bytes())
    size = (rough.shape[1], rough.shape[0])
    true = [np.array(p) for p in json.loads((folder / "truth" / f"{stem}.json").read_text()) if len(p) > 1]
    canvas = np.zeros(rough.shape[:2], np.uint8)
    for line in true:
        cv2.polylines(canvas, [np.round(line * 16).astype(np.int32)], False, 1, 4, cv2.LINE_8, 4)
    forms = labelled(canvas > 0)
    forms = forms * (cv2.erode((forms > 0).astype(np.uint8), np.ones((5, 5))) > 0)
    return known(f"{folder.name}/{stem}", wall_of(propose_strokes(rough), [], size), forms, None)


def taught(found: Sequence[Known]) -> Any:
    """Learns whether the sides of a neck are two forms."""
    from sklearn.ensemble import HistGradientBoostingClassifier

    measures, two = (
        np.concatenate([getattr(f, name)[f.counts] for f in found]) for name in ("measures", "two")
    )
    weight = np.concatenate([np.full(int(f.counts.sum()), CUT_COUNTS if f.cut else 1.0) for f in found])
    model = HistGradientBoostingClassifier(
        max_iter=250, max_leaf_nodes=12, learning_rate=0.06, l2_regularization=3.0, min_samples_leaf=15, max_features=0.3,
        random_state=0,
    )  # fmt: skip
    return model.fit(measures, two, sample_weight=weight)


def left_out(every: Sequence[Known]) -> None:
    """Prints what the chance is worth on subjects that nothing was learnt from."""
    sources = np.random.default_rng(1).permutation(sorted({k.source for k in every}))
    chance: dict[int, np.ndarray] = {}
    for fold in range(FOLDS):
        out = set(sources[fold::FOLDS].tolist())
        model = taught([k for k in every if k.source not in out])
        for n, k in enumerate(every):
            if k.source in out and not k.cut and len(k.two):
                chance[n] = model.predict_proba(k.measures)[:, 1]
    c = np.concatenate([v[every[n].counts] for n, v in chance.items()])
    y = np.concatenate([every[n].two[every[n].counts] for n in chance])
    print(
        f"{len(c)} necks; right {np.mean((c > 0.5) == y):.3f}, log loss {-np.mean(np.log(np.where(y, c, 1 - c) + 1e-9)):.3f}"
    )
    for low, high in ((0, 0.05), (0.05, 0.2), (0.2, 0.4), (0.4, 0.6), (0.6, 0.8), (0.8, 0.95), (0.95, 1.01)):
        some = (c >= low) & (c < high)
        print(
            f"  chance {low:.2f} to {min(high, 1):.2f}: {some.sum():4}, {y[some].mean():.3f} of them two forms"
        )
    for name in sorted({every[n].source.split("/")[0] for n in chance}):
        results = [
            comes_out(every[n], v) for n, v in chance.items() if every[n].source.startswith(name + "/")
        ]
        alone, forms, joined, cut = np.array(results).sum(axis=0)
        print(
            f"  {name}: {alone / forms:.3f} of the forms alone and whole, {joined / len(results):.2f} joined and {cut / len(results):.2f} cut a drawing"
        )


def comes_out(drawing: Known, chance: np.ndarray) -> tuple[int, int, int, int]:
    """True forms that come out alone and whole, all of them, how many are joined with another, how many cut in two."""
    odds = odds_of(logit(np.clip(chance, 1e-6, 1 - 1e-6)))
    form, _ = forms_of(drawing.necks.rooms, len(drawing.areas), odds)
    table = np.zeros((len(form), drawing.areas.shape[1]))
    np.add.at(table, form, drawing.areas)
    total = table.sum(axis=0)
    large = np.flatnonzero(total >= LEAST)
    holds = table[:, large] >= 0.3 * total[large]
    joined = (holds & (holds.sum(axis=1, keepdims=True) > 1)).any(axis=0)
    whole = table[:, large].max(axis=0) >= 0.9 * total[large]
    return int((whole & ~joined).sum()), len(large), int(joined.sum()), int((~whole).sum())


def main() -> None:
    """Measures, learns, writes."""
    wants = argparse.ArgumentParser()
    wants.add_argument("bench", type=Path)
    wants.add_argument("--jobs", type=int, default=2)
    asked = wants.parse_args()
    data = asked.bench / "data"
    tasks: list[Callable[[], Known]] = []
    for name in ("clean", "clean2"):
        tasks += [
            partial(of_rough, data / name, p.stem) for p in sorted((data / name / "truth").glob("*.json"))
        ]
    for name in ("seal", "seal2"):
        for path in sorted((data / name / "truth").glob("*.npz")):
            tasks += [partial(of_seal, data / name, path.stem, turn) for turn in range(1 + CUTS)]
    for name in ("paint", "paint2"):
        for path in sorted((data / name).glob("*/lines")):
            tasks += [partial(of_run, path.parent, turn) for turn in range(LINE_CUTS)]
    with ProcessPoolExecutor(asked.jobs) as workers:
        every = [future.result() for future in [workers.submit(task) for task in tasks]]
    left_out(every)
    np.savez_compressed(OUT, **numbers("gap", taught(every)))
    print(f"{OUT} written, {OUT.stat().st_size / 1000:.0f} kB")


if __name__ == "__main__":
    main()
