"""Strokes as the page is told of them."""

from __future__ import annotations

import json
from collections.abc import Sequence

import numpy as np
import pytest

from schoon.core.strokes import Stroke
from schoon.jobs import views
from schoon.store import Store, revisions
from schoon.work import derived, shapes
from schoon.work.documents import line_document

from ..shot import Shot


def lines(count: int, begin: int = 0) -> list[Stroke]:
    """Straight strokes, each in a place of its own."""
    ends = np.linspace(0, 1, 4)[:, None]
    return [
        Stroke(ends * (40.0, 3.0) + (7.0 * k, 5.0 * k), np.array([3.0, 2.0]))
        for k in range(begin, begin + count)
    ]


def test_many_outlines_are_drawn_elsewhere_and_once(monkeypatch: pytest.MonkeyPatch) -> None:
    derived.forget_all()
    monkeypatch.setattr(shapes, "_FEW", 5)
    asked: list[int] = []

    def drawn(strokes: Sequence[Stroke]) -> list[str]:
        asked.append(len(strokes))
        return views.strokes(strokes)

    strokes = lines(8)
    body = shapes.shapes_of(strokes, drawn)
    assert asked == [8]
    # What an edit leaves is known; a few more are drawn here.
    more = [*strokes, *lines(2, 8)]
    again = shapes.shapes_of(more, drawn)
    assert asked == [8]
    derived.forget_all()
    for told, of in ((body, strokes), (again, more)):
        assert json.loads(told) == json.loads(json.dumps([shapes.shape_of(s) for s in of]))
    assert all(s["d"].startswith("M") for s in json.loads(body))


def test_a_drawing_of_many_strokes_is_told_by_the_workers(shot: Shot, store: Store) -> None:
    derived.forget_all()
    strokes = lines(250)
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, shot.ids[0], lock=True)
        action = revisions.begin_action(cursor, "many strokes")
        revisions.revise(
            cursor, revisions.of(row), action, line=revisions.put_document(cursor, line_document(strokes))
        )
    told = shot.drawing(1)["strokes"]
    assert [s["id"] for s in told] == [s.id for s in strokes]
    assert [s["d"] for s in told] == views.strokes(strokes)
