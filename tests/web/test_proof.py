"""Proof over HTTP: what is found in documents, mended, waved through, and gone when its cause is."""

from __future__ import annotations

from typing import Any

import pytest

from schoon.store import Store, pictures, productions

from ..shot import Shot, rough
from .test_tones import light, painted

__all__ = ["painted"]


def look(shot: Shot) -> dict[str, Any]:
    """What is found, after looking if need be."""
    assert shot.client.post("/api/levels/1/proof").status_code == 200
    shot.client.app.state.runner.run_open()
    found = shot.client.get("/api/levels/1/findings").json()
    assert found["fresh"]
    return found


def rules(found: dict[str, Any]) -> list[str]:
    return [f["rule"] for f in found["findings"] if not f["waved"]]


def flashing(shot: Shot) -> None:
    """The eye of the second drawing takes the pot of the face."""
    shot.edit(2, "pour", points=[[150 + 12 + 25, 95]], pot=2)


def test_before_anybody_looked_it_says_so(painted: Shot) -> None:
    found = painted.client.get("/api/levels/1/findings").json()
    assert (found["looked"], found["fresh"], found["findings"]) == (False, False, [])
    assert painted.run()["progress"]["next_stage"] == "proof"


def test_a_flash_is_found_poured_right_and_gone(painted: Shot) -> None:
    assert rules(look(painted)) == []
    assert painted.run()["progress"]["done"]["proof"]
    flashing(painted)
    (flash,) = look(painted)["findings"]
    assert (flash["rule"], flash["drawings"], flash["act"], flash["pot"]) == (
        "flash",
        [painted.ids[1]],
        "pour",
        1,
    )
    assert flash["like"] == painted.ids[0]
    assert painted.run()["progress"]["left"]["proof"] == "1 found"
    painted.edit(2, "pour", points=[flash["at"]], pot=flash["pot"])
    assert rules(look(painted)) == []


def test_a_hole_and_what_the_others_have(painted: Shot) -> None:
    painted.edit(2, "pour", points=[[150 + 12, 140]], pot=None)
    (hole,) = look(painted)["findings"]
    assert (hole["rule"], hole["act"]) == ("hole", "pour")
    light(painted, azimuth=90, height=20, amount=0.4)
    assert painted.job("tone")["state"] == "done"
    asked = {"do": "tone-clear", "of": [painted.ids[2]], "kinds": ["shade"], "hand": True}
    assert painted.client.post("/api/levels/1/do", json={"do": asked}).status_code == 200
    found = look(painted)
    assert "empty" in rules(found)
    (without,) = [f for f in found["findings"] if f["rule"] == "empty"]
    assert without["drawings"] == [painted.ids[2]]


def wave(shot: Shot, finding: dict[str, Any], reason: str | None) -> Any:
    asked = {
        "do": "wave",
        "level": 1,
        "rule": finding["rule"],
        "drawings": finding["drawings"],
        "at": finding["at"],
    }
    return shot.client.post("/api/stacks/1/do", json={"do": {**asked, "reason": reason}})


def test_what_was_waved_through_stays_through_and_can_be_asked_again(painted: Shot) -> None:
    flashing(painted)
    (flash,) = look(painted)["findings"]
    assert wave(painted, flash, "a wink").status_code == 200
    (again,) = painted.client.get("/api/levels/1/findings").json()["findings"]
    assert again["waved"]["reason"] == "a wink"
    assert painted.run()["progress"]["done"]["proof"]
    # A line that is moved a little leaves it through; so does looking anew.
    strokes = painted.drawing(2)["strokes"]
    shift = {"do": "place", "ids": [s["id"] for s in strokes], "matrix": [1, 0, 3, 0, 1, 2]}
    painted.edit(2, "line", do=shift)
    assert rules(look(painted)) == []
    undone = painted.client.post("/api/stacks/1/undo").json()
    assert undone["label"] == "wave through flash of Pim"
    assert rules(look(painted)) == ["flash"]
    wave(painted, flash, "meant")
    wave(painted, flash, None)
    assert rules(look(painted)) == ["flash"]


def test_what_no_frame_shows_raises_nothing_but_that(painted: Shot) -> None:
    flashing(painted)
    asked = {"do": "blank", "level": 1, "frame": 3}
    assert painted.client.post("/api/times/1/do", json={"do": asked}).status_code == 200
    found = look(painted)
    assert set(rules(found)) == {"empty"}
    meant = {"do": "mean", "drawings": [painted.ids[1]], "meant": True}
    if painted.client.post("/api/times/1/do", json={"do": meant}).status_code == 200:
        assert "flash" not in rules(look(painted))


def test_what_a_level_in_front_covers_raises_nothing(painted: Shot, store: Store) -> None:
    flashing(painted)
    assert rules(look(painted)) == ["flash"]
    with store.transaction() as cursor:
        front = productions.add_level(cursor, 1, "Door", 1, 1)
        rows = [(1, "key", pictures.put(cursor, rough(12), "image/png", 320, 240))]
        productions.fill_level(cursor, front, rows, {1: 1})
        door = productions.drawings(cursor, front)[0]["id"]
    client = painted.client
    client.post(f"/api/levels/{front}/jobs", json={"kind": "clean"})
    client.app.state.runner.run_open()
    base = client.get(f"/api/drawings/{door}").json()["revision"]
    pour = {"do": "pour", "points": [[162 - 50, 120], [162 + 25, 95]], "pot": 2}
    assert client.post(f"/api/drawings/{door}/do", json={"base": base, "do": pour}).status_code == 200
    client.get(f"/drawings/{door}/view.webp?w=240&look=paint")
    assert rules(look(painted)) == []
    # It is found again once nothing is in front of it any more.
    sight = {"do": "sight", "level": front, "visible": False}
    assert client.post("/api/stacks/1/do", json={"do": sight}).status_code == 200
    assert rules(look(painted)) == ["flash"]


def test_a_second_look_does_only_what_changed(painted: Shot) -> None:
    look(painted)
    assert painted.client.post("/api/levels/1/proof").json() == {"job": None}
    cache = painted.client.app.state.files.folder
    before = set(cache.rglob("*.sight"))
    flashing(painted)
    look(painted)
    assert len(before) == 3
    assert len(set(cache.rglob("*.sight")) - before) == 1


@pytest.mark.parametrize("change", [{"rule": "x" * 30}, {"drawings": []}, {"drawings": [999_999]}])
def test_what_is_no_finding_is_refused(painted: Shot, change: dict[str, Any]) -> None:
    asked = {
        "do": "wave",
        "level": 1,
        "rule": "flash",
        "drawings": [painted.ids[0]],
        "at": None,
        "reason": "so",
        **change,
    }
    assert painted.client.post("/api/stacks/1/do", json={"do": asked}).status_code >= 400
    assert painted.client.get("/api/levels/1/findings").json()["findings"] == []
