"""One history: whatever an artist changes can be undone, by whom it was done is known, and all of it can be gone back to."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

from schoon.settings import Settings
from schoon.store import Store, models, productions
from schoon.web.app import create_app

from ..shot import Shot

RULE = {"do": "rule", "outline": 7, "inner": 3, "detail": 2, "taper": 0, "corner": "sharp"}


def do(shot: Shot, subjects: str, **edit: Any) -> dict:
    answer = shot.client.post(f"/api/{subjects}/1/do", json={"do": edit})
    assert answer.status_code == 200, answer.text
    return answer.json()


def stands(store: Store) -> dict[str, Any]:
    """Time, stack and model as they are."""
    with store.transaction() as cursor:
        states = (
            productions.time_of(cursor, 1),
            productions.stack_of(cursor, 1),
            models.state_of(cursor, 1),
        )
    return dict(zip(("times", "stacks", "models"), (s.document() for s in states), strict=True))


def second_level(shot: Shot) -> None:
    with shot.client.app.state.store.transaction() as cursor:  # type: ignore[attr-defined]
        productions.add_level(cursor, 1, "Flag", 1, 1)


EDITS: list[tuple[str, dict[str, Any], Callable[[dict[str, Any]], Any], Any]] = [
    ("times", {"do": "hold", "level": 1, "first": 1, "hold": 3}, lambda s: sorted(s["levels"]["1"]), ["1", "4", "5"]),
    ("times", {"do": "blank", "level": 1, "frame": 5}, lambda s: s["levels"]["1"]["5"], None),
    ("times", {"do": "repeat", "level": 1, "frame": 5, "first": 1}, lambda s: s["levels"]["1"]["5"], {"first": 1}),
    ("times", {"do": "expose", "level": 1, "frame": 6, "drawing": 1}, lambda s: s["levels"]["1"]["6"], 1),
    ("times", {"do": "clear", "level": 1, "frame": 3}, lambda s: sorted(s["levels"]["1"]), ["1", "5"]),
    ("times", {"do": "mark", "level": 1, "drawing": 2, "kind": "breakdown"}, lambda s: s["marks"]["2"], "breakdown"),
    ("times", {"do": "length", "frames": 9}, lambda s: s["frames"], 9),
    ("times", {"do": "rate", "fps": 12.5}, lambda s: s["fps"], 12.5),
    ("stacks", {"do": "restack", "level": 1, "over": 2}, lambda s: s["order"], [2, 1]),
    ("stacks", {"do": "rename", "level": 2, "name": "Sail"}, lambda s: s["levels"]["2"]["name"], "Sail"),
    ("stacks", {"do": "aside", "level": 2, "aside": True}, lambda s: s["order"], [1]),
    ("stacks", {"do": "lock", "level": 2, "locked": True}, lambda s: s["levels"]["2"]["locked"], True),
    ("stacks", {"do": "key", "level": 1, "key": 2}, lambda s: s["levels"]["1"]["key"], 2),
    ("models", {"do": "colour", "key": 1, "pot": 1, "colour": "#102030"}, lambda s: s["keys"][0]["colours"]["1"], "#102030"),
    ("models", {"do": "colour", "key": 2, "pot": 1, "colour": "#102030", "tone": "shade"}, lambda s: s["keys"][1]["tones"]["1"]["shade"], "#102030"),
    ("models", {"do": "rename-pot", "pot": 1, "name": "Jacket"}, lambda s: s["pots"][0]["name"], "Jacket"),
    ("models", {"do": "describe-pot", "pot": 1, "opacity": 40}, lambda s: s["pots"][0]["opacity"], 40),
    ("models", {"do": "move-pot", "pot": 2, "before": 1}, lambda s: [p["id"] for p in s["pots"]], [2, 1]),
    ("models", {"do": "delete-pot", "pot": 2}, lambda s: [p["id"] for p in s["pots"]], [1]),
    ("models", {"do": "add-pots", "pots": [{"name": "Boot"}]}, lambda s: [p["name"] for p in s["pots"]], ["Coat", "Fur", "Boot"]),
    ("models", {"do": "add-key", "name": "Dusk", "like": 2}, lambda s: [k["name"] for k in s["keys"]], ["Day", "Night", "Dusk"]),
    ("models", RULE, lambda s: s["rule"]["outline"], 7),
    ("models", {"do": "measure", "part": "head", "weight": 3, "length": 9, "area": 2, "count": 1}, lambda s: s["measures"]["head"]["weight"], 3),
]  # fmt: skip


@pytest.mark.parametrize(
    ("subjects", "edit", "seen", "then"),
    EDITS,
    ids=[f"{s} {e['do']} {n}" for n, (s, e, *_) in enumerate(EDITS)],
)
def test_every_edit_is_undone_and_done_again_by_another_server(
    shot: Shot, store: Store, settings: Settings, subjects: str, edit: dict, seen: Callable, then: Any
) -> None:
    second_level(shot)
    before = stands(store)
    do(shot, subjects, **edit)
    after = stands(store)
    assert seen(after[subjects]) == then
    assert {k: v for k, v in after.items() if k != subjects} == {
        k: v for k, v in before.items() if k != subjects
    }
    again = TestClient(create_app(store, settings))
    assert again.post(f"/api/{subjects}/1/undo").json()["message"] == ""
    assert stands(store) == before
    assert "nothing to undo" in again.post(f"/api/{subjects}/1/undo").json()["message"]
    assert again.post(f"/api/{subjects}/1/redo").json()["message"] == ""
    assert stands(store) == after
    assert "nothing to redo" in again.post(f"/api/{subjects}/1/redo").json()["message"]


def test_a_refused_edit_of_time_stack_or_model_changes_nothing(shot: Shot, store: Store) -> None:
    second_level(shot)
    do(shot, "stacks", do="lock", level=1, locked=True)
    before = stands(store)
    tries = [
        ("times", {"do": "blank", "level": 1, "frame": 2}, "Pim is locked"),
        ("times", {"do": "mark", "level": 1, "drawing": 1, "kind": "key"}, "Pim is locked"),
        ("times", {"do": "blank", "level": 2, "frame": 99}, "frames 1 to 6"),
        ("times", {"do": "repeat", "level": 2, "frame": 3, "first": 3}, "before it"),
        ("times", {"do": "clear", "level": 2, "frame": 2}, "nothing starts"),
        ("times", {"do": "expose", "level": 2, "frame": 1, "drawing": 1}, "not on this level"),
        ("times", {"do": "blank", "level": 9, "frame": 1}, "not in the shot"),
        ("stacks", {"do": "rename", "level": 2, "name": "pim"}, "level called"),
        ("stacks", {"do": "restack", "level": 1, "over": 9}, "not in the shot"),
        ("models", {"do": "rename-pot", "pot": 1, "name": "FUR"}, "pot called"),
        ("models", {"do": "add-key", "name": "night", "like": 1}, "colour key called"),
        ("models", {"do": "delete-pot", "pot": 1, "instead": 1}, "its own place"),
    ]
    for subjects, edit, words in tries:
        answer = shot.client.post(f"/api/{subjects}/1/do", json={"do": edit})
        assert answer.status_code in (404, 422), edit
        assert words in answer.json()["error"], edit
    assert stands(store) == before


def test_two_windows_change_one_sheet_and_one_model_and_both_changes_stand(shot: Shot, store: Store) -> None:
    do(shot, "times", do="hold", level=1, first=1, hold=3)
    do(shot, "times", do="blank", level=1, frame=6)
    do(shot, "models", do="colour", key=1, pot=1, colour="#111111")
    do(shot, "models", do="colour", key=1, pot=2, colour="#222222")
    now = stands(store)
    assert now["times"]["levels"]["1"] == {"1": 1, "4": 2, "5": 3, "6": None}
    assert now["models"]["keys"][0]["colours"] == {"1": "#111111", "2": "#222222"}
    # Undo takes the last action, whoever did it, and only that.
    shot.client.post("/api/models/1/undo")
    assert stands(store)["models"]["keys"][0]["colours"] == {"1": "#111111", "2": "#8a5a3b"}


def test_what_rows_did_not_come_by_a_revision_is_not_lost_by_undo(shot: Shot, store: Store) -> None:
    do(shot, "stacks", do="lock", level=1, locked=True)
    second_level(shot)
    do(shot, "stacks", do="lock", level=1, locked=False)
    shot.client.post("/api/stacks/1/undo")
    now = stands(store)["stacks"]
    assert (now["order"], now["levels"]["1"]["locked"]) == ([1, 2], True)


def test_a_blank_and_a_repeat_show_in_the_frames(shot: Shot) -> None:
    do(shot, "times", do="length", frames=12)
    do(shot, "times", do="repeat", level=1, frame=7, first=1)
    shown = do(shot, "times", do="blank", level=1, frame=4)["levels"]["1"]
    assert shown["sheet"] == [[1, 2, 1], [3, 1, 2], [4, 1, None], [5, 2, 3], [7, 6, {"again": 1}]]
    assert [tuple(s) for s in shown["spans"]] == [
        (1, 2, 1),
        (3, 1, 2),
        (5, 2, 3),
        (7, 2, 1),
        (9, 1, 2),
        (11, 2, 3),
    ]


def test_a_pot_taken_out_with_another_in_its_place_comes_back_as_one(shot: Shot, store: Store) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[100, 100]], pot=1)
    shot.edit(2, "pour", points=[[100, 100]], pot=1)
    before = stands(store)["models"], shot.patches(1)["paint"]
    do(shot, "models", do="delete-pot", pot=1, instead=2)
    assert {p["pot"] for p in shot.patches(1)["paint"].values()} == {2}
    undone = shot.client.post("/api/models/1/undo").json()
    assert (undone["drawings"], undone["kinds"], undone["pots"]) == (shot.ids[:2], ["model"], [])
    assert (stands(store)["models"], shot.patches(1)["paint"]) == before


def history(shot: Shot) -> list[dict]:
    return shot.client.get("/api/shots/1/history").json()["entries"]


def test_the_history_says_who_did_what_and_what_it_looked_like(shot: Shot) -> None:
    shot.client.cookies.set("schoon-name", "Mara%20Lind")
    shot.job("clean")
    shot.client.cookies.set("schoon-name", "Jo")
    shot.edit(1, "pour", points=[[100, 100]], pot=1)
    do(shot, "times", do="hold", level=1, first=1, hold=3)
    do(shot, "models", do="colour", key=1, pot=1, colour="#102030")
    shot.client.post("/api/times/1/undo")
    listed = history(shot)
    assert [(e["label"], e["who"], e["stands"]) for e in listed] == [
        ("change the Coat in Day", "Jo", True),
        ("hold from frame 1 for 3", "Jo", False),
        ("pour into 1 patch", "Jo", True),
        ("clean 3 drawings", "Mara Lind", True),
    ]
    assert listed[0]["colours"] == [["Coat in Day", "#edb21f", "#102030"]]
    assert listed[1]["spans"] == [
        [[1, 2, "1"], [3, 2, "2"], [5, 2, "3"]],
        [[1, 3, "1"], [4, 1, "2"], [5, 2, "3"]],
    ]
    pair = listed[2]["drawings"][0]
    assert pair["number"] == "1"
    pictures = [
        shot.client.get(f"/drawings/{pair['id']}/view.webp?w=80&revision={revision}&v=1").content
        for revision in (pair["before"], pair["after"])
    ]
    assert pictures[0] != pictures[1]
    assert len(listed[3]["drawings"]) == 3


def test_the_shot_steps_back_to_any_action_and_forth_again(shot: Shot, store: Store) -> None:
    shot.job("clean")
    cleaned = [shot.drawing(n)["strokes"] for n in (1, 2, 3)]
    shot.edit(1, "pour", points=[[100, 100]], pot=1)
    do(shot, "times", do="hold", level=1, first=1, hold=3)
    shot.edit(2, "line", do={"do": "delete", "ids": [cleaned[1][0]["id"]]})
    do(shot, "models", do="colour", key=1, pot=1, colour="#102030")
    late = stands(store), [shot.drawing(n)["strokes"] for n in (1, 2, 3)], shot.patches(1)["paint"]
    target = next(e["id"] for e in history(shot) if e["label"] == "clean 3 drawings")
    answer = shot.client.post("/api/shots/1/back", json={"action": target}).json()
    assert (answer["label"], answer["drawings"], answer["kinds"]) == (
        "clean 3 drawings",
        shot.ids[:2],
        ["time"],
    )
    assert [shot.drawing(n)["strokes"] for n in (1, 2, 3)] == cleaned
    assert shot.patches(1)["paint"] == {}
    assert stands(store)["times"]["levels"]["1"] == {"1": 1, "3": 2, "5": 3}
    # Models are other shots' too, and stay.
    assert stands(store)["models"] == late[0]["models"]
    assert shot.client.post("/api/shots/1/back", json={"action": target}).status_code == 422
    assert shot.client.post("/api/shots/1/back", json={"action": 999}).status_code == 404
    # Going back is an action like any other: nothing is lost by it.
    shot.client.post(f"/api/drawings/{shot.ids[0]}/undo")
    assert (stands(store), [shot.drawing(n)["strokes"] for n in (1, 2, 3)], shot.patches(1)["paint"]) == late


def test_one_drawing_comes_back_as_it_was_and_a_locked_level_stays(shot: Shot) -> None:
    shot.job("clean")
    bare = shot.drawing(1)["revision"]
    shot.edit(1, "pour", points=[[100, 100]], pot=1)
    shot.edit(2, "pour", points=[[100, 100]], pot=1)
    back = f"/api/drawings/{shot.ids[0]}/back"
    assert shot.client.post(back, json={"revision": bare}).status_code == 200
    assert shot.patches(1)["paint"] == {}
    assert len(shot.patches(2)["paint"]) == 1
    assert shot.client.post(back, json={"revision": bare}).status_code == 422
    assert shot.client.post(back, json={"revision": 9999}).status_code == 404
    assert shot.client.post(back, json={"revision": 0}).status_code == 200
    assert shot.drawing(1)["strokes"] == []
    shot.client.post(f"/api/drawings/{shot.ids[0]}/undo")
    target = next(e["id"] for e in history(shot) if e["label"].startswith("clean"))
    do(shot, "stacks", do="lock", level=1, locked=True)
    before = shot.drawing(2)
    refused = shot.client.post("/api/shots/1/back", json={"action": target})
    assert shot.drawing(2) == before
    assert refused.status_code == 200
    # The lock itself is of the stack, which went back; the drawings were locked when it began.
    assert refused.json()["stay"] == ["Pim"]


def test_undo_of_time_leaves_the_sheet_of_a_locked_level(shot: Shot, store: Store) -> None:
    do(shot, "times", do="hold", level=1, first=1, hold=3)
    do(shot, "stacks", do="lock", level=1, locked=True)
    before = stands(store)
    answer = shot.client.post("/api/times/1/undo")
    assert (answer.status_code, "Pim is locked" in answer.json()["error"]) == (422, True)
    assert stands(store) == before


@pytest.mark.parametrize("name", ["", "%00", "%ED%A0%80", "x" * 4000, "A%E2%80%AEB"])
def test_any_name_is_survived(shot: Shot, name: str) -> None:
    shot.client.cookies.set("schoon-name", name)
    do(shot, "times", do="rate", fps=25)
    assert len(history(shot)[0]["who"]) <= 60


def test_a_moment_is_kept_by_name_and_fetched_back_whole_or_in_part(shot: Shot) -> None:
    assert shot.client.post("/api/shots/1/keep", json={"name": "early"}).status_code == 422
    assert shot.job("clean")["state"] == "done"
    kept = shot.client.post("/api/shots/1/keep", json={"name": "before the risk"}).json()["action"]
    lines = [len(shot.drawing(n)["strokes"]) for n in (1, 2, 3)]
    for n in (1, 2, 3):
        strokes = [s["id"] for s in shot.drawing(n)["strokes"]]
        shot.edit(n, "line", do={"do": "delete", "ids": strokes[:1]})
    entries = shot.client.get("/api/shots/1/history").json()["entries"]
    assert [(e["id"], e["kept"]) for e in entries if e["kept"]] == [(kept, "before the risk")]
    some = shot.client.post("/api/shots/1/back", json={"action": kept, "drawings": [shot.ids[1]]}).json()
    assert some["drawings"] == [shot.ids[1]]
    assert [len(shot.drawing(n)["strokes"]) for n in (1, 2, 3)] == [lines[0] - 1, lines[1], lines[2] - 1]
    whole = shot.client.post("/api/shots/1/back", json={"action": kept}).json()
    assert whole["label"] == "before the risk"
    assert [len(shot.drawing(n)["strokes"]) for n in (1, 2, 3)] == lines
    assert shot.client.post("/api/shots/1/back", json={"action": kept}).status_code == 422
    shot.client.post("/api/shots/1/keep", json={"name": "", "action": kept})
    entries = shot.client.get("/api/shots/1/history").json()["entries"]
    assert not [e for e in entries if e["kept"]]


def test_a_span_is_kept_as_it_was_at_a_moment_with_its_timing(shot: Shot) -> None:
    shot.job("clean")
    moment = shot.client.post("/api/shots/1/keep", json={"name": "calm"}).json()["action"]
    was = shot.client.get(f"/api/shots/1/moments/{moment}?level=1").json()
    assert was["spans"] == shot.run()["spans"]
    lines = [len(shot.drawing(n)["strokes"]) for n in (1, 2, 3)]
    for number in (1, 2, 3):
        ids = [s["id"] for s in shot.drawing(number)["strokes"]]
        shot.edit(number, "line", do={"do": "delete", "ids": ids[:1]})
    on_ones = {"do": "on-each", "levels": [1], "first": 1, "last": 6, "hold": 1, "push": False}
    assert shot.client.post("/api/times/1/do", json={"do": on_ones}).status_code == 200
    before = shot.client.get(f"/api/shots/1/moments/{moment}?level=1").json()
    assert before == was
    span = {"level": 1, "first": 3, "last": 4}
    found = shot.client.post("/api/shots/1/back", json={"action": moment, "span": span})
    assert found.status_code == 200, found.text
    # Drawing 2 stood there; 3 stands there now, on ones.
    assert [len(shot.drawing(n)["strokes"]) for n in (1, 2, 3)] == [lines[0] - 1, lines[1], lines[2]]
    shown = {f: d for first, count, d in shot.run()["spans"] for f in range(first, first + count)}
    assert [shot.ids.index(shown[f]) for f in (1, 2, 3, 4)] == [0, 1, 1, 1]
    again = shot.client.post("/api/shots/1/back", json={"action": moment, "span": span})
    assert again.status_code == 422
    assert shot.client.get("/api/shots/1/moments/99999?level=1").status_code == 404
    assert shot.client.get(f"/api/shots/1/moments/{moment}?level=77").status_code == 404
    for wrong in ({"first": 4, "last": 3}, {"last": 999}):
        asked = {"action": moment, "span": {**span, **wrong}}
        assert shot.client.post("/api/shots/1/back", json=asked).status_code == 422
    # One undo takes drawings and timing back.
    assert shot.client.post(f"/api/drawings/{shot.ids[1]}/undo").status_code == 200
    assert len(shot.drawing(3)["strokes"]) == lines[2] - 1
    shown = {f: d for first, count, d in shot.run()["spans"] for f in range(first, first + count)}
    assert [shot.ids.index(shown[f]) for f in (1, 2, 3)] == [0, 1, 2]


def test_a_step_whose_answer_was_lost_is_taken_once_and_one_from_elsewhere_not_at_all(shot: Shot) -> None:
    post = shot.client.post
    for name in ("aaaaaaaa", "bbbbbbbb"):
        path = [[20 + 3 * k, 40 + (name == "bbbbbbbb") * 60, 0.5] for k in range(20)]
        shot.edit(1, "trace", id=name, path=path, width=4)
    url, seen = f"/api/drawings/{shot.ids[0]}/undo", shot.drawing(1)["revision"]
    token = {"x-schoon-token": "5" * 32}
    first = post(url, json={"seen": seen}, headers=token).json()
    again = post(url, json={"seen": seen}, headers={**token, "x-schoon-again": "1"}).json()
    assert again == {**first, "again": True}
    assert [s["id"] for s in shot.drawing(1)["strokes"]] == ["aaaaaaaa"]
    assert first["revision"] == shot.drawing(1)["revision"]
    # What is stepped from is another revision by now: nothing is taken back.
    moved = post(url, json={"seen": seen}).json()
    assert moved["moved"]
    assert "press again" in moved["message"]
    assert [s["id"] for s in shot.drawing(1)["strokes"]] == ["aaaaaaaa"]
    assert not post(url, json={"seen": first["revision"]}).json()["moved"]
    assert shot.drawing(1)["strokes"] == []


def test_a_shot_grows_by_what_an_act_pushes_off_as_one_action(shot: Shot) -> None:
    frames = shot.run()["frames"]
    first, count, _ = shot.run()["spans"][0]
    act = {
        "do": "stretch", "levels": [1], "first": first, "last": first + count - 1, "frames": count + 2, "push": True,
    }  # fmt: skip
    tried = shot.client.post("/api/times/1/try", json={"do": act}).json()
    assert tried["lost"]
    assert tried["missing"] == 2
    grown = shot.client.post("/api/times/1/do", json={"do": {**act, "grow": True}}).json()
    assert grown["frames"] == frames + 2
    shot.client.post("/api/times/1/undo")
    assert shot.run()["frames"] == frames
