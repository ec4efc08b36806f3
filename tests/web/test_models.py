"""Models over HTTP: tones, parts, sampling, clusters, keys from pictures, counts."""

from __future__ import annotations

import cv2
import numpy as np
from fastapi.testclient import TestClient

from schoon.formats.pictures import encode_png

from ..shot import Shot


def sheet(client: TestClient) -> str:
    picture = np.full((200, 300, 3), 255, np.uint8)
    picture[40:160, 30:140] = (200, 40, 30)
    picture[40:160, 160:270] = (40, 60, 190)
    client.post("/models/1/pictures", files={"picture": ("sheet.png", encode_png(picture), "image/png")})
    page = client.get("/models/1").text
    return page.split('data-picture="')[1].split('"')[0]


def key_data(client: TestClient) -> list[dict]:
    import json

    page = client.get("/models/1").text
    return json.loads(page.split('id="keys-data">')[1].split("</script>")[0])


def pot_file(client: TestClient) -> list[dict]:
    return client.get("/models/1/pots.json").json()["pots"]


def test_tones_parts_and_counts_are_kept_and_come_back_in_the_file(shot: Shot) -> None:
    client = shot.client
    assert (
        client.post(
            "/api/models/1/do",
            json={"do": {"do": "colour", "key": 1, "pot": 1, "colour": "#101010", "tone": "shade"}},
        ).status_code
        == 200
    )
    about = {"part": " Rain  wear ", "opacity": 60, "expected": 4, "share": 0.25}
    assert (
        client.post("/api/models/1/do", json={"do": {"do": "describe-pot", "pot": 1, **about}}).status_code
        == 200
    )
    coat = pot_file(client)[0]
    assert coat["tones"] == {"Day": {"shade": "#101010"}}
    assert (coat["part"], coat["opacity"], coat["count"], coat["share"]) == ("Rain wear", 60, 4, 0.25)
    csv = client.get("/models/1/pots.csv").text
    client.post(
        "/api/models/1/do",
        json={
            "do": {
                "do": "describe-pot",
                "pot": 1,
                "part": "",
                "opacity": 100,
                "expected": None,
                "share": None,
            }
        },
    )
    client.post(
        "/api/models/1/do", json={"do": {"do": "colour", "key": 1, "pot": 1, "colour": None, "tone": "shade"}}
    )
    assert "part" not in pot_file(client)[0]
    client.post("/models/1/pots/file", files={"file": ("pots.csv", csv.encode(), "text/csv")})
    assert pot_file(client)[0] == coat


def test_a_base_colour_cannot_be_taken_away(shot: Shot) -> None:
    answer = shot.client.post(
        "/api/models/1/do", json={"do": {"do": "colour", "key": 1, "pot": 1, "colour": None}}
    )
    assert answer.status_code == 422 or answer.status_code == 400
    assert key_data(shot.client)[0]["colours"]["1"] == "#edb21f"


def test_a_colour_is_sampled_and_pots_are_proposed(shot: Shot) -> None:
    client = shot.client
    sha = sheet(client)
    found = client.post("/api/models/1/sample", json={"picture": sha, "at": [60, 80]}).json()
    assert found == {"colour": "#c8281e", "near": None}
    assert client.post("/api/models/1/sample", json={"picture": sha, "at": [900, 80]}).status_code >= 400
    listed = client.get(f"/api/models/1/clusters?picture={sha}").json()
    assert {"#c8281e", "#283cbe"} <= {item["colour"] for item in listed["colours"]}
    new = [{"name": "Sail", "colour": "#c8281e"}, {"name": "Sea", "colour": "#283cbe", "part": "Water"}]
    assert client.post("/api/models/1/do", json={"do": {"do": "add-pots", "pots": new}}).status_code == 200
    assert (
        client.post("/api/models/1/sample", json={"picture": sha, "at": [60, 80]}).json()["near"]["pot"]
        == "Sail"
    )


def test_several_new_pots_come_all_or_none(shot: Shot) -> None:
    before = pot_file(shot.client)
    new = [{"name": "Sail", "colour": "#c8281e"}, {"name": "Coat", "colour": "#283cbe"}]
    answer = shot.client.post("/api/models/1/do", json={"do": {"do": "add-pots", "pots": new}})
    assert answer.status_code >= 400
    assert "Coat" in answer.json()["error"]
    assert pot_file(shot.client) == before


def face(fill: dict[str, tuple[int, int, int]], size: tuple[int, int]) -> bytes:
    """The first drawing of the shot, painted: the face is fur, the eye and the mouth coat."""
    picture = np.full((240, 320, 3), 250, np.uint8)
    cv2.circle(picture, (156, 120), 80, fill["face"], -1)
    cv2.circle(picture, (181, 95), 18, fill["eye"], -1)
    cv2.ellipse(picture, (156, 140), (40, 22), 0, 0, 360, fill["eye"], -1)
    done = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.imencode(".jpg", done[..., ::-1])[1]).tobytes()


def painted(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[100, 100]], pot=2)
    shot.edit(1, "pour", points=[[181, 95], [156, 140]], pot=1)


def test_a_key_is_read_from_a_picture_of_a_painted_drawing_and_kept(shot: Shot) -> None:
    painted(shot)
    client = shot.client
    body = face({"face": (70, 60, 90), "eye": (120, 100, 60)}, (480, 360))
    found = client.post(
        "/api/models/1/keys/1/picture", files={"file": ("dusk.jpg", body, "image/jpeg")}
    ).json()
    assert found["where"] == "drawing 1 of Quay"
    assert sorted(found["seen"]) == [1, 2]
    assert len(key_data(client)) == 2
    new = {"name": "Dusk", "like": 1, "colours": found["colours"], "picture": found["picture"]}
    assert client.post("/api/models/1/do", json={"do": {"do": "add-key", **new}}).status_code == 200
    dusk = key_data(client)[2]
    assert dusk["name"] == "Dusk"
    assert abs(int(dusk["colours"]["2"][1:3], 16) - 70) <= 4
    assert client.post("/api/models/1/do", json={"do": {"do": "add-key", **new}}).status_code >= 400


def test_a_key_picture_that_cannot_be_read_is_refused_by_name(shot: Shot) -> None:
    grain = np.random.default_rng(0).integers(0, 255, (60, 60, 3)).astype(np.uint8)
    for body, word in ((encode_png(grain), "flat"), (b"no picture", "fog.png")):
        answer = shot.client.post(
            "/api/models/1/keys/1/picture", files={"file": ("fog.png", body, "image/png")}
        )
        assert answer.status_code >= 400
        assert word in answer.json()["error"]


def test_the_model_takes_its_counts_from_a_drawing_and_the_others_are_compared(shot: Shot) -> None:
    painted(shot)
    client = shot.client
    assert shot.patches(1)["remarks"] == []
    assert client.post(f"/api/drawings/{shot.ids[0]}/expect").json() == {"pots": 2}
    shot.edit(2, "pour", points=[[100, 100]], pot=2)
    answer = shot.edit(2, "pour", points=[[175, 95]], pot=1)
    assert [(r["pot"], r["what"], r["found"], r["expected"]) for r in answer["remarks"]] == [
        (1, "fewer", 1, 2)
    ]
    assert shot.patches(1)["remarks"] == []
    assert client.post(f"/api/drawings/{shot.ids[2]}/expect").status_code >= 400


def test_a_ring_fills_what_is_unpainted_in_it(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[181, 95]], pot=2)
    ring = [[120, 60], [220, 60], [220, 175], [100, 175]]
    answer = shot.edit(1, "pour-within", ring=ring, pot=1)
    assert answer["patches"] == 1
    assert sorted(p["pot"] for p in answer["paint"].values()) == [1, 2]
    refused = shot.client.post(
        f"/api/drawings/{shot.ids[0]}/do",
        json={"base": answer["revision"], "do": {"do": "pour-within", "ring": ring, "pot": 1}},
    )
    assert "No unpainted patch" in refused.json()["error"]


def test_a_pot_follows_one_patch_through_the_run_and_hand_paint_stays(shot: Shot) -> None:
    shot.job("clean")
    shot.job("seal")
    shot.edit(3, "pour", points=[[175 + 18, 95]], pot=2)
    job = shot.job("track", source=shot.ids[0], at=[181, 95], pot=1)
    assert job["state"] == "done", job
    assert job["message"] == "poured into 2 drawings of 3; 1 painted by hand or locked stay"
    eyes = [next(iter(shot.patches(k)["paint"].values())) for k in (1, 2, 3)]
    assert [(eye["pot"], eye["by"]) for eye in eyes] == [(1, "hand"), (1, "carried"), (2, "hand")]
    undone = shot.client.post(f"/api/drawings/{shot.ids[0]}/undo").json()
    assert sorted(undone["drawings"]) == sorted(shot.ids[:2])
    outside = shot.job("track", source=shot.ids[0], at=[3, 3], pot=1)
    assert outside["state"] == "failed"
    gone = shot.client.post(
        "/api/levels/1/jobs", json={"kind": "track", "source": shot.ids[0], "at": [3, 3], "pot": 77}
    )
    assert gone.status_code == 404


def test_the_smallest_part_of_the_model_is_known_in_each_drawing(shot: Shot) -> None:
    shot.job("clean")
    get = shot.client.get
    assert get(f"/api/drawings/{shot.ids[1]}/smallest").json() == {}
    shot.edit(1, "pour", points=[[181, 95]], pot=1)
    shot.edit(1, "pour", points=[[100, 100]], pot=2)
    assert shot.client.post(f"/api/drawings/{shot.ids[0]}/expect", json={}).status_code == 200
    found = get(f"/api/drawings/{shot.ids[1]}/smallest").json()
    painted = shot.patches(1)["paint"]
    eye = next(p for p in shot.patches(1)["patches"] if painted.get(str(p["n"]), {}).get("pot") == 1)
    assert found["pot"] == "Coat"
    assert 0.6 * eye["area"] < found["area"] < 1.7 * eye["area"]


def test_specks_join_their_neighbour_in_the_whole_level_and_come_back(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[181, 95]], pot=1)
    shot.edit(1, "pour", points=[[100, 100]], pot=2)
    count = len(shot.patches(1)["patches"])
    eye = next(
        p["area"]
        for p in shot.patches(1)["patches"]
        if shot.patches(1)["paint"].get(str(p["n"]), {}).get("pot") == 1
    )
    post = shot.client.post
    done = shot.job("specks", under=eye + 1)
    assert "in 3 drawings; undone as one" in done["message"]
    after = shot.patches(1)
    assert len(after["patches"]) < count
    assert [(p["pot"], p["unsure"]) for p in after["paint"].values()] == [(2, False)]
    assert post("/api/levels/1/jobs", json={"kind": "specks", "under": eye + 1}).status_code == 422
    shot.job("seal")
    assert len(shot.patches(1)["patches"]) == len(after["patches"])
    # Looking for gaps has found nothing new, so the limit of specks is the last that was done.
    post(f"/api/drawings/{shot.ids[0]}/undo")
    assert len(shot.patches(1)["patches"]) == count
    assert sorted(p["pot"] for p in shot.patches(1)["paint"].values()) == [1, 2]


def test_a_pot_deleted_by_somebody_in_mid_paint_is_refused_and_nothing_is_lost(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[100, 100]], pot=2)
    before = shot.patches(1)
    assert (
        shot.client.post("/api/models/1/do", json={"do": {"do": "delete-pot", "pot": 1}}).status_code == 200
    )
    answer = shot.client.post(
        f"/api/drawings/{shot.ids[0]}/do",
        json={"base": before["revision"], "do": {"do": "pour", "points": [[181, 95]], "pot": 1}},
    )
    assert answer.status_code == 404
    assert "choose another one" in answer.json()["error"]
    assert shot.patches(1) == before


def test_pots_are_gathered_at_the_paper_without_a_model(shot: Shot) -> None:
    with shot.client.app.state.store.transaction() as cursor:
        cursor.execute("UPDATE levels SET model_id = NULL, key_id = NULL")
    first = shot.client.post("/api/levels/1/pots", json={"colour": "#102030"}).json()
    again = shot.client.post("/api/levels/1/pots", json={"colour": "#405060", "name": "Rope"}).json()
    assert (first["pot"]["name"], again["pot"]["name"]) == ("pot 1", "Rope")
    assert first["model"] == again["model"] != 1
    assert shot.job("clean")["state"] == "done"
    shot.edit(1, "pour", points=[[156 - 50, 120]], pot=again["pot"]["id"])
    page = shot.client.get("/shots/1/paint").text
    assert "Rope" in page
    # With a model they go into it; what is no colour goes nowhere.
    count = len(shot.client.get("/shots/1/paint").text.split('"opacity"'))
    assert shot.client.post("/api/levels/1/pots", json={"colour": "blue"}).status_code == 422
    assert len(shot.client.get("/shots/1/paint").text.split('"opacity"')) == count
    for way, there in (("undo", False), ("redo", True)):
        shot.client.post(f"/api/models/{first['model']}/{way}")
        assert ("Rope" in shot.client.get("/shots/1/paint").text) == there
