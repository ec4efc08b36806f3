"""Line pictures from outside: where their line is."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from schoon.core.patches import find_patches
from schoon.formats.painted import inked


def ring() -> NDArray[np.float32]:
    """A black ring on white, antialiased."""
    picture = np.full((300, 300), 255, np.uint8)
    cv2.circle(picture, (150, 150), 100, 0, 9, cv2.LINE_AA)
    return picture.astype(np.float32)


def test_clean_ink_is_cut_half_way() -> None:
    light = ring()
    assert (inked(light) == (light < 128)).all()
    assert not inked(np.full((40, 40), 255, np.float32)).any()


def test_a_line_with_the_texture_of_its_pencil_has_no_pores() -> None:
    random = np.random.default_rng(3)
    texture = cv2.GaussianBlur(random.normal(0, 1, (300, 300)).astype(np.float32), (0, 0), 1.0)
    light = 255 - (255 - ring()) * (0.76 + 0.16 * texture / texture.std()).clip(0.3, 0.93)
    plain = light < 128
    ink = inked(light)
    # The ring parts its inside from the outside and holds next to nothing of its own.
    assert find_patches(ink).count - 2 < (find_patches(plain).count - 2) / 4
    assert ink.sum() > 1.05 * plain.sum()
    # It becomes no broader than it was drawn.
    assert (ink & (ring() > 250)).sum() == 0
