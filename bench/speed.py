"""Times of the computation on one core beside plain methods in the same run, on demo roughs.

Run by hand: .venv/bin/python bench/speed.py
"""

from __future__ import annotations

import time
from collections.abc import Callable

import cv2
import numpy as np
from skimage.morphology import skeletonize

from schoon.core.cleanup import propose_strokes
from schoon.core.paint import Paint, carry
from schoon.core.patches import add_stitches, find_patches, outlines, wall_of
from schoon.core.seal import propose_stitches
from schoon.demo.shots import SIZE, stair


def best(call: Callable[[], object], rounds: int = 3) -> float:
    """Seconds of the fastest of a few calls: the others met more of the machine's noise."""
    times = []
    for _ in range(rounds):
        start = time.perf_counter()
        call()
        times.append(time.perf_counter() - start)
    return min(times)


def side_by_side(
    ours: Callable[[], object], plain: Callable[[], object], rounds: int = 5
) -> tuple[float, float]:
    """Seconds of both, measured in turn so that a slow moment of the machine meets both."""
    pairs = [(best(ours, 1), best(plain, 1)) for _ in range(rounds)]
    return min(a for a, _ in pairs), min(b for _, b in pairs)


def plain_clean(picture: np.ndarray) -> np.ndarray:
    """Blur, adaptive threshold, skeleton."""
    grey = cv2.GaussianBlur(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), (0, 0), 3)
    ink = cv2.adaptiveThreshold(grey, 1, cv2.ADAPTIVE_THRESH_GAUSSIAN_C, cv2.THRESH_BINARY_INV, 51, 12)
    return skeletonize(ink > 0)


def trapped_ball(ink: np.ndarray) -> np.ndarray:
    """Regions a ball of falling radius can reach (S.-H. Zhang et al., 2009), plainly."""
    labels = np.zeros(ink.shape, np.int32)
    free = ~ink
    for radius in (13, 9, 6, 4, 2, 1):
        kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
        room = cv2.erode((free & (labels == 0)).astype(np.uint8), kernel)
        count, found = cv2.connectedComponents(room, connectivity=4)
        for k in range(1, count):
            ball = cv2.dilate((found == k).astype(np.uint8), kernel) > 0
            labels[ball & free & (labels == 0)] = labels.max() + 1
    return labels


def main() -> None:
    cv2.setNumThreads(1)
    drawings = [stair()[k] for k in (0, 1, 3)]
    rough = drawings[0].rough()
    square = cv2.resize(rough[:, 300:1380], (1152, 1152))
    for name, picture in (("1920 x 1080", rough), ("1152 x 1152", square)):
        ours, plain = side_by_side(lambda p=picture: propose_strokes(p), lambda p=picture: plain_clean(p))
        print(f"clean   {name}  {ours:.2f} s   plain {plain:.2f} s   ratio {ours / plain:.1f}")
    lines = [propose_strokes(d.rough()) for d in drawings]
    wall = wall_of(lines[0], [], SIZE)
    ours, plain = best(lambda: propose_stitches(wall)), best(lambda: trapped_ball(wall), 1)
    print(f"seal    1920 x 1080  {ours:.2f} s   trapped ball {plain:.2f} s   ratio {ours / plain:.2f}")
    stitches = [
        [s.points for s in propose_stitches(wall_of(x, [], SIZE)) if s.state == "taken"] for x in lines
    ]
    walls = [add_stitches(wall_of(x, [], SIZE), s) for x, s in zip(lines, stitches, strict=True)]
    print(f"patches 1920 x 1080  {best(lambda: find_patches(walls[0], 6)) * 1000:.0f} ms from the wall")
    patches = [find_patches(w, 6) for w in walls]
    print(f"        outlines     {best(lambda: outlines(patches[0])) * 1000:.0f} ms")
    key = {n: Paint(n) for n in range(1, patches[0].count + 1)}
    print(f"carry   1920 x 1080  {best(lambda: carry(patches, {0: key})) / 2:.2f} s a drawing")


if __name__ == "__main__":
    main()
