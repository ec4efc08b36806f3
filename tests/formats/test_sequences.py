"""Bad input is named in plain words, with a remedy, before anything is stored."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from schoon.errors import Refusal
from schoon.formats import gif, sequences, svg
from schoon.formats.pictures import decode, encode_png, for_storage
from schoon.formats.sequences import Report, add_to_zip, inspect, number_of, read_one
from schoon.limits import Limits

Look = Callable[[Sequence[tuple[str, bytes]]], Report]


def png(size: tuple[int, int] = (40, 30), tone: int = 200) -> bytes:
    return encode_png(np.full((size[1], size[0], 3), tone, np.uint8))


def encoded(mode: str, form: str, **options: object) -> bytes:
    out = io.BytesIO()
    Image.new(mode, (40, 30)).save(out, form, **options)
    return out.getvalue()


def zipped(**files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, body in files.items():
            archive.writestr(name.replace("__", "/"), body)
    return out.getvalue()


@pytest.fixture
def look(tmp_path: Path) -> Look:
    """Looks at files that have just arrived."""

    def look(files: Sequence[tuple[str, bytes]]) -> Report:
        placed = []
        for number, (name, body) in enumerate(files):
            path = tmp_path / f"{number:05}"
            path.write_bytes(body)
            placed.append((name, path))
        return inspect(placed, tmp_path)

    return look


def test_numbers_sort_as_numbers(look: Look) -> None:
    report = look([(f"stair_{n}.png", png(tone=n)) for n in (10, 9, 100, 2)])
    assert [p.number for p in report.pictures] == [2, 9, 10, 100]
    assert not report.problems
    assert "leaves out" in report.notes[0]


@pytest.mark.parametrize(
    ("name", "number"), [("a1_0012.png", 12), ("7.tif", 7), ("shot3.v2.png", 2), ("x.png", None)]
)
def test_the_last_number_in_a_name_counts(name: str, number: int | None) -> None:
    assert number_of(name) == number


@pytest.mark.parametrize(
    ("files", "words"),
    [
        ([], "No pictures were chosen"),
        ([("rough.png", png())], "rough.png has no number"),
        ([("a1.png", b"not a picture")], "a1.png is not a readable picture"),
        ([("a1.png", b"")], "a1.png is not a readable picture"),
        ([("a1.png", png()[:-60])], "a1.png is broken"),
        ([("notes1.txt", b"hello")], "notes1.txt is not a readable picture"),
        ([("a1.gif", encoded("P", "GIF"))], "a1.gif is not a readable picture"),
        ([("a1.png", png()), ("b01.png", png())], "Number 1 comes 2 times: a1.png, b01.png"),
        ([("a1.png", png()), ("a2.png", png()), ("a3.png", png((41, 30)))], "a3.png (41 x 30)"),
        ([("a1.png", png((8200, 2)))], "8200 x 2 px; the limit is 8192"),
        ([("all.zip", b"PK\x03\x04broken")], "all.zip is not a readable zip"),
        ([("all.zip", zipped(**{"..__..__etc__a1.png": png()}))], "unsafe path"),
        ([("all.zip", zipped(**{"a1.png": bytes(200_000_000)}))], "unpacks to 200 MB"),
        ([("all.zip", zipped())], "No pictures were chosen"),
    ],
)
def test_bad_input_is_named(look: Look, files: list[tuple[str, bytes]], words: str) -> None:
    problems = look(files).problems
    assert any(words in problem for problem in problems), problems


def test_a_zip_is_read_with_its_folders_and_without_litter(look: Look) -> None:
    body = zipped(
        **{
            "roughs__a1.png": png(),
            "roughs__a2.png": png(tone=9),
            "__MACOSX__._a1.png": b"x",
            "roughs__.hidden": b"",
        }
    )
    report = look([("all.zip", body)])
    assert not report.problems
    assert [p.name for p in report.pictures] == ["a1.png", "a2.png"]


@pytest.mark.parametrize(
    ("mode", "form", "channels"),
    [("RGB", "JPEG", 3), ("CMYK", "JPEG", 3), ("P", "PNG", 3), ("L", "TIFF", 3), ("RGBA", "WEBP", 4), ("I;16", "PNG", 3), ("1", "PNG", 3), ("LA", "PNG", 4)],
)  # fmt: skip
def test_every_sort_of_picture_is_read(mode: str, form: str, channels: int) -> None:
    pixels = decode("a", encoded(mode, form))
    assert pixels.shape == (30, 40, channels)
    assert pixels.dtype == np.uint8


def test_sixteen_bit_tones_are_kept_in_proportion() -> None:
    ramp = np.linspace(0, 65535, 256).astype(np.uint16)[None].repeat(4, axis=0)
    assert np.abs(decode("a", encode_png(ramp))[0, :, 0].astype(int) - np.arange(256)).max() <= 1


def test_a_picture_turned_by_exif_is_turned_upright() -> None:
    exif = Image.Exif()
    exif[0x0112] = 6
    body, mime, width, height, pixels = for_storage("a", encoded("RGB", "JPEG", exif=exif))
    assert (width, height) == (30, 40)
    assert mime == "image/png"
    assert decode("a", body).shape == pixels.shape


def test_gif_durations_add_up() -> None:
    assert sum(gif.durations([2] * 12, 24)) == 100
    assert gif.durations([1, 1, 1], 24) == [4, 4, 4]


def test_gif_keeps_size_holds_and_flat_colours() -> None:
    frames = [np.full((20, 30, 3), colour, np.uint8) for colour in ((200, 40, 40), (40, 90, 200))]
    body = gif.encode(frames, [2, 4], 24)
    with Image.open(io.BytesIO(body)) as picture:
        assert (picture.size, picture.n_frames, picture.info["loop"]) == ((30, 20), 2, 0)
        picture.seek(1)
        assert np.abs(np.array(picture.convert("RGB")).astype(int) - frames[1]).max() <= 3
    with pytest.raises(ValueError, match="needs a picture"):
        gif.encode([], [], 24)


def test_gif_estimate_is_near_the_truth(random: np.random.Generator) -> None:
    frames = [random.integers(0, 255, (60, 80, 3), np.uint8) for _ in range(8)]
    whole = len(gif.encode(frames, [1] * 8, 24))
    assert gif.estimate(frames[:3], 8) == pytest.approx(whole, rel=0.2)


def test_equal_files_give_equal_zips() -> None:
    made = []
    for _ in range(2):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            add_to_zip(archive, "a.png", b"1")
        made.append(out.getvalue())
    assert made[0] == made[1]


def test_what_was_found_is_kept_as_it_was(look: Look, tmp_path: Path) -> None:
    report = look([("a1.tif", encoded("RGB", "TIFF")), ("a2.png", png((40, 30)))])
    report.write(tmp_path / "report.json")
    assert Report.read(tmp_path / "report.json") == report
    turned = report.pictures[0]
    assert turned.mime == "image/png"
    assert decode("a1", Path(turned.path).read_bytes()).shape == (30, 40, 3)


def test_names_in_a_zip_that_are_no_text_are_refused(look: Look) -> None:
    body = zipped(**{"å1.png": png()}).replace("å".encode(), b"\xff\xfe")
    (problem,) = look([("all.zip", body)]).problems
    assert problem == "all.zip is not a readable zip; pack the pictures again"


def test_equal_pictures_are_decoded_once_and_too_many_pixels_not_at_all(
    look: Look, monkeypatch: pytest.MonkeyPatch
) -> None:
    read: list[str] = []

    def counted(name: str, path: str, stored: str) -> object:
        read.append(name)
        return read_one(name, path, stored)

    monkeypatch.setattr(sequences, "read_one", counted)
    blank = png((400, 300))
    report = look([(f"a{k}.png", blank) for k in range(1, 31)])
    assert len(report.pictures) == 30
    assert [p.number for p in report.pictures] == list(range(1, 31))
    assert read == ["a1.png"]
    read.clear()
    monkeypatch.setattr(sequences, "limits", lambda: Limits(take_in_gigapixels=0.003))
    (problem,) = look([(f"a{k}.png", blank) for k in range(1, 31)]).problems
    assert "the limit is 0.003 (SCHOON_MOST_TAKE_IN_GIGAPIXELS)" in problem
    assert read == []


def test_gif_keeps_a_colour_that_only_one_picture_has() -> None:
    frames = [np.full((60, 80, 3), tone, np.uint8) for tone in range(0, 240, 10)]
    frames[7][10:14, 10:14] = (3, 200, 77)
    with Image.open(io.BytesIO(gif.encode(frames, [1] * len(frames), 12))) as picture:
        picture.seek(7)
        assert picture.convert("RGB").getpixel((11, 11)) == (3, 200, 77)


def test_svg_gives_back_its_strokes() -> None:
    from schoon.core.strokes import Stroke

    stroke = Stroke(np.array([[1.0, 2], [10, 2], [20, 30], [40, 31]]), np.array([3.0, 3.0]))
    (back,), size = svg.read_drawing_svg("a.svg", svg.drawing_svg([stroke], (50, 60)))
    assert size == (50, 60)
    assert np.abs(back.controls - stroke.controls).max() < 0.01
    with pytest.raises(Refusal, match="viewBox"):
        svg.read_drawing_svg("a.svg", "<svg/>")
    with pytest.raises(Refusal, match="commands other than"):
        svg.read_drawing_svg(
            "a.svg", '<svg viewBox="0 0 9 9"><path fill="none" d="M0 0A1 1 0 0 0 2 2"/></svg>'
        )


@pytest.mark.parametrize(
    ("box", "path", "says"),
    [
        ("0 0 0 90", 'd="M1 1L9 9"', "sides of 1 to"),
        ("0 0 90000 90", 'd="M1 1L9 9"', "sides of 1 to"),
        ("0 0 9.9.9 90", 'd="M1 1L9 9"', "sides of 1 to"),
        ("0 0 90 90", 'd="M1 1L9"', "no places"),
        ("0 0 90 90", 'd="M1 1L9 9" stroke-width="4.4.4"', "no places"),
        ("0 0 90 90", 'd="M1 1L1e9 9"', "far outside"),
    ],
)
def test_svg_that_no_picture_can_be_is_named(box: str, path: str, says: str) -> None:
    with pytest.raises(Refusal, match=f"a.svg .*{says}"):
        svg.read_drawing_svg("a.svg", f'<svg viewBox="{box}"><path fill="none" {path}/></svg>')


def test_svg_of_straight_pieces_and_curves_is_read_as_it_is_written() -> None:
    def read(path: str) -> np.ndarray:
        text = f'<svg viewBox="0 0 90 90"><path fill="none" stroke-width="3" d="{path}"/></svg>'
        ((stroke,), _) = svg.read_drawing_svg("a.svg", text)
        return stroke.controls

    corner = read("M10 10L40 10L40 10 40 70")
    assert corner[::3].tolist() == [[10, 10], [40, 10], [40, 70]]
    assert corner[1:3].tolist() == [[20, 10], [30, 10]]
    mixed = read("M10 10 C20 0 30 0 40 10 L40 70")
    assert mixed.tolist()[:4] == [[10, 10], [20, 0], [30, 0], [40, 10]]
    assert mixed[-1].tolist() == [40, 70]
    assert len(mixed) == 7
    assert not svg.read_drawing_svg("a.svg", '<svg viewBox="0 0 9 9"><path fill="none" d="M5 5"/></svg>')[0]


def test_letters_behind_numbers_are_drawings_between(tmp_path: Path) -> None:
    files = []
    for name, shade in (
        ("pim_0007.png", 10),
        ("pim_0007a.png", 20),
        ("pim_0007b.png", 30),
        ("pim_0010.png", 40),
    ):
        path = tmp_path / name
        path.write_bytes(encode_png(np.full((20, 30, 3), shade, np.uint8)))
        files.append((name, path))
    report = inspect(files[::-1], tmp_path)
    assert [p.label for p in report.pictures] == ["7", "7a", "7b", "10"]
    # A letter that all names end with is a part of the name.
    again = inspect(
        [(f"{name[:-4]}k.png".replace("ak", "1k").replace("bk", "2k"), path) for name, path in files],
        tmp_path,
    )
    assert [p.label for p in again.pictures] == ["7", "10", "71", "72"]
    twice = inspect([files[1], ("other_0007a.png", files[2][1])], tmp_path)
    assert "Number 7 comes 2 times" in twice.problems[0]
