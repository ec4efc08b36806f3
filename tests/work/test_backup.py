"""Backups: what is restored is what was backed up, and a harmed file changes nothing."""

from __future__ import annotations

import hashlib
import json
import os
import subprocess
import sys
import threading
import time
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from schoon.core.exposure import Again
from schoon.core.prop import Built, Imported, Placed, Shape, Surface
from schoon.errors import Damaged, Refusal
from schoon.formats import backup as file
from schoon.formats.pictures import encode_png
from schoon.limits import Limits
from schoon.store import LocalServer, Store, backup, models, pictures, productions, props, recipes, revisions
from schoon.store.revisions import Subject
from schoon.work.backup import _parts, back_up, restore
from schoon.work.documents import Use, again_document, placed_of, props_document, uses_of

from .. import hands
from ..conftest import table_counts
from ..shot import Shot


@pytest.fixture
def painted(shot: Shot) -> Shot:
    """A shot with lines, paint, stitches, a second production, and something undone."""
    shot.job("clean")
    shot.edit(1, "pour", points=[[181, 95]], pot=1)
    shot.edit(1, "pour", points=[[100, 100]], pot=2)
    shot.edit(1, "stitch", points=[[10, 10], [40, 10]])
    shot.job("carry")
    shot.edit(
        2, "line", do={"do": "trace", "id": "aaaaaaaa", "path": [[9, 9, 0.5], [90, 60, 0.5]], "width": 4}
    )
    shot.client.post(f"/api/drawings/{shot.ids[1]}/undo")
    depth = {"do": "depth", "level": 1, "drawing": shot.ids[1], "parts": ["Coat", "Otter"]}
    assert shot.client.post("/api/stacks/1/do", json={"do": depth}).status_code == 200
    shot.client.post("/productions", data={"name": "Ice Works"})
    return shot


def told(store: Store, production: str) -> dict[str, Any]:
    """All of a production that a person can see, without any id."""
    with store.transaction() as cursor:
        shots = [
            s
            for s in productions.shots(cursor)
            if productions.production(cursor, s["production_id"])["name"] == production
        ]
        found: dict[str, Any] = {}
        for row in shots:
            model = models.model(cursor, row["model_id"])
            names = {p["id"]: p["name"] for p in model["pots"]}
            drawings = productions.drawings(cursor, row["level_id"])
            numbers = {d["id"]: d["number"] for d in drawings}
            documents = revisions.get_documents(cursor, [d[p] for d in drawings for p in revisions.PARTS])
            found[row["name"]] = {
                "fps": row["fps"],
                "starts": {f: numbers[d] for f, d in productions.exposures(cursor, row["level_id"]).items()},
                "keys": [(k["name"], {names[p]: c for p, c in k["colours"].items()}) for k in model["keys"]],
                "roughs": [(d["number"], d["kind"], d["rough"]) for d in drawings],
                "lines": [documents.get(d["line"]) for d in drawings],
                "seals": [documents.get(d["seal"]) for d in drawings],
                "paints": [
                    [
                        {
                            **s,
                            "pot": names.get(s["pot"]),
                            "others": None,
                            "from": s.get("from") and numbers[s["from"][0]],
                        }
                        for s in (documents.get(d["paint"]) or {"patches": []})["patches"]
                    ]
                    for d in drawings
                ],
            }
        return found


def test_a_production_is_restored_under_another_name_with_its_history(
    painted: Shot, store: Store, tmp_path: Path
) -> None:
    before = told(store, "Harbour Lights")
    kept = back_up(store, tmp_path / "a.schoon", "Harbour Lights")
    assert kept.productions == ["Harbour Lights"]
    assert (kept.shots, kept.drawings) == (1, 3)
    again = restore(store, tmp_path / "a.schoon", "Harbour Copy")
    assert again.revisions == kept.revisions
    assert told(store, "Harbour Copy") == told(store, "Harbour Lights") == before
    # Its history is its own: undo and redo walk it and leave the other one alone.
    with store.transaction() as cursor:
        shot = next(s for s in productions.shots(cursor) if s["id"] != 1)
        drawing = productions.drawings(cursor, shot["level_id"])[1]["id"]
        assert (hands.redo(cursor, drawing) or ("",))[0] == "trace a stroke"
        assert (hands.undo(cursor, drawing) or ("",))[0] == "trace a stroke"
    assert told(store, "Harbour Lights") == before


def test_everything_is_restored_into_an_empty_database(
    painted: Shot, store: Store, empty_database_url: str, tmp_path: Path
) -> None:
    back_up(store, tmp_path / "all.schoon")
    fresh = Store(empty_database_url)
    fresh.migrate()
    kept = restore(fresh, tmp_path / "all.schoon")
    assert kept.productions == ["Harbour Lights", "Ice Works"]
    assert told(fresh, "Harbour Lights") == told(store, "Harbour Lights")
    same = (
        "productions",
        "shots",
        "levels",
        "drawings",
        "revisions",
        "exposures",
        "pots",
        "key_colours",
        "pictures",
    )
    assert {t: table_counts(fresh)[t] for t in same} == {t: table_counts(store)[t] for t in same}
    fresh.close()


def test_harmed_steps_of_the_history_are_left_out_and_what_is_shown_is_kept(
    painted: Shot, store: Store, tmp_path: Path
) -> None:
    whole = back_up(store, tmp_path / "whole.schoon", "Harbour Lights")
    before = told(store, "Harbour Lights")
    with store.transaction() as cursor:
        now = revisions.drawing(cursor, painted.ids[0])
        cursor.execute("SELECT parts FROM revisions WHERE id = %s", (now["parent_id"],))
        (earlier,) = set(json.loads(cursor.fetchone()["parts"]).values()) - {now[p] for p in revisions.PARTS}
        cursor.execute("UPDATE documents SET body = 'torn' WHERE sha256 = %s", (earlier,))
    kept = back_up(store, tmp_path / "a.schoon", "Harbour Lights")
    assert kept.left_out > 0
    assert kept.revisions == whole.revisions - kept.left_out
    assert f"{kept.left_out} steps of the history were harmed" in str(kept)
    restore(store, tmp_path / "a.schoon", "Harbour Copy")
    assert told(store, "Harbour Copy") == before
    # What followed on a harmed step follows on the one before.
    with store.transaction() as cursor:
        shot = next(s for s in productions.shots(cursor) if s["id"] != 1)
        drawing = productions.drawings(cursor, shot["level_id"])[0]["id"]
        assert hands.undo(cursor, drawing)
        revisions.get_documents(cursor, [revisions.drawing(cursor, drawing)[p] for p in revisions.PARTS])
        # What is shown now is never left out, also when it is whole and says something else than what was written.
        other = zlib.compress(b'{"stitches":[]}')
        cursor.execute("UPDATE documents SET body = %s WHERE sha256 = %s", (other, now["seal"]))
    with pytest.raises(Damaged, match="mended"):
        back_up(store, tmp_path / "b.schoon", "Harbour Lights")
    assert not (tmp_path / "b.schoon").exists()


def test_a_backup_is_of_one_moment_while_others_work(painted: Shot, store: Store, tmp_path: Path) -> None:
    stop = threading.Event()
    made: list[int] = []

    def work() -> None:
        while not stop.is_set():
            name = f"work{len(made):04}"
            stroke = {"do": "trace", "id": name, "path": [[9, 9, 0.5], [90, 60, 0.5]], "width": 4}
            made.append(painted.edit(3, "line", do=stroke)["revision"])

    other = threading.Thread(target=work)
    other.start()
    try:
        while not made:
            time.sleep(0.01)
        for k in range(3):
            back_up(store, tmp_path / f"{k}.schoon")
            restore_name = f"Copy {k}"
            back_up(store, tmp_path / "one.schoon", "Harbour Lights")
            restore(store, tmp_path / "one.schoon", restore_name)
    finally:
        stop.set()
        other.join(20)
    lines = told(store, "Copy 2")["Quay"]["lines"][2]["strokes"]
    count = sum(s["id"].startswith("work") for s in lines)
    assert 0 < count <= len(made)


@pytest.mark.parametrize(
    ("harm", "words"),
    [
        (lambda body: body[: len(body) // 2], "cut off"),
        (lambda body: b"", "cut off"),
        (lambda body: body.replace(b"pictures/", b"picturez/", 1), "harmed"),
        (lambda body: body[:2000] + bytes(64) + body[2064:], "harmed"),
        (lambda body: body.replace(b'"format": 1', b'"format": 9'), "newer Schoon|cut off"),
    ],
)
def test_a_harmed_file_changes_nothing(
    painted: Shot, store: Store, tmp_path: Path, harm: Callable[[bytes], bytes], words: str
) -> None:
    path = tmp_path / "a.schoon"
    back_up(store, path, "Harbour Lights")
    path.write_bytes(harm(path.read_bytes()))
    before = table_counts(store)
    with pytest.raises(Refusal, match=words):
        restore(store, path, "Other")
    assert table_counts(store) == before


def forged(path: Path, change: Callable[[dict[str, bytes]], None]) -> None:
    """A backup changed by its sender, whose checksums are right."""
    with zipfile.ZipFile(path) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    manifest = json.loads(parts.pop("manifest.json"))
    change(parts)
    manifest["members"] = {name: hashlib.sha256(body).hexdigest() for name, body in parts.items()}
    with zipfile.ZipFile(path, "w") as archive:
        for name, body in parts.items():
            archive.writestr(name, body)
        archive.writestr("manifest.json", json.dumps(manifest))


def _first(parts: dict[str, bytes]) -> tuple[dict[str, Any], list[str]]:
    first, *others = parts["tables/pictures.jsonl"].decode().splitlines()
    return json.loads(first), others


def _other_row(parts: dict[str, bytes], **fields: Any) -> None:
    row, others = _first(parts)
    parts["tables/pictures.jsonl"] = "\n".join([json.dumps({**row, **fields}), *others]).encode()


def _page(parts: dict[str, bytes]) -> None:
    """A page that runs, under its own right name."""
    body = b"<script>alert(1)</script>"
    name = hashlib.sha256(body).hexdigest()
    parts[f"pictures/{name}"] = body
    _other_row(parts, sha256=name, mime="text/html")


def _other_picture(parts: dict[str, bytes]) -> None:
    """Another picture under a name that is not its own."""
    row, _ = _first(parts)
    parts[f"pictures/{row['sha256']}"] = encode_png(np.zeros((3, 3, 3), np.uint8))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (_page, "that is none"),
        (_other_picture, "that is none, or another one"),
        (lambda parts: _other_row(parts, width="wide"), "how large"),
    ],
)
def test_a_package_from_somebody_else_brings_pictures_and_nothing_else(
    painted: Shot, store: Store, tmp_path: Path, change: Callable[[dict[str, bytes]], None], words: str
) -> None:
    path = tmp_path / "a.schoon"
    back_up(store, path, "Harbour Lights")
    forged(path, change)
    before = table_counts(store)
    with pytest.raises(Refusal, match=words):
        restore(store, path, "Other")
    assert table_counts(store) == before


def _large(parts: dict[str, bytes]) -> None:
    parts["tables/bends.jsonl"] = b" " * (3 * 2**20)


def _large_document(parts: dict[str, bytes]) -> None:
    name = next(name for name in parts if name.startswith("documents/"))
    parts[name] = zlib.compress(b" " * (3 * 2**20))


def _no_document(parts: dict[str, bytes]) -> None:
    del parts[next(name for name in parts if name.startswith("documents/"))]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (_large, "its part tables/bends.jsonl unpacks to more than 1 MB"),
        (_large_document, "its document .* unpacks to more than 1 MB"),
        (_no_document, "misses its document"),
    ],
)
def test_what_unpacks_without_end_is_not_unpacked(
    painted: Shot,
    store: Store,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    change: Callable[[dict[str, bytes]], None],
    words: str,
) -> None:
    path = tmp_path / "a.schoon"
    back_up(store, path, "Harbour Lights")
    forged(path, change)
    monkeypatch.setattr(file, "limits", lambda: Limits(part_mb=1, table_mb=1))
    before = table_counts(store)
    with pytest.raises(
        Refusal, match=words + ".*; allow more by SCHOON_MOST_(PART|TABLE)_MB" * ("unpacks" in words)
    ):
        restore(store, path, "Other")
    assert table_counts(store) == before


def _rows(name: str, change: Callable[[Any], Any]) -> Callable[[dict[str, bytes]], None]:
    """Changes every row of a table."""

    def do(parts: dict[str, bytes]) -> None:
        lines = parts[f"tables/{name}.jsonl"].decode().splitlines()
        parts[f"tables/{name}.jsonl"] = "\n".join(
            json.dumps(change(json.loads(line))) for line in lines
        ).encode()

    return do


def _document(holds: str, text: Callable[[str], str]) -> Callable[[dict[str, bytes]], None]:
    """Changes the documents with a word in them."""

    def do(parts: dict[str, bytes]) -> None:
        for name in [name for name in parts if name.startswith("documents/")]:
            found = zlib.decompress(parts[name]).decode()
            if holds in found:
                parts[name] = zlib.compress(text(found).encode())

    return do


@pytest.mark.parametrize(
    "change",
    [
        _rows("shots", lambda row: [row]),
        _rows("shots", lambda row: 7),
        _rows("shots", lambda row: {**row, "name": {"a": 1}}),
        _rows("shots", lambda row: {**row, "frames": "many"}),
        _rows("shots", lambda row: {k: v for k, v in row.items() if k != "name"}),
        _rows("productions", lambda row: None),
        _rows("levels", lambda row: {**row, "finish": "not json"}),
        _rows("levels", lambda row: {**row, "finish": json.dumps([{"kind": "unheard of", "id": "a"}])}),
        _rows("levels", lambda row: {**row, "id": None}),
        _rows("drawings", lambda row: {**row, "number": "1" * 500}),
        _rows("revisions", lambda row: {**row, "parts": "[]"}),
        _rows("revisions", lambda row: {**row, "parts": json.dumps({"unheard of": "a"})}),
        _document('"strokes"', lambda text: text.replace('"strokes"', '"lines"')),
        _document('"strokes"', lambda text: text.replace('"widths":[', '"widths":[1e999,')),
        _document('"patches"', lambda text: "[]"),
        _document('"patches"', lambda text: "[" * 100_000),
        _document('"order"', lambda text: text.replace('"order":[', '"order":["first",')),
    ],
)
def test_what_no_page_could_read_is_refused_and_nothing_is_stored(
    painted: Shot, store: Store, tmp_path: Path, change: Callable[[dict[str, bytes]], None]
) -> None:
    path = tmp_path / "a.schoon"
    back_up(store, path, "Harbour Lights")
    forged(path, change)
    before = table_counts(store)
    with pytest.raises(Refusal, match="ask for it anew"):
        restore(store, path, "Other")
    assert table_counts(store) == before
    assert painted.client.get("/").status_code == 200


@pytest.mark.parametrize(
    "manifest", [b"[]", b"7", b'{"format": 1}', b'{"format": 1, "about": [], "members": {}}']
)
def test_a_manifest_of_another_shape_is_refused(store: Store, tmp_path: Path, manifest: bytes) -> None:
    path = tmp_path / "a.schoon"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("manifest.json", manifest)
    with pytest.raises(Refusal, match="no whole backup"):
        restore(store, path, "Other")


def test_columns_that_came_later_are_filled(painted: Shot, store: Store, tmp_path: Path) -> None:
    path = tmp_path / "a.schoon"
    back_up(store, path, "Harbour Lights")
    later = {"twin", "alive", "meant", "was", "looked", "away"}

    def older(parts: dict[str, bytes]) -> None:
        for name in ("shots", "drawings"):
            _rows(name, lambda row: {k: v for k, v in row.items() if k not in later})(parts)

    forged(path, older)
    restore(store, path, "Other")
    assert told(store, "Other") == told(store, "Harbour Lights")


def test_a_package_made_to_fill_the_disk_is_refused(painted: Shot, store: Store, tmp_path: Path) -> None:
    path = tmp_path / "a.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("production.schoon", bytes(8 * 2**20))
    with pytest.raises(Refusal, match="far more than it takes"):
        restore(store, path, "Other")


def test_names_in_a_package_are_no_part_of_a_query(painted: Shot, store: Store, tmp_path: Path) -> None:
    path = tmp_path / "a.schoon"
    back_up(store, path, "Harbour Lights")
    body = encode_png(np.zeros((5, 5, 3), np.uint8))
    name = hashlib.sha256(body).hexdigest()

    def change(parts: dict[str, bytes]) -> None:
        row = {"sha256": name, "mime": "text/javascript", "width": 5, "height": 5}
        row["body) VALUES ('x', 'y', 1, 1, 'z'); DROP TABLE jobs; -- "] = "1"
        parts[f"pictures/{name}"] = body
        parts["tables/pictures.jsonl"] += f"\n{json.dumps(row)}".encode()

    forged(path, change)
    restore(store, path, "Other")
    assert "jobs" in table_counts(store)
    with store.transaction() as cursor:
        assert pictures.get(cursor, name)["mime"] == "image/png"


def test_what_lies_among_the_pictures_is_never_run(painted: Shot, store: Store) -> None:
    body = b"<html><script>alert(1)</script></html>"
    with store.transaction() as cursor:
        name = pictures.put(cursor, body, "text/html", 1, 1)
        picture = pictures.put(cursor, encode_png(np.zeros((3, 3, 3), np.uint8)), "image/png", 3, 3)
    served = painted.client.get(f"/pictures/{name}")
    assert served.headers["content-type"] == "application/octet-stream"
    assert "sandbox" in served.headers["content-security-policy"]
    assert served.headers["x-content-type-options"] == "nosniff"
    assert painted.client.get(f"/pictures/{picture}").headers["content-type"] == "image/png"


def test_what_cannot_be_done_is_said(
    painted: Shot, store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with pytest.raises(Refusal, match="there are: Harbour Lights, Ice Works"):
        back_up(store, tmp_path / "a.schoon", "Nowhere")
    with pytest.raises(Refusal, match="could not be written"):
        back_up(store, tmp_path / "no folder" / "a.schoon")
    back_up(store, tmp_path / "a.schoon")
    with pytest.raises(Refusal, match="another name with --as"):
        restore(store, tmp_path / "a.schoon")
    with pytest.raises(Refusal, match="holds 2 productions"):
        restore(store, tmp_path / "a.schoon", "Other")
    with pytest.raises(Refusal, match="cannot be read"):
        restore(store, tmp_path / "none.schoon")
    before = table_counts(store)

    def broken(*_: object) -> None:
        raise RuntimeError

    # An error in the midst of it leaves nothing behind.
    back_up(store, tmp_path / "one.schoon", "Harbour Lights")
    monkeypatch.setattr(backup.Ids, "settle", broken)
    with pytest.raises(RuntimeError):
        restore(store, tmp_path / "one.schoon", "Half")
    assert table_counts(store) == before
    monkeypatch.setattr(file.Writer, "rows", broken)
    with pytest.raises(RuntimeError):
        back_up(store, tmp_path / "b.schoon")
    assert not list(tmp_path.glob("b.schoon*"))


def test_the_commands_start_and_stop_the_database_by_themselves(tmp_path: Path) -> None:
    home = tmp_path / "home"
    server = LocalServer(home, durable=False)
    store = Store(server.start())
    store.migrate()
    with store.transaction() as cursor:
        productions.create(cursor, "Kept")
    store.close()
    server.stop()

    def schoon(*arguments: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-c", "from schoon.cli import main; main()", *arguments],
            env={**os.environ, "SCHOON_HOME": str(home), "SCHOON_DATABASE_URL": ""},
            capture_output=True, text=True, timeout=120, check=False,
        )  # fmt: skip

    done = schoon("backup", str(tmp_path / "a.schoon"))
    assert (done.returncode, done.stdout.split(":")[0]) == (0, "Kept")
    assert not (home / "database" / "server.pid").exists()
    done = schoon("restore", str(tmp_path / "a.schoon"))
    assert done.returncode == 1
    assert "another name with --as" in done.stderr
    done = schoon("restore", str(tmp_path / "a.schoon"), "--as", "Again")
    assert (done.returncode, done.stdout.split(":")[0]) == (0, "Again")


def test_time_levels_and_models_keep_their_history_under_new_ids(
    shot: Shot, store: Store, tmp_path: Path
) -> None:
    def do(subjects: str, **edit: Any) -> None:
        assert shot.client.post(f"/api/{subjects}/1/do", json={"do": edit}).status_code == 200

    do("times", do="repeat", level=1, frame=5, first=1)
    do("times", do="blank", level=1, frame=3)
    do("stacks", do="rename", level=1, name="Otter")
    do("models", do="colour", key=2, pot=1, colour="#102030")
    do("models", do="delete-pot", pot=1)
    back_up(store, tmp_path / "a.schoon", "Harbour Lights")
    restore(store, tmp_path / "a.schoon", "Harbour Copy")
    with store.transaction() as cursor:
        copy = next(s for s in productions.shots(cursor) if s["id"] != 1)
        time, model = Subject("time", copy["id"]), Subject("model", copy["model_id"])
        drawings = [row["id"] for row in productions.drawings(cursor, copy["level_id"])]
        assert productions.exposures(cursor, copy["level_id"]) == {1: drawings[0], 3: None, 5: Again(1)}
        for subject in (time, Subject("stack", copy["id"]), model):
            assert revisions.undo(cursor, subject)
        assert productions.exposures(cursor, copy["level_id"]) == {
            1: drawings[0],
            3: drawings[1],
            5: Again(1),
        }
        assert productions.stack_of(cursor, copy["id"]).levels[copy["level_id"]].name == "Pim"
        found = models.model(cursor, copy["model_id"])
        coat = next(pot["id"] for pot in found["pots"] if pot["name"] == "Coat")
        assert found["keys"][1]["colours"][coat] == "#102030"
        assert revisions.undo(cursor, model)
        assert models.model(cursor, copy["model_id"])["keys"][1]["colours"][coat] == "#edb21f"
        # The one it was copied from stands where it stood.
        assert [pot["name"] for pot in models.model(cursor, 1)["pots"]] == ["Fur"]


def test_the_finish_comes_back_with_its_pictures_and_pots(shot: Shot, store: Store, tmp_path: Path) -> None:
    body = encode_png(np.full((4, 4, 3), 90, np.uint8))
    own = shot.client.post("/api/shots/1/textures", files={"picture": ("a.png", body)}).json()["own"]
    light = {"id": "0000000001", "kind": "highlight", "pots": [1]}
    texture = {"id": "0000000002", "kind": "texture", "own": own}
    for asked in (
        {"do": "finish-add", "add": [light, texture]},
        {"do": "finish-out", "entry": texture["id"]},
    ):
        asked = {"level": 1, **asked}
        assert shot.client.post("/api/stacks/1/do", json={"do": asked}).status_code == 200
    lamp = {"azimuth": 100.0, "height": 12.0, "amount": 0.4}
    for asked in (
        {"do": "key-from", "level": 1, "frame": 4, "key": 2},
        {"do": "light", "level": 1, "frame": 1, "light": lamp, "key": 2},
    ):
        assert shot.client.post("/api/stacks/1/do", json={"do": asked}).status_code == 200
    recipe = {"name": "Eyes", "entries": [light]}
    assert shot.client.post("/api/shots/1/recipes", json=recipe).status_code == 200
    back_up(store, tmp_path / "a.schoon", "Harbour Lights")
    with store.transaction() as cursor:
        cursor.execute("DELETE FROM pictures WHERE sha256 = %s", (own,))
    restore(store, tmp_path / "a.schoon", "Harbour Copy")
    with store.transaction() as cursor:
        copy = next(s for s in productions.shots(cursor) if s["id"] != 1)
        model = models.model(cursor, copy["model_id"])
        pot, key = model["pots"][0]["id"], model["keys"][1]["id"]
        level = productions.shot_of_level(cursor, copy["level_id"])
        assert level["finish"][0].pots == (pot,)
        assert level["key_changes"][4].key == key
        lit = productions.stack_of(cursor, copy["id"]).levels[copy["level_id"]].key_lights
        assert lit[key][""][1].model_dump() == lamp
        kept = recipes.listing(cursor, level["production_id"])
        assert [(row["name"], row["finish"][0].pots) for row in kept] == [("Eyes", (pot,))]
        # A picture that only the history shows is there again too.
        assert bytes(pictures.get(cursor, own)["body"]) == body


def test_a_backup_of_before_revisions_named_their_parts_is_read() -> None:
    assert _parts({"id": 1, "line": "a", "seal": None, "paint": "c"}) == {"line": "a", "paint": "c"}


def beside_itself(store: Store, path: Path) -> int:
    """The id of the production after it was backed up and restored beside the one there is, which has another name then."""
    back_up(store, path, "Harbour Lights")
    with store.transaction() as cursor:
        cursor.execute("UPDATE productions SET name = 'Old' WHERE id = 1")
    restore(store, path)
    with store.transaction() as cursor:
        return max(int(row["id"]) for row in productions.listing(cursor))


def test_props_their_files_and_where_they_are_placed_come_along(
    shot: Shot, store: Store, tmp_path: Path
) -> None:
    with store.transaction() as cursor:
        coat = models.model(cursor, 1)["pots"][0]["id"]
        box = Shape(kind="box", name="crate", path=[(0, 0), (9, 9)], pot=coat)
        crate = props.add(cursor, 1, 1, "Crate", "crate", Built(shapes=[box]))
        file_name = pictures.put(cursor, b"v 0 0 0", "model/obj", 0, 0)
        surface = Surface(name="all", pot=coat)
        props.add(
            cursor, 1, 1, "Globe", "globe", Imported(file=file_name, called="globe.obj", surfaces=[surface])
        )
        placed = Placed((50, 60), 30, (0, 0, 0.6, 0.8), behind=("arm",))
        name = revisions.put_document(cursor, props_document({crate: placed}))
        row = revisions.drawing(cursor, shot.ids[0])
        revisions.revise(cursor, revisions.of(row), revisions.begin_action(cursor, "place"), props=name)
    new = beside_itself(store, tmp_path / "all.schoon")
    with store.transaction() as cursor:
        found = {row["name"]: row for row in props.listing(cursor, new)}
        model = models.model(cursor, found["Crate"]["model_id"] or 0)
        made, brought = found["Crate"]["made"], found["Globe"]["made"]
        assert isinstance(made, Built)
        assert isinstance(brought, Imported)
        assert model["production_id"] == new
        assert made.shapes[0].pot == brought.surfaces[0].pot == model["pots"][0]["id"] != coat
        assert pictures.get(cursor, brought.file)["body"] == b"v 0 0 0"
        shots = [s for s in productions.shots(cursor) if s["production_id"] == new]
        first = productions.drawings(cursor, shots[0]["level_id"])[0]
        documents = revisions.get_documents(cursor, [first["props"]])
        assert placed_of(documents[first["props"]]) == {found["Crate"]["id"]: placed}


def test_parts_follow_the_drawings_of_their_own_production(shot: Shot, store: Store, tmp_path: Path) -> None:
    with store.transaction() as cursor:
        uses = {"far leg": Use("near leg", shot.ids[0]), "ghost": Use("near leg", 999_999)}
        name = revisions.put_document(cursor, again_document(uses))
        row = revisions.drawing(cursor, shot.ids[1])
        revisions.revise(cursor, revisions.of(row), revisions.begin_action(cursor, "use again"), again=name)
    new = beside_itself(store, tmp_path / "all.schoon")
    with store.transaction() as cursor:
        [level] = [s["level_id"] for s in productions.shots(cursor) if s["production_id"] == new]
        first, second, _ = productions.drawings(cursor, level)
        found = uses_of(revisions.get_documents(cursor, [second["again"]])[second["again"]])
        assert found == {"far leg": Use("near leg", first["id"])}
        assert first["id"] not in shot.ids


def test_a_shot_once_more_is_the_same_and_goes_its_own_way(painted: Shot, store: Store) -> None:
    def seen(shot_id: int) -> dict[str, Any]:
        with store.transaction() as cursor:
            (level,) = productions.levels(cursor, shot_id)
            rows = productions.drawings(cursor, level["id"])
            numbers = {row["id"]: row["number"] for row in rows}
            time_of = productions.time_of(cursor, shot_id)
            stack = productions.stack_of(cursor, shot_id).levels[level["id"]]
            return {
                "drawings": [
                    (row["number"], row["rough"], *(row[part] for part in revisions.PARTS)) for row in rows
                ],
                "sheet": {f: numbers.get(d) for f, d in time_of.levels[level["id"]].items()},
                "depth": {numbers[d]: parts for d, parts in stack.depth.items()},
                "model": (stack.model, stack.key),
                "ids": set(numbers),
            }

    assert painted.client.post("/shots/1/copy", follow_redirects=False).status_code == 303
    with store.transaction() as cursor:
        names = {row["id"]: row["name"] for row in productions.shots(cursor)}
    assert names == {1: "Quay", 2: "Quay 2"}
    first, second = seen(1), seen(2)
    assert not first.pop("ids") & (copies := second.pop("ids"))
    assert first == second
    # What is done to one is not done to the other, and what was done before is undone in it alone.
    assert painted.client.post(f"/api/drawings/{min(copies)}/undo").status_code == 200
    assert seen(1)["drawings"] == first["drawings"] != seen(2)["drawings"]
    assert painted.client.post("/shots/1/copy", follow_redirects=False).headers["location"] == "/#s3"
    assert painted.client.post("/shots/99/copy").status_code == 404
