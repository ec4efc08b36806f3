"""The pages and their edits over the real store, without a browser."""

from __future__ import annotations

import base64
import html
import io
import itertools
import re
import time
import zipfile
import zlib
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from schoon.errors import Away
from schoon.jobs import Runner
from schoon.settings import Settings
from schoon.store import Store, productions
from schoon.web.routes import shelf as shelf_page
from schoon.work import edits, summaries
from schoon.work.derived import Memory

from ..conftest import table_counts
from ..shot import Shot, rough

PATH = [[40.0 + k, 60.0 + 10 * np.sin(k / 9), 0.3 + 0.004 * k] for k in range(100)]


def trace(shot: Shot, number: int = 1, name: str = "aaaaaaaaaa", **more: Any) -> dict:
    return shot.edit(number, "line", do={"do": "trace", "id": name, "path": PATH, "width": 4}, **more)


def test_taking_in_orders_by_number_and_holds_on_twos(shot: Shot) -> None:
    run = shot.run()
    assert [d["number"] for d in run["drawings"]] == ["1", "2", "3"]
    assert run["spans"] == [[1, 2, shot.ids[0]], [3, 2, shot.ids[1]], [5, 2, shot.ids[2]]]
    assert [d["kind"] for d in run["drawings"]] == ["key", "inbetween", "key"]
    assert run["progress"]["next_words"] == "Clean 3 roughs"


@pytest.mark.parametrize("stage", ["rough", "line", "seal", "paint", "hand-off"])
def test_every_stage_has_its_page(client: TestClient, shot: Shot, stage: str) -> None:
    page = client.get(f"/shots/1/{stage}", headers={"accept": "text/html"})
    assert page.status_code == 200
    assert 'aria-current="page"' in page.text
    assert client.get("/", headers={"accept": "text/html"}).text.count("/view.webp") == 3
    assert "Coat" in client.get("/models/1", headers={"accept": "text/html"}).text


def test_repeats_become_holds(client: TestClient, shot: Shot) -> None:
    files = [("files", (f"{k}.png", rough(k // 3), "image/png")) for k in range(1, 7)]
    token = client.post("/take-in/check", files=files).text.split('data-token="')[1].split('"')[0]
    client.post(
        "/productions/1/take-in",
        data={"token": token, "name": "Held", "level": "Pim", "fps": "12", "hold": "repeats"},
    )
    run = client.get("/api/shots/2/run").json()
    assert [[first, count] for first, count, _ in run["spans"]] == [[1, 2], [3, 3], [6, 1]]


def test_many_pictures_say_how_far_they_are_read_and_stored(client: TestClient, shot: Shot) -> None:
    files = [("files", (f"{k}.png", rough(k), "image/png")) for k in range(1, 64)]
    watched = "0a" * 12
    page = client.post("/take-in/check", files=files, data={"watched": watched}).text
    read = client.get(f"/take-in/{watched}/progress").json()
    assert (read["done"], read["total"]) == (63, 63)
    token = page.split('data-token="')[1].split('"')[0]
    answer = client.post("/productions/1/take-in", data={"token": token, "name": "Long", "level": "Pim"})
    deadline = time.monotonic() + 60
    while (now := client.get(answer.json()["watch"]).json())["state"] == "running":
        assert time.monotonic() < deadline
        time.sleep(0.05)
    assert (now["state"], now["done"], now["total"]) == ("done", 63, 63)
    assert now["result"]["url"].startswith("/shots/2/rough")
    assert len(client.get("/api/shots/2/run").json()["drawings"]) == 63


def test_many_pictures_are_not_stored_while_the_database_is_away(
    client: TestClient, shot: Shot, store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    files = [("files", (f"{k}.png", rough(k % 3), "image/png")) for k in range(1, 64)]
    token = client.post("/take-in/check", files=files).text.split('data-token="')[1].split('"')[0]
    before = table_counts(store)

    def away(*_: Any) -> None:
        raise Away("gone")

    monkeypatch.setattr(productions, "fill_level", away)
    answer = client.post("/productions/1/take-in", data={"token": token, "name": "Long", "level": "Pim"})
    deadline = time.monotonic() + 60
    while (now := client.get(answer.json()["watch"]).json())["state"] == "running":
        assert time.monotonic() < deadline
        time.sleep(0.05)
    assert (now["state"], now["message"][:32]) == ("failed", "The database does not answer or ")
    assert table_counts(store) == before


def test_whatever_is_refused_changes_nothing(client: TestClient, shot: Shot, store: Store) -> None:
    shot.job("clean")
    before = table_counts(store)
    first, level = f"/api/drawings/{shot.ids[0]}", "/api/levels/1"
    line = f"{first}/do"
    ok = {"do": "trace", "id": "bbbbbbbbbb", "path": PATH, "width": 4}
    take = {"token": "ab" * 12, "name": "New", "level": "Pim", "fps": "24", "hold": "2"}
    tries: list[tuple[str, dict[str, Any], str]] = [
        ("/productions", {"data": {"name": "  "}}, "Give the production a name"),
        ("/productions", {"data": {"name": "Harbour Lights"}}, "choose another name"),
        ("/productions/1/take-in", {"data": take}, "choose them again"),
        ("/productions/1/take-in", {"data": {**take, "token": "../../etc"}}, "Choose the pictures again"),
        ("/productions/1/take-in", {"data": {**take, "fps": "0"}}, "frame rate"),
        ("/productions/1/take-in", {"data": {**take, "hold": "9"}}, "hold of one to four"),
        ("/models/1/pots", {"data": {"name": "Coat", "colour": "#000000"}}, "pot called"),
        ("/models/1/pots", {"data": {"name": "New", "colour": "red"}}, "not a colour"),
        (
            "/models/1/pictures",
            {"files": {"picture": ("x.png", b"no", "image/png")}},
            "x.png is not a readable picture",
        ),
        (
            "/api/models/1/do",
            {"json": {"do": {"do": "colour", "key": 1, "pot": 99, "colour": "#000000"}}},
            "not in that colour key",
        ),
        (
            "/api/stacks/1/do",
            {"json": {"do": {"do": "key", "level": 1, "key": 99}}},
            "colour key is not in the model",
        ),
        (
            "/api/times/1/do",
            {"json": {"do": {"do": "hold", "level": 1, "first": 1, "hold": 9}}},
            "room for a hold",
        ),
        (
            "/api/times/1/do",
            {"json": {"do": {"do": "hold", "level": 1, "first": 1, "hold": 0}}},
            "greater than or equal to 1",
        ),
        (line, {"json": {"base": 0, "do": {**ok, "path": []}}}, "at least 1"),
        (line, {"json": {"base": 0, "do": {**ok, "path": [[0, 0]]}}}, "required"),
        (line, {"json": {"base": 0, "do": {**ok, "width": -1}}}, "greater than 0"),
        (line, {"json": {"base": 0, "do": {"do": "wish", "ids": ["x"]}}}, "does not match"),
        (
            line,
            {"json": {"base": 0, "do": {"do": "delete", "ids": ["nothing"]}}},
            "not in the drawing any more",
        ),
        (line, {"json": {"base": 0, "do": {"do": "redraw", "path": PATH}}}, "start on the line"),
        (f"{level}/trace-back", {"json": {"drawing": 1, "strokes": ["x"], "to": [2]}}, "choose them again"),
        (f"{level}/between", {"json": {"first": 1, "last": 2}}, "no drawing between"),
        ("/api/levels/1/jobs", {"json": {"kind": "fit", "source": 99}}, "Choose a drawing that has a line"),
        (
            "/api/models/1/do",
            {
                "json": {
                    "do": {"do": "rule", "outline": 0, "inner": 1, "detail": 1, "taper": 0, "corner": "round"}
                }
            },
            "greater than",
        ),
        ("/api/models/9/do", {"json": {"do": {"do": "measure", "part": "head"}}}, "model is not there"),
        (
            f"{first}/do",
            {"json": {"base": 0, "do": {"do": "judge", "stitch": "x", "state": "taken"}}},
            "look for gaps again",
        ),
        (
            f"{first}/do",
            {"json": {"base": 0, "do": {"do": "judge", "stitch": "x", "state": "maybe"}}},
            "Input should be",
        ),
        (
            f"{first}/do",
            {"json": {"base": 0, "do": {"do": "stitch", "points": [[1, 1], [1, 1]]}}},
            "drag from one side",
        ),
        (
            line,
            {"json": {"base": 0, "do": {"do": "pour", "points": [[150, 60]], "pot": 99}}},
            "choose another one",
        ),
        (
            line,
            {"json": {"base": 0, "do": {"do": "pour", "points": [[-5, -5]], "pot": 1}}},
            "no patch under the pen",
        ),
        ("/api/drawings/999/undo", {"json": {}}, "drawing is not there"),
        ("/api/levels/1/jobs", {"json": {"kind": "carry"}}, "paint one drawing"),
        ("/api/levels/9/jobs", {"json": {"kind": "clean"}}, "no drawings"),
        ("/api/levels/1/export", {"json": {"what": "gif", "width": 3}}, "greater than or equal to 16"),
        ("/api/levels/1/export", {"json": {"what": "film", "width": 300}}, "Input should be"),
    ]
    for url, content, words in tries:
        answer = client.post(url, **content)
        assert answer.status_code in (404, 422), (url, content, answer.text)
        assert words in answer.json()["error"], (url, content)
    assert table_counts(store) == before


def test_bad_files_are_named_and_nothing_waits(client: TestClient, shot: Shot, settings: Settings) -> None:
    waiting = settings.cache / "incoming"
    page = client.post("/take-in/check", files=[("files", ("a1.png", b"junk", "image/png"))]).text
    assert "a1.png is not a readable picture" in page
    assert "data-token" not in page
    assert list(waiting.glob("*")) == []


def test_unknown_pages_say_so_in_words(client: TestClient) -> None:
    for url in ("/nowhere", "/shots/99/line", "/models/9", "/shots/1/tone"):
        page = client.get(url, headers={"accept": "text/html"})
        assert page.status_code == 404
        assert "Back to the shelf" in page.text


def test_a_traced_stroke_is_a_lean_curve_that_undo_takes_back(shot: Shot) -> None:
    answer = trace(shot)
    (stroke,) = answer["strokes"]
    assert stroke["by"] == "hand"
    assert len(stroke["widths"]) <= 6
    assert shot.drawing(1)["strokes"] == [stroke]
    undone = shot.client.post(f"/api/drawings/{shot.ids[0]}/undo").json()
    assert undone["label"] == "trace a stroke"
    state = shot.drawing(1)
    assert (state["strokes"], state["undo"], state["redo"]) == ([], False, True)
    shot.client.post(f"/api/drawings/{shot.ids[0]}/redo")
    assert len(shot.drawing(1)["strokes"]) == 1


def test_a_stroke_sent_twice_is_kept_once(shot: Shot) -> None:
    once = trace(shot)
    assert trace(shot)["strokes"] == once["strokes"]
    assert len(shot.drawing(1)["strokes"]) == 1


def test_two_windows_keep_both_changes_and_say_so(shot: Shot) -> None:
    base = shot.drawing(1)["revision"]
    assert not trace(shot, name="aaaaaaaaaa", base=base)["merged"]
    assert trace(shot, name="cccccccccc", base=base)["merged"]
    assert {s["id"] for s in shot.drawing(1)["strokes"]} == {"aaaaaaaaaa", "cccccccccc"}


def test_cleaning_keeps_what_a_hand_drew_and_is_undone_as_one(shot: Shot) -> None:
    trace(shot, 2)
    job = shot.job("clean", also=[shot.ids[1]])
    assert (job["state"], job["done"], job["failed"]) == ("done", 3, 0)
    strokes = shot.drawing(2)["strokes"]
    assert [s["id"] for s in strokes if s["by"] == "hand"] == ["aaaaaaaaaa"]
    assert len(strokes) >= 4
    undone = shot.client.post(f"/api/drawings/{shot.ids[0]}/undo").json()
    assert len(undone["drawings"]) == 3
    assert [len(shot.drawing(k)["strokes"]) for k in (1, 2, 3)] == [0, 1, 0]


def centre(shot: Shot, number: int, x: float, y: float) -> int:
    """The patch whose anchor is nearest to a point."""
    found = shot.patches(number)
    others = [p for p in found["patches"] if p["n"] != found["background"]]
    return min(others, key=lambda p: np.hypot(p["at"][0] - x, p["at"][1] - y))["n"]


def test_paint_is_poured_carried_and_follows_the_key(shot: Shot) -> None:
    shot.job("clean")
    eye, mouth = [181, 95], [156, 140]
    painted = shot.edit(1, "pour", points=[eye, mouth], pot=1)["paint"]
    assert sorted(p["by"] for p in painted.values()) == ["hand", "hand"]
    shot.edit(1, "pour", points=[[100, 120]], pot=2)
    job = shot.job("carry")
    assert job["state"] == "done", job
    for number in (2, 3):
        paint = shot.patches(number)["paint"]
        shift = 6 * (number - 1)
        assert paint[str(centre(shot, number, 181 + shift, 95))]["pot"] == 1
        assert paint[str(centre(shot, number, 156 + shift, 140))]["pot"] == 1
        assert len(paint) == 3
    shot.client.post(
        "/api/models/1/do", json={"do": {"do": "colour", "key": 2, "pot": 1, "colour": "#102030"}}
    )
    shot.client.post("/api/stacks/1/do", json={"do": {"do": "key", "level": 1, "key": 2}})
    view = shot.client.get(f"/drawings/{shot.ids[1]}/view.webp?w=320&look=paint")
    pixels = np.asarray(Image.open(io.BytesIO(view.content)).convert("RGB"))
    assert np.abs(pixels[140, 162].astype(int) - (0x10, 0x20, 0x30)).max() < 12


def test_a_small_picture_is_made_in_the_key_it_is_asked_for(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[181, 95]], pot=1)
    shot.client.post(
        "/api/models/1/do", json={"do": {"do": "colour", "key": 2, "pot": 1, "colour": "#102030"}}
    )
    seen = []
    for key in (1, 2):
        view = shot.client.get(f"/drawings/{shot.ids[0]}/view.webp?w=320&look=paint&key={key}&v=same")
        seen.append(np.asarray(Image.open(io.BytesIO(view.content)).convert("RGB"))[95, 181].astype(int))
    assert np.abs(seen[0] - (0xED, 0xB2, 0x1F)).max() < 12
    assert np.abs(seen[1] - (0x10, 0x20, 0x30)).max() < 12


def test_paint_stays_when_the_line_changes_and_lifts_off(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[181, 95]], pot=1)
    trace(shot)
    assert [p["pot"] for p in shot.patches(1)["paint"].values()] == [1]
    assert shot.edit(1, "pour", points=[[181, 95]], pot=None)["paint"] == {}


def test_a_stitch_by_hand_parts_a_patch_until_it_is_taken_away(shot: Shot) -> None:
    shot.job("clean")
    before = len(shot.patches(1)["patches"])
    shot.edit(1, "stitch", points=[[156, 162], [156, 201]])
    assert len(shot.patches(1)["patches"]) == before
    shot.edit(1, "stitch", points=[[156, 120], [156, 38]])
    assert len(shot.patches(1)["patches"]) == before + 1
    stitch = shot.drawing(1)["stitches"][-1]
    assert (stitch["by"], stitch["state"]) == ("hand", "taken")
    shot.edit(1, "judge", stitch=stitch["id"], state="left")
    assert len(shot.patches(1)["patches"]) == before
    shot.edit(1, "unstitch", stitch=stitch["id"])
    assert stitch["id"] not in {s["id"] for s in shot.drawing(1)["stitches"]}


def exported(shot: Shot, what: str, width: int = 320) -> bytes:
    answer = shot.client.post(
        "/api/levels/1/export", json={"what": what, "width": width, "cleared": True}
    ).json()
    shot.client.app.state.runner.run_open()
    return shot.client.get(f"/exports/{answer['id']}").content


def test_exports_hold_what_was_painted(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[181, 95]], pot=1)
    with zipfile.ZipFile(io.BytesIO(exported(shot, "frames"))) as archive:
        assert archive.namelist() == [f"Quay_Pim_{k:04}.png" for k in range(1, 7)]
        pixels = np.asarray(Image.open(archive.open("Quay_Pim_0002.png")))
    assert pixels[95, 181].tolist() == [0xED, 0xB2, 0x1F, 255]
    assert pixels[10, 10].tolist() == [0, 0, 0, 0]
    with zipfile.ZipFile(io.BytesIO(exported(shot, "drawings", 160))) as archive:
        assert len(archive.namelist()) == 3
    with Image.open(io.BytesIO(exported(shot, "gif", 160))) as picture:
        assert (picture.size, picture.n_frames) == ((160, 120), 3)
    size = shot.client.get("/api/levels/1/gif-size?width=160").json()["bytes"]
    assert size == pytest.approx(len(exported(shot, "gif", 160)), rel=0.5)
    assert shot.client.get("/exports/99").status_code == 404


def test_a_cancelled_job_keeps_what_is_done(shot: Shot) -> None:
    job = shot.client.post("/api/levels/1/jobs", json={"kind": "clean"}).json()
    assert shot.client.post(f"/api/jobs/{job['id']}/cancel").json()["state"] == "cancelled"
    shot.client.app.state.runner.run_open()
    assert shot.drawing(1)["strokes"] == []


def test_an_interrupted_job_is_taken_up_without_doing_anything_twice(
    shot: Shot, store: Store, settings: Settings
) -> None:
    job = shot.client.post("/api/levels/1/jobs", json={"kind": "clean"}).json()
    with store.transaction() as cursor:
        cursor.execute("UPDATE jobs SET state = 'running' WHERE id = %s", (job["id"],))
        cursor.execute(
            "UPDATE job_items SET state = 'done' WHERE job_id = %s AND drawing_id = %s",
            (job["id"], shot.ids[0]),
        )
    runner = Runner(store, settings)
    try:
        runner.run_open()
    finally:
        runner.stop()
    assert [bool(shot.drawing(k)["strokes"]) for k in (1, 2, 3)] == [False, True, True]
    assert shot.client.get(f"/api/jobs/{job['id']}").json()["state"] == "done"


def test_a_rough_that_cannot_be_read_fails_alone(shot: Shot, store: Store) -> None:
    with store.transaction() as cursor:
        cursor.execute(
            "UPDATE pictures p JOIN drawings d ON d.rough = p.sha256 SET p.body = 'x' WHERE d.number = 2"
        )
    job = shot.job("clean")
    assert (job["done"], job["failed"]) == (2, 1)
    assert "drawing 2" in job["message"]


def test_holds_and_kinds_are_set_on_the_sheet(shot: Shot) -> None:
    spans = shot.client.post(
        "/api/times/1/do", json={"do": {"do": "hold", "level": 1, "first": 1, "hold": 3}}
    ).json()["levels"]["1"]["spans"]
    assert [s[:2] for s in spans] == [[1, 3], [4, 1], [5, 2]]
    shot.client.post(
        "/api/times/1/do",
        json={"do": {"do": "mark", "level": 1, "drawing": shot.ids[1], "kind": "breakdown"}},
    )
    assert shot.run()["drawings"][1]["kind"] == "breakdown"


def test_pictures_are_seen_before_they_are_taken_in(client: TestClient) -> None:
    files = [("files", (f"p{k:02d}.png", rough(k), "image/png")) for k in range(26)]
    page = client.post("/take-in/check", files=files).text
    assert page.count('<img src="data:image/png;base64,') == 24
    assert 'data-called="P"' in page
    named = [("files", (f"quay_east-{k}.png", rough(k), "image/png")) for k in (1, 2)]
    assert 'data-called="Quay east"' in client.post("/take-in/check", files=named).text
    assert "p25.png" in page.split('class="order"')[1]
    assert "p03.png" not in page.split('class="order"')[1]
    body = base64.b64decode(page.split("base64,")[1].split('"')[0])
    assert Image.open(io.BytesIO(body)).size == (200, 150)
    broken = client.post("/take-in/check", files=[("files", ("p1.png", b"no picture", "image/png"))]).text
    assert "data:image" not in broken


def test_levels_are_renamed_copied_and_put_aside_from_the_shelf(shot: Shot) -> None:
    def change(**fields: str) -> str:
        answer = shot.client.post("/shots/1/levels/1", data=fields)
        assert answer.status_code == 200, answer.text
        return answer.text

    assert 'value="Pim"' in shot.client.get("/shots/1/levels").text
    assert 'value="Otter"' in change(do="rename", name="Otter")
    assert shot.client.post("/shots/1/levels/1", data={"do": "aside"}).status_code == 422
    assert 'value="Otter again"' in change(do="copy", name="Otter again")
    taken = shot.client.post("/shots/1/levels/1", data={"do": "copy", "name": "otter again"})
    assert taken.status_code == 422
    assert taken.json()["error"].startswith("This shot has a level called")
    assert "Bring back" in change(do="aside")
    assert "Bring back" not in change(do="back")
    # It is an edit of the levels like any other.
    assert shot.client.post("/api/stacks/1/undo").status_code == 200
    assert "Bring back" in shot.client.get("/shots/1/levels").text


@pytest.mark.parametrize(
    "harm",
    [
        'UPDATE levels SET finish = \'[{"kind": "unheard of"}]\' WHERE shot_id = 1',
        "UPDATE levels SET finish = 'torn' WHERE shot_id = 1",
        "UPDATE documents SET body = 'torn'",
    ],
)
def test_a_shot_that_was_harmed_shuts_off_itself_alone(
    shot: Shot, store: Store, monkeypatch: pytest.MonkeyPatch, harm: str
) -> None:
    shot.client.post("/productions/1/shots", data={"name": "Sound", "sheets": 3})
    shot.job("clean")
    assert "was harmed" not in shot.client.get("/").text
    with store.transaction() as cursor:
        cursor.execute(harm)
    # As after a start: nothing is remembered of it.
    monkeypatch.setattr(summaries, "_summaries", Memory(2**20, lambda _: 1))
    shot.client.app.state.cards.clear()  # type: ignore[attr-defined]
    shelf = shot.client.get("/")
    assert shelf.status_code == 200
    assert shelf.text.count("This shot was harmed") == 1
    assert "Draw on 3 empty sheets" in shelf.text


def test_what_of_a_harmed_shot_can_be_read_is_brought_back(
    shot: Shot, store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    def forget() -> None:
        monkeypatch.setattr(summaries, "_summaries", Memory(2**20, lambda _: 1))
        monkeypatch.setattr(edits, "_lines", Memory(150_000, lambda _: 1))

    shot.job("clean")
    before = [shot.drawing(k)["strokes"] for k in (1, 2, 3)]
    trace(shot, 1)
    trace(shot, 2, "bbbbbbbbbb")
    rename = {"do": "rename", "level": 1, "name": "Pim lines"}
    assert shot.client.post("/api/stacks/1/do", json={"do": rename}).status_code == 200
    with store.transaction() as cursor:
        torn = productions.drawings(cursor, 1)[0]["line"]
        cursor.execute("UPDATE documents SET body = 'torn' WHERE sha256 = %s", (torn,))
        cursor.execute("UPDATE levels SET finish = 'torn', place = '[]' WHERE shot_id = 1")
    forget()
    assert "Bring back what is whole" in shot.client.get("/").text
    answer = shot.client.post("/shots/1/mend")
    assert answer.status_code == 200
    assert "was harmed" not in answer.text
    forget()
    # The stroke that was torn is gone, and nothing else; the other drawing keeps its own.
    assert shot.drawing(1)["strokes"] == before[0]
    assert "bbbbbbbbbb" in [stroke["id"] for stroke in shot.drawing(2)["strokes"]]
    assert shot.drawing(3)["strokes"] == before[2]
    assert [level["name"] for level in shot.run()["levels"]] == ["Pim lines"]
    history = shot.client.get("/api/shots/1/history").json()
    assert "bring back what is whole" in str(history)
    # Of what nothing earlier is whole it is said.
    with store.transaction() as cursor:
        cursor.execute("UPDATE documents SET body = 'torn'")
    forget()
    answer = shot.client.post("/shots/1/mend", headers={"accept": "application/json"})
    assert answer.status_code == 422
    assert "nothing earlier is whole of drawing 1 of Pim lines" in answer.json()["error"]


def test_drawings_are_copied_put_away_and_brought_back_from_the_shelf(shot: Shot, store: Store) -> None:
    shot.job("clean")

    def change(do: str, drawing: int) -> list[str]:
        answer = shot.client.post("/shots/1/levels/1", data={"do": do, "drawing": drawing})
        assert answer.status_code == 200, answer.text
        with store.transaction() as cursor:
            return [row["number"] for row in productions.drawings(cursor, 1)]

    with store.transaction() as cursor:
        before = {row["id"]: row for row in productions.drawings(cursor, 1)}
    numbers = [row["number"] for row in before.values()]
    second = shot.ids[1]
    made = change("copy-drawing", second)
    assert sorted({*made} - {*numbers}) == [f"{numbers[1]}a"]
    with store.transaction() as cursor:
        rows = productions.drawings(cursor, 1)
        copy = next(row for row in rows if row["number"] == f"{numbers[1]}a")
        assert copy["line"] == before[second]["line"]
        # It stands nowhere yet; what stood in the sheet stands there still.
        assert copy["id"] not in productions.exposures(cursor, 1).values()
    assert change("take-out", copy["id"]) == numbers
    assert numbers[1] not in change("take-out", second)
    assert "Drawing out of the run" in shot.client.get("/shots/1/levels").text
    assert change("bring-back", second) == numbers
    with store.transaction() as cursor:
        assert productions.drawings(cursor, 1)[1]["line"] == before[second]["line"]
    again = shot.client.post("/shots/1/levels/1", data={"do": "bring-back", "drawing": second})
    assert again.status_code == 404
    # A number that was given to another one meanwhile is not given twice.
    change("take-out", second)
    with store.transaction() as cursor:
        cursor.execute("UPDATE drawings SET number = %s WHERE id = %s", (numbers[0], second))
    assert len(set(change("bring-back", second))) == len(numbers)


def test_a_shot_is_renamed_put_away_and_brought_back(shot: Shot) -> None:
    post = shot.client.post
    page = shot.client.get("/").text
    name = page.split('class="shot-row" id="s1" data-name="')[1].split('"')[0]
    assert post("/shots/1/name", data={"name": " "}).status_code == 422
    assert post("/shots/9/name", data={"name": "Pier"}).status_code == 404
    assert post("/shots/1/name", data={"name": "Pier"}, follow_redirects=False).headers["location"] == "/#s1"
    assert 'data-name="Pier"' in shot.client.get("/").text
    assert post("/shots/1/away", data={"away": "true"}).status_code == 200
    away = shot.client.get("/").text
    assert 'id="s1"' not in away
    assert "Bring back" in away
    # What it holds is where it was.
    assert shot.client.get("/shots/1/paint").status_code == 200
    post("/shots/1/away", data={"away": "false"})
    assert 'id="s1"' in shot.client.get("/").text
    assert name != "Pier"


def test_the_shelf_shows_frames_of_the_shot_and_who_worked_last(shot: Shot) -> None:
    page = shot.client.get("/").text
    assert page.count('class="of-strip"') >= 2
    for source in re.findall(r'<img src="([^"]+)"', page):
        assert shot.client.get(html.unescape(source)).headers["content-type"] == "image/webp"
    assert "first-offer" not in page


def cards(shot: Shot) -> str:
    """The shots on the shelf, without the moment they were worked on."""
    return re.sub(r"\d{4}-\d\d-\d\d \d\d:\d\d", "", shot.client.get("/").text.split("<main")[1])


def test_a_card_of_the_shelf_is_made_once_and_anew_whatever_changes(
    shot: Shot, monkeypatch: pytest.MonkeyPatch
) -> None:
    def anew() -> str:
        shot.client.app.state.cards.clear()  # type: ignore[attr-defined]
        return cards(shot)

    def stack(**do: Any) -> None:
        assert shot.client.post("/api/stacks/1/do", json={"do": do}).status_code == 200

    seen = [cards(shot)]
    for act in (
        lambda: shot.job("clean"),
        lambda: trace(shot, 1),
        lambda: shot.edit(1, "pour", points=[[150, 140]], pot=1),
        lambda: stack(do="sight", level=1, opacity=40),
        lambda: shot.client.post("/api/times/1/do", json={"do": {"do": "length", "frames": 2}}),
        lambda: shot.client.post("/api/drawings/1/undo"),
        lambda: (
            shot.client.post("/api/levels/1/proof"),
            shot.client.app.state.runner.run_open(),  # type: ignore[attr-defined]
        ),
    ):
        act()
        told = cards(shot)
        assert told == anew()
        seen.append(told)
    changed = sum(a != b for a, b in itertools.pairwise(seen))
    assert changed >= 5
    # What nothing has changed is not looked at.
    monkeypatch.setattr(shelf_page, "_card", lambda *_: pytest.fail("a card was made again"))
    assert cards(shot) == seen[-1]


def test_what_was_counted_is_not_counted_again_after_a_start(
    shot: Shot, store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    shot.job("clean")
    before = cards(shot)
    monkeypatch.setattr(summaries, "_summaries", Memory(100))
    shot.client.app.state.cards.clear()  # type: ignore[attr-defined]
    monkeypatch.setattr(edits, "line_named", lambda *_: pytest.fail("a line was read"))
    assert cards(shot) == before
    monkeypatch.undo()
    # What lies there in other bytes is read again, once.
    with store.transaction() as cursor:
        cursor.execute("SELECT sha256, body FROM documents")
        for row in cursor.fetchall():
            body = zlib.compress(zlib.decompress(row["body"]), 0)
            cursor.execute("UPDATE documents SET body = %s WHERE sha256 = %s", (body, row["sha256"]))
    lines, read = edits.line_named, []
    for _ in range(2):
        monkeypatch.setattr(summaries, "_summaries", Memory(100))
        shot.client.app.state.cards.clear()  # type: ignore[attr-defined]
        monkeypatch.setattr(edits, "line_named", lambda *asked: (read.append(asked), lines(*asked))[1])
        assert cards(shot) == before
    assert len(read) == 3
