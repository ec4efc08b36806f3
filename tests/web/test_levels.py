"""Several levels in one shot: taking in, order, lock, and that paint sees only its level."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image

from schoon.errors import Refusal
from schoon.formats.pictures import encode_png
from schoon.formats.sequences import Incoming
from schoon.store import Store
from schoon.store.states import LevelKind
from schoon.work.backup import back_up, restore
from schoon.work.take_in import NewLevel, new_shot_size

from ..shot import Shot, rough


def flag(size: tuple[int, int] = (320, 240)) -> bytes:
    """A square at the left, as a rough."""
    picture = np.full((size[1], size[0], 3), 245, np.uint8)
    cv2.rectangle(picture, (10, 150), (70, 220), (50, 50, 50), 3, cv2.LINE_AA)
    return encode_png(picture)


def take_in(shot: Shot, bodies: list[bytes], **fields: str) -> dict:
    files = [("files", (f"f{k}.png", body, "image/png")) for k, body in enumerate(bodies, 1)]
    page = shot.client.post("/take-in/check", files=files).text
    token = page.split('data-token="')[1].split('"')[0]
    content = {"token": token, "level": "Flag", "hold": "2", "model": "1", "into": "1", **fields}
    return shot.client.post("/productions/1/take-in", data=content).json()


@pytest.fixture
def stack(shot: Shot) -> Shot:
    answer = take_in(shot, [flag(), flag()])
    assert answer["url"] == "/shots/1/rough?level=2"
    return shot


def levels(shot: Shot) -> list[str]:
    page = shot.client.get("/shots/1/line").text
    data = json.loads(page.split('id="data">')[1].split("</script>")[0])
    return [level["name"] for level in data["levels"]]


def test_a_level_comes_in_front_and_has_its_own_run(stack: Shot) -> None:
    assert levels(stack) == ["Pim", "Flag"]
    run = stack.client.get("/api/shots/1/run?level=2").json()
    assert [d["number"] for d in run["drawings"]] == ["1", "2"]
    # The shot keeps its six frames; the last drawing is held to the end.
    assert run["spans"] == [[1, 2, run["drawings"][0]["id"]], [3, 4, run["drawings"][1]["id"]]]
    assert len(stack.run()["drawings"]) == 3
    assert stack.client.get("/").text.count('class="shot-row"') == 1


def test_a_level_that_does_not_fit_its_shot_is_refused_whole(stack: Shot) -> None:
    for bodies, fields, word in (
        ([flag((300, 240))] * 2, {}, "320 × 240"),
        ([flag()] * 4, {}, "6"),
        ([flag()], {"level": "Pim"}, "already"),
        ([flag()], {"into": "77"}, "not there"),
    ):
        assert word in take_in(stack, bodies, **{"level": "Sky", **fields})["error"]
    assert levels(stack) == ["Pim", "Flag"]


def test_levels_are_stacked_and_renamed(stack: Shot) -> None:
    post = stack.client.post
    assert post("/api/stacks/1/do", json={"do": {"do": "restack", "level": 1, "over": 2}}).status_code == 200
    assert levels(stack) == ["Flag", "Pim"]
    assert (
        post("/api/stacks/1/do", json={"do": {"do": "rename", "level": 2, "name": "Pim"}}).status_code == 422
    )
    assert (
        post("/api/stacks/1/do", json={"do": {"do": "rename", "level": 2, "name": " Red flag "}}).status_code
        == 200
    )
    assert levels(stack) == ["Red flag", "Pim"]


def test_a_locked_level_is_not_changed(stack: Shot) -> None:
    stack.job("clean")
    stack.edit(1, "pour", points=[[181, 95]], pot=1)
    before = stack.patches(1)
    post = stack.client.post
    post("/api/stacks/1/do", json={"do": {"do": "lock", "level": 1, "locked": True}})
    drawing = f"/api/drawings/{stack.ids[0]}"
    tries = (
        (
            f"{drawing}/do",
            {"base": before["revision"], "do": {"do": "pour", "points": [[100, 100]], "pot": 2}},
        ),
        (f"{drawing}/undo", {}),
        ("/api/levels/1/jobs", {"kind": "carry"}),
        ("/api/times/1/do", {"do": {"do": "hold", "level": 1, "first": 1, "hold": 1}}),
        (
            "/api/levels/1/do",
            {"do": {"do": "repaint", "cells": [{"drawing": stack.ids[0], "pot": 1}], "act": "lift"}},
        ),
    )
    for url, content in tries:
        answer = post(url, json=content)
        assert answer.status_code == 422, url
        assert "Pim is locked" in answer.json()["error"]
    assert stack.patches(1) == before
    post("/api/stacks/1/do", json={"do": {"do": "lock", "level": 1, "locked": False}})
    assert post(f"{drawing}/undo").json()["drawings"] == [stack.ids[0]]


def aside(shot: Shot) -> list[dict]:
    page = shot.client.get("/shots/1/line").text
    return json.loads(page.split('id="data">')[1].split("</script>")[0])["aside"]


def test_a_level_is_put_aside_and_comes_back_whole(stack: Shot) -> None:
    post = stack.client.post
    run = stack.client.get("/api/shots/1/run?level=2").json()
    assert (
        post("/api/stacks/1/do", json={"do": {"do": "aside", "level": 2, "aside": True}}).status_code == 200
    )
    assert levels(stack) == ["Pim"]
    assert [(level["name"], level["drawings"]) for level in aside(stack)] == [("Flag", 2)]
    page = stack.client.get("/shots/1/line?level=2")
    assert page.status_code == 404
    assert "put aside" in page.text
    # The name stays taken, so that it can come back.
    assert "already" in take_in(stack, [flag()], level="Flag")["error"]
    assert (
        post("/api/stacks/1/do", json={"do": {"do": "aside", "level": 2, "aside": False}}).status_code == 200
    )
    assert levels(stack) == ["Pim", "Flag"]
    # All but what has been done to the stack is as it was.
    back = stack.client.get("/api/shots/1/run?level=2").json()
    assert {**back, "heads": run["heads"]} == run


def test_a_shot_opens_with_a_level_that_is_not_aside_and_keeps_one(stack: Shot) -> None:
    post = stack.client.post
    assert (
        post("/api/stacks/1/do", json={"do": {"do": "aside", "level": 1, "aside": True}}).status_code == 200
    )
    assert len(stack.run()["drawings"]) == 2
    assert stack.client.get("/").text.count('class="shot-row"') == 1
    refused = post("/api/stacks/1/do", json={"do": {"do": "aside", "level": 2, "aside": True}})
    assert refused.status_code == 422
    assert "only level" in refused.json()["error"]
    post("/api/stacks/1/do", json={"do": {"do": "aside", "level": 1, "aside": False}})
    # Brought back it lies in front.
    assert levels(stack) == ["Flag", "Pim"]


def test_a_locked_level_is_not_put_aside(stack: Shot) -> None:
    stack.client.post("/api/stacks/1/do", json={"do": {"do": "lock", "level": 2, "locked": True}})
    refused = stack.client.post("/api/stacks/1/do", json={"do": {"do": "aside", "level": 2, "aside": True}})
    assert refused.status_code == 422
    assert "Flag is locked" in refused.json()["error"]
    assert aside(stack) == []


def test_paint_sees_its_level_and_the_gif_shows_all(stack: Shot) -> None:
    for level in (1, 2):
        stack.client.post(f"/api/levels/{level}/jobs", json={"kind": "clean"})
    stack.client.app.state.runner.run_open()
    run = stack.client.get("/api/shots/1/run?level=2").json()
    mine = run["drawings"][0]
    url = f"/api/drawings/{mine['id']}/do"
    answer = stack.client.post(
        url, json={"base": mine["revision"], "do": {"do": "pour", "points": [[40, 185]], "pot": 1}}
    )
    assert answer.status_code == 200
    stack.edit(1, "pour", points=[[181, 95]], pot=2)
    assert len(stack.patches(1)["paint"]) == 1
    clear = stack.client.get(f"/drawings/{mine['id']}/view.webp?w=320&look=paint&clear=1")
    seen = np.array(Image.open(io.BytesIO(clear.content)).convert("RGBA"))
    assert seen[185, 40, 3] == 255
    assert seen[20, 300, 3] == 0

    def export(what: str) -> bytes:
        job = stack.client.post(
            "/api/levels/2/export", json={"what": what, "width": 320, "cleared": True}
        ).json()["id"]
        stack.client.app.state.runner.run_open()
        return stack.client.get(f"/exports/{job}").content

    frame = np.array(Image.open(io.BytesIO(export("gif"))).convert("RGB"))
    assert np.abs(frame[185, 40].astype(int) - (0xED, 0xB2, 0x1F)).max() < 12
    assert np.abs(frame[95, 175].astype(int) - (0x8A, 0x5A, 0x3B)).max() < 12
    names = zipfile.ZipFile(io.BytesIO(export("drawings"))).namelist()
    assert names == ["Quay_Flag_0001.png", "Quay_Flag_0002.png"]


def test_parts_have_a_depth_that_changes_from_a_drawing_on(shot: Shot) -> None:
    for pot, part in ((1, "Coat"), (2, "Otter")):
        shot.client.post("/api/models/1/do", json={"do": {"do": "describe-pot", "pot": pot, "part": part}})
    assert shot.run()["depth"] == {"model": ["Coat", "Otter"], "changes": {}}
    model = {"do": {"do": "depth", "parts": ["Otter", "Coat"]}}
    assert shot.client.post("/api/models/1/do", json=model).status_code == 200
    here = {"do": "depth", "level": 1, "drawing": shot.ids[1], "parts": ["Coat", "Otter"]}
    assert shot.client.post("/api/stacks/1/do", json={"do": here}).status_code == 200
    found = {"model": ["Otter", "Coat"], "changes": {str(shot.ids[1]): ["Coat", "Otter"]}}
    assert shot.run()["depth"] == found
    shot.client.post("/api/stacks/1/undo")
    assert shot.run()["depth"]["changes"] == {}
    shot.client.post("/api/stacks/1/redo")
    assert shot.run()["depth"] == found
    # Refused: a part the model has not, a drawing of elsewhere.
    wrong = shot.client.post("/api/models/1/do", json={"do": {"do": "depth", "parts": ["Wing"]}})
    assert (wrong.status_code, "Wing" in wrong.json()["error"]) == (422, True)
    away = shot.client.post("/api/stacks/1/do", json={"do": {**here, "drawing": 999}})
    assert away.status_code == 404
    shot.client.post("/api/stacks/1/do", json={"do": {**here, "parts": None}})
    assert shot.run()["depth"]["changes"] == {}


def test_a_patch_can_belong_to_another_part_than_its_pot_and_that_is_carried(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[181, 95]], pot=1)
    shot.edit(1, "pour", points=[[100, 100]], pot=2)
    answer = shot.edit(1, "belong", points=[[181, 95]], part="Brim")
    assert [p["part"] for p in answer["paint"].values() if "part" in p] == ["Brim"]
    shot.job("carry")
    assert [p["part"] for p in shot.patches(2)["paint"].values() if "part" in p] == ["Brim"]
    shot.edit(1, "belong", points=[[181, 95]], part=None)
    assert not [p for p in shot.patches(1)["paint"].values() if "part" in p]
    bare = shot.client.post(
        f"/api/drawings/{shot.ids[0]}/do",
        json={
            "base": shot.drawing(1)["revision"],
            "do": {"do": "belong", "points": [[2, 2]], "part": "Brim"},
        },
    )
    assert bare.status_code == 422


def picture(shot: Shot, query: str) -> np.ndarray:
    body = shot.client.get(f"/shots/1/frames/together.webp?w=320&{query}").content
    return np.asarray(Image.open(io.BytesIO(body)).convert("L")).astype(int)


def middle(dark: np.ndarray) -> tuple[float, float]:
    rows, columns = np.nonzero(dark < 128)
    return float(columns.mean()), float(rows.mean())


def test_a_level_is_placed_and_framed_as_plain_arithmetic_says(shot: Shot) -> None:
    shot.job("clean")
    here = f"drawings={shot.ids[0]}"
    x, y = middle(picture(shot, here))
    place = {"do": "place-level", "level": 1, "frame": 1, "notch": {"x": 40, "way": "even"}}
    shot.client.post("/api/stacks/1/do", json={"do": place})
    then = {**place, "frame": 5, "notch": {"x": 0, "y": 20}}
    assert shot.client.post("/api/stacks/1/do", json={"do": then}).status_code == 200
    assert middle(picture(shot, here)) == pytest.approx((x, y), abs=0.6)
    assert middle(picture(shot, f"{here}&frame=1")) == pytest.approx((x + 40, y), abs=0.6)
    assert middle(picture(shot, f"{here}&frame=3")) == pytest.approx((x + 20, y + 10), abs=0.6)
    (level,) = shot.run()["levels"]
    assert level["places"][2] == [1, 0, 0, 1, 20, 10]
    framing = {"do": "framing", "frame": 1, "notch": {"x": 30, "y": -10, "scale": 0.8}}
    shot.client.post("/api/stacks/1/do", json={"do": framing})
    centre = np.array([160, 120])
    seen = centre + (np.array([x + 40, y]) - centre - (30, -10)) / 0.8
    assert middle(picture(shot, f"{here}&frame=1")) == pytest.approx(seen, abs=1)
    assert middle(picture(shot, f"{here}&frame=1&framed=0")) == pytest.approx((x + 40, y), abs=0.6)
    far = {"do": "place-level", "level": 1, "follow": 0}
    shot.client.post("/api/stacks/1/do", json={"do": far})
    assert middle(picture(shot, f"{here}&frame=1")) == pytest.approx((x + 40, y), abs=0.6)
    for _ in range(4):
        shot.client.post("/api/stacks/1/undo")
    assert middle(picture(shot, f"{here}&frame=1")) == pytest.approx((x, y), abs=0.6)


def test_what_a_level_is_for_says_what_is_seen_and_handed_off(stack: Shot) -> None:
    shot = stack
    shot.job("clean")
    own = shot.client.get("/api/shots/1/run?level=2").json()
    two = own["drawings"][0]["id"]
    blank = picture(shot, f"drawings={two}")
    assert (blank == 255).all()
    shot.client.post("/api/stacks/1/do", json={"do": {"do": "purpose", "level": 2, "kind": "pictures"}})
    assert picture(shot, f"drawings={two}").min() < 90
    shot.client.post("/api/stacks/1/do", json={"do": {"do": "sight", "level": 2, "opacity": 50}})
    assert 120 < picture(shot, f"drawings={two}").min() < 190
    before = shot.client.get("/api/levels/1/gif-size?width=320").json()["bytes"]
    shot.client.post("/api/stacks/1/do", json={"do": {"do": "purpose", "level": 2, "kind": "backdrop"}})
    assert shot.client.get("/api/levels/1/gif-size?width=320").json()["bytes"] != before
    shot.client.post("/api/stacks/1/do", json={"do": {"do": "sight", "level": 2, "visible": False}})
    assert shot.client.get("/api/levels/1/gif-size?width=320").json()["bytes"] == before
    wrong = {"do": "sight", "level": 2, "tint": "red"}
    assert shot.client.post("/api/stacks/1/do", json={"do": wrong}).status_code == 422


def test_roughs_are_taken_in_again_by_number_and_what_was_cleaned_stays(shot: Shot) -> None:
    shot.job("clean")
    strokes = shot.drawing(2)["strokes"]
    before = shot.drawing(2)["rough"]
    bodies = [("files", ("new_2.png", rough(40), "image/png"))]
    token = shot.client.post("/take-in/check", files=bodies).text.split('data-token="')[1].split('"')[0]
    answer = shot.client.post("/productions/1/take-in", data={"token": token, "into": "again:1"})
    assert answer.status_code == 200, answer.text
    entry = next(d for d in shot.run()["drawings"] if d["number"] == "2")
    assert entry["retaken"]
    now = shot.drawing(2)
    assert now["rough"] != before
    assert now["strokes"] == strokes
    picture = shot.client.get(f"/drawings/{shot.ids[1]}/difference.webp").content
    seen = np.asarray(Image.open(io.BytesIO(picture)).convert("RGB")).astype(int)
    ochre = (seen[..., 0] - seen[..., 2] > 80).sum()
    violet = (seen[..., 2] - seen[..., 1] > 60).sum()
    assert ochre > 200
    assert violet > 200
    look = {"do": {"do": "look", "drawing": shot.ids[1]}}
    assert shot.client.post("/api/times/1/do", json=look).status_code == 200
    assert not any(d["retaken"] for d in shot.run()["drawings"])
    shot.client.post("/api/times/1/undo")
    shot.client.post("/api/times/1/undo")
    assert shot.drawing(2)["rough"] == before
    assert not any(d["retaken"] for d in shot.run()["drawings"])
    shot.client.post("/api/times/1/redo")
    assert shot.drawing(2)["rough"] == now["rough"]
    # Refused: a number that is not there, and what is there already.
    for number, words in ((9, "no drawing 9"), (2, "has already")):
        bodies = [("files", (f"new_{number}.png", rough(40), "image/png"))]
        token = shot.client.post("/take-in/check", files=bodies).text.split('data-token="')[1].split('"')[0]
        refused = shot.client.post("/productions/1/take-in", data={"token": token, "into": "again:1"})
        assert words in refused.json()["error"]


def test_a_level_is_copied_free_of_the_other(shot: Shot) -> None:
    assert shot.job("clean")["state"] == "done"
    shot.edit(1, "pour", points=[[156 - 50, 120]], pot=2)
    repeat = {"do": "hold", "level": 1, "first": 1, "hold": 3}
    shot.client.post("/api/times/1/do", json={"do": repeat})
    before = shot.run()["levels"][0]
    for what, lined, painted in (("timing", False, False), ("lines", True, False), ("all", True, True)):
        made = shot.client.post("/api/levels/1/duplicate", json={"name": f"Pim {what}", "what": what}).json()
        run = shot.client.get(f"/api/shots/1/run?level={made['level']}").json()
        assert [d["number"] for d in run["drawings"]] == ["1", "2", "3"]
        assert [s[:2] for s in run["spans"]] == [s[:2] for s in before["spans"]]
        assert [bool(d["strokes"]) for d in run["drawings"]] == [lined] * 3
        assert [bool(d["painted"]) for d in run["drawings"]] == [painted, False, False]
        assert [d["sheet"] for d in run["drawings"]] == [not lined] * 3
        # What is done to the copy is not done to the other.
        own = run["drawings"][0]
        stroke = {
            "do": "trace",
            "id": "00000000aa",
            "width": 4,
            "path": [[20, 20, 0.5], [60, 30, 0.5], [90, 20, 0.5]],
        }
        answer = shot.client.post(
            f"/api/drawings/{own['id']}/do", json={"base": own["revision"], "do": stroke}
        )
        assert answer.status_code == 200, answer.text
    assert shot.run()["levels"][0]["drawn"] == before["drawn"]
    twice = shot.client.post("/api/levels/1/duplicate", json={"name": "Pim all", "what": "all"})
    assert twice.status_code == 422


def test_a_level_does_without_stages(shot: Shot) -> None:
    assert shot.job("clean")["state"] == "done"
    gate = "/api/levels/1/open"
    assert "paint" in {one["what"] for one in shot.client.get(gate).json()["open"]}

    def skip(*stages: str) -> dict:
        asked = {"do": "skip", "level": 1, "stages": stages}
        assert shot.client.post("/api/stacks/1/do", json={"do": asked}).status_code == 200
        return shot.run()

    run = skip("paint", "tone", "seal")
    assert run["levels"][0]["skips"] == ["paint", "tone", "seal"]
    assert run["progress"]["next_stage"] == "proof"
    assert {one["what"] for one in shot.client.get(gate).json()["open"]} == {"proof"}
    shot.client.post("/api/levels/1/proof")
    shot.client.app.state.runner.run_open()
    assert shot.client.get("/api/levels/1/findings").json()["findings"] == []
    assert "Play it and hand it off" in shot.client.get("/").text
    assert skip()["progress"]["next_stage"] == "paint"
    shot.client.post("/api/stacks/1/undo")
    assert shot.run()["levels"][0]["skips"] == ["paint", "tone", "seal"]


def test_words_of_ones_own_and_extremes(shot: Shot) -> None:
    def time(**do: object) -> dict:
        answer = shot.client.post("/api/times/1/do", json={"do": do})
        assert answer.status_code == 200, answer.text
        return answer.json()

    written = {"word": "smear", "tint": "#2f6f9f"}
    told = time(do="label", drawings=shot.ids[:2], written=written)["labels"]
    assert told == {str(d): written for d in shot.ids[:2]}
    assert shot.run()["labels"] == told
    assert list(time(do="label", drawings=shot.ids[:1])["labels"]) == [str(shot.ids[1])]
    shot.client.post("/api/times/1/undo")
    assert len(shot.run()["labels"]) == 2
    assert (
        time(do="mark", level=1, drawing=shot.ids[1], kind="extreme")["marks"][str(shot.ids[1])] == "extreme"
    )
    for bad in ({"word": ""}, {"word": "x" * 30}, {"word": "x", "tint": "red"}):
        asked = {"do": "label", "drawings": shot.ids, "written": bad}
        assert shot.client.post("/api/times/1/do", json={"do": asked}).status_code == 422
    level = {"do": "label-level", "level": 1, "written": written}
    assert shot.client.post("/api/stacks/1/do", json={"do": level}).status_code == 200
    assert shot.run()["levels"][0]["label"] == written


def wall(size: tuple[int, int] = (640, 300)) -> bytes:
    """A window, as a rough that is larger than the frame."""
    picture = np.full((size[1], size[0], 3), 245, np.uint8)
    cv2.rectangle(picture, (300, 100), (380, 200), (50, 50, 50), 3, cv2.LINE_AA)
    return encode_png(picture)


def exported(shot: Shot, level: int, what: str, **more: object) -> bytes:
    asked = {"what": what, "width": 320, "cleared": True, **more}
    job = shot.client.post(f"/api/levels/{level}/export", json=asked).json()["id"]
    shot.client.app.state.runner.run_open()
    return shot.client.get(f"/exports/{job}").content


def test_a_backdrop_larger_than_the_frame_is_lined_painted_and_moved(shot: Shot) -> None:
    assert take_in(shot, [wall()], level="Wall")["level"] == 2
    assert shot.client.post("/api/levels/2/jobs", json={"kind": "clean"}).status_code == 200
    shot.client.app.state.runner.run_open()
    run = shot.client.get("/api/shots/1/run?level=2").json()
    (mine,) = run["drawings"]
    own = next(level for level in run["levels"] if level["id"] == 2)
    assert own["paper"] == [640, 300]
    # It lies about the middle of the frame.
    assert own["places"][0] == [1, 0, 0, 1, -160, -30]
    do = {"do": "pour", "points": [[340, 150]], "pot": 1}
    answer = shot.client.post(f"/api/drawings/{mine['id']}/do", json={"base": mine["revision"], "do": do})
    assert answer.status_code == 200, answer.text
    coat = (0xED, 0xB2, 0x1F)

    def frame(number: int = 0) -> np.ndarray:
        movie = Image.open(io.BytesIO(exported(shot, 2, "gif")))
        movie.seek(number)
        return np.asarray(movie.convert("RGB")).astype(int)

    first = frame()
    assert first.shape == (240, 320, 3)
    assert np.abs(first[120, 180] - coat).max() < 12
    # Nothing of it is missing where it lies outside the frame.
    alone = zipfile.ZipFile(io.BytesIO(exported(shot, 2, "drawings", of="level")))
    picture = np.asarray(Image.open(io.BytesIO(alone.read(alone.namelist()[0]))))
    assert picture.shape == (300, 640, 4)
    assert np.abs(picture[150, 340, :3].astype(int) - coat).max() < 3
    assert picture[150, 600, 3] == 0
    for at, x in ((1, 0), (6, -100)):
        notch = {"do": "place-level", "level": 2, "frame": at, "notch": {"x": x, "way": "even"}}
        assert shot.client.post("/api/stacks/1/do", json={"do": notch}).status_code == 200
    moved = shot.client.get(f"/shots/1/frames/together.webp?w=320&frame=6&drawings={mine['id']}")
    there = np.asarray(Image.open(io.BytesIO(moved.content)).convert("RGB")).astype(int)
    assert np.abs(there[120, 80] - coat).max() < 14
    assert there[120, 180].min() > 245
    # What lies before it hides it where it is painted, on its own paper.
    assert shot.client.post("/api/levels/2/proof").status_code == 200
    shot.client.app.state.runner.run_open()
    assert shot.client.get("/api/levels/2/findings").json()["fresh"]
    back = shot.client.post("/api/levels/2/duplicate", json={"name": "Wall 2", "what": "all"}).json()["level"]
    run = shot.client.get(f"/api/shots/1/run?level={back}").json()
    assert next(level for level in run["levels"] if level["id"] == back)["paper"] == [640, 300]


def test_pictures_of_any_size_lie_inside_over_all_or_at_their_own_size(shot: Shot) -> None:
    board = np.full((120, 100, 3), 60, np.uint8)
    take_in(shot, [encode_png(board)], level="Board", kind="pictures")
    (mine,) = shot.client.get("/api/shots/1/run?level=2").json()["drawings"]
    assert stack_do(shot, "lock", level=2, locked=False) == 200

    def extent() -> tuple[int, int]:
        rows, columns = np.nonzero(picture(shot, f"drawings={mine['id']}") < 160)
        return int(np.ptp(columns)) + 1, int(np.ptp(rows)) + 1

    assert extent() == (pytest.approx(200, abs=2), 240)
    assert stack_do(shot, "lay", level=2, lay="fill") == 200
    assert extent() == (320, 240)
    assert stack_do(shot, "lay", level=2, lay="own") == 200
    assert extent() == (pytest.approx(100, abs=2), pytest.approx(120, abs=2))
    # By hand.
    assert stack_do(shot, "place-level", level=2, frame=1, notch={"scale": 1.5}) == 200
    _, columns = np.nonzero(picture(shot, f"drawings={mine['id']}&frame=1") < 160)
    assert int(np.ptp(columns)) == pytest.approx(150, abs=2)
    assert stack_do(shot, "lay", level=2, lay="round") == 422
    # As a level of drawings it keeps its own paper.
    assert stack_do(shot, "purpose", level=2, kind="drawings") == 200
    run = shot.client.get("/api/shots/1/run?level=2").json()
    assert next(level for level in run["levels"] if level["id"] == 2)["paper"] == [100, 120]


def stack_do(shot: Shot, what: str, **fields: object) -> int:
    return shot.client.post("/api/stacks/1/do", json={"do": {"do": what, **fields}}).status_code


def test_a_linked_copy_has_the_same_drawings_until_it_is_freed(
    shot: Shot, store: Store, empty_database_url: str, tmp_path: Path
) -> None:
    assert shot.job("clean")["state"] == "done"
    made = [
        shot.client.post("/api/levels/1/duplicate", json={"name": name, "what": "linked"}).json()["level"]
        for name in ("Pim again", "Pim third")
    ]

    def of(level: int) -> list[dict]:
        return shot.client.get(f"/api/shots/1/run?level={level}").json()["drawings"]

    def lines(drawing: int) -> list[str]:
        return [s["d"] for s in shot.client.get(f"/api/drawings/{drawing}").json()["strokes"]]

    def trace(entry: dict, name: str, y: int) -> None:
        do = {"do": "trace", "id": name, "width": 4, "path": [[20, y, 0.5], [60, y, 0.5], [90, y, 0.5]]}
        answer = shot.client.post(
            f"/api/drawings/{entry['id']}/do", json={"base": entry["revision"], "do": do}
        )
        assert answer.status_code == 200, answer.text

    (one, *_), (two, *_), (three, *_) = of(1), of(made[0]), of(made[1])
    before = lines(one["id"])
    trace(two, "00000000aa", 20)
    assert len(lines(one["id"])) == len(before) + 1
    assert lines(one["id"]) == lines(two["id"]) == lines(three["id"])
    # Undone from either side, it is undone in all.
    assert shot.client.post(f"/api/drawings/{one['id']}/undo").status_code == 200
    assert lines(two["id"]) == lines(three["id"]) == before
    # A job on one is done to the others.
    assert shot.job("seal")["state"] == "done"
    # Time is its own.
    hold = {"do": "hold", "level": made[0], "first": 1, "hold": 3}
    assert shot.client.post("/api/times/1/do", json={"do": hold}).status_code == 200
    spans = [shot.client.get(f"/api/shots/1/run?level={k}").json()["spans"][0][1] for k in (1, made[0])]
    assert spans == [2, 3]
    assert stack_do(shot, "free", level=made[0]) == 200
    trace(of(1)[0], "00000000bb", 30)
    assert lines(two["id"]) == before
    assert lines(three["id"]) == lines(one["id"]) != before
    back_up(store, tmp_path / "all.schoon")
    fresh = Store(empty_database_url)
    fresh.migrate()
    restore(fresh, tmp_path / "all.schoon")
    with fresh.transaction() as cursor:
        cursor.execute(
            "SELECT COUNT(DISTINCT twin) AS n, COUNT(*) AS every FROM drawings WHERE twin IS NOT NULL"
        )
        assert cursor.fetchone() == {"n": 3, "every": 9}
        cursor.execute("SELECT COUNT(*) AS n FROM drawings WHERE twin = id")
        assert cursor.fetchone() == {"n": 3}
    fresh.close()


def test_a_shot_takes_its_size_from_its_runs_and_a_guide_shares_it() -> None:
    def level(kind: LevelKind, count: int, size: tuple[int, int]) -> NewLevel:
        return NewLevel(kind, (Incoming("a.png", 1, "", "image/png", *size, "same"),) * count, kind)

    run, wall = level("drawings", 2, (320, 240)), level("drawings", 1, (900, 400))
    assert new_shot_size([wall, run]) == (320, 240)
    assert new_shot_size([wall]) == (900, 400)
    with pytest.raises(Refusal, match="900 × 400"):
        new_shot_size([run, level("guide", 1, (900, 400))])


def test_two_hands_on_the_stack_move_a_level_each(stack: Shot) -> None:
    def order() -> list[int]:
        return [level["id"] for level in stack.run()["levels"]]

    def restack(**do: object) -> int:
        return stack.client.post("/api/stacks/1/do", json={"do": {"do": "restack", **do}}).status_code

    first, second = order()
    assert restack(level=first, over=second) == 200
    assert order() == [second, first]
    assert restack(level=first) == 200
    assert order() == [first, second]
    assert restack(level=first, over=first) == 200
    assert restack(level=77) == 404
    assert restack(level=first, over=77) == 404
    assert order() == [first, second]
    assert stack.client.post("/api/stacks/1/undo").json()["label"] == "stack the levels"
