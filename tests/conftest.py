"""Shared set-up: one database server for all tests, a fresh database for each that asks."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import hypothesis
import numpy as np
import pytest
from fastapi.testclient import TestClient

from schoon.jobs.pool import Pool
from schoon.settings import Settings
from schoon.store import Cursor, LocalServer, Store
from schoon.web.app import create_app

from .shot import Shot

# A test that depends on chance or on the machine's speed says nothing.
hypothesis.settings.register_profile("steady", derandomize=True, deadline=None)
hypothesis.settings.load_profile("steady")


@pytest.fixture(scope="session")
def server_url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A MariaDB of our own on loopback, or the one SCHOON_DATABASE_URL names."""
    given = os.environ.get("SCHOON_DATABASE_URL")
    if given:
        yield given
        return
    server = LocalServer(tmp_path_factory.mktemp("home"), durable=False)
    yield server.start()
    server.stop()


@pytest.fixture(scope="session")
def pool() -> Iterator[Pool]:
    """Workers for all tests: to start them takes longer than most of what they do."""
    pool = Pool(2)
    yield pool
    pool.close()


@pytest.fixture(autouse=True)
def rests(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Whoever computes holds nothing in the database meanwhile: others would wait for it, as long as it takes."""
    within, faults = threading.local(), []
    opened, called = Store._open, Pool.call

    @contextlib.contextmanager
    def opens(self: Store, snapshot: bool) -> Iterator[Cursor]:
        before = getattr(within, "open", False)
        within.open = True
        try:
            with opened(self, snapshot) as cursor:
                yield cursor
        finally:
            within.open = before

    def calls(self: Pool, function: Callable[..., Any], *arguments: Any) -> Any:
        if getattr(within, "open", False):
            faults.append(function.__name__)
        return called(self, function, *arguments)

    monkeypatch.setattr(Store, "_open", opens)
    monkeypatch.setattr(Pool, "call", calls)
    yield
    assert not faults, "computed within a transaction"


@pytest.fixture
def empty_database_url(server_url: str) -> Iterator[str]:
    """The URL of a database without any table."""
    base, _, _ = server_url.rpartition("/")
    name = "schoon_test_empty"
    store = Store(server_url)
    with store.transaction() as cursor:
        cursor.execute(f"DROP DATABASE IF EXISTS {name}")
        cursor.execute(f"CREATE DATABASE {name} CHARACTER SET utf8mb4")
    yield f"{base}/{name}"
    with store.transaction() as cursor:
        cursor.execute(f"DROP DATABASE {name}")
    store.close()


@pytest.fixture(scope="session")
def _migrated(server_url: str) -> tuple[Store, list[str]]:
    """A migrated database for all tests, and its tables."""
    base, _, _ = server_url.rpartition("/")
    name = "schoon_test"
    main = Store(server_url)
    with main.transaction() as cursor:
        cursor.execute(f"DROP DATABASE IF EXISTS {name}")
        cursor.execute(f"CREATE DATABASE {name} CHARACTER SET utf8mb4")
    main.close()
    store = Store(f"{base}/{name}")
    store.migrate()
    return store, [table for table in table_counts(store) if table != "migrations"]


@pytest.fixture
def database_url(_migrated: tuple[Store, list[str]]) -> str:
    """The URL of a migrated database without any row."""
    store, tables = _migrated
    with store.transaction() as cursor:
        cursor.execute("SET FOREIGN_KEY_CHECKS = 0")
        for table in tables:
            cursor.execute(f"SELECT 1 FROM {table} LIMIT 1")
            if cursor.fetchone() or _counted(cursor, table):
                cursor.execute(f"TRUNCATE TABLE {table}")
        cursor.execute("SET FOREIGN_KEY_CHECKS = 1")
    return store.url


def _counted(cursor: Cursor, table: str) -> bool:
    """Whether ids of a table have begun to count."""
    cursor.execute(
        "SELECT AUTO_INCREMENT > 1 AS begun FROM information_schema.TABLES"
        " WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = %s",
        (table,),
    )
    return bool(cursor.fetchone()["begun"])


@pytest.fixture
def store(database_url: str) -> Iterator[Store]:
    """An open store over an empty, migrated database."""
    store = Store(database_url)
    yield store
    store.close()


@pytest.fixture
def settings(tmp_path: Path, database_url: str) -> Settings:
    # What is made ahead would take the workers' time from the test: the one that is about it says so.
    return Settings(home=tmp_path, database_url=database_url, workers=2, hosts="testserver", ahead=False)


@pytest.fixture
def client(store: Store, settings: Settings, pool: Pool) -> Iterator[TestClient]:
    app = create_app(store, settings, pool)
    # The runner is driven by hand, so that a test sees each state between.
    app.state.runner.start = lambda: None
    app.state.runner.wake = lambda: None
    with TestClient(app, headers={"accept": "application/json"}) as client:
        yield client


@pytest.fixture
def shot(client: TestClient) -> Shot:
    return Shot(client)


@pytest.fixture
def random() -> np.random.Generator:
    return np.random.default_rng(7)


def table_counts(store: Store) -> dict[str, int]:
    """Rows in every table, to see that nothing was left behind."""
    with store.transaction() as cursor:
        cursor.execute("SHOW TABLES")
        names = [next(iter(row.values())) for row in cursor.fetchall()]
        counts = {}
        for name in names:
            cursor.execute(f"SELECT COUNT(*) AS n FROM {name}")
            counts[name] = int(cursor.fetchone()["n"])
    return counts
