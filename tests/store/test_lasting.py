"""The store keeps what was answered: through interrupted starts, lost servers, and changes sent twice."""

from __future__ import annotations

import os
import signal
import threading
import time
from pathlib import Path

import pymysql
import pytest

from schoon.errors import Away, Damaged, Full, Refusal
from schoon.store import LocalServer, Store, models, once, pool, productions, revisions

from ..conftest import table_counts
from .test_store import a_level, head, revised


@pytest.fixture
def empty(empty_database_url: str) -> Store:
    return Store(empty_database_url)


def test_a_first_start_may_be_interrupted_at_any_statement(
    empty: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    execute = pool._execute_once
    ran: set[str] = set()

    def interrupted(cursor: pool.Cursor, statement: str) -> None:
        execute(cursor, statement)
        # After every statement that is new the machine is switched off.
        if statement not in ran:
            ran.add(statement)
            raise KeyboardInterrupt

    monkeypatch.setattr(pool, "_execute_once", interrupted)
    for _ in range(100):
        try:
            empty.migrate()
            break
        except KeyboardInterrupt:
            continue
    monkeypatch.undo()
    assert empty.migrate() == []
    assert {"drawings", "pots", "steps"} <= set(table_counts(empty))
    a_level(empty)
    empty.close()


def test_a_first_start_of_two_processes_waits_or_says_so(
    empty: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(pool, "_MIGRATE_WAIT", 0.2)
    with empty.transaction() as cursor:
        cursor.execute("SELECT GET_LOCK(CONCAT(DATABASE(), '.migrate'), 0)")
        with pytest.raises(Refusal, match="Another process"):
            empty.migrate()
        cursor.execute("SELECT RELEASE_LOCK(CONCAT(DATABASE(), '.migrate'))")
    assert empty.migrate()
    # Nobody keeps the lock.
    with empty.transaction() as cursor:
        cursor.execute("SELECT IS_FREE_LOCK(CONCAT(DATABASE(), '.migrate')) AS free")
        assert cursor.fetchone() == {"free": 1}
    empty.close()


def test_a_document_that_is_missing_is_an_error_and_never_empty(store: Store) -> None:
    with store.transaction() as cursor, pytest.raises(Damaged, match="restore it from a backup"):
        revisions.get_documents(cursor, ["0" * 64, None])


def test_numbers_that_are_none_never_reach_a_document(store: Store) -> None:
    with store.transaction() as cursor, pytest.raises(ValueError, match="JSON"):
        revisions.put_document(cursor, {"x": float("inf")})


def test_what_is_read_after_a_lock_was_waited_for_is_what_was_written(store: Store) -> None:
    _, (first, *_) = a_level(store)
    seen: list[object] = []

    def later() -> None:
        with store.transaction() as cursor:
            # A read before the wait must not pin what is read after it.
            revisions.drawing(cursor, first)
            row = revisions.drawing(cursor, first, lock=True)
            seen.append(revisions.get_documents(cursor, [row["line"]])[row["line"]])

    with store.transaction() as cursor:
        row = revisions.drawing(cursor, first, lock=True)
        other = threading.Thread(target=later)
        other.start()
        time.sleep(0.3)
        action = revisions.begin_action(cursor, "x")
        revisions.revise(cursor, row, action, line=revisions.put_document(cursor, {"text": "new"}))
    other.join(20)
    assert seen == [{"text": "new"}]


def test_a_change_sent_twice_is_done_once(store: Store) -> None:
    _, (first, *_) = a_level(store)
    token = "ab" * 16
    once.name(token)
    revised(store, first, "a")
    before = table_counts(store)
    once.name(token)
    with pytest.raises(once.DoneBefore):
        revised(store, first, "a")
    assert table_counts(store) == before
    # A second action of one request has no name of its own.
    once.name("cd" * 16)
    with store.transaction() as cursor:
        revisions.begin_action(cursor, "b")
        revisions.begin_action(cursor, "c")
        found = once.found(cursor, token)
    once.name("")
    assert found is not None
    assert found["drawings"] == [first]


def test_undo_leaves_drawings_of_locked_levels(store: Store) -> None:
    level, (first, second, _) = a_level(store)
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level)["id"]
        other = productions.add_level(cursor, shot, "Flag", None, None)
        cursor.execute("UPDATE drawings SET level_id = %s WHERE id = %s", (other, second))
        action = revisions.begin_action(cursor, "both")
    kept = revised(store, second, "x", action)
    revised(store, first, "x", action)
    with store.transaction() as cursor:
        productions.lock_level(cursor, other, True)
        assert revisions.undo(cursor, first) == ("both", [first])
    assert [head(store, first), head(store, second)] == [None, kept]


def test_a_pot_that_was_taken_out_comes_back_with_its_colours(store: Store) -> None:
    a_level(store)
    with store.transaction() as cursor:
        production = productions.listing(cursor)[0]["id"]
        model = models.create(cursor, production, "Pim")
        day = models.add_key(cursor, model, "Day", "#000000", "#ffffff", {})
        coat = models.add_pot(cursor, model, "Coat", "#edb21f")
        models.delete_pot(cursor, model, coat)
        assert models.model(cursor, model)["pots"] == []
        # Its name is free meanwhile, and keys go on.
        other = models.add_pot(cursor, model, "Coat", "#112233")
        night = models.add_key(cursor, model, "Night", "#000000", "#ffffff", {})
        assert models.bring_back(cursor, [coat, other, 999]) == ["Coat (2)"]
        found = models.model(cursor, model)
        assert {p["id"]: p["name"] for p in found["pots"]} == {coat: "Coat (2)", other: "Coat"}
        colours = {key["id"]: key["colours"].get(coat) for key in found["keys"]}
        assert colours == {day: "#edb21f", night: "#edb21f"}


def test_a_full_disk_and_a_lost_server_are_told_apart(store: Store, monkeypatch: pytest.MonkeyPatch) -> None:
    for code, meant in ((1114, Full), (1021, Full), (2013, Away), (1213, Away), (2003, Away)):
        with pytest.raises(meant), store.transaction():
            raise pymysql.OperationalError(code, "so it is")
    with pytest.raises(Away), store.transaction():
        raise pymysql.InterfaceError(0, "")


def test_the_database_is_watched_and_started_again(tmp_path: Path) -> None:
    server = LocalServer(tmp_path)
    try:
        store = Store(server.start())
        store.migrate()
        server.watch()
        with store.transaction() as cursor:
            productions.create(cursor, "Kept")
        os.kill(int((tmp_path / "database" / "server.pid").read_text()), signal.SIGKILL)
        away = 0
        for _ in range(600):
            try:
                with store.transaction() as cursor:
                    assert [row["name"] for row in productions.listing(cursor)] == ["Kept"]
                break
            except Away:
                away += 1
                time.sleep(0.05)
        assert away
        store.close()
    finally:
        server.stop()
    assert not (tmp_path / "database" / "server.pid").exists()
