"""What a hand does while something works on many drawings is never lost: the work is laid round it."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from schoon.core.seal import Stitch
from schoon.errors import Refusal
from schoon.jobs import tasks
from schoon.store import Store, jobs, productions, revisions
from schoon.work import between, edits, run
from schoon.work.documents import seal_document
from schoon.work.meanwhile import laid_round
from schoon.work.operations.line import Trace

from .. import hands
from ..shot import Shot
from .test_runner import meanwhile, once, trace


@pytest.fixture
def lined(shot: Shot) -> Shot:
    """Three cleaned drawings."""
    shot.job("clean")
    return shot


def here(function: Callable[..., Any], *arguments: Any) -> Any:
    return function(*arguments)


def ids_of(shot: Shot, number: int) -> set[str]:
    return {stroke["id"] for stroke in shot.drawing(number)["strokes"]}


def states_of(shot: Shot, number: int) -> dict[str, str]:
    return {stitch["id"]: stitch["state"] for stitch in shot.drawing(number)["stitches"]}


def stitch(y: float) -> list[list[float]]:
    return [[10.0, y], [40.0, y]]


every_kind = pytest.mark.parametrize(
    ("kind", "what", "more"),
    [
        ("clean", tasks.clean, {}),
        ("seal", tasks.seal, {}),
        ("specks", tasks.specks, {"under": 9}),
        ("fit", tasks.fit, {"source": 1}),
    ],
)
"""A kind of job that works on drawings, the call of a worker it waits for, and its settings."""


@every_kind
def test_strokes_and_stitches_made_while_a_job_runs_are_kept(
    lined: Shot, monkeypatch: pytest.MonkeyPatch, kind: str, what: Callable[..., Any], more: dict[str, Any]
) -> None:
    made: list[str] = []

    def by_hand() -> None:
        for number in (2, 3):
            name = f"hand{number}aaaa"
            lined.edit(number, "line", do=trace(name, 200.0 + number))
            lined.edit(number, "stitch", points=stitch(20.0 + number))
            made.append(name)

    stitches = {n: set(states_of(lined, n)) for n in (2, 3)}
    meanwhile(monkeypatch, once(by_hand), what)
    job = lined.job(kind, **more)
    assert job["state"] == "done"
    assert job["failed"] == 0
    for number, name in zip((2, 3), made, strict=True):
        assert name in ids_of(lined, number)
        kept = [s for s in lined.drawing(number)["stitches"] if s["by"] == "hand"]
        assert [s["state"] for s in kept if s["id"] not in stitches[number]] == ["taken"]


@every_kind
def test_work_is_laid_round_a_hand_that_never_rests(
    lined: Shot, monkeypatch: pytest.MonkeyPatch, kind: str, what: Callable[..., Any], more: dict[str, Any]
) -> None:
    count = iter(range(100))

    def again() -> None:
        number = next(count)
        lined.edit(2, "line", do=trace(f"hand{number:04}", 205.0 + number))
        lined.edit(2, "stitch", points=stitch(20.0 + number))

    meanwhile(monkeypatch, again, what)
    job = lined.job(kind, drawings=[lined.ids[1]], **more)
    assert (job["state"], job["failed"]) == ("done", 0)
    assert "specks" not in more or lined.drawing(2)["specks"] == 9
    made = next(count)
    assert len([i for i in ids_of(lined, 2) if i.startswith("hand")]) == made
    assert len([s for s in lined.drawing(2)["stitches"] if s["by"] == "hand"]) == made


def test_what_was_made_is_laid_round_what_a_hand_did() -> None:
    def line(**strokes: int) -> dict[str, Any]:
        return {"version": 1, "strokes": [{"id": name, "x": x} for name, x in strokes.items()]}

    was = line(a=1, b=1, c=1, d=1)
    # Made anew: b moved, c gone, e new. By hand meanwhile: a changed, c changed, d taken away, f drawn.
    made, now = line(a=2, b=2, d=2, e=2), line(a=3, b=1, c=3, f=3)
    assert laid_round(was, made, now) == line(a=3, b=2, e=2, c=3, f=3)
    assert laid_round(was, made, was) == made
    assert laid_round(None, made, now) == line(a=3, b=1, d=2, e=2, c=3, f=3)
    # What has no names is the hand's.
    assert laid_round({"at": [1, 2]}, {"at": [1, 3]}, {"at": [2, 2]}) == {"at": [2, 2]}
    assert laid_round({"specks": 6}, {"specks": 9}, {"specks": 6, "own": {"picture": "p"}}) == {
        "specks": 9,
        "own": {"picture": "p"},
    }


def test_cleaning_again_keeps_stitches_judgements_and_the_limit_of_specks(lined: Shot) -> None:
    lined.edit(1, "stitch", points=stitch(20.0))
    drawn = next(s["id"] for s in lined.drawing(1)["stitches"] if s["by"] == "hand")
    lined.job("specks", under=11)
    gap = next((s for s in lined.drawing(1)["stitches"] if s["by"] != "hand"), None)
    if gap:
        lined.edit(1, "judge", stitch=gap["id"], state="left")
    lined.job("clean")
    after = states_of(lined, 1)
    assert after[drawn] == "taken"
    assert lined.drawing(1)["specks"] == 11
    if gap:
        assert after[gap["id"]] == "left"


def test_gaps_taken_by_their_doubt_stay_taken_when_gaps_are_looked_for_again(
    lined: Shot, store: Store
) -> None:
    asked = Stitch(np.array([[30.0, 20.0], [60.0, 20.0]]), 0.6, "an end that stops short of a line")
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, lined.ids[0], lock=True)
        document = revisions.put_document(cursor, seal_document([asked]))
        revisions.revise(
            cursor, revisions.of(row), revisions.begin_action(cursor, "look for gaps"), seal=document
        )
    assert (
        lined.client.post("/api/levels/1/do", json={"do": {"do": "take-under", "under": 0.7}}).json()[
            "things"
        ]
        == 1
    )
    lined.job("seal", drawings=[lined.ids[0]])
    assert states_of(lined, 1)[asked.id] == "taken"


def during(store: Store, drawing_id: int, act: Callable[[], object], name: str = "other001") -> bool:
    """Whether a stroke is kept that another window traces while an act on many drawings waits for that drawing.

    The other window holds the drawing first; the act is begun, and reads whatever it reads, before it is let go.
    """
    with store.transaction() as cursor:
        operation = Trace(**trace(name, 215.0))  # type: ignore[arg-type]
        edits.change_drawing(cursor, drawing_id, None, operation)
        other = threading.Thread(target=act)
        other.start()
        other.join(1.0)
        assert other.is_alive(), "it did not wait for the drawing"
    other.join(30)
    with store.transaction() as cursor:
        return any(s.id == name for s in edits.load(cursor, drawing_id)[1].strokes)


def acting(store: Store, act: Callable[..., object], *given: Any) -> Callable[[], object]:
    def done() -> object:
        with store.transaction() as cursor:
            # What a request has read before it waits must not be what it goes on with.
            productions.drawings(cursor, 1)
            return act(cursor, *given)

    return done


def test_weighing_keeps_what_another_window_traces(lined: Shot, store: Store) -> None:
    assert during(store, lined.ids[1], lambda: run.weigh(store, 1, lined.ids, here))


def test_tracing_back_keeps_what_another_window_traces(lined: Shot, store: Store) -> None:
    chosen = [lined.drawing(1)["strokes"][0]["id"]]
    back = (1, lined.ids[0], chosen, "", lined.ids[1:], False, False)
    assert during(store, lined.ids[1], lambda: run.trace_back(store, *back, call=here))
    # In the drawing it comes from as well.
    assert during(store, lined.ids[0], lambda: run.trace_back(store, *back, call=here))


def test_in_betweens_keep_what_another_window_traces(lined: Shot, store: Store) -> None:
    assert during(
        store,
        lined.ids[1],
        lambda: between.between(
            store, 1, between.Ask(lined.ids[0], lined.ids[2], also=frozenset(lined.ids)), here
        ),
    )


def test_linked_strokes_follow_round_what_another_window_traces(lined: Shot, store: Store) -> None:
    chosen = lined.drawing(1)["strokes"][0]["id"]
    run.trace_back(store, 1, lined.ids[0], [chosen], "", lined.ids[1:], False, True, here)
    move = {"do": "place", "ids": [chosen], "matrix": [1, 0, 3, 0, 1, 0]}
    assert during(store, lined.ids[1], lambda: lined.edit(1, "line", do=move, base=0))
    assert during(
        store,
        lined.ids[0],
        lambda: lined.edit(2, "line", do={**move, "ids": [linked(lined, 2)]}, base=0),
        "other002",
    )


def linked(shot: Shot, number: int) -> str:
    return next(s["id"] for s in shot.drawing(number)["strokes"] if s["linked"])


def test_taking_stitches_and_repainting_keep_what_another_window_does(lined: Shot, store: Store) -> None:
    lined.edit(2, "pour", points=[[100, 100]], pot=1)
    cells = [(d, 1) for d in lined.ids]
    assert during(store, lined.ids[1], acting(store, hands.repaint, 1, cells, "pour", 2))
    assert [p["pot"] for p in lined.patches(2)["paint"].values()] == [2]


def test_two_acts_on_many_drawings_wait_for_each_other_and_never_block(lined: Shot, store: Store) -> None:
    failed: list[BaseException] = []
    for number in (1, 2, 3):
        lined.edit(number, "pour", points=[[100, 100]], pot=1)

    def many(order: list[int]) -> None:
        for turn in range(8):
            try:
                cells = [(drawing, pot) for drawing in order for pot in (1, 2)]
                # Another thread may just have poured the same pot: then there is nothing to change.
                with contextlib.suppress(Refusal), store.transaction() as cursor:
                    hands.repaint(cursor, 1, cells, "pour", 1 + turn % 2)
                run.weigh(store, 1, order, here)
            except Exception as error:
                failed.append(error)

    threads = [threading.Thread(target=many, args=(order,)) for order in (lined.ids, lined.ids[::-1]) * 2]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert failed == []


def test_a_locked_level_stays_as_it_is(lined: Shot, store: Store) -> None:
    post = lined.client.post
    lined.edit(1, "line", do=trace("aaaaaaaa"))
    job = post("/api/levels/1/jobs", json={"kind": "clean"}).json()["id"]
    post("/api/stacks/1/do", json={"do": {"do": "lock", "level": 1, "locked": True}})
    before = [lined.drawing(n)["revision"] for n in (1, 2, 3)]
    chosen = lined.drawing(1)["strokes"][0]["id"]
    tries: dict[str, dict[str, Any]] = {
        "/api/levels/1/weigh": {"drawings": lined.ids},
        "/api/levels/1/trace-back": {"drawing": lined.ids[0], "strokes": [chosen], "to": lined.ids[1:]},
        "/api/levels/1/between": {"first": lined.ids[0], "last": lined.ids[2]},
        "/api/times/1/do": {"do": {"do": "mark", "level": 1, "drawing": lined.ids[0], "kind": "breakdown"}},
        f"/api/drawings/{lined.ids[0]}/undo": {},
    }
    for url, content in tries.items():
        answer = post(url, json=content)
        assert answer.status_code == 422, url
        assert "The level Pim is locked" in answer.json()["error"]
    # A job that was begun before changes nothing either.
    lined.client.app.state.runner.run_open()  # type: ignore[attr-defined]
    ended = lined.client.get(f"/api/jobs/{job}").json()
    assert (ended["state"], ended["done"]) == ("failed", 0)
    assert "The level Pim is locked" in ended["message"]
    assert [lined.drawing(n)["revision"] for n in (1, 2, 3)] == before
    assert lined.run()["drawings"][0]["kind"] == "key"


def test_a_job_belongs_to_one_process_at_a_time(lined: Shot, store: Store) -> None:
    with store.transaction() as cursor:
        job = jobs.create(cursor, "seal", 1, lined.ids, {})
        mine, other = jobs.new_owner(), jobs.new_owner()
        assert jobs.claim(cursor, mine, ["seal"]) == job
        assert jobs.claim(cursor, other, ["seal"]) is None
        with pytest.raises(jobs.Lost):
            jobs.hold(cursor, job, other)
        # Its lease runs out, or its process ended on this machine, or it gives the job back.
        cursor.execute("UPDATE jobs SET leased_until = CURRENT_TIMESTAMP(3) - INTERVAL 1 SECOND")
        assert jobs.claim(cursor, other, ["seal"]) == job
        with pytest.raises(jobs.Lost):
            jobs.renew(cursor, job, mine)
        host, _, _, token = other.split("/")
        cursor.execute("UPDATE jobs SET owner = %s", (f"{host}/999999/1/{token}",))
        assert jobs.claim(cursor, mine, ["seal"]) == job
        jobs.release(cursor, mine)
        assert jobs.claim(cursor, other, ["seal"]) == job
