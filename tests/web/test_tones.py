"""The Tone stage over HTTP: light, shapes of a hand, what is carried, colours of tones in keys and pictures."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import pytest
from PIL import Image

from schoon.core.tone.tones import sampled
from schoon.jobs import shading

from ..shot import Shot

SHADE = "00000000aa"


@pytest.fixture
def painted(shot: Shot) -> Shot:
    """The face of every drawing is fur, its eye and mouth coat."""
    assert shot.job("clean")["state"] == "done"
    for number in (1, 2, 3):
        x = 150 + 6 * number
        shot.edit(number, "pour", points=[[x - 50, 120]], pot=2)
        shot.edit(number, "pour", points=[[x + 25, 95], [x, 140]], pot=1)
    return shot


def light(shot: Shot, frame: int = 1, part: str = "", key: int = 0, **state: float) -> None:
    asked = {"do": "light", "level": 1, "frame": frame, "part": part, "key": key, "light": state or None}
    answer = shot.client.post("/api/stacks/1/do", json={"do": asked})
    assert answer.status_code == 200, answer.text


def tones(shot: Shot, number: int) -> list[dict[str, Any]]:
    return shot.patches(number)["tones"]


def view(shot: Shot, number: int, key: int = 1) -> np.ndarray:
    body = shot.client.get(f"/drawings/{shot.ids[number - 1]}/view.webp?w=320&look=paint&key={key}")
    assert body.status_code == 200, body.text
    return np.asarray(Image.open(io.BytesIO(body.content)).convert("RGB")).astype(int)


def circle(x: float, y: float, radius: float) -> list[list[float]]:
    turn = np.linspace(0, 2 * np.pi, 60)
    return np.c_[x + radius * np.cos(turn), y + radius * np.sin(turn)].round(1).tolist()


def test_light_shades_every_drawing_on_the_far_side(painted: Shot) -> None:
    light(painted, azimuth=90, height=20, amount=0.4)
    assert painted.job("tone")["state"] == "done"
    for number in (1, 2, 3):
        found = tones(painted, number)
        assert {t["kind"] for t in found} == {"shade"}
        assert all(t["by"] == "light" for t in found)
        picture, x = view(painted, number), 150 + 6 * number
        left, right = picture[120, x - 68].sum(), picture[120, x + 68].sum()
        assert left < right - 60
    assert painted.run()["progress"]["done"]["tone"]
    undone = painted.client.post(f"/api/drawings/{painted.ids[1]}/undo").json()
    assert undone["label"] == "shade 3 drawings"
    assert not tones(painted, 1)


def test_shade_of_a_run_is_computed_by_workers_alone(painted: Shot, monkeypatch: pytest.MonkeyPatch) -> None:
    # Patched here, in the process of the pages; workers are others.
    for name in ("tracks_of", "agreed", "carried", "reordered", "steadied", "shapes_of"):
        monkeypatch.setattr(shading, name, lambda *_: pytest.fail("computed beside the pages"))
    light(painted, azimuth=90, height=20, amount=0.4)
    assert painted.job("tone")["state"] == "done"
    assert tones(painted, 2)


def test_a_colour_key_has_a_light_of_its_own(painted: Shot) -> None:
    """Seen in that key the other side is dark; undone as one, and gone with its light."""
    keys = [1, 2]
    light(painted, azimuth=90, height=20, amount=0.4)
    light(painted, key=keys[1], azimuth=270, height=20, amount=0.4)
    assert painted.job("tone")["state"] == "done"
    sides = {}
    for key in keys:
        picture = view(painted, 1, key)
        sides[key] = picture[120, 156 - 68].sum() - picture[120, 156 + 68].sum()
    assert sides[keys[0]] < -60
    assert sides[keys[1]] > 60
    for key in keys:
        shares = painted.client.get(f"/api/levels/1/tones?key={key}").json()["shares"]
        assert [own["shade"][""] for own in shares.values()] == pytest.approx([0.4] * 3, abs=0.06)
    # What stands is seen where it was seen before.
    painted.edit(1, "tone-stand")
    assert (view(painted, 1, keys[1]) == picture).all()
    light(painted, key=keys[1])
    assert painted.job("tone")["state"] == "done"
    assert {t.get("key") for t in tones(painted, 2)} == {None}
    gone = {"do": "light", "level": 1, "frame": 1, "light": None, "key": 999}
    assert painted.client.post("/api/stacks/1/do", json={"do": gone}).status_code == 404


def test_one_tone_stands_and_doubt_is_told(painted: Shot) -> None:
    light(painted, azimuth=90, height=20, amount=0.4)
    painted.job("tone")
    first, *others = tones(painted, 1)
    assert all(0 < t["doubt"] <= 1 for t in (first, *others))
    assert all(t["unsure"] == (t["doubt"] > 0.4) for t in (first, *others))
    entry = painted.run()["drawings"][0]
    assert entry["toned_unsure"] == sum(t["unsure"] for t in (first, *others))
    painted.edit(1, "tone-stand", ids=[first["id"]])
    stood = {t["id"]: (t["by"], t["doubt"], t["unsure"]) for t in tones(painted, 1)}
    assert stood[first["id"]] == ("hand", 0, False)
    assert all(stood[t["id"]][0] == "light" for t in others)


def test_without_light_and_without_a_key_it_says_what_to_do(painted: Shot) -> None:
    job = painted.job("tone")
    assert job["state"] == "failed"
    assert "Set the light first" in job["message"]


def test_a_hand_blocks_in_takes_away_and_undoes(painted: Shot) -> None:
    x = 156
    answer = painted.edit(1, "tone", id=SHADE, kind="shade", path=circle(x - 40, 120, 60), within="pot")
    (tone,) = answer["tones"]
    assert tone["pots"] == [2]
    before, dark = view(painted, 3), view(painted, 1)
    assert (dark[120, x - 40] < before[120, x - 30]).all()
    # The paper outside the figure, and the mouth of another pot, are untouched.
    assert dark[120, x - 95].tolist() == pytest.approx([255, 255, 255], abs=4)
    painted.edit(
        1, "tone", id="00000000ab", kind="shade", path=circle(x - 40, 120, 12), within="pot", takes=True
    )
    assert view(painted, 1)[120, x - 40].tolist() == pytest.approx(before[120, x - 34].tolist(), abs=12)
    painted.edit(1, "tone-drop", ids=["00000000ab"])
    assert len(tones(painted, 1)) == 1
    painted.client.post(f"/api/drawings/{painted.ids[0]}/undo")
    assert len(tones(painted, 1)) == 2


def test_an_edge_divides_a_form_on_the_side_it_is_told(painted: Shot) -> None:
    x = 156
    path = [[x - 30, 30], [x - 20, 120], [x - 30, 210]]
    painted.edit(1, "tone-edge", id=SHADE, kind="shade", path=path, towards=[-1, 0])
    picture = view(painted, 1)
    assert (picture[150, x - 60] < picture[190, x + 10]).all()
    painted.edit(1, "tone-edge", id=SHADE, kind="shade", path=path, towards=[1, 0])
    assert len(tones(painted, 1)) == 1
    picture = view(painted, 1)
    assert (picture[150, x - 60] > picture[190, x + 10]).all()


def test_points_are_bent_and_a_shape_is_copied(painted: Shot) -> None:
    painted.edit(1, "tone", id=SHADE, kind="shade", path=circle(120, 120, 40))
    (tone,) = tones(painted, 1)
    moved = [[v + 5 for v in ring] for ring in tone["rings"]]
    painted.edit(1, "tone-bend", id=SHADE, rings=moved)
    (tone,) = tones(painted, 1)
    assert tone["rings"] == [pytest.approx(ring, abs=0.11) for ring in moved]
    shape = {"kind": "shade", "rings": tone["rings"]}
    asked = {"do": "tone-copy", "to": painted.ids[1:], "shapes": [shape]}
    assert painted.client.post("/api/levels/1/do", json={"do": asked}).json()["things"] == 2
    assert tones(painted, 3)[0]["rings"] == tone["rings"]
    asked = {"do": "tone-clear", "of": painted.ids, "kinds": ["shade"]}
    assert painted.client.post("/api/levels/1/do", json={"do": asked}).status_code == 422
    cleared = painted.client.post("/api/levels/1/do", json={"do": {**asked, "hand": True}}).json()
    assert cleared["things"] == 3


def test_a_drawn_key_teaches_the_others_and_stays(painted: Shot) -> None:
    x = 156
    path = [[x - 5, 30], [x - 5, 120], [x - 5, 210]]
    painted.edit(1, "tone-edge", id=SHADE, kind="shade", path=path, towards=[-1, 0])
    before = tones(painted, 1)
    job = painted.job("tone")
    assert job["state"] == "done"
    assert "1 drawn by hand stays" in job["message"]
    assert tones(painted, 1) == before
    for number in (2, 3):
        picture, here = view(painted, number), 150 + 6 * number
        assert (picture[150, here - 60] < picture[150, here + 60]).all()
        assert all(t["by"] == "carried" for t in tones(painted, number))


def test_light_changes_over_time_and_differs_by_part(painted: Shot) -> None:
    light(painted, frame=1, azimuth=90, height=0, amount=0.4)
    light(painted, frame=5, azimuth=270, height=0, amount=0.4)
    assert painted.job("tone")["state"] == "done"
    first, last = view(painted, 1), view(painted, 3)
    assert (first[120, 156 - 68] < first[120, 156 + 68]).all()
    assert (last[120, 168 - 68] > last[120, 168 + 68]).all()
    painted.client.post("/api/models/1/do", json={"do": {"do": "describe-pot", "pot": 2, "part": "head"}})
    light(painted, part="head", azimuth=180, height=0, amount=0.4)
    assert painted.job("tone")["state"] == "done"
    picture = view(painted, 1)
    assert (picture[52, 156] < picture[190, 156]).all()


def test_light_is_tried_without_changing_anything(painted: Shot) -> None:
    url = f"/api/drawings/{painted.ids[0]}/light"
    answer = painted.client.post(url, json={"lights": {"": {"azimuth": 0, "height": 20, "amount": 0.3}}})
    assert answer.status_code == 200, answer.text
    assert answer.json()["tones"][0]["patches"]
    assert not tones(painted, 1)


def test_colours_of_tones_are_the_keys_own_or_of_its_rule(painted: Shot) -> None:
    painted.edit(1, "tone", id=SHADE, kind="shade", path=circle(156, 120, 100))

    def change(**do: Any) -> None:
        answer = painted.client.post("/api/models/1/do", json={"do": do})
        assert answer.status_code == 200, answer.text

    change(do="colour", key=1, pot=2, colour="#402000", tone="shade")
    assert view(painted, 1)[150, 100].tolist() == pytest.approx([64, 32, 0], abs=10)
    change(do="tone-rule", key=1, kind="shade", rule={"how": "multiply", "by": [255, 0, 0]})
    change(do="colour", key=1, pot=2, colour=None, tone="shade")
    red, green, blue = view(painted, 1)[150, 100].tolist()
    assert red > 100
    assert max(green, blue) < 20
    change(do="derive-tones", key=1, kind="shade", held=[1])
    data = painted.client.get("/api/shots/1/run")
    assert data.status_code == 200
    with painted.client.app.state.store.transaction() as cursor:  # type: ignore[attr-defined]
        from schoon.store import models

        key = models.model(cursor, 1)["keys"][0]
    assert key["tones"][2]["shade"] == "#8a0000"
    assert key["tones"][1]["shade"] == key["colours"][1]


def test_shares_tell_how_much_lies_in_shade(painted: Shot) -> None:
    light(painted, azimuth=90, height=20, amount=0.4)
    painted.job("tone")
    shares = painted.client.get("/api/levels/1/tones").json()["shares"]
    values = [own["shade"][""] for own in shares.values()]
    assert len(values) == 3
    assert values == pytest.approx([0.4] * 3, abs=0.06)


def test_tones_before_there_is_paint(shot: Shot) -> None:
    shot.job("clean")
    light(shot, azimuth=90, height=20, amount=0.4)
    assert shot.job("tone")["state"] == "done"
    assert tones(shot, 1)


def test_what_cannot_be_is_refused_in_words(painted: Shot) -> None:
    base = painted.drawing(1)["revision"]
    url = f"/api/drawings/{painted.ids[0]}/do"

    def refused(**do: Any) -> str:
        answer = painted.client.post(url, json={"base": base, "do": do})
        assert answer.status_code in (400, 404, 422)
        return str(answer.json()["error"])

    outside = [[5, 5], [6, 9], [9, 6]]
    assert "Begin inside" in refused(do="tone", id=SHADE, kind="shade", path=outside, within="pot")
    assert "across the form" in refused(do="tone-edge", id=SHADE, kind="shade", path=outside, towards=[0, 1])
    assert "not there" in refused(do="tone-drop", ids=[SHADE])
    assert "no tones" in refused(do="tone-stand")
    refused(do="tone", id=SHADE, kind="dusk", path=outside)


def test_a_key_holds_from_a_frame_on_at_once_or_evenly(painted: Shot) -> None:
    def seen(number: int) -> list[int]:
        body = painted.client.get(f"/drawings/{painted.ids[number - 1]}/view.webp?w=320&look=paint")
        picture = np.asarray(Image.open(io.BytesIO(body.content)).convert("RGB")).astype(int)
        return [int(v) for v in picture[120, 150 + 6 * number - 60]]

    def change(**do: Any) -> None:
        answer = painted.client.post("/api/stacks/1/do", json={"do": {"level": 1, **do}})
        assert answer.status_code == 200, answer.text

    day = seen(3)
    painted.client.post(
        "/api/models/1/do", json={"do": {"do": "colour", "key": 2, "pot": 2, "colour": "#000000"}}
    )
    change(do="key-from", frame=5, key=2)
    assert seen(1) == day
    assert max(seen(3)) < 12
    assert seen(2) == day
    change(do="key-from", frame=5, key=2, eased=True)
    assert seen(2) == pytest.approx([v / 2 for v in day], abs=8)
    assert max(seen(3)) < 12
    change(do="key-from", frame=5, key=None)
    assert seen(3) == day
    bad = {"do": "key-from", "level": 1, "frame": 3, "key": 99}
    assert painted.client.post("/api/stacks/1/do", json={"do": bad}).status_code == 404


def test_a_brush_covers_what_it_goes_over(painted: Shot) -> None:
    path = [[130, 120], [150, 160], [190, 160]]
    painted.edit(1, "tone", id=SHADE, kind="shade", path=path, brush=16, within="pot")
    (tone,) = tones(painted, 1)
    points = np.vstack([sampled(np.reshape(ring, (-1, 2))) for ring in tone["rings"]])
    assert points.min(axis=0).tolist() == pytest.approx([122, 112], abs=2)
    assert points.max(axis=0).tolist() == pytest.approx([198, 168], abs=2)
    painted.edit(1, "tone", id="00000000ab", kind="light", path=[[150, 120], [150, 121]], brush=40, soft=20)
    assert len(tones(painted, 1)) == 2


def test_a_soft_tone_goes_through_the_run_as_soft(painted: Shot) -> None:
    painted.edit(1, "tone", id=SHADE, kind="blush", path=circle(120, 120, 40), soft=14)
    assert painted.job("tone")["state"] == "done"
    for number in (2, 3):
        (tone,) = tones(painted, number)
        assert (tone["kind"], tone["by"], tone["soft"]) == ("blush", "carried", 14)
