"""Drawing on roughs over HTTP: passes, pencil, rubbing out over a range, pieces, and what Line reads of it."""

from __future__ import annotations

import base64
import io
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from PIL import Image

from schoon.core.sketch import SIDE
from schoon.formats.pictures import encode_png
from schoon.store import Store, productions
from schoon.work.backup import back_up, restore

from ..shot import Shot, rough

NAME = "00000000aa"


def tile(*lines: tuple[int, int, int, int]) -> str:
    picture = np.zeros((SIDE, SIDE, 4), np.uint8)
    for x0, y0, x1, y1 in lines:
        cv2.line(picture, (x0, y0), (x1, y1), (59, 70, 82, 255), 4, cv2.LINE_AA)
    return base64.b64encode(encode_png(picture)).decode()


def seen(shot: Shot, number: int) -> np.ndarray:
    """(h, w, 3) the rough of a drawing."""
    body = shot.client.get(f"/drawings/{shot.ids[number - 1]}/rough.png")
    assert body.status_code == 200, body.text
    return np.asarray(Image.open(io.BytesIO(body.content)).convert("RGB")).astype(int)


def many(shot: Shot, what: str, **fields: Any) -> Any:
    return shot.client.post("/api/levels/1/do", json={"do": {"do": what, **fields}})


def drawn(shot: Shot, number: int = 1) -> None:
    """A pass with one line on a drawing."""
    shot.edit(number, "pass", id=NAME, name="tighter")
    shot.edit(number, "pencil", id=NAME, tiles={"0,0": tile((20, 30, 240, 30))})


def test_a_pass_lies_over_the_rough_and_is_undone(shot: Shot) -> None:
    before = seen(shot, 1)
    drawn(shot)
    sketch = shot.drawing(1)["sketch"]
    assert [(p["name"], p["state"]) for p in sketch["passes"]] == [("tighter", "full")]
    assert sketch["base"] == "faint"
    now = seen(shot, 1)
    assert now[30, 100].tolist() == [59, 70, 82]
    # What was taken in is seen faintly.
    ring = before.sum(axis=2) < 400
    assert now[ring].mean() > before[ring].mean() + 60
    without = shot.client.get(f"/drawings/{shot.ids[0]}/rough.png?without={NAME}").content
    assert np.asarray(Image.open(io.BytesIO(without)).convert("RGB"))[30, 100].min() > 200
    for _ in range(2):
        shot.client.post(f"/api/drawings/{shot.ids[0]}/undo")
    assert (seen(shot, 1) == before).all()


def test_line_reads_the_pass_it_is_handed(shot: Shot) -> None:
    drawn(shot)
    shot.edit(1, "pass-hand", id=NAME)
    assert shot.job("clean")["state"] == "done"
    (stroke,) = shot.drawing(1)["strokes"]
    assert stroke["d"]
    # The others are read as they were taken in.
    assert len(shot.drawing(2)["strokes"]) >= 3


def test_an_empty_sheet_is_drawn_on_and_cleaned(shot: Shot) -> None:
    asked = {"do": "insert", "level": 1, "first": 1, "last": 2}
    assert shot.client.post("/api/times/1/do", json={"do": asked}).status_code == 200
    sheet = next(d for d in shot.run()["drawings"] if d["sheet"])
    shot.ids.append(sheet["id"])
    drawn(shot, len(shot.ids))
    assert not next(d for d in shot.run()["drawings"] if d["id"] == sheet["id"])["sheet"]
    assert shot.job("clean", drawings=[sheet["id"]])["state"] == "done"
    assert len(shot.drawing(len(shot.ids))["strokes"]) == 1


def test_rubbing_out_over_a_range_is_one_undo_and_the_source_stays(shot: Shot) -> None:
    before = [seen(shot, n) for n in (1, 2, 3)]
    sources = [shot.client.get(f"/pictures/{shot.drawing(n)['rough']}").content for n in (1, 2, 3)]
    done = many(shot, "rub", path=[[150, 30], [170, 60]], reach=40, of=shot.ids)
    assert done.json()["drawings"] == shot.ids
    for n in (1, 2, 3):
        assert seen(shot, n)[20:60, 140:180].min() > 225
        assert before[n - 1][20:60, 140:180].min() < 120
    undone = shot.client.post(f"/api/drawings/{shot.ids[1]}/undo").json()
    assert len(undone["drawings"]) == 3
    assert all((seen(shot, n) == before[n - 1]).all() for n in (1, 2, 3))
    again = [shot.client.get(f"/pictures/{shot.drawing(n)['rough']}").content for n in (1, 2, 3)]
    assert again == sources == [rough(6 * n) for n in (1, 2, 3)]


def test_a_piece_is_moved_and_copied_to_other_drawings(shot: Shot) -> None:
    drawn(shot)
    piece = np.zeros((40, 60, 4), np.uint8)
    piece[5:35, 5:55] = (164, 81, 47, 255)
    ring = [[10, 10], [200, 10], [200, 50], [10, 50]]
    corners = [[200, 180], [260, 180], [260, 220], [200, 220]]
    lift = {"piece": base64.b64encode(encode_png(piece)).decode(), "corners": corners, "fresh": "00000000bb"}
    moved = many(shot, "lift", **lift, of=[shot.ids[0]], source=shot.ids[0], ring=ring)
    assert moved.status_code == 200, moved.text
    now = seen(shot, 1)
    assert now[200, 230].tolist() == [164, 81, 47]
    assert now[30, 100].min() > 200
    assert many(shot, "lift", **lift, of=shot.ids[1:]).json()["drawings"] == shot.ids[1:]
    assert shot.drawing(3)["sketch"]["passes"][0]["name"] == "pieces"
    assert seen(shot, 3)[200, 230].tolist() == [164, 81, 47]
    flat = {**lift, "corners": [[0, 0], [10, 0], [20, 0], [30, 0]]}
    assert "one line" in many(shot, "lift", **flat, of=[shot.ids[0]]).json()["error"]


def test_passes_are_merged_renamed_and_taken_off(shot: Shot) -> None:
    drawn(shot)
    shot.edit(1, "pass", id="00000000cc")
    shot.edit(1, "pencil", id="00000000cc", tiles={"0,0": tile((20, 60, 240, 60))})
    states = [p["state"] for p in shot.drawing(1)["sketch"]["passes"]]
    assert states == ["faint", "full"]
    shot.edit(1, "pass-set", id="00000000cc", name="hat", state="full")
    shot.edit(1, "pass-merge", id="00000000cc")
    (one,) = shot.drawing(1)["sketch"]["passes"]
    assert one["name"] == "tighter"
    shot.edit(1, "pass-set", id=NAME, state="full")
    now = seen(shot, 1)
    assert now[30, 100].max() < 100
    assert now[60, 100].max() < 100
    shot.edit(1, "pass-drop", id=NAME)
    assert not shot.drawing(1)["sketch"]["passes"]


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"id": NAME, "tiles": {"9,9": tile()}}, "beyond the edge"),
        ({"id": NAME, "tiles": {"0,0": "nothing!"}}, "could not be read"),
        ({"id": NAME, "tiles": {"0,0": base64.b64encode(b"nothing").decode()}}, "a tile"),
        ({"id": NAME, "tiles": {"0,0": base64.b64encode(rough()).decode()}}, "256 px"),
        ({"id": "00000000ff", "tiles": {"0,0": tile()}}, "not on the drawing"),
    ],
)
def test_a_broken_stroke_is_refused(shot: Shot, fields: dict[str, Any], words: str) -> None:
    drawn(shot)
    base = shot.drawing(1)["revision"]
    answer = shot.client.post(
        f"/api/drawings/{shot.ids[0]}/do", json={"base": base, "do": {"do": "pencil", **fields}}
    )
    assert answer.status_code == 422
    assert words in answer.json()["error"]
    assert shot.drawing(1)["revision"] == base


def test_what_is_drawn_comes_back_from_a_backup(shot: Shot, store: Store, tmp_path: Path) -> None:
    drawn(shot)
    before = seen(shot, 1)
    path = tmp_path / "a.schoon"
    back_up(store, path)
    with store.transaction() as cursor:
        cursor.execute("DELETE FROM productions")
        cursor.execute("DELETE FROM pictures")
        cursor.execute("DELETE FROM documents")
    restore(store, path)
    with store.transaction() as cursor:
        (one,) = productions.shots(cursor)
        shot.ids = [row["id"] for row in productions.drawings(cursor, one["level_id"])]
    assert (seen(shot, 1) == before).all()
