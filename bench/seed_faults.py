"""Lays faults into clean painted runs, to see what `schoon proof` finds in drawings of other artists.

usage: seed_faults.py BENCH_FOLDER OUT [SEED]     runs of data/paint and data/paint2 with known paint -> OUT/<run>/lines,
                                                  paint, faults.json, as data/proof has them
Then: for s in OUT/*/; do schoon proof $s/lines $s/paint --out OUT-found/$(basename $s).json; done; score.py proof OUT OUT-found
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from schoon.core.patches import Patches
from schoon.formats.painted import painted_patches
from schoon.formats.pictures import decode, encode_png

Picture = NDArray[np.uint8]
Fault = dict[str, Any]


def of_paint(
    k: int, patches: list[Patches], paint: list[Picture], hole: bool, rng: np.random.Generator
) -> Fault:
    """Another colour, or none, on a patch that its neighbours have too."""
    own, near = patches[k], patches[k - 1]
    fit = [
        p
        for p in range(1, own.count + 1)
        if p != own.background
        and own.areas[p] > 150
        and paint[k][own.open_labels == p][:, 3].min() > 0
        and near.areas[near.at(*own.centres[p])] > 0.7 * own.areas[p]
    ]
    if not fit:
        return {}
    patch = int(rng.choice(fit))
    mask = own.labels == patch
    others = np.unique(paint[k][paint[k][..., 3] > 0], axis=0)
    others = others[(others != paint[k][mask][0]).any(axis=1)]
    paint[k][mask] = 0 if hole else others[rng.integers(len(others))]
    return {"rule": "hole" if hole else "flash", "at": own.centres[patch].round(1).tolist()}


def missing(
    k: int, patches: list[Patches], paint: list[Picture], lines: list[Picture], rng: np.random.Generator
) -> Fault:
    """A small enclosed form with its line is covered by what lies round it."""
    own = patches[k]
    fit = []
    for p in range(1, own.count + 1):
        if p == own.background or not 40 < own.areas[p] < 1500:
            continue
        mask = (own.open_labels == p).astype(np.uint8)
        wide = cv2.dilate(mask, np.ones((19, 19), np.uint8)) > 0
        around = own.open_labels[wide & (mask == 0)]
        around = around[around > 0]
        if len(around) and len(set(around.tolist())) == 1 and around[0] != own.background:
            fit.append((p, int(around[0]), wide))
    if not fit:
        return {}
    patch, host, wide = fit[rng.integers(len(fit))]
    colour = paint[k][own.open_labels == host][0]
    paint[k][wide] = colour
    lines[k][wide] = 255
    return {"rule": "missing", "at": own.centres[patch].round(1).tolist()}


def speck(k: int, patches: list[Patches], paint: list[Picture], rng: np.random.Generator) -> Fault:
    """A dot of another colour in the middle of a patch."""
    own = patches[k]
    fit = [p for p in range(1, own.count + 1) if p != own.background and own.areas[p] > 900]
    if not fit:
        return {}
    x, y = own.anchors[int(rng.choice(fit))].astype(int)
    paint[k][y : y + 2, x : x + 2] = (255, 0, 255, 255)
    return {"rule": "speck", "at": [float(x), float(y)]}


def spill(k: int, patches: list[Patches], paint: list[Picture], rng: np.random.Generator) -> Fault:
    """Paint runs over the outline."""
    own = patches[k]
    outside = own.labels == own.background
    figure = cv2.dilate((~outside).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    rows, columns = np.nonzero(figure & outside)
    at = rng.integers(len(rows))
    x, y = int(columns[at]), int(rows[at])
    blot = np.zeros(outside.shape, np.uint8)
    cv2.circle(blot, (x, y), int(rng.integers(18, 40)), 1, -1)
    inside = np.unique(own.labels[(blot > 0) & ~outside])
    if not len(inside):
        return {}
    paint[k][(blot > 0) & outside] = (
        paint[k][own.open_labels == inside[0]][0] if inside[0] else (255, 0, 0, 255)
    )
    return {"rule": "spill", "at": [float(x), float(y)]}


def weight(k: int, lines: list[Picture]) -> Fault:
    """Heavier lines."""
    dark = cv2.dilate(255 - lines[k], cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (4, 4)))
    lines[k] = 255 - dark
    return {"rule": "weight", "at": None}


def seeded(
    run: Path, rng: np.random.Generator
) -> tuple[list[str], list[Picture], list[Picture], list[Fault]]:
    """Stems, lines, paint and faults of a run: four faults in drawings apart from each other."""
    stems = sorted(p.stem for p in (run / "truth").glob("??.png"))
    files = [(run / "lines" / f"{s}.png", run / "truth" / f"{s}.png") for s in stems]
    patches = [painted_patches(line, paint)[0] for line, paint in files]
    lines = [decode(a.name, a.read_bytes())[..., 0].copy() for a, _ in files]
    paint = [decode(b.name, b.read_bytes()).copy() for _, b in files]
    acts = [
        lambda k: of_paint(k, patches, paint, False, rng),
        lambda k: of_paint(k, patches, paint, True, rng),
        lambda k: missing(k, patches, paint, lines, rng),
        lambda k: speck(k, patches, paint, rng),
        lambda k: spill(k, patches, paint, rng),
        lambda k: weight(k, lines),
    ]
    faults = []
    places = rng.permutation(np.arange(1, len(stems) - 1))
    for k, act in zip(places.tolist(), rng.permutation(len(acts)).tolist(), strict=False):
        if fault := acts[act](k):
            faults.append({"drawings": [stems[k]], **fault})
    return stems, lines, paint, faults


def main(bench: Path, out: Path, seed: int) -> None:
    rng = np.random.default_rng(seed)
    for folder in ("paint", "paint2"):
        for run in sorted((bench / "data" / folder).iterdir()):
            if not run.name.startswith(("motion", "puppet")):
                continue
            stems, lines, paint, faults = seeded(run, rng)
            to = out / f"{folder}-{run.name}"
            for name, pictures in (("lines", lines), ("paint", paint)):
                (to / name).mkdir(parents=True, exist_ok=True)
                for stem, picture in zip(stems, pictures, strict=True):
                    (to / name / f"{stem}.png").write_bytes(encode_png(picture))
            (to / "faults.json").write_text(json.dumps({"faults": faults, "blink": None}, indent=1))


if __name__ == "__main__":
    if len(sys.argv) < 3:
        sys.exit(__doc__)
    main(Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3]) if len(sys.argv) > 3 else 0)
