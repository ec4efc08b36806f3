"""Teaches how the surface of a drawing's forms differs from that of forms blown up one by one: writes
schoon/core/tone/surface.onnx.

Run by hand: pip install torch onnx; python bench/train_surface.py BENCH_FOLDER
A small network sees many drawings of figures put together at random (`solids.py`), whose normals are known, and at the same
time, in the second half, the bench's `tone`, of which only the shade under one light is known. Every drawing is seen as it is,
turned by quarters, or mirrored. `--left 00,01,02` leaves subjects of the bench out and prints what their shade is worth.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import torch
from networks import Network, write
from solids import made
from torch import Tensor, nn
from torch.nn import functional
from train_tone import normals_on_grid

from schoon.core.network import WHOLE
from schoon.core.tone import Forms, Light, Solids, agreed, forms_of, solids_of, tracks_of
from schoon.core.tone.surface import CHANNELS, SPREADS, TURNING, seen_by
from schoon.formats.painted import painted_patches

WIDTHS = (24, 32, 48, 64, 64)
FIRST_FIGURE = 1000
"""Seeds from which on no figure has taught `edges`, so that its mistakes are as they come."""

STEEP = 10.0
"""How soon light turns to shade, per unit of the cosine."""

LIT_COUNTS, SPREAD_COUNTS, BENCH_COUNTS = 0.3, 0.05, 0.6
"""What shade under a light, the spread, and the bench count beside the normals."""

RATE = 2e-3
AT_ONCE, BENCH_AT_ONCE = 6, 4
LYING = 0.35
"""How often figures are laid on their sides."""

OUT = Path(__file__).resolve().parent.parent / "schoon/core/tone/surface.onnx"


@dataclass(eq=False)
class Shown:
    """A drawing. seen: as `seen_by`. counts: (h, w) where it is learnt from. normals: (3, h, w) of a made figure; else shade:
    (h, w), and the unit vector towards its light."""

    seen: np.ndarray
    counts: np.ndarray
    normals: np.ndarray | None = None
    shade: np.ndarray | None = None
    light: np.ndarray | None = None


def _solids(read: Sequence[Forms]) -> list[Solids]:
    solids = [solids_of(forms) for forms in read]
    return agreed(solids, tracks_of(read))


def _seen(one: Solids) -> np.ndarray:
    return seen_by(one.forms, one.chances, one.edges, one.normals).astype(np.float16)


def of_figures(seed: int) -> list[Shown]:
    """A run of made figures."""
    cv2.setNumThreads(1)
    run = made(seed)
    found = []
    for drawn, one in zip(run, _solids([forms_of(d.patches, d.pots) for d in run]), strict=True):
        size = one.forms.labels.shape[::-1]
        solid = cv2.resize(
            drawn.solid[one.forms.part].astype(np.int32), size, interpolation=cv2.INTER_NEAREST
        )
        counts = (one.forms.labels > 0) & (solid > 0)
        normals = np.zeros((*counts.shape, 3), np.float16)
        for k in np.unique(solid[counts]).tolist():
            here = counts & (solid == k)
            normals[here] = normals_on_grid(one.forms, drawn.whole[k])[here]
        found.append(Shown(_seen(one), counts, normals.transpose(2, 0, 1)))
    return found


def of_bench(folder: Path) -> list[Shown]:
    """A subject of the bench."""
    cv2.setNumThreads(1)
    light = json.loads((folder / "light.json").read_text())
    towards = Light(light["azimuth"], light["height"]).direction
    lines = sorted((folder / "lines").glob("*.png"))
    painted = [painted_patches(line, folder / "paint" / line.name) for line in lines]
    found = []
    for line, one in zip(lines, _solids([forms_of(p, pots) for p, pots, _ in painted]), strict=True):
        size = one.forms.labels.shape[::-1]
        shade, open_ = (
            cv2.resize(mask[one.forms.part].astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
            for mask in (
                cv2.imread(str(folder / "truth" / line.name), 0) > 127,
                cv2.imread(str(line), 0) > 127,
            )
        )
        counts = open_ & (one.forms.labels > 0)
        found.append(Shown(_seen(one), counts, shade=shade, light=towards))
    return found


def told(network: Network, seen: Tensor) -> tuple[Tensor, Tensor]:
    """(n, 3, h, w) normals and (n, 1, h, w) log variance for pictures whose sides are whole blocks of the coarsest level."""
    said = network.said(seen)
    return seen[:, 3:6] + said[:, :3], said[:, 3:].clamp(*SPREADS)


def laid(picture: np.ndarray, way: int, directions: Sequence[tuple[int, int]] = ()) -> Tensor:
    """(channels, h, w) in one of eight ways; odd ones lie on their side. directions: channels right and down."""
    x = picture.astype(np.float32)
    if way & 4:
        x = x[..., ::-1].copy()
        x[[right for right, _ in directions]] *= -1
    if way & 2:
        x = x[..., ::-1, ::-1].copy()
        x[[k for pair in directions for k in pair]] *= -1
    if way & 1:
        x = x.transpose(0, 2, 1).copy()
        for right, down in directions:
            x[[right, down]] = x[[down, right]]
    return torch.from_numpy(np.ascontiguousarray(x))


def together(pictures: Sequence[Tensor]) -> Tensor:
    """Pictures in one batch, filled up with nothing."""
    high, wide = (-(-max(p.shape[axis] for p in pictures) // WHOLE) * WHOLE for axis in (-2, -1))
    return torch.stack([functional.pad(p, (0, wide - p.shape[-1], 0, high - p.shape[-2])) for p in pictures])


def shade_loss(normals: Tensor, light: Tensor, below: Tensor, dark: Tensor, weight: Tensor) -> Tensor:
    """How wrong the shade is under a light, one a picture."""
    falls = (normals * light[:, :, None, None]).sum(1, keepdim=True)
    scores = STEEP * (below[:, None, None, None] - falls)
    return (functional.binary_cross_entropy_with_logits(scores, dark, reduction="none") * weight).sum()


def figures_loss(
    network: Network, chosen: Sequence[Shown], ways: Sequence[int], random: np.random.Generator
) -> Tensor:
    """Normals, shade under a light from anywhere, and spread of made figures."""
    seen = together([laid(s.seen, w, TURNING) for s, w in zip(chosen, ways, strict=True)])
    true = together([laid(s.normals, w, ((0, 1),)) for s, w in zip(chosen, ways, strict=True)])
    counts = together([laid(s.counts[None], w) for s, w in zip(chosen, ways, strict=True)])
    normals, spread = told(network, seen)
    weight = counts / counts.sum()
    off = ((normals - true) ** 2).sum(1, keepdim=True)
    likely = 0.5 * (off.detach() / 3 * torch.exp(-spread) + spread)
    lights = [Light(random.uniform(0, 360), random.uniform(-5, 60)).direction for _ in chosen]
    light = torch.tensor(np.array(lights), dtype=torch.float32)
    falls = (true * light[:, :, None, None]).sum(1, keepdim=True)
    below = torch.stack(
        [
            torch.quantile(f[c > 0][::7], random.uniform(0.08, 0.48))
            for f, c in zip(falls, counts, strict=True)
        ]
    )
    dark = (falls < below[:, None, None, None]).float()
    shade = shade_loss(normals, light, below, dark, weight)
    return (off * weight).sum() + LIT_COUNTS * shade + SPREAD_COUNTS * (likely * weight).sum()


def bench_loss(network: Network, chosen: Sequence[Shown], ways: Sequence[int]) -> Tensor:
    """Shade of the bench, which begins where as much of a drawing lies in it as truly does."""
    seen = together([laid(s.seen, w, TURNING) for s, w in zip(chosen, ways, strict=True)])
    dark = together([laid(s.shade[None], w) for s, w in zip(chosen, ways, strict=True)])
    counts = together([laid(s.counts[None], w) for s, w in zip(chosen, ways, strict=True)])
    light = torch.stack(
        [laid(s.light[:, None, None], w, ((0, 1),))[:, 0, 0] for s, w in zip(chosen, ways, strict=True)]
    )
    normals, _ = told(network, seen)
    falls = (normals * light[:, :, None, None]).sum(1, keepdim=True).detach()
    below = torch.stack(
        [torch.quantile(f[c > 0][::3], d[c > 0].mean()) for f, c, d in zip(falls, counts, dark, strict=True)]
    )
    return shade_loss(normals, light, below, dark, counts / counts.sum())


def teach(figures: Sequence[Shown], bench: Sequence[Shown], steps: int, seed: int = 0) -> Network:
    """A network that has seen figures, and from half of the steps on the bench as well."""
    torch.manual_seed(seed)
    random = np.random.default_rng(seed)
    network = Network(CHANNELS, 4, WIDTHS).to(memory_format=torch.channels_last)
    step_by = torch.optim.AdamW(network.parameters(), RATE, weight_decay=1e-4)
    for n in range(steps):
        rate = RATE * min(1, (n + 1) / 60) * (0.5 + 0.5 * np.cos(np.pi * n / steps))
        for group in step_by.param_groups:
            group["lr"] = rate + 1e-6
        lie = int(random.random() < LYING)
        drawn = random.integers(0, len(figures), AT_ONCE)
        ways = [2 * int(k) + lie for k in random.integers(0, 4, AT_ONCE)]
        loss = figures_loss(network, [figures[k] for k in drawn], ways, random)
        if bench and n >= steps // 2 and n % 2:
            drawn = random.integers(0, len(bench), BENCH_AT_ONCE)
            loss = loss + BENCH_COUNTS * bench_loss(network, [bench[k] for k in drawn], ways[:BENCH_AT_ONCE])
        step_by.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(network.parameters(), 1.0)
        step_by.step()
        if (n + 1) % 100 == 0:
            print(f"{n + 1} of {steps}: {loss.item():.4f}", flush=True)
    return network.eval()


def worth(network: Network, run: Sequence[Shown]) -> float:
    """Mean iou of the shade of a subject's drawings, each with as much of it as it truly has."""
    scores = []
    for shown in run:
        rows, columns = shown.counts.shape
        with torch.no_grad():
            normals, _ = told(network, together([laid(shown.seen, 0)]))
        falls = (normals[0, :, :rows, :columns].numpy() * shown.light[:, None, None]).sum(axis=0)
        true = shown.shade[shown.counts]
        mine = falls[shown.counts] < np.quantile(falls[shown.counts], true.mean())
        scores.append((mine & true).sum() / max(1, (mine | true).sum()))
    return float(np.mean(scores))


def main() -> None:
    """Learns, measures, writes."""
    wants = argparse.ArgumentParser()
    wants.add_argument("bench", type=Path)
    wants.add_argument("--made", type=int, default=250, help="Runs of made figures.")
    wants.add_argument("--steps", type=int, default=1600)
    wants.add_argument(
        "--left", default="", help="Subjects of the bench that are left out; nothing is written then."
    )
    wants.add_argument("--jobs", type=int, default=2)
    asked = wants.parse_args()
    folders = sorted(p.parent for p in (asked.bench / "data" / "tone").glob("*/light.json"))
    left = [name for name in asked.left.split(",") if name]
    with ProcessPoolExecutor(asked.jobs) as workers:
        bench = dict(zip([f.name for f in folders], workers.map(of_bench, folders), strict=True))
        seeds = range(FIRST_FIGURE, FIRST_FIGURE + asked.made)
        figures = [shown for run in workers.map(of_figures, seeds) for shown in run]
    network = teach(figures, [s for name, run in bench.items() if name not in left for s in run], asked.steps)
    for name, run in bench.items():
        print(f"{name}: iou {worth(network, run):.3f}{' (left out)' if name in left else ''}")
    if not left:
        write(network, OUT)
        print(f"{OUT} written")


if __name__ == "__main__":
    main()
