"""Movies and layered files over HTTP: looked at, taken in whole or not at all."""

from __future__ import annotations

import io
import json
import time
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from schoon.store import Store

from ..conftest import table_counts
from ..films import film, number_in
from ..formats.test_layered import SVG, openraster, patch, png
from ..shot import Shot


def look_at(shot: Shot, path: Path, status: int = 200) -> str:
    answer = shot.client.post("/take-in/check", files=[("files", (path.name, path.read_bytes()))])
    assert answer.status_code == status, answer.text
    if status != 200:
        return str(answer.json()["error"])
    return answer.text.split('data-token="')[1].split('"')[0]


def ended(shot: Shot, token: str) -> dict:
    for _ in range(600):
        now = shot.client.get(f"/take-in/{token}/progress").json()
        if now["state"] != "running":
            return now
        time.sleep(0.05)
    raise AssertionError("it did not end")


def take(shot: Shot, token: str, **fields: Any) -> Any:
    content = {
        "token": token,
        "name": "Boat",
        "level": "Film",
        "fps": "24",
        "hold": "2",
        "model": "1",
        **fields,
    }
    return shot.client.post("/productions/1/take-in", data=content)


@pytest.fixture
def movie(tmp_path: Path) -> Path:
    return film(tmp_path / "boat.mp4", options={"bf": "2"})


def test_a_movie_is_looked_through_and_taken_picture_by_picture(shot: Shot, movie: Path) -> None:
    token = look_at(shot, movie)
    assert ended(shot, token)["result"] == 40
    small = shot.client.get(f"/take-in/{token}/small/17.jpg").content
    assert number_in(np.asarray(Image.open(io.BytesIO(small)))) == 17
    answer = take(shot, token, first=5, last=30, every=5, kind="pictures", trace="true").json()
    assert answer["watch"].endswith(f"{token}/progress")
    result = ended(shot, token)["result"]
    traced = shot.client.get(f"/api/shots/{result['shot']}/run").json()
    film_level, trace = traced["levels"]
    run = shot.client.get(f"/api/shots/{result['shot']}/run?level={film_level['id']}").json()
    assert (film_level["kind"], film_level["locked"], trace["name"]) == ("pictures", True, "Trace")
    assert [d["number"] for d in run["drawings"]] == ["5", "10", "15", "20", "25", "30"]
    assert run["frames"] == 30
    for entry in run["drawings"]:
        body = shot.client.get(f"/drawings/{entry['id']}/view.webp?w=128&look=rough").content
        assert number_in(np.asarray(Image.open(io.BytesIO(body)).convert("RGB"))) == int(entry["number"])
    # The level to work on is what opens.
    assert [d["number"] for d in traced["drawings"]] == ["5", "10", "15", "20", "25", "30"]
    # What was put aside is gone.
    assert shot.client.get(f"/take-in/{token}/small/17.jpg").status_code == 404


def test_a_movie_goes_into_a_shot_of_another_size_but_not_past_its_end(shot: Shot, movie: Path) -> None:
    token = look_at(shot, movie)
    ended(shot, token)
    take(shot, token, first=1, last=30, every=1, into="1", kind="pictures")
    now = ended(shot, token)
    assert now["state"] == "failed"
    assert "30 frames" in now["message"]
    take(shot, token, first=1, last=6, every=1, into="1", kind="pictures")
    assert ended(shot, token)["state"] == "done"
    assert [level["name"] for level in shot.run()["levels"]] == ["Pim", "Film"]


def test_taking_a_movie_can_be_ended_and_a_wrong_range_stores_nothing(
    shot: Shot, store: Store, movie: Path
) -> None:
    token = look_at(shot, movie)
    ended(shot, token)
    before = table_counts(store)
    assert take(shot, token, first=9, last=3).status_code == 422
    take(shot, token, first=30, last=90)
    assert "boat.mp4 ends before picture 90" in ended(shot, token)["message"]
    take(shot, token, first=1, last=40)
    shot.client.post(f"/take-in/{token}/cancel")
    assert ended(shot, token)["state"] in ("cancelled", "done")
    if ended(shot, token)["state"] == "cancelled":
        assert table_counts(store) == before


@pytest.mark.parametrize("name", ["broken.mp4", "broken.ora", "broken.gif"])
def test_a_broken_file_is_refused_by_name_and_nothing_waits(
    shot: Shot, store: Store, tmp_path: Path, name: str
) -> None:
    (tmp_path / name).write_bytes(b"PK\3\4nothing" if name.endswith("ora") else b"GIF89a nothing")
    before = table_counts(store)
    assert name in look_at(shot, tmp_path / name, status=422)
    assert table_counts(store) == before
    incoming = shot.client.app.state.settings.cache / "incoming"
    assert list(incoming.iterdir()) == []


def test_layers_become_what_is_chosen_from_rear_to_front(shot: Shot, tmp_path: Path) -> None:
    stack = '<layer name="Ink" src="1.png"/><layer name="Old" src="1.png"/><layer name="Sky" src="0.png"/>'
    pictures = {"0.png": png(patch((200, 180, 160, 255), (64, 48))), "1.png": png(patch((9, 9, 9, 255)))}
    token = look_at(shot, openraster(tmp_path / "a.ora", stack, pictures))
    wishes = [
        {"index": 0, "name": "Sky", "becomes": "backdrop"},
        {"index": 1, "name": "Old", "becomes": "nothing"},
        {"index": 2, "name": "Line", "becomes": "drawings"},
    ]
    answer = take(shot, token, layers=json.dumps(wishes)).json()
    levels = shot.client.get(f"/api/shots/{answer['shot']}/run").json()["levels"]
    assert [(level["name"], level["kind"]) for level in levels] == [("Sky", "backdrop"), ("Line", "drawings")]
    token = look_at(shot, openraster(tmp_path / "b.ora", stack, pictures))
    nothing = [{**w, "becomes": "nothing"} for w in wishes]
    assert "Nothing of the file" in take(shot, token, layers=json.dumps(nothing)).json()["error"]
    assert take(shot, token, layers="[{]").status_code == 422


def test_groups_of_an_svg_can_be_parts_of_one_level(shot: Shot, tmp_path: Path) -> None:
    (tmp_path / "a.svg").write_text(SVG)
    token = look_at(shot, tmp_path / "a.svg")
    wishes = [
        {"index": 0, "name": "Body", "becomes": "drawings"},
        {"index": 1, "name": "hat", "becomes": "part"},
    ]
    answer = take(shot, token, layers=json.dumps(wishes)).json()
    run = shot.client.get(f"/api/shots/{answer['shot']}/run").json()
    assert [level["name"] for level in run["levels"]] == ["Body"]
    drawing = shot.client.get(f"/api/drawings/{run['drawings'][0]['id']}").json()
    assert sorted({s["part"] for s in drawing["strokes"]}) == ["", "hat"]
    assert len(drawing["strokes"]) == 3


def test_a_film_stays_as_a_moving_backdrop_held_on_twos(shot: Shot, movie: Path) -> None:
    token = look_at(shot, movie)
    ended(shot, token)
    take(shot, token, first=1, last=6, every=2, into="1", kind="backdrop")
    assert ended(shot, token)["state"] == "done"
    run = shot.client.get("/api/shots/1/run?level=2").json()
    assert [span[:2] for span in run["spans"]] == [[1, 2], [3, 2], [5, 2]]
    shot.job("clean")
    # Put in front, it is what the audience sees, two frames each.
    asked = {"what": "frames", "of": "frame", "width": 320, "cleared": True}
    job = shot.client.post("/api/levels/1/export", json=asked).json()["id"]
    shot.client.app.state.runner.run_open()
    archive = zipfile.ZipFile(io.BytesIO(shot.client.get(f"/exports/{job}").content))
    frames = [archive.read(name) for name in sorted(archive.namelist())]
    assert frames[0] == frames[1] != frames[2] == frames[3] != frames[4]
    # On threes, as any level is held.
    do = {"do": "on-each", "levels": [2], "first": 1, "last": 6, "hold": 3, "push": False}
    assert shot.client.post("/api/times/1/do", json={"do": do}).status_code == 200
    spans = shot.client.get("/api/shots/1/run?level=2").json()["spans"]
    assert [span[:2] for span in spans] == [[1, 3], [4, 3]]
