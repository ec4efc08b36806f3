"""What is known of the patches of a drawing when they are compared with others: sizes, forms, and which meet."""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from ..patches import Patches


@dataclass(frozen=True)
class Facts:
    """What is asked of a drawing's patches. areas: (count + 1,) px. picture: px of the drawing. touching: (k, 2) patches
    that meet under the line, both ways, and borders: (k,) px along which they do. places: (count + 1, 2) middles, from that of
    the figure in units of the square root of its area. spread: as in `Patches`."""

    background: int
    areas: NDArray[np.int64]
    picture: int
    touching: NDArray[np.int64]
    borders: NDArray[np.float64]
    places: NDArray[np.float64]
    spread: NDArray[np.float64]

    @property
    def count(self) -> int:
        return len(self.areas) - 1

    @property
    def neighbours(self) -> NDArray[np.int64]:
        """(count + 1,) patches that each meets."""
        return np.bincount(self.touching[:, 0], minlength=self.count + 1)

    @property
    def around(self) -> NDArray[np.float64]:
        """(count + 1,) px along which each meets others."""
        return np.asarray(np.bincount(self.touching[:, 0], self.borders, self.count + 1), float)

    @property
    def bare(self) -> NDArray[np.float64]:
        """(count + 1,) the share of that along which each meets the outside."""
        outside = self.touching[:, 1] == self.background
        met = np.bincount(self.touching[outside, 0], self.borders[outside], self.count + 1)
        return np.asarray(met / np.maximum(self.around, 1))

    @property
    def shares(self) -> NDArray[np.float64]:
        """(count + 1,) logarithm of each patch's share of the figure."""
        outside = int(self.areas[self.background]) if self.background else 0
        figure = max(int(self.areas[1:].sum()) - outside, 1)
        return np.asarray(np.log(np.maximum(self.areas, 1) / figure))

    def beside(self, values: NDArray[np.floating]) -> NDArray[np.float64]:
        """(count + 1, n) the mean of (count + 1, n) values over what each patch meets, longer borders counting more."""
        a, b = self.touching.T
        weight = np.sqrt(self.borders)
        found = np.zeros(values.shape)
        np.add.at(found, a, weight[:, None] * values[b])
        return found / np.maximum(np.bincount(a, weight, len(values)), 1e-9)[:, None]


_known: WeakKeyDictionary[Patches, Facts] = WeakKeyDictionary()


def facts_of(patches: Patches) -> Facts:
    """As in `Facts`, found once."""
    if patches not in _known:
        _known[patches] = _facts_of(patches)
    return _known[patches]


def _facts_of(patches: Patches) -> Facts:
    table = patches.touching
    pairs = np.argwhere(table)
    pairs = pairs[(pairs > 0).all(axis=1)]
    return Facts(
        patches.background,
        patches.areas,
        patches.open_labels.size,
        pairs,
        table[pairs[:, 0], pairs[:, 1]],
        _places(patches),
        patches.spread,
    )


def _places(patches: Patches) -> NDArray[np.float64]:
    areas = patches.areas.astype(float)
    areas[[0, patches.background]] = 0
    figure = max(areas.sum(), 1.0)
    return np.asarray((patches.centres - areas @ patches.centres / figure) / np.sqrt(figure))
