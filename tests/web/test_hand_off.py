"""Hand off: the gate, names, and files of every kind opened by independent readers and compared with the frame."""

from __future__ import annotations

import base64
import hashlib
import io
import json
import zipfile
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import av
import numpy as np
import pytest
from PIL import Image
from svgelements import SVG

from schoon.jobs.work import Call, Work
from schoon.store import Store, productions, revisions
from schoon.work.backup import restore

from ..shot import Shot
from .test_finish import finish
from .test_tones import light, painted

__all__ = ["painted"]


def ask(shot: Shot, what: str, **wish: Any) -> Any:
    return shot.client.post(
        "/api/levels/1/export", json={"what": what, "width": 320, "cleared": True, **wish}
    )


def made(shot: Shot, what: str, **wish: Any) -> bytes:
    answer = ask(shot, what, **wish)
    assert answer.status_code == 200, answer.text
    shot.client.app.state.runner.run_open()
    job = shot.client.get(f"/api/jobs/{answer.json()['id']}").json()
    assert job["state"] == "done", job["message"]
    return shot.client.get(f"/exports/{job['id']}").content


def archive(body: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(body)) as file:
        assert file.testzip() is None
        return {name: file.read(name) for name in file.namelist()}


def pixels(body: bytes) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(body)).convert("RGBA")).astype(int)


def frame(shot: Shot, number: int = 1) -> np.ndarray:
    """(h, w, 4) of a drawing as PNG."""
    return pixels(archive(made(shot, "drawings"))[f"Quay_Pim_{number:04}.png"])


def test_what_is_open_is_listed_and_has_to_be_waved_through(painted: Shot) -> None:
    painted.edit(2, "pour", points=[[150 + 12, 140]], pot=None)
    painted.edit(2, "pour", points=[[150 + 12 + 25, 95]], pot=None)
    painted.edit(2, "pour", points=[[150 + 12 - 50, 120]], pot=None)
    found = painted.client.get("/api/levels/1/open").json()["open"]
    assert {one["what"] for one in found} == {"paint", "proof"}
    refused = ask(painted, "drawings", cleared=False)
    assert refused.status_code == 422
    assert "1 drawing without paint" in refused.json()["error"]
    names = archive(made(painted, "drawings", cleared=False, copy=True))
    assert sorted(names)[0] == "work-copy_Quay_Pim_0001.png"
    assert made(painted, "drawings")
    # What was made stays listed with its size.
    listed = painted.client.get("/api/levels/1/exports").json()["exports"]
    assert [one["copy"] for one in listed] == [False, True]
    assert all(one["bytes"] > 100 for one in listed)


@pytest.mark.parametrize(("kind", "ending"), [("tiff", "tif"), ("webp", "webp")])
def test_pictures_of_other_kinds_are_the_same_pictures(painted: Shot, kind: str, ending: str) -> None:
    other = archive(made(painted, "drawings", kind=kind))
    assert (pixels(other[f"Quay_Pim_0001.{ending}"]) == frame(painted)).all()


def test_names_follow_the_pattern(painted: Shot) -> None:
    wish = {"pattern": "{production}-{level}.{number}", "start": 101, "padding": 6}
    names = archive(made(painted, "frames", **wish))
    assert sorted(names) == [f"Harbour_Lights-Pim.{n:06}.png" for n in range(101, 107)]
    shown = painted.client.get(
        "/api/levels/1/export-name",
        params={"pattern": "{shot}_{pass}_{number}", "only": "ink", "kind": "tiff"},
    )
    assert shown.json() == {"name": "Quay_ink_0001.tif"}
    for pattern in ("{shot}", "{who}_{number}", "{number"):
        assert ask(painted, "frames", pattern=pattern).status_code == 422
        assert painted.client.get("/api/levels/1/export-name", params={"pattern": pattern}).status_code == 422


def test_the_whole_frame_and_each_level(painted: Shot) -> None:
    whole = archive(made(painted, "frames", of="frame"))
    assert sorted(whole) == [f"Quay_{n:04}.png" for n in range(1, 7)]
    assert (pixels(whole["Quay_0001.png"]) == frame(painted)).all()
    each = archive(made(painted, "frames", of="levels"))
    assert sorted(each)[0] == "Pim/Quay_Pim_0001.png"


def test_a_movie_has_every_frame_at_its_time(painted: Shot, tmp_path: Path) -> None:
    path = tmp_path / "a.mp4"
    path.write_bytes(made(painted, "mp4", quality="best"))
    whole = archive(made(painted, "frames", of="frame"))
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        assert (stream.codec_context.name, stream.codec_context.pix_fmt) == ("h264", "yuv420p")
        assert stream.average_rate == 24
        frames = list(container.decode(stream))
    assert [round(float(f.time) * 24) for f in frames] == list(range(6))
    for k, shown in enumerate(frames, 1):
        truth = pixels(whole[f"Quay_{k:04}.png"])
        share = truth[..., 3:] / 255
        on_white = truth[..., :3] * share + 255 * (1 - share)
        assert np.abs(shown.to_ndarray(format="rgb24").astype(float) - on_white).mean() < 3


def test_a_gif_keeps_within_its_limit(painted: Shot) -> None:
    free = made(painted, "gif")
    limit = int(0.6 * len(free))
    bound = made(painted, "gif", limit=limit)
    assert len(bound) <= limit
    with Image.open(io.BytesIO(bound)) as picture:
        assert picture.n_frames >= 2
        assert picture.width < 320
        assert picture.info.get("loop") == 0
    with Image.open(io.BytesIO(made(painted, "gif", once=True))) as picture:
        assert "loop" not in picture.info
    answer = ask(painted, "gif", limit=50)
    painted.client.app.state.runner.run_open()
    job = painted.client.get(f"/api/jobs/{answer.json()['id']}").json()
    assert job["state"] == "failed"
    assert "Even the smallest GIF" in job["message"]


def test_what_was_rendered_once_is_taken_from_there(painted: Shot, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[str] = []
    spread = Work.spread

    def told(work: Work, calls: Iterable[tuple[Any, Call]]) -> Iterator[tuple[Any, Any]]:
        def each() -> Iterator[tuple[Any, Call]]:
            for key, call in calls:
                asked.append(call[0].__name__)
                yield key, call

        return spread(work, each())

    monkeypatch.setattr(Work, "spread", told)
    package = {"include": ["frames", "layers", "movie"]}
    first = archive(made(painted, "package", **package))
    # Frames and movie are the same pictures; a level that fills the frame is its picture too.
    shown = {body for name, body in first.items() if name.startswith("frames/")}
    assert asked.count("pictures") == len(shown)
    asked.clear()
    again = archive(made(painted, "package", **package))
    assert made(painted, "mp4") == first["shot.mp4"]
    made(painted, "frames", of="frame")
    assert not {"pictures", "movie"} & set(asked)
    assert {n: again[n] for n in first if "/" in n} == {n: first[n] for n in first if "/" in n}
    gif = made(painted, "gif", limit=100_000)
    asked.clear()
    assert made(painted, "gif", limit=100_000) == gif
    assert asked == []
    # What is changed is made anew, and no more.
    painted.edit(2, "pour", points=[[150 + 12, 140]], pot=None)
    made(painted, "mp4")
    assert sorted(asked) == ["movie", "pictures"]


def test_svg_has_groups_by_part_and_pots_as_classes(painted: Shot, tmp_path: Path) -> None:
    files = archive(made(painted, "svg"))
    assert sorted(files) == [f"Quay_Pim_{n:04}.svg" for n in (1, 2, 3)]
    text = files["Quay_Pim_0001.svg"].decode()
    root = ElementTree.fromstring(text)
    space = "{http://www.w3.org/2000/svg}"
    paint = root.find(f"{space}g[@class='paint']")
    assert paint is not None
    titles = [title.text for title in paint.iter(f"{space}title")]
    assert sorted(titles) == ["Coat", "Coat", "Fur"]
    assert "fill: #8a5a3b" in text
    path = tmp_path / "a.svg"
    path.write_text(text)
    shapes = [e for e in SVG.parse(str(path)).elements() if type(e).__name__ == "Path"]
    box = shapes[0].bbox()
    assert box is not None
    assert 60 < box[0] < 100
    assert len(shapes) == 3 + len(painted.drawing(1)["strokes"])


def laid(below: np.ndarray, above: np.ndarray, blend: str, opacity: float) -> np.ndarray:
    """Straight RGBA 0..1 laid on by the named blends, as the W3C's Compositing and Blending Level 1 says."""
    alpha = above[..., 3:] * opacity
    under, over = below[..., :3], above[..., :3]
    mixed = {"svg:multiply": under * over, "svg:screen": under + over - under * over}.get(blend, over)
    if blend == "svg:src-atop":
        colour = over * alpha + under * (1 - alpha)
        return np.concatenate([colour, below[..., 3:]], axis=2)
    source = (1 - below[..., 3:]) * over + below[..., 3:] * mixed
    out = alpha + below[..., 3:] * (1 - alpha)
    colour = (alpha * source + (1 - alpha) * below[..., 3:] * under) / np.maximum(out, 1e-9)
    return np.concatenate([colour, out], axis=2)


def summed(stack: Any, files: dict[str, bytes], size: tuple[int, int]) -> np.ndarray:
    whole = np.zeros((size[1], size[0], 4))
    for node in reversed(list(stack)):
        picture = summed(node, files, size) if node.tag == "stack" else pixels(files[node.get("src")]) / 255
        whole = laid(whole, picture, node.get("composite-op", "svg:src-over"), float(node.get("opacity", 1)))
    return whole


def test_the_layers_of_a_frame_add_up_to_it(painted: Shot) -> None:
    light(painted, azimuth=90, height=20, amount=0.4)
    assert painted.job("tone")["state"] == "done"
    finish(
        painted,
        {"kind": "cast", "soft": 2, "opacity": 0.5},
        {"kind": "wash", "x0": 156, "y0": 220, "x1": 156, "y1": 20, "opacity": 0.4},
        {"kind": "texture", "amount": 0.3},
    )
    files = archive(made(painted, "openraster", start=3))
    assert next(iter(files)) == "mimetype"
    assert files["mimetype"] == b"image/openraster"
    root = ElementTree.fromstring(files["stack.xml"])
    (level,) = root.findall("stack/stack")
    names = [node.get("name") for node in level]
    assert level.get("name") == "Pim"
    assert names == ["Ink", "Texture 2", "Texture", "Shade", "Flats", "Shadow"]
    merged = pixels(files["mergedimage.png"])
    assert (merged == frame(painted, 2)).all()
    whole = summed(root.find("stack"), files, (320, 240))
    share = merged[..., 3:] / 255
    assert np.abs(whole[..., 3:] - share).max() * 255 <= 1.5
    assert np.abs(whole[..., :3] * whole[..., 3:] - merged[..., :3] / 255 * share).max() * 255 <= 2.0


def on_model(shot: Shot, what: str, **content: Any) -> None:
    answer = shot.client.post("/api/models/1/do", json={"do": {"do": what, **content}})
    assert answer.status_code == 200, answer.text


def added(tree: list[Any], of: dict[str, np.ndarray], size: tuple[int, int]) -> np.ndarray:
    """Passes laid together as their manifest says."""
    whole = np.zeros((size[1], size[0], 4))
    for node in tree:
        picture = added(node["layers"], of, size) if "layers" in node else of[node["name"]]
        blend = {"atop": "svg:src-atop"}.get(node.get("blend", ""), f"svg:{node.get('blend')}")
        whole = laid(whole, picture, blend, node["opacity"])
    return whole


@pytest.mark.parametrize("clear", [False, True])
def test_passes_add_up_to_the_level(painted: Shot, clear: bool) -> None:
    light(painted, azimuth=90, height=20, amount=0.4)
    assert painted.job("tone")["state"] == "done"
    if clear:
        on_model(painted, "describe-pot", pot=1, opacity=60)
    finish(
        painted,
        {"kind": "cast", "soft": 2, "opacity": 0.5, "first": 3},
        {"kind": "wash", "x0": 156, "y0": 220, "x1": 156, "y1": 20, "opacity": 0.4},
        {"kind": "texture", "amount": 0.3},
        {"kind": "flare", "pot": 1, "size": 30, "opacity": 0.6},
    )
    files = archive(made(painted, "drawings", only="passes"))
    told = json.loads(files["passes.json"])
    assert set(told) == {"1", "2", "3"}
    names = {name.split("/")[0] for name in files} - {"passes.json"}
    assert {"ink", "flats", "shade", "shadow", "texture", "texture-2"} <= names
    # Every sequence is whole.
    assert all(f"{name}/Quay_Pim_{name}_{n:04}.png" in files for name in names for n in (1, 2, 3))
    for number, tree in told.items():
        of = {n: pixels(files[f"{n}/Quay_Pim_{n}_{int(number):04}.png"]) / 255 for n in names}
        whole = added(tree, of, (320, 240))
        truth = frame(painted, int(number)) / 255
        assert np.abs(whole[..., 3:] - truth[..., 3:]).max() * 255 <= 1.5
        assert np.abs(whole[..., :3] * whole[..., 3:] - truth[..., :3] * truth[..., 3:]).max() * 255 <= 2.0


def test_parts_by_themselves(painted: Shot) -> None:
    on_model(painted, "describe-pot", pot=1, part="features")
    on_model(painted, "describe-pot", pot=2, part="head")
    files = archive(made(painted, "frames", only="parts", of="frame"))
    told = json.loads(files["Pim/parts.json"])
    order = [part["name"] for part in told["1"]]
    # Lines without a part are seen over what has one.
    assert order[-1] == "no-part"
    assert set(order) == {"no-part", "features", "head"}
    seen = [pixels(files[f"Pim/{name}/Quay_Pim_{name}_0001.png"])[..., 3] > 0 for name in order]
    whole = frame(painted)[..., 3] > 0
    assert (np.any(seen, axis=0) == whole).mean() > 0.999
    assert all(0 < own.sum() < whole.sum() for own in seen)
    assert {f"Pim/{order[0]}/Quay_Pim_{order[0]}_{n:04}.png" for n in range(1, 7)} <= set(files)


def test_a_frame_in_every_key(painted: Shot) -> None:
    on_model(painted, "add-key", name="Dusk", like=1)
    files = archive(made(painted, "keys", start=1))
    layers = ElementTree.fromstring(files["stack.xml"]).findall("stack/layer")
    assert [layer.get("name") for layer in layers][-1] == "Day"
    assert [layer.get("visibility") for layer in layers] == ["hidden"] * (len(layers) - 1) + ["visible"]
    assert len(layers) > 1
    assert (pixels(files["mergedimage.png"]) == frame(painted)).all()


def test_the_shot_in_layers_says_what_is_seen_when(painted: Shot) -> None:
    files = archive(made(painted, "layers"))
    about = json.loads(files["manifest.json"])
    (level,) = about["levels"]
    assert (about["frames"], about["fps"], about["size"]) == (6, 24.0, [320, 240])
    assert level["exposures"] == [
        {"frame": f, "frames": 2, "drawing": n} for f, n in ((1, "1"), (3, "2"), (5, "3"))
    ]
    assert level["placement"] == {"1": [1, 0, 0, 1, 0, 0]}
    for drawing in level["drawings"]:
        assert (pixels(files[drawing["file"]]) == frame(painted, int(drawing["number"]))).all()
    inner = archive(files[level["layered"]])
    layers = ElementTree.fromstring(inner["stack.xml"]).findall("stack/layer")
    assert [layer.get("name") for layer in layers] == ["3", "2", "1"]


def test_a_package_comes_back_with_its_history(painted: Shot, store: Store, tmp_path: Path) -> None:
    body = made(painted, "package")
    files = archive(body)
    about = json.loads(files["manifest.json"])["files"]
    assert about == {n: hashlib.sha256(b).hexdigest() for n, b in files.items() if n != "manifest.json"}
    assert {
        "frames/Quay_0001.png",
        "shot.mp4",
        "sheet.csv",
        "sheet.json",
        "palette/Pim.csv",
        "palette/Pim.png",
    } <= set(files)
    assert "<h2>Pim</h2>" in files["report.html"].decode()
    path = tmp_path / "package.zip"
    path.write_bytes(body)
    restore(store, path, "Harbour Copy")
    with store.transaction() as cursor:
        copy = next(s for s in productions.shots(cursor) if s["id"] != 1)
        rows = productions.drawings(cursor, copy["level_id"])
        mine = productions.drawings(cursor, 1)
    assert [row["line"] for row in rows] == [row["line"] for row in mine]
    undone = painted.client.post(f"/api/drawings/{rows[0]['id']}/undo").json()
    assert "pour into" in undone["label"]


def test_a_package_is_taken_in_on_the_shelf(painted: Shot) -> None:
    body = made(painted, "package", include=["passes", "svg"])
    names = archive(body)
    assert {"passes/Pim/ink/Quay_Pim_ink_0001.png", "svg/Pim/Quay_Pim_0001.svg"} <= set(names)
    assert not [n for n in names if n.startswith(("frames/", "layers/")) or n.endswith(".mp4")]

    def take_in(content: bytes, name: str) -> Any:
        files = {"file": ("Quay last.zip", content, "application/zip")}
        return painted.client.post("/productions/restored", files=files, data={"name": name})

    taken = take_in(body, "")
    assert taken.status_code == 422
    assert "There is a production called" in taken.text
    for broken in (b"nothing", body[: len(body) // 2]):
        refused = take_in(broken, "Third")
        assert refused.status_code == 422
        assert "Quay last.zip" in refused.text
    assert "Third" not in painted.client.get("/").text
    assert take_in(body, "Second").status_code == 200
    assert "Second" in painted.client.get("/").text


def test_the_report_shows_findings_and_who_waved_them_through(painted: Shot) -> None:
    painted.edit(2, "pour", points=[[150 + 12 + 25, 95]], pot=2)
    painted.client.post("/api/levels/1/proof")
    painted.client.app.state.runner.run_open()
    (flash,) = painted.client.get("/api/levels/1/findings").json()["findings"]
    asked = {
        "do": "wave",
        "level": 1,
        "rule": "flash",
        "drawings": flash["drawings"],
        "at": flash["at"],
        "reason": "a <wink>",
    }
    painted.client.post("/api/stacks/1/do", json={"do": asked})
    text = painted.client.get("/shots/1/report/findings.html").text
    assert "<b>Flash</b>, drawing 2" in text
    assert "a &lt;wink&gt;" in text
    assert "data:image/png;base64," in text


def test_a_note_stays_open_until_it_is_done(painted: Shot) -> None:
    def time(**do: Any) -> dict[str, Any]:
        answer = painted.client.post(
            "/api/times/1/do", json={"do": do}, headers={"cookie": "schoon-name=Ada"}
        )
        assert answer.status_code == 200, answer.text
        return answer.json()["notes"]

    def still_open() -> list[str]:
        return [
            one["words"]
            for one in painted.client.get("/api/levels/1/open").json()["open"]
            if one["what"] == "note"
        ]

    notes = time(do="note", notes=[{"name": "00000000aa", "drawing": painted.ids[0], "words": "more light"}])
    assert notes["00000000aa"]["writer"] == "Ada"
    assert still_open() == ["1 note not done"]
    assert time(do="settle", note="00000000aa", done=True)["00000000aa"]["done"]
    assert still_open() == []
    painted.client.post("/api/times/1/undo")
    assert still_open() == ["1 note not done"]


def test_a_note_is_drawn_on_a_drawing_and_shown_in_the_report(painted: Shot) -> None:
    def note(**told: Any) -> Any:
        asked = {"do": "note", "notes": [{"name": "00000000bb", **told}]}
        return painted.client.post("/api/times/1/do", json={"do": asked})

    way = [100.0, 100.0, 140.5, 120.0, 150.0, 160.0]
    assert note(drawn=[way]).status_code == 422
    assert note(drawing=painted.ids[0], drawn=[way[:-1]]).status_code == 422
    assert note(drawing=painted.ids[0]).status_code == 422
    kept = note(drawing=painted.ids[0], drawn=[way])
    assert kept.json()["notes"]["00000000bb"]["drawn"] == [way]
    text = painted.client.get("/shots/1/report/findings.html").text
    assert "<b>drawing 1</b>" in text
    source = text.split("data:image/png;base64,")[-1].split("'")[0]
    picture = pixels(base64.b64decode(source))[..., :3]
    assert (np.abs(picture - (14, 122, 111)).max(axis=2) < 12).sum() > 20


def test_the_difference_of_two_drawings_is_that_of_what_they_show(painted: Shot) -> None:
    def seen(a: int, b: int) -> np.ndarray:
        answer = painted.client.get(f"/drawings/{painted.ids[a]}/against.webp?other={painted.ids[b]}")
        assert answer.status_code == 200, answer.text
        return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB")).astype(int)

    def far(picture: np.ndarray) -> int:
        """Px in the colours of what only one of them has."""
        return int(((np.abs(picture[..., 0] - picture[..., 2]) > 70) & (picture.min(axis=2) < 200)).sum())

    # The figure has moved as a whole, which is no difference.
    alike = far(seen(0, 1))
    painted.edit(2, "pour", points=[[150 + 12 + 25, 95]], pot=2)
    other = far(seen(0, 1))
    assert other > alike + 100
    missing = painted.client.get(f"/drawings/{painted.ids[0]}/against.webp?other=999")
    assert missing.status_code == 404


def test_a_part_is_whole_below_what_covers_it(shot: Shot) -> None:
    def ring(name: str, part: str, x: float) -> None:
        path = [[x + 50 * np.cos(a), 120 + 50 * np.sin(a), 0.5] for a in np.linspace(0, 2 * np.pi, 90)]
        shot.edit(1, "line", do={"do": "trace", "id": name, "path": path, "width": 4, "part": part})

    ring("drumring01", "drum", 110)
    ring("headring01", "head", 170)
    on_model(shot, "describe-pot", pot=1, part="head")
    on_model(shot, "describe-pot", pot=2, part="drum")
    hide = {"do": "trim-behind", "of": shot.ids[:1], "part": "head", "behind": ["drum"]}
    assert shot.client.post("/api/levels/1/do", json={"do": hide}).status_code == 200
    shot.edit(1, "pour", points=[[80, 120]], pot=2)
    shot.edit(1, "pour", points=[[190, 120]], pot=1)
    files = archive(made(shot, "frames", only="parts", of="frame"))
    drum = pixels(
        files[
            "Pim/drum/Quay_drum_0001.png"
            if "Pim/drum/Quay_drum_0001.png" in files
            else "Pim/drum/Quay_Pim_drum_0001.png"
        ]
    )
    head = pixels(files["Pim/head/Quay_Pim_head_0001.png"])
    y, x = np.mgrid[:240, :320]
    far = np.hypot(x - 110, y - 120)
    # Painted as far as its own outline goes, also where the other lies over it.
    assert (drum[far < 45][:, 3] == 255).all()
    assert (drum[(far < 45) & (x > 145)][:, :3] == drum[120, 80, :3]).all()
    assert (drum[far > 55][:, 3] == 0).all()
    assert (head[np.hypot(x - 170, y - 120) < 45][:, 3] == 255).all()
    assert (head[120, 190, :3] != drum[120, 80, :3]).any()


def test_a_package_of_harmed_work_says_so(painted: Shot, store: Store) -> None:
    with store.transaction() as cursor:
        cursor.execute(
            "UPDATE documents SET body = 'torn' WHERE sha256 = %s", (revisions.drawing(cursor, 2)["line"],)
        )
    answer = ask(painted, "package", include=[])
    painted.client.app.state.runner.run_open()
    job = painted.client.get(f"/api/jobs/{answer.json()['id']}").json()
    assert job["state"] == "failed"
    assert "is shown now, was harmed" in job["message"]
    assert "mended on the shelf" in job["message"]
    assert "error of the program" not in job["message"]
