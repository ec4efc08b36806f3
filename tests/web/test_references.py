"""References beside the paper: pictures and clips, pinned to the shot or its model, and files that are none."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from schoon.formats import mp4
from schoon.store import Store, productions
from schoon.work.backup import back_up, restore

from ..shot import Shot, rough


def bring(shot: Shot, name: str, body: bytes, **fields: Any) -> Any:
    return shot.client.post("/api/shots/1/references", files={"file": (name, body)}, data=fields)


def moving(count: int, kind: str = "GIF") -> bytes:
    frames = [Image.new("RGB", (40, 30), (20 * (k % 12), 80, 120)) for k in range(count)]
    out = io.BytesIO()
    frames[0].save(out, kind, save_all=True, append_images=frames[1:], duration=100)
    return out.getvalue()


def test_pictures_and_clips_lie_beside_the_paper(shot: Shot, tmp_path: Path) -> None:
    assert bring(shot, "pose.png", rough()).status_code == 200
    assert bring(shot, "walk.gif", moving(6)).status_code == 200
    path = tmp_path / "a.mp4"
    mp4.write(path, (np.full((48, 64, 3), 20 * k, np.uint8) for k in range(9)), 12)
    found = bring(shot, "film.mp4", path.read_bytes(), model=1).json()["references"]
    assert [(r["name"], len(r["pictures"]), r["fps"]) for r in found] == [
        ("pose.png", 1, 0.0), ("walk.gif", 6, 10.0), ("film.mp4", 9, 12.0),
    ]  # fmt: skip
    assert [r["model_id"] for r in found] == [None, None, 1]
    for ref in found:
        assert shot.client.get(f"/pictures/{ref['pictures'][0]}").status_code == 200
    place = {"left": 0.4, "top": 0.2, "width": 300, "mirrored": True, "frame": 0}
    assert shot.client.post(f"/api/references/{found[1]['id']}/place", json=place).status_code == 200
    pinned = shot.client.post(f"/api/references/{found[0]['id']}/pin", json={"shot": 1, "model": 1}).json()
    assert [r["model_id"] for r in pinned["references"]] == [1, None, 1]
    assert pinned["references"][1]["place"] == {**place, "away": False, "gone": False}
    for gone in (True, False):
        shot.client.post(f"/api/references/{found[2]['id']}/drop", json={"gone": gone})
        now = shot.client.get("/api/shots/1/references").json()["references"]
        assert [bool(r["place"].get("gone")) for r in now] == [False, False, gone]
    assert shot.client.post("/api/references/9999/drop", json={}).status_code == 404


def test_they_come_back_from_a_backup(shot: Shot, store: Store, tmp_path: Path) -> None:
    bring(shot, "walk.gif", moving(4))
    path = tmp_path / "a.schoon"
    back_up(store, path)
    restore(store, path, "Again")
    with store.transaction() as cursor:
        other = next(s["id"] for s in productions.shots(cursor) if s["id"] != 1)
    (found,) = shot.client.get(f"/api/shots/{other}/references").json()["references"]
    assert len(found["pictures"]) == 4


@pytest.mark.parametrize(
    ("name", "body", "words"),
    [
        ("broken.png", b"nothing", "broken.png"),
        ("cut.gif", moving(5)[:60], "cut.gif"),
        ("film.mp4", b"\0" * 300, "film.mp4"),
        ("long.gif", moving(490), "more than 480 pictures"),
    ],
)
def test_files_that_are_none_are_refused_in_words(shot: Shot, name: str, body: bytes, words: str) -> None:
    answer = bring(shot, name, body)
    assert answer.status_code == 422
    assert words in answer.json()["error"]
    assert shot.client.get("/api/shots/1/references").json()["references"] == []


def test_a_huge_picture_is_refused(shot: Shot) -> None:
    out = io.BytesIO()
    Image.new("1", (9000, 20)).save(out, "PNG")
    answer = bring(shot, "huge.png", out.getvalue())
    assert answer.status_code == 422
    assert "huge.png" in answer.json()["error"]
