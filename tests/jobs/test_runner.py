"""The job runner: what people do meanwhile stands, a stopped job leaves nothing half-done, faults are said."""

from __future__ import annotations

import itertools
import time
from collections.abc import Callable, Iterable, Iterator
from typing import Any

import pytest

from schoon.jobs import pool, runner, tasks
from schoon.jobs.kinds.proof import stretches
from schoon.jobs.work import Work
from schoon.store import Store, pictures, productions
from schoon.work.derived import Memory

from ..conftest import table_counts
from ..shot import Shot, rough

EYE, FACE = [181, 95], [100, 100]


@pytest.fixture
def painted(shot: Shot) -> Shot:
    """The first drawing is cleaned and painted, the others are cleaned."""
    shot.job("clean")
    shot.edit(1, "pour", points=[EYE], pot=1)
    shot.edit(1, "pour", points=[FACE], pot=2)
    return shot


def meanwhile(
    monkeypatch: pytest.MonkeyPatch, act: Callable[[], object], what: Callable[..., Any] = tasks.carry_step
) -> None:
    """Something happens while a worker computes: after it was given its documents and before they are saved."""
    spread = Work.spread

    def computed(work: Work, calls: Iterable[tuple[Any, Any]]) -> Iterator[tuple[Any, Any]]:
        functions = []

        def noted() -> Iterator[tuple[Any, Any]]:
            for key, call in calls:
                functions.append(call[0])
                yield key, call

        for result in spread(work, noted()):
            if what in functions:
                act()
            yield result

    monkeypatch.setattr(Work, "spread", computed)


def once(act: Callable[[], object]) -> Callable[[], None]:
    """What is done the first time only."""
    left = [act]

    def first() -> None:
        if left:
            left.pop()()

    return first


def trace(name: str, y: float = 200.0) -> dict[str, Any]:
    """A stroke drawn by hand."""
    return {
        "do": "trace",
        "id": name,
        "path": [[20.0, y, 0.5], [60.0, y, 0.5], [120.0, y + 4, 0.5]],
        "width": 4,
    }


def carried(shot: Shot, number: int) -> list[str]:
    return [paint["by"] for paint in shot.patches(number)["paint"].values()]


def test_paint_poured_while_paint_is_carried_stays_and_the_rest_is_carried_round_it(
    painted: Shot, monkeypatch: pytest.MonkeyPatch
) -> None:
    eye = [EYE[0] + 6, EYE[1]]
    meanwhile(monkeypatch, once(lambda: painted.edit(2, "pour", points=[eye], pot=2)))
    job = painted.job("carry")
    assert job["state"] == "done"
    assert carried(painted, 2).count("hand") == 1
    assert "carried" in carried(painted, 2)
    assert nearest(painted, 2, eye) == (2, "hand")


def test_paint_is_carried_into_a_drawing_whose_lines_changed_meanwhile(
    painted: Shot, monkeypatch: pytest.MonkeyPatch
) -> None:
    meanwhile(monkeypatch, once(lambda: painted.edit(2, "line", do=trace("aaaaaaaa"))))
    job = painted.job("carry")
    assert (job["state"], job["failed"]) == ("done", 0)
    assert "meanwhile" not in job["message"]
    assert "aaaaaaaa" in {stroke["id"] for stroke in painted.drawing(2)["strokes"]}
    assert carried(painted, 2).count("carried") == carried(painted, 3).count("carried") > 0


def test_a_hand_that_never_rests_keeps_no_paint_from_being_carried(
    painted: Shot, monkeypatch: pytest.MonkeyPatch
) -> None:
    eye = [EYE[0] + 6, EYE[1]]
    pots = itertools.cycle([1, 2])
    meanwhile(monkeypatch, lambda: painted.edit(2, "pour", points=[eye], pot=next(pots)))
    job = painted.job("carry")
    assert (job["state"], job["failed"]) == ("done", 0)
    assert nearest(painted, 2, eye)[1] == "hand"
    assert "carried" in carried(painted, 2)


def test_a_carry_that_is_cancelled_changes_no_drawing(
    painted: Shot, store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    def cancel() -> None:
        with store.transaction() as cursor:
            cursor.execute("SELECT id FROM jobs WHERE kind = 'carry'")
            job = cursor.fetchone()["id"]
        assert painted.client.post(f"/api/jobs/{job}/cancel").status_code == 200

    before = table_counts(store)
    meanwhile(monkeypatch, cancel)
    assert painted.job("carry")["state"] == "cancelled"
    assert carried(painted, 2) == carried(painted, 3) == []
    after = table_counts(store)
    assert {name for name in before if before[name] != after[name]} <= {"jobs", "job_items"}


def test_an_error_of_the_program_is_said_and_the_next_job_runs(
    painted: Shot, monkeypatch: pytest.MonkeyPatch
) -> None:
    def breaks() -> None:
        raise ZeroDivisionError("no patch to divide by")

    meanwhile(monkeypatch, breaks)
    job = painted.job("carry")
    assert job["state"] == "failed"
    assert "no patch to divide by" in job["message"]
    assert carried(painted, 2) == []
    monkeypatch.undo()
    assert painted.job("carry")["state"] == "done"
    assert "carried" in carried(painted, 2)


def test_a_drawing_changed_while_a_patch_is_followed_stays(
    painted: Shot, monkeypatch: pytest.MonkeyPatch
) -> None:
    change = once(lambda: painted.edit(3, "pour", points=[[EYE[0] + 12, EYE[1]]], pot=2))
    meanwhile(monkeypatch, change, tasks.follow_step)
    job = painted.job("track", source=painted.ids[0], at=EYE, pot=1)
    assert job["state"] == "done"
    assert "1 painted by hand or locked stay" in job["message"]
    assert carried(painted, 3) == ["hand"]
    assert carried(painted, 2) == ["carried"]


def nearest(shot: Shot, number: int, at: list[int]) -> tuple[int, str]:
    """Pot of the painted patch nearest to a place, and who painted it."""
    shown = shot.patches(number)
    painted = [
        (p["at"], shown["paint"][str(p["n"])]) for p in shown["patches"] if str(p["n"]) in shown["paint"]
    ]
    _, paint = min(painted, key=lambda one: (one[0][0] - at[0]) ** 2 + (one[0][1] - at[1]) ** 2)
    return paint["pot"], paint["by"]


def test_carrying_again_follows_a_correction(painted: Shot) -> None:
    eye = [EYE[0] + 6, EYE[1]]
    painted.job("carry")
    assert nearest(painted, 2, eye) == (1, "carried")
    painted.edit(1, "pour", points=[EYE], pot=2)
    painted.job("carry")
    assert nearest(painted, 2, eye) == (2, "carried")


def test_a_locked_pot_stays_when_paint_is_carried_again(painted: Shot) -> None:
    eye = [EYE[0] + 6, EYE[1]]
    painted.job("carry")
    painted.edit(1, "pour", points=[EYE], pot=2)
    painted.job("carry", keep=[1])
    assert nearest(painted, 2, eye) == (1, "carried")
    job = painted.job("track", source=painted.ids[0], at=EYE, pot=2, keep=[1])
    assert "by hand or locked stay" in job["message"]
    assert nearest(painted, 2, eye) == (1, "carried")
    painted.job("track", source=painted.ids[0], at=EYE, pot=2)
    assert nearest(painted, 2, eye) == (2, "carried")


def test_carrying_twice_makes_no_second_revision(painted: Shot) -> None:
    start = painted.client.post
    for _ in range(2):
        assert start("/api/levels/1/jobs", json={"kind": "carry"}).status_code == 200
    painted.client.app.state.runner.run_open()
    once = [painted.drawing(n)["revision"] for n in (1, 2, 3)]
    painted.job("carry")
    assert [painted.drawing(n)["revision"] for n in (1, 2, 3)] == once
    undone = start(f"/api/drawings/{painted.ids[1]}/undo").json()["drawings"]
    assert painted.ids[1] in undone
    assert carried(painted, 2) == []


def test_the_runner_works_in_the_background_and_stops(painted: Shot) -> None:
    own = runner.Runner(painted.client.app.state.store, painted.client.app.state.settings)
    job = painted.client.post("/api/levels/1/jobs", json={"kind": "carry"}).json()["id"]
    own.start()
    own.wake()
    until = time.monotonic() + 60
    while painted.client.get(f"/api/jobs/{job}").json()["state"] not in ("done", "failed"):
        assert time.monotonic() < until
        time.sleep(0.05)
    own.stop()
    assert "carried" in carried(painted, 2)
    assert painted.client.get(f"/api/jobs/{job}").json()["state"] == "done"


def eye_of(shot: Shot, drawing: int) -> list[float]:
    """A place in the smallest form of a drawing."""
    found = shot.client.get(f"/api/drawings/{drawing}/patches").json()
    forms = [p for p in found["patches"] if p["n"] != found["background"]]
    return list(min(forms, key=lambda p: p["area"])["at"])


def test_a_shot_with_nothing_painted_is_painted_from_another_of_the_model(painted: Shot) -> None:
    """The second shot shows the same face elsewhere; the first one's key drawing is all there is to go by."""
    with painted.client.app.state.store.transaction() as cursor:  # type: ignore[attr-defined]
        cursor.execute("SELECT model_id FROM levels WHERE id = 1")
        model = cursor.fetchone()["model_id"]
        shot, level = productions.create_shot(cursor, 1, "Pier", 24, "Pim", model, None)
        rows = [(k, "key", pictures.put(cursor, rough(-5 * k), "image/png", 320, 240)) for k in (1, 2)]
        productions.fill_shot(cursor, shot, level, (320, 240), rows, {1: 1, 3: 2}, 4)
        ids = [row["id"] for row in productions.drawings(cursor, level)]

    def job(kind: str) -> dict:
        answer = painted.client.post(f"/api/levels/{level}/jobs", json={"kind": kind})
        assert answer.status_code == 200, answer.text
        painted.client.app.state.runner.run_open()  # type: ignore[attr-defined]
        return painted.client.get(f"/api/jobs/{answer.json()['id']}").json()

    job("clean")
    done = job("carry")
    assert done["state"] == "done"
    assert "from 1 painted picture of the model" in done["message"]
    for drawing in ids:
        found = painted.client.get(f"/api/drawings/{drawing}/patches").json()
        forms = [p for p in found["patches"] if p["n"] != found["background"]]
        face, eye = max(forms, key=lambda p: p["area"]), min(forms, key=lambda p: p["area"])
        assert [found["paint"][str(form["n"])]["pot"] for form in (face, eye)] == [2, 1]
    # One correction is no painted drawing yet: the rest still comes from the model.
    base = painted.client.get(f"/api/drawings/{ids[0]}").json()["revision"]
    do = {"do": "pour", "points": [eye_of(painted, ids[0])], "pot": 2}
    assert painted.client.post(f"/api/drawings/{ids[0]}/do", json={"base": base, "do": do}).status_code == 200
    assert "of the model" in job("carry")["message"]
    found = painted.client.get(f"/api/drawings/{ids[0]}/patches").json()
    assert sorted(p["pot"] for p in found["paint"].values() if p["by"] == "carried").count(2) >= 1
    assert [p["pot"] for p in found["paint"].values() if p["by"] == "hand"] == [2]


def test_an_answer_is_weighed_without_matching_again(painted: Shot, monkeypatch: pytest.MonkeyPatch) -> None:
    painted.job("carry")
    matched: list[int] = []
    meanwhile(monkeypatch, lambda: matched.append(1))
    found = painted.patches(2)
    face = max((p for p in found["patches"] if p["n"] != found["background"]), key=lambda p: p["area"])
    painted.edit(2, "pour", points=[face["at"]], pot=1)
    assert painted.job("carry", again=True)["state"] == "done"
    assert not matched
    assert painted.patches(2)["paint"][str(face["n"])]["pot"] == 1
    painted.job("carry")
    assert matched


def test_what_is_at_hand_for_a_job_goes_when_a_newer_one_begins(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pool, "_newest", 0)
    memory: Memory[int] = Memory(10, lambda item: item)

    def seven() -> int:
        return memory.get("a", lambda: 7)

    assert memory.known("a") is None
    assert pool.of_job(5, seven) == memory.known("a") == 7
    # An older job that runs beside it changes nothing.
    for job in (5, 4):
        assert pool.of_job(job, lambda: memory.known("a")) == 7
    assert pool.of_job(6, lambda: memory.known("a")) is None
    memory.get("b", lambda: 8)
    assert memory.known("b") == 8


@pytest.mark.parametrize(
    ("places", "workers", "expected"),
    [
        ([], 2, []),
        ([4], 2, [(4, 1)]),
        ([0, 1, 2, 5, 6], 1, [(0, 2), (2, 1), (5, 2)]),
        (list(range(60)), 2, [(k, 6) for k in range(0, 60, 6)]),
    ],
)
def test_neighbours_are_compared_together_but_by_all_workers(
    places: list[int], workers: int, expected: list[tuple[int, int]]
) -> None:
    assert list(stretches(places, workers)) == expected
