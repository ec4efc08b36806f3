"""Parts that are used again and follow the part they come from, over HTTP."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from schoon.store import Store, productions
from schoon.work.again import followers

from ..shot import Shot
from .test_line import do, ends, straight, stroke_of, undo


def use(shot: Shot, part: str, name: str, drawings: list[int], **more: Any) -> list[int]:
    ask = {"part": part, "name": name, "drawings": drawings, "matrix": [1, 0, 0, 1, 40, 0], "linked": True}
    answer = shot.client.post("/api/levels/1/again", json={**ask, "also": drawings, **more})
    assert answer.status_code == 200, answer.text
    return answer.json()["drawings"]


def of(shot: Shot, number: int, part: str) -> list[dict]:
    return [s for s in shot.drawing(number)["strokes"] if s["part"] == part]


@pytest.fixture
def legs(shot: Shot) -> Shot:
    """A near leg of two lines in drawings 1 and 2; a far leg follows it a drawing later, 40 px to the right."""
    for number in (1, 2):
        straight(shot, number, f"shin0000{number}", (60, 60), (60, 160), part="near leg")
        straight(shot, number, f"foot0000{number}", (60, 160), (100, 160), part="near leg")
    assert use(shot, "near leg", "far leg", shot.ids, shift=1) == shot.ids[1:]
    return shot


def test_a_linked_part_follows_under_the_same_action(legs: Shot) -> None:
    before = ends(of(legs, 2, "far leg")[1])
    answer = do(legs, 1, "place", ids=["foot00001"], matrix=[1, 0, 0, 0, 1, 12])
    assert answer["others"] == [legs.ids[1]]
    assert ends(of(legs, 2, "far leg")[1]) == pytest.approx(np.add(before, [0, 12, 0, 12]), abs=0.1)
    assert ends(stroke_of(legs, 2, "foot00002")) == pytest.approx([60, 160, 100, 160], abs=0.1)
    assert ends(of(legs, 3, "far leg")[1]) == pytest.approx([100, 160, 140, 160], abs=0.1)
    undone = undo(legs, 1)
    assert sorted(undone["drawings"]) == legs.ids[:2]
    assert ends(of(legs, 2, "far leg")[1]) == pytest.approx(before)
    legs.client.post(f"/api/drawings/{legs.ids[0]}/redo")
    assert ends(of(legs, 2, "far leg")[1])[1] == pytest.approx(172, abs=0.1)
    # A new line of the part comes along, one that is taken away goes.
    straight(legs, 1, "toe000001", (100, 160), (110, 150), part="near leg")
    assert len(of(legs, 2, "far leg")) == 3
    do(legs, 1, "delete", ids=["shin00001"])
    assert len(of(legs, 2, "far leg")) == 2


def test_what_a_hand_changed_in_the_copy_stays_and_the_rest_follows(legs: Shot) -> None:
    shin, foot = of(legs, 2, "far leg")
    do(legs, 2, "place", ids=[shin["id"]], matrix=[1, 0, 7, 0, 1, 0])
    do(legs, 1, "place", ids=["shin00001", "foot00001"], matrix=[1, 0, 0, 0, 1, 20])
    now = {s["id"]: ends(s) for s in of(legs, 2, "far leg")}
    assert now[shin["id"]] == pytest.approx(np.add(ends(shin), [7, 0, 7, 0]), abs=0.1)
    assert now[foot["id"]] == pytest.approx(np.add(ends(foot), [0, 20, 0, 20]), abs=0.1)
    # A part of which nothing is left in the other stays whole.
    do(legs, 1, "delete", ids=["shin00001", "foot00001"])
    assert len(of(legs, 2, "far leg")) == 2


def test_a_part_of_the_same_drawing_follows_behind_what_is_there(shot: Shot) -> None:
    straight(shot, 1, "rail00001", (20, 80), (20, 200), part="rail")
    ring = [[200 + 50 * np.cos(a), 120 + 50 * np.sin(a), 0.5] for a in np.linspace(0, 2 * np.pi, 80)]
    do(shot, 1, "trace", id="ball00001", path=ring, width=4, part="ball")
    turned = [0, 1, -1, 0, 340, 100]
    use(shot, "rail", "bar", shot.ids[:1], matrix=turned, order="behind")
    bars = of(shot, 1, "bar")
    assert len(bars) == 2
    answer = do(shot, 1, "place", ids=["rail00001"], matrix=[1, 0, 15, 0, 1, 0])
    assert answer["others"] == []
    # The page learns of both parts of the drawing it has.
    assert {s["part"] for s in answer["strokes"]} == {"rail", "bar"}
    assert answer["revision"] == shot.drawing(1)["revision"]
    after = of(shot, 1, "bar")
    assert len(after) == 2
    heights = [y for s in after for y in s["points"][1::2]]
    assert heights == pytest.approx([135] * len(heights), abs=0.2)
    whole = {"do": "whole", "of": shot.ids[:1], "parts": ["bar"]}
    assert shot.client.post("/api/levels/1/do", json={"do": whole}).status_code == 200
    (bar,) = of(shot, 1, "bar")
    assert sorted(ends(bar)[::2]) == pytest.approx([140, 260], abs=0.2)


def test_what_another_part_hides_of_a_copy_stays_hidden(legs: Shot) -> None:
    ring = [[100 + 30 * np.cos(a), 100 + 30 * np.sin(a), 0.5] for a in np.linspace(0, 2 * np.pi, 60)]
    do(legs, 2, "trace", id="ball00001", path=ring, width=4, part="ball")
    hide = {"do": "trim-behind", "of": [legs.ids[1]], "part": "ball", "behind": ["far leg"]}
    assert legs.client.post("/api/levels/1/do", json={"do": hide}).status_code == 200
    do(legs, 1, "place", ids=["shin00001", "foot00001"], matrix=[1, 0, 5, 0, 1, 0])

    def heights() -> list[float]:
        shin = [s for s in of(legs, 2, "far leg") if abs(s["points"][0] - s["points"][-2]) < 1]
        assert all(s["points"][0] == pytest.approx(105, abs=0.2) for s in shin)
        return sorted(y for s in shin for y in ends(s)[1::2])

    assert heights() == pytest.approx([60, 70, 130, 160], abs=2)
    whole = {"do": "whole", "of": [legs.ids[1]], "parts": ["far leg"]}
    assert legs.client.post("/api/levels/1/do", json={"do": whole}).status_code == 200
    assert heights() == pytest.approx([60, 160], abs=2)


def test_parts_follow_parts_that_follow_and_a_round_ends(legs: Shot) -> None:
    use(legs, "far leg", "third leg", [legs.ids[1]])
    use(legs, "third leg", "near leg", [legs.ids[0]], shift=-1, matrix=[1, 0, 0, 1, -80, 0])
    start = ends(of(legs, 2, "third leg")[0])
    mine = of(legs, 1, "near leg")[0]
    answer = do(legs, 1, "place", ids=[mine["id"]], matrix=[1, 0, 0, 0, 1, 9])
    assert answer["others"] == [legs.ids[1]]
    assert ends(of(legs, 2, "third leg")[0]) == pytest.approx(np.add(start, [0, 9, 0, 9]), abs=0.1)
    assert ends(of(legs, 1, "near leg")[0]) == pytest.approx(np.add(ends(mine), [0, 9, 0, 9]), abs=0.1)


def test_an_act_on_many_drawings_is_followed_and_a_part_is_set_free(legs: Shot) -> None:
    listed = legs.client.get("/api/levels/1/again").json()["follow"]
    assert listed == {
        str(legs.ids[k]): [{"name": "far leg", "part": "near leg", "from": str(k)}] for k in (1, 2)
    }
    free = {"do": {"do": "set-free", "of": [legs.ids[1]], "parts": ["far leg"]}}
    assert legs.client.post("/api/levels/1/do", json=free).json()["drawings"] == [legs.ids[1]]
    before = [ends(of(legs, k, "far leg")[1]) for k in (2, 3)]
    for number in (1, 2):
        do(legs, number, "place", ids=[f"foot0000{number}"], matrix=[1, 0, 0, 0, 1, 5])
    assert ends(of(legs, 2, "far leg")[1]) == pytest.approx(before[0])
    assert ends(of(legs, 3, "far leg")[1]) == pytest.approx(np.add(before[1], [0, 5, 0, 5]), abs=0.1)
    refused = legs.client.post("/api/levels/1/do", json=free)
    assert refused.status_code == 422
    assert "far leg follows no other part" in refused.json()["error"]
    # Used again without a link it is a part of its own.
    use(legs, "near leg", "far leg", [legs.ids[2]], shift=1, linked=False)
    assert legs.client.get("/api/levels/1/again").json()["follow"] == {}


def test_paint_and_tones_follow_but_not_over_what_a_hand_poured(shot: Shot) -> None:
    ring = [[80 + 40 * np.cos(a), 120 + 40 * np.sin(a), 0.5] for a in np.linspace(0, 2 * np.pi, 60)]
    do(shot, 1, "trace", id="head00001", path=ring, width=4, part="head")
    shot.edit(1, "pour", points=[[80, 120]], pot=1)
    use(shot, "head", "moon", shot.ids[1:], around=False, shift=1, matrix=[1, 0, 0, 1, 100, 0], painted=True)

    def pots(number: int) -> set[int]:
        return {paint["pot"] for paint in shot.patches(number)["paint"].values()}

    assert pots(2) == {1}
    shot.edit(1, "pour", points=[[82, 124]], pot=2)
    assert pots(2) == {2}
    path = [[x, y, 0.5] for x, y in ((60, 100), (100, 100), (100, 130), (60, 130), (60, 100))]
    tone = {"do": "tone", "id": "0123456789", "kind": "shade", "path": path, "within": "patch"}
    shot.edit(1, "line", do=tone)
    (there,) = shot.patches(2)["tones"]
    assert there["kind"] == "shade"
    shot.edit(2, "pour", points=[[180, 120]], pot=1)
    shot.edit(1, "pour", points=[[70, 120]], pot=None)
    assert pots(2) == {1}
    assert pots(1) == set()


def test_a_copied_level_follows_within_itself(legs: Shot) -> None:
    made = legs.client.post("/api/levels/1/duplicate", json={"name": "Second", "what": "all"}).json()["level"]
    store: Store = legs.client.app.state.store  # type: ignore[attr-defined]
    with store.transaction() as cursor:
        copies = [int(row["id"]) for row in productions.drawings(cursor, made)]
        found = followers(cursor, made)
    assert {d: [u.source for _, u, _ in uses] for d, uses in found.items()} == {
        copies[1]: [copies[0]],
        copies[2]: [copies[1]],
    }
    answer = legs.client.post(
        f"/api/drawings/{copies[0]}/do",
        json={"base": 0, "do": {"do": "place", "ids": ["foot00001"], "matrix": [1, 0, 0, 0, 1, 12]}},
    )
    assert answer.json()["others"] == [copies[1]]
    assert ends(of(legs, 2, "far leg")[1]) == pytest.approx([100, 160, 140, 160], abs=0.1)


def test_what_cannot_be_linked_is_said(legs: Shot) -> None:
    ask = {
        "part": "near leg",
        "drawings": legs.ids[:1],
        "also": legs.ids,
        "linked": True,
        "matrix": [1, 0, 0, 1, 9, 0],
    }
    for more, words in (
        ({"name": "near leg"}, "cannot follow itself"),
        ({"name": "pale", "rough": True}, "take “linked” away"),
    ):
        answer = legs.client.post("/api/levels/1/again", json={**ask, **more})
        assert answer.status_code == 422
        assert words in answer.json()["error"]


def test_a_drawing_that_goes_back_takes_what_follows_along(legs: Shot) -> None:
    before = ends(of(legs, 2, "far leg")[1])
    was = legs.drawing(1)["revision"]
    do(legs, 1, "place", ids=["foot00001"], matrix=[1, 0, 0, 0, 1, 12])
    answer = legs.client.post(f"/api/drawings/{legs.ids[0]}/back", json={"revision": was})
    assert answer.status_code == 200, answer.text
    assert ends(of(legs, 2, "far leg")[1]) == pytest.approx(before, abs=0.1)
    # The same from the moments of the shot.
    steps = legs.client.get("/api/shots/1/history").json()
    used = next(s for s in steps["entries"] if s["label"].startswith("use near leg"))
    do(legs, 1, "place", ids=["foot00001"], matrix=[1, 0, 0, 0, 1, 20])
    back = {"action": used["id"], "drawings": legs.ids[:1]}
    assert legs.client.post("/api/shots/1/back", json=back).json()["drawings"] == legs.ids[:2]
    assert ends(of(legs, 2, "far leg")[1]) == pytest.approx(before, abs=0.1)
