"""What browsers keep: drawings until they change, scripts and styles for good; what will be asked for is made ahead."""

from __future__ import annotations

import re
import shutil
import time
from pathlib import Path

from fastapi.testclient import TestClient

from schoon.web import statics

from ..shot import Shot


def test_a_drawing_is_sent_once_and_again_when_it_has_changed(shot: Shot) -> None:
    shot.job("clean")
    for what in ("", "/patches"):
        url = f"/api/drawings/{shot.ids[0]}{what}"
        first = shot.client.get(url)
        name = first.headers["etag"]
        again = shot.client.get(url, headers={"if-none-match": name})
        assert (again.status_code, again.content) == (304, b"")
    shot.edit(1, "pour", points=[[100, 100]], pot=1)
    changed = shot.client.get(url, headers={"if-none-match": name})
    assert changed.status_code == 200
    assert changed.json()["paint"]
    # What the dock says of it changes with the model.
    name = changed.headers["etag"]
    edit = {"do": "describe-pot", "pot": 1, "expected": 4}
    shot.client.post("/api/models/1/do", json={"do": edit})
    remarked = shot.client.get(url, headers={"if-none-match": name})
    assert remarked.status_code == 200
    assert remarked.json()["remarks"]


def test_strokes_and_patches_are_the_same_whether_kept_or_made(shot: Shot) -> None:
    shot.job("clean")
    made = shot.drawing(1), shot.patches(1)
    assert (shot.drawing(1), shot.patches(1)) == made
    assert all(s["d"].startswith("M") for s in made[0]["strokes"])
    assert {"n", "d", "at", "area"} == set(made[1]["patches"][0])


def test_scripts_and_styles_are_kept_for_good_and_named_by_what_they_hold(
    client: TestClient, shot: Shot
) -> None:
    page = client.get("/shots/1/line", headers={"accept": "text/html"}).text
    addresses = set(re.findall(r'(?:href|src)="(/static/[^"]+)"', page))
    assert len(addresses) > 20
    for address in addresses:
        answer = client.get(address)
        assert answer.status_code == 200
        assert "immutable" in answer.headers["cache-control"]
        assert address.startswith(statics.BASE)
    # All that a script imports is named on the page, so that the browser waits once.
    loaded = {a.rsplit("/js/", 1)[1] for a in addresses if "/js/" in a}
    folder = statics.FOLDER / "js"
    for name in list(loaded):
        for other in re.findall(r"from '(\.[^']+)'", (folder / name).read_text()):
            assert ((folder / name).parent / other).resolve().relative_to(folder).as_posix() in loaded


def test_what_pages_ask_for_is_made_when_a_job_has_ended(shot: Shot) -> None:
    app = shot.client.app
    app.state.ahead._on = True  # type: ignore[attr-defined]
    kept = Path(app.state.files.folder)  # type: ignore[attr-defined]
    shot.job("clean")
    end = time.monotonic() + 60
    # Three drawings in three widths and their shapes, beside what the job itself has kept.
    while len(list(kept.rglob("*.webp"))) < 9:
        assert time.monotonic() < end
        time.sleep(0.1)
    before = {path.name for path in kept.rglob("*.webp")}
    for drawing in shot.ids:
        shot.client.get(f"/drawings/{drawing}/view.webp?w=240&v=1")
    assert {path.name for path in kept.rglob("*.webp")} == before


def test_what_a_stop_asks_for_is_made_when_the_shot_is_opened(shot: Shot) -> None:
    app = shot.client.app
    shot.job("clean")
    kept = Path(app.state.files.folder)  # type: ignore[attr-defined]
    shutil.rmtree(kept)
    app.state.ahead._on = True  # type: ignore[attr-defined]
    assert shot.client.get("/shots/1/paint").status_code == 200
    end = time.monotonic() + 60
    while len(list(kept.rglob("*.webp"))) < 9:
        assert time.monotonic() < end
        time.sleep(0.1)
    # Outlines, shapes and open forms of each drawing.
    assert len(list(kept.rglob("*.json"))) == 9
    # Opened again, nothing is looked through that stands as it did.
    shutil.rmtree(kept)
    assert shot.client.get("/shots/1/paint").status_code == 200
    time.sleep(1)
    assert not list(kept.rglob("*.webp"))
