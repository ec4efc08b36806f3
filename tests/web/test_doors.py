"""Who may come in and with how much."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pymysql
import pytest
from fastapi.testclient import TestClient

from schoon.errors import Damaged
from schoon.formats.pictures import encode_png
from schoon.limits import Limits
from schoon.store import Store
from schoon.web import doors
from schoon.web.app import create_app
from schoon.web.routes import shelf

from ..conftest import table_counts
from ..shot import Shot, rough


@pytest.mark.parametrize("host", ["evil.example", "127.0.0.1.evil.example", "schoon.evil:8023", ""])
def test_another_host_name_is_not_answered(client: TestClient, host: str) -> None:
    assert client.get("/", headers={"host": host}).status_code == 400


@pytest.mark.parametrize("host", ["127.0.0.1:8023", "localhost:8023", "testserver"])
def test_its_own_names_are_answered(client: TestClient, host: str) -> None:
    assert client.get("/", headers={"host": host}).status_code == 200


@pytest.mark.parametrize(
    ("headers", "passes"),
    [
        ({}, True),
        ({"origin": "http://testserver"}, True),
        ({"origin": "http://testserver", "sec-fetch-site": "same-origin"}, True),
        ({"sec-fetch-site": "none"}, True),
        ({"origin": "https://testserver"}, False),
        ({"origin": "http://evil.example"}, False),
        ({"origin": "http://testserver.evil.example"}, False),
        ({"origin": "http://testserver:99"}, False),
        ({"origin": "null"}, False),
        ({"sec-fetch-site": "cross-site"}, False),
        ({"sec-fetch-site": "same-site", "origin": "http://testserver"}, False),
    ],
)
def test_other_sites_change_nothing(
    client: TestClient, store: Store, headers: dict[str, str], passes: bool
) -> None:
    before = table_counts(store)
    for url, content in (("/productions", {"data": {"name": "New"}}), ("/api/drawings/1/undo", {})):
        answer = client.post(url, headers=headers, follow_redirects=False, **content)  # type: ignore[arg-type]
        assert (answer.status_code != 403) == passes
    assert (table_counts(store) == before) != passes


def test_every_answer_says_what_a_browser_may_do_with_it(client: TestClient, shot: Shot) -> None:
    for url in ("/", "/shots/1/paint", "/api/shots/1/run", "/static/styles/base.css", "/nowhere"):
        headers = client.get(url).headers
        policy = headers["content-security-policy"]
        assert "script-src 'self'" in policy
        assert "unsafe-eval" not in policy
        assert "'unsafe-inline'" not in policy.split("style-src-attr")[0]
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["x-frame-options"].upper() == "DENY"
        assert headers["referrer-policy"] == "same-origin"


def test_what_routes_there_are_is_told_on_request_only(client: TestClient) -> None:
    assert client.get("/openapi.json").status_code == 404
    settings = client.app.state.settings.model_copy(update={"openapi": True})  # type: ignore[attr-defined]
    told = TestClient(create_app(client.app.state.store, settings, client.app.state.desk))  # type: ignore[attr-defined]
    assert "/api/drawings/{drawing_id}/do" in told.get("/openapi.json").json()["paths"]


def test_pages_hold_no_script_and_no_handler_of_their_own(client: TestClient, shot: Shot) -> None:
    for url in ("/", "/shots/1/line", "/models/1", "/productions/1/take-in", "/nowhere"):
        text = client.get(url, headers={"accept": "text/html"}).text
        for tag in text.split("<script")[1:]:
            assert 'src="/static/' in tag.split(">")[0] or 'type="application/json"' in tag.split(">")[0]
        assert " onclick=" not in text
        assert "javascript:" not in text


def test_bodies_beyond_the_limit_are_refused_by_name(
    client: TestClient, shot: Shot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(doors, "limits", lambda: Limits(body_mb=1, picture_mb=2, take_in_mb=3))
    url = f"/api/drawings/{shot.ids[0]}/do"
    large = b'{"base": 0, "points": [' + b" " * 2**20 + b"]}"
    answer = client.post(url, content=large, headers={"content-type": "application/json"})
    assert answer.status_code == 413
    assert "1 MB" in answer.json()["error"]
    assert "SCHOON_MOST_BODY_MB" in answer.json()["error"]

    def streamed() -> object:
        for _ in range(20):
            yield b" " * 100_000

    # Without a length they are counted as they come.
    answer = client.post(url, content=streamed(), headers={"content-type": "application/json"})  # type: ignore[arg-type]
    assert answer.status_code == 413
    for place, files, name in (
        ("/models/1/pictures", {"picture": ("a.png", bytes(3 * 2**20))}, "PICTURE"),
        ("/take-in/check", {"files": ("a1.png", bytes(4 * 2**20))}, "TAKE_IN"),
    ):
        answer = client.post(place, files=files)
        assert answer.status_code == 413
        assert f"SCHOON_MOST_{name}_MB" in answer.json()["error"]


def test_a_small_zip_of_large_blank_pictures_is_read_in_no_time(client: TestClient, shot: Shot) -> None:
    blank = encode_png(np.full((2048, 2048), 255, np.uint8), 9)
    body = io.BytesIO()
    with zipfile.ZipFile(body, "w", zipfile.ZIP_DEFLATED) as archive:
        for k in range(60):
            archive.writestr(f"blank_{k:03}.png", blank)
    page = client.post("/take-in/check", files={"files": ("blank.zip", body.getvalue())}).text
    assert "60 pictures" in page
    assert "59 repeat the one before" in page


def test_what_the_database_cannot_do_is_said_and_kept_apart(
    client: TestClient, shot: Shot, monkeypatch: pytest.MonkeyPatch
) -> None:
    quiet = TestClient(client.app, raise_server_exceptions=False)
    for error, status, words in (
        (pymysql.OperationalError(2013, "Lost connection"), 503, "nothing was changed"),
        (pymysql.OperationalError(1114, "The table is full"), 507, "Free some space"),
        (pymysql.DataError(1264, "Out of range"), 422, "too large to be kept"),
        (Damaged("Document ab is missing; restore it from a backup"), 500, "restore it from a backup"),
        (ZeroDivisionError("a mistake"), 500, "Schoon made a mistake here and nothing was changed"),
    ):

        def broken(*_: object, error: Exception = error) -> None:
            raise error

        monkeypatch.setattr(shelf.productions, "create", broken)
        answer = quiet.post("/productions", data={"name": "New"}, headers={"accept": "application/json"})
        assert answer.status_code == status
        assert words in answer.json()["error"]


def test_a_change_sent_again_is_done_once_and_answered(client: TestClient, shot: Shot) -> None:
    shot.job("clean")
    chosen = shot.drawing(1)["strokes"][0]
    url = f"/api/drawings/{shot.ids[0]}/do"
    move = {"do": "place", "ids": [chosen["id"]], "matrix": [1, 0, 5, 0, 1, 0]}
    headers = {"x-schoon-token": "ab" * 16}
    body = {"base": shot.drawing(1)["revision"], "do": move}
    first = client.post(url, json=body, headers=headers).json()
    again = client.post(url, json=body, headers={**headers, "x-schoon-again": "1"}).json()
    unasked = client.post(url, json=body, headers=headers).json()
    assert again == unasked == {"again": True, "action": again["action"], "drawings": [shot.ids[0]]}
    moved = next(s for s in shot.drawing(1)["strokes"] if s["id"] == chosen["id"])
    assert moved["points"][0] == pytest.approx(chosen["points"][0] + 5, abs=0.02)
    assert shot.drawing(1)["revision"] == first["revision"]
    # A job that is asked for again is the same job.
    headers = {"x-schoon-token": "cd" * 16}
    jobs = [
        client.post("/api/levels/1/jobs", json={"kind": "seal"}, headers={**headers, **again_})
        for again_ in ({}, {"x-schoon-again": "1"})
    ]
    assert jobs[0].json()["id"] == jobs[1].json()["id"]
    assert client.post(url, json=body, headers={"x-schoon-token": "x" * 5000}).status_code == 422


def test_points_of_one_stroke_moved_in_two_windows_are_both_kept_or_told(shot: Shot) -> None:
    shot.edit(
        1,
        "line",
        do={
            "do": "trace",
            "id": "aaaaaaaa",
            "path": [[20, 20, 0.5], [80, 60, 0.5], [160, 20, 0.5]],
            "width": 4,
        },
    )
    base = shot.drawing(1)["revision"]
    stroke = next(s for s in shot.drawing(1)["strokes"] if s["id"] == "aaaaaaaa")
    points = np.reshape(stroke["points"], (-1, 2))

    def moved(index: int, by: float) -> dict[str, object]:
        there = points.copy()
        there[index] += by
        return {"do": "points", "id": "aaaaaaaa", "points": there.tolist()}

    shot.edit(1, "line", do=moved(0, 5.0), base=base)
    shot.edit(1, "line", do=moved(-1, 7.0), base=base)
    now = np.reshape(next(s for s in shot.drawing(1)["strokes"] if s["id"] == "aaaaaaaa")["points"], (-1, 2))
    assert now[0] == pytest.approx(points[0] + 5, abs=0.02)
    assert now[-1] == pytest.approx(points[-1] + 7, abs=0.02)
    answer = shot.client.post(f"/api/drawings/{shot.ids[0]}/do", json={"base": base, "do": moved(0, 9.0)})
    assert answer.status_code == 422
    assert "Another window has moved the same points" in answer.json()["error"]


def test_a_stroke_beyond_any_picture_is_refused_at_once(shot: Shot) -> None:
    far = [[(-1) ** k * 9_000.0, k * 100.0, 0.5] for k in range(12)]
    url = f"/api/drawings/{shot.ids[0]}/do"
    for do in (
        {"do": "trace", "id": "aaaaaaaa", "path": far, "width": 4},
        {"do": "trace", "id": "aaaaaaaa", "path": [[k % 2 * 300.0, 9.0, 0.5] for k in range(60)], "width": 4},
    ):
        answer = shot.client.post(url, json={"base": 0, "do": do})
        assert answer.status_code == 422
        assert "20 picture widths" in answer.json()["error"]
        assert "SCHOON_MOST_STROKE_WIDTHS" in answer.json()["error"]
    shot.edit(
        1, "line", do={"do": "trace", "id": "bbbbbbbb", "path": [[9, 9, 0.5], [90, 60, 0.5]], "width": 4}
    )
    grow = {"do": "place", "ids": ["bbbbbbbb"], "matrix": [900, 0, 0, 0, 900, 0], "what": "scale"}
    answer = shot.client.post(url, json={"base": 0, "do": grow})
    assert answer.status_code == 422
    assert "20 picture widths" in answer.json()["error"]


def test_a_closed_stroke_is_cut_open_and_shut_again(shot: Shot) -> None:
    ring = [
        [160 + 60 * float(np.cos(t)), 120 + 60 * float(np.sin(t)), 0.5] for t in np.linspace(0, 2 * np.pi, 60)
    ]
    shot.edit(1, "line", do={"do": "trace", "id": "ringaaaa", "path": ring, "width": 4, "snap": 12})

    def closed() -> bool:
        return next(s for s in shot.drawing(1)["strokes"] if s["id"] == "ringaaaa")["closed"]

    assert closed()
    shot.edit(1, "line", do={"do": "cut", "id": "ringaaaa", "at": [220, 120]})
    assert not closed()
    # Now it has ends: it can be cut in two like any other line.
    shot.edit(1, "line", do={"do": "join", "ids": ["ringaaaa"]})
    assert closed()


def test_undo_after_a_pot_was_taken_out_brings_the_pot_back(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[181, 95]], pot=1)
    shot.edit(1, "pour", points=[[181, 95]], pot=2)
    assert (
        shot.client.post("/api/models/1/do", json={"do": {"do": "delete-pot", "pot": 1}}).status_code == 200
    )
    undone = shot.client.post(f"/api/drawings/{shot.ids[0]}/undo").json()
    assert undone["pots"] == ["Coat"]
    assert 1 in [p["pot"] for p in shot.patches(1)["paint"].values()]
    assert "Coat" in shot.client.get("/models/1", headers={"accept": "text/html"}).text


def test_equal_lines_in_shots_of_two_sizes_have_pictures_of_their_own(shot: Shot, store: Store) -> None:
    shot.edit(
        1, "line", do={"do": "trace", "id": "aaaaaaaa", "path": [[9, 9, 0.5], [90, 60, 0.5]], "width": 4}
    )
    url = f"/drawings/{shot.ids[0]}/view.webp?w=120&look=line"
    small = shot.client.get(url).content
    with store.transaction() as cursor:
        cursor.execute("UPDATE shots SET width = 640, height = 480")
    assert shot.client.get(url).content != small


def test_roughs_that_came_in_are_seen_small_in_the_page(client: TestClient, shot: Shot) -> None:
    page = client.post("/take-in/check", files=[("files", ("a1.png", rough(), "image/png"))]).text
    assert page.count("data:image/png;base64,") == 1


def test_files_that_are_sent_have_the_limits_of_files() -> None:
    for path, limit in (
        ("/productions/restored", "TAKE_IN"), ("/take-in/check", "TAKE_IN"), ("/api/shots/1/references", "PICTURE"),
        ("/api/shots/1/textures", "PICTURE"), ("/api/drawings/1/do", "BODY"),
    ):  # fmt: skip
        assert limit in doors._limit(path)[1], path
