"""A drawing beside its model, and colours read from pictures."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from schoon.core.model.compare import Expected, Remark, compare, shares, smallest
from schoon.core.model.depth import depth_at, depth_of
from schoon.core.model.light import difference, relit
from schoon.core.model.pictures import colour_at, flat_colours, key_by_place, key_from_picture

COLOURS = {1: (240, 190, 40), 2: (140, 90, 60), 3: (245, 238, 226), 4: (50, 74, 99), 5: (184, 57, 47)}
PLACES = {1: (60, 60, 170, 200), 2: (170, 60, 300, 120), 3: (170, 120, 300, 200), 4: (60, 200, 300, 260), 5: (210, 140, 250, 175)}  # fmt: skip


def pots() -> np.ndarray:
    table = np.zeros((320, 400), np.int64)
    for pot, (x0, y0, x1, y1) in PLACES.items():
        table[y0:y1, x0:x1] = pot
    return table


def painted(colours: dict[int, tuple[int, int, int]], table: np.ndarray | None = None) -> np.ndarray:
    table = pots() if table is None else table
    picture = np.full((*table.shape, 3), 255, np.uint8)
    for pot, colour in colours.items():
        picture[table == pot] = colour
    for x0, y0, x1, y1 in PLACES.values():
        cv2.rectangle(picture, (x0, y0), (x1, y1), (20, 30, 40), 3, cv2.LINE_AA)
    return picture


def jpeg(picture: np.ndarray) -> np.ndarray:
    return np.asarray(
        cv2.imdecode(cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, 70])[1], cv2.IMREAD_COLOR)
    )


NIGHT = {pot: relit(colour, (110, 130, 220), 0.6, 0.45) for pot, colour in COLOURS.items()}


def test_the_model_is_compared_with_what_is_painted() -> None:
    expected = {
        1: Expected(2, 0.5),
        2: Expected(4, 0.1),
        3: Expected(1, 0.2),
        4: Expected(1, 0.1),
        5: Expected(),
    }
    found = {1: (2, 500), 2: (3, 100), 4: (1, 400), 5: (9, 10)}
    assert compare(expected, found) == [
        Remark(2, "fewer", 3, 4),
        Remark(3, "missing", 0, 1),
        Remark(4, "large", pytest.approx(400 / 1010), 0.1),
    ]


@given(st.dictionaries(st.integers(1, 30), st.tuples(st.integers(1, 9), st.integers(1, 10_000)), min_size=1))
def test_a_drawing_agrees_with_itself(found: dict[int, tuple[int, int]]) -> None:
    expected = {pot: Expected(count, share) for pot, (count, share) in shares(found).items()}
    assert compare(expected, found) == []
    assert sum(share for _, share in shares(found).values()) == pytest.approx(1)


def test_flat_colours_are_found_exactly_and_their_places_have_them() -> None:
    picture = painted(COLOURS)
    found = flat_colours(picture)
    assert not found.smeared
    for colour in COLOURS.values():
        item = next(f for f in found.colours if f.colour == colour)
        assert tuple(picture[int(item.at[1]), int(item.at[0])]) == colour


def test_smeared_colours_are_clustered_and_said_to_be() -> None:
    found = flat_colours(jpeg(painted(COLOURS)))
    assert found.smeared
    for colour in COLOURS.values():
        assert min(difference(f.colour, colour) for f in found.colours) < 3


def test_a_picture_of_grain_has_no_flat_colours() -> None:
    grain = np.random.default_rng(1).integers(0, 255, (80, 80, 3)).astype(np.uint8)
    assert flat_colours(grain).colours == []
    with pytest.raises(ValueError, match="no flat"):
        key_from_picture(grain, COLOURS)


def test_one_colour_is_sampled_through_grain_and_not_from_nowhere() -> None:
    rng = np.random.default_rng(2)
    picture = np.clip(painted(COLOURS).astype(int) + rng.integers(-3, 4, (320, 400, 3)), 0, 255).astype(
        np.uint8
    )
    assert difference(colour_at(picture, 230, 90), COLOURS[2]) < 1.5
    with pytest.raises(ValueError, match="outside"):
        colour_at(picture, 400, 10)
    clear = np.dstack([picture, np.zeros((320, 400), np.uint8)])
    with pytest.raises(ValueError, match="transparent"):
        colour_at(clear, 20, 20)


@pytest.mark.parametrize("scale", [1.0, 0.5, 1.7])
@pytest.mark.parametrize("smear", [False, True])
def test_a_key_is_read_by_place_in_any_size(scale: float, smear: bool) -> None:
    picture = cv2.resize(painted(NIGHT), None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    picture = jpeg(picture) if smear else picture
    found = key_by_place(picture, pots(), {**COLOURS, 9: (200, 200, 200)})
    assert found is not None
    assert found.seen == frozenset(COLOURS)
    for pot, colour in NIGHT.items():
        assert difference(found.colours[pot], colour) < 3, pot
    # A pot that is not in the drawing goes with the light of the others.
    assert difference(found.colours[9], relit((200, 200, 200), (110, 130, 220), 0.6, 0.45)) < 6


def test_another_pose_or_one_flat_colour_is_not_taken_by_place() -> None:
    assert key_by_place(painted(NIGHT, np.roll(pots(), 90, axis=1)), pots(), COLOURS) is None
    assert key_by_place(np.full((320, 400, 3), 90, np.uint8), pots(), COLOURS) is None
    assert key_by_place(painted(NIGHT)[:, :200], pots(), COLOURS) is None


def test_in_another_pose_the_light_tells_the_pots() -> None:
    found = key_from_picture(painted(NIGHT, np.roll(pots(), 90, axis=1)), COLOURS)
    near = [pot for pot, colour in NIGHT.items() if difference(found.colours[pot], colour) < 4]
    assert len(near) >= 4


def test_the_smallest_part_of_a_model_is_one_patch_of_a_pot() -> None:
    said = {
        1: Expected(1, 0.5),
        2: Expected(4, 0.04),
        3: Expected(1, 0.02),
        4: Expected(None, 0.001),
        5: Expected(3, None),
    }
    assert smallest(said) == (2, 0.01)
    assert smallest({}) is None
    assert smallest({4: said[4]}) is None


def test_a_tiny_part_half_hidden_is_no_finding() -> None:
    said = {1: Expected(1, 0.9), 2: Expected(1, 0.0005)}
    for area, words in ((100, []), (9, []), (400, ["large"])):
        found = {1: (1, 90_000), 2: (1, area)}
        assert [r.what for r in compare(said, found) if r.pot == 2] == words


def test_depth_is_the_nearest_change_at_or_before_a_drawing() -> None:
    parts = ["Hat", "Otter", "", "Coat", "Hat"]
    assert depth_of(parts) == ("Hat", "Otter", "Coat")
    assert depth_of(parts, ["Coat", "Wing", "Coat"]) == ("Coat", "Hat", "Otter")
    changes = {12: ["Otter"], 14: ["Coat", "Otter"]}
    run = [10, 12, 13, 14]
    found = [depth_at(parts, ["Hat"], changes, run, k)[0] for k in run]
    assert found == ["Hat", "Otter", "Otter", "Coat"]
