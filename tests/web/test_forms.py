"""Forms cut out with the pen: filled at once, with an unseen or an inked edge."""

from __future__ import annotations

import numpy as np
import pytest

from ..shot import Shot


def ring(x: float, y: float, radius: float) -> list[list[float]]:
    turn = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    return np.c_[x + radius * np.cos(turn), y + radius * np.sin(turn), np.full(60, 0.5)].round(2).tolist()


def paint_at(shot: Shot, number: int, x: float, y: float) -> int | None:
    found = shot.patches(number)
    near = [
        (np.hypot(p["at"][0] - x, p["at"][1] - y), p["n"])
        for p in found["patches"]
        if str(p["n"]) in found["paint"]
    ]
    distance, n = min(near, default=(np.inf, 0))
    return found["paint"][str(n)]["pot"] if distance < 25 else None


@pytest.mark.parametrize("inked", [False, True])
def test_a_form_drawn_on_bare_paper_is_filled_and_taken_back_as_one(shot: Shot, inked: bool) -> None:
    before = shot.drawing(1)
    assert not before["strokes"]
    shot.edit(1, "cut-out", path=ring(100, 100, 40), pot=2, inked=inked)
    assert paint_at(shot, 1, 100, 100) == 2
    assert len(shot.drawing(1)["strokes"]) == int(inked)
    assert paint_at(shot, 1, 250, 200) is None
    shot.client.post(f"/api/drawings/{shot.ids[0]}/undo")
    assert shot.patches(1)["paint"] == {}
    assert not shot.drawing(1)["strokes"]


def test_a_form_in_a_painted_patch_leaves_the_rest_and_what_lies_whole_in_it(shot: Shot) -> None:
    shot.job("clean")
    patches = shot.patches(1)
    inside = [p for p in patches["patches"] if p["n"] != patches["background"]]
    face, eye = max(inside, key=lambda p: p["area"]), min(inside, key=lambda p: p["area"])
    shot.edit(1, "pour", points=[face["at"]], pot=2)
    shot.edit(1, "pour", points=[eye["at"]], pot=1)
    x, y = eye["at"]
    shot.edit(1, "cut-out", path=ring(x, y, 27), pot=1)
    found = shot.patches(1)
    assert sorted(p["pot"] for p in found["paint"].values()) == [1, 1, 2]
    assert paint_at(shot, 1, x, y) == 1
    large = max((p for p in found["patches"] if p["n"] != found["background"]), key=lambda p: p["area"])
    assert found["paint"][str(large["n"])]["pot"] == 2


@pytest.mark.parametrize(
    ("path", "words"),
    [([[5, 5, 0.5], [6, 5, 0.5], [6, 6, 0.5]], "too small"), (ring(-300, -300, 40), "inside the picture")],
)
def test_a_form_that_holds_nothing_is_refused(shot: Shot, path: list[list[float]], words: str) -> None:
    do = {"do": "cut-out", "path": path, "pot": 1}
    answer = shot.client.post(f"/api/drawings/{shot.ids[0]}/do", json={"base": 0, "do": do})
    assert answer.status_code == 422
    assert words in answer.json()["error"]
    assert shot.patches(1)["paint"] == {}
