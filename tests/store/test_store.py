"""The store against the real server."""

from __future__ import annotations

import os
import signal
from pathlib import Path

import pymysql
import pytest

from schoon.errors import NotFound, Refusal
from schoon.store import LocalServer, Store, jobs, models, pictures, productions, revisions
from schoon.store.pool import statements
from schoon.store.revisions import Subject

from .. import hands
from ..conftest import table_counts


def a_level(store: Store, count: int = 3) -> tuple[int, list[int]]:
    """A level of `count` drawings on twos; its id and theirs."""
    with store.transaction() as cursor:
        production = productions.create(cursor, "Harbour Lights")
        shot, level = productions.create_shot(cursor, production, "Quay", 24, "Pim", None, None)
        rows = [
            (n, "key", pictures.put(cursor, bytes([n]) * 10, "image/png", 4, 3)) for n in range(1, count + 1)
        ]
        productions.fill_shot(
            cursor, shot, level, (4, 3), rows, {1 + 2 * k: k + 1 for k in range(count)}, 2 * count
        )
        return level, [row["id"] for row in productions.drawings(cursor, level)]


def revised(store: Store, drawing_id: int, text: str, action: int | None = None, part: str = "line") -> int:
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, drawing_id, lock=True)
        action = action or revisions.begin_action(cursor, text)
        return revisions.revise(
            cursor, revisions.of(row), action, **{part: revisions.put_document(cursor, {"text": text})}
        )


def head(store: Store, drawing_id: int) -> int | None:
    with store.transaction() as cursor:
        return revisions.drawing(cursor, drawing_id)["head"]


def test_migrations_run_once_and_in_order(store: Store) -> None:
    assert store.migrate() == []
    assert {"drawings", "revisions", "jobs"} <= set(table_counts(store))


def test_statements_end_at_a_lines_last_semicolon() -> None:
    assert statements("-- a; b\nSELECT ';' ;\nSELECT 2\n;") == ["SELECT ';'", "SELECT 2"]


def test_a_failed_transaction_leaves_nothing(store: Store) -> None:
    before = table_counts(store)

    def half_done() -> None:
        with store.transaction() as cursor:
            productions.create(cursor, "gone")
            raise RuntimeError

    with pytest.raises(RuntimeError):
        half_done()
    assert table_counts(store) == before


def test_strict_mode_refuses_what_does_not_fit(store: Store) -> None:
    with pytest.raises(pymysql.DataError), store.transaction() as cursor:
        productions.create(cursor, "x" * 121)


def test_equal_pictures_are_stored_once_and_large_ones_fit(store: Store) -> None:
    body = os.urandom(30_000_000)
    with store.transaction() as cursor:
        names = {pictures.put(cursor, body, "image/png", 1, 1) for _ in range(2)}
        assert len(names) == 1
        assert pictures.get(cursor, names.pop())["body"] == body
        with pytest.raises(NotFound):
            pictures.get(cursor, "0" * 64)
    assert table_counts(store)["pictures"] == 1


def test_names_are_unique_where_people_tell_things_apart_by_them(store: Store) -> None:
    a_level(store)
    with store.transaction() as cursor:
        with pytest.raises(Refusal, match="production called"):
            productions.create(cursor, "Harbour Lights")
        production = productions.listing(cursor)[0]["id"]
        with pytest.raises(Refusal, match="shot called"):
            productions.create_shot(cursor, production, "Quay", 24, "Pim", None, None)
        with pytest.raises(NotFound):
            productions.create_shot(cursor, 999, "Quay", 24, "Pim", None, None)
        model = models.create(cursor, production, "Pim")
        models.add_pot(cursor, model, "Coat", "#edb21f")
        with pytest.raises(Refusal, match="pot called"):
            models.add_pot(cursor, model, "Coat", "#000000")


def test_undo_and_redo_walk_the_revisions_of_a_drawing(store: Store) -> None:
    _, (first, *_) = a_level(store)
    made = [revised(store, first, text) for text in ("a", "b")]
    with store.transaction() as cursor:
        assert hands.undo(cursor, first) == ("b", [first])
        assert hands.undo(cursor, first) == ("a", [first])
        assert hands.undo(cursor, first) is None
        assert hands.redo(cursor, first) == ("a", [first])
        assert revisions.can_redo(cursor, Subject("drawing", first))
        assert hands.redo(cursor, first) == ("b", [first])
        assert hands.redo(cursor, first) is None
    assert head(store, first) == made[1]


def test_a_new_edit_after_undo_is_what_redo_finds(store: Store) -> None:
    _, (first, *_) = a_level(store)
    revised(store, first, "a")
    revised(store, first, "b")
    with store.transaction() as cursor:
        hands.undo(cursor, first)
    last = revised(store, first, "c")
    with store.transaction() as cursor:
        hands.undo(cursor, first)
        hands.redo(cursor, first)
    assert head(store, first) == last


def test_a_bulk_action_is_undone_as_one_but_later_work_stays(store: Store) -> None:
    _, ids = a_level(store)
    with store.transaction() as cursor:
        action = revisions.begin_action(cursor, "carry")
    for drawing in ids:
        revised(store, drawing, "carried", action, "paint")
    later = revised(store, ids[1], "by hand")
    with store.transaction() as cursor:
        label, touched = hands.undo(cursor, ids[0]) or ("", [])
    assert (label, sorted(touched)) == ("carry", [ids[0], ids[2]])
    assert [head(store, d) for d in ids] == [None, later, None]
    with store.transaction() as cursor:
        assert sorted((hands.redo(cursor, ids[2]) or ("", []))[1]) == [ids[0], ids[2]]


def test_a_revision_keeps_the_documents_it_does_not_change(store: Store) -> None:
    _, (first, *_) = a_level(store)
    revised(store, first, "line")
    revised(store, first, "paint", part="paint")
    with store.transaction() as cursor:
        row = revisions.drawing(cursor, first)
        found = revisions.get_documents(cursor, [row["line"], row["paint"], None])
    assert found[row["line"]] == {"text": "line"}
    assert found[row["paint"]] == {"text": "paint"}


def test_jobs_count_their_items_and_end_once(store: Store) -> None:
    level, ids = a_level(store)
    with store.transaction() as cursor:
        job = jobs.create(cursor, "clean", level, ids, {"detail": 0.5})
        assert jobs.claim(cursor, "me", ["clean"]) == job
        jobs.end_item(cursor, job, ids[0], "done")
        jobs.end_item(cursor, job, ids[1], "failed", "broken")
        row = jobs.job(cursor, job)
        assert row is not None
        assert (row["total"], row["done"], row["failed"], row["settings"]) == (3, 1, 1, {"detail": 0.5})
        assert jobs.waiting_items(cursor, job) == [ids[2]]
        assert jobs.failures(cursor, job) == [{"number": "2", "message": "broken"}]
        jobs.end(cursor, job, "cancelled")
        jobs.end(cursor, job, "done")
        with pytest.raises(jobs.Lost):
            jobs.hold(cursor, job, "me")
        assert jobs.claim(cursor, "me", ["clean"]) is None
        assert jobs.open_jobs(cursor) == []


def test_colours_belong_to_keys_of_the_same_model(store: Store) -> None:
    a_level(store)
    with store.transaction() as cursor:
        production = productions.listing(cursor)[0]["id"]
        model, other = models.create(cursor, production, "Pim"), models.create(cursor, production, "Gull")
        key = models.add_key(cursor, model, "Day", "#000000", "#ffffff", {})
        pot, foreign = (
            models.add_pot(cursor, model, "Coat", "#edb21f"),
            models.add_pot(cursor, other, "Beak", "#ff0000"),
        )
        hands.set_colour(cursor, model, key, pot, "#123456")
        assert models.model(cursor, model)["keys"][0]["colours"] == {pot: "#123456"}
        with pytest.raises(NotFound):
            hands.set_colour(cursor, model, key, foreign, "#123456")


def test_a_wrong_address_is_refused_in_words() -> None:
    with pytest.raises(Refusal, match="mysql://"):
        Store("postgres://x/y")
    with pytest.raises(Refusal, match="does not answer"):
        Store("mysql://a:b@127.0.0.1:1/schoon")


def test_the_server_recovers_from_a_crash_and_keeps_its_secret(tmp_path: Path) -> None:
    home = tmp_path / ("a rather long folder name " * 4)
    server = LocalServer(home)
    url = server.start()
    store = Store(url)
    store.migrate()
    with store.transaction() as cursor:
        productions.create(cursor, "Kept")
    password = home / "database" / "password"
    assert password.stat().st_mode & 0o777 == 0o600
    pid = int((home / "database" / "server.pid").read_text())
    os.kill(pid, signal.SIGKILL)
    server.stop()
    store.close()
    (home / "database" / "server.pid").write_text(str(pid))

    again = LocalServer(home)
    try:
        url = again.start()
        assert LocalServer(home).start() == url
        fresh = Store(url)
        with fresh.transaction() as cursor:
            assert [row["name"] for row in productions.listing(cursor)] == ["Kept"]
        fresh.close()
    finally:
        again.stop()
