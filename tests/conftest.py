"""Shared set-up: one database server for all tests, a fresh database for each that asks."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from fastapi.testclient import TestClient

from schoon.settings import Settings
from schoon.store import LocalServer, Store
from schoon.web.app import create_app

from .shot import Shot


@pytest.fixture(scope="session")
def server_url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A MariaDB of our own on loopback, or the one SCHOON_DATABASE_URL names."""
    given = os.environ.get("SCHOON_DATABASE_URL")
    if given:
        yield given
        return
    server = LocalServer(tmp_path_factory.mktemp("home"))
    yield server.start()
    server.stop()


@pytest.fixture
def database_url(server_url: str, request: pytest.FixtureRequest) -> Iterator[str]:
    """The URL of an empty database."""
    base, _, _ = server_url.rpartition("/")
    name = f"schoon_test_{abs(hash(request.node.nodeid)) % 10**9}"
    store = Store(server_url)
    with store.transaction() as cursor:
        cursor.execute(f"DROP DATABASE IF EXISTS {name}")
        cursor.execute(f"CREATE DATABASE {name} CHARACTER SET utf8mb4")
    yield f"{base}/{name}"
    with store.transaction() as cursor:
        cursor.execute(f"DROP DATABASE {name}")
    store.close()


@pytest.fixture
def store(database_url: str) -> Iterator[Store]:
    """An open store over an empty, migrated database."""
    store = Store(database_url)
    store.migrate()
    yield store
    store.close()


@pytest.fixture
def settings(tmp_path: Path, database_url: str) -> Settings:
    return Settings(home=tmp_path, database_url=database_url, workers=2)


@pytest.fixture
def client(store: Store, settings: Settings) -> Iterator[TestClient]:
    app = create_app(store, settings)
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
