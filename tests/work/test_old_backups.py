"""Backups of every version of the database that ever landed, made by the code of that version, are restored.

Each holds the shot of `tests/shot.py`, cleaned, with a pour, a stitch and a stroke of the hand, and what else its version could:
tones from 16 on, an entry of the finish in 28.
"""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

import schoon
from schoon.formats.backup import Reader
from schoon.jobs.pool import Pool
from schoon.settings import Settings
from schoon.store import Store, models, productions
from schoon.store.backup import TABLES
from schoon.store.pool import statements
from schoon.web.app import create_app
from schoon.work.backup import back_up, restore

from .. import hands
from ..shot import Shot

OLD = sorted((Path(__file__).parent / "backups").glob("schema_*.zip"))
MIGRATIONS = {
    path.name: path for path in (Path(schoon.__file__).parent / "store" / "migrations").glob("*.sql")
}


@pytest.mark.parametrize("path", OLD, ids=lambda path: path.stem)
def test_an_older_backup_is_restored_and_worked_on(path: Path, client: TestClient, store: Store) -> None:
    kept = restore(store, path)
    assert (kept.productions, kept.shots, kept.drawings) == (["Harbour Lights"], 1, 3)
    works_on(client, store, path)


# Those between go through the same migrations.
@pytest.mark.parametrize("path", OLD[::4], ids=lambda path: path.stem)
def test_a_database_of_that_version_is_brought_up_to_now(
    path: Path, empty_database_url: str, tmp_path: Path, pool: Pool
) -> None:
    store = Store(empty_database_url)
    try:
        as_it_was(store, path)
        assert len(store.migrate()) == len(MIGRATIONS) - int(path.stem.removeprefix("schema_"))
        settings = Settings(
            home=tmp_path, database_url=empty_database_url, workers=1, ahead=False, hosts="testserver"
        )
        works_on(TestClient(create_app(store, settings, pool)), store, path)
    finally:
        store.close()


def as_it_was(store: Store, path: Path) -> None:
    """Makes a database of an older version, with the rows of a backup of it as they are."""
    reader = Reader(path)
    with store.transaction() as cursor:
        cursor.execute("CREATE TABLE migrations (name VARCHAR(80) PRIMARY KEY, ran_at DATETIME NOT NULL)")
        for name in reader.about["migrations"]:
            for statement in statements((MIGRATIONS[name]).read_text(encoding="utf-8")):
                cursor.execute(statement)
            cursor.execute("INSERT INTO migrations VALUES (%s, UTC_TIMESTAMP())", (name,))
        cursor.execute("SET FOREIGN_KEY_CHECKS = 0")
        for table in (*(table.name for table in TABLES), "documents", "pictures"):
            for row in reader.rows(table):
                if table in ("documents", "pictures"):
                    row["body"] = reader.blob(table, row["sha256"])
                marks = ", ".join(["%s"] * len(row))
                columns = ", ".join(f"`{name}`" for name in row)
                cursor.execute(f"INSERT INTO {table} ({columns}) VALUES ({marks})", list(row.values()))
        cursor.execute("SET FOREIGN_KEY_CHECKS = 1")
    reader.close()


def works_on(client: TestClient, store: Store, path: Path) -> None:
    """What the backup of a version holds is there, is seen, and can be worked on."""
    with store.transaction() as cursor:
        (shot,) = productions.shots(cursor)
        ids = [row["id"] for row in productions.drawings(cursor, shot["level_id"])]
        pots = {pot["id"]: pot["name"] for pot in models.model(cursor, shot["model_id"])["pots"]}
    for stage in ("rough", "line", "seal", "paint", "tone", "hand-off"):
        page = client.get(f"/shots/{shot['id']}/{stage}", headers={"accept": "text/html"})
        assert page.status_code == 200
    drawings = [client.get(f"/api/drawings/{one}").json() for one in ids]
    assert all(drawing["strokes"] for drawing in drawings)
    assert "aaaaaaaaaa" in [stroke["id"] for stroke in drawings[1]["strokes"]]
    assert any(stitch["by"] == "hand" for stitch in drawings[0]["stitches"])
    seen = client.get(f"/api/drawings/{ids[0]}/patches").json()
    assert [pots[one["pot"]] for one in seen["paint"].values() if one["by"] == "hand"] == ["Coat"]
    if path.stem >= "schema_16":
        assert [tone["id"] for tone in seen["tones"]] == ["bbbbbbbbbb"]
    if path.stem >= "schema_28":
        (level,) = client.get(f"/api/shots/{shot['id']}/run").json()["levels"]
        assert [entry["kind"] for entry in level["finish"]] == ["line-colour"]
    assert client.get(f"/drawings/{ids[0]}/view.webp?w=120").status_code == 200
    # Its history is there, and goes on.
    answer = client.post(
        f"/api/drawings/{ids[2]}/do",
        json={
            "base": drawings[2]["revision"],
            "do": {"do": "pour", "points": [[150, 120]], "pot": min(pots)},
        },
    )
    assert answer.status_code == 200
    with store.transaction() as cursor:
        assert (hands.undo(cursor, ids[1]) or ("",))[0] == "trace a stroke"


def test_a_backup_of_this_version_is_made_alike(
    client: TestClient, shot: Shot, store: Store, tmp_path: Path
) -> None:
    """With SCHOON_TEST_BACKUP=FILE it is kept: it becomes the one of this version once another migration comes."""
    shot.job("clean")
    shot.edit(1, "pour", points=[[150, 120]], pot=1)
    shot.edit(1, "stitch", points=[[10, 10], [40, 40]])
    way = [[20 + k, 30, 0.5] for k in range(60)]
    shot.edit(2, "line", do={"do": "trace", "id": "aaaaaaaaaa", "path": way, "width": 4})
    corners = [[100, 100], [150, 100], [150, 150], [100, 150]]
    shot.edit(1, "tone", id="bbbbbbbbbb", kind="shade", path=corners)
    add = {"do": "finish-add", "level": 1, "add": [{"id": "cccccccccc", "kind": "line-colour", "on": True}]}
    assert client.post("/api/stacks/1/do", json={"do": add}).status_code == 200
    path = Path(os.environ.get("SCHOON_TEST_BACKUP", tmp_path / f"schema_{len(MIGRATIONS):02}.zip"))
    back_up(store, path)
    reader = Reader(path)
    assert len(reader.about["migrations"]) == len(MIGRATIONS)
    reader.close()
    works_on(client, store, path)


def test_every_version_since_there_are_backups_has_one() -> None:
    numbers = {int(path.stem.removeprefix("schema_")) for path in OLD}
    # 7 never landed without 8; the newest version is what the other tests are about.
    assert set(range(6, len(MIGRATIONS))) - {7} <= numbers
