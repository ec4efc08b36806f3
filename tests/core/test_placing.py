"""Placement and framing against plain affine arithmetic."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from schoon.core.exposure.placing import (
    Notch,
    Pose,
    after,
    inverse,
    matrix_of,
    pose_at,
    seen_through,
)

numbers = st.floats(-500, 500)
poses = st.builds(Pose, numbers, numbers, st.floats(-720, 720), st.floats(0.1, 8))
points = st.tuples(numbers, numbers)


def moved(matrix: np.ndarray, point: tuple[float, float]) -> np.ndarray:
    return matrix[:, :2] @ point + matrix[:, 2]


@given(poses, points, points)
def test_a_pose_turns_and_scales_about_its_pivot_and_moves(
    pose: Pose, pivot: tuple[float, float], point: tuple[float, float]
) -> None:
    matrix = matrix_of(pose, pivot)
    assert moved(matrix, pivot) == pytest.approx(np.array(pivot) + (pose.x, pose.y), abs=1e-6)
    whole = np.eye(3)
    angle = np.radians(pose.turn)
    for step in (
        [[1, 0, -pivot[0]], [0, 1, -pivot[1]], [0, 0, 1]],
        [[pose.scale, 0, 0], [0, pose.scale, 0], [0, 0, 1]],
        [[np.cos(angle), -np.sin(angle), 0], [np.sin(angle), np.cos(angle), 0], [0, 0, 1]],
        [[1, 0, pivot[0] + pose.x], [0, 1, pivot[1] + pose.y], [0, 0, 1]],
    ):
        whole = np.array(step) @ whole
    assert moved(matrix, point) == pytest.approx((whole @ [*point, 1])[:2], abs=1e-6)
    assert moved(after(matrix, inverse(matrix)), point) == pytest.approx(point, abs=1e-5)


@given(
    st.dictionaries(st.integers(1, 60), poses, min_size=1),
    st.sampled_from(["smooth", "stop", "even", "jump"]),
)
def test_at_its_notches_a_level_is_where_they_say(found: dict[int, Pose], way: str) -> None:
    notches = {frame: Notch(pose, way) for frame, pose in found.items()}  # type: ignore[arg-type]
    for frame, pose in found.items():
        assert vars(pose_at(notches, frame)) == pytest.approx(vars(pose), abs=1e-6)
    order = sorted(found)
    assert pose_at(notches, order[0] - 5) == found[order[0]]
    assert pose_at(notches, order[-1] + 5) == found[order[-1]]


@given(st.lists(st.floats(-100, 100), min_size=2, max_size=6))
def test_between_notches_nothing_overshoots(values: list[float]) -> None:
    for way in ("smooth", "stop", "even"):
        notches = {1 + 10 * k: Notch(Pose(x=v), way) for k, v in enumerate(values)}  # type: ignore[arg-type]
        for k in range(len(values) - 1):
            a, b = sorted(values[k : k + 2])
            for frame in range(1 + 10 * k, 12 + 10 * k):
                assert a - 1e-6 <= pose_at(notches, frame).x <= b + 1e-6


def test_ways_differ_in_how_they_go() -> None:
    def at(way: str) -> list[float]:
        notches = {1: Notch(Pose(x=0), way), 11: Notch(Pose(x=100), way), 21: Notch(Pose(x=200), way)}  # type: ignore[arg-type]
        return [pose_at(notches, frame).x for frame in (2, 6, 10, 11, 12)]

    assert at("even") == pytest.approx([10, 50, 90, 100, 110])
    assert at("jump") == [0, 0, 0, 100, 100]
    stop, smooth = at("stop"), at("smooth")
    assert stop[2] > 96
    # Smooth goes through the middle one at full speed.
    assert smooth[4] - smooth[2] > 15


@given(poses)
def test_a_field_is_seen_as_the_whole_frame(pose: Pose) -> None:
    size = (1920, 1080)
    corner = moved(matrix_of(pose, (960, 540)), (0, 0))
    assert moved(seen_through(pose, size), (corner[0], corner[1])) == pytest.approx((0, 0), abs=1e-5)


def test_what_lies_far_off_takes_a_share_of_the_move() -> None:
    field = Pose(x=100, scale=0.5)
    near = moved(seen_through(field, (200, 100)), (100, 50))
    far = moved(seen_through(field, (200, 100), 0.5), (100, 50))
    assert near == pytest.approx((-100, 50))
    assert far == pytest.approx((100 - 50 / 0.5**0.5, 50))
