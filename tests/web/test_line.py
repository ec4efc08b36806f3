"""The Line stage over HTTP: every operation of the hand, and lines through the run."""

from __future__ import annotations

import io
import json
from typing import Any

import cv2
import numpy as np
import pytest
from PIL import Image

from schoon.core.strokes import Stroke, sample
from schoon.formats.pictures import encode_png
from schoon.store import Store, pictures, revisions
from schoon.work.documents import behind_of, line_document, line_text

from ..shot import Shot


def do(shot: Shot, number: int, operation: str, **content: Any) -> dict:
    return shot.edit(number, "line", do={"do": operation, **content})


def straight(
    shot: Shot, number: int, name: str, a: tuple[float, float], b: tuple[float, float], **more: Any
) -> dict:
    path = [[*p, 0.5] for p in np.linspace(a, b, 40).tolist()]
    (stroke,) = do(shot, number, "trace", id=name, path=path, width=4, **more)["strokes"]
    return stroke


def stroke_of(shot: Shot, number: int, name: str) -> dict:
    return next(s for s in shot.drawing(number)["strokes"] if s["id"] == name)


def ends(stroke: dict) -> list[float]:
    return [*stroke["points"][:2], *stroke["points"][-2:]]


def undo(shot: Shot, number: int) -> dict:
    return shot.client.post(f"/api/drawings/{shot.ids[number - 1]}/undo").json()


@pytest.fixture
def cross(shot: Shot) -> Shot:
    """Two lines that cross, in drawing 1."""
    straight(shot, 1, "levelline", (40, 120), (280, 120))
    straight(shot, 1, "plumbline", (160, 30), (160, 210))
    return shot


def test_moving_turning_and_mirroring(cross: Shot) -> None:
    do(cross, 1, "place", ids=["levelline"], matrix=[1, 0, 10, 0, 1, -5])
    assert ends(stroke_of(cross, 1, "levelline")) == pytest.approx([50, 115, 290, 115], abs=0.1)
    do(cross, 1, "place", ids=["levelline"], matrix=[-1, 0, 340, 0, 1, 0], what="mirror")
    assert ends(stroke_of(cross, 1, "levelline")) == pytest.approx([290, 115, 50, 115], abs=0.1)
    assert undo(cross, 1)["label"] == "mirror 1 stroke"
    assert ends(stroke_of(cross, 1, "levelline")) == pytest.approx([50, 115, 290, 115], abs=0.1)


def test_bending_points_and_knots(cross: Shot) -> None:
    do(cross, 1, "bend", ids=["levelline"], at=[100, 120], by=[0, 20], reach=20)
    bent = np.array(stroke_of(cross, 1, "levelline")["points"]).reshape(-1, 2)
    assert bent[:, 1].max() > 130
    assert bent[-1] == pytest.approx((280, 120), abs=0.1)
    bent[0] = (30, 100)
    do(cross, 1, "points", id="levelline", points=bent.tolist())
    assert ends(stroke_of(cross, 1, "levelline"))[:2] == [30, 100]
    before = len(stroke_of(cross, 1, "levelline")["widths"])
    do(cross, 1, "knot", id="levelline", at=[220, 120])
    assert len(stroke_of(cross, 1, "levelline")["widths"]) == before + 1
    do(cross, 1, "knot", id="levelline", at=[220, 120], remove=True)
    assert len(stroke_of(cross, 1, "levelline")["widths"]) == before


def test_trimming_cutting_and_joining(cross: Shot) -> None:
    answer = do(cross, 1, "trim", id="levelline", at=[250, 120])
    assert answer["removed"] == []
    assert ends(stroke_of(cross, 1, "levelline")) == pytest.approx([40, 120, 160, 120], abs=0.6)
    do(cross, 1, "cut", id="plumbline", at=[160, 100])
    pieces = [s for s in cross.drawing(1)["strokes"] if s["id"] != "levelline"]
    assert len(pieces) == 2
    do(cross, 1, "join", ids=[s["id"] for s in pieces])
    (whole,) = (s for s in cross.drawing(1)["strokes"] if s["id"] != "levelline")
    assert sorted(ends(whole)) == pytest.approx(sorted([160, 30, 160, 210]), abs=0.6)
    refused = cross.client.post(
        f"/api/drawings/{cross.ids[0]}/do",
        json={"base": 0, "do": {"do": "trim", "id": "nothing", "at": [0, 0]}},
    )
    assert refused.status_code == 404


def test_weight_taper_part_copy_and_accept(cross: Shot) -> None:
    do(cross, 1, "weigh", ids=["levelline"], factor=1.5)
    assert max(stroke_of(cross, 1, "levelline")["widths"]) == pytest.approx(6, abs=0.1)
    do(cross, 1, "weigh", ids=["plumbline"], factor=2, first=[160, 60], last=[160, 140])
    widths = stroke_of(cross, 1, "plumbline")["widths"]
    assert widths[0] < 5
    assert max(widths) > 7
    do(cross, 1, "taper", ids=["levelline"], reach=40)
    assert stroke_of(cross, 1, "levelline")["widths"][0] < 2
    do(cross, 1, "part", ids=["levelline"], part="  hat   brim ")
    assert stroke_of(cross, 1, "levelline")["part"] == "hat brim"
    assert cross.run()["drawings"][0]["parts"] == ["hat brim"]
    do(cross, 1, "smooth", ids=["levelline"], amount=3)
    do(cross, 1, "copy", ids=["levelline"], matrix=[1, 0, 0, 0, 1, 30])
    assert len(cross.drawing(1)["strokes"]) == 3
    cross.job("clean", also=cross.ids)
    proposed = [s for s in cross.drawing(1)["strokes"] if s["by"] == "proposal"]
    assert proposed
    do(cross, 1, "vouch", ids=[proposed[0]["id"]])
    assert stroke_of(cross, 1, proposed[0]["id"])["by"] == "hand"


def test_redrawing_a_stretch_over_the_line_it_replaces(cross: Shot) -> None:
    x = np.linspace(80, 140, 40)
    path = [[a, 120 - 25 * np.sin((a - 80) / 60 * np.pi), 0.5] for a in x.tolist()]
    do(cross, 1, "redraw", path=path, steady=0)
    points = np.array(stroke_of(cross, 1, "levelline")["points"]).reshape(-1, 2)
    assert points[:, 1].min() < 97
    assert ends(stroke_of(cross, 1, "levelline")) == pytest.approx([40, 120, 280, 120], abs=0.1)
    locked = cross.client.post(
        f"/api/drawings/{cross.ids[0]}/do",
        json={"base": 0, "do": {"do": "redraw", "path": path, "locked": [""]}},
    )
    assert locked.status_code == 422


def test_ends_snap_when_traced(cross: Shot) -> None:
    drawn = straight(cross, 1, "snapping", (60, 60), (154, 70), snap=12)
    assert ends(drawn)[2] == pytest.approx(160, abs=0.3)


def test_tracing_back_linked_lets_a_later_change_follow(cross: Shot) -> None:
    do(cross, 1, "part", ids=["levelline", "plumbline"], part="sign")
    level = "/api/levels/1"
    answer = cross.client.post(
        f"{level}/trace-back",
        json={"drawing": cross.ids[0], "part": "sign", "to": cross.ids[1:], "linked": True},
    ).json()
    assert answer["drawings"] == cross.ids
    assert sorted(map(tuple, map(ends, cross.drawing(3)["strokes"]))) == sorted(
        map(tuple, map(ends, cross.drawing(1)["strokes"]))
    )
    moved = do(cross, 1, "place", ids=["levelline"], matrix=[1, 0, 0, 0, 1, 8])
    assert sorted(moved["others"]) == sorted(cross.ids[1:])
    assert sorted(s["points"][1] for s in cross.drawing(2)["strokes"]) == pytest.approx([30, 128], abs=0.2)
    assert undo(cross, 3)["label"] == "move 1 stroke"
    assert sorted(s["points"][1] for s in cross.drawing(2)["strokes"]) == pytest.approx([30, 120], abs=0.2)
    own = next(s["id"] for s in cross.drawing(2)["strokes"] if s["points"][1] > 100)
    do(cross, 2, "unlink", ids=[own])
    do(cross, 1, "place", ids=["levelline"], matrix=[1, 0, 0, 0, 1, 20])
    assert sorted(s["points"][1] for s in cross.drawing(2)["strokes"]) == pytest.approx([30, 120], abs=0.2)
    # Passed on again, the part is replaced, not doubled.
    cross.client.post(
        f"{level}/trace-back", json={"drawing": cross.ids[0], "part": "sign", "to": [cross.ids[1]]}
    )
    assert len(cross.drawing(2)["strokes"]) == 2


def test_tracing_back_moves_with_the_registration(shot: Shot) -> None:
    shot.job("clean")
    ring = max(shot.drawing(1)["strokes"], key=lambda s: len(s["d"]))
    shot.client.post(
        "/api/levels/1/trace-back",
        json={"drawing": shot.ids[0], "strokes": [ring["id"]], "to": [shot.ids[2]], "registered": True},
    )
    there = next(s for s in shot.drawing(3)["strokes"] if s.get("track") == ring["id"])
    shift = np.array(there["points"]).reshape(-1, 2).mean(0) - np.array(ring["points"]).reshape(-1, 2).mean(0)
    assert shift == pytest.approx((12, 0), abs=2)


def test_one_clean_drawing_is_fitted_to_the_other_roughs(shot: Shot) -> None:
    shot.job("clean", drawings=[shot.ids[0]])
    source = shot.drawing(1)["strokes"]
    do(shot, 1, "part", ids=[s["id"] for s in source], part="face")
    job = shot.job("fit", source=shot.ids[0])
    assert (job["state"], job["done"], job["failed"], job["message"]) == ("done", 2, 0, "")
    for number in (2, 3):
        fitted = shot.drawing(number)["strokes"]
        assert {s["track"] for s in fitted} == {s["id"] for s in source}
        assert {s["part"] for s in fitted} == {"face"}
        middle = np.mean([np.array(s["points"]).reshape(-1, 2).mean(0) for s in fitted], axis=0)
        before = np.mean([np.array(s["points"]).reshape(-1, 2).mean(0) for s in source], axis=0)
        assert middle - before == pytest.approx((6 * (number - 1), 0), abs=1.5)
    assert shot.run()["drawings"][2]["doubtful"] == 0
    assert sorted(undo(shot, 2)["drawings"]) == sorted(shot.ids[1:])


def test_one_fitted_stroke_takes_the_place_of_the_proposal(shot: Shot) -> None:
    shot.job("clean")
    source = shot.drawing(1)["strokes"]
    before = len(shot.drawing(2)["strokes"])
    shot.job("fit", source=shot.ids[0], strokes=[source[0]["id"]], drawings=[shot.ids[1]])
    after = shot.drawing(2)["strokes"]
    assert len(after) == before
    assert sum(s.get("track") == source[0]["id"] for s in after) == 1


def test_in_betweens_lie_between_and_hand_work_stays(shot: Shot) -> None:
    shot.job("clean", drawings=[shot.ids[0], shot.ids[2]])
    straight(shot, 2, "handmade", (10, 10), (60, 20))
    answer = shot.client.post(
        "/api/levels/1/between",
        json={"first": shot.ids[0], "last": shot.ids[2], "chart": "even", "also": [shot.ids[1]]},
    ).json()
    assert (answer["drawings"], answer["lost"]) == ([shot.ids[1]], 0)
    strokes = shot.drawing(2)["strokes"]
    assert [s["id"] for s in strokes if s["by"] == "hand"] == ["handmade"]
    # Where a ring begins and its handles stand says nothing of where it lies: the middle of its extent does.
    x = []
    for number in (1, 2, 3):
        shapes = [
            np.reshape(s["points"], (-1, 2)) for s in shot.drawing(number)["strokes"] if s["by"] != "hand"
        ]
        places = np.vstack([sample(Stroke(c, np.ones(len(c) // 3 + 1)))[0] for c in shapes])[:, 0]
        x.append((places.min() + places.max()) / 2)
    assert x[1] == pytest.approx((x[0] + x[2]) / 2, abs=1.5)
    wrong = shot.client.post(
        "/api/levels/1/between", json={"first": shot.ids[0], "last": shot.ids[2], "chart": [0.9, 0.1]}
    )
    assert wrong.status_code == 422


def test_a_breakdown_is_gone_through_and_corrections_lead(shot: Shot) -> None:
    shot.job("clean")
    ask = {"first": shot.ids[0], "last": shot.ids[2], "also": [shot.ids[1]]}
    assert shot.client.post("/api/levels/1/between", json=ask).json()["through"] == []
    # Where the lines go is shown before it is made, and a bend is in it.
    at = shot.drawing(1)["strokes"][0]["points"][:2]
    straight_, bent = (
        shot.client.post("/api/levels/1/between/paths", json={**ask, "places": [at], "bends": bends}).json()[
            "paths"
        ][0]
        for bends in ([], [{"at": at, "by": [0, -20]}])
    )
    assert len(bent["ticks"]) == 1
    assert straight_["ticks"][0][1] - bent["ticks"][0][1] == pytest.approx(20, abs=2)
    assert bent["path"][0] == straight_["path"][0]
    late = shot.client.post("/api/levels/1/between", json={**ask, "parts": {"face": {"lag": 5}}})
    assert late.status_code == 422
    assert "lag" in late.text
    shot.client.post(
        "/api/times/1/do",
        json={"do": {"do": "mark", "level": 1, "drawing": shot.ids[1], "kind": "breakdown"}},
    )
    answer = shot.client.post("/api/levels/1/between", json=ask)
    assert answer.status_code == 422
    assert "breakdowns" in answer.text


def parted(shot: Shot) -> list[str]:
    """All drawings cleaned, the wide ring of each given to the part head, the rest to the part inside."""
    shot.job("clean")
    for number in (1, 2, 3):
        strokes = shot.drawing(number)["strokes"]
        wide = max(strokes, key=lambda s: np.ptp(np.reshape(s["points"], (-1, 2)), axis=0).sum())
        do(shot, number, "part", ids=[wide["id"]], part="head")
        do(shot, number, "part", ids=[s["id"] for s in strokes if s is not wide], part="inside")
    return [s["id"] for s in shot.drawing(1)["strokes"] if s["part"] == "inside"]


def test_what_a_part_hides_is_kept_through_edits_and_comes_back(shot: Shot) -> None:
    inner = parted(shot)
    hide = {"do": "trim-behind", "of": shot.ids, "part": "head", "behind": ["inside"]}
    answer = shot.client.post("/api/levels/1/do", json={"do": hide})
    assert answer.json()["drawings"] == shot.ids
    assert not {s["id"] for s in shot.drawing(1)["strokes"]} & set(inner)
    # Again there is nothing to do, and another form in front leaves it hidden; another edit keeps it.
    other = {**hide, "part": "moon"}
    straight(shot, 1, "moonline", (300, 20), (380, 20))
    do(shot, 1, "part", ids=["moonline"], part="moon")
    assert shot.client.post("/api/levels/1/do", json={"do": other}).status_code == 422
    assert not {s["id"] for s in shot.drawing(1)["strokes"]} & set(inner)
    assert shot.client.post("/api/levels/1/do", json={"do": hide}).status_code == 422
    straight(shot, 1, "onemore1", (10, 10), (60, 20))
    whole = {"do": "whole", "of": shot.ids, "parts": ["inside"]}
    assert shot.client.post("/api/levels/1/do", json={"do": whole}).status_code == 200
    assert {s["id"] for s in shot.drawing(1)["strokes"]} >= {*inner, "onemore1"}
    assert "behind" in shot.client.post("/api/levels/1/do", json={"do": whole}).text


def head_of(shot: Shot, number: int) -> list[float]:
    """Where the head of a drawing is."""
    points = [
        np.reshape(s["points"], (-1, 2)) for s in shot.drawing(number)["strokes"] if s["part"] == "head"
    ]
    return np.vstack(points).mean(axis=0).tolist()


def test_a_document_with_hidden_lines_has_one_text() -> None:
    line = Stroke(np.array([[0, 0], [10, 0], [20, 5], [30, 5]], float), np.ones(2), id="abcdef0123")
    behind = {"Hut ü": [line], "": [line], "arm": [line, line]}
    whole = json.dumps(line_document([line], None, behind), sort_keys=True, separators=(",", ":")).encode()
    assert line_text([line], None, behind) == whole
    assert behind_of(json.loads(whole)).keys() == behind.keys()
    assert b"behind" not in line_text([line])


def test_a_smear_is_long_and_on_purpose(shot: Shot) -> None:
    parted(shot)
    before = shot.drawing(2)["strokes"]
    answer = shot.client.post(
        "/api/levels/1/smear", json={"part": "head", "drawings": [shot.ids[1]], "amount": 2}
    )
    assert answer.json()["drawings"] == [shot.ids[1]]
    spans = [
        np.ptp(np.vstack([np.reshape(s["points"], (-1, 2)) for s in strokes if s["part"] == "head"])[:, 0])
        for strokes in (before, shot.drawing(2)["strokes"])
    ]
    assert spans[1] > spans[0] + 5
    assert shot.run()["meant"] == [shot.ids[1]]
    still = shot.client.post("/api/levels/1/smear", json={"part": "hat", "drawings": shot.ids})
    assert still.status_code == 422


def test_a_part_is_used_again_later_mirrored_and_behind(shot: Shot) -> None:
    parted(shot)
    ask = {
        "part": "head", "name": "moon", "drawings": shot.ids, "shift": 1, "matrix": [-1, 0, 0, 1, 400, 0], "order": "behind",
    }  # fmt: skip
    tried = shot.client.post(f"/api/levels/1/again/{shot.ids[1]}/try", json=ask).json()["strokes"]
    assert len(tried) == 1
    assert shot.client.post("/api/levels/1/again", json=ask).json()["drawings"] == shot.ids[1:]
    moons = [[s for s in shot.drawing(n)["strokes"] if s["part"] == "moon"] for n in (1, 2, 3)]
    assert not moons[0]
    assert all(s["track"] and s["by"] == "hand" for s in moons[1] + moons[2])
    # Mirrored about x = 200, a drawing later; where the head is, it is hidden.
    head = next(s for s in shot.drawing(1)["strokes"] if s["part"] == "head")
    here = np.reshape(head["points"], (-1, 2))[:, 0]
    there = np.vstack([np.reshape(s["points"], (-1, 2)) for s in moons[1]])[:, 0]
    assert there.max() <= 400 - here.min() + 1
    assert there.min() >= 400 - here.max() - 1
    round_ = {**ask, "around": True}
    assert shot.client.post("/api/levels/1/again", json=round_).json()["drawings"] == shot.ids
    # What was there of the part goes.
    assert len({s["track"] for s in shot.drawing(2)["strokes"] if s["part"] == "moon"}) == 1
    # A part that keeps its name is moved bit by bit over the drawings.
    before = [head_of(shot, n) for n in (1, 2, 3)]
    grown = {
        "part": "head",
        "name": "head",
        "drawings": shot.ids,
        "also": shot.ids,
        "matrix": [1, 0, 0, 1, 0, 30],
        "grows": True,
    }
    assert shot.client.post("/api/levels/1/again", json=grown).status_code == 200
    steps = [head_of(shot, n)[1] - y for n, (_, y) in zip((1, 2, 3), before, strict=True)]
    assert steps == pytest.approx([0, 15, 30], abs=0.2)
    mirrored = shot.client.post("/api/levels/1/again", json={**grown, "matrix": ask["matrix"]})
    assert "mirrored" in mirrored.text
    nothing = shot.client.post("/api/levels/1/again", json={**ask, "part": "hat"})
    assert nothing.status_code == 422
    assert "hat" in nothing.text


def test_the_ledge_compares_a_part_and_the_model_remembers_its_measure(shot: Shot) -> None:
    shot.job("clean")
    for number in (1, 2, 3):
        ids = [s["id"] for s in shot.drawing(number)["strokes"]]
        do(shot, number, "part", ids=ids if number != 2 else ids[:1], part="face")
    url = f"/api/levels/1/ledge?reference={shot.ids[0]}&part=face"
    found = shot.client.get(url).json()
    assert [c["number"] for c in found["cells"]] == ["1", "2", "3"]
    assert found["cells"][1]["odd"] > found["cells"][2]["odd"]
    assert found["cells"][2]["drift"] == pytest.approx(12, abs=2)
    m = found["cells"][0]["measures"]
    assert (
        shot.client.post("/api/models/1/do", json={"do": {"do": "measure", "part": "face", **m}}).status_code
        == 200
    )
    assert shot.client.get(url).json()["model"] == m
    shot.client.post("/api/models/1/do", json={"do": {"do": "measure", "part": "face"}})
    assert shot.client.get(url).json()["model"] is None
    box = "&".join(f"box={v}" for v in (140, 60, 230, 130))
    cells = shot.client.get(f"/api/levels/1/ledge?reference={shot.ids[0]}&{box}").json()["cells"]
    assert [c["measures"]["count"] for c in cells] == [1, 1, 1]


def test_still_parts_are_proposed_and_made_equal(shot: Shot) -> None:
    shot.job("clean")
    for number in (1, 2, 3):
        ids = [s["id"] for s in shot.drawing(number)["strokes"]]
        do(shot, number, "part", ids=ids, part="face")
    # The face moves by 6 px a drawing, far more than the scatter.
    assert shot.client.get("/api/levels/1/held").json()["held"] == []


def test_laying_one_drawing_over_another_is_registered(shot: Shot) -> None:
    shot.job("clean")
    found = shot.client.get(f"/api/levels/1/over?here={shot.ids[0]}&other={shot.ids[2]}").json()
    assert found["matrix"] == pytest.approx([1, 0, 0, 1, -12, 0], abs=1.5)
    assert found["fit"] > 0.8


def test_trying_a_reading_changes_nothing(shot: Shot) -> None:
    tried = shot.client.post(f"/api/drawings/{shot.ids[0]}/try", json={"detail": 0.2, "follow": 0.9}).json()
    assert len(tried["strokes"]) >= 3
    assert shot.drawing(1)["strokes"] == []
    assert shot.drawing(1)["revision"] == 0


def test_pencils_are_found_and_a_part_is_made_of_one(shot: Shot) -> None:
    picture = np.full((240, 320, 3), 246, np.uint8)
    cv2.circle(picture, (150, 120), 80, (50, 50, 50), 3, cv2.LINE_AA)
    cv2.line(picture, (20, 200), (300, 205), (220, 60, 50), 3, cv2.LINE_AA)
    with shot.client.app.state.store.transaction() as cursor:
        body = encode_png(picture)
        name = pictures.put(cursor, body, "image/png", 320, 240)
        cursor.execute("UPDATE drawings SET rough = %s WHERE id = %s", (name, shot.ids[0]))
    (pencil,) = shot.client.get(f"/api/drawings/{shot.ids[0]}/pencils").json()["pencils"]
    assert pencil["name"] == "red"
    shot.job("clean", drawings=[shot.ids[0]])
    assert len(shot.drawing(1)["strokes"]) == 1
    reading = {"pencils": [{"hue": pencil["hue"], "role": "part:table"}]}
    shot.job("clean", drawings=[shot.ids[0]], reading=reading)
    assert sorted(s["part"] for s in shot.drawing(1)["strokes"]) == ["", "table"]
    page = shot.client.get("/shots/1/line", headers={"accept": "text/html"}).text
    assert '"part:table"' in page


def test_the_line_rule_is_laid_on_whole_drawings(shot: Shot) -> None:
    shot.job("clean")
    rule = {"outline": 7, "inner": 3, "detail": 2, "taper": 0, "corner": "sharp"}
    assert shot.client.post("/api/models/1/do", json={"do": {"do": "rule", **rule}}).status_code == 200
    changed = shot.client.post("/api/levels/1/weigh", json={"drawings": shot.ids}).json()["drawings"]
    assert changed == shot.ids
    strokes = shot.drawing(1)["strokes"]
    assert sorted({w for s in strokes for w in s["widths"]})[-1] == 7
    assert {s["corner"] for s in strokes} == {"sharp"}
    assert sorted(undo(shot, 1)["drawings"]) == sorted(shot.ids)


@pytest.mark.parametrize("kind", ["empty", "black", "one pixel"])
def test_roughs_with_nothing_to_find_give_an_empty_line(shot: Shot, kind: str) -> None:
    pixels = {
        "empty": np.full((240, 320, 3), 250, np.uint8),
        "black": np.zeros((240, 320, 3), np.uint8),
        "one pixel": np.zeros((1, 1, 3), np.uint8),
    }[kind]
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    with shot.client.app.state.store.transaction() as cursor:
        name = pictures.put(cursor, out.getvalue(), "image/png", pixels.shape[1], pixels.shape[0])
        cursor.execute("UPDATE drawings SET rough = %s WHERE id = %s", (name, shot.ids[0]))
    job = shot.job("clean", drawings=[shot.ids[0]])
    assert (job["state"], job["failed"]) == ("done", 0)
    assert shot.drawing(1)["strokes"] == []


def test_the_pen_settles_on_the_rough_beside_it(shot: Shot, store: Store) -> None:
    """A stroke drawn 5 px beside a rough line goes on to it as far as it is asked to, and stays where there is none."""
    picture = np.full((240, 320), 244, np.uint8)
    cv2.line(picture, (40, 120), (280, 120), 70, 3, cv2.LINE_AA)
    with store.transaction() as cursor:
        name = pictures.put(cursor, encode_png(picture), "image/png", 320, 240)
        cursor.execute("UPDATE drawings SET rough = %s WHERE id = %s", (name, shot.ids[0]))

    def height(name: str, y: float, **more: float) -> float:
        stroke = straight(shot, 1, name, (60, y), (260, y), **more)
        return float(np.mean(sample(Stroke.from_dict(stroke))[0][:, 1]))

    assert height("plainline", 125) == pytest.approx(125, abs=0.3)
    assert height("halfwayline", 125, settle=0.5, near=10) == pytest.approx(122.7, abs=0.6)
    assert height("settledline", 125, settle=1, near=10) == pytest.approx(120.5, abs=0.7)
    assert height("fartherline", 180, settle=1, near=10) == pytest.approx(180, abs=0.3)


def test_a_closed_line_is_made_a_black_and_a_line_again(shot: Shot) -> None:
    ring = [[160 + 60 * np.cos(t), 120 + 50 * np.sin(t), 0.5] for t in np.linspace(0, 2 * np.pi, 60)]
    do(shot, 1, "trace", id="pupilring", path=ring, width=4)
    outlined = stroke_of(shot, 1, "pupilring")
    (black,) = do(shot, 1, "fill", ids=["pupilring"], filled=True)["strokes"]
    assert black["filled"]
    assert black["d"].startswith(outlined["d"])
    assert black["d"].count("M") == 2
    assert undo(shot, 1)["label"] == "fill 1 stroke with ink"
    assert stroke_of(shot, 1, "pupilring")["d"] == outlined["d"]
    straight(shot, 1, "openline", (40, 20), (280, 20))
    answer = shot.client.post(
        f"/api/drawings/{shot.ids[0]}/do",
        json={"base": 0, "do": {"do": "fill", "ids": ["openline"], "filled": True}},
    )
    assert answer.status_code == 422
    assert "join its ends" in answer.text


def test_paint_and_tones_come_along_with_a_part_that_is_used_again(shot: Shot) -> None:
    straight(shot, 1, "outofside", (300, 40), (310, 200), part="pole")
    ring = [[80 + 40 * np.cos(a), 120 + 40 * np.sin(a), 0.5] for a in np.linspace(0, 2 * np.pi, 60)]
    (head,) = do(shot, 1, "trace", id="headring1", path=ring, width=4, part="head")["strokes"]
    assert head["id"]
    shot.edit(1, "pour", points=[[80, 120]], pot=1)
    path = [[x, y, 0.5] for x, y in ((60, 100), (100, 100), (100, 130), (60, 130), (60, 100))]
    shot.edit(
        1, "line", do={"do": "tone", "id": "0123456789", "kind": "shade", "path": path, "within": "patch"}
    )
    ask = {
        "part": "head",
        "name": "moon",
        "drawings": shot.ids[:1],
        "matrix": [1, 0, 0, 1, 130, 0],
        "painted": True,
    }
    for _ in range(2):
        # Done again, it lies there once.
        assert shot.client.post("/api/levels/1/again", json=ask).status_code == 200
        found = shot.patches(1)
        by_place = {
            tuple(np.round(p["at"], -1)): found["paint"].get(str(p["n"]), {}).get("pot")
            for p in found["patches"]
        }
        assert by_place[80, 120] == by_place[210, 120] == 1
        assert len(found["tones"]) == 2
    plain = {**ask, "name": "sun", "matrix": [1, 0, 0, 1, 0, 90], "painted": False}
    shot.client.post("/api/levels/1/again", json=plain)
    assert len(shot.patches(1)["tones"]) == 2


def test_lines_that_a_form_hides_come_out_behind_it_in_between(shot: Shot) -> None:
    for number, x in ((1, 130), (3, 190)):
        straight(shot, number, "polepole0", (20, 120), (300, 120), part="pole")
        ring = [[x + 40 * np.cos(a), 120 + 40 * np.sin(a), 0.5] for a in np.linspace(0, 2 * np.pi, 80)]
        do(shot, number, "trace", id="headring0", path=ring, width=4, part="head")
    hide = {"do": "trim-behind", "of": [shot.ids[0], shot.ids[2]], "part": "head", "behind": ["pole"]}
    assert shot.client.post("/api/levels/1/do", json={"do": hide}).status_code == 200
    assert len([s for s in shot.drawing(1)["strokes"] if s["part"] == "pole"]) == 2
    answer = shot.client.post("/api/levels/1/between", json={"first": shot.ids[0], "last": shot.ids[2]})
    assert answer.status_code == 200, answer.text
    found = shot.drawing(2)["strokes"]
    pole = np.vstack(
        [sample(Stroke.from_dict({**s, "widths": s["widths"]}))[0] for s in found if s["part"] == "pole"]
    )
    assert pole[:, 0].min() == pytest.approx(20, abs=3)
    assert pole[:, 0].max() == pytest.approx(300, abs=3)
    far = np.hypot(pole[:, 0] - 160, pole[:, 1] - 120)
    assert far.min() > 36
    # Nothing is missing on either side of the disc.
    assert np.diff(np.sort(pole[pole[:, 0] < 160, 0])).max() < 6
    assert pole[pole[:, 0] < 160, 0].max() == pytest.approx(120, abs=4)
    assert pole[pole[:, 0] > 160, 0].min() == pytest.approx(200, abs=4)


def test_a_part_is_completed_behind_what_covers_it_from_its_neighbours(shot: Shot) -> None:
    def ring(number: int, name: str, part: str, x: float, y: float, r: float) -> None:
        path = [[x + r * np.cos(a), y + r * np.sin(a), 0.5] for a in np.linspace(0, 2 * np.pi, 90)]
        do(shot, number, "trace", id=name, path=path, width=4, part=part)

    # In drawing 2 a head covers a third of the drum; in 1 and 3 the drum is seen whole, a little elsewhere.
    for number, x in ((1, 100), (2, 110), (3, 120)):
        ring(number, f"drumring0{number}", "drum", x, 120, 50)
        straight(shot, number, f"drumline0{number}", (x - 30, 100), (x - 30, 140), part="drum")
    ring(2, "headring02", "head", 170, 120, 50)
    rub = {"do": "trim-behind", "of": [shot.ids[1]], "part": "head", "behind": ["drum"]}
    assert shot.client.post("/api/levels/1/do", json={"do": rub}).status_code == 200
    whole = {"do": "whole", "of": [shot.ids[1]], "parts": ["drum"]}
    kept = hidden(shot, 2)
    # As if it had never been drawn.
    with shot.client.app.state.store.transaction() as cursor:  # type: ignore[attr-defined]
        row = revisions.drawing(cursor, shot.ids[1])
        line = revisions.get_documents(cursor, [row["line"]])[row["line"]]
        name = revisions.put_document(cursor, {k: v for k, v in line.items() if k != "behind"})
        revisions.revise(cursor, revisions.of(row), revisions.begin_action(cursor, "drawn so"), line=name)
    ask = {"part": "drum", "drawings": [shot.ids[1]], "fronts": ["head"]}
    answer = shot.client.post("/api/levels/1/complete", json=ask)
    assert answer.status_code == 200, answer.text
    found = hidden(shot, 2)["head"]
    truth = np.vstack([sample(s)[0] for s in kept["head"]])
    made = np.vstack([sample(s)[0] for s in found])
    assert np.abs(np.hypot(made[:, 0] - 110, made[:, 1] - 120) - 50).max() < 2.5
    assert abs(len(made) - len(truth)) < 0.25 * len(truth)
    assert all(s.doubtful for s in found)
    assert shot.client.post("/api/levels/1/do", json={"do": whole}).status_code == 200
    drum = [s for s in shot.drawing(2)["strokes"] if s["part"] == "drum"]
    assert max(np.ptp(np.reshape(s["points"], (-1, 2))[:, 0]) for s in drum) == pytest.approx(100, abs=3)
    none = shot.client.post("/api/levels/1/complete", json={**ask, "part": "head", "fronts": ["drum"]})
    assert none.status_code == 422
    assert "No neighbour shows more of head" in none.json()["error"]


def hidden(shot: Shot, number: int) -> dict[str, list[Stroke]]:
    with shot.client.app.state.store.transaction() as cursor:  # type: ignore[attr-defined]
        row = revisions.drawing(cursor, shot.ids[number - 1])
        return behind_of(revisions.get_documents(cursor, [row["line"]])[row["line"]])


def test_a_part_is_taken_off_a_painted_sheet_and_laid_on_four_corners(shot: Shot) -> None:
    sheet = np.full((200, 300, 3), 255, np.uint8)
    cv2.circle(sheet, (90, 100), 60, (240, 190, 40), -1)
    cv2.circle(sheet, (90, 100), 60, (29, 43, 58), 5, cv2.LINE_AA)
    cv2.line(sheet, (90, 45), (90, 155), (29, 43, 58), 5, cv2.LINE_AA)
    with shot.client.app.state.store.transaction() as cursor:  # type: ignore[attr-defined]
        name = pictures.put(cursor, encode_png(sheet), "image/png", 300, 200)
    found = shot.client.get(f"/api/pictures/{name}/lines").json()
    assert found["size"] == [300, 200]
    read = [s["stroke"] for s in found["strokes"]]
    points = np.vstack([np.reshape(s["points"], (-1, 2)) for s in read])
    # The lines, and no edge of the paint.
    assert sorted({round(v / 10) for v in (*points.min(axis=0), *points.max(axis=0))}) == [3, 4, 15, 16]
    box = [*points.min(axis=0).tolist(), *points.max(axis=0).tolist()]
    quad = [[200, 40], [260, 40], [260, 100], [200, 100]]
    do(shot, 1, "lay-part", strokes=read, box=box, quad=quad, part="badge")
    badge = [s for s in shot.drawing(1)["strokes"] if s["part"] == "badge"]
    assert len(badge) == len(read)
    laid = np.vstack([np.reshape(s["points"], (-1, 2)) for s in badge])
    assert [*laid.min(axis=0), *laid.max(axis=0)] == pytest.approx([200, 40, 260, 100], abs=0.1)
    assert all(s["by"] == "hand" for s in badge)
    folded = {"do": "lay-part", "strokes": read, "box": box, "quad": [quad[0], quad[2], quad[1], quad[3]]}
    url = f"/api/drawings/{shot.ids[0]}/do"
    refused = shot.client.post(url, json={"base": shot.drawing(1)["revision"], "do": folded})
    assert refused.status_code == 422
    assert "move the corners apart" in refused.json()["error"]


def test_a_part_comes_as_a_pale_rough_to_be_drawn_anew(shot: Shot) -> None:
    parted(shot)
    before = shot.drawing(2)
    ask = {
        "part": "head",
        "name": "moon",
        "drawings": [shot.ids[1]],
        "matrix": [1, 0, 0, 1, 20, 0],
        "rough": True,
    }
    for _ in range(2):
        assert shot.client.post("/api/levels/1/again", json=ask).status_code == 200
    after = shot.drawing(2)
    assert after["strokes"] == before["strokes"]
    (pale,) = after["sketch"]["passes"]
    assert pale["name"] == "moon"
    rough = shot.client.get(f"/drawings/{shot.ids[1]}/rough.png")
    seen = np.array(Image.open(io.BytesIO(rough.content)).convert("RGB")).astype(int)
    blue = (seen[..., 2] - seen[..., 0]) > 20
    head = np.vstack([sample(Stroke.from_dict(s))[0] for s in before["strokes"] if s["part"] == "head"]) + [
        20,
        0,
    ]
    at = head.round().astype(int)[(head[:, 0] < 318) & (head[:, 1] < 238)]
    assert blue[at[:, 1], at[:, 0]].mean() > 0.8
