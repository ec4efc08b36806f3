"""The commands on folders of pictures."""

from __future__ import annotations

import io
import json
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import pytest
import trimesh
from svgelements import SVG
from svgelements import Path as SvgPath

from schoon.cli import main
from schoon.formats import svg

from .films import film, number_in
from .shot import rough


@dataclass
class Ended:
    returncode: int
    stdout: str
    stderr: str


def schoon(*arguments: object) -> Ended:
    """The command as it is typed, in this process: to start one takes longer than most of what it does."""
    out, err, code = io.StringIO(), io.StringIO(), 0
    with (
        redirect_stdout(out),
        redirect_stderr(err),
        pytest.MonkeyPatch.context() as patch,
    ):
        patch.setattr(sys, "argv", ["schoon", *map(str, arguments)])
        patch.setenv("COLUMNS", "200")
        try:
            main()
        except SystemExit as ended:
            code = int(ended.code or 0)
    return Ended(code, out.getvalue(), err.getvalue())


def test_the_command_is_there() -> None:
    command = [sys.executable, "-c", "from schoon.cli import main; main()", "--help"]
    done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=120)
    assert (done.returncode, "clean" in done.stdout) == (0, True)


@pytest.fixture
def roughs(tmp_path: Path) -> list[Path]:
    paths = [tmp_path / f"r{k}.png" for k in (1, 2)]
    for k, path in enumerate(paths):
        path.write_bytes(rough(6 * k))
    return paths


def test_from_rough_to_frames(roughs: list[Path], tmp_path: Path) -> None:
    lines, sealed, painted, frames = (tmp_path / name for name in ("lines", "sealed", "painted", "frames"))
    assert schoon("clean", *roughs, "--out", lines, "--jobs", 2).returncode == 0
    drawing = SVG.parse(str(lines / "r1.svg"))
    assert (drawing.width, drawing.height) == (320, 240)
    assert len(list(drawing.select(lambda e: isinstance(e, SvgPath)))) >= 3

    assert schoon("seal", lines / "r1.svg", "--out", sealed).returncode == 0
    labels = cv2.imread(str(sealed / "r1.patches.png"), cv2.IMREAD_UNCHANGED)
    assert labels.dtype == np.uint16
    assert len(np.unique(labels)) == 5
    assert set(json.loads((sealed / "r1.json").read_text())) == {"stitches"}

    key = np.zeros((240, 320, 4), np.uint8)
    cv2.circle(key, (150, 120), 80, (60, 90, 138, 255), -1)
    cv2.imwrite(str(tmp_path / "key.png"), key)
    done = schoon("paint", lines, "--key", f"r1={tmp_path / 'key.png'}", "--out", painted)
    assert done.returncode == 0, done.stderr
    asked = json.loads((painted / "questions.json").read_text())
    unsure = sum(len(json.loads(path.read_text())["unsure"]) for path in painted.glob("r?.json"))
    assert sum(len(group) for group in asked) == unsure
    paint = cv2.imread(str(painted / "r2.png"), cv2.IMREAD_UNCHANGED)
    assert paint[120, 90].tolist() == [60, 90, 138, 255]
    assert paint[5, 5, 3] == 0
    report = json.loads((painted / "r2.json").read_text())
    assert {"at", "colour", "doubt", "from"} == set(report["patches"][0])

    done = schoon("export", lines, painted, "--out", frames, "--hold", 2, "--gif", "loop.gif")
    assert done.returncode == 0, done.stderr
    assert sorted(p.name for p in frames.iterdir()) == [
        "0001.png",
        "0002.png",
        "0003.png",
        "0004.png",
        "loop.gif",
    ]


def test_a_key_without_a_closed_area_is_named(tmp_path: Path) -> None:
    lines = tmp_path / "lines"
    lines.mkdir()
    for name in ("a", "b"):
        cv2.imwrite(str(lines / f"{name}.png"), np.zeros((40, 60), np.uint8))
    cv2.imwrite(str(tmp_path / "key.png"), np.full((40, 60, 4), 200, np.uint8))
    done = schoon("paint", lines, "--key", f"a={tmp_path / 'key.png'}", "--out", tmp_path / "out")
    assert done.returncode == 1
    assert "a.png has no closed area" in done.stderr
    assert not (tmp_path / "out").exists()


def test_one_bad_picture_does_not_stop_the_others(roughs: list[Path], tmp_path: Path) -> None:
    bad = tmp_path / "bad.png"
    bad.write_bytes(b"no picture")
    done = schoon("clean", bad, *roughs, "--out", tmp_path / "out")
    assert done.returncode == 1
    assert "bad.png is not a readable picture" in done.stderr
    assert (tmp_path / "out" / "r2.svg").exists()


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["clean"], "Missing"),
        (["clean", "a.png", "b/a.png", "--out", "o"], "different names"),
        (["paint", "nowhere", "--key", "a=b.png", "--out", "o"], "not a folder"),
        (["clean", "a.png", "--out", "o", "--detail", "7"], "--detail"),
        (["tone", "nowhere", "nowhere", "--light", "0,0", "--out", "o"], "not a folder"),
    ],
)
def test_wrong_usage_ends_with_two(arguments: list[str], words: str, tmp_path: Path) -> None:
    done = schoon(*[tmp_path / a if a == "o" else a for a in arguments])
    assert done.returncode == 2
    assert words in done.stderr


def test_help_says_what_a_stranger_needs() -> None:
    for command in ("clean", "seal", "paint", "tone", "export"):
        done = schoon(command, "--help")
        assert done.returncode == 0
        assert "--out" in done.stdout


def test_take_writes_the_pictures_of_a_movie_by_their_own_numbers(tmp_path: Path) -> None:
    movie = film(tmp_path / "boat.mkv", count=20, times=[41 * k + 7 * (k % 3) for k in range(20)])
    ended = schoon(
        "take", movie, "--from", 4, "--to", 12, "--every", 4, "--out", tmp_path / "out", "--jobs", 2
    )
    assert ended.returncode == 0, ended.stderr
    names = sorted(p.name for p in (tmp_path / "out").iterdir())
    assert names == ["0004.png", "0008.png", "0012.png"]
    assert [number_in(cv2.imread(str(tmp_path / "out" / name))) for name in names] == [4, 8, 12]
    beyond = schoon("take", movie, "--from", 18, "--to", 30, "--out", tmp_path / "more")
    assert beyond.returncode == 1
    assert "boat.mkv ends before picture 30" in beyond.stderr
    assert sorted(p.name for p in (tmp_path / "more").iterdir()) == ["0018.png", "0019.png", "0020.png"]
    assert schoon("take", movie, "--from", 9, "--to", 3, "--out", tmp_path / "none").returncode == 2
    assert schoon("take", tmp_path / "gone.mp4", "--out", tmp_path / "none").returncode == 1
    (tmp_path / "broken.mp4").write_bytes(b"no movie")
    broken = schoon("take", tmp_path / "broken.mp4", "--out", tmp_path / "none")
    assert broken.returncode == 1
    assert "broken.mp4" in broken.stderr


@pytest.fixture
def shaded(tmp_path: Path) -> Path:
    """Two drawings of a painted ball in `lines` and `paint`."""
    for name in ("lines", "paint"):
        (tmp_path / name).mkdir()
    for n in range(2):
        line = np.full((200, 300), 255, np.uint8)
        cv2.circle(line, (120 + 30 * n, 100), 70, 0, 5)
        paint = np.zeros((200, 300, 4), np.uint8)
        cv2.circle(paint, (120 + 30 * n, 100), 70, (60, 90, 138, 255), -1)
        cv2.imwrite(str(tmp_path / "lines" / f"{n}.png"), line)
        cv2.imwrite(str(tmp_path / "paint" / f"{n}.png"), paint)
    return tmp_path


def test_tone_shades_from_a_light_and_from_a_key(shaded: Path) -> None:
    lines, paint = shaded / "lines", shaded / "paint"
    done = schoon("tone", lines, paint, "--light", "90,20", "--amount", 0.4, "--out", shaded / "lit")
    assert done.returncode == 0, done.stderr
    first, second = (cv2.imread(str(shaded / "lit" / f"{n}.png"), 0) for n in range(2))
    painted = cv2.imread(str(paint / "1.png"), cv2.IMREAD_UNCHANGED)[..., 3] > 0
    assert (second > 0)[painted].mean() == pytest.approx(0.4, abs=0.03)
    assert not second[~painted].any()
    # The light stands on the right, so shade lies on the left.
    assert second[100, 90] == 255
    assert second[100, 210] == 0

    key = shaded / "lit" / "0.png"
    done = schoon("tone", lines, paint, "--key", f"0={key}", "--out", shaded / "carried", "--jobs", 2)
    assert done.returncode == 0, done.stderr
    assert (cv2.imread(str(shaded / "carried" / "0.png"), 0) == first).all()
    carried = cv2.imread(str(shaded / "carried" / "1.png"), 0) > 0
    assert (carried & (second > 0)).sum() > 0.9 * (carried | (second > 0)).sum()


def test_tone_without_one_paint_does_the_others_and_names_it(shaded: Path) -> None:
    (shaded / "paint" / "0.png").unlink()
    done = schoon("tone", shaded / "lines", shaded / "paint", "--light", "90,20", "--out", shaded / "out")
    assert done.returncode == 1
    assert "0.png cannot be read" in done.stderr
    assert [p.name for p in (shaded / "out").iterdir()] == ["1.png"]


def test_tone_with_a_key_that_teaches_nothing_says_so(shaded: Path) -> None:
    bare = np.zeros((200, 300, 4), np.uint8)
    cv2.imwrite(str(shaded / "paint" / "0.png"), bare)
    key = shaded / "key.png"
    cv2.imwrite(str(key), np.zeros((200, 300), np.uint8))
    done = schoon("tone", shaded / "lines", shaded / "paint", "--key", f"0={key}", "--out", shaded / "out")
    assert done.returncode == 1
    assert "key.png lie on no painted drawing" in done.stderr
    assert "Traceback" not in done.stderr


@pytest.mark.parametrize("wrong", [["--light", "north"], ["--light", "0,120"], [], ["--key", "9=x.png"]])
def test_tone_says_how_it_is_used(shaded: Path, wrong: list[str]) -> None:
    done = schoon("tone", shaded / "lines", shaded / "paint", *wrong, "--out", shaded / "out")
    assert done.returncode == 2
    assert "--light" in done.stderr or "--key" in done.stderr


def test_a_prop_is_drawn_in_its_keys_and_between(tmp_path: Path) -> None:
    box = tmp_path / "crate.obj"
    box.write_text(trimesh.creation.box(extents=(2, 1, 1)).export(file_type="obj"))
    places = tmp_path / "places.json"
    one, two = ({"at": [x, 120], "size": 80, "turn": [0, 0, 0, 1]} for x in (80, 160))
    places.write_text(json.dumps({"1": one, "3": two}))
    out = tmp_path / "out"
    done = schoon("prop", box, places, "--size", "320x240", "--out", out)
    assert done.returncode == 0, done.stderr
    assert sorted(p.name for p in out.iterdir()) == [
        f"{k:04}{end}" for k in (1, 2, 3) for end in ("-forms.png", ".svg")
    ]
    strokes, size = svg.read_drawing_svg("x", (out / "0002.svg").read_text())
    assert size == (320, 240)
    points = np.vstack([s.controls for s in strokes])
    assert [*points.min(axis=0), *points.max(axis=0)] == pytest.approx([80, 100, 160, 140], abs=1)
    places.write_text("{}")
    refused = schoon("prop", box, places, "--size", "320x240", "--out", out)
    assert refused.returncode
    assert "names no drawing" in refused.stderr
    wrong = schoon("prop", box, places, "--size", "wide", "--out", out)
    assert wrong.returncode


def test_propose_takes_roughs_of_a_level_to_paint_in_one(tmp_path: Path) -> None:
    roughs = []
    for k in range(2):
        path = tmp_path / f"{k}.png"
        picture = np.full((300, 400, 3), 244, np.uint8)
        cv2.circle(picture, (150 + 8 * k, 150), 70, (70, 60, 60), 4, cv2.LINE_AA)
        cv2.rectangle(picture, (260, 90), (350 + 4 * k, 210), (70, 60, 60), 4, cv2.LINE_AA)
        cv2.imwrite(str(path), picture)
        roughs.append(path)
    painted = np.zeros((300, 400, 4), np.uint8)
    cv2.circle(painted, (150, 150), 70, (40, 180, 240, 255), -1)
    cv2.rectangle(painted, (260, 90), (350, 210), (60, 60, 200, 255), -1)
    cv2.imwrite(str(tmp_path / "key.png"), painted)
    out = tmp_path / "out"
    done = schoon("propose", *roughs, "--key", f"0={tmp_path / 'key.png'}", "--out", out)
    assert done.returncode == 0, done.stderr
    paint = cv2.imread(str(out / "1.png"), cv2.IMREAD_UNCHANGED)
    assert paint[150, 158].tolist() == [40, 180, 240, 255]
    assert paint[150, 300].tolist() == [60, 60, 200, 255]
    assert paint[20, 20, 3] == 0
    line = cv2.imread(str(out / "lines" / "1.png"), cv2.IMREAD_UNCHANGED)
    assert set(np.unique(line).tolist()) == {0, 255}
    assert json.loads((out / "questions.json").read_text()) == []
    assert json.loads((out / "gaps.json").read_text()) == []
    assert len(json.loads((out / "1.json").read_text())["patches"]) == 2
    # A key of two colours in one form is open between them: it is said where, and shut there.
    painted[:, :150][painted[:, :150, 3] > 0] = (30, 160, 30, 255)
    cv2.imwrite(str(tmp_path / "halves.png"), painted)
    parted = schoon("propose", *roughs, "--key", f"0={tmp_path / 'halves.png'}", "--out", tmp_path / "p")
    assert parted.returncode == 0, parted.stderr
    assert "halves.png is open at 1 place" in " ".join((parted.stdout + parted.stderr).split())
    shut = cv2.imread(str(tmp_path / "p" / "lines" / "0.png"), cv2.IMREAD_UNCHANGED)
    assert (shut[100:200, 146:154].min(axis=1) == 0).all()
    # One rough of another size stops it by name of the matter; nothing is half done.
    cv2.imwrite(str(tmp_path / "2.png"), np.full((200, 400, 3), 244, np.uint8))
    again = schoon(
        "propose", *roughs, tmp_path / "2.png", "--key", f"0={tmp_path / 'key.png'}", "--out", tmp_path / "b"
    )
    assert (again.returncode, "not of one size" in again.stderr) == (1, True)
    wrong = schoon("propose", *roughs, "--key", "9=x.png", "--out", out)
    assert (wrong.returncode, "--key 9=x.png" in wrong.stderr) == (2, True)
