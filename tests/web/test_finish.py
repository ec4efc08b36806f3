"""The finish of a level over HTTP: kept in order, seen in pictures and exports, undone."""

from __future__ import annotations

import io
import zipfile
from typing import Any

import numpy as np
import pytest
from PIL import Image

from ..shot import Shot
from .test_tones import painted, view

__all__ = ["painted"]

NAME = "000000000"


def finish(shot: Shot, *entries: dict[str, Any]) -> None:
    listed = [{"id": f"{NAME}{k}", **entry} for k, entry in enumerate(entries)]
    asked = {"do": "finish", "level": 1, "entries": listed, "what": "add"}
    answer = shot.client.post("/api/stacks/1/do", json={"do": asked})
    assert answer.status_code == 200, answer.text


def test_the_finish_is_seen_for_its_range_and_undone(painted: Shot) -> None:
    plain = {number: view(painted, number) for number in (1, 3)}
    finish(painted, {"kind": "cast", "soft": 0, "opacity": 1, "colour": "#000000", "first": 4})
    assert (view(painted, 1) == plain[1]).all()
    assert (view(painted, 3) != plain[3]).any()
    level = painted.run()["levels"][0]
    assert [entry["kind"] for entry in level["finish"]] == ["cast"]
    undone = painted.client.post("/api/stacks/1/undo").json()
    assert undone["label"] == "add of Pim"
    assert (view(painted, 3) == plain[3]).all()


def test_it_is_handed_off_as_it_is_seen(painted: Shot) -> None:
    finish(painted, {"kind": "treatment", "what": "no-ink"}, {"kind": "cast", "opacity": 1, "soft": 0})
    asked = {"what": "drawings", "width": 320}
    job = painted.client.post("/api/levels/1/export", json=asked)
    assert job.status_code == 200, job.text
    painted.client.app.state.runner.run_open()
    body = painted.client.get(f"/exports/{job.json()['id']}")
    assert body.status_code == 200, body.text
    with zipfile.ZipFile(io.BytesIO(body.content)) as archive:
        picture = np.asarray(Image.open(archive.open(archive.namelist()[0])).convert("RGBA")).astype(int)
    over = picture[..., :3] * (picture[..., 3:] / 255) + 255 * (1 - picture[..., 3:] / 255)
    assert np.abs(over - view(painted, 1)).mean() < 2
    ink = (np.abs(picture[..., :3] - (29, 43, 58)).max(axis=2) < 4) & (picture[..., 3] == 255)
    # What is left of the ink's colour is the shadow.
    assert not ink[60:120, 100:200].any()


@pytest.mark.parametrize(
    "entry",
    [
        {"kind": "glow"},
        {"kind": "wash", "opacity": 7},
        {"kind": "cast", "colour": "black"},
        {"kind": "texture", "picture": "/etc/passwd"},
        {"kind": "wash", "x0": 1e300},
    ],
)
def test_what_is_no_entry_is_refused_and_changes_nothing(painted: Shot, entry: dict[str, Any]) -> None:
    asked = {"do": "finish", "level": 1, "entries": [{"id": f"{NAME}0", **entry}]}
    assert painted.client.post("/api/stacks/1/do", json={"do": asked}).status_code == 422
    assert painted.run()["levels"][0]["finish"] == []
