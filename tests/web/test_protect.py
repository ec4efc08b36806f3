"""What a hand has finished is left by acts on many drawings, and paint never floods the outside by itself."""

from __future__ import annotations

from typing import Any

from ..shot import Shot
from .test_app import trace
from .test_line import parted, straight


def touches(shot: Shot, act: str, **more: Any) -> dict[str, Any]:
    answer = shot.client.post("/api/levels/1/touches", json={"act": act, "drawings": shot.ids, **more})
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_what_a_hand_drew_or_painted_is_left_and_said(shot: Shot) -> None:
    shot.job("clean")
    trace(shot, 2)
    shot.edit(3, "pour", points=[[181, 95]], pot=1)
    found = touches(shot, "clean")
    assert found["changes"] == [shot.ids[0]]
    assert found["leaves"] == {
        str(shot.ids[1]): "1 line by hand",
        str(shot.ids[2]): "1 place painted by hand",
    }
    before = [shot.drawing(n)["revision"] for n in (1, 2, 3)]
    job = shot.job("clean", reading={"detail": 0.3})
    assert (job["state"], job["total"]) == ("done", 1)
    assert [shot.drawing(n)["revision"] for n in (2, 3)] == before[1:]
    # Weights change no paint.
    assert str(shot.ids[2]) not in touches(shot, "weigh")["leaves"]
    alone = shot.client.post("/api/levels/1/jobs", json={"kind": "clean", "drawings": shot.ids[1:2]})
    assert alone.status_code == 422
    assert "A hand has worked on all of these drawings" in alone.json()["error"]
    taken_in = shot.job("clean", drawings=shot.ids[1:2], also=shot.ids[1:2])
    assert (taken_in["state"], taken_in["done"]) == ("done", 1)


def test_in_betweens_leave_cleaned_lines_and_may_be_made_again(shot: Shot) -> None:
    shot.job("clean")
    ask = {"first": shot.ids[0], "last": shot.ids[2]}
    refused = shot.client.post("/api/levels/1/between", json=ask)
    assert refused.status_code == 422
    assert "cleaned lines" in refused.json()["error"]
    before = shot.drawing(2)["strokes"]
    taken_in = shot.job("between", between={**ask, "also": [shot.ids[1]]})
    assert taken_in["state"] == "done", taken_in
    assert "1 drawing has in-betweens" in taken_in["message"]
    made = shot.drawing(2)["strokes"]
    assert made != before
    assert {s["by"] for s in made} == {"between"}
    # What in-betweens have made is as proposed: it is made again without a question.
    assert touches(shot, "between")["leaves"].keys() == {str(shot.ids[0]), str(shot.ids[2])}
    again = shot.job("between", between={**ask, "chart": "ease in"})
    assert (again["state"], again["done"]) == ("done", 1)
    undone = shot.client.post(f"/api/drawings/{shot.ids[1]}/undo").json()
    assert undone["label"] == "in-between 1 drawing"


def test_a_part_that_was_drawn_in_place_is_left_and_one_that_came_comes_again(shot: Shot) -> None:
    parted(shot)
    for number in (1, 2, 3):
        straight(shot, number, f"handmade{number}", (10, 10), (60, 20), part="inside")
    ask = {"part": "head", "name": "inside", "drawings": shot.ids, "matrix": [1, 0, 0, 1, 9, 0]}
    refused = shot.client.post("/api/levels/1/again", json=ask)
    assert refused.status_code == 422
    assert "by hand of inside" in refused.json()["error"]
    for _ in range(2):
        assert shot.client.post("/api/levels/1/again", json={**ask, "name": "moon"}).status_code == 200


def test_the_outside_is_poured_only_if_it_is_meant(shot: Shot) -> None:
    shot.job("clean")
    shot.job("seal")
    refused = shot.client.post(
        f"/api/drawings/{shot.ids[0]}/do",
        json={"base": 0, "do": {"do": "pour", "points": [[4, 4]], "pot": 1}},
    )
    assert refused.status_code == 422
    assert "the outside of all forms" in refused.json()["error"]
    shot.edit(1, "pour", points=[[4, 4]], pot=1, outside=True)
    shapes = shot.patches(1)
    assert shapes["paint"][str(shapes["background"])]["pot"] == 1
    # Carried, it is asked everywhere else.
    shot.edit(1, "pour", points=[[181, 95], [156, 140]], pot=2)
    assert shot.job("carry")["state"] == "done"
    for number in (2, 3):
        shapes = shot.patches(number)
        outside = shapes["paint"].get(str(shapes["background"]))
        assert outside is None or outside["unsure"]


def test_several_pots_are_tuned_as_one(shot: Shot) -> None:
    post = shot.client.post
    colours = {"1": "#102030", "2": "#405060"}
    assert (
        post("/api/models/1/do", json={"do": {"do": "colours", "key": 1, "colours": colours}}).status_code
        == 200
    )
    assert shot.run()["keys"][0]["colours"] | colours == shot.run()["keys"][0]["colours"]
    assert post("/api/models/1/undo").json()["label"] == "tune 2 pots in Day"
    for wrong in ({"1": "red"}, {"77": "#102030"}):
        answer = post("/api/models/1/do", json={"do": {"do": "colours", "key": 1, "colours": wrong}})
        assert answer.status_code in (404, 422)
    # Pictures may be looked at in colours that nobody has kept.
    shot.job("clean")
    shot.edit(1, "pour", points=[[181, 95]], pot=1)
    url = f"/drawings/{shot.ids[0]}/view.webp?w=240&look=paint"
    plain, tried, back = (shot.client.get(url + more).content for more in ("", "&tried=1-00ff00", ""))
    assert plain == back != tried
    assert shot.client.get(url + "&tried=1-green").status_code == 422
