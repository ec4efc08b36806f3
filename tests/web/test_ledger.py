"""Decisions through the whole run: ledger, unsure queue, gaps taken by their doubt."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from schoon.store import revisions

from ..shot import Shot


@pytest.fixture
def painted(shot: Shot) -> Shot:
    """Drawing 1 painted by hand, the others carried."""
    shot.job("clean")
    patches = shot.patches(1)
    inside = [p for p in patches["patches"] if p["n"] != patches["background"]]
    face = max(inside, key=lambda p: p["area"])
    shot.edit(1, "pour", points=[face["at"]], pot=1)
    rest = [p["at"] for p in inside if p is not face]
    shot.edit(1, "pour", points=rest, pot=2)
    shot.job("carry")
    return shot


def pots(shot: Shot, number: int) -> dict:
    return shot.client.get(f"/api/drawings/{shot.ids[number - 1]}/pots").json()["pots"]


def repaint(shot: Shot, act: str, cells: list[tuple[int, int]], to: int | None = None) -> dict:
    content = {"cells": [{"drawing": shot.ids[n - 1], "pot": pot} for n, pot in cells], "act": act, "to": to}
    answer = shot.client.post("/api/levels/1/do", json={"do": {"do": "repaint", **content}})
    return {"status": answer.status_code, **answer.json()}


def test_the_ledger_counts_what_carries_each_pot(painted: Shot) -> None:
    first, third = pots(painted, 1), pots(painted, 3)
    assert first["1"]["count"] == third["1"]["count"] == 1
    assert first["2"]["count"] == third["2"]["count"] >= 2
    assert third["1"]["area"] == pytest.approx(first["1"]["area"], rel=0.05)
    x0, y0, x1, y1 = third["1"]["box"]
    assert x0 - first["1"]["box"][0] == pytest.approx(12, abs=3)
    x, y = third["1"]["at"]
    assert x0 < x < x1
    assert y0 < y < y1


def test_cells_are_repainted_lifted_and_undone_as_one(painted: Shot) -> None:
    count = pots(painted, 2)["2"]["count"]
    done = repaint(painted, "pour", [(2, 2), (3, 2)], to=1)
    assert (done["drawings"], done["things"]) == (painted.ids[1:], 2 * count)
    assert pots(painted, 2)["1"]["count"] == count + 1
    undone = painted.client.post(f"/api/drawings/{painted.ids[2]}/undo").json()
    assert sorted(undone["drawings"]) == sorted(painted.ids[1:])
    assert pots(painted, 2)["2"]["count"] == count
    repaint(painted, "lift", [(3, 1)])
    assert "1" not in pots(painted, 3)
    assert repaint(painted, "lift", [(3, 1)])["status"] == 422
    assert repaint(painted, "pour", [(3, 2)], to=99)["status"] == 404
    assert repaint(painted, "pour", [(3, 2)])["status"] == 422


def doubtful(shot: Shot, number: int, of: int | None = None) -> None:
    """Puts the carried paint of a drawing in doubt, as the carrying does where drawings differ. of: the drawing it was
    carried from, in doubt too."""
    with shot.client.app.state.store.transaction() as cursor:
        row = revisions.drawing(cursor, shot.ids[number - 1])
        paint = revisions.get_documents(cursor, [row["paint"]])[row["paint"]]
        for k, spot in enumerate(paint["patches"]):
            spot.update(doubt=0.6 + 0.1 * k, others=[2])
            if of:
                spot["from"] = [shot.ids[of - 1], *nearest(shot, of, spot)]
        action = revisions.begin_action(cursor, "doubt")
        revisions.revise(cursor, revisions.of(row), action, paint=revisions.put_document(cursor, paint))


def nearest(shot: Shot, number: int, spot: dict) -> list[float]:
    """Where the spot of a pot lies in a drawing, beside one in another drawing."""
    with shot.client.app.state.store.transaction() as cursor:
        row = revisions.drawing(cursor, shot.ids[number - 1])
        spots = revisions.get_documents(cursor, [row["paint"]])[row["paint"]]["patches"]
    same = [s["at"] for s in spots if s["pot"] == spot["pot"]]
    return min(same, key=lambda at: np.hypot(at[0] - spot["at"][0], at[1] - spot["at"][1]))


def test_unsure_patches_are_asked_and_accepted(painted: Shot) -> None:
    doubtful(painted, 2)
    cards = painted.client.get("/api/shots/1/unsure").json()["cards"]
    assert len(cards) == painted.run()["drawings"][1]["unsure"]
    assert [c["doubt"] for c in cards] == sorted((c["doubt"] for c in cards), reverse=True)
    assert {c["number"] for c in cards} == {"2"}
    assert all(len(c["places"]) == 1 for c in cards)
    assert all(c["pots"][1:] == [2] and c["from"][0] in painted.ids for c in cards)
    done = repaint(painted, "accept", [(2, 1), (2, 2), (1, 1)])
    assert (done["drawings"], done["things"]) == ([painted.ids[1]], len(cards))
    assert painted.client.get("/api/shots/1/unsure").json()["cards"] == []


def test_a_card_of_several_things_offers_only_what_each_of_them_could_be(painted: Shot) -> None:
    store = painted.client.app.state.store
    with store.transaction() as cursor:
        rows = [revisions.drawing(cursor, d) for d in painted.ids[1:]]
        action = revisions.begin_action(cursor, "doubt")
        for others, row in zip(([2, 3], [3]), rows, strict=True):
            paint = revisions.get_documents(cursor, [row["paint"]])[row["paint"]]
            first = next(spot for spot in paint["patches"] if spot["pot"] == 1)
            first.update(doubt=0.55, others=others)
            first["with"] = "the same"
            # Carried from a patch that nobody is asked about, not one from the other.
            first["from"] = [painted.ids[0], *nearest(painted, 1, first)]
            revisions.revise(cursor, revisions.of(row), action, paint=revisions.put_document(cursor, paint))
    (card,) = painted.client.get("/api/shots/1/unsure").json()["cards"]
    assert sorted(part["pots"] for part in card["parts"]) == [[1, 2, 3], [1, 3]]
    assert card["pots"] == [1, 3]
    assert card["places"] == [place for part in card["parts"] for place in part["places"]]
    content = {"do": "answer", "places": card["places"], "pot": 1}
    assert painted.client.post("/api/levels/1/do", json={"do": content}).json()["things"] == 2
    assert painted.client.get("/api/shots/1/unsure").json()["cards"] == []


def test_a_card_of_unlike_pots_names_all_it_carries_and_its_answer_holds_for_all(painted: Shot) -> None:
    store = painted.client.app.state.store
    with store.transaction() as cursor:
        rows = [revisions.drawing(cursor, d) for d in painted.ids[1:]]
        action = revisions.begin_action(cursor, "doubt")
        for (pot, others), row in zip([(1, [2]), (2, [])], rows, strict=True):
            paint = revisions.get_documents(cursor, [row["paint"]])[row["paint"]]
            first = next(spot for spot in paint["patches"] if spot["pot"] == 1)
            first.update(pot=pot, doubt=0.7, others=others, **{"from": None, "with": "the same"})
            revisions.revise(cursor, revisions.of(row), action, paint=revisions.put_document(cursor, paint))
    (card,) = painted.client.get("/api/shots/1/unsure").json()["cards"]
    # 1 is what one of the two may be, 2 is what both may be.
    assert (card["pots"], card["carried"]) == ([2], [1, 2])
    assert [part["carried"] for part in card["parts"]] == [[1], [2]]
    content = {"do": "answer", "places": card["places"], "pot": 2}
    assert painted.client.post("/api/levels/1/do", json={"do": content}).json()["things"] == 2
    with store.transaction() as cursor:
        for row in (revisions.drawing(cursor, d) for d in painted.ids[1:]):
            spots = revisions.get_documents(cursor, [row["paint"]])[row["paint"]]["patches"]
            assert [(s["pot"], "with" in s) for s in spots if s["by"] == "hand"] == [(2, False)]


def test_one_question_for_one_thing_and_one_answer_for_all_its_drawings(painted: Shot) -> None:
    doubtful(painted, 2)
    doubtful(painted, 3, of=2)
    cards = painted.client.get("/api/shots/1/unsure").json()["cards"]
    places = [p for card in cards for p in card["places"]]
    assert len(places) == sum(d["unsure"] for d in painted.run()["drawings"])
    assert [len(c["places"]) for c in cards] == sorted((len(c["places"]) for c in cards), reverse=True)
    card = cards[0]
    assert {p["drawing"] for p in card["places"]} == set(painted.ids[1:])
    content = {"do": "answer", "places": card["places"], "pot": 2}
    done = painted.client.post("/api/levels/1/do", json={"do": content}).json()
    assert (sorted(done["drawings"]), done["things"]) == (sorted(painted.ids[1:]), len(card["places"]))
    left = painted.client.get("/api/shots/1/unsure").json()["cards"]
    assert len(left) == len(cards) - 1
    painted.client.post(f"/api/drawings/{painted.ids[1]}/undo")
    assert len(painted.client.get("/api/shots/1/unsure").json()["cards"]) == len(cards)


def test_an_answer_needs_a_pot_of_the_model_and_a_patch(painted: Shot) -> None:
    def answer(at: list[float], pot: int) -> int:
        content = {"do": "answer", "places": [{"drawing": painted.ids[1], "at": at}], "pot": pot}
        return painted.client.post("/api/levels/1/do", json={"do": content}).status_code

    assert answer([20, 20], 99) == 404
    assert answer([-50, -50], 1) == 422


def test_gaps_under_a_doubt_are_taken_together(shot: Shot) -> None:
    shot.job("clean")
    with shot.client.app.state.store.transaction() as cursor:
        for k, drawing in enumerate(shot.ids):
            row = revisions.drawing(cursor, drawing)
            stitch = {
                "id": f"s{k}",
                "points": [[10, 10], [20, 10]],
                "doubt": 0.6 + 0.1 * k,
                "reason": "end to end",
                "state": "open",
                "by": "proposal",
            }
            name = revisions.put_document(cursor, {"stitches": [stitch]})
            revisions.revise(cursor, revisions.of(row), revisions.begin_action(cursor, "gap"), seal=name)
    taken = shot.client.post("/api/levels/1/do", json={"do": {"do": "take-under", "under": 0.75}}).json()
    assert (taken["drawings"], taken["things"]) == (shot.ids[:2], 2)
    assert [c["number"] for c in shot.client.get("/api/shots/1/gaps").json()["cards"]] == ["3"]
    assert (
        shot.client.post("/api/levels/1/do", json={"do": {"do": "take-under", "under": 0.75}}).status_code
        == 422
    )


def test_a_key_is_derived_by_light_shown_first_and_then_kept(shot: Shot) -> None:
    want = {"light": "#4060ff", "strength": 0.6, "darkness": 0.5, "held": [2]}
    shown = shot.client.post("/api/models/1/keys/1/derive", json=want).json()
    assert shown["key"] is None
    assert shown["colours"]["2"] == "#8a5a3b"
    assert shown["colours"]["1"] != "#edb21f"
    page = shot.client.get("/models/1", headers={"accept": "text/html"}).text
    assert "Dusk" not in page.replace('placeholder="Dusk"', "")
    kept = shot.client.post("/api/models/1/keys/1/derive", json={**want, "name": "Dusk"}).json()
    assert kept["key"]
    assert "Dusk" in shot.client.get("/models/1", headers={"accept": "text/html"}).text.replace(
        'placeholder="Dusk"', ""
    )
    assert shot.client.post("/api/models/1/keys/1/derive", json={**want, "name": "Dusk"}).status_code == 422
    assert shot.client.post("/api/models/1/keys/1/derive", json={**want, "light": "blue"}).status_code == 422


def test_pots_too_close_to_tell_apart_are_named(shot: Shot) -> None:
    shot.client.post("/models/1/pots", data={"name": "Mitten", "colour": "#8b5a3c"})
    page = shot.client.get("/models/1", headers={"accept": "text/html"}).text
    assert "Fur and Mitten differ by" in page


def test_pots_are_renamed_ordered_and_deleted_only_when_nothing_needs_them(painted: Shot) -> None:
    post = painted.client.post
    assert (
        post(
            "/api/models/1/do", json={"do": {"do": "rename-pot", "pot": 1, "name": " Rain  coat "}}
        ).status_code
        == 200
    )
    assert (
        post("/api/models/1/do", json={"do": {"do": "rename-pot", "pot": 1, "name": "Fur"}}).status_code
        == 422
    )
    assert (
        post("/api/models/1/do", json={"do": {"do": "rename-pot", "pot": 9, "name": "None"}}).status_code
        == 404
    )
    for moved in ({"pot": 2, "before": 1}, {"pot": 1, "before": 99}, {"pot": 1}):
        assert post("/api/models/1/do", json={"do": {"do": "move-pot", **moved}}).status_code == 200
    assert post("/api/models/1/do", json={"do": {"do": "move-pot", "pot": 9}}).status_code == 404
    page = painted.client.get("/models/1", headers={"accept": "text/html"}).text
    assert page.index(">Fur<") < page.index(">Rain coat<")
    refused = post("/api/models/1/do", json={"do": {"do": "delete-pot", "pot": 2}})
    assert refused.status_code == 422
    assert "in use in Quay 1, 2, 3" in refused.json()["error"]
    assert (
        post("/api/models/1/do", json={"do": {"do": "delete-pot", "pot": 2, "instead": 2}}).status_code == 422
    )
    assert (
        post("/api/models/1/do", json={"do": {"do": "delete-pot", "pot": 2, "instead": 1}}).status_code == 200
    )
    assert set(pots(painted, 3)) == {"1"}
    assert post("/api/models/1/do", json={"do": {"do": "delete-pot", "pot": 2}}).status_code == 404


def test_pots_go_to_a_file_and_come_back(shot: Shot) -> None:
    text = shot.client.get("/models/1/pots.csv").text
    assert text.startswith("pot,part,opacity,count,share,Day,Day / shade")
    assert "Coat,,100,,,#edb21f" in text
    changed = "pot,Day,Night\nCoat,#edb21f,#101010\nScarf,#f5efe2,\n"
    send = [("file", ("pots.csv", changed.encode(), "text/csv"))]
    assert shot.client.post("/models/1/pots/file", files=send, follow_redirects=False).status_code == 303
    found = {p["name"]: p["colours"] for p in shot.client.get("/models/1/pots.json").json()["pots"]}
    assert found["Coat"] == {"Day": "#edb21f", "Night": "#101010"}
    assert found["Scarf"]["Day"] == "#f5efe2"


@pytest.mark.parametrize(
    ("name", "body", "words"),
    [
        ("p.csv", b"", "holds no pots"),
        ("p.csv", b"name,Day\nCoat,#000000\n", "the first row has to be"),
        ("p.csv", b"pot,Day\nCoat,black\n", "row 2"),
        ("p.csv", b"pot,Day\nA,#000000\nA,#000000\n", "comes twice"),
        ("p.csv", b"pot,Dusk\nA,#000000\n", "no colour key called"),
        ("p.csv", b"\xff\xfe\x00", "UTF-8"),
        ("p.json", b"{", "is not JSON"),
        ("p.json", b"[1]", "no list"),
        ("p.json", b'{"pots": [3]}', "pot 1"),
    ],
)
def test_bad_pot_files_are_named_and_change_nothing(shot: Shot, name: str, body: bytes, words: str) -> None:
    before = shot.client.get("/models/1/pots.json").json()
    answer = shot.client.post("/models/1/pots/file", files=[("file", (name, body, "text/plain"))])
    assert answer.status_code == 422
    assert words in answer.json()["error"]
    assert shot.client.get("/models/1/pots.json").json() == before


def test_a_gap_card_tints_what_its_stitch_parts(shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "stitch", points=[[75, 120], [157, 120]])
    stitch = shot.drawing(1)["stitches"][-1]["id"]

    def tints() -> int:
        body = shot.client.get(f"/drawings/{shot.ids[0]}/gap/{stitch}.png").content
        pixels = np.array(Image.open(io.BytesIO(body)).convert("RGB")).reshape(-1, 3)
        return sum(
            bool((pixels == tint).all(axis=1).sum() > 400) for tint in ((214, 236, 231), (247, 229, 196))
        )

    # A stitch that ends in the open parts nothing: both sides are one area.
    assert tints() == 1
    shot.edit(1, "stitch", points=[[157, 120], [236, 120]])
    assert tints() == 2
