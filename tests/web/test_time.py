"""Time over HTTP: acts on spans of the sheet, drawings put in and taken out, another rate."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest

from schoon.store import Store, pictures, productions

from ..shot import Shot, rough


def act(shot: Shot, what: str, status: int = 200, how: str = "do", **fields: Any) -> dict:
    answer = shot.client.post(f"/api/times/1/{how}", json={"do": {"do": what, **fields}})
    assert answer.status_code == status, answer.text
    return answer.json()


def span(shot: Shot, what: str, first: int, last: int, status: int = 200, **fields: Any) -> dict:
    return act(shot, what, status, levels=[1], first=first, last=last, **fields)


def sheet(shot: Shot) -> str:
    """What is written on the drawing of each frame."""
    run = shot.run()
    number = {d["id"]: d["number"] for d in run["drawings"]}
    shown = ["."] * run["frames"]
    for first, count, drawing in run["spans"]:
        shown[first - 1 : first - 1 + count] = [number[drawing]] * count
    return " ".join(shown)


def test_acts_on_a_span_keep_the_length_and_are_undone(shot: Shot) -> None:
    assert sheet(shot) == "1 1 2 2 3 3"
    answer = span(shot, "on-each", 1, 6, hold=3)
    assert sheet(shot) == "1 1 1 2 2 2"
    assert answer["lost"] == {"1": [shot.ids[2]]}
    shot.client.post("/api/times/1/undo")
    assert sheet(shot) == "1 1 2 2 3 3"
    span(shot, "on-each", 1, 6, hold=1)
    assert sheet(shot) == "1 2 3 3 3 3"
    span(shot, "repeat-span", 1, 3)
    assert sheet(shot) == "1 2 3 1 2 3"
    act(shot, "length", frames=8)
    assert sheet(shot) == "1 2 3 1 2 3 1 2"
    span(shot, "reverse", 1, 3)
    assert sheet(shot) == "3 2 1 3 2 1 3 2"
    span(shot, "cover", 4, 5, drawing=None)
    assert sheet(shot) == "3 2 1 . . 1 3 2"
    span(shot, "move", 1, 1, by=1)
    assert sheet(shot) == "2 3 1 . . 1 2 3"


def test_copied_frames_are_put_in_and_only_where_they_belong(shot: Shot) -> None:
    pieces = {"1": [[shot.ids[1], 1], [None, 1]]}
    span(shot, "paste", 5, 5, pieces=pieces, push=True)
    assert sheet(shot) == "1 1 2 2 2 ."
    span(shot, "take-away", 5, 6)
    assert sheet(shot) == "1 1 2 2 3 3"
    span(shot, "paste", 1, 1, pieces=pieces)
    assert sheet(shot) == "2 . 2 2 3 3"
    span(shot, "there-and-back", 1, 6, status=200)
    span(shot, "paste", 1, 1, status=404, pieces={"1": [[999, 1]]})
    span(shot, "paste", 1, 1, status=422, pieces={"2": [[shot.ids[0], 1]]})


@pytest.mark.parametrize(
    ("what", "fields", "words"),
    [
        ("stretch", {"frames": 2}, "as many frames"),
        ("move", {"by": -3}, "frame 1"),
        ("repeat-span", {"until": 4}, "behind frame"),
    ],
)
def test_what_cannot_be_is_refused_and_changes_nothing(
    shot: Shot, what: str, fields: dict, words: str
) -> None:
    assert words in span(shot, what, 1, 6, status=422, **fields)["error"]
    assert "frames of the shot" in span(shot, "reverse", 7, 9, status=422)["error"]
    assert sheet(shot) == "1 1 2 2 3 3"


def test_a_locked_level_keeps_its_time(shot: Shot) -> None:
    shot.client.post("/api/stacks/1/do", json={"do": {"do": "lock", "level": 1, "locked": True}})
    assert "locked" in span(shot, "reverse", 1, 6, status=422)["error"]
    assert "locked" in span_insert(shot, status=422)["error"]


def span_insert(shot: Shot, status: int = 200, **fields: Any) -> dict:
    return act(shot, "insert", status, level=1, **{"first": 1, "last": 6, **fields})


def test_trying_an_act_changes_nothing(shot: Shot) -> None:
    tried = act(shot, "on-each", how="try", levels=[1], first=1, last=6, hold=3)
    assert [s[:2] for s in tried["levels"]["1"]["spans"]] == [[1, 3], [4, 3]]
    tried = act(shot, "insert", how="try", level=1, first=1, last=6, between=True)
    assert tried["made"] == [-1, -2]
    assert sheet(shot) == "1 1 2 2 3 3"


def test_empty_sheets_between_take_their_frames_from_the_hold(shot: Shot) -> None:
    answer = span_insert(shot, between=True)
    assert sheet(shot) == "1 1a 2 2a 3 3"
    made = answer["made"]
    # An empty sheet: nothing to see, and a line can be drawn on it.
    assert shot.client.get(f"/drawings/{made[0]}/view.webp?w=240").status_code == 200
    empty = shot.client.get(f"/api/drawings/{made[0]}").json()
    assert (empty["rough"], empty["strokes"]) == ("", [])
    trace = {"do": "trace", "id": "aaaaaaaa", "path": [[9, 9, 0.5], [90, 60, 0.5]], "width": 4}
    answer = shot.client.post(f"/api/drawings/{made[0]}/do", json={"base": 0, "do": trace})
    assert answer.status_code == 200
    # The next ones take the letters behind.
    span_insert(shot, first=1, last=1, hold=1)
    assert sheet(shot) == "1 1a 1b 2 2a 3"
    shot.client.post("/api/times/1/undo")
    shot.client.post("/api/times/1/undo")
    assert sheet(shot) == "1 1 2 2 3 3"
    assert len(shot.run()["drawings"]) == 3
    shot.client.post("/api/times/1/redo")
    assert sheet(shot) == "1 1a 2 2a 3 3"
    again = shot.client.get(f"/api/drawings/{made[0]}").json()
    assert [s["id"] for s in again["strokes"]] == ["aaaaaaaa"]
    assert "no room" in span_insert(shot, status=422, first=1, last=1)["error"]


def test_a_run_can_be_numbered_anew(shot: Shot) -> None:
    span_insert(shot, between=True)
    act(shot, "numbering", numbering="all")
    assert sheet(shot) == "1 2 3 4 5 5"
    span_insert(shot, first=5, last=6)
    assert sheet(shot) == "1 2 3 4 5 6"
    shot.client.post("/api/times/1/undo")
    shot.client.post("/api/times/1/undo")
    assert sheet(shot) == "1 1a 2 2a 3 3"


def test_a_copy_is_a_drawing_of_its_own(shot: Shot) -> None:
    shot.job("clean")
    strokes = len(shot.drawing(2)["strokes"])
    (made,) = act(shot, "copy-drawing", level=1, drawing=shot.ids[1], first=4, last=4)["made"]
    assert sheet(shot) == "1 1 2 2a 3 3"
    copy = shot.client.get(f"/api/drawings/{made}").json()
    assert len(copy["strokes"]) == strokes
    first = copy["strokes"][0]["id"]
    shot.client.post(
        f"/api/drawings/{made}/do", json={"base": copy["revision"], "do": {"do": "delete", "ids": [first]}}
    )
    assert len(shot.drawing(2)["strokes"]) == strokes
    act(shot, "take-out", level=1, drawings=[shot.ids[0]])
    assert sheet(shot) == ". . 2 2a 3 3"
    shot.client.post("/api/times/1/undo")
    assert sheet(shot) == "1 1 2 2a 3 3"


def test_another_rate_keeps_seconds_and_says_what_is_uneven(shot: Shot) -> None:
    act(shot, "rate", fps=48, recount=True)
    assert sheet(shot) == "1 1 1 1 2 2 2 2 3 3 3 3"
    act(shot, "rate", fps=24, recount=True)
    assert sheet(shot) == "1 1 2 2 3 3"
    tried = act(shot, "rate", how="try", fps=30, recount=True)
    assert (tried["frames"], tried["uneven"]) == (8, 3)
    act(shot, "rate", fps=12, recount=False)
    assert sheet(shot) == "1 1 2 2 3 3"
    assert "frame 2" not in act(shot, "rate", fps=6, recount=True).get("error", "")
    assert sheet(shot) == "1 2 3"


def read(shot: Shot, name: str, text: str, status: int = 200) -> dict:
    answer = shot.client.post("/api/shots/1/sheet", files={"file": (name, text.encode())})
    assert answer.status_code == status, answer.text
    return answer.json()


def test_the_sheet_goes_out_and_comes_in_as_csv_and_json(shot: Shot) -> None:
    span(shot, "repeat-span", 1, 2, until=4)
    span(shot, "cover", 5, 5, drawing=None)
    assert sheet(shot) == "1 1 1 1 . 3"
    before = sheet(shot)
    texts = {ending: shot.client.get(f"/shots/1/sheet.{ending}").text for ending in ("csv", "json")}
    assert texts["csv"].splitlines()[:2] == ["frame,Pim", "1,1"]
    assert '"repeat": 1' in texts["json"]
    for ending, text in texts.items():
        span(shot, "reverse", 1, 6)
        assert sheet(shot) != before
        assert read(shot, f"a.{ending}", text) == {"levels": ["Pim"]}
        assert sheet(shot) == before
        shot.client.post("/api/times/1/undo")
        assert sheet(shot) != before
        shot.client.post("/api/times/1/undo")
    assert shot.client.get("/shots/1/sheet/paper").text.count('class="frame"') == 6


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "first row"),
        ("frame,Pim,Pim\n1,1,1\n", "twice"),
        ("frame,Pim\n" + "".join(f"{k},1\n" for k in range(1, 5)), "4 frames and the shot 6"),
        ("frame,Pim\n1,1\n3,1\n", "frame 2 should stand here"),
        ("frame,Pim\n1,9\n" + "".join(f"{k},1\n" for k in range(2, 7)), "no drawing 9"),
        ("frame,Otto\n" + "".join(f"{k},1\n" for k in range(1, 7)), "level “Otto”"),
        ("frame,Pim\n1,-4\n", "row 2, Pim"),
        ("frame,Pim\n1,1,1\n", "more cells"),
        ('{"frames": 6}', "no sheet in JSON"),
        (
            '{"frames": 6, "fps": 24, "levels": [{"name": "Pim", "sheet": [{"frame": 2, "repeat": 2}]}]}',
            "before it",
        ),
        ('{"frames": 6, "fps": 24, "levels": ' + "[" * 100_000, "no sheet in JSON"),
    ],
)
def test_a_wrong_sheet_is_refused_and_changes_nothing(shot: Shot, text: str, words: str) -> None:
    error = read(shot, "wrong.csv", text, status=422)["error"]
    assert words in error
    assert "wrong.csv" in error
    assert sheet(shot) == "1 1 2 2 3 3"


def test_what_is_meant_is_not_asked_about(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[181, 95]], pot=1)
    shot.edit(3, "pour", points=[[181, 95]], pot=2)
    shot.job("carry")
    cards = shot.client.get("/api/shots/1/unsure").json()
    asked = {place["drawing"] for card in cards["cards"] for place in card["places"]}
    assert shot.ids[1] in asked
    act(shot, "mean", drawings=[shot.ids[1]], meant=True)
    assert shot.run()["meant"] == [shot.ids[1]]
    cards = shot.client.get("/api/shots/1/unsure").json()
    assert shot.ids[1] not in {place["drawing"] for card in cards["cards"] for place in card["places"]}
    shot.client.post("/api/times/1/undo")
    assert shot.run()["meant"] == []
    act(shot, "mean", 404, drawings=[999], meant=True)


def stack(shot: Shot, status: int = 200, **edit: Any) -> dict:
    answer = shot.client.post("/api/stacks/1/do", json={"do": edit})
    assert answer.status_code == status, answer.text
    return answer.json()


def test_a_frame_picks_from_a_set_by_name(shot: Shot, store: Store) -> None:
    a, b, c = shot.ids
    stack(shot, do="name-entry", level=1, name="ah", run=[[c, 2]])
    stack(shot, do="name-entry", level=1, name="blink", run=[[a, 1], [b, 1], [c, 1]])
    assert [name for name, _ in shot.run()["levels"][0]["entries"]] == ["ah", "blink"]
    span(shot, "pick", 1, 2, name="ah")
    assert sheet(shot) == "3 3 2 2 3 3"
    span(shot, "pick", 1, 6, name="blink")
    assert sheet(shot) == "1 2 3 3 3 3"
    span(shot, "pick", 1, 6, name="blink", back=True)
    assert sheet(shot) == "1 2 3 3 2 1"
    span(shot, "pick", 1, 2, name="oh", status=404)
    stack(shot, 404, do="name-entry", level=1, name="oh", run=[[999, 1]])
    # In another shot of the model the set comes with its drawings.
    shot.job("clean")
    with store.transaction() as cursor:
        own = productions.shot(cursor, 1)
        other, level = productions.create_shot(cursor, 1, "Pier", 24, "Pim", own["model_id"], None)
        productions.fill_shot(
            cursor,
            other,
            level,
            (320, 240),
            [(1, "key", pictures.put(cursor, rough(1), "image/png", 320, 240))],
            {1: 1},
            6,
        )
    (found,) = shot.client.get(f"/api/shots/{other}/sets?model={own['model_id']}").json()["sets"]
    assert (found["shot"], found["entries"]) == ("Quay", ["ah", "blink"])
    made = shot.client.post(f"/api/shots/{other}/sets", json={"level": found["level"]}).json()["level"]
    run = shot.client.get(f"/api/shots/{other}/run?level={made}").json()
    brought = next(lv for lv in run["levels"] if lv["id"] == made)
    assert [name for name, _ in brought["entries"]] == ["ah", "blink"]
    assert all(d["strokes"] > 0 for d in run["drawings"])
    stack(shot, do="name-entry", level=1, name="ah", run=None)
    shot.client.post("/api/stacks/1/undo")
    assert [name for name, _ in shot.run()["levels"][0]["entries"]] == ["ah", "blink"]


def test_a_pose_is_kept_alive_by_redraws_of_it(shot: Shot) -> None:
    shot.job("clean")
    act(shot, "length", frames=18)
    usual = shot.client.get(f"/api/levels/1/tremble?drawings={shot.ids[0]}").json()
    assert not usual["measured"]
    refused = act(shot, "living", 422, level=1, first=1, last=1, hold=2, count=0)
    assert "redraws" in refused["error"]
    made = act(shot, "living", level=1, first=1, last=1, hold=1, count=0, status=422)
    assert made["error"]
    answer = act(shot, "living", level=1, first=5, last=18, hold=2, count=2, reach=3.0)
    assert len(answer["made"]) == 2
    shown = sheet(shot).split()[4:]
    assert len(set(shown)) == 3
    assert all(a != b for a, b in pairwise(shown[::2]))
    # The redraws are of the first, each by itself, with its paint and tracks; both go with one undo.
    first = shot.client.get(f"/api/drawings/{shot.ids[2]}").json()["strokes"]
    redrawn = [shot.client.get(f"/api/drawings/{d}").json()["strokes"] for d in answer["made"]]
    assert [s["track"] for s in redrawn[0]] == [s["id"] for s in first]
    assert redrawn[0][0]["points"] != redrawn[1][0]["points"]
    measured = shot.client.get(
        f"/api/levels/1/tremble?drawings={shot.ids[2]}&drawings={answer['made'][0]}"
    ).json()
    assert measured["measured"]
    assert 1 < measured["reach"] < 4
    before = len(shot.run()["drawings"])
    shot.client.post("/api/times/1/undo")
    assert len(shot.run()["drawings"]) == before - 2


def test_a_hold_is_bent_from_exposure_to_exposure(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(3, "pour", points=[[100, 100]], pot=1)
    act(shot, "length", frames=14)
    act(shot, "living", level=1, first=5, last=14, hold=2, count=1, reach=1.0)
    before = sheet(shot).split()[4:]
    strokes = shot.client.get(f"/api/drawings/{shot.ids[2]}").json()["strokes"]
    top = min(
        (s["points"][k : k + 2] for s in strokes for k in range(0, len(s["points"]), 6)), key=lambda p: p[1]
    )
    low = max(
        (s["points"][k : k + 2] for s in strokes for k in range(0, len(s["points"]), 6)), key=lambda p: p[1]
    )
    bend = {"handles": [{"at": top, "by": [12, 0]}], "pins": [low], "chart": "even"}
    answer = act(shot, "bend-hold", level=1, first=5, last=14, **bend)
    # Every exposure but the first has a drawing of its own, bent by its share of the time.
    after = sheet(shot).split()[4:]
    assert len(answer["made"]) == 4
    assert len(set(after)) == 5
    assert [a == b for a, b in pairwise(after)] == [a == b for a, b in pairwise(before)]
    spans = [id_ for at, _, id_ in shot.run()["spans"] if at >= 5]
    for id_, share in ((spans[0], 0.0), (spans[2], 0.5), (spans[4], 1.0)):
        own = shot.client.get(f"/api/drawings/{id_}").json()["strokes"]
        points = np.vstack([np.reshape(s["points"], (-1, 2))[::3] for s in own])
        for goal in (np.add(top, (12 * share, 0)), np.array(low)):
            assert np.hypot(*(points - goal).T).min() < 2.5, (share, goal)
    # The paint goes with the lines.
    painted = shot.client.get(f"/api/drawings/{spans[4]}/patches").json()["paint"]
    assert [p["pot"] for p in painted.values()] == [1]
    assert "two at least" in act(shot, "bend-hold", 422, level=1, first=5, last=5, **bend)["error"]
    shot.client.post("/api/times/1/undo")
    assert sheet(shot).split()[4:] == before
