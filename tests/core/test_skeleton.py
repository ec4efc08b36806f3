"""The graph of a skeleton, and the tidying that makes drawn lines of it."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from schoon.core import skeleton as graphs
from schoon.core.skeleton import Edge, Graph


def traced(*lines: list[tuple[int, int]], size: int = 220, thick: int = 3) -> Graph:
    picture = np.zeros((size, size), np.uint8)
    for line in lines:
        cv2.polylines(picture, [np.array(line)], False, 1, thick)
    return graphs.trace(picture > 0)


def degrees(graph: Graph) -> list[int]:
    return sorted(len(ends) for ends in graph.incident().values())


def straight(a: tuple[float, float], b: tuple[float, float], ends: tuple[int, int]) -> Edge:
    return Edge(np.linspace(a, b, int(np.hypot(b[0] - a[0], b[1] - a[1])) + 1), *ends)


def test_a_line_has_two_ends_and_its_length() -> None:
    graph = traced([(20, 50), (180, 50)])
    assert degrees(graph) == [1, 1]
    assert graph.edges[0].length == pytest.approx(160, abs=5)


def test_a_ring_is_a_loop_without_nodes() -> None:
    picture = np.zeros((220, 220), np.uint8)
    cv2.circle(picture, (110, 110), 60, 1, 3)
    graph = graphs.trace(picture > 0)
    assert not graph.nodes
    assert [edge.a for edge in graph.edges] == [-1]
    assert graph.edges[0].length == pytest.approx(2 * np.pi * 60, rel=0.08)


def test_a_crossing_has_four_arms_that_continue_each_other() -> None:
    graph = traced([(20, 110), (200, 110)], [(110, 20), (110, 200)])
    graphs.contract_short(graph, 6)
    assert degrees(graph) == [1, 1, 1, 1, 4]
    pairs = graphs.through_pairs(graph, 3, 12, np.deg2rad(40))
    lines = graphs.chains(graph, pairs, blur=4)
    assert len(lines) == 2
    for line in lines:
        assert min(np.ptp(line, axis=0)) < 4
        assert max(np.ptp(line, axis=0)) == pytest.approx(180, abs=6)


def test_a_line_that_meets_another_ends_on_it() -> None:
    graph = traced([(20, 110), (200, 110)], [(110, 110), (110, 200)])
    pairs = graphs.through_pairs(graph, 3, 12, np.deg2rad(40))
    lines = sorted(graphs.chains(graph, pairs, blur=4), key=len)
    assert len(lines) == 2
    assert np.abs(lines[0] - (110, 110)).sum(axis=1).min() < 3


def test_whiskers_go_and_long_arms_stay() -> None:
    graph = traced([(20, 110), (200, 110)], [(110, 110), (118, 98)], [(60, 110), (60, 180)])
    graphs.remove_spurs(graph, 30)
    assert degrees(graph) == [1, 1, 1, 3]
    assert sum(edge.length for edge in graph.edges) == pytest.approx(250, abs=10)


def test_a_lone_short_mark_is_no_whisker() -> None:
    graph = traced([(100, 100), (110, 100)])
    graphs.remove_spurs(graph, 30)
    assert len(graph.edges) == 1


def test_twins_between_the_same_nodes_become_their_middle() -> None:
    nodes = {0: np.array([0.0, 0.0]), 1: np.array([60.0, 0.0])}
    bow = np.c_[np.linspace(0, 60, 61), 3 * np.sin(np.linspace(0, np.pi, 61))]
    graph = Graph(nodes, [Edge(bow.copy(), 0, 1), Edge(bow * (1, -1), 0, 1)])
    graphs.merge_twins(graph, 8)
    assert len(graph.edges) == 1
    assert np.abs(graph.edges[0].points[:, 1]).max() < 0.5


def test_shadows_go_but_crossings_and_distant_parallels_stay() -> None:
    nodes = {k: np.zeros(2) for k in range(8)}
    graph = Graph(
        nodes,
        [
            straight((0, 50), (100, 50), (0, 1)),
            straight((20, 53), (70, 53), (2, 3)),
            straight((20, 80), (70, 80), (4, 5)),
            straight((50, 20), (50, 78), (6, 7)),
        ],
    )
    graphs.remove_shadows(graph, 6)
    assert sorted(round(float(edge.points[0, 1])) for edge in graph.edges) == [20, 50, 80]


def test_a_short_run_between_two_that_go_on_is_no_shadow_of_them() -> None:
    nodes = {k: np.zeros(2) for k in range(6)}
    branches = [straight((60, 50), (60, 90), (1, 4)), straight((65, 50), (65, 10), (2, 5))]
    through = [
        straight((x, 50), (y, 50), (k, k + 1)) for k, (x, y) in enumerate(((0, 60), (60, 65), (65, 140)))
    ]
    graph = Graph(nodes, [*through, *branches])
    graphs.remove_shadows(graph, 3)
    assert len(graph.edges) == 5


def test_joining_through_keeps_every_point_and_closes_loops() -> None:
    nodes = {0: np.array([0.0, 0.0]), 1: np.array([50.0, 0.0])}
    there, back = straight((0, 0), (50, 0), (0, 1)), straight((50, 0), (0, 0), (1, 0))
    back.points = back.points + np.c_[np.zeros(51), 20 * np.sin(np.linspace(0, np.pi, 51))]
    graph = Graph(nodes, [there, back])
    graphs.join_through(graph)
    assert not graph.nodes
    assert len(graph.edges) == 1
    assert len(graph.edges[0].points) == 101


def test_direction_looks_along_the_first_stretch() -> None:
    bend = np.vstack([np.c_[np.zeros(20), np.arange(20.0)], np.c_[np.arange(1.0, 30), np.full(29, 19.0)]])
    assert graphs.direction(bend, 0, 10) == pytest.approx([0, 1], abs=1e-6)


@pytest.mark.parametrize("full", [False, True])
def test_nothing_and_everything_are_traced(full: bool) -> None:
    graph = graphs.trace(np.full((30, 40), full))
    assert len(graph.edges) <= 2
