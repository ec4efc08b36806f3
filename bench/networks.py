"""Networks as `schoon.core.network` asks them: their shape, and how they are written."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from pathlib import Path

import torch
from torch import Tensor, nn
from torch.nn import functional

from schoon.core.network import BLOCK, LEVELS


class Pair(nn.Module):
    """Two convolutions."""

    def __init__(self, into: int, out: int) -> None:
        super().__init__()
        self.first, self.second = nn.Conv2d(into, out, 3, padding=1), nn.Conv2d(out, out, 3, padding=1)

    def forward(self, x: Tensor) -> Tensor:
        return functional.relu(self.second(functional.relu(self.first(x))))


class Network(nn.Module):
    """A U of `widths` channels, from fine to coarse, that sees and says things of each pixel, in blocks of them."""

    def __init__(self, seen: int, said: int, widths: Sequence[int]) -> None:
        super().__init__()
        assert len(widths) == LEVELS
        self.seen = seen
        into = [BLOCK**2 * seen, *widths]
        self.down = nn.ModuleList(Pair(a, b) for a, b in itertools.pairwise(into))
        back = widths[::-1]
        self.up = nn.ModuleList(Pair(a + b, b) for a, b in itertools.pairwise(back))
        self.last = nn.Conv2d(widths[0], BLOCK**2 * said, 3, padding=1)
        nn.init.zeros_(self.last.weight)
        nn.init.zeros_(self.last.bias)

    def forward(self, x: Tensor) -> Tensor:
        beside = []
        for k, pair in enumerate(self.down):
            x = pair(functional.max_pool2d(x, 2) if k else x)
            beside.append(x)
        for pair, other in zip(self.up, beside[-2::-1], strict=True):
            larger = functional.interpolate(x, scale_factor=2.0, mode="nearest")
            x = pair(torch.cat([larger, other], 1))
        return self.last(x)

    def said(self, pictures: Tensor) -> Tensor:
        """(n, said, h, w) of (n, seen, h, w) pictures whose sides are whole blocks of the coarsest level."""
        blocks = functional.pixel_unshuffle(pictures, BLOCK).to(memory_format=torch.channels_last)
        return functional.pixel_shuffle(self(blocks), BLOCK)


def write(network: Network, path: Path) -> None:
    blocks = torch.zeros(1, BLOCK**2 * network.seen, 64, 64)
    free = {2: "rows", 3: "columns"}
    torch.onnx.export(
        network, (blocks,), str(path), input_names=["seen"], output_names=["told"],
        dynamic_axes={"seen": free, "told": free}, opset_version=13, dynamo=False,
    )  # fmt: skip
