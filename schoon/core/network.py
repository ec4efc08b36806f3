"""Small convolutional networks that the training scripts in `bench` have taught, asked through OpenCV.

They are shaped like a U (O. Ronneberger, P. Fischer and T. Brox, 2015) and see blocks of pixels as one.
"""

from __future__ import annotations

from functools import lru_cache
from importlib import resources
from threading import Lock

import cv2
import numpy as np
from numpy.typing import NDArray

BLOCK, LEVELS = 2, 5
"""Pixels a side that a network takes as one, and how often it halves what it sees."""

WHOLE = BLOCK * 2 ** (LEVELS - 1)
"""Sides of pictures are filled up to multiples of this, px."""

_asking = Lock()


def told(package: str, name: str, seen: NDArray[np.float32]) -> NDArray[np.float32]:
    """(n, said, h, w) what the network `name`.onnx of a package says of each pixel of n pictures, (n, channels, h, w)."""
    many, channels, rows, columns = seen.shape
    padded = np.pad(seen, ((0, 0), (0, 0), (0, -rows % WHOLE), (0, -columns % WHOLE)))
    high, wide = padded.shape[2] // BLOCK, padded.shape[3] // BLOCK
    blocks = padded.reshape(many, channels, high, BLOCK, wide, BLOCK).transpose(0, 1, 3, 5, 2, 4)
    with _asking:
        network = _network(package, name)
        network.setInput(np.ascontiguousarray(blocks.reshape(many, -1, high, wide)))
        said = network.forward()
    fine = said.reshape(many, -1, BLOCK, BLOCK, high, wide).transpose(0, 1, 4, 2, 5, 3)
    return np.ascontiguousarray(fine.reshape(many, -1, high * BLOCK, wide * BLOCK)[..., :rows, :columns])


@lru_cache(maxsize=4)
def _network(package: str, name: str) -> cv2.dnn.Net:
    body = (resources.files(package) / f"{name}.onnx").read_bytes()
    return cv2.dnn.readNetFromONNX(np.frombuffer(body, np.uint8))
