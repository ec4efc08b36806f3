"""Rigid props over HTTP: built or brought, placed, carried through the run, corrected by hand."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import pytest
import trimesh
from PIL import Image

from schoon.core.prop import Placed
from schoon.store import pictures, revisions
from schoon.work.documents import behind_of

from ..shot import Shot
from .test_line import stroke_of, undo

BOX = {"kind": "box", "name": "crate", "path": [[0, 0], [100, 80]], "thick": 60, "pot": 1}
LAMP = [
    {"kind": "turned", "name": "foot", "path": [[100, 150], [146, 150], [150, 180], [100, 180]], "pot": 1},
    {"kind": "turned", "name": "glass", "path": [[140, 60], [140, 150]], "glass": True, "pot": 2},
]


def made(shapes: list[dict]) -> dict:
    return {"kind": "built", "axis": 100, "shapes": shapes, "details": []}


def prop(shot: Shot, shapes: list[dict] | None = None, name: str = "Lantern") -> int:
    new = shot.client.post("/api/levels/1/props/new", json={"name": name}).json()["id"]
    answer = shot.client.post(
        f"/api/props/{new}", json={"name": name, "part": name.lower(), "made": made(shapes or [BOX])}
    )
    assert answer.status_code == 200, answer.text
    return int(new)


def place(shot: Shot, number: int, prop_id: int, snap: bool = False, **placed: Any) -> dict:
    where = {"at": [160, 120], "size": 100, **placed}
    answer = shot.client.post(
        f"/api/levels/1/props/{prop_id}/place",
        json={"drawing": shot.ids[number - 1], "placed": where, "snap": snap},
    )
    assert answer.status_code == 200, answer.text
    return answer.json()["placed"]


def placed_in(shot: Shot, number: int) -> dict:
    found = shot.client.get("/api/levels/1/props").json()["placed"]
    return found.get(str(shot.ids[number - 1]), {})


def lines(shot: Shot, number: int, part: str = "lantern") -> list[dict]:
    return [s for s in shot.drawing(number)["strokes"] if s["part"] == part]


def span(strokes: list[dict]) -> list[float]:
    points = np.vstack([np.reshape(s["points"], (-1, 2)) for s in strokes])
    return [*points.min(axis=0).tolist(), *points.max(axis=0).tolist()]


def hidden(shot: Shot, number: int) -> dict[str, list]:
    with shot.client.app.state.store.transaction() as cursor:  # type: ignore[attr-defined]
        row = revisions.drawing(cursor, shot.ids[number - 1])
        return behind_of(revisions.get_documents(cursor, [row["line"]])[row["line"]])


def through(shot: Shot, prop_id: int, **content: Any) -> dict:
    answer = shot.client.post(f"/api/levels/1/props/{prop_id}/through", json=content)
    assert answer.status_code == 200, answer.text
    shot.client.app.state.runner.run_open()  # type: ignore[attr-defined]
    return shot.client.get(f"/api/jobs/{answer.json()['id']}").json()


def test_a_crate_is_lined_and_painted_where_it_is_placed(shot: Shot) -> None:
    crate = prop(shot)
    assert place(shot, 1, crate)["key"]
    assert span(lines(shot, 1)) == pytest.approx([110, 80, 210, 160], abs=1)
    assert {s["by"] for s in lines(shot, 1)} == {"hand"}
    painted = {p["n"]: p for p in shot.patches(1)["patches"]}
    paint = shot.patches(1)["paint"]
    inside = next(n for n, p in painted.items() if 110 < p["at"][0] < 210 and 80 < p["at"][1] < 160)
    assert paint[str(inside)]["pot"] == 1
    undo(shot, 1)
    assert not placed_in(shot, 1)
    assert not shot.drawing(1)["strokes"]


def test_moved_it_takes_its_lines_and_paint_along(shot: Shot) -> None:
    crate = prop(shot)
    place(shot, 1, crate)
    place(shot, 1, crate, at=[200, 140], size=60)
    assert span(lines(shot, 1)) == pytest.approx([170, 116, 230, 164], abs=1)
    assert len({s["id"] for s in lines(shot, 1)}) == len(lines(shot, 1)) == 4
    assert [p["pot"] for p in shot.patches(1)["paint"].values()] == [1]
    answer = shot.client.post(
        f"/api/levels/1/props/{crate}/place", json={"drawing": shot.ids[0], "placed": None}
    )
    assert answer.json() == {"placed": None}
    assert not shot.drawing(1)["strokes"]
    assert not placed_in(shot, 1)


def test_a_prop_that_is_made_otherwise_is_followed_when_it_is_placed_anew(shot: Shot) -> None:
    crate = prop(shot)
    place(shot, 1, crate)
    path = [[*p, 0.5] for p in np.linspace((130, 100), (190, 140), 30).tolist()]
    shot.edit(1, "line", do={"do": "trace", "id": "scratch01", "path": path, "width": 4, "part": "lantern"})
    wide = {**BOX, "path": [[0, 0], [100, 40]], "pot": 2}
    content = {"name": "Lantern", "part": "lamp", "made": made([wide])}
    assert shot.client.post(f"/api/props/{crate}", json=content).status_code == 200
    place(shot, 1, crate, at=[160, 130])
    # The new lines alone, as the new part, and what was added by hand.
    assert not lines(shot, 1, "lantern")
    now = lines(shot, 1, "lamp")
    assert len(now) == 5
    assert span([s for s in now if s["id"] != "scratch01"]) == pytest.approx([110, 110, 210, 150], abs=1)
    assert {p["pot"] for p in shot.patches(1)["paint"].values()} == {2}


def test_two_props_never_share_a_part(shot: Shot) -> None:
    prop(shot)
    again = shot.client.post("/api/levels/1/props/new", json={"name": "LANTERN"})
    assert again.status_code == 422
    assert "choose another name" in again.json()["error"]
    other = prop(shot, name="Crate")
    content = {"name": "Crate", "part": "Lantern", "made": made([BOX])}
    assert shot.client.post(f"/api/props/{other}", json=content).status_code == 422


def test_lines_behind_it_end_at_its_outline_and_come_back(shot: Shot) -> None:
    crate = prop(shot)
    path = [[*p, 0.5] for p in np.linspace((20, 120), (300, 120), 40).tolist()]
    shot.edit(1, "line", do={"do": "trace", "id": "levelline", "path": path, "width": 4, "part": "arm"})
    place(shot, 1, crate)
    assert len(hidden(shot, 1)["lantern"]) == 1
    assert len(lines(shot, 1, "arm")) == 2
    # Before it: nothing of the arm is hidden.
    place(shot, 1, crate, behind=["arm"])
    assert len(lines(shot, 1, "arm")) == 1
    place(shot, 1, crate, at=[160, 30], size=20)
    (arm,) = lines(shot, 1, "arm")
    assert span([arm])[::2] == pytest.approx([20, 300], abs=1)
    assert not hidden(shot, 1).get("lantern")


def test_what_lies_before_it_hides_its_lines(shot: Shot) -> None:
    crate = prop(shot)
    ring = [[160 + 30 * np.cos(a), 80 + 30 * np.sin(a), 0.5] for a in np.linspace(0, 2 * np.pi, 60)]
    shot.edit(1, "line", do={"do": "trace", "id": "thumbring", "path": ring, "width": 4, "part": "hand"})
    place(shot, 1, crate, behind=["hand"])
    assert hidden(shot, 1)["hand"]
    top = [s for s in lines(shot, 1) if abs(s["points"][1] - 80) < 1 and abs(s["points"][-1] - 80) < 1]
    assert all(abs(x - 160) > 27 for s in top for x in (s["points"][0], s["points"][-2]))


def test_a_hands_correction_stays_when_it_is_placed_anew(shot: Shot) -> None:
    crate = prop(shot)
    place(shot, 1, crate)
    top = min(lines(shot, 1), key=lambda s: s["points"][1] + s["points"][-1])
    bent = np.reshape(top["points"], (-1, 2)).copy()
    bent[1:-1, 1] -= 12
    shot.edit(1, "line", do={"do": "points", "id": top["id"], "points": bent.tolist()})
    place(shot, 1, crate, at=[180, 130])
    now = lines(shot, 1)
    assert len(now) == 4
    moved = np.reshape(stroke_of(shot, 1, top["id"])["points"], (-1, 2))
    assert moved == pytest.approx(bent + [20, 10], abs=1.5)


def test_it_is_carried_through_between_its_keys_as_they_stand(shot: Shot) -> None:
    crate = prop(shot)
    refused = shot.client.post(f"/api/levels/1/props/{crate}/through", json={})
    assert refused.status_code == 422
    assert "two drawings" in refused.json()["error"]
    place(shot, 1, crate, at=[100, 100], size=80)
    place(shot, 3, crate, at=[180, 140], size=80, opened=0.5)
    assert through(shot, crate)["state"] == "done"
    (between,) = placed_in(shot, 2).values()
    assert between["at"] == pytest.approx([140, 120])
    assert not between["key"]
    assert span(lines(shot, 2)) == pytest.approx([100, 88, 180, 152], abs=1)
    # A key that moves takes those between along; what a hand placed stays.
    place(shot, 2, crate, at=[150, 90], size=80)
    refused = shot.client.post(f"/api/levels/1/props/{crate}/through", json={"chart": "even"})
    assert "no drawing between" in refused.json()["error"]
    assert placed_in(shot, 2)[str(crate)]["at"] == [150, 90]


def test_between_keys_it_may_gather_at_one(shot: Shot) -> None:
    crate = prop(shot)
    place(shot, 1, crate, at=[100, 100])
    place(shot, 3, crate, at=[200, 100])
    through(shot, crate, chart="ease out")
    assert placed_in(shot, 2)[str(crate)]["at"][0] < 140


def test_it_is_brought_onto_the_rough(shot: Shot) -> None:
    ball = prop(shot, [{"kind": "turned", "name": "ball", "rounded": True,
                        "path": [[100 + 50 * float(np.sin(a)), 50 - 50 * float(np.cos(a))] for a in np.linspace(0, np.pi, 25)]}])  # fmt: skip
    # The rough's ring has a radius of 80 about (156, 120); what was read of it goes, the eye in it is hidden.
    shot.job("clean", drawings=shot.ids[:1])
    assert len(shot.drawing(1)["strokes"]) == 3
    found = place(shot, 1, ball, snap=True, at=[150, 126], size=150)
    assert found["at"] == pytest.approx([156, 120], abs=2)
    assert found["size"] == pytest.approx(160, abs=5)
    assert {s["part"] for s in shot.drawing(1)["strokes"]} == {"lantern"}
    assert len(hidden(shot, 1)["lantern"]) == 2


def test_a_file_becomes_a_prop_and_a_broken_one_is_named(shot: Shot) -> None:
    body = trimesh.creation.box(extents=(2, 1, 1)).export(file_type="obj").encode()
    answer = shot.client.post("/api/levels/1/props/file", files={"file": ("crate.obj", body)})
    assert answer.status_code == 200, answer.text
    crate = answer.json()["id"]
    place(shot, 1, crate, size=100)
    assert span(lines(shot, 1, "crate")) == pytest.approx([110, 95, 210, 145], abs=1)
    glb = trimesh.Scene(trimesh.creation.icosphere(subdivisions=3)).export(file_type="glb")
    assert shot.client.post("/api/levels/1/props/file", files={"file": ("globe.glb", glb)}).status_code == 200
    for name, bad, words in (
        ("crate.stl", body, "no OBJ or glTF"),
        ("crate.glb", b"glTF nonsense", "crate.glb could not be read"),
        ("crate.obj", b"v 0 0 0\n", "has no faces"),
    ):
        refused = shot.client.post("/api/levels/1/props/file", files={"file": (name, bad)})
        assert refused.status_code == 422
        assert words in refused.json()["error"]
        assert name in refused.json()["error"]
    assert len(shot.client.get("/api/levels/1/props").json()["props"]) == 2


def test_a_prop_of_too_many_lines_is_refused_with_the_remedy(shot: Shot) -> None:
    rough = trimesh.creation.icosphere(subdivisions=4)
    rough.vertices += np.random.default_rng(2).normal(0, 0.06, rough.vertices.shape)
    body = rough.export(file_type="obj").encode()
    rock = shot.client.post("/api/levels/1/props/file", files={"file": ("rock.obj", body)}).json()["id"]
    where = {"drawing": shot.ids[0], "placed": {"at": [160, 120], "size": 100}}
    refused = shot.client.post(f"/api/levels/1/props/{rock}/place", json=where)
    assert refused.status_code == 422
    assert "larger angle" in refused.json()["error"]
    page = shot.client.get(f"/props/{rock}")
    assert page.status_code == 200


def test_its_page_its_look_and_its_forms_as_a_picture(shot: Shot) -> None:
    lamp = prop(shot, LAMP)
    page = shot.client.get(f"/props/{lamp}?level=1")
    assert page.status_code == 200
    assert "Lantern" in page.text
    look = shot.client.get(f"/api/props/{lamp}/look", params={"right": 30, "down": 20, "size": 200})
    assert Image.open(io.BytesIO(look.content)).size == (200, 200)
    wire = shot.client.get(f"/api/props/{lamp}/wire").json()
    assert max(wire["faces"]) < len(wire["points"]) / 3
    place(shot, 1, lamp)
    forms = shot.client.get(f"/api/levels/1/props/{lamp}/forms/{shot.ids[0]}")
    pixels = np.array(Image.open(io.BytesIO(forms.content)))
    assert pixels.shape == (240, 320, 4)
    seen = {tuple(c) for c in pixels[pixels[..., 3] > 0]}
    assert len(seen) == 2
    assert shot.client.get(f"/api/levels/1/props/{lamp}/forms/{shot.ids[1]}").status_code == 404


def test_a_form_without_a_body_is_named_and_nothing_changes(shot: Shot) -> None:
    lamp = prop(shot, [{"kind": "turned", "name": "foot", "path": [[100, 0], [100, 40]]}])
    answer = shot.client.post(
        f"/api/levels/1/props/{lamp}/place",
        json={"drawing": shot.ids[0], "placed": {"at": [100, 100], "size": 50}},
    )
    assert answer.status_code == 422
    assert "foot" in answer.json()["error"]
    assert not shot.drawing(1)["strokes"]


def test_a_prop_that_is_taken_away_leaves_its_lines(shot: Shot) -> None:
    crate = prop(shot)
    place(shot, 1, crate)
    assert shot.client.post(f"/api/props/{crate}/drop", json={}).status_code == 200
    assert not shot.client.get("/api/levels/1/props").json()["props"]
    assert len(lines(shot, 1)) == 4
    shot.client.post(f"/api/props/{crate}/drop", json={"gone": False})
    assert shot.client.get("/api/levels/1/props").json()["props"]


@pytest.mark.parametrize("size", [0, -4, 5000, 1e9])
def test_a_size_that_is_none_is_refused(shot: Shot, size: float) -> None:
    crate = prop(shot)
    content = {"drawing": shot.ids[0], "placed": {"at": [100, 100], "size": size}}
    assert shot.client.post(f"/api/levels/1/props/{crate}/place", json=content).status_code == 422


def test_a_placement_is_kept_as_it_is() -> None:
    placed = Placed((10.5, 20), 30, (0, 0, 0.5, 0.86603), 0.2, 0.4, False, ("arm",))
    assert Placed.from_dict(placed.to_dict()) == placed


def test_a_picture_that_a_line_keeps_is_found_behind_hidden_lines(shot: Shot) -> None:
    with shot.client.app.state.store.transaction() as cursor:  # type: ignore[attr-defined]
        body = pictures.get(cursor, revisions.drawing(cursor, shot.ids[0])["rough"])["body"]
        name = pictures.name_of(body)
        document = {
            "behind": {"arm": []},
            "own": {"picture": name, "tinted": False, "body": body},
            "strokes": [],
            "version": 1,
        }
        stored = revisions.put_document(cursor, document)
        cursor.execute("SELECT body FROM documents WHERE sha256 = %s", (stored,))
        row = cursor.fetchone()
    assert row is not None
    from schoon.store.documents import picture_in

    assert picture_in(row["body"]) == name
