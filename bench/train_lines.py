"""Teaches where lines are in a rough: writes schoon/core/cleanup/lines.onnx.

Run by hand: pip install torch onnx; python bench/train_lines.py BENCH_FOLDER --pictures FOLDER
A small network sees roughs that `schoon.demo.marks` makes of the bench's lines and line art and of the demo's, whose true lines
are known, and in the second half the bench's own roughs (`clean`, `clean2`) and the demo's as well. `--left first` and `second`
keep a half of those out, and everything made of them: the trees of `train_marks.py` are taught with what two such networks say.
FOLDER keeps what was made, so that it is made once.
"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from copy import deepcopy
from functools import partial
from pathlib import Path

import cv2
import numpy as np
import torch
from networks import Network, write
from torch import Tensor, nn
from torch.nn import functional
from train_marks import SIZES, demo_drawing, laid, of_demo, real_roughs, source_of, truth_of

from schoon.core.cleanup.evidence import SEEN, SPREAD, seen_by
from schoon.core.cleanup.propose import at_pen, layers_of
from schoon.core.strokes import resample
from schoon.demo.marks import Manner, marked_rough
from schoon.demo.roughs import pencil_rough
from schoon.demo.shapes import ellipse
from schoon.formats.pictures import decode

WIDTHS = (20, 32, 56, 80, 96)
RATE = 2e-3
AT_ONCE, SIDE = 8, 320
"""Pieces of pictures that are seen at once, and how large they are, px."""

LINE_COUNTS = 4.0
"""How much more a place on a line counts than one beside it."""

BENCH_COUNTS = 0.5
"""Share of the pieces that are of real roughs in the second half."""

LATER = 0.75
"""How much the last quarter of the teaching counts in what is written; the one before it counts the rest."""

SEARCHED = 0.25
"""Share of the roughs that are drawn in the hand of the demo's: overshooting strokes that search for a line."""

SHEETS = (*SIZES, (1000, 900), (800, 800))

OUT = Path(__file__).resolve().parent.parent / "schoon/core/cleanup/lines.onnx"


def shown(picture: np.ndarray, lines: Sequence[np.ndarray]) -> np.ndarray | None:
    """(h, w, SEEN + 1) 8-bit: what is seen of a rough, and how near the middle of a true line each place lies."""
    layers, shrink = layers_of(picture)
    near = at_pen(layers[0][0], shrink)
    if near is None:
        return None
    layer, density, scale = near
    beside = np.full(layer.shape, 255, np.uint8)
    for line in lines:
        places = np.round((resample(np.asarray(line, float), 1.0) / scale - 0.5) * 16).astype(np.int32)
        cv2.polylines(beside, [places], False, 0, 1, cv2.LINE_8, 4)
    away = cv2.distanceTransform(beside, cv2.DIST_L2, 5)
    line_here = np.exp(-(away**2) / (2 * SPREAD**2))
    seen = seen_by(layer, density) * np.array([255, 170])[:, None, None]
    return np.round(np.dstack([*seen, line_here * 255])).astype(np.uint8)


def made(folder: Path, work: tuple[Path, int]) -> None:
    """Makes a rough of a source's lines, unless it was made before."""
    path, seed = work
    kept = folder / f"{source_of(path)}-{seed}.png"
    if kept.exists():
        return
    cv2.setNumThreads(1)
    random = np.random.default_rng(seed)
    lines = truth_of(path)
    size = SHEETS[random.integers(len(SHEETS))]
    turn = random.normal(0, 0.25)
    about = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    middle = np.array(size) / 2
    lines = [(p - middle) @ about + middle for p in laid(lines, size, (0.4, 1.05), random)]
    if random.random() < SEARCHED:
        guides = [ellipse(middle.tolist(), *random.uniform(0.05, 0.4, 2) * min(size)) for _ in range(2)]
        picture = pencil_rough(lines, guides, size, float(random.uniform(0, 1.3)), random)
    else:
        picture = marked_rough(lines, size, Manner.any(random), random).picture
    found = shown(picture, lines)
    if found is not None:
        # Whole or not at all, as several make pictures at once.
        part = kept.with_suffix(f".{seed}.part.png")
        cv2.imwrite(str(part), found)
        part.rename(kept)


def real(path: Path) -> np.ndarray | None:
    """As `shown`, of a rough of the bench or the demo."""
    cv2.setNumThreads(1)
    picture = demo_drawing(path).rough() if of_demo(path) else decode(path.name, path.read_bytes())
    return shown(picture, truth_of(path))


def piece(picture: np.ndarray, random: np.random.Generator) -> np.ndarray:
    """(SEEN + 1, SIDE, SIDE) of a picture, turned or mirrored, drawn with more or less pressure."""
    high, wide = picture.shape[:2]
    for _ in range(4):
        top, left = (int(random.integers(0, max(1, n - SIDE + 1))) for n in (high, wide))
        cut = picture[top : top + SIDE, left : left + SIDE]
        if (cut[..., SEEN] > 200).sum() > 150:
            break
    whole = np.zeros((SIDE, SIDE, SEEN + 1), np.float32)
    whole[: cut.shape[0], : cut.shape[1]] = cut
    whole /= np.array([255, 170, 255])
    whole[..., :SEEN] *= np.exp(random.normal(0, (0.25, 0.08)))
    whole = np.rot90(whole, int(random.integers(4)))
    if random.random() < 0.5:
        whole = whole[:, ::-1]
    return np.ascontiguousarray(whole.transpose(2, 0, 1))


def loss_of(said: Tensor, true: Tensor) -> Tensor:
    """How wrong (n, 1, h, w) scores are, place by place and as lines that overlap the true ones."""
    weight = 1 + LINE_COUNTS * true
    off = functional.binary_cross_entropy_with_logits(said, true, reduction="none")
    chance = torch.sigmoid(said)
    both = 2 * (chance * true).sum((1, 2, 3)) + 30
    overlap = both / ((chance**2).sum((1, 2, 3)) + (true**2).sum((1, 2, 3)) + 30)
    return (off * weight).mean() * 4 + 0.3 * (1 - overlap).mean()


def teach(
    network: Network, made_of: Sequence[Path], bench: Sequence[np.ndarray], steps: int, rate: float, seed: int
) -> Network:
    """Teaches a network further, on the bench as well where there is any."""
    random = np.random.default_rng(seed)
    network = network.to(memory_format=torch.channels_last)
    step_by = torch.optim.AdamW(network.parameters(), rate, weight_decay=1e-4)
    mean = 0.0
    for n in range(steps):
        now = rate * min(1, (n + 1) / 50) * (0.5 + 0.5 * np.cos(np.pi * n / steps)) + 1e-6
        for group in step_by.param_groups:
            group["lr"] = now
        pieces = []
        for _ in range(AT_ONCE):
            if bench and random.random() < BENCH_COUNTS:
                picture = bench[random.integers(len(bench))]
            else:
                picture = cv2.imread(str(made_of[random.integers(len(made_of))]), cv2.IMREAD_UNCHANGED)
            pieces.append(piece(picture, random))
        batch = torch.from_numpy(np.stack(pieces))
        loss = loss_of(network.said(batch[:, :SEEN]), batch[:, SEEN:])
        step_by.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(network.parameters(), 1.0)
        step_by.step()
        mean += loss.item() / 100
        if (n + 1) % 100 == 0:
            print(f"{n + 1} of {steps}: {mean:.4f}", flush=True)
            mean = 0.0
    return network.eval()


def mean_of(before: Network, after: Network, share: float) -> Network:
    """A network whose weights lie between those of two (P. Izmailov and others, 2018), a share of the way."""
    mean = deepcopy(after)
    first = before.state_dict()
    mean.load_state_dict(
        {name: first[name] + share * (last - first[name]) for name, last in after.state_dict().items()}
    )
    return mean


def line_art(bench: Path) -> list[Path]:
    """The bench's line art."""
    art = sorted((bench / "data" / "paint").glob("*/lines/0[04].png"))
    return art + sorted((bench / "data" / "paint2").glob("*/lines/0[0258].png"))


def main() -> None:
    """Makes pictures, learns, writes."""
    wants = argparse.ArgumentParser()
    wants.add_argument("bench", type=Path)
    wants.add_argument("--pictures", type=Path, required=True)
    wants.add_argument("--each", type=int, default=12, help="roughs made of each drawing")
    wants.add_argument("--steps", type=int, default=4000)
    wants.add_argument("--left", choices=("none", "first", "second"), default="none")
    wants.add_argument("--out", type=Path, default=OUT)
    wants.add_argument("--jobs", type=int, default=2)
    asked = wants.parse_args()
    asked.pictures.mkdir(parents=True, exist_ok=True)
    first, second = real_roughs(asked.bench)
    out = {"none": [], "first": first, "second": second}[asked.left]
    roughs = [p for p in (*first, *second) if p not in out]
    with ProcessPoolExecutor(asked.jobs) as workers:
        drawn = [*first, *second, *line_art(asked.bench)]
        work = [(path, 1000 * n + k) for n in range(asked.each) for k, path in enumerate(drawn)]
        list(workers.map(partial(made, asked.pictures), work, chunksize=4))
        bench = [b for b in workers.map(real, roughs) if b is not None]
    unseen = {source_of(p) for p in out}
    known = [p for p in sorted(asked.pictures.glob("*.png")) if p.name.split("-")[0] not in unseen]
    torch.manual_seed(0)
    network = teach(Network(SEEN, 1, WIDTHS), known, [], asked.steps // 2, RATE, 0)
    before = teach(network, known, bench, asked.steps // 4, RATE / 2, 1)
    after = teach(deepcopy(before), known, bench, asked.steps // 4, RATE / 2, 2)
    network = mean_of(before, after, LATER)
    write(network, asked.out)
    print(f"{asked.out} written")


if __name__ == "__main__":
    main()
