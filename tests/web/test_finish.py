"""The finish of a level over HTTP: kept in order, seen in pictures and exports, undone."""

from __future__ import annotations

import io
import zipfile
from typing import Any

import numpy as np
import pytest
from PIL import Image

from ..shot import Shot
from .test_tones import light, painted, view

__all__ = ["painted"]

NAME = "000000000"


def finish(shot: Shot, *entries: dict[str, Any]) -> None:
    listed = [{"id": f"{NAME}{k}", **entry} for k, entry in enumerate(entries)]
    asked = {"do": "finish-add", "level": 1, "add": listed, "what": "add"}
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


def handed_off(shot: Shot, only: str = "seen") -> dict[str, np.ndarray]:
    """Name -> (h, w, 4) of a PNG export of all drawings."""
    job = shot.client.post(
        "/api/levels/1/export", json={"what": "drawings", "width": 320, "only": only, "cleared": True}
    )
    assert job.status_code == 200, job.text
    shot.client.app.state.runner.run_open()
    body = shot.client.get(f"/exports/{job.json()['id']}")
    assert body.status_code == 200, body.text
    with zipfile.ZipFile(io.BytesIO(body.content)) as archive:
        return {
            name: np.asarray(Image.open(archive.open(name)).convert("RGBA")).astype(int)
            for name in archive.namelist()
        }


def test_flats_and_tones_hold_exactly_the_keys_colours(painted: Shot) -> None:
    light(painted, azimuth=90, height=20, amount=0.4)
    assert painted.job("tone")["state"] == "done"
    finish(painted, {"kind": "texture", "amount": 1})

    def colours(only: str) -> set[tuple[int, ...]]:
        found: set[tuple[int, ...]] = set()
        for picture in handed_off(painted, only).values():
            found |= {tuple(c) for c in np.unique(picture[picture[..., 3] > 0], axis=0).tolist()}
        return found

    def change(**do: Any) -> None:
        assert painted.client.post("/api/models/1/do", json={"do": do}).status_code == 200

    for pot, shade in ((1, "#102030"), (2, "#405060")):
        change(do="colour", key=1, pot=pot, colour=shade, tone="shade")
    base, shade = {(237, 178, 31, 255), (138, 90, 59, 255)}, {(16, 32, 48, 255), (64, 80, 96, 255)}
    assert colours("flats") == base
    assert colours("tones") == shade
    assert colours("flats-tones") == base | shade
    # Another key: not one pixel of an old colour is left.
    change(do="colour", key=2, pot=1, colour="#0000ff")
    change(do="colour", key=2, pot=2, colour="#00ff00")
    change(do="tone-rule", key=2, kind="shade", rule={"how": "multiply", "by": [128, 128, 128]})
    painted.client.post("/api/stacks/1/do", json={"do": {"do": "key", "level": 1, "key": 2}})
    assert colours("flats-tones") == {(0, 0, 255, 255), (0, 255, 0, 255), (0, 0, 128, 255), (0, 128, 0, 255)}
    ink = handed_off(painted, "ink")
    assert all("_ink_" in name for name in ink)


def test_it_is_handed_off_as_it_is_seen(painted: Shot) -> None:
    finish(painted, {"kind": "treatment", "what": "no-ink"}, {"kind": "cast", "opacity": 1, "soft": 0})
    picture = next(iter(handed_off(painted).values()))
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
    asked = {"do": "finish-add", "level": 1, "add": [{"id": f"{NAME}0", **entry}]}
    assert painted.client.post("/api/stacks/1/do", json={"do": asked}).status_code == 422
    assert painted.run()["levels"][0]["finish"] == []


def encoded(picture: Image.Image, kind: str) -> bytes:
    body = io.BytesIO()
    picture.save(body, kind)
    return body.getvalue()


def bring(shot: Shot, name: str, body: bytes) -> Any:
    return shot.client.post("/api/shots/1/textures", files={"picture": (name, body)})


@pytest.mark.parametrize(
    ("name", "picture", "kind"),
    [
        ("dot.png", Image.new("RGBA", (1, 1), (200, 30, 40, 255)), "PNG"),
        ("press.jpg", Image.new("CMYK", (700, 20), (0, 200, 200, 40)), "JPEG"),
        ("wide.tif", Image.new("RGB", (2000, 300), (200, 30, 40)), "TIFF"),
    ],
)
def test_a_picture_that_was_brought_along_lies_on_the_paint(
    painted: Shot, name: str, picture: Image.Image, kind: str
) -> None:
    plain = view(painted, 1)
    own = bring(painted, name, encoded(picture, kind)).json()["own"]
    finish(painted, {"kind": "texture", "own": own, "blend": "normal", "amount": 1})
    seen = view(painted, 1)
    assert seen[120, 110, 0] > seen[120, 110, 1] + 40
    assert (seen[5, 5] == plain[5, 5]).all()
    assert handed_off(painted)


def test_what_is_no_picture_is_refused_by_its_name(painted: Shot) -> None:
    answer = bring(painted, "notes.png", b"not a picture")
    assert answer.status_code == 422 or answer.status_code == 400
    assert "notes.png" in answer.json()["error"]


def test_numbers_change_through_the_run(painted: Shot) -> None:
    wash = {"kind": "wash", "x0": 156, "y0": 220, "x1": 156, "y1": 20, "colour": "#000000", "opacity": 0}
    finish(painted, {**wash, "notches": {"1": {"opacity": 0.0}, "5": {"opacity": 1.0}}})
    shades = [int(view(painted, number)[170, 156].sum()) for number in (1, 2, 3)]
    assert shades[0] > shades[1] + 20 > shades[2] + 40


def test_a_list_is_kept_as_a_recipe_and_forgotten(painted: Shot) -> None:
    entry = {"id": f"{NAME}0", "kind": "treatment", "what": "dots"}
    url = "/api/shots/1/recipes"

    def kept(name: str, *entries: dict[str, Any]) -> Any:
        return painted.client.post(url, json={"name": name, "entries": list(entries)})

    assert kept("Newsprint", entry).status_code == 200
    assert kept("Newsprint", {**entry, "what": "squares"}).status_code == 200
    (found,) = painted.client.get(url).json()["recipes"]
    assert (found["name"], found["entries"][0]["what"]) == ("Newsprint", "squares")
    assert kept(" ", entry).status_code >= 400
    assert kept("Empty").status_code == 422
    assert painted.client.post(f"{url}/{found['id']}/drop").json() == {"recipes": []}
    assert painted.client.post(f"{url}/{found['id']}/drop").status_code == 404


def act(shot: Shot, **do: Any) -> Any:
    return shot.client.post("/api/stacks/1/do", json={"do": {"level": 1, **do}})


def entries(shot: Shot) -> list[dict[str, Any]]:
    return shot.run()["levels"][0]["finish"]


def test_two_hands_on_one_list_keep_both_changes(painted: Shot) -> None:
    finish(painted, {"kind": "cast", "opacity": 0.2}, {"kind": "wash"}, {"kind": "contact"})
    first, second, third = (e["id"] for e in entries(painted))
    assert act(painted, do="finish-set", entry=first, fields={"opacity": 0.5}).status_code == 200
    assert act(painted, do="finish-set", entry=first, fields={"soft": 7, "first": 3}).status_code == 200
    one = entries(painted)[0]
    assert (one["opacity"], one["soft"], one["first"]) == (0.5, 7, 3)
    # Notches frame by frame, None takes one away.
    for notches in ({"1": {"opacity": 0.1}}, {"5": {"opacity": 0.9}}, {"1": None}):
        assert act(painted, do="finish-set", entry=first, fields={"notches": notches}).status_code == 200
    assert entries(painted)[0]["notches"] == {"5": {"opacity": 0.9}}
    assert act(painted, do="finish-move", entry=third, before=first).status_code == 200
    assert [e["id"] for e in entries(painted)] == [third, first, second]
    assert act(painted, do="finish-move", entry=third, before="ffffffffff").status_code == 200
    assert [e["id"] for e in entries(painted)] == [first, second, third]
    assert act(painted, do="finish-out", entry=second).status_code == 200
    gone = act(painted, do="finish-set", entry=second, fields={"on": False})
    assert gone.status_code == 404
    assert "taken out in another window" in gone.json()["error"]
    # Sent again, it is there once.
    again = {"id": first, "kind": "cast"}
    assert act(painted, do="finish-add", add=[again]).status_code == 200
    assert [e["id"] for e in entries(painted)] == [first, third]


@pytest.mark.parametrize(
    "fields", [{"id": "ffffffffff"}, {"kind": "wash"}, {"opacity": 7}, {"scale": 2}, {"notches": 3}]
)
def test_fields_that_an_entry_cannot_have_change_nothing(painted: Shot, fields: dict[str, Any]) -> None:
    finish(painted, {"kind": "cast"})
    before = entries(painted)
    assert act(painted, do="finish-set", entry=before[0]["id"], fields=fields).status_code == 422
    assert entries(painted) == before
