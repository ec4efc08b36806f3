"""Line art that keeps the ink it was drawn with, from taking in to handing off."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from schoon.core.paper import own_ink
from schoon.formats.pictures import decode
from schoon.store import Store, pictures, revisions
from schoon.work.backup import back_up, restore

from ..shot import Shot, rough


@pytest.fixture
def owned(shot: Shot) -> Shot:
    """Drawings cleaned with their own ink, in its own colours."""
    assert shot.job("clean", reading={"ink": "own"})["state"] == "done"
    return shot


def seen(shot: Shot, number: int, look: str = "line") -> np.ndarray:
    body = shot.client.get(f"/drawings/{shot.ids[number - 1]}/view.webp?w=320&look={look}").content
    return np.asarray(Image.open(io.BytesIO(body)).convert("RGB")).astype(int)


def test_ink_laid_on_its_paper_is_the_picture_again() -> None:
    picture = decode("a face", rough())
    ink = own_ink(picture).astype(float)
    share = ink[..., 3:] / 255
    again = ink[..., :3] * share + 245 * (1 - share)
    assert np.abs(again - picture).max() <= 0.04 * 245
    assert (ink[0, 0] == (245, 245, 245, 0)).all()


def test_ink_on_nothing_stays_as_it_is_and_light_ink_on_dark_is_ink() -> None:
    clear = np.zeros((20, 20, 4), np.uint8)
    clear[8:11] = (200, 30, 30, 255)
    assert (own_ink(clear) == clear).all()
    dark = np.full((20, 20, 3), 30, np.uint8)
    dark[8:11] = 250
    assert own_ink(dark)[9, 9].tolist() == [250, 250, 250, 255]
    with pytest.raises(ValueError, match="channels"):
        own_ink(np.zeros((20, 20), np.uint8))


def test_the_line_that_was_drawn_is_what_is_seen_and_handed_off(owned: Shot) -> None:
    drawing = owned.drawing(1)
    assert drawing["own"]
    assert drawing["strokes"]
    # Paper apart, which was not quite white: only WebP lies between them.
    picture = decode("a face", rough(6)).astype(int)
    assert np.abs(seen(owned, 1) - np.where(picture > 240, 255, picture)).mean() < 1
    png = owned.client.get(f"/drawings/{owned.ids[0]}/own.png").content
    assert (decode("own", png) == own_ink(decode("a face", rough(6)))).all()


def test_it_is_sealed_and_painted_and_the_paint_goes_under_it(owned: Shot) -> None:
    owned.edit(1, "pour", points=[[181, 95]], pot=1)
    owned.edit(1, "pour", points=[[100, 100]], pot=2)
    picture = seen(owned, 1, "paint")
    assert picture[95, 181].tolist() == pytest.approx([237, 178, 31], abs=6)
    # No paper between the paint and the drawn line: from fur to ink it only darkens.
    row = picture[100, 60:100].sum(axis=1)
    assert row.max() <= 765
    assert (np.diff(row[np.argmin(row) : np.argmin(row) + 8]) < 250).all()
    owned.job("carry")
    assert {p["pot"] for p in owned.patches(3)["paint"].values()} >= {1, 2}


def test_edits_keep_it_and_strokes_of_a_hand_lie_over_it(owned: Shot) -> None:
    before = seen(owned, 2)
    owned.edit(
        2, "line", do={"do": "trace", "id": "aaaaaaaa", "path": [[9, 9, 0.5], [90, 20, 0.5]], "width": 4}
    )
    after = seen(owned, 2)
    assert owned.drawing(2)["own"]
    assert np.abs(after - before)[:40, :100].max() > 150
    assert np.abs(after - before)[120:].max() < 40
    proposal = next(s["id"] for s in owned.drawing(2)["strokes"] if s["by"] == "proposal")
    owned.edit(2, "line", do={"do": "delete", "ids": [proposal]})
    assert owned.drawing(2)["own"]
    assert np.abs(seen(owned, 2) - after).max() < 40


def test_it_can_take_the_ink_of_the_key_and_strokes_can_come_back(owned: Shot) -> None:
    owned.job("clean", reading={"ink": "tinted"})
    assert seen(owned, 1)[120, 76].tolist() == pytest.approx([29, 43, 58], abs=12)
    owned.job("clean", reading={"ink": "strokes"})
    assert owned.drawing(1)["own"] is None
    assert owned.client.get(f"/drawings/{owned.ids[0]}/own.png").status_code == 404


def test_a_backup_holds_the_picture_it_lies_in(
    owned: Shot, store: Store, empty_database_url: str, tmp_path: Path
) -> None:
    with store.transaction() as cursor:
        # As if a newer rough had been taken in since.
        other = pictures.put(cursor, rough(50), "image/png", 320, 240)
        cursor.execute("UPDATE drawings SET rough = %s WHERE id = %s", (other, owned.ids[0]))
        line = revisions.drawing(cursor, owned.ids[0])["line"]
    back_up(store, tmp_path / "all.schoon")
    fresh = Store(empty_database_url)
    fresh.migrate()
    restore(fresh, tmp_path / "all.schoon")
    with fresh.transaction() as cursor:
        own = revisions.get_documents(cursor, [line])[line]["own"]
    fresh.close()
    assert own["body"] == rough(6)


def test_it_is_rubbed_out_over_a_range_in_one_undo_and_its_source_stays(owned: Shot, store: Store) -> None:
    owned.edit(
        2, "line", do={"do": "trace", "id": "aaaaaaaa", "path": [[9, 30, 0.5], [130, 30, 0.5]], "width": 4}
    )
    before = [seen(owned, n) for n in (1, 2, 3)]
    roughs = [owned.client.get(f"/drawings/{d}/rough.png").content for d in owned.ids]
    do = {"do": "rub-ink", "of": owned.ids[:2], "path": [[50, 20], [50, 220]], "reach": 40}
    assert owned.client.post("/api/levels/1/do", json={"do": do}).status_code == 200
    after = [seen(owned, n) for n in (1, 2, 3)]
    for k in (0, 1):
        assert after[k][:, 25:80].min() > 235
        assert np.abs(after[k][:, 110:] - before[k][:, 110:]).mean() < 1
    assert (after[2] == before[2]).all()
    # What a hand drew over it is cut where the pen was.
    hand = [s["points"] for s in owned.drawing(2)["strokes"] if s["by"] == "hand"]
    assert max(p[0] for p in hand) == pytest.approx(90, abs=2)
    assert [owned.client.get(f"/drawings/{d}/rough.png").content for d in owned.ids] == roughs
    assert (
        owned.client.post("/api/levels/1/do", json={"do": {**do, "path": [[2, 2]], "reach": 1}}).status_code
        == 422
    )
    assert owned.client.post(f"/api/drawings/{owned.ids[0]}/undo").status_code == 200
    assert all((seen(owned, n) == before[n - 1]).all() for n in (1, 2, 3))
