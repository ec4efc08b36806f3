"""The store keeps what was answered: through interrupted starts, lost servers, and changes sent twice."""

from __future__ import annotations

import os
import signal
import threading
import time
from importlib import resources
from pathlib import Path

import pymysql
import pytest

from schoon.errors import Away, Damaged, Full, Refusal
from schoon.store import Cursor, LocalServer, Store, documents, models, once, pool, productions, revisions
from schoon.work import edits
from schoon.work.operations.model import BackPot, BringBack

from .. import hands
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
        revisions.revise(
            cursor, revisions.of(row), action, line=revisions.put_document(cursor, {"text": "new"})
        )
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
        hands.lock_level(cursor, other, True)
        assert hands.undo(cursor, first) == ("both", [first])
    assert [head(store, first), head(store, second)] == [None, kept]


def test_a_pot_that_was_taken_out_comes_back_with_its_colours(store: Store) -> None:
    a_level(store)
    with store.transaction() as cursor:
        production = productions.listing(cursor)[0]["id"]
        model = models.create(cursor, production, "Pim")
        day = models.add_key(cursor, model, "Day", "#000000", "#ffffff", {})
        coat = models.add_pot(cursor, model, "Coat", "#edb21f")
        hands.delete_pot(cursor, model, coat)
        assert models.model(cursor, model)["pots"] == []
        # Its name is free meanwhile, and keys go on.
        other = models.add_pot(cursor, model, "Coat", "#112233")
        night = models.add_key(cursor, model, "Night", "#000000", "#ffffff", {})
        gone = BackPot(id=coat, name="Coat", colours=models.colours_of(cursor, coat))
        back = BringBack(do="bring-back", pots=[gone])
        edits.change_model(cursor, model, back)
        assert back.names == ["Coat (2)"]
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


def _wait_stopped(pid: int) -> None:
    """Returns when no thread of a process runs: on a busy machine some go on for a moment after the signal, and could
    still keep what is not to be kept."""
    deadline = time.monotonic() + 10
    while True:
        states = [
            task.read_text().rpartition(")")[2].split()[0]
            for task in Path(f"/proc/{pid}/task").glob("*/stat")
        ]
        if set(states) == {"T"}:
            return
        assert time.monotonic() < deadline, states
        time.sleep(0.01)


def test_a_database_that_stands_still_is_noticed_and_comes_back(tmp_path: Path) -> None:
    server = LocalServer(tmp_path)
    try:
        store = Store(server.start())
        store.migrate()
        store.watch()
        pid = int((tmp_path / "database" / "server.pid").read_text())
        with store.transaction() as cursor:
            productions.create(cursor, "Kept")
        os.kill(pid, signal.SIGSTOP)
        _wait_stopped(pid)
        try:
            waited = []
            for _ in range(2):
                began = time.monotonic()
                with pytest.raises(Away), store.transaction() as cursor:
                    productions.create(cursor, "Lost")
                waited.append(time.monotonic() - began)
            # The first waits for an answer (5 s, and what a machine of tests takes), the second is told at once.
            assert waited[0] < 8
            assert waited[1] < 0.5
        finally:
            os.kill(pid, signal.SIGCONT)
        deadline = time.monotonic() + 15
        while True:
            try:
                with store.transaction() as cursor:
                    assert [row["name"] for row in productions.listing(cursor)] == ["Kept"]
                break
            except Away:
                assert time.monotonic() < deadline
                time.sleep(0.1)
        store.close()
    finally:
        server.stop()


def test_what_was_kept_before_revisions_named_their_parts_is_all_there(empty_database_url: str) -> None:
    old = Store(empty_database_url)
    folder = resources.files("schoon.store") / "migrations"
    names = sorted(e.name for e in folder.iterdir() if e.name.endswith(".sql") and e.name < "0007")
    with old.transaction() as cursor:
        cursor.execute("CREATE TABLE migrations (name VARCHAR(80) PRIMARY KEY, ran_at DATETIME NOT NULL)")
        for name in names:
            for statement in pool.statements((folder / name).read_text(encoding="utf-8")):
                cursor.execute(statement)
            cursor.execute("INSERT INTO migrations VALUES (%s, UTC_TIMESTAMP())", (name,))
        _, (first, *_) = _old_level(cursor)
        line = revisions.put_document(cursor, {"text": "a"})
        paint = revisions.put_document(cursor, {"text": "b"})
        cursor.execute("INSERT INTO actions (label) VALUES ('trace'), ('pour')")
        cursor.execute(
            "INSERT INTO revisions (drawing_id, parent_id, action_id, line, paint) VALUES (%s, NULL, 1, %s, NULL),"
            " (%s, 1, 2, %s, %s)",
            (first, line, first, line, paint),
        )
        cursor.execute("UPDATE drawings SET head = 2 WHERE id = %s", (first,))
    assert old.migrate()
    with old.transaction() as cursor:
        row = revisions.drawing(cursor, first)
        assert (row["line"], row["seal"], row["paint"]) == (line, None, paint)
        assert hands.undo(cursor, first) == ("pour", [first])
        assert revisions.drawing(cursor, first)["paint"] is None
    old.close()


def _old_level(cursor: Cursor) -> tuple[int, list[int]]:
    production = productions.create(cursor, "Quay")
    shot, level = productions.create_shot(cursor, production, "Old", 24, "Pim", None, None)
    cursor.execute("INSERT INTO pictures VALUES (%s, 'image/png', 4, 3, 'x')", ("a" * 64,))
    cursor.execute(
        "INSERT INTO drawings (level_id, number, kind, rough) VALUES (%s, 1, 'key', %s)", (level, "a" * 64)
    )
    return shot, [int(cursor.lastrowid)]


def test_a_document_of_a_newer_schoon_is_refused_and_an_older_one_brought_up(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    with pytest.raises(Damaged, match="newer Schoon"):
        documents.current("line", {"version": 99, "strokes": []})
    assert documents.current("line", {"strokes": []}) == {"strokes": []}
    monkeypatch.setitem(documents.VERSIONS, "line", 3)
    for version in (1, 2):
        step = {"version": version + 1, "strokes": [version]}
        monkeypatch.setitem(documents._ONWARD, ("line", version), lambda _, step=step: step)
    assert documents.current("line", {"strokes": []}) == {"version": 3, "strokes": [2]}
    assert documents.current("line", None) is None
